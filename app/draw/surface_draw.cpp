#include "app/draw/surface_draw.h"

#include "app/background/beside.h"
#include "app/draw/ready_surface.h"
#include "app/session/text.h"
#include "core/cell/edit_steps.h"
#include "core/cell/edit_support.h"
#include "core/program/new_step.h"
#include "core/plan/free_turns.h"
#include "core/spatial/limits.h"

#include <QSettings>

#include <cmath>

namespace topikos {

namespace {

constexpr double kDragStep = 0.002;  // a dragged line gets a corner after so much [m]

// How groups are drawn is remembered; a lead or an offset is of the one group.
DrawSettings keptSettings()
{
    const QSettings kept;
    DrawSettings out;
    const auto number = [&](const char* key, double usual, const Limit& limit) {
        const double value = kept.value(key, usual).toDouble();
        return limit.holds(value) ? value : usual;
    };
    out.rule.spacing = number("draw/spacing", out.rule.spacing, limits::kSpacing);
    out.rule.chord = number("draw/chord", out.rule.chord, limits::kChord);
    out.rule.radius = number("draw/smoothing", out.rule.radius, limits::kSmoothing);
    out.rule.kind = kept.value("draw/byChord").toBool() ? DrawRule::Kind::Chord : DrawRule::Kind::Spacing;
    out.stand.seam = kept.value("draw/seam", true).toBool();
    return out;
}
void keep(const DrawSettings& settings)
{
    QSettings kept;
    kept.setValue("draw/spacing", settings.rule.spacing);
    kept.setValue("draw/chord", settings.rule.chord);
    kept.setValue("draw/smoothing", settings.rule.radius);
    kept.setValue("draw/byChord", settings.rule.kind == DrawRule::Kind::Chord);
    kept.setValue("draw/seam", settings.stand.seam);
}

/// So that the tool does not stop at each point: a share of the shortest way between two of them, so that both corners
/// of it have room.
double usualBlend(const Pattern& group)
{
    const std::vector<PatternPlace> places = placesOf(group);
    double least = INFINITY;
    for (size_t i = 1; i < places.size(); ++i)
        least = std::min(least, (places[i].pose.translation - places[i - 1].pose.translation).norm());
    return places.size() < 3 ? 0 : std::min(0.005, std::floor(0.3 * least * 1e4) / 1e4);
}

/// A change of the drawing of a group, as one edit.
template <class Change> void changeGroup(Session& session, PatternId id, const QString& verb, Change change)
{
    const Pattern* group = findPattern(session.cell(), id);
    if (!group || group->layout != Pattern::Layout::Drawn) return;
    session.edit(verb + " " + text(group->name), [&](const Cell& cell) -> Result<Cell> {
        Pattern next = *findPattern(cell, id);
        Result<Drawing> drawing = change(cell, next);
        if (!drawing) return drawing.error();
        next.drawing = std::move(drawing).value();
        return changePattern(cell, next);
    });
}

/// The same of a change that asks the surface of the body. It may come later than this returns: `change` holds what it
/// needs.
template <class Change> void changeOnBody(Session& session, PatternId id, const QString& verb, Change change)
{
    const Pattern* group = findPattern(session.cell(), id);
    if (!group || group->layout != Pattern::Layout::Drawn) return;
    withSurface(session, bodyOf(session.cell(), *group), text(group->name),
                [&session, id, verb, change](const std::shared_ptr<const BodySurface>& surface) {
                    changeGroup(session, id, verb,
                                [&](const Cell&, const Pattern& own) { return change(*surface, own.drawing); });
                });
}

}  // namespace

SurfaceDraw::SurfaceDraw(Session& session, QObject* parent) : QObject(parent), m_session(session)
{
    m_settings = keptSettings();
    // Another cell, or an undo, leaves nothing to go on drawing on.
    connect(&session, &Session::opened, this, [this] {
        if (m_active) cancel();
    });
    connect(&session, &Session::cellChanged, this, [this] {
        if (m_active && m_body && !m_session.isThere(m_body->of)) cancel();
        forgetUnusedSurfaces();
    });
}

bool SurfaceDraw::withBody(Session& session, const Selection& thing, std::function<void(DrawnBody)> use)
{
    const Cell& cell = session.cell();
    DrawnBody out;
    out.of = thing;
    const std::vector<Solid>* solids = nullptr;
    if (const auto* of = std::get_if<FrameId>(&thing)) {
        const Frame* frame = findFrame(cell, *of);
        if (!frame) return false;
        solids = &frame->solids;
        out.world = session.shownPlace(*of);
        out.name = text(frame->name);
    } else if (const auto* on = std::get_if<PartId>(&thing)) {
        const Part* part = findPart(cell, *on);
        if (!part) return false;
        solids = &partSolids(cell, *part);
        out.world = session.shownPlace(part->frame) * part->pose;
        out.name = text(part->name);
    }
    if (!solids || solids->empty()) return false;
    withSurface(session, *solids, out.name, [out, use](const std::shared_ptr<const BodySurface>& surface) mutable {
        out.surface = surface;
        use(std::move(out));
    });
    return true;
}

void SurfaceDraw::begin()
{
    m_session.leaveRun();
    m_session.endPreview();
    m_active = true;
    m_body.reset();
    m_spots.clear();
    m_clicks.clear();
    m_drawing = {};
    m_problem.clear();
    m_dragging = false;
    Q_EMIT changed();
}

void SurfaceDraw::cancel()
{
    if (!m_active) return;
    m_active = false;
    m_session.endPreview();
    Q_EMIT changed();
}

void SurfaceDraw::set(const DrawSettings& settings)
{
    const bool other = settings.mode != m_settings.mode;
    m_settings = settings;
    // What was clicked for an edge is no corner of a line.
    if (other && (settings.mode == DrawSettings::Mode::Edge || m_spots.size() < 2)) {
        m_spots.resize(std::min<size_t>(m_spots.size(), 1));
        m_clicks.resize(m_spots.size());
    }
    keep(settings);
    if (m_active) work();
    Q_EMIT changed();
}

void SurfaceDraw::click(const Selection& hit, const Vec3& origin, const Vec3& direction)
{
    if (!m_active) return;
    if (m_body && !m_spots.empty()) return clickOn(hit, origin, direction);
    m_body.reset();
    m_problem = "The surface is being made ready; the click counts when it is.";
    const auto refuse = [this] {
        m_problem = "There is no body to draw on there; click on a frame's shape or on a part.";
        Q_EMIT changed();
    };
    const bool there = withBody(m_session, hit, [this, hit, origin, direction, refuse](DrawnBody body) {
        if (!m_active || !m_spots.empty()) return;
        if (body.surface->empty()) return refuse();
        m_body = std::move(body);
        clickOn(hit, origin, direction);
    });
    if (!there) refuse();
    else if (!m_body) Q_EMIT changed();
}

void SurfaceDraw::clickOn(const Selection& hit, const Vec3& origin, const Vec3& direction)
{
    const Pose back = inverse(m_body->world);
    const auto spot = m_body->surface->hit(back * origin, back.rotation * direction);
    if (!spot || hit != m_body->of) {
        m_problem = QString("The group is on %1; click there, or press Enter to keep it first.").arg(m_body->name);
        Q_EMIT changed();
        return;
    }
    if (m_settings.mode == DrawSettings::Mode::Edge) m_spots.clear(), m_clicks.clear();
    m_clicks.push_back(m_spots.size());
    m_spots.push_back(*spot);
    work();
}

void SurfaceDraw::drag(const Vec3& origin, const Vec3& direction)
{
    if (!m_active || !m_body || m_spots.empty() || m_settings.mode == DrawSettings::Mode::Edge) return;
    const Pose back = inverse(m_body->world);
    const auto spot = m_body->surface->hit(back * origin, back.rotation * direction);
    if (!spot || (spot->at - m_spots.back().at).norm() < kDragStep) return;
    if (!m_dragging) m_clicks.push_back(m_spots.size());
    m_dragging = true;
    m_spots.push_back(*spot);
    work();
}

void SurfaceDraw::takeBack()
{
    if (!m_active || m_clicks.empty()) return;
    m_spots.resize(m_clicks.back());
    m_clicks.pop_back();
    work();
}

/// Works out the group as it would be, and shows it.
void SurfaceDraw::work()
{
    m_problem.clear();
    m_drawing = m_settings.stand;
    m_drawing.points.clear();
    m_drawing.radius = m_settings.rule.radius;
    if (m_body && !m_spots.empty()) {
        const BodySurface& surface = *m_body->surface;
        m_drawing.points = pointsAt(surface, m_spots, m_settings.rule.radius);
        std::optional<SurfaceLine> line;
        if (m_settings.mode == DrawSettings::Mode::Edge) {
            line = edgeLine(surface, m_spots.front(), kEdgeWithin);
            if (!line) m_problem = "There is no sharp edge or rim near that place; click nearer to one.";
            else m_drawing.closed = line->closed && m_drawing.seam;
        } else if (m_settings.mode == DrawSettings::Mode::Line && m_spots.size() > 1) {
            line = lineThrough(surface, m_spots, m_drawing.closed);
        }
        if (line) {
            const Result<std::vector<SurfacePoint>> points = pointsAlong(surface, *line, m_settings.rule);
            if (points) m_drawing.points = *points;
            else m_problem = text(points.error().line());
        }
    }
    if (m_drawing.points.empty()) m_session.endPreview();
    else m_session.preview([this](const Cell& cell) { return withGroup(cell, nullptr); });
    Q_EMIT changed();
}

Result<Cell> SurfaceDraw::withGroup(const Cell& cell, PatternId* created) const
{
    const auto* frame = std::get_if<FrameId>(&m_body->of);
    const DrawnOn body = frame ? DrawnOn(*frame) : DrawnOn(std::get<PartId>(m_body->of));
    return addDrawnGroup(cell, m_session.station().id, body, m_drawing,
                         freeNameIn(cell.patterns, m_drawing.seam ? "Seam" : "Spots"), m_session.posture(),
                         m_session.shownAxes(), created);
}

bool SurfaceDraw::finish()
{
    if (!m_active) return false;
    if (m_drawing.points.empty()) {
        m_problem = "Nothing is drawn yet; click on a body, or press Escape to leave.";
        Q_EMIT changed();
        return false;
    }
    m_session.endPreview();
    PatternId created;
    const size_t count = m_drawing.points.size();
    const QString body = m_body->name;
    if (!m_session.edit(QString("Draw %1 on %2").arg(m_drawing.seam ? "a seam" : "spots", body),
                        [&](const Cell& cell) { return withGroup(cell, &created); })) {
        work();
        return false;
    }
    m_active = false;
    m_session.selectNew(created);
    m_session.say(
        QString("%1 points on %2, as %3.").arg(count).arg(body, text(findPattern(m_session.cell(), created)->name)));
    Q_EMIT changed();
    return true;
}

QString SurfaceDraw::words() const
{
    if (!m_active) return {};
    if (!m_problem.isEmpty()) return m_problem;
    if (m_drawing.points.empty())
        return m_settings.mode == DrawSettings::Mode::Edge ? "Draw: click near an edge of a body. Esc ends."
               : m_settings.mode == DrawSettings::Mode::Line
                   ? "Draw: click where a line begins and where it goes on to, or drag it over the body. Esc ends."
                   : "Draw: click the places on a body, one after the other. Esc ends.";
    const size_t n = m_drawing.points.size();
    QString out = QString("%1 %2 on %3").arg(n).arg(n == 1 ? "point" : "points", m_body->name);
    if (n > 1) out += QString(", %1 %2 long").arg(placeFigure(lengthOf(m_drawing), 1), lengthUnit().symbol);
    if (m_drawing.closed) out += ", closed";
    return out + " · Enter keeps them, Backspace takes the last click back, Esc ends.";
}

const Pattern* drawnGroup(const Session& session)
{
    const Cell& cell = session.cell();
    PatternId id = session.selected<PatternId>();
    if (const Target* target = findTarget(cell, session.selected<TargetId>())) id = target->pattern;
    const Pattern* pattern = findPattern(cell, id);
    return pattern && pattern->layout == Pattern::Layout::Drawn ? pattern : nullptr;
}

void respaceGroup(Session& session, PatternId id, const DrawRule& rule)
{
    changeOnBody(session, id, "Space", [rule](const BodySurface& surface, const Drawing& drawing) {
        return respaced(surface, drawing, rule);
    });
}

void smoothGroup(Session& session, PatternId id, double radius)
{
    changeOnBody(session, id, "Smooth normals of",
                 [radius](const BodySurface& surface, const Drawing& drawing) -> Result<Drawing> {
                     return smoothed(surface, drawing, radius);
                 });
}

void mirrorGroup(Session& session, PatternId id, int axis)
{
    changeOnBody(session, id, "Mirror", [axis](const BodySurface& surface, const Drawing& drawing) -> Result<Drawing> {
        return mirrored(surface, drawing, axis);
    });
}

void reverseGroup(Session& session, PatternId id)
{
    changeGroup(session, id, "Reverse",
                [](const Cell&, const Pattern& group) -> Result<Drawing> { return reversed(group.drawing); });
}

void chooseTurns(Session& session, PatternId id, QWidget* parent)
{
    const Pattern* group = findPattern(session.cell(), id);
    if (!group) return;
    const QString name = text(group->name);
    const CellPtr cell = session.history().current();
    const auto found =
        doBeside(session, parent, "Choosing the turns of " + name, [cell, id](const std::function<bool()>& go) {
            return freeTurns(*cell, *findPattern(*cell, id), [go] { return !go(); });
        });
    if (!found) return;
    session.edit("Choose the turns of " + name, [&](const Cell& now) { return withTurns(now, id, *found); });
}

void addFollow(Session& session, PatternId id)
{
    const Pattern* group = findPattern(session.cell(), id);
    const Routine& routine = session.routine();
    if (!group) return;
    if (group->arm != routine.arm)
        return session.say("The routine that is looked at is not run by the arm of this group.", true);
    const RoutineId in = routine.id;
    StepId created;
    const QString label = "Follow " + text(group->name);
    const bool done = session.edit(label, [&](const Cell& cell) -> Result<Cell> {
        const Routine& own = *findRoutine(cell, in);
        Result<Action> action = newAction(cell, StepScope{own, {}}, StepKind::Follow);
        if (!action) return action.error();
        Step step{.action = *action};
        step.as<Follow>()->pattern = id;
        step.as<Follow>()->pace.blend = usualBlend(*findPattern(cell, id));
        return insertStep(cell, in, own.steps.size(), step, &created);
    });
    if (done) session.select(created);
}

void drawOnKind(Session& session, PatternId id, bool every)
{
    const Pattern* group = findPattern(session.cell(), id);
    const Part* part = group ? findPart(session.cell(), group->drawing.part) : nullptr;
    if (!part) return session.say("Only a group on a part can be on every part of its kind.", true);
    const QString kind = text(findPartKind(session.cell(), part->kind)->name);
    session.edit(QString(every ? "%1 on every %2" : "%1 on this %2 alone").arg(text(group->name), kind),
                 [id, every](const Cell& cell) -> Result<Cell> {
                     Pattern next = *findPattern(cell, id);
                     const std::uint32_t family = next.drawing.family;
                     next.drawing.family = every ? id.value : 0;
                     Result<Cell> out = changePattern(cell, next);
                     // The others stay as groups of their own.
                     for (const Pattern& other : cell.patterns) {
                         if (!out || every || other.id == id || !family || other.drawing.family != family) continue;
                         Pattern alone = other;
                         alone.drawing.family = 0;
                         out = changePattern(*out, alone);
                     }
                     return out;
                 });
}

void insertPoint(Session& session, TargetId behind)
{
    const Target* target = findTarget(session.cell(), behind);
    if (!target) return;
    const std::uint32_t number = target->place;
    changeOnBody(session, target->pattern, "Insert a point into",
                 [number](const BodySurface& surface, const Drawing& drawing) -> Result<Drawing> {
                     const std::vector<SurfacePoint>& points = drawing.points;
                     size_t i = 0;
                     while (i < points.size() && points[i].number != number)
                         ++i;
                     if (i == points.size() || surface.empty()) return missing("point");
                     const bool last = i + 1 == points.size();
                     const Vec3 next = !last            ? points[i + 1].at
                                       : drawing.closed ? points.front().at
                                       : i > 0          ? Vec3(2 * points[i].at - points[i - 1].at)
                                                        : Vec3(points[i].at + 0.02 * wayAt(drawing, i));
                     // Behind the last one it goes on by as much as from the one before.
                     const Vec3 at = last && !drawing.closed ? next : Vec3(0.5 * (points[i].at + next));
                     return withPoint(surface, drawing, i + 1, surface.nearest(at));
                 });
}

void takePointOut(Session& session, TargetId id)
{
    const Target* target = findTarget(session.cell(), id);
    if (!target) return;
    const std::uint32_t number = target->place;
    changeGroup(session, target->pattern, "Take a point out of",
                [number](const Cell&, const Pattern& group) -> Result<Drawing> {
                    Drawing next = group.drawing;
                    std::erase_if(next.points, [number](const SurfacePoint& p) { return p.number == number; });
                    if (next.points.empty())
                        return Error{"edit.drawing-empty", "it is the only point of the group", "",
                                     "Delete the group instead."};
                    return next;
                });
}

}  // namespace topikos
