#include "app/view/scene.h"

#include "app/session/text.h"
#include "app/theme/theme.h"
#include "core/shape/arm_bodies.h"

#include <algorithm>
#include <set>

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

}  // namespace

void Scene::releaseGpu()
{
    m_overlay.reset();
    m_overlayFor.reset();
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

std::vector<Scene::Placed> Scene::placedArm(const ArmStation& arm, const ArmState& state, const AxisValues& axes) const
{
    const Cell& cell = m_session.shownCell();
    const Tool& tool = toolInForce(cell, arm);
    const ArmPlaces at = armPlaces(cell, arm, state, axes);
    const std::vector<Shape>& shapes = armShapes(arm.model);
    std::vector<Placed> out;
    for (size_t i = 0; i < shapes.size(); ++i)
        out.push_back({&shapes[i], at.links[i], arm.mount, arm.id});
    out.push_back({&shapeOf(tool.id.value, tool.body), at.flange, tool.id});
    const Shape& jaw = shapeOf(tool.id.value | kJawKey, tool.jaw);
    for (const Pose& place : at.jaws)
        out.push_back({&jaw, place, tool.id});
    return out;
}

std::vector<Scene::Placed> Scene::placed(const CellState& state) const
{
    const Cell& cell = m_session.shownCell();
    std::vector<Placed> out;
    for (const ArmState& arm : state.arms) {
        const ArmStation* station = findArm(cell, arm.arm);
        if (!station || arm.posture.size() != station->model->jointCount()) continue;  // an edit is being tried
        for (const Placed& p : placedArm(*station, arm, state.axes))
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

std::vector<Scene::Blamed> Scene::blamed() const
{
    std::vector<Blamed> out;
    const CheckedCell* checked = m_session.checked();
    const StepId step = m_session.selected<StepId>();
    if (!checked || !step) return out;
    const Cell& cell = m_session.shownCell();
    const auto link = [&](ArmId id, size_t number, Severity severity) {
        const ArmStation* arm = findArm(cell, id);
        if (arm && number < armShapes(arm->model).size())
            out.push_back({&armShapes(arm->model)[number], id, {}, severity});
    };
    for (const Finding* f : checked->result.ofStep(step))
        if (const auto* range = f->as<RangeFact>(); range && f->severity == Severity::Blocked)
            link(m_session.shownStation().id, size_t(range->joint) + 1, f->severity);
    // Both bodies of a contact, unless it only follows from something else.
    for (const Finding& own : checked->result.findings) {
        const Finding* f = own.step == step ? &own : nullptr;
        const auto* contact = f ? f->as<ContactFact>() : nullptr;
        for (const ContactSide* side : {contact ? &contact->a : nullptr, contact ? &contact->b : nullptr}) {
            if (!side) continue;
            if (side->part) out.push_back({nullptr, {}, side->part, f->severity});
            if (!side->member) continue;
            switch (side->member->kind) {
            case ContactMember::Kind::Link: link(side->member->arm, side->member->id, f->severity); break;
            case ContactMember::Kind::Tool:
                if (const ArmStation* arm = findArm(cell, side->member->arm))
                    out.push_back({nullptr, {}, arm->tool, f->severity});
                break;
            case ContactMember::Kind::Frame:
                out.push_back({nullptr, {}, FrameId{side->member->id}, f->severity});
                break;
            }
        }
    }
    return out;
}

QStringList Scene::blamedNames() const
{
    QStringList out;
    const Cell& cell = m_session.shownCell();
    for (const Blamed& b : blamed()) {
        if (b.shape) {
            const std::vector<Shape>& links = armShapes(findArm(cell, b.link)->model);
            out << QString("link %1").arg(b.shape - links.data());
        } else if (const auto* frame = std::get_if<FrameId>(&b.owner)) {
            out << text(frameName(cell, *frame));
        } else if (const auto* part = std::get_if<PartId>(&b.owner)) {
            if (const Part* own = findPart(cell, *part)) out << text(own->name);
        } else if (const auto* tool = std::get_if<ToolId>(&b.owner)) {
            if (const Tool* own = findTool(cell, *tool)) out << text(own->name);
        }
    }
    return out;
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
    const std::vector<Blamed> blames = blamed();
    const ArmStation& station = m_session.shownStation();
    const auto blameOf = [&](const Placed& p) {
        for (const Blamed& b : blames) {
            if (b.shape ? b.shape != p.shape || b.link != p.link : p.link || b.owner != p.owner) continue;
            QColor color = b.severity == Severity::Blocked ? theme().blocked : theme().caution;
            color.setAlphaF(0.55f);
            return color;
        }
        return QColor();
    };
    for (const Placed& p : placed(state)) {
        const bool chosen = p.owner != Selection() && !p.link && m_session.isSelected(p.owner);
        const QColor blame = blameOf(p);
        list.items.push_back({gpu(*p.shape), p.world, blame.isValid() ? blame : chosen ? light : QColor()});
    }
    const auto addGhost = [&](const JointVector& posture, const AxisValues& axes, const QColor& color, double opacity) {
        QColor tint = color;
        tint.setAlphaF(0.75f);
        const ArmState ghost{station.id, posture, state.of(station.id).gripperOpening};
        for (const Placed& p : placedArm(station, ghost, overlaid(state.axes, axes)))
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

    if (const std::shared_ptr<const SpotOverlay>& overlay = m_session.overlay(); overlay != m_overlayFor) {
        m_overlay = overlay && overlay->mesh ? std::make_unique<GpuMesh>(gl, *overlay->mesh) : nullptr;
        m_overlayFor = overlay;
    }
    if (m_overlay) {
        const Pose world = m_session.shownPlace(m_overlayFor->frame);
        DrawItem item{m_overlay.get(), world};
        item.shadow = false;
        list.items.push_back(item);
        for (const auto& [a, b] : m_overlayFor->edges)
            list.lines.push_back({world * a, world * b, theme().ink, 1.8});
    }
    addRoute(list);
    if (const Trail* own = trail()) own->add(list, m_session.time());
    addTargets(list);
    addDevices(list);
    addExplanation(list);
    addJogAxis(list);
    addSelected(list, state);
    return list;
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
    std::map<MovePlanPtr, Way> ways;  // those that are left are forgotten
    std::set<std::pair<std::uint32_t, const MovePlan*>> drawn;
    const auto same = [](const Pose& a, const Pose& b) {
        return a.translation == b.translation && a.rotation.coeffs() == b.rotation.coeffs();
    };
    const Cell& cell = *checked->cell;
    for (const ArmTrace& running : checked->result.trace.arms) {
        // Of the arm in hand the routine that is looked at, which may be one that does not run.
        const ArmTrace* shown = running.arm == m_session.station().id ? m_session.armTrace() : nullptr;
        const ArmTrace& trace = shown ? *shown : running;
        const ArmStation& arm = *findArm(cell, trace.arm);
        const Pose& tcp = flangeFromTcp(cell, arm);
        for (const StepOutcome& outcome : trace.outcomes) {
            Path path{outcome.step, outcome.kind, {}, {}};
            const auto base = [&](double fraction) { return worldFromBase(cell, arm, outcome.axesAlong(fraction)); };
            // Moves that were planned before go the same way as before; passes of the same move are drawn once.
            const bool stands = outcome.move && outcome.travels.empty();
            if (stands && !drawn.insert({outcome.step.value, outcome.plan.get()}).second) continue;
            const Pose stand = stands ? base(0) : Pose{};
            if (stands)
                if (const auto known = m_ways.find(outcome.plan); known != m_ways.end())
                    if (same(known->second.base, stand) && same(known->second.tcp, tcp)) {
                        path.points = known->second.points;
                        path.missing = known->second.missing;
                        ways.emplace(outcome.plan, known->second);
                        m_paths.push_back(std::move(path));
                        continue;
                    }
            if (!outcome.move) {
                // A rail alone takes the tool along.
                for (int i = 0; !outcome.travels.empty() && i <= 28; ++i)
                    path.points.push_back((base(i / 28.0) * baseFromTcp(cell, arm, outcome.arrival)).translation);
            } else if (!outcome.move->isLine()) {
                // Of a time table the first pass; the others go the same way.
                const Move& move = *outcome.move;
                const TableSegment* table = move.as<TableSegment>();
                const int pieces = table ? 240 : 28;
                const double end = move.stop ? move.stop->fraction : table ? 1.0 / table->passes : 1;
                for (int i = 0; i <= pieces; ++i)
                    path.points.push_back(
                        (base(end * i / pieces) * baseFromTcp(cell, arm, move.at(*arm.model, end * i / pieces)))
                            .translation);
            } else {
                const Move& move = *outcome.move;
                const double end = move.stop ? move.stop->fraction : 1;
                const int pieces = move.line().circle() ? 64 : move.line().baseFromFrame ? 28 : 1;
                for (int i = 0; i <= pieces; ++i)
                    path.points.push_back(base(end * i / pieces) * move.line().tcpAt(end * i / pieces).translation);
                if (move.stop) path.missing = {path.points.back(), base(1) * move.line().tcpAt(1).translation};
            }
            if (path.points.size() < 2) continue;
            if (stands) ways[outcome.plan] = {stand, tcp, path.points, path.missing};
            m_paths.push_back(std::move(path));
        }
    }
    m_ways = std::move(ways);
    return m_paths;
}

const Trail* Scene::trail() const
{
    if (!m_session.inRun() || !m_session.trace() || m_trailOptions.colour == TrailOptions::Colour::Off) return nullptr;
    const std::shared_ptr<const void> now = m_session.traceHolder();
    if (!m_trail || m_trailFor != now || m_trailMade != m_trailOptions || m_trailOf != m_session.station().id) {
        m_trail =
            std::make_unique<Trail>(m_session.playedCell(), *m_session.trace(), m_session.station().id, m_trailOptions);
        m_trailFor = now;
        m_trailMade = m_trailOptions;
        m_trailOf = m_session.station().id;
    }
    return m_trail.get();
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
    const ArmStation& arm = armOf(cell, *worst);
    const Pose base = worldFromBase(cell, arm, outcome.axesAlong(worst->fraction));
    Vec3 place = (base * baseFromTcp(cell, arm, outcome.arrival)).translation;
    if (outcome.move && outcome.move->isLine()) place = base * outcome.move->line().tcpAt(worst->fraction).translation;
    else if (target && target->kind == Target::Kind::Pose)
        place = (worldFromFrame(cell, target->frame, outcome.axes) * target->pose).translation;
    if (const auto* contact = worst->as<ContactFact>()) place = 0.5 * (contact->onA + contact->onB);
    return Callout{place, worst->severity, findingText(cell, *worst)};
}

}  // namespace topikos
