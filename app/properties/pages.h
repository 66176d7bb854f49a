#pragma once
#include "app/properties/choices.h"
#include "app/properties/shaped_page.h"
#include "core/cell/step_check.h"
#include "core/surface/draw.h"

namespace topikos {

/// A step of the routine that is looked at.
class StepPage : public Page {
public:
    StepPage(Session& session, QWidget* parent) : Page(session, "step", parent) {}

private:
    void fill() override;
    void change(const std::function<void(Step&)>& set);
    /// One of the step's numbers, shown in units of `unit`.
    void addValue(const QString& label, const QString& name, double now, const QString& symbol, double unit,
                  const Limit& limit, int decimals, const std::function<void(Step&, double)>& set, bool wide = false);
    void addPlace(const QString& label, const QString& name, const Place& now,
                  const std::function<void(Step&, const Place&)>& set);
    void addSignal(bool writes, const std::function<bool(const Signal&)>& fits, SignalId now,
                   const std::function<void(Step&, const Signal&)>& set);
    void addCondition(const std::function<Condition&(Step&)>& of);
    bool setMayTouch(const QString& words);
    void addPasses();
    void addMove();
    void addSet();
    void addPulse();
    void addWaitFor();
    void addDevice();
    void addTable();
    void insertStartOfTable();
    void addCall();
    void addRepeat();
    void addForEach();
    void addProcess();
    void addFollow();
    void addPace();
    /// Where at its place a move ends: there or back from it, or at a point of its approach or retract.
    void addStage(const QString& label, const QString& prefix, const std::function<AtPlace&(Step&)>& of);
    /// How far back from its place, where it ends at no such point.
    void addBack(const QString& label, const QString& prefix, const std::function<AtPlace&(Step&)>& of);
    /// The processes of the tool, for a choice.
    Choices<ProcessId> processes(ProcessId now) const;
    void addPoint();
    /// What is around the step.
    StepScope scope() const;
    /// Makes it a step of another kind, with what that kind needs.
    void becomes(StepKind kind);

    Step m_step;  ///< as shown
};

class TargetPage : public Page {
public:
    TargetPage(Session& session, QWidget* parent) : Page(session, "target", parent) {}

private:
    void fill() override;
    /// Which device axes go to a target together with the arm, and where.
    void addAxes(const Target& target);
    /// What it goes with, and how its way is free.
    void addRelations(const Target& target);
    /// Approach and retract, and whether they are reached.
    void addWays(const Target& target);
    /// What can be done with a point of a drawn group.
    void addPointOfGroup(const Target& target);
};

/// A frame, and the device or axis that it may be.
class FramePage : public ShapedPage {
public:
    FramePage(Session& session, QWidget* parent) : ShapedPage(session, "frame", parent) {}

private:
    void fill() override;
    void addDevice(const Frame& frame);

    FrameId m_shown;
};

class PartPage : public ShapedPage {
public:
    PartPage(Session& session, QWidget* parent) : ShapedPage(session, "part", parent) {}

private:
    void fill() override;
    void addGrips(const Part& part, const PartKind& kind);

    PartId m_shown;
};

class ToolPage : public ShapedPage {
public:
    ToolPage(Session& session, QWidget* parent) : ShapedPage(session, "tool", parent) {}

private:
    void fill() override;
    void addPoints(const Tool& shown);
    void addGripper(const Tool& shown);
    void addProcesses(const Tool& shown);
    void addLoad(const Tool& shown);
    void change(const Tool& tool, const QString& label, const std::function<void(Tool&)>& set);

    ToolId m_shown;
    size_t m_point = 0;  ///< of the tool's points, the one in full
};

class PatternPage : public Page {
public:
    PatternPage(Session& session, QWidget* parent) : Page(session, "pattern", parent) {}

private:
    void fill() override;
    void fillDrawn(const Pattern& pattern);
    /// Its places, or what it has them from.
    void addLayout(const Pattern& pattern);
    void addFollowing(const Pattern& pattern, const Pattern& parts);
    void addOrder(const Pattern& pattern);
    void addPlacesLeftOut(const Pattern& pattern);
    /// How many places fail, and why.
    void addVerdict(const Pattern& pattern);
    void addWays(const Pattern& pattern);
    void change(PatternId id, const std::function<void(Pattern&)>& set);

    DrawRule m_rule;  ///< typed last, for points anew
};

class ArmPage : public Page {
public:
    ArmPage(Session& session, QWidget* parent) : Page(session, "arm", parent) {}

private:
    void fill() override;
};

/// Without a selection: the thresholds of the checks.
class ThresholdsPage : public Page {
public:
    ThresholdsPage(Session& session, QWidget* parent) : Page(session, "thresholds", parent) {}

private:
    void fill() override;
};

}  // namespace topikos
