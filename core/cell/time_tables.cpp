#include "core/cell/time_tables.h"

#include "core/cell/edit_support.h"
#include "core/cell/step_tree.h"
#include "core/spatial/limits.h"

#include <fmt/format.h>

namespace topikos {

Status checkTimeRows(const TimeRows& rows, const Arm& arm)
{
    const auto fail = [](std::string message, std::string where, const char* remedy) {
        return Error{"table.rows", std::move(message), std::move(where), remedy};
    };
    if (Status bad = checkLimit(limits::kTimeRows, double(rows.size()), "table.rows")) return bad;
    if (rows.joints.empty()) return fail("the table has no joint", "", "Give it a column for a joint of the arm.");
    std::vector<bool> known(size_t(arm.jointCount()), false);
    for (const int joint : rows.joints) {
        if (joint < 0 || joint >= arm.jointCount())
            return fail(fmt::format("there is no joint {}; the arm has {}", joint + 1, arm.jointCount()), "",
                        "Name joints of the arm.");
        if (known[size_t(joint)])
            return fail(fmt::format("joint {} has two columns", joint + 1), "", "Take one of them out.");
        known[size_t(joint)] = true;
    }
    if (rows.values.size() != rows.size() * rows.joints.size())
        return fail(fmt::format("has {} values for {} rows of {}", rows.values.size(), rows.size(), rows.joints.size()),
                    "", "Give one for each joint in each row.");
    for (size_t i = 0; i < rows.size(); ++i) {
        const std::string where = fmt::format("row {}", i + 1);
        if (Status bad = checkLimit(limits::kTableTime, rows.times[i], "table.time")) return within(*bad, where);
        if (i == 0 && rows.times[0] != 0)
            return fail("the first time is not 0", where, "Count times from the first row.");
        if (i > 0 && rows.times[i] - rows.times[i - 1] < kLeastRowTime)
            return fail(
                fmt::format("{:.6g} s is not later than the row before, {:.6g} s", rows.times[i], rows.times[i - 1]),
                where, "Each row has to be at least 1 µs later than the one before.");
        for (size_t k = 0; k < rows.joints.size(); ++k)
            if (Status bad = checkLimit(limits::kJointTravel, rows.at(i, k), "table.value", "a joint value"))
                return within(*bad, fmt::format("{}, joint {}", where, rows.joints[k] + 1));
    }
    return std::nullopt;
}

Result<Cell> addTimeTable(const Cell& cell, ArmId arm, const std::string& name, TimeRows rows, TimeTableId* created)
{
    const ArmStation* station = findArm(cell, arm);
    if (!station) return missing("arm");
    if (Status bad = checkNewName(cell.timeTables, name)) return *bad;
    if (Status bad = checkTimeRows(rows, *station->model)) return *bad;
    Cell next = cell;
    const TimeTableId id{next.nextId++};
    next.timeTables.push_back({id, name, arm, std::make_shared<const TimeRows>(std::move(rows))});
    if (created) *created = id;
    return next;
}

Result<Cell> setTimeRows(const Cell& cell, TimeTableId id, TimeRows rows)
{
    const TimeTable* table = findTimeTable(cell, id);
    if (!table) return missing("time table");
    if (Status bad = checkTimeRows(rows, *findArm(cell, table->arm)->model)) return *bad;
    Cell next = cell;
    next.timeTables.edit(id)->rows = std::make_shared<const TimeRows>(std::move(rows));
    return next;
}

Result<Cell> renameTimeTable(const Cell& cell, TimeTableId id, const std::string& name)
{
    return renamed(cell, &Cell::timeTables, id, name, "time table");
}

Result<Cell> deleteTimeTable(const Cell& cell, TimeTableId id)
{
    const TimeTable* table = findTimeTable(cell, id);
    if (!table) return missing("time table");
    if (const std::vector<StepUse> uses = stepsThatUse(cell, id); !uses.empty())
        return Error{"edit.table-used", fmt::format("\"{}\" is played by {}", table->name, wordsOf(cell, uses.front())),
                     "", "Take that step out first."};
    Cell next = cell;
    next.timeTables.erase(id);
    return next;
}

}  // namespace topikos
