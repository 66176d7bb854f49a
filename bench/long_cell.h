#pragma once
#include "core/cell/cell.h"

namespace topikos {

/// The routine of a cell repeated until it has about `steps` steps; each pass a little slower, so that each move is its
/// own.
inline Cell longCell(Cell cell, size_t steps)
{
    const Table<Step> once = cell.routines.front().steps;
    Table<Step>& all = cell.routines.at(0).steps;
    while (all.size() < steps)
        for (Step s : once) {
            s.id = {cell.nextId++};
            const double slower = 1 - 1e-7 * double(all.size());
            if (JointMove* move = s.as<JointMove>()) move->speed *= slower;
            if (LineMove* move = s.as<LineMove>()) move->speed *= slower;
            all.push_back(s);
        }
    return cell;
}

}  // namespace topikos
