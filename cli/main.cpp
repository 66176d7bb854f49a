#include "cli/commands.h"

#include <CLI/CLI.hpp>

#include <cstdio>
#include <exception>
#include <string>

int main(int argc, char** argv)
{
    using namespace topikos::cli;
    CLI::App app{"Topikos without a window: arms, checks and cycles. Numbers are SI; docs/manual/command-line.md has it all.", "topikos-cli"};
    app.require_subcommand(0, 1);
    bool json = false;
    int code = 0;

    CLI::App* arm = app.add_subcommand("arm", "Questions about an arm: a catalogue id or a URDF file");
    arm->require_subcommand(0, 1);
    CLI::App* list = arm->add_subcommand("list", "Arms of the catalogue");
    list->add_flag("--json", json, "JSON (always so here)");
    list->callback([&] { code = armList(); });
    std::string name;
    const auto query = [&](const char* word, const char* help, int (*run)(const std::string&)) {
        CLI::App* command = arm->add_subcommand(word, help);
        command->add_option("ARM", name, "Catalogue id or URDF file")->required();
        command->add_flag("--json", json, "JSON (always so here)");
        command->callback([&code, &name, run] { code = run(name); });
    };
    query("info", "Axes, ranges and family of inverse kinematics", armInfo);
    query("fk", "Flange pose for each line {\"q\":[...]} of standard input", armForward);
    query("jacobian", "Jacobian and singular values for each line {\"q\":[...]}", armJacobian);
    query("ik", "All postures for each line {\"pose\":[[...],...]}, optional \"near\":[...]", armInverse);
    query("singular", "Smallest singular value, kinds and margins for each line {\"q\":[...]}", armSingular);

    query("torque", "Joint efforts for each line {\"q\",\"qd\",\"qdd\"}, optional \"gravity\" and \"payload\":{\"mass\",\"com\"}", armTorque);

    std::string file, junit, trace;
    int cycles = 1;
    CLI::App* checkCommand = app.add_subcommand("check", "Findings about a cell; exit code 1 if something is blocked");
    checkCommand->add_option("CELL", file, "Cell file")->required();
    checkCommand->add_flag("--json", json, "One JSON object instead of text");
    checkCommand->add_option("--junit", junit, "Also write the findings as a JUnit file");
    checkCommand->callback([&] { code = checkCell(file, json, junit); });

    CLI::App* simulateCommand = app.add_subcommand("simulate", "Run the cycle of a cell; exit code 1 if it is blocked");
    simulateCommand->add_option("CELL", file, "Cell file")->required();
    simulateCommand->add_flag("--json", json, "One JSON object instead of text");
    simulateCommand->add_option("--cycles", cycles, "How many cycles to count")->check(CLI::Range(1, 1000000));
    simulateCommand->add_option("--trace", trace, "Write time, joints, gripper and TCP to this CSV file");
    simulateCommand->callback([&] { code = simulateCell(file, json, cycles, trace); });

    CLI::App* formatCommand = app.add_subcommand("format", "Rewrite a cell file in canonical form");
    formatCommand->add_option("CELL", file, "Cell file")->required();
    formatCommand->callback([&] { code = formatCell(file); });

    try {
        app.parse(argc, argv);
        if (app.get_subcommands().empty()) throw CLI::RequiredError("One of the commands arm, check, simulate, format");
        if (arm->parsed() && arm->get_subcommands().empty()) throw CLI::RequiredError("One of the questions list, info, fk, jacobian, ik, singular, torque");
    } catch (const CLI::Success& success) {
        return app.exit(success);
    } catch (const CLI::ParseError& error) {
        std::fprintf(stderr, "topikos-cli: %s. Run topikos-cli --help.\n", error.what());
        return 2;
    } catch (const std::exception& error) {
        std::fprintf(stderr, "topikos-cli: %s\n", error.what());
        return 2;
    }
    return code;
}
