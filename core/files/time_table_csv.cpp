#include "core/files/time_table_csv.h"

#include "core/cell/time_tables.h"
#include "core/spatial/text.h"
#include "core/spatial/units.h"

#include <fmt/format.h>

#include <array>
#include <charconv>

namespace topikos {

namespace {

/// The joint that a lowered name means; -1: none.
int jointNamed(std::string_view name, const ArmStation& arm)
{
    const std::vector<Joint>& joints = arm.model->joints();
    for (size_t i = 0; i < joints.size(); ++i) {
        const std::string own = lowered(joints[i].name);
        if (name == own || name == lowered(arm.name) + " " + own) return int(i);
    }
    for (const std::string_view word : {"joint", "axis", "j", "a", "q"}) {
        if (!name.starts_with(word)) continue;
        std::string_view rest = name.substr(word.size());
        while (rest.starts_with(' ') || rest.starts_with('_'))
            rest.remove_prefix(1);
        int number = 0;
        const auto [end, error] = std::from_chars(rest.data(), rest.data() + rest.size(), number);
        if (error == std::errc() && end == rest.data() + rest.size() && number >= 1 && number <= int(joints.size()))
            return number - 1;
    }
    return -1;
}

bool fits(TableUnit unit, const TableColumn& column, const ArmStation& arm)
{
    if (column.use == TableColumn::Use::Time) return unit == TableUnit::Second || unit == TableUnit::Millisecond;
    if (arm.model->joints()[size_t(column.joint)].kind == JointKind::Revolute) return isAngle(unit);
    return isLength(unit);
}

}  // namespace

std::vector<TableColumn> guessColumns(const TableText& table, const ArmStation& arm)
{
    std::vector<TableColumn> out(table.names.size());
    std::vector<bool> known(size_t(arm.model->jointCount()), false);
    bool time = false;
    for (size_t i = 0; i < out.size(); ++i) {
        TableColumn& column = out[i];
        std::optional<TableUnit> unit;
        if (table.named) {
            const auto [name, said] = nameAndUnit(table.names[i]);
            unit = said;
            const int joint = jointNamed(name, arm);
            if (!time && (name == "time" || name == "t")) {
                column.use = TableColumn::Use::Time;
            } else if (joint >= 0 && !known[size_t(joint)]) {
                column.use = TableColumn::Use::Joint;
                column.joint = joint;
            }
        } else if (i == 0) {
            column.use = TableColumn::Use::Time;
        } else if (i <= known.size()) {
            column.use = TableColumn::Use::Joint;
            column.joint = int(i) - 1;
        }
        if (column.use == TableColumn::Use::None) continue;
        if (column.use == TableColumn::Use::Time) time = true;
        else known[size_t(column.joint)] = true;
        column.said = unit && fits(*unit, column, arm);
        if (column.said) column.unit = *unit;
        else if (column.use == TableColumn::Use::Joint)
            column.unit = fits(TableUnit::Degree, column, arm) ? TableUnit::Degree : TableUnit::Millimetre;
    }
    return out;
}

Result<TimeRows> timeRowsOf(const TableText& table, const std::vector<TableColumn>& columns, const ArmStation& arm)
{
    std::optional<size_t> time;
    TimeRows rows;
    std::vector<size_t> joints;
    for (size_t i = 0; i < columns.size(); ++i) {
        if (columns[i].use == TableColumn::Use::Time) {
            if (time) return tableError("two columns are the time", "", "Choose one of them.");
            time = i;
        }
        if (columns[i].use == TableColumn::Use::Joint) {
            joints.push_back(i);
            rows.joints.push_back(columns[i].joint);
        }
    }
    if (!time) return tableError("no column is the time", "", "Name one \"time\", or choose it.");
    if (joints.empty())
        return tableError(fmt::format("no column is a joint of \"{}\"", arm.name), "",
                          fmt::format("Name one \"{}\", or choose it.", arm.model->joints().front().name));
    const bool comma = table.separator != ',';
    const auto number = [&](size_t row, size_t column) -> Result<double> {
        const std::string& cell = table.rows[row][column];
        if (const auto value = numberIn(cell, comma)) return *value * inSi(columns[column].unit);
        return tableError(trimmed(cell).empty() ? "is empty" : fmt::format("\"{}\" is not a number", trimmed(cell)),
                          fmt::format("line {}, column \"{}\"", table.lines[row], table.names[column]),
                          "Give a plain number there.");
    };
    double origin = 0;
    for (size_t i = 0; i < table.rows.size(); ++i) {
        const Result<double> at = number(i, *time);
        if (!at) return at.error();
        if (i == 0) origin = *at;
        rows.times.push_back(*at - origin);
        if (i > 0 && !(rows.times[i] - rows.times[i - 1] >= kLeastRowTime))
            return tableError(fmt::format("{} {} is not later than the line before", trimmed(table.rows[i][*time]),
                                          tableUnitName(columns[*time].unit)),
                              fmt::format("line {}", table.lines[i]),
                              "Each line has to be at least 1 µs later than the one before.");
        for (const size_t column : joints) {
            const Result<double> value = number(i, column);
            if (!value) return value.error();
            rows.values.push_back(*value);
        }
    }
    if (Status bad = checkTimeRows(rows, *arm.model)) return *bad;
    return rows;
}

Result<TimeRows> readTimeTable(const std::string& text, const ArmStation& arm, std::vector<TableColumn>* used)
{
    const Result<TableText> table = splitTable(text);
    if (!table) return table.error();
    const std::vector<TableColumn> columns = guessColumns(*table, arm);
    if (used) *used = columns;
    for (size_t i = 0; i < columns.size() && table->named; ++i) {
        const std::string where = fmt::format("column \"{}\"", shownText(table->names[i]));
        if (const auto name = nameOfStrangeUnit(table->names[i]);
            name && (*name == "time" || jointNamed(*name, arm) >= 0))
            return tableError("its unit is not known", where, "Use s, ms, °, rad, m, mm, cm or in.");
        const auto unit = nameAndUnit(table->names[i]).second;
        if (columns[i].use != TableColumn::Use::None && unit && !fits(*unit, columns[i], arm))
            return tableError(fmt::format("{} does not fit it", tableUnitName(*unit)), where,
                              "Times are in s or ms, joints that turn in ° or rad, those that slide in a length.");
    }
    return timeRowsOf(*table, columns, arm);
}

std::string timeTableCsv(const Arm& arm, const TimeRows& rows)
{
    std::string out = "time_s";
    for (const int joint : rows.joints) {
        const Joint& own = arm.joints()[size_t(joint)];
        out += "," + csvText(own.name + (own.kind == JointKind::Revolute ? "_rad" : "_m"));
    }
    out += "\n";
    for (size_t i = 0; i < rows.size(); ++i) {
        out += fmt::format("{}", rows.times[i]);
        for (size_t k = 0; k < rows.joints.size(); ++k)
            out += fmt::format(",{}", rows.at(i, k));
        out += "\n";
    }
    return out;
}

std::string columnsText(const TableText& table, const std::vector<TableColumn>& columns, const ArmStation& arm)
{
    std::string used, unused;
    const auto add = [](std::string& list, const std::string& item) { list += (list.empty() ? "" : ", ") + item; };
    for (size_t i = 0; i < columns.size(); ++i) {
        const TableColumn& column = columns[i];
        if (column.use == TableColumn::Use::None) {
            add(unused, table.names[i]);
            continue;
        }
        const std::string what =
            column.use == TableColumn::Use::Time ? "time" : arm.model->joints()[size_t(column.joint)].name;
        add(used,
            fmt::format("{} in {}{}", what, tableUnitName(column.unit), column.said ? "" : " (taken for granted)"));
    }
    return used + (unused.empty() ? "" : "; not used: " + unused);
}

}  // namespace topikos
