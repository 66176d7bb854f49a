#pragma once
#include "core/cell/step.h"
#include "core/files/json_fields.h"

namespace topikos {

// Steps in a file: one after the other as they are read, each with how many blocks it is in. A list that is flat keeps
// one step to a line, and no file nests so deep that a reader has to fear for its stack.

/// A step without what it holds.
struct StoredStep {
    Step step;
    std::uint32_t depth = 0;
    bool otherwise = false;  ///< it stands in the other list of its block
};

std::vector<StoredStep> flattened(const Steps& steps);
/// The tree again, or why the depths make none.
Status grown(const std::vector<StoredStep>& stored, Steps& steps);

/// A place, by the field that names it: a target's as ever, or one of two others.
template <class Io>
void placeFields(Io& io, Place& place, const char* target, const char* parameter, const char* pattern)
{
    if constexpr (Io::kReads) {
        if (io.has(parameter)) io.field(parameter, place.emplace<ParameterId>());
        else if (io.has(pattern)) io.field(pattern, place.emplace<PatternId>());
        else io.field(target, place.emplace<TargetId>());
    } else {
        if (auto* id = std::get_if<TargetId>(&place)) io.field(target, *id);
        else if (auto* own = std::get_if<ParameterId>(&place)) io.field(parameter, *own);
        else io.field(pattern, std::get<PatternId>(place));
    }
}

/// What a step may touch, by the field that names it.
template <class Io> void fields(Io& io, Touchable& t)
{
    if constexpr (Io::kReads) {
        if (io.has("kind")) io.field("kind", t.emplace<PartKindId>());
        else io.field("frame", t.emplace<FrameId>());
    } else {
        if (auto* kind = std::get_if<PartKindId>(&t)) io.field("kind", *kind);
        else io.field("frame", std::get<FrameId>(t));
    }
}

template <class Io> void fields(Io& io, Place& place) { placeFields(io, place, "target", "place", "place-of"); }

template <class Io> void fields(Io& io, Shift& s)
{
    using Space = Shift::Space;
    io.optionalWord(
        "space", s.space,
        {{"in-force", Space::InForce}, {"tool", Space::Tool}, {"world", Space::World}, {"frame", Space::Frame}},
        Space::InForce);
    io.optional("frame", s.frame, FrameId());
    io.word("axis", s.axis, {{"x", 0}, {"y", 1}, {"z", 2}});
    io.optional("turns", s.turns, false);
    io.field("by", s.by);
}
template <class Io> void fields(Io& io, JointShift& s)
{
    std::uint32_t number = std::uint32_t(s.joint + 1);
    io.field("joint", number);
    if constexpr (Io::kReads) s.joint = number > 1000 ? 1000 : int(number) - 1;
    io.field("by", s.by);
}
template <class Io> void stageField(Io& io, const char* name, Stage& stage)
{
    io.optionalWord(name, stage,
                    {{"over", Stage::Over},
                     {"approach", Stage::Approach},
                     {"near-approach", Stage::NearApproach},
                     {"retract", Stage::Retract},
                     {"near-retract", Stage::NearRetract}},
                    Stage::Over);
}
template <class Io> void fields(Io& io, Goal& goal)
{
    const char *shift = "shift", *joint = "joint-shift";
    if constexpr (Io::kReads) {
        if (io.has(shift)) return io.object(shift, goal.emplace<Shift>());
        if (io.has(joint)) return io.object(joint, goal.emplace<JointShift>());
        goal.emplace<AtPlace>();
    } else {
        if (auto* s = std::get_if<Shift>(&goal)) return io.object(shift, *s);
        if (auto* j = std::get_if<JointShift>(&goal)) return io.object(joint, *j);
    }
    AtPlace& at = std::get<AtPlace>(goal);
    fields(io, at.place);
    io.field("standoff", at.over);
    stageField(io, "stage", at.stage);
}
template <class Io> void paceFields(Io& io, double& speed, Pace& pace)
{
    io.field("speed", speed);
    io.field("blend", pace.blend);
    io.optional("acceleration", pace.acceleration, 1.0);
    io.optional("turn-speed", pace.turnSpeed, 0.0);
}
template <class Io> void conditionFields(Io& io, Condition& c)
{
    io.field("signal", c.signal);
    io.field("value", c.value);
    io.optionalWord("comparison", c.comparison,
                    {{"equal", Comparison::Equal}, {"at-least", Comparison::AtLeast}, {"at-most", Comparison::AtMost}},
                    Comparison::Equal);
}

/// The fields of each kind of step.
template <class Io> struct ActionFields {
    Io& io;

    void operator()(JointMove& m) const { fields(io, m.goal), paceFields(io, m.speed, m.pace); }
    void operator()(LineMove& m) const { fields(io, m.goal), paceFields(io, m.speed, m.pace); }
    void operator()(ArcMove& m) const
    {
        placeFields(io, m.via.place, "via", "via-place", "via-place-of");
        io.optional("via-standoff", m.via.over, 0.0);
        stageField(io, "via-stage", m.via.stage);
        fields(io, m.end.place);
        io.field("standoff", m.end.over);
        stageField(io, "stage", m.end.stage);
        io.optional("whole", m.whole, false);
        paceFields(io, m.speed, m.pace);
    }
    void operator()(Grip&) const {}
    void operator()(Release&) const {}
    void operator()(Wait& w) const { io.field("seconds", w.seconds); }
    void operator()(SetSignal& s) const
    {
        io.field("signal", s.signal);
        io.field("value", s.value);
    }
    void operator()(PulseSignal& p) const
    {
        io.field("signal", p.signal);
        io.field("seconds", p.seconds);
    }
    void operator()(WaitSignal& w) const
    {
        conditionFields(io, w.until);
        io.optional("limit", w.limit, 0.0);
    }
    void operator()(MoveAxes& m) const
    {
        io.field("device", m.device);
        io.field("axes", m.values);
        io.field("speed", m.speed);
    }
    void operator()(PlayTable& p) const
    {
        io.field("table", p.table);
        io.word("between", p.between,
                {{"linear", BetweenRows::Linear}, {"smooth", BetweenRows::Smooth}, {"hold", BetweenRows::Hold}});
        io.field("times", p.times);
        io.field("speed", p.speed);
    }
    void operator()(Call& c) const
    {
        io.field("routine", c.routine);
        io.optionalList("places", c.places);
    }
    void operator()(Repeat& r) const
    {
        using Kind = Repeat::Kind;
        io.word("how", r.kind,
                {{"times", Kind::Times}, {"while", Kind::While}, {"until", Kind::Until}, {"endless", Kind::Endless}});
        if (r.kind == Kind::Times) io.field("times", r.times);
        if (r.kind == Kind::While || r.kind == Kind::Until) conditionFields(io, r.condition);
    }
    void operator()(ForEach& f) const
    {
        io.field("pattern", f.pattern);
        io.optional("with", f.with, PatternId());
        io.optional("first", f.first, std::uint32_t(1));
        io.optional("last", f.last, std::uint32_t(0));
        io.optional("backwards", f.backwards, false);
    }
    void operator()(If& i) const { conditionFields(io, i.condition); }
    void operator()(Note&) const {}
    void operator()(SwitchProcess& p) const
    {
        io.field("process", p.process);
        io.field("on", p.on);
    }
    void operator()(Follow& f) const
    {
        io.field("pattern", f.pattern);
        io.optional("backwards", f.backwards, false);
        io.optional("standoff", f.over, 0.0);
        io.optional("staged", f.staged, false);
        io.optional("process", f.process, ProcessId());
        paceFields(io, f.speed, f.pace);
    }
    void operator()(UsePoint& u) const { io.field("point", u.point); }
    void operator()(ReadFrom& r) const { io.field("frame", r.frame); }
    void operator()(Halt& h) const { io.field("message", h.message); }
};

template <class Io> void fields(Io& io, StoredStep& s)
{
    static const std::vector<Word<StepKind>> words = [] {
        std::vector<Word<StepKind>> out;
        for (const StepTraits& own : kStepTraits)
            out.push_back({own.file, own.kind});
        return out;
    }();
    io.field("id", s.step.id);
    io.optional("depth", s.depth, std::uint32_t(0));
    io.optional("else", s.otherwise, false);
    StepKind kind = s.step.kind();
    io.word("kind", kind, std::span<const Word<StepKind>>(words));
    if constexpr (Io::kReads) s.step.action = actionOf(kind);
    std::visit(ActionFields<Io>{io}, s.step.action);
    io.optionalList("may-touch", s.step.mayTouch);
    io.optional("note", s.step.note, std::string());
    io.field("off", s.step.off);
}

}  // namespace topikos
