#include "core/cell/history.h"

#include "core/cell/diff.h"

namespace topikos {

History::History(Cell cell, size_t mostBytes) : m_mostBytes(mostBytes)
{
    m_states.push_back({std::make_shared<const Cell>(std::move(cell)), "", 0});
    m_saved = current();
}

void History::push(CellPtr cell, const std::string& label)
{
    while (m_states.size() > m_place + 1)
        drop(m_states.size() - 1);
    const size_t bytes = bytesBeside(*cell, *current());
    m_states.push_back({std::move(cell), label, bytes});
    m_bytes += bytes;
    ++m_place;
    m_revision = freshNumber();
    while (m_bytes > m_mostBytes && m_place > 1)
        drop(0);
}

void History::drop(size_t place)
{
    m_bytes -= m_states[place].bytes;
    m_states.erase(m_states.begin() + std::ptrdiff_t(place));
    if (place <= m_place && place == 0) {
        --m_place;
        // The first state is what the others are measured against.
        m_bytes -= m_states.front().bytes;
        m_states.front().bytes = 0;
    }
}

Status History::apply(const std::string& label, const Edit& edit)
{
    endGesture();
    Result<Cell> next = applied(*current(), edit);
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
    Result<Cell> next = applied(*m_gesture, edit);
    if (!next) return next.error();
    auto cell = std::make_shared<const Cell>(std::move(next).value());
    if (m_gestureChanged) {
        State& state = m_states[m_place];
        state.cell = std::move(cell);
        m_bytes -= state.bytes;
        state.bytes = bytesBeside(*state.cell, *m_states[m_place - 1].cell);
        m_bytes += state.bytes;
        m_revision = freshNumber();
    } else {
        m_undone.assign(std::make_move_iterator(m_states.begin() + std::ptrdiff_t(m_place) + 1),
                        std::make_move_iterator(m_states.end()));
        for (const State& state : m_undone)
            m_bytes -= state.bytes;
        m_states.resize(m_place + 1);
        push(std::move(cell), m_gestureLabel);
        m_gestureChanged = true;
    }
    return std::nullopt;
}

void History::endGesture()
{
    m_gesture.reset();
    m_gestureChanged = false;
    m_undone.clear();
}

void History::cancelGesture()
{
    if (m_gesture && m_gestureChanged) {
        const size_t last = m_states.size() - 1;
        --m_place;
        drop(last);
        m_revision = freshNumber();
        // What had been undone before can be done again.
        for (State& state : m_undone) {
            m_bytes += state.bytes;
            m_states.push_back(std::move(state));
        }
    }
    endGesture();
}

void History::undo()
{
    endGesture();
    if (!canUndo()) return;
    --m_place;
    m_revision = freshNumber();
}

void History::redo()
{
    endGesture();
    if (!canRedo()) return;
    ++m_place;
    m_revision = freshNumber();
}

}  // namespace topikos
