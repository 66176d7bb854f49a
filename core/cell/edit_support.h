#pragma once
#include "core/cell/cell.h"

#include <algorithm>

/// What edits share.
namespace topikos {

std::string lowered(std::string text);
Error missing(const char* what);
/// Names are 1 to 60 characters, without line breaks and outer spaces.
Status checkName(const std::string& name);
Error nameTaken(const std::string& name);
Error inPattern(const std::string& member, const std::string& pattern);
/// Offsets are finite and at most 1000 m.
Status checkPose(const Pose& pose);

/// A name as above that no other object of the list has; letter case does not count.
template <class Object>
Status checkNewName(const std::vector<Object>& objects, const std::string& name, decltype(Object::id) self = {})
{
    if (Status bad = checkName(name)) return bad;
    for (const Object& o : objects)
        if (o.id != self && lowered(o.name) == lowered(name)) return nameTaken(o.name);
    return std::nullopt;
}

template <class Object>
Object* findIn(std::vector<Object>& objects, decltype(Object::id) id)
{
    const auto it = std::find_if(objects.begin(), objects.end(), [id](const Object& o) { return o.id == id; });
    return it == objects.end() ? nullptr : &*it;
}

/// What belongs to a pattern is named and placed by it.
template <class Object>
Status checkNoMember(const Cell& cell, const Object& object)
{
    if (!object.pattern) return std::nullopt;
    return inPattern(object.name, findPattern(cell, object.pattern)->name);
}

template <class Object>
Result<Cell> renamed(const Cell& cell, std::vector<Object> Cell::*objects, decltype(Object::id) id, const std::string& name, const char* what)
{
    if (Status bad = checkNewName(cell.*objects, name, id)) return *bad;
    Cell next = cell;
    Object* object = findIn(next.*objects, id);
    if (!object) return missing(what);
    if constexpr (requires { object->pattern; })
        if (Status bad = checkNoMember(cell, *object)) return *bad;
    object->name = name;
    return next;
}

/// The first of `stem`, `stem 2`, `stem 3` … that nothing in the list has.
template <class Object>
std::string freeNameIn(const std::vector<Object>& objects, const std::string& stem)
{
    std::string name = stem;
    for (int i = 2; checkNewName(objects, name); ++i) name = stem.substr(0, 50) + " " + std::to_string(i);
    return name;
}

}  // namespace topikos
