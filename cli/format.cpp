#include "cli/commands.h"
#include "cli/support.h"
#include "core/files/cell_file.h"

namespace topikos::cli {

int formatCell(const std::string& file)
{
    const Result<Cell> cell = openCell(file);
    if (!cell) return refused(cell.error());
    if (const Status bad = saveCell(file, *cell)) return refused(*bad);
    return 0;
}

}  // namespace topikos::cli
