#include "core/report/curves_file.h"

#include "core/report/trace_csv.h"
#include "core/spatial/text.h"

#include <fmt/format.h>

#include <numbers>

namespace topikos {

namespace {

constexpr size_t kBlock = 512;  // rows that are worked out at once

Status writeCsv(const Cell& cell, const Trace& trace, const std::vector<Curve>& curves, double every,
                const FileSink& sink)
{
    std::string out = "time_s";
    for (const Curve& curve : curves) {
        std::string unit = curveUnit(cell, curve);
        std::erase(unit, ' ');
        out += "," + csvText(curveName(cell, curve) + (unit.empty() ? "" : " [" + unit + "]"));
    }
    out += "\n";
    const auto rows = static_cast<size_t>(std::ceil(trace.duration / every - 1e-9));
    for (size_t first = 0; first <= rows; first += kBlock) {
        std::vector<double> times;
        for (size_t i = first; i < std::min(rows + 1, first + kBlock); ++i)
            times.push_back(std::min(double(i) * every, trace.duration));
        const auto values = curveValues(cell, trace, curves, times);
        for (size_t i = 0; i < times.size(); ++i) {
            out += fmt::format("{:.6f}", times[i]);
            for (const std::vector<double>& own : values)
                out += std::isnan(own[i]) ? "," : fmt::format(",{:.9g}", own[i]);
            out += "\n";
        }
        if (!sink(out)) return std::nullopt;  // who wrote knows why
        out.clear();
    }
    return std::nullopt;
}

}  // namespace

ShownUnit shownUnit(const char* unit)
{
    const std::string_view own = unit;
    constexpr double degree = 180 / std::numbers::pi;
    if (own == "rad") return {"°", degree};
    if (own == "rad/s") return {"°/s", degree};
    if (own == "rad/s^2") return {"°/s²", degree};
    if (own == "m") return {"mm", 1000};
    if (own == "m/s") return {"mm/s", 1000};
    if (own == "m/s^2") return {"m/s²", 1};
    if (own == "N m") return {"N·m", 1};
    return {std::string(own), 1};
}

std::vector<std::vector<Curve>> panelsOf(const Cell& cell, const std::vector<Curve>& curves)
{
    std::vector<std::vector<Curve>> out;
    for (const Curve& curve : curves) {
        const auto same = std::find_if(out.begin(), out.end(), [&](const std::vector<Curve>& panel) {
            return panel[0].kind == curve.kind && panel[0].arm == curve.arm
                   && std::string_view(curveUnit(cell, panel[0])) == curveUnit(cell, curve);
        });
        if (same == out.end()) out.push_back({curve});
        else same->push_back(curve);
    }
    return out;
}

std::string panelTitle(const Cell& cell, const std::vector<Curve>& panel)
{
    const Curve& first = panel.front();
    const std::string unit = shownUnit(curveUnit(cell, first)).symbol;
    const std::string arm = first.arm && cell.arms.size() > 1 ? findArm(cell, first.arm)->name + ": " : std::string();
    std::string name;
    switch (first.kind) {
    case Curve::Kind::JointPosition: name = "joints"; break;
    case Curve::Kind::JointSpeed: name = "joint speeds"; break;
    case Curve::Kind::JointAcceleration: name = "joint accelerations"; break;
    case Curve::Kind::JointTorque: name = unit == "N" ? "joint forces" : "joint torques"; break;
    case Curve::Kind::AxisPosition: name = "device axes"; break;
    case Curve::Kind::Signal: name = "signals"; break;
    default: return curveName(cell, first) + (unit.empty() ? "" : " [" + unit + "]");
    }
    return arm + name + (unit.empty() ? "" : " [" + unit + "]");
}

std::vector<double> ticks(double from, double to, int about)
{
    std::vector<double> out;
    if (!(to > from) || about < 1) return out;
    const double rough = (to - from) / about, power = std::pow(10, std::floor(std::log10(rough)));
    double step = power;
    for (const double factor : {1.0, 2.0, 2.5, 5.0, 10.0})
        if (factor * power >= rough) {
            step = factor * power;
            break;
        }
    for (double at = std::ceil(from / step - 1e-9) * step; at <= to + 1e-9 * step; at += step)
        out.push_back(std::abs(at) < 1e-9 * step ? 0 : at);
    return out;
}

Status saveCurvesCsv(const std::string& path, const Cell& cell, const Trace& trace, const std::vector<Curve>& curves,
                     double every)
{
    if (Status bad = checkTable(trace, every)) return bad;
    return saveFile(path, [&](const FileSink& sink) { (void)writeCsv(cell, trace, curves, every, sink); });
}

Result<std::string> curvesCsv(const Cell& cell, const Trace& trace, const std::vector<Curve>& curves, double every)
{
    if (Status bad = checkTable(trace, every)) return *bad;
    std::string out;
    (void)writeCsv(cell, trace, curves, every, [&out](std::string_view piece) {
        out += piece;
        return true;
    });
    return out;
}

}  // namespace topikos
