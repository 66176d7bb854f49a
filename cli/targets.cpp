#include "cli/commands.h"
#include "cli/support.h"
#include "core/cell/edit_support.h"
#include "core/cell/applied.h"
#include "core/files/cell_file.h"
#include "core/files/table_text.h"
#include "core/files/targets_csv.h"
#include "core/spatial/text.h"

#include <fmt/format.h>

#include <cstdio>
#include <iostream>

namespace topikos::cli {

int targetsOfCell(const std::string& file, const TargetsOptions& options)
{
    const Result<Cell> cell = openCell(file);
    if (!cell) return refused(cell.error());
    if (options.from.empty()) {
        std::cout << targetsCsv(*cell);
        return 0;
    }
    const Result<std::string> text = readFile(options.from, kMostTableBytes);
    if (!text) return refused(text.error());
    const Result<TargetsRead> read = targetsFromCsv(*cell, *text);
    if (!read) return refused(within(read.error(), options.from));
    if (!read->unread.empty())
        std::fprintf(stderr, "topikos-cli: %s: %s\n", options.from.c_str(), read->unreadText().c_str());
    for (const Error& error : read->broken)
        std::fprintf(stderr, "topikos-cli: %s: %s\n", options.from.c_str(), error.line().c_str());
    if (!read->broken.empty() && !options.keepRest)
        return refused({"targets.csv",
                        fmt::format("{} of the rows {} wrong; nothing was taken", read->broken.size(),
                                    read->broken.size() == 1 ? "is" : "are"),
                        options.from, "Mend them, or take the others with --keep-rest."});
    const Result<Cell> next = applied(*cell, [&](const Cell&) { return Result<Cell>(read->cell); });
    if (!next) return refused(next.error());
    if (const Status bad = saveCell(options.out.empty() ? file : options.out, *next)) return refused(*bad);
    std::cout << fmt::format("{} changed, {} added\n", read->changed, read->added);
    return 0;
}

}  // namespace topikos::cli
