#pragma once
#include "core/cell/cell.h"
#include "core/spatial/result.h"

#include <functional>
#include <memory>
#include <optional>
#include <vector>

namespace topikos {

using CellPtr = std::shared_ptr<const Cell>;
using Edit = std::function<Result<Cell>(const Cell&)>;

/// The cell that an edit makes: edited, then settled (settled.h), then held to the rules that a file of it would be
/// held to (validate.h). The one way by which history, remedies and command line change a cell.
Result<Cell> applied(const Cell& cell, const Edit& edit);

/// A change of a cell as data: what it replaces, object by object.
struct CellPatch {
    /// null where the object is not there.
    template <class T> struct Replaced {
        std::shared_ptr<const T> before, after;
    };
    template <class T> struct Of {
        std::vector<Replaced<T>> objects;
        std::optional<std::vector<typename Table<T>::IdType>> order{};  ///< when it is not that of replacing alone
    };
    Of<ArmStation> arms;
    Of<Frame> frames;
    Of<Tool> tools;
    Of<PartKind> partKinds;
    Of<Part> parts;
    Of<Pattern> patterns;
    Of<Target> targets;
    Of<Signal> signals;
    Of<TimeTable> timeTables;
    Of<Routine> routines;
    std::uint32_t nextId = 1;
    /// A cell without objects that has all else as it becomes; null when none of that changes.
    CellPtr rest{};
};
/// What makes a cell of another one.
CellPatch patchBetween(const Cell& before, const Cell& after);
/// The cell with a change. Refused when something that it replaces is no longer as it was when the change was made;
/// what else has changed since does not matter.
Result<Cell> patched(const Cell& cell, const CellPatch& patch);

}  // namespace topikos
