#pragma once
#include "core/cell/cell.h"
#include "core/spatial/text.h"

#include <algorithm>

/// What edits share.
namespace topikos {

inline constexpr Color kSteel{111, 123, 130};  // of what the workshop's things are made of
inline constexpr double kSamePlace = 1e-9;     // places that are no farther apart are the same [m or rad]

Error missing(const char* what);
inline Error fail(const char* code, std::string message, std::string remedy)
{
    return {code, std::move(message), "", std::move(remedy)};
}
/// The same with the place it is about; a step that is named there already stays.
inline Error within(Error error, const std::string& where)
{
    error.where = error.where.empty() ? where : where + ", " + error.where;
    return error;
}
/// Names are 1 to 60 characters of UTF-8, without control characters and outer spaces.
Status checkName(const std::string& name);
/// A name cut to at most `most` bytes, never inside a character, without a space at its end.
std::string shortened(const std::string& name, size_t most);
inline constexpr size_t kLongestStem = 50;  ///< leaves room for a number behind it [bytes]
Error nameTaken(const std::string& name);
Error inPattern(const std::string& member, const std::string& pattern);
/// Offsets are finite and at most 1000 m.
Status checkPose(const Pose& pose);

template <class List> using IdOf = decltype(List::value_type::id);

/// The object of another id that has this name, letter case not counted; nullptr if there is none.
template <class List>
auto findNamed(const List& objects, const std::string& name, IdOf<List> except = {}) -> const typename List::value_type*
{
    const std::string wanted = lowered(name);
    for (const auto& o : objects)
        if (o.id != except && o.name.size() == name.size() && lowered(o.name) == wanted) return &o;
    return nullptr;
}

/// A name as above that no other object of the list has; letter case does not count.
template <class List> Status checkNewName(const List& objects, const std::string& name, IdOf<List> self = {})
{
    if (Status bad = checkName(name)) return bad;
    if (const auto* other = findNamed(objects, name, self)) return nameTaken(other->name);
    return std::nullopt;
}

template <class Object> Object* findIn(std::vector<Object>& objects, decltype(Object::id) id)
{
    const auto it = std::find_if(objects.begin(), objects.end(), [id](const Object& o) { return o.id == id; });
    return it == objects.end() ? nullptr : &*it;
}

/// What belongs to a pattern is named and placed by it.
template <class Object> Status checkNoMember(const Cell& cell, const Object& object)
{
    if (!object.pattern) return std::nullopt;
    return inPattern(object.name, findPattern(cell, object.pattern)->name);
}

template <class Object>
Result<Cell> renamed(const Cell& cell, Table<Object> Cell::*objects, decltype(Object::id) id, const std::string& name,
                     const char* what)
{
    if (Status bad = checkNewName(cell.*objects, name, id)) return *bad;
    Cell next = cell;
    Object* object = (next.*objects).edit(id);
    if (!object) return missing(what);
    if constexpr (requires { object->pattern; })
        if (Status bad = checkNoMember(cell, *object)) return *bad;
    object->name = name;
    return next;
}

/// The first of `stem`, `stem 2`, `stem 3` … that nothing in the list has; long stems are shortened so that it is a
/// possible name.
template <class List> std::string freeNameIn(const List& objects, const std::string& stem)
{
    const std::string base = shortened(stem, kLongestStem);
    std::string name = base;
    for (int i = 2; findNamed(objects, name); ++i)
        name = base + " " + std::to_string(i);
    return name;
}

/// Whether a tool has this point; it always has the first one, of id 0.
inline bool hasPoint(const Tool& tool, TcpId id)
{
    return !id || std::any_of(tool.points.begin(), tool.points.end(), [id](const ToolPoint& p) { return p.id == id; });
}

/// Refused while a step uses the target.
Status checkUnused(const Cell& cell, const Target& target);
/// Takes kinds away that nothing is of any more.
void dropUnusedKinds(Cell& cell);

}  // namespace topikos
