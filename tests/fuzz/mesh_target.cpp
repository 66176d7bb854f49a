#include "core/shape/mesh_sound.h"
#include "core/shape/mesh_wire.h"
#include "tests/fuzz/target.h"

using namespace topikos;

// Our own look at mesh files, and the answers of the import program; the library behind it has mutants.cpp.
TOPIKOS_FUZZ_TARGET(mesh)
{
    for (const auto look : {stlLooksSound, objLooksSound, plyLooksSound})
        if (const Status bad = look(bytes)) fuzz::requireLine(bad->line());
    if (const auto answer = fromWire(bytes); answer && answer->ok())
        fuzz::require(wireOf(**answer) == bytes, "an answer is what is made of it");
}
