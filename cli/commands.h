#pragma once
#include <string>
#include <vector>

/// One function per command. Each writes to standard output and error and returns the exit code: 0 done, 1 something
/// blocked, 2 bad input.
namespace topikos::cli {

/// Which arm is asked about: a catalogue id or a file; base and tip for URDF files of several chains.
struct ArmChoice {
    std::string name, base, tip;
};

int armList();
int armInfo(const ArmChoice& arm);
int armForward(const ArmChoice& arm);
int armJacobian(const ArmChoice& arm);
int armInverse(const ArmChoice& arm);
int armSingular(const ArmChoice& arm);
int armTorque(const ArmChoice& arm);
int armExport(const ArmChoice& arm, const std::vector<std::string>& packages, const std::string& out);

int checkCell(const std::string& file, bool json, const std::string& junit);
/// Runs each arm's routine `cycles` times, up to `until` [s]; 0 cycles: as often as it takes until then. The table
/// `trace` has a row every `every` [s].
int simulateCell(const std::string& file, bool json, int cycles, double until, const std::string& trace, double every);
int exportCell(const std::string& file, const std::string& out);
int formatCell(const std::string& file);

/// The program as text; with `from` ("-": standard input) puts a text in and writes the cell to `out`, or to the file
/// itself.
int programOfCell(const std::string& file, const std::string& from, const std::string& out, bool json);

}  // namespace topikos::cli
