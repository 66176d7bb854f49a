#pragma once
#include "app/view/renderer.h"
#include "core/simulate/trace.h"

namespace topikos {

/// What is drawn of the way that a point of the tool has gone in a run.
struct TrailOptions {
    enum class Colour { Off, Plain, Speed, Margin, Step };
    Colour colour = Colour::Off;
    double last = 0;        ///< only so long before the time that is shown; 0: from the begin of the run [s]
    double glyphEvery = 0;  ///< the axes of the tool so often; 0: never [s]
    size_t point = 0;       ///< 0 the TCP in force, else that further point of the tool
    bool operator==(const TrailOptions&) const = default;
};

/// The trail of an arm in a trace. Straight lines are drawn straight, whatever they are coloured by.
class Trail {
public:
    /// `cell` and `trace` are those of the run.
    Trail(const Cell& cell, const Trace& trace, ArmId arm, const TrailOptions& options);
    /// What of it lies before a time.
    void add(DrawList& list, double time) const;

    struct Point {
        double time = 0;    ///< [s]
        Vec3 place;         ///< in the world
        double speed = 0;   ///< [m/s]
        double margin = 1;  ///< nearest range end over the margin asked for; above 1 all is well
        StepId step;
    };
    const std::vector<Point>& points() const { return m_points; }

private:
    TrailOptions m_options;
    std::vector<Point> m_points;
    std::vector<std::pair<double, Pose>> m_glyphs;
    double m_fastest = 0;  ///< [m/s]
};

}  // namespace topikos
