#include "app/view/trail.h"

#include "app/theme/theme.h"
#include "app/view/scene.h"
#include "core/motion/move.h"

#include <algorithm>
#include <cmath>

namespace topikos {

namespace {

constexpr size_t kPieces = 24;         // of a move
constexpr size_t kMostPoints = 60000;  // more are neither told apart nor drawn in time
constexpr double kMostGlyphs = 2000;

/// From a calm to a strong colour; told apart by lightness as well.
QColor between(const QColor& a, const QColor& b, double t)
{
    const auto mix = [t](double x, double y) { return x + std::clamp(t, 0.0, 1.0) * (y - x); };
    return QColor::fromRgbF(float(mix(a.redF(), b.redF())), float(mix(a.greenF(), b.greenF())),
                            float(mix(a.blueF(), b.blueF())));
}

}  // namespace

Trail::Trail(const Cell& cell, const Trace& trace, ArmId id, const TrailOptions& options) : m_options(options)
{
    const ArmTrace* own = findArmTrace(trace, id);
    const ArmStation* station = findArm(cell, id);
    if (!own || !station || options.colour == TrailOptions::Colour::Off) return;
    const Arm& arm = *station->model;
    const Tool& tool = toolInForce(cell, *station);
    const Pose point = options.point > 0 && options.point <= tool.points.size()
                           ? tool.points[options.point - 1].flangeFromTcp
                           : flangeFromTcp(cell, *station);
    const auto poseAt = [&](double time, const JointVector& posture) {
        return worldFromBase(cell, *station, axesAt(trace, time)) * forward(arm, posture) * point;
    };
    const auto add = [&](double time, StepId step) {
        const JointVector posture = postureAt(cell, *own, time);
        const Closest margin = rangeMargin(arm, posture);
        Point p;
        p.time = time;
        p.place = poseAt(time, posture).translation;
        p.step = step;
        if (margin.joint >= 0) {
            const double asked = cell.thresholds.margin(arm.joints()[size_t(margin.joint)].kind);
            p.margin = asked > 0 ? margin.value / asked : 1;
        }
        if (!m_points.empty() && time > m_points.back().time)
            p.speed = (p.place - m_points.back().place).norm() / (time - m_points.back().time);
        m_fastest = std::max(m_fastest, p.speed);
        m_points.push_back(p);
    };
    // The longer the run the coarser, so that all of it is there.
    const int pieces = int(std::clamp<size_t>(kMostPoints / std::max<size_t>(1, own->spans.size()), 2, kPieces));
    for (const ArmTrace::Span& span : own->spans) {
        const StepOutcome& outcome = own->outcomes[span.outcome];
        const bool moves = outcome.move || !outcome.travels.empty();
        for (int i = 0; i <= (moves ? pieces : 0); ++i) {
            const double time = span.start + (span.end - span.start) * i / pieces;
            if (m_points.empty() || time > m_points.back().time) add(time, outcome.step);
        }
    }
    const double every = std::max(options.glyphEvery, own->duration / kMostGlyphs);
    for (double t = 0; options.glyphEvery > 0 && t <= own->duration; t += every)
        m_glyphs.push_back({t, poseAt(t, postureAt(cell, *own, t))});
}

void Trail::add(DrawList& list, double time) const
{
    const double from = m_options.last > 0 ? time - m_options.last : -1;
    const auto first =
        std::lower_bound(m_points.begin(), m_points.end(), from, [](const Point& p, double t) { return p.time < t; });
    size_t step = 0;
    for (auto p = first; p != m_points.end() && p + 1 != m_points.end() && (p + 1)->time <= time + 1e-9; ++p) {
        const Point& next = *(p + 1);
        if (p->step != next.step) ++step;
        QColor color = theme().accent;
        switch (m_options.colour) {
        case TrailOptions::Colour::Speed:
            color = between(theme().track, theme().process, m_fastest > 0 ? next.speed / m_fastest : 0);
            break;
        case TrailOptions::Colour::Margin:
            color = next.margin < 0 ? theme().blocked : next.margin < 1 ? theme().caution : theme().accent;
            break;
        case TrailOptions::Colour::Step: color = step % 2 ? theme().joint : theme().accent; break;
        default: break;
        }
        list.marks.push_back({p->place, next.place, color, 2.4});
    }
    for (const auto& [t, pose] : m_glyphs)
        if (t >= from && t <= time) addTriad(list.marks, pose, 0.04, 1.2);
}

}  // namespace topikos
