#include "core/cell/history.h"

namespace topikos {

History::History(Cell cell)
{
    m_states.push_back({std::make_shared<const Cell>(std::move(cell)), ""});
    m_saved = current();
}

void History::push(CellPtr cell, const std::string& label)
{
    m_states.resize(m_place + 1);
    m_states.push_back({std::move(cell), label});
    ++m_place;
    ++m_revision;
}

Status History::apply(const std::string& label, const Edit& edit)
{
    endGesture();
    Result<Cell> next = edit(*current());
    if (!next) return next.error();
    push(std::make_shared<const Cell>(std::move(next).value()), label);
    return std::nullopt;
}

void History::beginGesture(const std::string& label)
{
    endGesture();
    m_gesture = current();
    m_gestureLabel = label;
    m_gestureChanged = false;
}

Status History::replace(const Edit& edit)
{
    require(m_gesture != nullptr, "a gesture is open");
    Result<Cell> next = edit(*m_gesture);
    if (!next) return next.error();
    auto cell = std::make_shared<const Cell>(std::move(next).value());
    if (m_gestureChanged) {
        m_states[m_place].cell = std::move(cell);
        ++m_revision;
    } else {
        push(std::move(cell), m_gestureLabel);
        m_gestureChanged = true;
    }
    return std::nullopt;
}

void History::endGesture()
{
    m_gesture.reset();
    m_gestureChanged = false;
}

void History::cancelGesture()
{
    if (m_gesture && m_gestureChanged) {
        m_states.pop_back();
        --m_place;
        ++m_revision;
    }
    endGesture();
}

void History::undo()
{
    endGesture();
    if (!canUndo()) return;
    --m_place;
    ++m_revision;
}

void History::redo()
{
    endGesture();
    if (!canRedo()) return;
    ++m_place;
    ++m_revision;
}

}  // namespace topikos
