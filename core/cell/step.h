#pragma once
#include "core/cell/ids.h"
#include "core/cell/table.h"
#include "core/robot/time_rows.h"

#include <array>
#include <cstddef>
#include <string>
#include <string_view>
#include <utility>
#include <variant>
#include <vector>

/// What routines are made of: steps as a tree of values.
///
/// A new kind of step is one struct here, its place in Action and StepKind and its row in kStepTraits; a function in
/// each of checkAction() (core/cell/step_check.cpp) and fields() (core/files/step_fields.h); how it is read and printed
/// and what a new one is (core/program/words_of_….h); begin() (core/simulate/run_steps.cpp) and its page
/// (app/properties/step_page.cpp). Each of these visits the variant, so the compiler names what is missing. Beside that
/// a glyph, the schema of files and the page of the grammar.
namespace topikos {

/// A place that a step names: a target of the cell; what a call fills in for a name of the routine; or the place that
/// the innermost "for each" over a pattern has come to.
using Place = std::variant<TargetId, ParameterId, PatternId>;

// Goals of moves.

/// Points on the way to a place and away from it that the place itself knows: see Approach. Over: a distance of the
/// move's own.
enum class Stage { Over, Approach, NearApproach, Retract, NearRetract };
/// How far from a place a move ends.
struct Standoff {
    double over = 0;  ///< Over: back along the tool's z; 0: at the place [m]
    Stage stage = Stage::Over;
    Standoff(double distance = 0, Stage which = Stage::Over) : over(distance), stage(which) {}
};

/// A place, or a point on the way to it or away from it.
struct AtPlace {
    Place place{};
    double over = 0;  ///< stay this far back from the place along the tool's z [m]
    Stage stage = Stage::Over;
    Standoff standoff() const { return {over, stage}; }
    bool isOff() const { return over > 0 || stage != Stage::Over; }  ///< not at the place itself
    bool operator==(const AtPlace&) const = default;
};
/// From where the arm stands, along or about an axis through the TCP.
struct Shift {
    enum class Space { InForce, Tool, World, Frame };  ///< InForce: the frame that the routine reads from
    Space space = Space::InForce;
    FrameId frame{};     ///< Frame
    int axis = 2;        ///< 0 to 2: x, y, z
    bool turns = false;  ///< about the axis instead of along it
    double by = 0.1;     ///< [m or rad]
    bool operator==(const Shift&) const = default;
};
/// One joint by an amount from where it stands.
struct JointShift {
    int joint = 0;  ///< from 0
    double by = 0;  ///< [rad or m]
    bool operator==(const JointShift&) const = default;
};
using Goal = std::variant<AtPlace, Shift, JointShift>;

/// What moves have in common.
struct Pace {
    double acceleration = 1;  ///< fraction of what the arm, or the cell for lines, allows, (0, 1]
    double turnSpeed = 0;     ///< no turning joint, on lines no turn of the tool, goes faster; 0: no such bound [rad/s]
    double blend = 0;         ///< how far before the end the next move may set in; 0: stop exactly [m]
    bool operator==(const Pace&) const = default;
};

struct JointMove {
    Goal goal{};
    double speed = 1;  ///< fraction of the joints' speed limits, (0, 1]
    Pace pace{};
    bool operator==(const JointMove&) const = default;
};
struct LineMove {
    Goal goal{};          ///< a place or a Shift
    double speed = 0.25;  ///< of the TCP [m/s]
    Pace pace{};
    bool operator==(const LineMove&) const = default;
};
/// Part of a circle, or the whole of it and back to where it began.
struct ArcMove {
    AtPlace via{}, end{};  ///< whole: two places on the circle
    bool whole = false;
    double speed = 0.25;  ///< of the TCP [m/s]
    Pace pace{};
    bool operator==(const ArcMove&) const = default;
};

struct Grip {
    bool operator==(const Grip&) const = default;
};
struct Release {
    bool operator==(const Release&) const = default;
};
struct Wait {
    double seconds = 0.5;
    bool operator==(const Wait&) const = default;
};

enum class Comparison { Equal, AtLeast, AtMost };
/// Something that a signal is held against.
struct Condition {
    SignalId signal{};
    Comparison comparison = Comparison::Equal;
    double value = 1;

    bool holds(double of) const
    {
        return comparison == Comparison::Equal     ? of == value
               : comparison == Comparison::AtLeast ? of >= value
                                                   : of <= value;
    }
    bool operator==(const Condition&) const = default;
};
struct SetSignal {
    SignalId signal{};
    double value = 1;
    bool operator==(const SetSignal&) const = default;
};
/// Switches a digital signal on, and off again after a time in which the routine goes on.
struct PulseSignal {
    SignalId signal{};
    double seconds = 0.2;
    bool operator==(const PulseSignal&) const = default;
};
/// Waits until a condition holds. With a limit the steps of `otherwise` are done when the time is up.
struct WaitSignal {
    Condition until{};
    double limit = 0;  ///< [s]; 0: as long as it takes
    bool operator==(const WaitSignal&) const = default;
};
struct MoveAxes {
    FrameId device{};
    std::vector<double> values{};  ///< where its axes go, in the order of axesOf() [m or rad]
    double speed = 1;              ///< fraction of the axes' speeds, (0, 1]
    bool operator==(const MoveAxes&) const = default;
};

/// Goes by a time table.
struct PlayTable {
    TimeTableId table{};
    BetweenRows between = BetweenRows::Linear;
    std::uint32_t times = 1;  ///< how often, one after the other
    double speed = 1;         ///< of the table's times, (0, 1]: half the speed takes twice as long
    bool operator==(const PlayTable&) const = default;
};

struct Call {
    RoutineId routine{};
    std::vector<Place> places{};  ///< for the names of the routine, in their order
    bool operator==(const Call&) const = default;
};
/// Does its body again and again.
struct Repeat {
    enum class Kind { Times, While, Until, Endless };  ///< While is asked before each pass, Until after it
    Kind kind = Kind::Times;
    std::uint32_t times = 2;
    Condition condition{};
    bool operator==(const Repeat&) const = default;
};
/// Does its body once for each place of a pattern of targets, or of two side by side.
struct ForEach {
    PatternId pattern{}, with{};        ///< with: none, or the second one
    std::uint32_t first = 1, last = 0;  ///< in the order of the pattern, from 1; last 0: to the end
    bool backwards = false;
    bool operator==(const ForEach&) const = default;
};
/// Does its body when the condition holds, else the steps of `otherwise`.
struct If {
    Condition condition{};
    bool operator==(const If&) const = default;
};
/// Text of a line of its own.
struct Note {
    bool operator==(const Note&) const = default;
};
/// Switches a process of the tool on or off.
struct SwitchProcess {
    ProcessId process{};
    bool on = true;
    bool operator==(const SwitchProcess&) const = default;
};
/// The tool point that grips, and that shifts and lines to postures go by, from here on in the routine.
struct UsePoint {
    TcpId point{};
    bool operator==(const UsePoint&) const = default;
};
/// The frame whose axes shifts go along, from here on in the routine.
struct ReadFrom {
    FrameId frame{};
    bool operator==(const ReadFrom&) const = default;
};
/// Ends the program of the arm.
struct Halt {
    std::string message;
    bool operator==(const Halt&) const = default;
};

/// Goes along a group of targets that is drawn on a body, or from place to place of any other pattern of targets, by
/// lines. What it does is what followSteps() says.
struct Follow {
    PatternId pattern{};
    double speed = 0.1;  ///< of the TCP [m/s]
    double over = 0;  ///< it comes by joints to so far above the first place, and leaves to so far above the last; 0:
                      ///< by a line to the first, and it stays at the last [m]
    bool staged = false;  ///< it comes by the approach of the first place, and leaves by the retract of the last one;
                          ///< `over` is 0
    ProcessId process{};  ///< on from the first place to the last; none: none
    bool backwards = false;
    Pace pace{};
    bool operator==(const Follow&) const = default;
};

using Action =
    std::variant<JointMove, LineMove, ArcMove, Grip, Release, Wait, SetSignal, PulseSignal, WaitSignal, MoveAxes,
                 PlayTable, Call, Repeat, ForEach, If, Note, SwitchProcess, UsePoint, ReadFrom, Halt, Follow>;
/// The alternatives of Action, in its order.
enum class StepKind {
    Joint,
    Line,
    Arc,
    Grip,
    Release,
    Wait,
    SetSignal,
    PulseSignal,
    WaitSignal,
    MoveAxes,
    PlayTable,
    Call,
    Repeat,
    ForEach,
    If,
    Note,
    SwitchProcess,
    UsePoint,
    ReadFrom,
    Halt,
    Follow
};
inline constexpr int kStepKinds = int(std::variant_size_v<Action>);
static_assert(int(StepKind::Follow) + 1 == kStepKinds);

/// A step of a kind as it is before anything is said of it.
template <size_t I = 0> Action actionOf(StepKind kind)
{
    if constexpr (I + 1 < size_t(kStepKinds))
        if (size_t(kind) != I) return actionOf<I + 1>(kind);
    return std::variant_alternative_t<I, Action>{};
}

/// What the time of a step counts as.
enum class TimeUse { Pausing, Moving, Gripping, Axes, Waiting };
/// What is to be told of a kind of step beside what its values mean.
struct StepTraits {
    StepKind kind;
    const char* file;                         ///< its word in cell files, and the name of its glyph
    const char* name;                         ///< "joint move", "wait for signal"
    std::array<std::string_view, 2> heads{};  ///< words that a line of it begins with
    std::array<const char*, 4> typed{};       ///< what typing is completed to, null behind the last one
    TimeUse time = TimeUse::Pausing;
    bool touches = false;    ///< it takes time in which something can be touched
    bool body = false;       ///< it holds steps
    bool otherwise = false;  ///< and others
};
inline constexpr std::array<StepTraits, kStepKinds> kStepTraits{{
    {StepKind::Joint,
     "joint",
     "joint move",
     {"joint"},
     {"joint to ", "joint over ", "joint by "},
     TimeUse::Moving,
     true},
    {StepKind::Line, "line", "line", {"line"}, {"line to ", "line over ", "line by "}, TimeUse::Moving, true},
    {StepKind::Arc, "arc", "arc or circle", {"arc", "circle"}, {"arc via ", "circle via "}, TimeUse::Moving, true},
    {StepKind::Grip, "grip", "grip", {"grip"}, {"grip"}, TimeUse::Gripping, true},
    {StepKind::Release, "release", "release", {"release"}, {"release"}, TimeUse::Gripping, true},
    {StepKind::Wait, "wait", "wait", {"wait"}, {"wait "}, TimeUse::Pausing, true},
    {StepKind::SetSignal, "set", "set signal", {"set"}, {"set "}},
    {StepKind::PulseSignal, "pulse", "pulse signal", {"pulse"}, {"pulse "}},
    {StepKind::WaitSignal,
     "wait-for",
     "wait for signal",
     {"wait for"},
     {"wait for "},
     TimeUse::Waiting,
     false,
     false,
     true},
    {StepKind::MoveAxes, "move-axes", "move device", {"move"}, {"move "}, TimeUse::Axes, true},
    {StepKind::PlayTable, "play", "play time table", {"play"}, {"play "}, TimeUse::Moving, true},
    {StepKind::Call, "call", "call a routine", {"call"}, {"call "}},
    {StepKind::Repeat,
     "repeat",
     "repeat",
     {"repeat"},
     {"repeat ", "repeat without end", "repeat until ", "repeat while "},
     TimeUse::Pausing,
     false,
     true},
    {StepKind::ForEach,
     "for-each",
     "for each place",
     {"for each", "for"},
     {"for each place of "},
     TimeUse::Pausing,
     false,
     true},
    {StepKind::If, "if", "if", {"if"}, {"if ", "else"}, TimeUse::Pausing, false, true, true},
    {StepKind::Note, "note", "note"},
    {StepKind::SwitchProcess, "process", "process on or off", {"process"}, {"process "}},
    {StepKind::UsePoint, "use-point", "use tool point", {"use point", "use"}, {"use point "}},
    {StepKind::ReadFrom, "read-from", "read from frame", {"read from", "read"}, {"read from "}},
    {StepKind::Halt, "stop", "stop with a message", {"stop"}, {"stop "}},
    {StepKind::Follow, "follow", "follow a group", {"follow"}, {"follow "}, TimeUse::Moving, true},
}};
constexpr const StepTraits& traitsOf(StepKind kind) { return kStepTraits[size_t(kind)]; }
static_assert([] {
    for (int i = 0; i < kStepKinds; ++i)
        if (int(kStepTraits[size_t(i)].kind) != i) return false;
    return true;
}());

struct Step;
template <> struct TableId<Step> {
    using Type = StepId;
};
using Steps = Table<Step>;

/// What a step may touch: the shapes of a frame, or parts of a kind.
using Touchable = std::variant<FrameId, PartKindId>;

struct Step {
    StepId id{};
    bool off = false;  ///< left out of the run, with all it holds
    std::string note{};
    std::vector<Touchable> mayTouch{};  ///< what the arm, and what it carries, is meant to touch in this step
    Action action{};
    Steps body{};       ///< repeat, for each, if
    Steps otherwise{};  ///< if; wait for a signal with a limit: what is done when the time is up

    StepKind kind() const { return StepKind(action.index()); }
    template <class A> const A* as() const { return std::get_if<A>(&action); }
    template <class A> A* as() { return std::get_if<A>(&action); }
    bool isMove() const { return kind() <= StepKind::Arc; }
    bool operator==(const Step& other) const;
};
inline bool Step::operator==(const Step& other) const
{
    return id == other.id && off == other.off && note == other.note && mayTouch == other.mayTouch
           && action == other.action && body == other.body && otherwise == other.otherwise;
}

constexpr bool hasBody(StepKind kind) { return traitsOf(kind).body; }
constexpr bool hasMayTouch(StepKind kind) { return traitsOf(kind).touches; }
constexpr bool hasOtherwise(StepKind kind) { return traitsOf(kind).otherwise; }
inline bool isBlock(const Step& step) { return hasBody(step.kind()) || !step.otherwise.empty(); }

// Steps as they are often made.
inline Step jointTo(Place place, double over = 0, double speed = 1, double blend = 0)
{
    return Step{.action = JointMove{AtPlace{place, over}, speed, {.blend = blend}}};
}
inline Step lineTo(Place place, double over = 0, double speed = 0.25, double blend = 0)
{
    return Step{.action = LineMove{AtPlace{place, over}, speed, {.blend = blend}}};
}

/// Where a move ends; nullptr for shifts, and for steps that do not move.
inline const AtPlace* endOf(const Step& step)
{
    if (const JointMove* joint = step.as<JointMove>()) return std::get_if<AtPlace>(&joint->goal);
    if (const LineMove* line = step.as<LineMove>()) return std::get_if<AtPlace>(&line->goal);
    const ArcMove* arc = step.as<ArcMove>();
    return arc && !arc->whole ? &arc->end : nullptr;
}
inline AtPlace* endOf(Step& step) { return const_cast<AtPlace*>(endOf(std::as_const(step))); }
/// The target that a move ends at by its own name; none when a call or a loop says which.
inline TargetId targetOf(const Step& step)
{
    const AtPlace* end = endOf(step);
    const TargetId* target = end ? std::get_if<TargetId>(&end->place) : nullptr;
    return target ? *target : TargetId{};
}
/// What moves, and steps that follow a group, have in common; nullptr for other steps.
inline const Pace* paceOf(const Step& step)
{
    if (const JointMove* joint = step.as<JointMove>()) return &joint->pace;
    if (const LineMove* line = step.as<LineMove>()) return &line->pace;
    if (const ArcMove* arc = step.as<ArcMove>()) return &arc->pace;
    if (const Follow* follow = step.as<Follow>()) return &follow->pace;
    return nullptr;
}
inline Pace* paceOf(Step& step) { return const_cast<Pace*>(paceOf(std::as_const(step))); }

/// All places that a step names, to be read or changed.
template <class StepType, class Visit> void eachPlace(StepType& step, Visit visit)
{
    const auto ofGoal = [&](auto& goal) {
        if (auto* at = std::get_if<AtPlace>(&goal)) visit(at->place);
    };
    if (auto* joint = std::get_if<JointMove>(&step.action)) ofGoal(joint->goal);
    else if (auto* line = std::get_if<LineMove>(&step.action)) ofGoal(line->goal);
    else if (auto* arc = std::get_if<ArcMove>(&step.action)) visit(arc->via.place), visit(arc->end.place);
    else if (auto* call = std::get_if<Call>(&step.action))
        for (auto& place : call->places)
            visit(place);
}
/// The signal that a step waits for, asks or writes; none for others.
inline SignalId signalOf(const Step& step)
{
    if (const SetSignal* set = step.as<SetSignal>()) return set->signal;
    if (const PulseSignal* pulse = step.as<PulseSignal>()) return pulse->signal;
    if (const WaitSignal* wait = step.as<WaitSignal>()) return wait->until.signal;
    if (const If* decision = step.as<If>()) return decision->condition.signal;
    const Repeat* repeat = step.as<Repeat>();
    const bool asks = repeat && (repeat->kind == Repeat::Kind::While || repeat->kind == Repeat::Kind::Until);
    return asks ? repeat->condition.signal : SignalId{};
}
inline bool writesSignal(const Step& step)
{
    return step.kind() == StepKind::SetSignal || step.kind() == StepKind::PulseSignal;
}

}  // namespace topikos
