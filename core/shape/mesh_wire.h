#pragma once
#include "core/spatial/result.h"
#include "core/spatial/triangles.h"

#include <string>
#include <string_view>

namespace topikos {

/// What the import program sends over its pipe: a surface, or why there is none.
std::string wireOf(const Triangles& triangles);
std::string wireOf(const Error& error);

/// Largest number of bytes of an answer.
std::size_t longestWire();

/// The answer; nothing when it is none, whole and sound.
std::optional<Result<Triangles>> fromWire(std::string_view bytes);

}  // namespace topikos
