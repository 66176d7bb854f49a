#pragma once
#include "core/mend/remedy.h"

namespace topikos {

/// One thing that could be done about a finding, by more or less of it. Only the least amount that helps is offered.
struct Change {
    std::string change;           ///< see Remedy
    double rank = 0;              ///< of the least amount; changes with a lower one are tried first
    double perAmount = 0;         ///< that the rank grows by, per unit of the amount
    std::vector<double> amounts;  ///< in the order of trying; 0 alone where there is no more or less
    double unit = 0;  ///< between the last amount that did not help and the first that did there may be a least one, in
                      ///< whole units of this; 0: there is none
    std::function<Result<Cell>(double amount)> make;
    std::function<std::string(double amount)> text;
    TargetId target{};  ///< that it changes, and whose verdict tells at once whether it is of any use
};

/// What could be done about a finding, none of it tried yet.
std::vector<Change> changesFor(const Cell& cell, const CheckResult& checked, const Finding& finding, PlanCache* plans,
                               const std::stop_token& stop);

/// Where device axes stand when the step that a finding is about ends, or when its target is gone to.
AxisValues axesFor(const CheckResult& checked, const Finding& finding);

}  // namespace topikos
