#pragma once
#include "core/spatial/result.h"

#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace topikos {

// Tables as text, as spreadsheets and other programs write them.

inline constexpr size_t kMostTableBytes = size_t(64) << 20;
inline Error tableError(std::string message, std::string where, std::string remedy)
{
    return {"table.csv", std::move(message), std::move(where), std::move(remedy)};
}

/// A text split into cells. Columns are parted by the first of tab, semicolon and comma that its first line has outside
/// quotation marks; with tabs and semicolons a comma may stand for the decimal point.
struct TableText {
    std::vector<std::string> names;  ///< of the columns: the first line, or "column 1", … when that is numbers already
    std::vector<std::vector<std::string>> rows;
    std::vector<size_t> lines;  ///< of each row in the text, from 1
    char separator = ',';
    bool named = true;  ///< the first line was names
};
/// Fails on a text without rows, and on rows of another number of columns than the first line; with `broken` those are
/// told there and left out.
Result<TableText> splitTable(const std::string& text, std::vector<Error>* broken = nullptr);

enum class TableUnit { Second, Millisecond, Radian, Degree, Metre, Millimetre, Centimetre, Inch };
const char* tableUnitName(TableUnit unit);  ///< "s", "ms", "rad", "°", "m", "mm", "cm", "in"
double inSi(TableUnit unit);                ///< how much one of it is [s, rad or m]

std::string_view trimmed(std::string_view text);
/// A number that is the whole text; a comma may stand for the point.
std::optional<double> numberIn(std::string_view text, bool comma);
/// A column's name without its unit, lowered: that stands in brackets, or behind the last blank or underscore.
std::pair<std::string, std::optional<TableUnit>> nameAndUnit(const std::string& name);
/// The same of a column with a unit in brackets that is none of those; nothing where there is none.
std::optional<std::string> nameOfStrangeUnit(const std::string& name);
inline bool isLength(TableUnit unit) { return unit >= TableUnit::Metre; }
inline bool isAngle(TableUnit unit) { return unit == TableUnit::Radian || unit == TableUnit::Degree; }

}  // namespace topikos
