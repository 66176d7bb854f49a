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

struct CheckCliOptions {
    bool json = false, remedies = false;
    std::string junit;  ///< file to write, if any
};
/// Checks cells one after the other; of several there is a total.
int checkCells(const std::vector<std::string>& files, const CheckCliOptions& options);
/// Applies a remedy of a finding, both counted from 1.
int mendCell(const std::string& file, int finding, int remedy, const std::string& out);

/// The best places for what stands on a frame. SI numbers.
struct PlaceOptions {
    std::string frame;
    std::vector<double> box;  ///< least and most along x, y, z [m] and about z [rad]; later ones may be left out
    std::vector<std::string> routines;
    bool byCycle = false, json = false;
    int seed = 1;
    std::string map, out;  ///< .csv of the map; cell with the best place
};
int placeInCell(const std::string& file, const PlaceOptions& options);

/// Where an arm reaches: a plane, a box or the bodies of a frame.
struct ReachOptions {
    std::string arm, frame, target;  ///< the first arm; the world; a target whose orientation is taken, else tool down
    std::vector<double> box;         ///< X0 X1 Y0 Y1 Z, or X0 X1 Y0 Y1 Z0 Z1 [m]
    double spacing = 0.05;           ///< [m]
    bool surface = false, freeTurn = false, json = false;
    double cone = 0;       ///< [degrees]
    double turnStep = 15;  ///< [degrees]
    std::string csv;       ///< file for the table
};
int reachOfCell(const std::string& file, const ReachOptions& options);

struct DrawOptions {
    std::string on, arm, name, out;
    std::vector<double> at;  ///< three for each place, in the body [m]
    bool spots = false, edge = false, closed = false, pointsOnly = false;
    double every = 0.02, chord = 0, smooth = 0, offset = 0;  ///< [m]; a chord goes before `every`
    double lead = 0, tilt = 0, turn = 0;                     ///< [degrees]
    std::string x = "along";                                 ///< along, fixed, free
};
/// Draws a group of process targets on a body.
int drawOnBody(const std::string& file, const DrawOptions& options);

/// Runs each arm's routine so many cycles, up to a time; 0 cycles: as often as it takes until then. The table has a row
/// every so many seconds.
struct SimulateOptions {
    bool json = false, breakdown = false;
    int cycles = 0;
    double until = 0;           ///< [s]
    std::string trace;          ///< file for the table
    double every = 0;           ///< [s]
    std::string breakdownFile;  ///< .csv
};
int simulateCell(const std::string& file, const SimulateOptions& options);
/// Curves of a run as .csv (a row every `every` [s]), .svg or .png.
int curvesOfCell(const std::string& file, const std::string& out, const std::vector<std::string>& what, int cycles,
                 double every);
int exportCell(const std::string& file, const std::string& out);
int formatCell(const std::string& file);

/// The program as text; with `from` ("-": standard input) puts a text in and writes the cell to `out`, or to the file
/// itself.
int programOfCell(const std::string& file, const std::string& from, const std::string& out, bool json);

/// Distance of two bodies at a time of the run [s]; without names the smallest one of every checked pair over the run.
int clearanceOfCell(const std::string& file, const std::string& a, const std::string& b, double at);

/// The targets as a table, or a table of targets brought in.
struct TargetsOptions {
    std::string from, out;  ///< .csv to bring in; the cell to write, without it the cell itself
    bool keepRest = false;  ///< rows that are right are taken although others are wrong
};
int targetsOfCell(const std::string& file, const TargetsOptions& options);

/// Brings a time table in: under a name that is there it takes the place of those rows. With a routine, a step that
/// plays it comes at its end.
struct TableOptions {
    std::string arm, name, into, out;  ///< arm: the first one; name: that of the file; out: the cell itself
};
int tableIntoCell(const std::string& file, const std::string& csv, const TableOptions& options);

}  // namespace topikos::cli
