#include "core/files/table_text.h"

#include "core/spatial/text.h"
#include "core/spatial/units.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <charconv>
#include <cmath>
#include <utility>

namespace topikos {

namespace {

/// The first of the three that the first line has outside quotation marks.
char separatorOf(std::string_view text)
{
    std::array<bool, 128> has{};
    bool quoted = false;
    for (const char c : text) {
        if (c == '"') quoted = !quoted;
        if (quoted) continue;
        if (c == '\n') break;
        if (c > 0) has[size_t(c)] = true;
    }
    for (const char c : {'\t', ';'})
        if (has[size_t(c)]) return c;
    return ',';
}

struct UnitWord {
    const char* word;
    TableUnit unit;
};
constexpr UnitWord kUnitWords[] = {{"s", TableUnit::Second},
                                   {"sec", TableUnit::Second},
                                   {"seconds", TableUnit::Second},
                                   {"ms", TableUnit::Millisecond},
                                   {"rad", TableUnit::Radian},
                                   {"radians", TableUnit::Radian},
                                   {"deg", TableUnit::Degree},
                                   {"°", TableUnit::Degree},
                                   {"degrees", TableUnit::Degree},
                                   {"m", TableUnit::Metre},
                                   {"mm", TableUnit::Millimetre},
                                   {"cm", TableUnit::Centimetre},
                                   {"in", TableUnit::Inch},
                                   {"inch", TableUnit::Inch},
                                   {"metres", TableUnit::Metre},
                                   {"millimetres", TableUnit::Millimetre},
                                   {"centimetres", TableUnit::Centimetre}};

std::optional<TableUnit> unitIn(std::string_view word)
{
    for (const UnitWord& own : kUnitWords)
        if (word == own.word) return own.unit;
    return std::nullopt;
}

}  // namespace

std::string_view trimmed(std::string_view text)
{
    constexpr std::string_view blanks = " \t\r\n";
    const size_t first = text.find_first_not_of(blanks);
    if (first == text.npos) return {};
    return text.substr(first, text.find_last_not_of(blanks) - first + 1);
}

std::optional<double> numberIn(std::string_view text, bool comma)
{
    std::string own(trimmed(text));
    if (comma)
        for (char& c : own)
            if (c == ',') c = '.';
    double value = 0;
    const char* begin = own.data() + (own.starts_with('+') ? 1 : 0);
    if (begin != own.data() && *begin == '-') return std::nullopt;
    const auto [end, error] = std::from_chars(begin, own.data() + own.size(), value);
    if (error != std::errc() || end != own.data() + own.size() || begin == end || !std::isfinite(value))
        return std::nullopt;
    return value;
}

std::pair<std::string, std::optional<TableUnit>> nameAndUnit(const std::string& name)
{
    std::string low = lowered(std::string(trimmed(name)));
    for (const auto& [open, close] : {std::pair('[', ']'), std::pair('(', ')')}) {
        const size_t begin = low.rfind(open);
        if (begin == low.npos || low.back() != close) continue;
        const auto unit = unitIn(trimmed(std::string_view(low).substr(begin + 1, low.size() - begin - 2)));
        if (unit) return {std::string(trimmed(std::string_view(low).substr(0, begin))), unit};
    }
    const size_t last = low.find_last_of(" _");
    if (last != low.npos && last > 0)
        if (const auto unit = unitIn(std::string_view(low).substr(last + 1)))
            return {std::string(trimmed(std::string_view(low).substr(0, last))), unit};
    return {low, std::nullopt};
}

std::optional<std::string> nameOfStrangeUnit(const std::string& name)
{
    const std::string low = lowered(std::string(trimmed(name)));
    for (const auto& [open, close] : {std::pair('[', ']'), std::pair('(', ')')}) {
        const size_t begin = low.rfind(open);
        if (begin == low.npos || begin == 0 || low.back() != close) continue;
        if (!unitIn(trimmed(std::string_view(low).substr(begin + 1, low.size() - begin - 2))))
            return std::string(trimmed(std::string_view(low).substr(0, begin)));
    }
    return std::nullopt;
}

double inSi(TableUnit unit)
{
    switch (unit) {
    case TableUnit::Second:
    case TableUnit::Radian:
    case TableUnit::Metre: return 1;
    case TableUnit::Millisecond: return 1e-3;
    case TableUnit::Degree: return kDegree;
    case TableUnit::Millimetre: return kMillimetre;
    case TableUnit::Centimetre: return 0.01;
    case TableUnit::Inch: return 0.0254;
    }
    return 1;
}

const char* tableUnitName(TableUnit unit)
{
    switch (unit) {
    case TableUnit::Second: return "s";
    case TableUnit::Millisecond: return "ms";
    case TableUnit::Radian: return "rad";
    case TableUnit::Degree: return "°";
    case TableUnit::Metre: return "m";
    case TableUnit::Millimetre: return "mm";
    case TableUnit::Centimetre: return "cm";
    case TableUnit::Inch: return "in";
    }
    return "";
}

Result<TableText> splitTable(const std::string& text, std::vector<Error>* broken)
{
    if (!isUtf8(text)) return tableError("the text is not UTF-8", "", "Save it as UTF-8.");
    TableText out;
    std::string_view rest = text;
    rest.remove_prefix(withoutByteOrderMark(rest));
    out.separator = separatorOf(rest);
    size_t line = 1, begins = 1;
    std::vector<std::string> row(1);
    bool first = true, quoted = false, any = false;
    std::optional<Error> bad;
    const auto finish = [&] {
        const size_t at = begins;
        std::vector<std::string> own = std::exchange(row, std::vector<std::string>(1));
        if (!std::exchange(any, false)) return;  // an empty line
        if (first) {
            first = false;
            const bool comma = out.separator != ',';
            out.named = std::any_of(own.begin(), own.end(), [&](const std::string& c) { return !numberIn(c, comma); });
            if (out.named) {
                out.names = std::move(own);
                return;
            }
            for (size_t i = 0; i < own.size(); ++i)
                out.names.push_back(fmt::format("column {}", i + 1));
        }
        if (own.size() != out.names.size()) {
            Error error = tableError(fmt::format("has {} {}; the first line has {}", own.size(),
                                                 own.size() == 1 ? "column" : "columns", out.names.size()),
                                     fmt::format("line {}", at), "Give every line the same columns.");
            if (broken) return broken->push_back(std::move(error));
            if (!bad) bad = std::move(error);
        }
        out.rows.push_back(std::move(own));
        out.lines.push_back(at);
    };
    for (size_t i = 0; i < rest.size(); ++i) {
        const char c = rest[i];
        if (quoted) {
            if (c == '"' && i + 1 < rest.size() && rest[i + 1] == '"') row.back() += rest[++i];
            else if (c == '"') quoted = false;
            else row.back() += c;
        } else if (c == '"' && row.back().empty()) {
            quoted = any = true;
        } else if (c == out.separator) {
            any = true;
            row.emplace_back();
        } else if (c == '\n') {
            finish();
            begins = line + 1;
        } else if (c == '\r' && (i + 1 == rest.size() || rest[i + 1] == '\n')) {
            // the line ends in two characters
        } else {
            any = any || c != ' ';
            row.back() += c;
        }
        line += c == '\n';
        if (bad) return *bad;
    }
    if (quoted) return tableError("a quotation mark is not closed", fmt::format("line {}", begins), "Close it.");
    finish();
    if (bad) return *bad;
    if (out.rows.empty()) return tableError("there are no rows", "", "Give a line of names, and a line for each row.");
    return out;
}

}  // namespace topikos
