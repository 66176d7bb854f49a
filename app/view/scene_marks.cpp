#include "app/view/scene.h"

#include "app/theme/theme.h"
#include "core/robot/forward.h"

#include <algorithm>
#include <cmath>
#include <cstdint>
#include <map>
#include <numbers>
#include <string>
#include <unordered_set>

/// Lines that are no bodies: paths, targets, beams, axes, and what explains a finding.
namespace topikos {

namespace {

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

/// The same for paths that look the same, to a tenth of a millimetre.
std::string wayOf(const Scene::Path& path)
{
    std::string key(1, char(path.kind));
    for (const Vec3& p : path.points)
        for (int i = 0; i < 3; ++i) {
            const auto place = std::int32_t(std::lround(1e4 * p[i]));
            key.append(reinterpret_cast<const char*>(&place), sizeof place);
        }
    return key;
}

}  // namespace

void addTriad(std::vector<DrawLine>& lines, const Pose& world, double length, double width)
{
    const QColor colors[] = {theme().axisX, theme().axisY, theme().axisZ};
    for (int i = 0; i < 3; ++i)
        lines.push_back({world.translation, world * Vec3(length * Vec3::Unit(i)), colors[i], width});
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
    // Drawn groups have glyphs of their own.
    if (const Pattern* pattern = findPattern(cell, m_session.selected<PatternId>());
        pattern && pattern->layout != Pattern::Layout::Drawn) {
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

void Scene::addRoute(DrawList& list) const
{
    const std::vector<Path>& all = paths();
    const RouteKey key{m_pathsFor, m_pathsOf, theme().dark, theme().contrast};
    if (!m_route || key != m_routeFor) {
        m_routeFor = key;
        m_pathsOfStep.clear();
        m_cut.clear();
        auto lines = std::make_shared<std::vector<DrawLine>>();
        std::unordered_set<std::string> drawn;  // ways that steps share are drawn once
        for (size_t i = 0; i < all.size(); ++i) {
            m_pathsOfStep[all[i].step].push_back(i);
            if (all[i].missing.size() == 2) m_cut.push_back(i);
            if (!drawn.insert(wayOf(all[i])).second) continue;
            QColor color = stepColor(all[i].kind);
            color.setAlphaF(0.6f);
            addPolyline(*lines, all[i].points, color, 1.6);
        }
        m_route = std::move(lines);
    }
    list.route = m_route;
    const auto over = [&](StepId step, const auto& draw) {
        if (const auto own = m_pathsOfStep.find(step); own != m_pathsOfStep.end())
            for (const size_t i : own->second)
                draw(all[i]);
    };
    for (const StepId step : m_session.allSelected<StepId>())
        over(step, [&](const Path& path) { addPolyline(list.marks, path.points, stepColor(path.kind), 3.2); });
    // What runs has a mark of its own: a dark band behind its path.
    for (const StepId step : m_session.runningSteps())
        over(step, [&](const Path& path) {
            addPolyline(list.marks, path.points, theme().ink, 5.5);
            addPolyline(list.marks, path.points, stepColor(path.kind).lighter(150), 2);
        });
    for (const size_t i : m_cut)
        addDashes(list.marks, all[i].missing[0], all[i].missing[1], theme().blocked,
                  m_session.isSelected(all[i].step) ? 3.2 : 2.2);
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
        const bool lit = trace && d.output && findSignal(m_session.playedCell(), d.output)
                         && signalAt(m_session.playedCell(), *trace, d.output, m_session.time()) != 0;
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

namespace {

/// The shape of a severity, across the tool's axis: an octagon or a triangle.
void addSeverityShape(std::vector<DrawLine>& lines, const Pose& world, Severity severity)
{
    const bool blocked = severity == Severity::Blocked;
    const int corners = blocked ? 8 : 3;
    const double radius = blocked ? 0.008 : 0.010;
    const auto corner = [&](int i) {
        const double angle = 2 * std::numbers::pi * (i + (blocked ? 0.5 : 0.0)) / corners;
        return world * Vec3(radius * std::cos(angle), radius * std::sin(angle), -0.001);
    };
    for (int i = 0; i < corners; ++i)
        lines.push_back({corner(i), corner(i + 1), blocked ? theme().blocked : theme().caution, 2.2});
}

void addCircle(std::vector<DrawLine>& lines, const Vec3& centre, const Vec3& normal, double radius, const QColor& color)
{
    constexpr int pieces = 32;
    const Vec3 u = radius * normal.unitOrthogonal(), v = normal.cross(u);
    const auto rim = [&](int i) {
        const double angle = 2 * std::numbers::pi * i / pieces;
        return Vec3(centre + std::cos(angle) * u + std::sin(angle) * v + 0.0006 * normal);
    };
    for (int i = 0; i < pieces; ++i)
        lines.push_back({rim(i), rim(i + 1), color, 1.4});
}

/// How the tool stands at a process target: its axis, out of the surface, and a foot along its x axis.
void addToolGlyph(DrawList& list, const Pose& world, const std::optional<Severity>& severity, bool chosen)
{
    constexpr double shaft = 0.022, foot = 0.008;
    const QColor color = !severity                        ? theme().process
                         : *severity == Severity::Blocked ? theme().blocked
                                                          : theme().caution;
    std::vector<DrawLine>& lines = chosen || severity ? list.marks : list.lines;
    lines.push_back({world.translation, world * Vec3(0, 0, -shaft), color, chosen ? 2.4 : 1.6});
    lines.push_back({world.translation, world * Vec3(foot, 0, 0), theme().axisX, chosen ? 2.4 : 1.6});
    if (severity) addSeverityShape(lines, world, *severity);
}

}  // namespace

/// The ways to a target and away from it, with a cross at their near points and at their ends.
void Scene::addApproaches(DrawList& list, const Target& target) const
{
    const AxisValues axes = m_session.shownAxes();
    const Pose frame = worldFromFrame(m_session.shownCell(), target.frame, axes);
    const auto place = [&](Stage stage) {
        return frame * frameFromTarget(m_session.shownCell(), target, {0, stage}, axes);
    };
    const Pose at = place(Stage::Over);
    const auto way = [&](Stage near, Stage far, const QColor& color) {
        const Pose end = place(far);
        if ((end.translation - at.translation).norm() < 1e-6) return;
        addDashes(list.marks, at.translation, end.translation, color, 1.8);
        for (const Pose& point : {place(near), end})
            for (const Vec3& side : {Vec3(0.008, 0, 0), Vec3(0, 0.008, 0)})
                list.marks.push_back({point * Vec3(-side), point * side, color, 1.8});
    };
    way(Stage::NearRetract, Stage::Retract, theme().faint);
    way(Stage::NearApproach, Stage::Approach, theme().accent);
}

void Scene::addTargets(DrawList& list) const
{
    const Cell& cell = m_session.shownCell();
    const AxisValues axes = m_session.shownAxes();
    const std::map<TargetId, const Finding*>& worst = m_session.worst();
    const auto severityOf = [&](TargetId id) -> std::optional<Severity> {
        const auto found = worst.find(id);
        return found == worst.end() ? std::nullopt : std::optional(found->second->severity);
    };
    for (const Target& target : cell.targets) {
        if (target.kind != Target::Kind::Pose) continue;
        const bool chosen = m_session.isSelected(target.id);
        const Pattern* group = target.pattern ? findPattern(cell, target.pattern) : nullptr;
        const Pose world = worldFromFrame(cell, target.frame, axes) * target.pose;
        if (chosen) addApproaches(list, target);
        if (group && group->layout == Pattern::Layout::Drawn)
            addToolGlyph(list, world, severityOf(target.id), chosen || group->id == m_session.selected<PatternId>());
        else {
            addTriad(chosen ? list.marks : list.lines, world, chosen ? 0.09 : 0.045, chosen ? 2.6 : 1.8);
            // Of a pattern the places that fail are marked.
            if (const auto severity = group ? severityOf(target.id) : std::nullopt)
                addSeverityShape(list.marks, world, *severity);
        }
    }
    for (const Pattern& group : cell.patterns) {
        if (group.layout != Pattern::Layout::Drawn) continue;
        const bool chosen = group.id == m_session.selected<PatternId>();
        const Pose body = worldFromFrame(cell, group.frame, axes) * group.first;
        const std::vector<SurfacePoint>& points = group.drawing.points;
        // Over what its normals are smoothed, about the last point, while it is drawn or chosen.
        if (group.drawing.radius > 0 && (chosen || !findPattern(m_session.cell(), group.id)))
            addCircle(list.marks, body * points.back().at, body.rotation * points.back().normal, group.drawing.radius,
                      theme().process);
        if (!group.drawing.seam) continue;
        const size_t count = points.size() + (group.drawing.closed && points.size() > 2 ? 1 : 0);
        for (size_t i = 1; i < count; ++i) {
            const SurfacePoint &a = points[i - 1], &b = points[i % points.size()];
            // A hair over the surface, so that it is seen.
            (chosen ? list.marks : list.lines)
                .push_back({body * Vec3(a.at + 0.0006 * a.normal), body * Vec3(b.at + 0.0006 * b.normal),
                            theme().process, chosen ? 2.6 : 1.6});
        }
    }
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
        const QColor color = f.severity == Severity::Blocked ? theme().blocked : theme().caution;
        if (const auto* contact = f.as<ContactFact>()) {
            // Between the nearest points; a cross where they are one.
            list.marks.push_back({contact->onA, contact->onB, color, 2.6});
            for (int i = 0; f.rule == Rule::Contact && i < 3; ++i) {
                const Vec3 arm = 0.03 * Vec3::Unit(i);
                list.marks.push_back({contact->onA - arm, contact->onA + arm, color, 2.6});
            }
            continue;
        }
        const SingularFact* singular = f.as<SingularFact>();
        const StepOutcome* outcome = singular ? outcomeOf(checked->result, f) : nullptr;
        if (!outcome || !outcome->move) continue;
        const ArmStation& arm = armOf(cell, f);
        const SingularityGeometry g =
            singularityGeometry(*arm.model, outcome->move->at(*arm.model, f.fraction), singular->kind);
        const Pose base = worldFromBase(cell, arm, outcome->axesAlong(f.fraction));
        const Vec3 point = base * g.point, direction = base.rotation * g.direction, centre = base * g.wristCentre;
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
