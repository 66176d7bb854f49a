#include "cli/commands.h"
#include "cli/support.h"
#include "core/cell/edit_steps.h"
#include "core/cell/edit_support.h"
#include "core/cell/time_tables.h"
#include "core/files/cell_file.h"
#include "core/files/file.h"
#include "core/files/time_table_csv.h"
#include "core/spatial/text.h"

#include <fmt/format.h>

#include <cstdio>
#include <filesystem>

namespace topikos::cli {

namespace {

Error unknown(const char* what, const std::string& name)
{
    return {"cli.name", fmt::format("the cell has no {} called \"{}\"", what, name), "", "Name one of the cell."};
}

}  // namespace

int tableIntoCell(const std::string& file, const std::string& csv, const TableOptions& options)
{
    const Result<Cell> cell = openCell(file);
    if (!cell) return refused(cell.error());
    const ArmStation* arm = options.arm.empty() ? &cell->arms.front() : findNamed(cell->arms, options.arm);
    if (!arm) return refused(unknown("arm", options.arm));
    const Routine* routine = options.into.empty() ? nullptr : findNamed(cell->routines, options.into);
    if (!options.into.empty() && !routine) return refused(unknown("routine", options.into));
    const Result<std::string> text = readFile(csv, kMostTableBytes);
    if (!text) return refused(text.error());
    const auto inCsv = [&](const Error& error) { return refused(within(error, csv)); };
    const Result<TableText> table = splitTable(*text);
    if (!table) return inCsv(table.error());
    const std::vector<TableColumn> columns = guessColumns(*table, *arm);
    const Result<TimeRows> rows = timeRowsOf(*table, columns, *arm);
    if (!rows) return inCsv(rows.error());
    std::fprintf(stderr, "topikos-cli: %s\n", shownText(columnsText(*table, columns, *arm)).c_str());
    const std::string name = options.name.empty() ? std::filesystem::path(csv).stem().string() : options.name;
    const TimeTable* former = findNamed(cell->timeTables, name);
    TimeTableId id = former ? former->id : TimeTableId();
    Result<Cell> next = former ? setTimeRows(*cell, id, *rows) : addTimeTable(*cell, arm->id, name, *rows, &id);
    if (next && routine) next = insertSteps(*next, routine->id, routine->steps.size(), {Step{.action = PlayTable{id}}});
    if (!next) return refused(next.error());
    if (const Status bad = saveCell(options.out.empty() ? file : options.out, *next)) return refused(*bad);
    return 0;
}

}  // namespace topikos::cli
