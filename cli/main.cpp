#include "cli/commands.h"
#include "cli/outputs.h"
#include "cli/support.h"
#include "core/report/trace_csv.h"
#include "core/spatial/limits.h"
#include "core/spatial/text.h"

#include <CLI/CLI.hpp>

#include <cerrno>
#include <cmath>
#include <cstdio>
#include <cstdlib>
#include <cstring>
#include <exception>
#include <functional>
#include <iostream>
#include <string>

namespace {

/// Numbers that are none, or too large for one, are refused everywhere.
void refuseNoNumbers(CLI::App& app)
{
    for (CLI::App* command : app.get_subcommands({}))
        refuseNoNumbers(*command);
    for (CLI::Option* option : app.get_options())
        if (option->get_type_name().find("FLOAT") != std::string::npos)
            option->check(
                [](const std::string& text) {
                    return std::isfinite(std::strtod(text.c_str(), nullptr)) ? "" : "\"" + text + "\" is not a number";
                },
                "");
}

}  // namespace

int main(int argc, char** argv)
{
    using namespace topikos::cli;
    CLI::App app{
        "Topikos without a window: arms, checks and cycles. Numbers are SI; docs/manual/command-line.md has it all.",
        "topikos-cli"};
    app.require_subcommand(0, 1);
    bool json = false;
    int code = 0;
    Outputs paths;
    // Runs a command when all the files that it names may be what they are to be.
    const auto onceAllowed = [&](CLI::App* command, const std::function<int()>& run) {
        command->callback([&, run] {
            const topikos::Status bad = paths.check();
            code = bad ? refused(*bad) : run();
        });
    };

    CLI::App* arm = app.add_subcommand("arm", "Questions about an arm: a catalogue id, a .topikos-arm or a URDF file");
    arm->require_subcommand(0, 1);
    CLI::App* list = arm->add_subcommand("list", "Arms of the catalogue");
    list->add_flag("--json", json, "JSON (always so here)");
    onceAllowed(list, [&] { return armList(); });
    ArmChoice choice;
    const auto about = [&](CLI::App* command) {
        paths.in(command->add_option("ARM", choice.name, "Catalogue id, .topikos-arm or URDF file")->required(),
                 choice.name);
        command->add_option("--base", choice.base, "Link that the chain of a URDF file begins at");
        command->add_option("--tip", choice.tip, "Link that the chain of a URDF file ends at");
    };
    const auto query = [&](const char* word, const char* help, int (*run)(const ArmChoice&)) {
        CLI::App* command = arm->add_subcommand(word, help);
        about(command);
        command->add_flag("--json", json, "JSON (always so here)");
        command->callback([&code, &choice, run] { code = run(choice); });
    };
    query("info", "Axes, ranges and family of inverse kinematics", armInfo);
    query("fk", "Flange pose for each line {\"q\":[...]} of standard input", armForward);
    query("jacobian", "Jacobian and singular values for each line {\"q\":[...]}", armJacobian);
    query("ik",
          "All postures for each line {\"pose\":[[...],...]}, optional \"near\":[...], \"turns\":\"all\", "
          "\"locked\":[...]",
          armInverse);
    query("singular", "Smallest singular value, kinds and margins for each line {\"q\":[...]}", armSingular);

    query("torque",
          "Joint efforts for each line {\"q\",\"qd\",\"qdd\"}, optional \"gravity\" and \"payload\":{\"mass\",\"com\"}",
          armTorque);

    std::string out;
    CLI::App* armOut = arm->add_subcommand("export", "Write the arm as .topikos-arm, .urdf or .srdf");
    about(armOut);
    paths.out(armOut->add_option("OUT", out, "File to write")->required(), out);
    std::vector<std::string> packages;
    armOut->add_option("--package", packages, "NAME=FOLDER: where a package lies that a URDF file takes surfaces from");
    onceAllowed(armOut, [&] { return armExport(choice, packages, out); });

    std::string file;
    SimulateOptions run;
    run.until = INFINITY;
    run.every = topikos::kTableStep;
    CLI::App* checkCommand = app.add_subcommand("check", "Findings about a cell; exit code 1 if something is blocked");
    std::vector<std::string> files;
    CheckCliOptions checking;
    paths.in(checkCommand->add_option("CELL", files, "Cell files")->required(), files);
    checkCommand->add_flag("--json", checking.json, "One JSON object instead of text");
    paths.out(checkCommand->add_option("--junit", checking.junit, "Also write the findings as a JUnit file"),
              checking.junit);
    checkCommand->add_flag("--remedies", checking.remedies, "What takes each finding away, tried on the whole cell");
    onceAllowed(checkCommand, [&] { return checkCells(files, checking); });

    int finding = 1, remedy = 1;
    CLI::App* mendCommand = app.add_subcommand("mend", "Apply a remedy of a finding, as check --remedies counts them");
    paths.cell(mendCommand->add_option("CELL", file, "Cell file")->required(), file);
    mendCommand->add_option("--finding", finding, "Number of the finding (1)")->check(CLI::Range(1, 1000000));
    mendCommand->add_option("--remedy", remedy, "Number of the remedy (1)")->check(CLI::Range(1, 1000));
    std::string mended;
    paths.outOverCell(mendCommand->add_option("-o,--output", mended, "Cell file to write")->required(), mended);
    onceAllowed(mendCommand, [&] { return mendCell(file, finding, remedy, mended); });

    PlaceOptions place;
    CLI::App* placeCommand = app.add_subcommand("place", "Where a frame, with all that stands on it, is best put");
    paths.cell(placeCommand->add_option("CELL", file, "Cell file")->required(), file);
    placeCommand->add_option("--move", place.frame, "The frame: what carries an arm, or a fixture")->required();
    placeCommand
        ->add_option("--box", place.box,
                     "Least and most to move along x, y and z in m and to turn about z in rad: -0.2 0.2 -0.1 0.1 ...")
        ->required()
        ->expected(2, 8);
    placeCommand->add_option("--routine", place.routines, "A routine that has to work; without it those that run");
    placeCommand->add_flag("--cycle", place.byCycle, "The shortest cycle counts, not the largest margin");
    placeCommand->add_option("--seed", place.seed, "Of the random places (1)")->check(CLI::Range(0, 1000000));
    paths.out(placeCommand->add_option("--map", place.map, "Write the map over x and y to this CSV file"), place.map);
    paths.outOverCell(
        placeCommand->add_option("-o,--output", place.out, "Write the cell with the best place to this file"),
        place.out);
    placeCommand->add_flag("--json", place.json, "One JSON object instead of text");
    onceAllowed(placeCommand, [&] { return placeInCell(file, place); });

    ReachOptions reach;
    CLI::App* reachCommand =
        app.add_subcommand("reach", "Where an arm reaches: a plane, a box or the bodies of a frame");
    paths.cell(reachCommand->add_option("CELL", file, "Cell file")->required(), file);
    reachCommand->add_option("--arm", reach.arm, "The arm; without it the first one");
    reachCommand->add_option("--frame", reach.frame, "Frame that the box is seen from; without it the world");
    reachCommand->add_option("--box,--plane", reach.box, "X0 X1 Y0 Y1 Z for a plane, X0 X1 Y0 Y1 Z0 Z1 for a box [m]")
        ->expected(5, 6);
    reachCommand->add_flag("--surface", reach.surface, "The bodies of the frame in place of a box, the tool into them");
    reachCommand->add_option("--spacing", reach.spacing, "Of the spots [m] (0.05)");
    reachCommand->add_option("--target", reach.target, "Take the orientation of this target; without it the tool down");
    reachCommand->add_flag("--free", reach.freeTurn, "The tool may turn about its own axis");
    reachCommand->add_option("--cone", reach.cone, "The tool's axis may lean by so many degrees, and turn")
        ->check(CLI::Range(0.0, 180.0));
    reachCommand->add_option("--turn-step", reach.turnStep, "Degrees from one free turn to the next (15)");
    paths.out(reachCommand->add_option("--csv", reach.csv, "Write all spots to this CSV file"), reach.csv);
    reachCommand->add_flag("--json", reach.json, "One JSON object instead of a picture in digits");
    onceAllowed(reachCommand, [&] { return reachOfCell(file, reach); });

    DrawOptions draw;
    CLI::App* drawCommand = app.add_subcommand("draw", "Draw process targets on a body: a seam, or spots");
    paths.cell(drawCommand->add_option("CELL", file, "Cell file")->required(), file);
    drawCommand->add_option("--on", draw.on, "Frame or part whose body is drawn on")->required();
    drawCommand->add_option("--at", draw.at, "X Y Z of a place, in the body [m]; the nearest of the surface counts")
        ->required()
        ->expected(3)
        ->allow_extra_args(false)
        ->multi_option_policy(CLI::MultiOptionPolicy::TakeAll);
    drawCommand->add_flag("--spots", draw.spots, "Spots, each by itself; without it a seam");
    drawCommand->add_flag("--points", draw.pointsOnly, "A point at each place, none between them");
    drawCommand->add_flag("--edge", draw.edge, "Along the sharp edge or rim nearest to the first place");
    drawCommand->add_flag("--closed", draw.closed, "The seam leads back to its first point");
    drawCommand->add_option("--every", draw.every, "Distance of the points [m] (0.02)");
    drawCommand->add_option("--chord", draw.chord, "As few points as keep within this of the line [m]");
    drawCommand->add_option("--smooth", draw.smooth, "Radius that normals are smoothed over [m]");
    drawCommand->add_option("--offset", draw.offset, "Of the tool point from the surface [m]");
    drawCommand->add_option("--lead", draw.lead, "Degrees that the tool leans into the way");
    drawCommand->add_option("--tilt", draw.tilt, "Degrees that it leans to the left of the way");
    drawCommand->add_option("--turn", draw.turn, "Degrees about the tool's axis");
    drawCommand->add_option("--x", draw.x, "Where the tool's x axis points: along the way, fixed as the body's, free")
        ->check(CLI::IsMember({"along", "fixed", "free"}));
    drawCommand->add_option("--arm", draw.arm, "The arm; without it the first one");
    drawCommand->add_option("--name", draw.name, "Of the group");
    paths.outOverCell(drawCommand->add_option("-o,--output", draw.out, "Cell file to write; without it CELL itself"),
                      draw.out);
    onceAllowed(drawCommand, [&] { return drawOnBody(file, draw); });

    TargetsOptions targets;
    CLI::App* targetsCommand =
        app.add_subcommand("targets", "The targets as a table; with --from a table of targets brought in");
    paths.cell(targetsCommand->add_option("CELL", file, "Cell file")->required(), file);
    CLI::Option* fromTable = targetsCommand->add_option("--from", targets.from, "CSV file to bring in");
    paths.in(fromTable, targets.from);
    targetsCommand->add_flag("--keep-rest", targets.keepRest, "Take the rows that are right although others are wrong")
        ->needs(fromTable);
    paths.outOverCell(
        targetsCommand->add_option("-o,--output", targets.out, "Cell file to write; without it CELL itself")
            ->needs(fromTable),
        targets.out);
    onceAllowed(targetsCommand, [&] { return targetsOfCell(file, targets); });

    CLI::App* simulateCommand = app.add_subcommand("simulate", "Run the cycle of a cell; exit code 1 if it is blocked");
    paths.cell(simulateCommand->add_option("CELL", file, "Cell file")->required(), file);
    simulateCommand->add_flag("--json", run.json, "One JSON object instead of text");
    simulateCommand->add_option("--cycles", run.cycles, "How often each arm goes through its routine (1)")
        ->check(CLI::Range(1, 100000));
    simulateCommand
        ->add_option("--until", run.until, "End the run after so many seconds; without --cycles it goes on so long")
        ->check(CLI::Range(0.001, 86400.0));
    paths.out(simulateCommand->add_option("--trace", run.trace, "Write time, joints, gripper and TCP to this CSV file"),
              run.trace);
    const auto range = CLI::Range(topikos::limits::kTableStep.least, topikos::limits::kTableStep.most);
    simulateCommand->add_option("--every", run.every, "Seconds from row to row of that table (0.004)")->check(range);
    simulateCommand->add_flag("--breakdown", run.breakdown, "Where the time goes: by step, arm, device and waiting");
    paths.out(simulateCommand->add_option("--breakdown-csv", run.breakdownFile,
                                          "Write the breakdown by step to this CSV file"),
              run.breakdownFile);
    onceAllowed(simulateCommand, [&] { return simulateCell(file, run); });

    std::vector<std::string> what{"joint-speed", "tcp-speed"};
    double curveStep = topikos::kTableStep;
    std::string curvesOut;
    int curveCycles = 1;
    CLI::App* curvesCommand =
        app.add_subcommand("curves", "Curves of the run of a cell: .csv a table, .svg or .png a picture");
    paths.cell(curvesCommand->add_option("CELL", file, "Cell file")->required(), file);
    paths.out(curvesCommand->add_option("OUT", curvesOut, "File to write")->required(), curvesOut);
    curvesCommand->add_option("--what", what, "Curves, by commas: joint-speed, tcp-speed, joint-torque, ...")
        ->delimiter(',');
    curvesCommand->add_option("--every", curveStep, "Seconds from row to row of a table (0.004)")->check(range);
    curvesCommand->add_option("--cycles", curveCycles, "How often each arm goes through its routine (1)")
        ->check(CLI::Range(1, 1000));
    onceAllowed(curvesCommand, [&] { return curvesOfCell(file, curvesOut, what, curveCycles, curveStep); });

    CLI::App* exportCommand =
        app.add_subcommand("export", "Write a part of a cell: .csv the run, .urdf, .srdf or .topikos-arm its arm");
    paths.cell(exportCommand->add_option("CELL", file, "Cell file")->required(), file);
    paths.out(exportCommand->add_option("OUT", out, "File to write")->required(), out);
    onceAllowed(exportCommand, [&] { return exportCell(file, out); });

    std::string from;
    CLI::App* programCommand =
        app.add_subcommand("program", "The program of a cell as text; with --from the cell with the program of a text");
    paths.cell(programCommand->add_option("CELL", file, "Cell file")->required(), file);
    CLI::Option* fromOption =
        programCommand->add_option("--from", from, "Text to put in, - for standard input; errors say LINE:COLUMN");
    paths.in(fromOption, from);
    paths.outOverCell(
        programCommand->add_option("-o,--output", out, "Cell file to write; without it CELL itself")->needs(fromOption),
        out);
    programCommand->add_flag("--json", json, "One JSON object instead of text");
    onceAllowed(programCommand, [&] { return programOfCell(file, from, out, json); });

    TableOptions table;
    std::string csv;
    CLI::App* tableCommand = app.add_subcommand("table", "Bring times and joint values from a CSV file into a cell");
    paths.cell(tableCommand->add_option("CELL", file, "Cell file")->required(), file);
    paths.in(
        tableCommand->add_option("CSV", csv, "Table: a column \"time\", and one for each joint, by name")->required(),
        csv);
    tableCommand->add_option("--name", table.name, "What it is called; the rows of one of that name are replaced");
    tableCommand->add_option("--arm", table.arm, "The arm whose joints they are; without it the first one");
    tableCommand->add_option("--into", table.into, "Routine that gets a step that plays it, at its end");
    paths.outOverCell(tableCommand->add_option("-o,--output", table.out, "Cell file to write; without it CELL itself"),
                      table.out);
    onceAllowed(tableCommand, [&] { return tableIntoCell(file, csv, table); });

    std::string bodyA, bodyB;
    double at = 0;
    CLI::App* clearanceCommand =
        app.add_subcommand("clearance", "How near bodies come: two of them, or every checked pair over the run");
    paths.cell(clearanceCommand->add_option("CELL", file, "Cell file")->required(), file);
    CLI::Option* optionA =
        clearanceCommand->add_option("--a", bodyA, "Body: a frame, a part, a tool, or \"ARM link N\"");
    CLI::Option* optionB = clearanceCommand->add_option("--b", bodyB, "The other one")->needs(optionA);
    optionA->needs(optionB);
    clearanceCommand->add_option("--at", at, "Time of the run in s (0)")->needs(optionA)->check(CLI::Range(0.0, 1e7));
    onceAllowed(clearanceCommand, [&] { return clearanceOfCell(file, bodyA, bodyB, at); });

    CLI::App* formatCommand = app.add_subcommand("format", "Rewrite a cell file in canonical form");
    paths.cell(formatCommand->add_option("CELL", file, "Cell file")->required(), file);
    onceAllowed(formatCommand, [&] { return formatCell(file); });

    refuseNoNumbers(app);
    try {
        app.parse(argc, argv);
        if (app.get_subcommands().empty())
            throw CLI::RequiredError(
                "One of the commands arm, check, mend, place, reach, targets, simulate, curves, program, "
                "table, clearance, export, "
                "format");
        if (arm->parsed() && arm->get_subcommands().empty())
            throw CLI::RequiredError("One of the questions list, info, fk, jacobian, ik, singular, torque, export");
    } catch (const CLI::Success& success) {
        return app.exit(success);
    } catch (const CLI::ParseError& error) {
        std::fprintf(stderr, "topikos-cli: %s. Run topikos-cli --help.\n", topikos::shownText(error.what()).c_str());
        return 2;
    } catch (const std::exception& error) {
        std::fprintf(stderr, "topikos-cli: %s\n", topikos::shownText(error.what()).c_str());
        return 2;
    }
    // What was said to be done has to be out.
    std::cout.flush();
    if (!std::cout || std::fflush(stdout) != 0 || std::ferror(stdout)) {
        std::fprintf(stderr, "topikos-cli: The answer cannot be written to standard output: %s.\n",
                     std::strerror(errno ? errno : EIO));
        return 2;
    }
    return code;
}
