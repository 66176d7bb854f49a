#pragma once
#include "core/curves/curves.h"
#include "core/files/file.h"

namespace topikos {

/// What a person reads a value in: "°/s" for rad/s, "mm" for m.
struct ShownUnit {
    std::string symbol;
    double factor = 1;  ///< of the SI value
};
ShownUnit shownUnit(const char* unit);

/// Curves that are drawn in one panel: those of one kind, and of one arm, with one unit.
std::vector<std::vector<Curve>> panelsOf(const Cell& cell, const std::vector<Curve>& curves);
/// "Joint speed [°/s]".
std::string panelTitle(const Cell& cell, const std::vector<Curve>& panel);

/// Round numbers between two, about so many.
std::vector<double> ticks(double from, double to, int about);

/// A table with a row every `every` seconds and one at the end, time first, then a column for each curve in SI units;
/// empty where a value is not known. Refused when that is more than limits::kTableRows.
Status saveCurvesCsv(const std::string& path, const Cell& cell, const Trace& trace, const std::vector<Curve>& curves,
                     double every);
Result<std::string> curvesCsv(const Cell& cell, const Trace& trace, const std::vector<Curve>& curves, double every);

/// A run that is drawn beside another one.
struct KeptCurves {
    const Cell* cell = nullptr;
    const Trace* trace = nullptr;
};
/// The same as a picture, .svg or .png by the ending of the path: a panel for each kind of curve, limits dashed, what
/// was kept in grey.
Status saveCurvesPicture(const std::string& path, const Cell& cell, const Trace& trace,
                         const std::vector<Curve>& curves, double from, double to, const KeptCurves& kept = {});

}  // namespace topikos
