#pragma once
#include "app/session/text.h"
#include "core/cell/cell.h"

#include <QStringList>

namespace topikos {

/// Names and ids of a list for a choice, and which of them is the present one.
template <class IdType> struct Choices {
    QStringList names;
    std::vector<IdType> ids;
    int current = -1;
    void add(const std::string& name, IdType id, IdType wanted)
    {
        if (id == wanted) current = int(ids.size());
        names << text(name);
        ids.push_back(id);
    }
};

/// The world and all frames, but those at and below `except`.
inline Choices<FrameId> framesOf(const Cell& cell, FrameId wanted, FrameId except = {})
{
    Choices<FrameId> out;
    out.add("World", {}, wanted);
    for (const Frame& f : cell.frames)
        if (!except || !isBelow(cell, f.id, except)) out.add(f.name, f.id, wanted);
    return out;
}

}  // namespace topikos
