#pragma once
#include "app/background/owner.h"
#include "core/cell/edit_layout.h"
#include "core/cell/pattern.h"
#include "core/cell/history.h"
#include "core/collide/by_hand.h"
#include "core/check/live_checker.h"
#include "core/simulate/runner.h"
#include "core/simulate/state.h"

#include <QElapsedTimer>
#include <QObject>
#include <QTimer>

#include <functional>
#include <map>
#include <set>
#include <stop_token>
#include <variant>

namespace topikos {

/// Something that can be selected; a step lights up in the route, the view and the strip alike.
using Selection = std::variant<std::monostate, FrameId, PartId, ToolId, TargetId, StepId, PatternId, ArmId>;

enum class JogSpace { Joint, World, Tool, Frame, Base };

/// What was clicked on last in the view, or where a selected thing is: a place of the world, and what stands up there.
struct PickedPlace {
    Vec3 place = Vec3::Zero();
    Vec3 up = Vec3::UnitZ();            ///< the normal of the face, the axis of the hole, z of the frame or part
    Quat reference = Quat::Identity();  ///< of what it belongs to
    Selection of{};
    QString words{};  ///< "face of Drying rack"
};
/// Along what the tool is brought to a place: into the face, as the tool stands, or down the z axis of a frame.
enum class SendAxis { Normal, Tool, Frame, World };

class Background;
struct Mesh;
/// Something that lies over the cell without being of it, such as a reach map: drawn as a mesh, with points that can be
/// pointed at.
struct SpotOverlay {
    FrameId frame{};  ///< in which mesh and points are
    std::shared_ptr<const Mesh> mesh{};
    std::vector<Vec3> points{};
    std::vector<std::pair<Vec3, Vec3>> edges{};  ///< lines over the mesh
};

/// A run that was kept, with the cell that it is of.
struct KeptRun {
    CellPtr cell;
    std::shared_ptr<const Trace> trace;
};

/// The open cell and what the person is doing with it: selection, posture of the arm, run. Widgets show it and ask it;
/// they do not know each other.
class Session : public Owner {
    Q_OBJECT
public:
    explicit Session(Cell cell, QObject* parent = nullptr);
    ~Session() override;

    const Cell& cell() const { return *m_history.current(); }
    /// The arm in hand, and its model.
    const ArmStation& station() const { return *findArm(cell(), m_arm); }
    const Arm& arm() const { return *station().model; }
    const History& history() const { return m_history; }
    /// The same in the cell as it is drawn.
    const ArmStation& shownStation() const { return *findArm(shownCell(), m_arm); }
    /// The routine that is looked at: of the arm in hand, its main one unless another one was chosen.
    const Routine& routine() const;
    /// Takes another arm in hand, with its main routine in the route. Nothing of the cell changes.
    void takeInHand(ArmId arm);
    /// Looks at a routine, with its arm in hand. Nothing of the cell changes.
    void showRoutine(RoutineId routine);

    /// Opens another cell; the history starts anew. `path` is empty for a cell that has no file yet.
    void open(Cell cell, const QString& path);
    /// The same for a cell that its file does not hold yet: it counts as changed.
    void openUnsaved(Cell cell, const QString& path);
    QString path() const { return m_path; }
    /// A cell was written to a file; another one may be current by now.
    void saved(const QString& path, const CellPtr& cell);
    bool isSaved() const { return m_history.isSaved(); }

    /// One undoable edit. A refusal is told to the person and changes nothing.
    bool edit(const QString& label, const Edit& edit);
    void undo();
    void redo();

    /// Shows what an edit would make of the cell, without making it: for drags and for values being typed. The next
    /// edit or endPreview() ends it.
    void preview(const Edit& edit);
    void endPreview();
    /// The cell as it is drawn: the preview, or the cell itself.
    const Cell& shownCell() const { return m_preview ? *m_preview : cell(); }

    const Selection& selection() const { return m_selection; }
    void select(const Selection& selection);
    /// Selects several things, the last of which is the one whose properties are shown. Things of another kind than
    /// that one are left out.
    void selectMany(const std::vector<Selection>& things);
    /// Takes a thing into the selection, or out of it.
    void toggle(const Selection& thing);
    /// All that is selected, the one of selection() last.
    std::vector<Selection> everySelected() const;
    bool isSelected(const Selection& thing) const;
    /// Whether the cell still has it; steps count in the routine that is looked at.
    bool isThere(const Selection& thing) const;
    /// Selects what was just made, with its name ready to be typed.
    void selectNew(const Selection& selection);
    template <class IdType> IdType selected() const
    {
        const IdType* id = std::get_if<IdType>(&m_selection);
        return id ? *id : IdType{};
    }
    template <class IdType> std::vector<IdType> allSelected() const
    {
        std::vector<IdType> out;
        for (const Selection& thing : everySelected())
            if (const IdType* id = std::get_if<IdType>(&thing)) out.push_back(*id);
        return out;
    }

    /// The newest check; of an earlier revision while a check is under way, null before the first.
    const CheckedCell* checked() const { return m_checked.get(); }
    /// The same to hold on to: who keeps something derived from it compares this, since an address may come back.
    const std::shared_ptr<const CheckedCell>& checkedPointer() const { return m_checked; }
    /// The worst that it says of each target, see worstOfTargets(); empty before the first check.
    const std::map<TargetId, const Finding*>& worst() const;
    /// Whether that check is of a target as it is now; else nothing is known of it yet.
    bool isJudged(TargetId id) const;
    bool checkIsFresh() const { return m_checked && m_checked->revision == m_history.revision(); }
    /// The newest run, nullptr until the first check of this cell is in.
    const Trace* trace() const;
    /// What the arm in hand does in it, in the routine looked at: in the run, or when that routine does not run, by
    /// itself.
    const ArmTrace* armTrace() const;

    // The arm by hand. Refusals are told and name the joint, the distance or what would be touched.
    const JointVector& posture() const { return m_posture; }
    void setPosture(const JointVector& posture);
    /// It stands there with device axes at `axes`, outside any run.
    void stand(const JointVector& posture, const AxisValues& axes);
    /// Goes there, all joints in step; stops before a contact, as long as it is to.
    bool driveTo(const JointVector& posture) { return drive(posture, shownAxes()); }
    /// Stands there, whatever is on the way; where it would touch something that is no part, it goes as far as a
    /// contact, as long as it is to stop then. For what is typed.
    bool standIfFree(const JointVector& posture);
    /// Whether the arm stops before it touches something when it is moved by hand.
    bool stopsAtContact() const { return m_stopsAtContact; }
    void setStopsAtContact(bool on);
    /// Brings the tool along its own axis to what it touches first, and tells where that is.
    bool downToContact();
    /// Where device axes stand that were moved by hand.
    const AxisValues& axes() const { return m_axes; }
    /// Moves a device axis by hand, inside its range.
    void setAxis(FrameId axis, double value);
    /// Moves a device axis that carries the arm, or a joint of an arm with one to spare, with the tool point kept where
    /// it is in the world. False, and said, when the arm cannot follow: nothing moves then.
    bool setAxisAround(FrameId axis, double value);
    bool jogJointAround(int joint, double steps);
    /// Turns or slides a joint by jog steps: of an angle where it turns, of a length where it slides.
    bool jogJoint(int joint, double steps);
    /// Moves along (axis 0-2) by metres or turns about (3-5) by radians, in the axes of `space`, about the TCP.
    bool jogAxis(JogSpace space, int axis, double by);
    /// Brings the TCP to a pose in base, staying in the present configuration.
    bool moveTcp(const Pose& baseFromTcp);
    /// Moves as a line says: "Z +25" by, along the axes that are jogged along (joints: the world's); "x 350" to, as
    /// seen from the reading frame; "j4 -10". False, and said, when it cannot be understood or gone to: nothing moves
    /// then.
    bool moveTyped(const QString& line);
    /// What turns by hand go about in place of the TCP: the origin of a frame, part or target; nothing for the TCP.
    void setPivot(const Selection& thing);
    std::optional<Vec3> pivotPlace() const;  ///< in the world
    QString pivotName() const;               ///< "the TCP" when there is none
    /// Posture that moveTcp would take, or what is in the way.
    Solutions lookAhead(const Pose& baseFromTcp, std::optional<JointVector>& posture) const;
    bool goToTarget(TargetId id);
    /// The same for the selected target, or that of the selected step.
    bool goToSelected();
    /// Where the arm can be sent: what was clicked in the view, as long as that is selected; else the selected part,
    /// frame or target.
    std::optional<PickedPlace> sendPlace() const;
    void setPicked(std::optional<PickedPlace> place);
    /// Sends the tool there, so far back along its axis [m]: of all turns about it the one with the largest margin.
    /// False, and said, when no turn can be reached: nothing moves then.
    bool sendThere(SendAxis axis, double off);
    /// How many turns about the tool's axis the last send can be at, best first; 0 when the arm stands elsewhere by
    /// now.
    size_t sendTurns() const;
    /// Goes to the next of them, behind the last one to the best again. False, and said, when there is none.
    bool sendNextTurn();
    /// Steps that grip the selected part, or set down what was gripped last at the place: above by so much, down, and
    /// up again, at the end of the routine that is looked at. One edit. False, and said, when it cannot be reached.
    bool addGripThere(double over);
    bool addReleaseThere(SendAxis axis, double over);

    /// Back to where the arm stood before the last move by hand, or forth again; a drag or keys held down are one move.
    /// This is no part of the cell's own undo. False, and said, when there is nothing to go back to.
    bool standBack();
    bool standForth();

    /// Frame from which poses are read and in which targets are taken.
    FrameId readingFrame() const { return m_readingFrame; }
    void setReadingFrame(FrameId frame);

    JogSpace jogSpace() const { return m_jogSpace; }
    void setJogSpace(JogSpace space);
    double jogLength() const;  ///< [m]
    double jogAngle() const;   ///< [rad]
    void changeJogStep(int by);
    int jogJointIndex() const { return m_jogJoint; }
    void setJogJointIndex(int joint);

    /// Moves that checks have planned, for others that ask for the same.
    PlanCache& plans() { return m_checker->plans(); }
    /// What they have found of contact, the same way.
    ContactCache& touched() { return m_checker->touched(); }

    // The run: plays the trace on a copy.
    bool inRun() const { return m_inRun; }
    bool playing() const { return m_timer.isActive(); }
    double time() const { return m_time; }  ///< [s]
    double playSpeed() const { return m_playSpeed; }
    void setPlaySpeed(double factor);
    /// How far a run goes from the top.
    struct RunPlan {
        enum class Kind { Once, Times, Endless, Until } kind = Kind::Once;
        int times = 5;       ///< Times
        double until = 600;  ///< Until [s]
    };
    const RunPlan& runPlan() const { return m_plan; }
    void setRunPlan(const RunPlan& plan);
    void play();
    void pause();
    void scrub(double time);
    /// To the end of the step under way, or with `over` of the call that it is in.
    void playStep(bool over = false);
    void leaveRun();
    /// Plays from where a step begins for the first time, with all that has happened until then.
    bool playFrom(StepId step);
    /// Plays from a step with the arm where it stands now, and everything else as at the start.
    bool playFromHere(StepId step);
    /// What holds trace(): the same as long as that is the same.
    std::shared_ptr<const void> traceHolder() const
    {
        return m_played ? std::shared_ptr<const void>(m_played) : std::shared_ptr<const void>(m_checked);
    }
    /// The cell that trace() is of.
    const Cell& playedCell() const { return m_played ? *m_playedCell : *m_checked->cell; }

    /// A run that later ones are compared with; nothing: none was kept.
    const KeptRun* keptRun() const { return m_kept ? &*m_kept : nullptr; }
    /// Keeps the run that is there, or lets the kept one go.
    void keepRun(bool keep);

    /// What is to be drawn: the run at its time, or the authored cell with the arm as jogged.
    CellState shownState() const;
    JointVector shownPosture() const;  ///< of the arm in hand
    AxisValues shownAxes() const;
    /// Places as they are drawn, in the world.
    Pose shownPlace(FrameId frame) const { return worldFromFrame(shownCell(), frame, shownAxes()); }
    Pose shownBase() const { return shownPlace(shownStation().mount); }
    Pose shownTcp() const { return shownBase() * baseFromTcp(shownCell(), shownStation(), shownPosture()); }
    /// The step at the run's time, none outside a run.
    StepId shownStep() const;
    /// Whether the run is in a step, in what it holds, or in what it calls.
    bool runsIn(StepId step) const;

    // A step may be done several times in a run: passes.
    int passesOf(StepId step) const;
    /// Which pass of the selected step is looked at, from 0.
    int pass() const { return m_pass; }
    void setPass(int pass);
    /// What became of a step: in a run when it was done last, else in the pass that is looked at (of the selected step)
    /// or in the first one. Nullptr when it is not done.
    const StepOutcome* passOutcome(StepId step) const;

    /// Steps before which a run halts. No part of the cell.
    bool haltsAt(StepId step) const { return m_halts.contains(step); }
    void toggleHalt(StepId step);
    /// The steps of all arms at that time.
    std::vector<StepId> runningSteps() const;

    /// A posture to be drawn as a ghost; empty for none.
    const std::optional<JointVector>& ghost() const { return m_ghost; }
    /// Ghosts stand with device axes at `axes`; those not named are where they are shown.
    void setGhost(std::optional<JointVector> ghost, AxisValues axes = {});
    const AxisValues& ghostAxes() const { return m_ghostAxes; }
    /// Every way to reach the selected target, to be drawn fainter than the ghost.
    const std::vector<JointVector>& ways() const { return m_ways; }
    void setWays(std::vector<JointVector> ways, AxisValues axes = {});
    const AxisValues& waysAxes() const { return m_waysAxes; }

    const std::shared_ptr<const SpotOverlay>& overlay() const { return m_overlay; }
    void setOverlay(std::shared_ptr<const SpotOverlay> overlay);

    void say(const QString& text, bool alert = false) override { Q_EMIT said(text, alert); }

Q_SIGNALS:
    void cellChanged();  ///< or which arm of it is in hand, or which routine is looked at
    void saveStateChanged();
    void selectionChanged();
    void nameWanted();      ///< of what is selected
    void postureChanged();  ///< arm, gripper or parts are shown elsewhere
    void checkedChanged();
    void runChanged();  ///< playing, paused, left, time
    void passChanged();
    void keptChanged();
    void traceChanged();  ///< another run is there than that of the check, or no more
    void jogChanged();
    void ghostChanged();
    void overlayPointed(int point);  ///< in the view; -1: none
    void overlayTaken(int point);
    void previewChanged();
    void said(const QString& text, bool alert);
    void delivered(std::shared_ptr<const topikos::CheckedCell> checked);

private:
    /// `another`: a cell was opened, no edit.
    void changed(bool another = false);
    /// Puts away the posture of the arm in hand, and takes up that of another one.
    void switchArm(ArmId arm);
    struct SendChoice;
    struct SentTurn {
        double turn = 0, margin = 0;
        JointVector posture;
    };
    std::vector<SentTurn> m_sentTurns;  ///< of the last send, the best one first
    size_t m_sentTurn = 0;              ///< that it stands at
    std::optional<SendChoice> chooseSend(const PickedPlace& place, SendAxis axis, const std::vector<double>& offs,
                                         int turns);
    std::optional<SendChoice> chooseGrip(const Part& part, const std::vector<double>& offs);
    bool addGripEach(const Pattern& parts, double over);
    bool addStroke(const SendChoice& choice, FrameId frame, const QString& label, bool grips, double over);
    /// A TCP (in base) moved along, or turned about, one of some axes; turns go about the pivot.
    Pose shiftedTcp(const Pose& baseFromTcp, const Quat& axes, int axis, double by) const;
    /// The same on the way there: up to a contact.
    bool drive(const JointVector& posture, const AxisValues& axes);
    /// Where an arm stood.
    struct Stood {
        ArmId arm;
        JointVector posture;
        AxisValues axes;
    };
    /// The arm takes the place on top of `from`, and leaves the one it had on `to`.
    bool standAgain(std::vector<Stood>& from, std::vector<Stood>& to, const QString& nothing);
    void tick();
    void report(const Error& error);
    void dropLostSelection();
    /// A run that is not that of the check goes to its plan beside the interface.
    void prepareRun(const std::function<void()>& then, std::vector<RunStart> starts = {});
    /// Lets a run go on beside the interface; `done` is not called when it is given up meanwhile.
    void workOut(std::shared_ptr<Runner> runner, double until, double keep,
                 const std::function<void(std::shared_ptr<const Trace>)>& done);
    void extendRun();
    void dropRun();
    void begin();
    const StepOutcome* haltBetween(const Trace& trace, double after, double& until) const;
    struct PassRef {
        size_t arm = 0, outcome = 0;
        int alone = -1;
    };
    const std::vector<PassRef>& passRefs(StepId step) const;
    const StepOutcome& outcomeOf(const PassRef& ref) const;

    History m_history;
    QString m_path;
    Selection m_selection;
    std::vector<Selection> m_also;  ///< selected beside it, of the same kind
    JointVector m_posture;
    ArmId m_arm;                              ///< in hand; m_posture is of it
    std::map<ArmId, RoutineId> m_looked;      ///< routines looked at that are not the main ones
    std::map<ArmId, JointVector> m_postures;  ///< of arms that were in hand before
    AxisValues m_axes;
    std::vector<Stood> m_stood, m_forth;  ///< the last one on top
    QElapsedTimer m_movedAt;
    bool m_stopsAtContact = true;
    HandStop m_touch;  ///< that the last move by hand ended with, if it did
    FrameId m_readingFrame;
    JogSpace m_jogSpace = JogSpace::World;
    Selection m_pivot;
    std::optional<PickedPlace> m_picked;
    Pose m_pickedIn;  ///< the world seen from its frame as it was clicked
    std::shared_ptr<const SpotOverlay> m_overlay;
    int m_jogStep = 3;
    int m_jogJoint = 0;
    std::optional<JointVector> m_ghost;
    CellPtr m_preview;
    std::vector<JointVector> m_ways;
    AxisValues m_ghostAxes, m_waysAxes;
    std::shared_ptr<const CheckedCell> m_checked;
    mutable std::shared_ptr<const CheckedCell> m_worstOf;  ///< keeps what m_worst points into
    mutable std::map<TargetId, const Finding*> m_worst;
    mutable std::set<TargetId> m_judged;  ///< that the newest check has looked at
    std::optional<KeptRun> m_kept;
    RunPlan m_plan;
    int m_pass = 0;
    std::set<StepId> m_halts;
    std::shared_ptr<const Trace> m_played;
    CellPtr m_playedCell;
    std::shared_ptr<Runner> m_runner;
    std::shared_ptr<Runner> m_making;  ///< that is being worked out; none, or another one, when that was given up
    std::stop_source m_stop;           ///< of that
    mutable std::shared_ptr<const CheckedCell> m_passesFor;
    mutable std::map<StepId, std::vector<PassRef>> m_passes;
    bool m_inRun = false;
    double m_time = 0, m_playSpeed = 1;
    double m_playUntil = 0;
    QTimer m_timer;
    QElapsedTimer m_clock;
    std::unique_ptr<LiveChecker> m_checker;
    std::unique_ptr<Background> m_work;  ///< on runs; it remembers moves in what the checker has
};

}  // namespace topikos
