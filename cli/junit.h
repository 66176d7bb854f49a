#pragma once
#include "core/check/check.h"

namespace topikos::cli {

/// The findings as a JUnit file: one test case per step and target; blocked ones fail.
std::string junitText(const Cell& cell, const CheckResult& result);

}  // namespace topikos::cli
