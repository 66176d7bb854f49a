#pragma once
#include "core/cell/applied.h"
#include "core/spatial/digest.h"

#include <string>
#include <vector>

namespace topikos {

/// The cell with all its earlier and undone states. Nothing holds a pointer into a cell, so undo cannot go stale.
class History {
public:
    /// The oldest states go when all together need more than `mostBytes` beside what they share; the one before the
    /// present state never does.
    explicit History(Cell cell, size_t mostBytes = size_t(256) << 20);

    const CellPtr& current() const { return m_states[m_place].cell; }
    /// Another one with every change of current(), in either direction; no other history ever has the same.
    std::uint64_t revision() const { return m_revision; }

    /// One undoable step. A refused edit leaves everything as it was. An open gesture is closed first.
    Status apply(const std::string& label, const Edit& edit);

    /// A drag: every replace() edits the cell as it was at beginGesture(); all of it is one undoable step, or none if
    /// cancelled.
    void beginGesture(const std::string& label);
    Status replace(const Edit& edit);
    void endGesture();
    void cancelGesture();

    size_t bytes() const { return m_bytes; }

    bool canUndo() const { return m_place > 0; }
    bool canRedo() const { return m_place + 1 < m_states.size(); }
    std::string undoLabel() const { return canUndo() ? m_states[m_place].label : ""; }
    std::string redoLabel() const { return canRedo() ? m_states[m_place + 1].label : ""; }
    void undo();
    void redo();

    /// Remembers a state as the one on disk.
    void markSaved(CellPtr cell) { m_saved = std::move(cell); }
    /// The present state is on no disk.
    void markUnsaved() { m_saved = nullptr; }
    bool isSaved() const { return m_saved == current(); }

private:
    struct State {
        CellPtr cell;
        std::string label;  ///< of the edit that led here
        size_t bytes;       ///< beside what it shares with the state before
    };
    void push(CellPtr cell, const std::string& label);
    void drop(size_t place);

    std::vector<State> m_states;
    size_t m_place = 0;
    size_t m_mostBytes, m_bytes = 0;
    CellPtr m_saved;
    CellPtr m_gesture;  ///< state at beginGesture()
    bool m_gestureChanged = false;
    std::vector<State> m_undone;  ///< that could be done again when the gesture made its first change
    std::string m_gestureLabel;
    std::uint64_t m_revision = freshNumber();
};

}  // namespace topikos
