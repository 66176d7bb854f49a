#include "cli/commands.h"
#include "cli/support.h"
#include "core/files/cell_file.h"
#include "core/files/file.h"
#include "core/program/program_text.h"
#include "core/spatial/limits.h"
#include "core/spatial/text.h"

#include <nlohmann/json.hpp>

#include <cstdio>
#include <iostream>
#include <iterator>

namespace topikos::cli {

namespace {

/// All of standard input; a little more than can be a program, so that what is too long is told as that.
std::string standardInput()
{
    std::string out;
    char piece[1 << 14];
    while (std::cin.read(piece, sizeof piece), std::cin.gcount() > 0) {
        out.append(piece, size_t(std::cin.gcount()));
        if (double(out.size()) > limits::kProgramText.most + 1) break;
    }
    return out;
}

}  // namespace

int programOfCell(const std::string& file, const std::string& from, const std::string& out, bool json)
{
    const Result<Cell> cell = openCell(file);
    if (!cell) return refused(cell.error());
    if (from.empty()) {
        if (json)
            std::cout << nlohmann::ordered_json{{"cell", cell->name}, {"program", programText(*cell)}}.dump() << '\n';
        else std::cout << programText(*cell);
        return 0;
    }
    std::string text;
    if (from == "-") {
        text = standardInput();
    } else {
        Result<std::string> read = readFile(from, size_t(limits::kProgramText.most) + 1);
        if (!read) return refused(read.error());
        text = std::move(read).value();
    }
    const ProgramReading reading = readProgram(*cell, text);
    for (const TextError& error : reading.errors)
        std::fprintf(stderr, "%s\n", shownText(boundedMessage(error.text())).c_str());
    if (!reading.cell) return 2;
    if (const Status bad = saveCell(out.empty() ? file : out, *reading.cell)) return refused(*bad);
    return 0;
}

}  // namespace topikos::cli
