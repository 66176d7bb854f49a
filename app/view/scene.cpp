#include "app/view/scene.h"

#include "app/theme/theme.h"
#include "core/robot/forward.h"
#include "core/shape/arm_bodies.h"

#include <algorithm>

namespace topikos {

namespace {

constexpr std::uint32_t kJawKey = 0x80000000u;  // beside the tool's own id

Eigen::AlignedBox3f boxOf(const Mesh& mesh)
{
    Eigen::AlignedBox3f box;
    for (const MeshVertex& v : mesh.vertices)
        box.extend(v.position);
    return box;
}

void addPolyline(std::vector<DrawLine>& lines, const std::vector<Vec3>& points, const QColor& color, double width)
{
    for (size_t i = 0; i + 1 < points.size(); ++i)
        lines.push_back({points[i], points[i + 1], color, width});
}

void addDashes(std::vector<DrawLine>& lines, const Vec3& from, const Vec3& to, const QColor& color, double width)
{
    const double length = (to - from).norm();
    constexpr double dash = 0.014, gap = 0.010;
    for (double s = 0; s < length; s += dash + gap)
        lines.push_back({from + (to - from) * (s / length), from + (to - from) * (std::min(length, s + dash) / length),
                         color, width});
}

}  // namespace

void addTriad(std::vector<DrawLine>& lines, const Pose& world, double length, double width)
{
    const QColor colors[] = {theme().axisX, theme().axisY, theme().axisZ};
    for (int i = 0; i < 3; ++i)
        lines.push_back({world.translation, world * Vec3(length * Vec3::Unit(i)), colors[i], width});
}

void Scene::releaseGpu()
{
    for (auto& [key, shape] : m_shapes) {
        shape.gpu.reset();
        shape.lightGpu.reset();
    }
    for (auto& [arm, shapes] : m_armShapes)
        for (Shape& shape : shapes)
            shape.gpu.reset();
    m_gone.clear();
}

void Scene::putAway(Shape& shape) const
{
    for (auto* mesh : {&shape.gpu, &shape.lightGpu})
        if (*mesh) m_gone.push_back(std::move(*mesh));
}

void Scene::forgetLost() const
{
    const Cell& cell = m_session.shownCell();
    for (auto at = m_shapes.begin(); at != m_shapes.end();) {
        const std::uint32_t id = at->first & ~kJawKey;
        if (findFrame(cell, {id}) || findTool(cell, {id}) || findPartKind(cell, {id})) {
            ++at;
        } else {
            putAway(at->second);
            at = m_shapes.erase(at);
        }
    }
    // Models that no arm of the cell has any more.
    for (auto at = m_armShapes.begin(); at != m_armShapes.end();) {
        if (std::any_of(cell.arms.begin(), cell.arms.end(),
                        [&](const ArmStation& a) { return a.model == at->first; })) {
            ++at;
        } else {
            for (Shape& shape : at->second)
                putAway(shape);
            at = m_armShapes.erase(at);
        }
    }
}

Scene::Shape& Scene::shapeOf(std::uint32_t key, const std::vector<Solid>& solids) const
{
    Shape& shape = m_shapes[key];
    if (!shape.made || shape.solids != solids) {
        shape.made = true;
        shape.solids = solids;
        shape.mesh = {};
        shape.light.reset();
        for (const Solid& s : solids)
            shape.mesh.append(solidMesh(s));
        if (std::any_of(solids.begin(), solids.end(), [](const Solid& s) {
                return s.kind == Solid::Kind::Mesh && s.surface.light != s.surface.drawn;
            })) {
            shape.light.emplace();
            for (const Solid& s : solids)
                shape.light->append(solidMesh(s, true));
        }
        shape.box = boxOf(shape.mesh);
        shape.circles = circlesOf(shape.light ? *shape.light : shape.mesh);
        putAway(shape);
    }
    return shape;
}

std::vector<Scene::Shape>& Scene::armShapes(const ArmPtr& arm) const
{
    std::vector<Shape>& shapes = m_armShapes[arm];
    if (shapes.empty()) {
        for (Mesh& mesh : armBodies(*arm)) {
            const Eigen::AlignedBox3f box = boxOf(mesh);
            std::vector<Circle> circles = circlesOf(mesh);
            shapes.push_back({true, {}, std::move(mesh), std::nullopt, std::move(circles), box, nullptr, nullptr});
        }
    }
    return shapes;
}

std::vector<Scene::Placed> Scene::placedArm(const ArmStation& arm, const JointVector& posture, double opening,
                                            const AxisValues& axes) const
{
    const Cell& cell = m_session.shownCell();
    const Tool& tool = toolInForce(cell, arm);
    const Pose base = worldFromBase(cell, arm, axes);
    ChainFrames frames;
    chainFrames(*arm.model, posture, frames);
    const std::vector<Shape>& shapes = armShapes(arm.model);
    std::vector<Placed> out;
    out.push_back({&shapes[0], base, arm.mount, arm.id});
    for (size_t i = 0; i + 1 < shapes.size(); ++i) {
        const AxisFrame& f = frames.joints[i];
        out.push_back({&shapes[i + 1], base * makePose(f.rotation, f.origin), arm.mount, arm.id});
    }
    const Pose flange = base * makePose(frames.flange.rotation, frames.flange.origin);
    out.push_back({&shapeOf(tool.id.value, tool.body), flange, tool.id});
    const Pose tcp = flange * tool.flangeFromTcp;
    const Shape& jaw = shapeOf(tool.id.value | kJawKey, tool.jaw);
    for (const Pose& tcpFromJaw : jawPlaces(tool.gripper, opening))
        out.push_back({&jaw, tcp * tcpFromJaw, tool.id});
    return out;
}

std::vector<Scene::Placed> Scene::placed(const CellState& state) const
{
    const Cell& cell = m_session.shownCell();
    std::vector<Placed> out;
    for (const ArmState& arm : state.arms) {
        const ArmStation* station = findArm(cell, arm.arm);
        if (!station || arm.posture.size() != station->model->jointCount()) continue;  // an edit is being tried
        for (const Placed& p : placedArm(*station, arm.posture, arm.gripperOpening, state.axes))
            out.push_back(p);
    }
    for (const Frame& frame : cell.frames)
        if (!frame.solids.empty() && !frame.look.hidden)
            out.push_back(
                {&shapeOf(frame.id.value, frame.solids), worldFromFrame(cell, frame.id, state.axes), frame.id});
    for (size_t i = 0; i < state.parts.size(); ++i) {
        const PlacedPart& p = state.parts[i];
        // Nearly always in the order of the cell.
        const Part* part =
            i < cell.parts.size() && cell.parts[i].id == p.part ? &cell.parts[i] : findPart(cell, p.part);
        if (part ? part->look.hidden : !findPartKind(cell, p.kind)) continue;
        // What a source made is nothing that could be selected.
        out.push_back({&shapeOf(p.kind.value, findPartKind(cell, p.kind)->solids), p.worldFromPart,
                       part ? Selection(part->id) : Selection()});
    }
    return out;
}

int Scene::blamedJoint() const
{
    const CheckedCell* checked = m_session.checked();
    const StepId step = m_session.selected<StepId>();
    if (!checked || !step) return -1;
    for (const Finding* f : checked->result.ofStep(step))
        if (const auto* range = f->as<RangeFact>(); range && f->severity == Severity::Blocked) return range->joint;
    return -1;
}

DrawList Scene::build(QOpenGLFunctions_3_3_Core& gl, bool moving)
{
    // Here the context is there that meshes on the graphics side are made and taken away in.
    forgetLost();
    m_gone.clear();
    DrawList list;
    const auto gpu = [&gl, moving](const Shape& shape) {
        if (moving && shape.light) {
            if (!shape.lightGpu) shape.lightGpu = std::make_unique<GpuMesh>(gl, *shape.light);
            return shape.lightGpu.get();
        }
        if (!shape.gpu) shape.gpu = std::make_unique<GpuMesh>(gl, shape.mesh);
        return shape.gpu.get();
    };
    QColor light = theme().accent;
    light.setAlphaF(0.35f);
    const CellState state = m_session.shownState();
    QColor blame = theme().blocked;
    blame.setAlphaF(0.55f);
    const int joint = blamedJoint();
    const ArmStation& station = m_session.shownStation();
    const Shape* blamed = joint >= 0 ? &armShapes(station.model)[size_t(joint) + 1] : nullptr;
    for (const Placed& p : placed(state)) {
        const bool chosen = p.owner != Selection() && !p.link && m_session.isSelected(p.owner);
        list.items.push_back({gpu(*p.shape), p.world,
                              p.shape == blamed && p.link == station.id ? blame
                              : chosen                                  ? light
                                                                        : QColor()});
    }
    const auto addGhost = [&](const JointVector& posture, const AxisValues& axes, const QColor& color, double opacity) {
        QColor tint = color;
        tint.setAlphaF(0.75f);
        for (const Placed& p :
             placedArm(station, posture, state.of(station.id).gripperOpening, overlaid(state.axes, axes)))
            list.items.push_back({gpu(*p.shape), p.world, tint, opacity, false});
    };
    // Several arms more would slow every frame of a jog: they stand there when the picture stands still.
    const JointVector& now = state.of(station.id).posture;
    if (!m_session.inRun() && !moving)
        for (const JointVector& way : m_session.ways())
            if (way.size() != now.size() || (way - now).cwiseAbs().maxCoeff() > 1e-6)
                addGhost(way, m_session.waysAxes(), theme().joint, 0.14);
    if (m_session.ghost()) addGhost(*m_session.ghost(), m_session.ghostAxes(), theme().accent, 0.28);
    Eigen::AlignedBox3d box;
    for (const Vec3& corner : corners())
        box.extend(corner);
    list.shadowCentre = box.center();
    list.shadowHalf = 0.55 * std::max(box.sizes()[0], box.sizes()[1]) + 0.3;

    addRoute(list);
    addTargets(list);
    addDevices(list);
    addExplanation(list);
    addJogAxis(list);
    addSelected(list, state);
    return list;
}

void Scene::addSelected(DrawList& list, const CellState& state) const
{
    const Cell& cell = m_session.shownCell();
    if (const Frame* frame = findFrame(cell, m_session.selected<FrameId>())) {
        const Pose world = worldFromFrame(cell, frame->id, state.axes);
        addTriad(list.marks, world, 0.18, 2);
        if (frame->measured) {
            // From where it was drawn to where it was measured.
            const Pose parent = worldFromFrame(cell, frame->parent, state.axes), drawn = parent * frame->pose,
                       built = parent * *frame->measured;
            addTriad(list.marks, drawn, 0.1, 1.5);
            addTriad(list.marks, built, 0.1, 1.5);
            addDashes(list.marks, drawn.translation, built.translation, theme().caution, 2);
        }
    }
    if (const PartId id = m_session.selected<PartId>())
        for (const PlacedPart& p : state.parts)
            if (p.part == id) addTriad(list.marks, p.worldFromPart, 0.12, 2);
    if (const Pattern* pattern = findPattern(cell, m_session.selected<PatternId>())) {
        const Pose frame = worldFromFrame(cell, pattern->frame, state.axes);
        Vec3 before = Vec3::Zero();
        bool first = true;
        for (const Pose& place : membersOf(cell, *pattern)) {
            const Pose world = frame * place;
            addTriad(list.marks, world, 0.03, 1.5);
            if (!first) list.marks.push_back({before, world.translation, theme().accent, 1.5});
            before = world.translation;
            first = false;
        }
    }
    if (const Tool* tool = findTool(cell, m_session.selected<ToolId>()); tool && tool->id == m_session.station().tool) {
        const Pose flange = worldFromBase(cell, m_session.station(), state.axes)
                            * forward(*m_session.station().model, state.of(m_session.station().id).posture);
        addTriad(list.marks, flange, 0.08, 1.5);
        addTriad(list.marks, flange * tool->flangeFromTcp, 0.06, 2);
        for (const ToolPoint& point : tool->points)
            addTriad(list.marks, flange * point.flangeFromTcp, 0.06, 2);
        if (const Vec3 half = 0.5 * tool->gripper.region; !half.isZero()) {
            const Pose tcp = flange * tool->flangeFromTcp;
            for (int axis = 0; axis < 3; ++axis)
                for (const double u : {-1.0, 1.0})
                    for (const double v : {-1.0, 1.0}) {
                        Vec3 a;
                        a[axis] = -half[axis];
                        a[(axis + 1) % 3] = u * half[(axis + 1) % 3];
                        a[(axis + 2) % 3] = v * half[(axis + 2) % 3];
                        Vec3 b = a;
                        b[axis] = half[axis];
                        list.marks.push_back({tcp * a, tcp * b, theme().accent, 1.5});
                    }
        }
    }
}

const std::vector<Scene::Path>& Scene::paths() const
{
    const std::shared_ptr<const CheckedCell>& checked = m_session.checkedPointer();
    const RoutineId looked = m_session.routine().id;
    if (m_pathsFor == checked && m_pathsOf == looked) return m_paths;
    m_pathsFor = checked;
    m_pathsOf = looked;
    m_paths.clear();
    if (!checked) return m_paths;
    const Cell& cell = *checked->cell;
    for (const ArmTrace& running : checked->result.trace.arms) {
        // Of the arm in hand the routine that is looked at, which may be one that does not run.
        const ArmTrace* shown = running.arm == m_session.station().id ? m_session.armTrace() : nullptr;
        const ArmTrace& trace = shown ? *shown : running;
        for (const StepOutcome& outcome : trace.outcomes) {
            const ArmStation& arm = *findArm(cell, trace.arm);
            Path path{outcome.step, outcome.kind, {}, {}};
            const auto base = [&](double fraction) { return worldFromBase(cell, arm, outcome.axesAlong(fraction)); };
            if (!outcome.move) {
                // A rail alone takes the tool along.
                for (int i = 0; !outcome.travels.empty() && i <= 28; ++i)
                    path.points.push_back((base(i / 28.0) * baseFromTcp(cell, arm, outcome.arrival)).translation);
            } else if (outcome.move->kind == Move::Kind::Joint) {
                for (int i = 0; i <= 28; ++i)
                    path.points.push_back(
                        (base(i / 28.0) * baseFromTcp(cell, arm, outcome.move->at(*arm.model, i / 28.0))).translation);
            } else {
                const Move& move = *outcome.move;
                const double end = move.stop ? move.stop->fraction : 1;
                const int pieces = move.line.baseFromFrame ? 28 : 1;
                for (int i = 0; i <= pieces; ++i)
                    path.points.push_back(base(end * i / pieces) * move.line.tcpAt(end * i / pieces).translation);
                if (move.stop) path.missing = {path.points.back(), base(1) * move.line.tcpAt(1).translation};
            }
            if (path.points.size() > 1) m_paths.push_back(std::move(path));
        }
    }
    return m_paths;
}

void Scene::addRoute(DrawList& list) const
{
    const std::vector<StepId> running = m_session.runningSteps();
    for (const Path& path : paths()) {
        const bool chosen = m_session.isSelected(path.step);
        QColor color = stepColor(path.kind);
        color.setAlphaF(chosen ? 1.0f : 0.6f);
        // What runs has a mark of its own: a dark band behind its path.
        if (std::find(running.begin(), running.end(), path.step) != running.end()) {
            addPolyline(list.marks, path.points, theme().ink, 5.5);
            color.setAlphaF(1);
            addPolyline(list.marks, path.points, color.lighter(150), 2);
            continue;
        }
        addPolyline(chosen ? list.marks : list.lines, path.points, color, chosen ? 3.2 : 1.6);
        if (path.missing.size() == 2)
            addDashes(list.marks, path.missing[0], path.missing[1], theme().blocked, chosen ? 3.2 : 2.2);
    }
}

void Scene::addDevices(DrawList& list) const
{
    const Cell& cell = m_session.shownCell();
    const Trace* trace = m_session.inRun() ? m_session.trace() : nullptr;
    for (const Frame& frame : cell.frames) {
        if (!frame.device || frame.look.hidden) continue;
        const Device& d = *frame.device;
        const Pose world = m_session.shownPlace(frame.id);
        const bool chosen = m_session.selected<FrameId>() == frame.id;
        const auto line = [&](const Vec3& a, const Vec3& b, const QColor& color, double width) {
            list.marks.push_back({world * a, world * b, color, width});
        };
        const bool lit = trace && d.output && findSignal(*m_session.checked()->cell, d.output)
                         && signalAt(*m_session.checked()->cell, *trace, d.output, m_session.time()) != 0;
        const QColor color = lit ? theme().blocked : theme().caution;
        switch (d.kind) {
        case Device::Kind::Sensor: line({0, 0, 0}, {d.size[0], 0, 0}, color, lit || chosen ? 2.4 : 1.4); break;
        case Device::Kind::LightBarrier:
            for (int i = 0; i <= 6; ++i) {
                const double z = d.size[2] * i / 6;
                line({0, 0, z}, {d.size[0], 0, z}, color, lit || chosen ? 2 : 1.1);
            }
            break;
        case Device::Kind::Belt:
            if (!chosen) break;
            // The way it goes.
            for (double x = 0.15; x < d.size[0]; x += 0.25)
                for (const double side : {-1.0, 1.0})
                    list.lines.push_back(
                        {world * Vec3(x, 0, 0.004), world * Vec3(x - 0.06, side * 0.06, 0.004), theme().accent, 2.4});
            break;
        case Device::Kind::Rail:
        case Device::Kind::Turntable:
        case Device::Kind::Positioner: break;
        default:
            for (int axis = 0; chosen && axis < 3; ++axis)
                for (int k = 0; k < 4; ++k) {
                    Vec3 a = 0.5 * d.size;
                    a[(axis + 1) % 3] *= k & 1 ? 1 : -1;
                    a[(axis + 2) % 3] *= k & 2 ? 1 : -1;
                    Vec3 b = a;
                    b[axis] = -a[axis];
                    line(a, b, theme().accent, 1.5);
                }
        }
    }
}

void Scene::addTargets(DrawList& list) const
{
    const Cell& cell = m_session.shownCell();
    const AxisValues axes = m_session.shownAxes();
    for (const Target& target : cell.targets) {
        if (target.kind != Target::Kind::Pose) continue;
        const bool chosen = m_session.isSelected(target.id);
        addTriad(chosen ? list.marks : list.lines, worldFromFrame(cell, target.frame, axes) * target.pose,
                 chosen ? 0.09 : 0.045, chosen ? 2.6 : 1.8);
    }
}

std::optional<Scene::Callout> Scene::callout() const
{
    const CheckedCell* checked = m_session.checked();
    const StepId step = m_session.selected<StepId>();
    if (!checked || !step) return std::nullopt;
    const Cell& cell = *checked->cell;
    const Finding* worst = nullptr;
    const std::vector<const Finding*> own = checked->result.ofStep(step);
    for (const Finding* f : own)
        if (!worst || f->severity > worst->severity) worst = f;
    const StepOutcome* known = worst ? outcomeOf(checked->result, *worst) : nullptr;
    if (!known) return std::nullopt;
    const StepOutcome& outcome = *known;
    const Target* target = findTarget(cell, worst->target);
    const ArmStation& arm = armOf(cell, *findRoutine(cell, worst->routine));
    const Pose base = worldFromBase(cell, arm, outcome.axesAlong(worst->fraction));
    Vec3 place = (base * baseFromTcp(cell, arm, outcome.arrival)).translation;
    if (outcome.move && outcome.move->kind == Move::Kind::Line)
        place = base * outcome.move->line.tcpAt(worst->fraction).translation;
    else if (target && target->kind == Target::Kind::Pose)
        place = (worldFromFrame(cell, target->frame, outcome.axes) * target->pose).translation;
    return Callout{place, worst->severity, findingText(cell, *worst)};
}

void Scene::addJogAxis(DrawList& list) const
{
    // The axis that the joint keys turn: a line with its positive end, and the sense of a positive turn.
    if (m_session.jogSpace() != JogSpace::Joint || m_session.inRun()) return;
    const Arm& arm = m_session.arm();
    const int joint = m_session.jogJointIndex();
    ChainFrames frames;
    chainFrames(arm, m_session.posture(), frames);
    const AxisFrame& f = frames.joints[size_t(joint)];
    const Pose axis = m_session.shownBase() * makePose(f.rotation, f.origin);
    const double size = std::clamp(0.16 * arm.reach(), 0.06, 0.35);
    const QColor color = theme().joint;
    const auto line = [&](const Vec3& a, const Vec3& b, double width) {
        list.marks.push_back({axis * a, axis * b, color, width});
    };
    addDashes(list.marks, axis * Vec3(0, 0, -1.4 * size), axis * Vec3(0, 0, 1.4 * size), color, 1.8);
    for (const Vec3& side : {Vec3(1, 0, 0), Vec3(0, 1, 0)})
        for (const double s : {-1.0, 1.0})
            line(Vec3(0, 0, 1.7 * size), Vec3(0, 0, 1.4 * size) + 0.1 * s * size * side, 2.2);
    if (arm.joints()[size_t(joint)].kind == JointKind::Prismatic) return;
    constexpr int pieces = 22;
    const auto rim = [&](double t) { return Vec3(size * std::cos(t), size * std::sin(t), 0); };
    const double end = 4.4;
    for (int i = 0; i < pieces; ++i)
        line(rim(end * i / pieces), rim(end * (i + 1) / pieces), 2.2);
    for (const double s : {-1.0, 1.0})
        line(rim(end), (1 + 0.13 * s) * rim(end - 0.26), 2.2);
}

void Scene::addExplanation(DrawList& list) const
{
    // The line or plane behind the singularity of the selected step, at the posture where it is nearest.
    const CheckedCell* checked = m_session.checked();
    const StepId step = m_session.selected<StepId>();
    if (!checked || !step) return;
    const Cell& cell = *checked->cell;
    for (const Finding* finding : checked->result.ofStep(step)) {
        const Finding& f = *finding;
        const SingularFact* singular = f.as<SingularFact>();
        const StepOutcome* outcome = singular ? outcomeOf(checked->result, f) : nullptr;
        if (!outcome || !outcome->move) continue;
        const ArmStation& arm = armOf(cell, *findRoutine(cell, f.routine));
        const SingularityGeometry g =
            singularityGeometry(*arm.model, outcome->move->at(*arm.model, f.fraction), singular->kind);
        const Pose base = worldFromBase(cell, arm, outcome->axesAlong(f.fraction));
        const Vec3 point = base * g.point, direction = base.rotation * g.direction, centre = base * g.wristCentre;
        QColor color = f.severity == Severity::Blocked ? theme().blocked : theme().caution;
        if (singular->kind == SingularityKind::Wrist || singular->kind == SingularityKind::Direction) {
            addDashes(list.marks, point - 0.45 * direction, point + 0.45 * direction, color, 2);
        } else {
            const Vec3 onPlane = centre - (centre - point).dot(direction) * direction;
            const Vec3 u = (onPlane - point).norm() > 1e-6 ? Vec3((onPlane - point).normalized())
                                                           : Vec3(direction.unitOrthogonal());
            const Vec3 v = direction.cross(u);
            const Vec3 corners[] = {point - 0.15 * u - 0.35 * v, onPlane + 0.15 * u - 0.35 * v,
                                    onPlane + 0.15 * u + 0.35 * v, point - 0.15 * u + 0.35 * v};
            for (int i = 0; i < 4; ++i)
                list.marks.push_back({corners[i], corners[(i + 1) % 4], color, 1.6});
            for (int i = 1; i < 8; ++i) {
                QColor hatch = color;
                hatch.setAlphaF(0.4f);
                const double s = i / 8.0;
                list.marks.push_back(
                    {corners[0] + s * (corners[1] - corners[0]), corners[3] + s * (corners[2] - corners[3]), hatch, 1});
            }
            list.marks.push_back({centre, onPlane, color, 2.4});
        }
    }
}

}  // namespace topikos
