#pragma once
#include "core/cell/cell.h"
#include "core/files/json_fields.h"
#include "core/files/step_fields.h"

namespace topikos {

// One description of each object serves reading and writing. A field that is not named here is not in the file.

template <class Io> void fields(Io& io, Solid& s)
{
    using Kind = Solid::Kind;
    io.word("kind", s.kind,
            {{"box", Kind::Box},
             {"cylinder", Kind::Cylinder},
             {"cone", Kind::Cone},
             {"sphere", Kind::Sphere},
             {"extrusion", Kind::Extrusion},
             {"profile", Kind::Profile},
             {"mesh", Kind::Mesh}});
    if (s.kind != Kind::Mesh) io.field("size", s.size);
    io.field("color", s.color);
    io.field("pose", s.pose);
    if (s.kind == Kind::Extrusion) {
        std::vector<double> flat;
        for (const Eigen::Vector2d& corner : s.outline)
            flat.insert(flat.end(), {corner[0], corner[1]});
        io.field("outline", flat);
        if constexpr (Io::kReads) {
            if (flat.size() % 2) io.fail("outline", "must hold two numbers per corner");
            for (size_t i = 0; i + 1 < flat.size(); i += 2)
                s.outline.push_back({flat[i], flat[i + 1]});
        }
    }
    if (s.kind == Kind::Mesh) {
        std::uint32_t number = 0;
        if constexpr (!Io::kReads) number = io.shelf->numberOf(s.surface);
        io.field("surface", number);
        if constexpr (Io::kReads) {
            if (!io.shelf || number < 1 || number > io.shelf->surfaces.size())
                return io.fail("surface", "is not one of the surfaces of the file");
            s.surface = io.shelf->surfaces[number - 1];
        }
    }
}

template <class Io> void fields(Io& io, Look& l)
{
    io.optional("hidden", l.hidden, false);
    io.optional("locked", l.locked, false);
}

template <class Io> void fields(Io& io, FrameAxis& a)
{
    io.word("kind", a.kind, {{"slides", JointKind::Prismatic}, {"turns", JointKind::Revolute}});
    io.field("direction", a.direction);
    io.field("lowest", a.lowest);
    io.field("highest", a.highest);
    io.field("speed", a.speed);
    io.field("acceleration", a.acceleration);
    io.field("value", a.value);
}

template <class Io> void fields(Io& io, AxisValue& a)
{
    io.field("axis", a.frame);
    io.field("value", a.value);
}

template <class Io> void fields(Io& io, Device& d)
{
    using Kind = Device::Kind;
    io.word("kind", d.kind,
            {{"rail", Kind::Rail},
             {"turntable", Kind::Turntable},
             {"positioner", Kind::Positioner},
             {"belt", Kind::Belt},
             {"source", Kind::Source},
             {"sink", Kind::Sink},
             {"sensor", Kind::Sensor},
             {"scanner", Kind::Scanner},
             {"clamp", Kind::Clamp},
             {"light-barrier", Kind::LightBarrier}});
    const bool axes = d.kind == Kind::Rail || d.kind == Kind::Turntable || d.kind == Kind::Positioner;
    if (!axes) io.field("size", d.size);
    if (d.kind == Kind::Belt) {
        io.field("speed", d.speed);
        io.field("acceleration", d.acceleration);
        io.field("indexing", d.indexing);
        io.field("pitch", d.pitch);
        io.field("accumulates", d.accumulates);
    }
    if (d.kind == Kind::Source) {
        io.optional("makes", d.makes, PartKindId());
        io.field("interval", d.interval);
        io.field("most", d.most);
    }
    io.optional("input", d.input, SignalId());
    io.optional("output", d.output, SignalId());
    io.optional("number", d.number, SignalId());
}

template <class Io> void fields(Io& io, Signal& s)
{
    io.field("id", s.id);
    io.field("name", s.name);
    io.word(
        "kind", s.kind,
        {{"digital", Signal::Kind::Digital}, {"analogue", Signal::Kind::Analogue}, {"number", Signal::Kind::Number}});
    io.field("start", s.start);
}

template <class Io> void fields(Io& io, Frame& f)
{
    io.field("id", f.id);
    io.field("name", f.name);
    io.field("parent", f.parent);
    io.field("pose", f.pose);
    io.list("solids", f.solids);
    io.optional("measured", f.measured);
    fields(io, f.look);
    io.optionalObject("axis", f.axis);
    io.optionalObject("device", f.device);
}

template <class Io> void fields(Io& io, Gripper& g)
{
    io.field("open", g.open);
    io.field("closed", g.closed);
    io.field("time", g.time);
    io.field("grasp", g.grasp);
    io.optionalWord(
        "kind", g.kind,
        {{"parallel", Gripper::Kind::Parallel}, {"angular", Gripper::Kind::Angular}, {"vacuum", Gripper::Kind::Vacuum}},
        Gripper::Kind::Parallel);
    io.optional("pivot", g.pivot, Gripper().pivot);
    io.optional("region", g.region, Vec3(Vec3::Zero()));
}

template <class Io> void fields(Io& io, ToolPoint& p)
{
    io.field("id", p.id);
    io.field("name", p.name);
    io.field("tcp", p.flangeFromTcp);
}

template <class Io> void fields(Io& io, Process& p)
{
    io.field("id", p.id);
    io.field("name", p.name);
    io.field("signal", p.signal);
    io.field("lead", p.lead);
    io.optional("depth", p.depth, kProcessDepth);
}

template <class Io> void fields(Io& io, Tool& t)
{
    io.field("id", t.id);
    io.field("name", t.name);
    io.field("tcp", t.flangeFromTcp);
    io.field("mass", t.mass);
    io.field("centre-of-mass", t.centreOfMass);
    io.object("gripper", t.gripper);
    io.list("body", t.body);
    io.list("jaw", t.jaw);
    io.optional("number", t.number, std::uint32_t(0));
    io.optional("inertia", t.inertia, Vec3(Vec3::Zero()));
    io.optionalList("points", t.points);
    io.optionalList("processes", t.processes);
}

template <class Io> void fields(Io& io, Freedom& f)
{
    using Kind = Freedom::Kind;
    io.word("kind", f.kind,
            {{"fixed", Kind::Fixed},
             {"turn", Kind::Turn},
             {"cone", Kind::Cone},
             {"slide", Kind::Slide},
             {"within", Kind::Within}});
    if (f.kind == Kind::Cone || f.kind == Kind::Within) io.field("angle", f.angle);
    if (f.kind == Kind::Slide) {
        io.word("axis", f.axis, {{"x", 0}, {"y", 1}, {"z", 2}});
        io.field("length", f.length);
    }
}
template <class Io> void freedomField(Io& io, Freedom& freedom)
{
    std::optional<Freedom> stored;
    if (freedom.kind != Freedom::Kind::Fixed) stored = freedom;
    io.optionalObject("freedom", stored);
    if constexpr (Io::kReads) freedom = stored.value_or(Freedom());
}

template <class Io> void fields(Io& io, Approach& a)
{
    using Along = Approach::Along;
    io.word("along", a.along, {{"tool", Along::Tool}, {"frame", Along::Frame}, {"world", Along::World}});
    int axis = a.axis + (a.negative ? 3 : 0);
    io.word("axis", axis, {{"x", 0}, {"y", 1}, {"z", 2}, {"-x", 3}, {"-y", 4}, {"-z", 5}});
    a.axis = axis % 3;
    a.negative = axis > 2;
    io.field("far", a.far);
    io.optional("near", a.near, 0.0);
}
/// The ways to a target and away from it, where they are not as usual.
template <class Io> void approachFields(Io& io, Approach& approach, Approach& retract)
{
    const auto one = [&](const char* name, Approach& way) {
        std::optional<Approach> stored;
        if (!(way == Approach())) stored = way;
        io.optionalObject(name, stored);
        if constexpr (Io::kReads) way = stored.value_or(Approach());
    };
    one("approach", approach);
    one("retract", retract);
}

template <class Io> void fields(Io& io, GripPoint& g)
{
    io.field("name", g.name);
    io.field("pose", g.pose);
    freedomField(io, g.freedom);
}

template <class Io> void fields(Io& io, Tie& t)
{
    io.optional("part", t.part, PartId());
    io.optional("target", t.target, TargetId());
    io.field("pose", t.pose);
}

template <class Io> void fields(Io& io, SurfacePoint& p)
{
    io.field("number", p.number);
    io.field("at", p.at);
    io.field("normal", p.normal);
    io.optional("turn", p.turn, 0.0);
}

template <class Io> void fields(Io& io, Drawing& d)
{
    io.word("turns", d.turns,
            {{"along", Drawing::Turn::Along}, {"fixed", Drawing::Turn::Fixed}, {"free", Drawing::Turn::Free}});
    io.field("seam", d.seam);
    io.optional("closed", d.closed, false);
    io.field("lead", d.lead);
    io.field("tilt", d.tilt);
    io.field("turn", d.turn);
    io.field("offset", d.offset);
    io.field("smoothing", d.radius);
    io.optional("part", d.part, PartId());
    io.optional("family", d.family, std::uint32_t(0));
    io.list("points", d.points);
}

template <class Io> void fields(Io& io, PartKind& k)
{
    io.field("id", k.id);
    io.field("name", k.name);
    io.field("mass", k.mass);
    io.list("solids", k.solids);
    io.optionalList("grips", k.grips);
}

template <class Io> void fields(Io& io, Part& p)
{
    io.field("id", p.id);
    io.field("name", p.name);
    io.field("kind", p.kind);
    io.field("frame", p.frame);
    io.field("pose", p.pose);
    fields(io, p.look);
    io.optional("pattern", p.pattern, PatternId());
    io.optional("place", p.place, std::uint32_t(0));
}

template <class Io> void fields(Io& io, Configuration& c)
{
    io.word("shoulder", c.shoulderBack, {{"front", false}, {"back", true}});
    io.word("elbow", c.elbowDown, {{"up", false}, {"down", true}});
    io.word("wrist", c.wristTurned, {{"plain", false}, {"turned", true}});
}

template <class Io> void fields(Io& io, Target& t)
{
    io.field("id", t.id);
    io.field("name", t.name);
    io.field("arm", t.arm);
    io.word("kind", t.kind, {{"pose", Target::Kind::Pose}, {"posture", Target::Kind::Posture}});
    if (t.kind == Target::Kind::Posture) {
        io.field("posture", t.posture);
    } else {
        io.field("frame", t.frame);
        io.field("tool", t.tool);
        io.field("pose", t.pose);
        io.object("configuration", t.configuration);
        io.optional("taught", t.posture, JointVector());
        io.optional("point", t.tcp, TcpId());
        io.optional("pattern", t.pattern, PatternId());
        io.optional("place", t.place, std::uint32_t(0));
        freedomField(io, t.freedom);
        io.optionalObject("tie", t.tie);
        // Members of patterns have those of their pattern.
        if (!t.pattern) approachFields(io, t.approach, t.retract);
    }
    io.optionalList("axes", t.axes);
    io.optional("group", t.group, std::string());
    io.optional("note", t.note, std::string());
}

template <class Io> void fields(Io& io, Pattern& p)
{
    io.field("id", p.id);
    io.field("name", p.name);
    io.word("content", p.content, {{"parts", Pattern::Content::Parts}, {"targets", Pattern::Content::Targets}});
    io.field("frame", p.frame);
    io.field("first", p.first);
    io.word("layout", p.layout,
            {{"grid", Pattern::Layout::Grid}, {"ring", Pattern::Layout::Ring}, {"drawn", Pattern::Layout::Drawn}});
    io.word("order", p.order,
            {{"rows", Pattern::Order::Rows},
             {"serpentine", Pattern::Order::Serpentine},
             {"nearest", Pattern::Order::Nearest}});
    if (p.layout == Pattern::Layout::Drawn) {
        io.object("drawing", p.drawing);
    } else {
        io.field("columns", p.columns);
        io.field("rows", p.rows);
        io.field("layers", p.layers);
        io.field("pitch", p.pitch);
        io.field("stagger", p.stagger);
        io.field("sweep", p.sweep);
    }
    io.field("left-out", p.leftOut);
    if (p.content == Pattern::Content::Parts) {
        io.field("kind", p.kind);
    } else {
        io.field("arm", p.arm);
        io.field("tool", p.tool);
        io.object("configuration", p.configuration);
        io.optionalList("axes", p.axes);
        approachFields(io, p.approach, p.retract);
        io.optional("follows", p.follows, PatternId());
        std::optional<Pose> inPlace;
        if (!(p.inPlace == Pose())) inPlace = p.inPlace;
        io.optional("in-place", inPlace);
        if constexpr (Io::kReads) p.inPlace = inPlace.value_or(Pose());
    }
}

template <class Io> void fields(Io& io, TimeTable& t)
{
    io.field("id", t.id);
    io.field("name", t.name);
    io.field("arm", t.arm);
    std::vector<std::uint32_t> joints;
    TimeRows rows;
    if constexpr (!Io::kReads) {
        rows = *t.rows;
        for (const int joint : rows.joints)
            joints.push_back(std::uint32_t(joint + 1));
    }
    io.field("joints", joints);
    io.field("times", rows.times);
    io.field("values", rows.values);
    if constexpr (Io::kReads) {
        for (const std::uint32_t number : joints)
            rows.joints.push_back(number > 1000 ? 1000 : int(number) - 1);
        t.rows = std::make_shared<const TimeRows>(std::move(rows));
    }
}

template <class Io> void fields(Io& io, Parameter& p)
{
    io.field("id", p.id);
    io.field("name", p.name);
}

template <class Io> void fields(Io& io, Routine& r)
{
    io.field("id", r.id);
    io.field("name", r.name);
    io.optional("arm", r.arm, ArmId());
    io.optionalList("places", r.parameters);
    std::vector<StoredStep> steps;
    if constexpr (!Io::kReads) steps = flattened(r.steps);
    io.list("steps", steps);
    if constexpr (Io::kReads)
        if (const Status bad = grown(steps, r.steps)) io.fail("steps", bad->message);
}

template <class Io> void fields(Io& io, Accepted& a)
{
    io.field("rule", a.rule);
    io.field("about", a.about);
    io.field("reads", a.reads);
    io.field("reason", a.reason);
}

template <class Io> void fields(Io& io, Thresholds& t)
{
    io.field("joint-margin", t.jointMargin);
    io.field("wrist-caution", t.wristCaution);
    io.field("wrist-blocked", t.wristBlocked);
    io.field("elbow-caution", t.elbowCaution);
    io.field("elbow-blocked", t.elbowBlocked);
    io.field("shoulder-caution", t.shoulderCaution);
    io.field("shoulder-blocked", t.shoulderBlocked);
    io.optional("slide-margin", t.slideMargin, Thresholds().slideMargin);
    io.optional("clearance-caution", t.clearance, Thresholds().clearance);
    io.optional("direction-caution", t.directionCaution, Thresholds().directionCaution);
    io.optional("direction-blocked", t.directionBlocked, Thresholds().directionBlocked);
}

template <class Io> void fields(Io& io, LineLimits& l)
{
    io.field("acceleration", l.acceleration);
    io.field("turn-speed", l.turnSpeed);
    io.field("turn-acceleration", l.turnAcceleration);
}

template <class Io> void fields(Io& io, ContactMember& m)
{
    io.word("kind", m.kind,
            {{"link", ContactMember::Kind::Link},
             {"tool", ContactMember::Kind::Tool},
             {"frame", ContactMember::Kind::Frame}});
    io.optional("id", m.id, std::uint32_t(0));
    io.optional("arm", m.arm, ArmId());
}

template <class Io> void fields(Io& io, ContactPair& p)
{
    using Reason = ContactPair::Reason;
    io.object("a", p.a);
    io.object("b", p.b);
    io.field("checked", p.checked);
    io.word("reason", p.reason,
            {{"sometimes", Reason::Sometimes},
             {"adjacent", Reason::Adjacent},
             {"always", Reason::Always},
             {"never", Reason::Never},
             {"by-hand", Reason::ByHand}});
    io.field("touched", p.touched);
    io.optional("caution", p.caution);
}

}  // namespace topikos
