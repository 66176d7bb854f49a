#pragma once
#include "core/cell/cell.h"
#include "core/files/file.h"
#include "core/spatial/result.h"

#include <string>

namespace topikos {

inline constexpr int kCellFormatVersion = 9;
inline constexpr std::size_t kLargestCellFile = std::size_t(512) << 20;  // [bytes]

/// The cell as the text of a cell file: canonical, so that writing what was read gives the same bytes. Format:
/// docs/format/cell.md.
std::string writeCell(const Cell& cell);

/// Reads the text of a cell file. Every reference, range and number is checked; the error names the line or the place
/// in the document. `name` stands in the message for the file.
Result<Cell> readCell(const std::string& text, const std::string& name);

Result<Cell> openCell(const std::string& path);

/// Saves with saveFile() what can be read again: the text is read back and compared with the cell first. A cell that
/// does not come back is refused with the reason.
Status saveCell(const std::string& path, const Cell& cell);

}  // namespace topikos
