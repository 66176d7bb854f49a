#pragma once
#include "core/cell/edit_steps.h"
#include "core/check/check.h"
#include "core/mend/changes.h"

#include <fmt/format.h>

namespace topikos {

inline const std::vector<double> kLengths{0.005, 0.01, 0.02, 0.05, 0.1, 0.2, 0.4, 0.8};  // that things are moved by [m]

/// Directions to move a goal along, in the world: towards the arm and away, along the world's axes.
std::vector<Vec3> waysFrom(const Cell& cell, const Target& target, const AxisValues& axes);
/// A target moved by so much in the world [m].
Target shifted(const Cell& cell, Target target, const AxisValues& axes, const Vec3& world);
/// "along -z of the world"
std::string wordsOf(const Vec3& way);

/// The changes about one finding, put together. By what they change they are in target_changes.cpp, step_changes.cpp
/// and fixture_changes.cpp; which of them a finding asks for is in changes.cpp.
struct ChangeMaker {
    const Cell& cell;
    const CheckResult& checked;
    const Finding& finding;
    PlanCache* plans;
    std::stop_token stop;
    std::vector<Change> out{};
    const Routine* routine = findRoutine(cell, finding.routine);
    const Step* step = routine ? findStep(routine->steps, finding.step) : nullptr;
    const Target* target = findTarget(cell, finding.target);
    size_t stepIndex = finding.stepIndex;
    const StepOutcome* outcome = outcomeOf(checked, finding);
    const AxisValues axes = axesFor(checked, finding);
    std::string stepWords() const { return fmt::format("step {}", stepIndex + 1); }

    void make();

    void add(Change change) { out.push_back(std::move(change)); }
    void addPlain(const char* change, double rank, std::function<Result<Cell>()> make, std::string text,
                  TargetId own = {});
    /// Puts changes with those that are there.
    void addAll(std::vector<Change> more);
    /// Replaces the step.
    Result<Cell> with(const Step& changed) const { return changeStep(cell, routine->id, changed); }
    /// What happens while the arm stands comes from the move that brought it there.
    void goToTheMove();
    void ofContact(const ContactFact& fact);
    std::vector<Vec3> apart(const ContactFact& fact) const;
    /// Arms of the catalogue that reach farther and carry no less, the shortest of them first.
    void otherArm(const ArmStation& station);

    void otherWays();
    void bestOfRoutine();
    void turned();
    void shiftedTarget(const std::vector<Vec3>& ways, double rank);
    /// The target's own way to it, or away from it, made longer or shorter.
    void longerApproach(Stage stage);
    void otherPoint();
    void otherAxes();
    /// A posture past a range: by a full turn of the joint, or back to the range.
    void intoRange();
    /// A grip of nothing: the target before it goes to the part that lies nearest.
    void toThePart();

    void jointMove();
    void lineMove();
    void higher();
    /// One more place before the step, above the middle of its way or above its end.
    void liftOver();
    void slower();
    void blend();
    void otherOrder();

    /// What an arm stands on, with all that carries that.
    FrameId foundation(FrameId mount) const;
    /// A frame of the cell that may be moved: not an axis of a device.
    void shiftedFrame(FrameId id, const std::vector<Vec3>& ways, double rank, const char* change);
};

}  // namespace topikos
