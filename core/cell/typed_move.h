#pragma once
#include "core/robot/arm.h"
#include "core/spatial/result.h"

#include <vector>

namespace topikos {

/// A move of the arm as somebody types it in one line: "Z +25", "j4 -10", "x 350 y 0", "rz = -90".
struct TypedMove {
    enum class What { Joint, Along, About };
    struct Part {
        What what;
        int index;     ///< of the joint, or 0 to 2
        bool by;       ///< by so much; else to
        double value;  ///< [m or rad]
        bool operator==(const Part&) const = default;
    };
    std::vector<Part> parts;
    bool joints() const { return !parts.empty() && parts.front().what == What::Joint; }
};

/// Reads one. A sign means by so much; without one, or behind "=", it is where to go. Values are sums with a unit, if
/// not that of `lengthUnit` and `angleUnit` [m, rad]. Joints and places do not mix, and each is said once.
Result<TypedMove> readTypedMove(const std::string& text, const Arm& arm, double lengthUnit, double angleUnit);

}  // namespace topikos
