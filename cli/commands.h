#pragma once
#include <string>

/// One function per command. Each writes to standard output and error and returns the exit code: 0 done, 1 something blocked, 2 bad input.
namespace topikos::cli {

int armList();
int armInfo(const std::string& arm);
int armForward(const std::string& arm);
int armJacobian(const std::string& arm);
int armInverse(const std::string& arm);
int armSingular(const std::string& arm);
int armTorque(const std::string& arm);

int checkCell(const std::string& file, bool json, const std::string& junit);
int simulateCell(const std::string& file, bool json, int cycles, const std::string& trace);
int formatCell(const std::string& file);

}  // namespace topikos::cli
