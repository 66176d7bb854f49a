// Reads one mesh file for Topikos, in a process of its own with limits on time and memory and without network, and
// writes what it holds, or one line why it cannot be read, to standard output (core/shape/mesh_wire.h).
#include "core/shape/mesh_wire.h"
#include "import/fence.h"
#include "import/library_import.h"

#include <unistd.h>

#include <cstdio>
#include <cstring>
#include <filesystem>
#include <new>

namespace {

bool writeAll(const std::string& bytes)
{
    for (size_t done = 0; done < bytes.size();) {
        const ssize_t n = ::write(STDOUT_FILENO, bytes.data() + done, bytes.size() - done);
        if (n <= 0) return false;
        done += size_t(n);
    }
    return true;
}

/// Made while there is memory.
std::string tooMuchMemory;

[[noreturn]] void outOfMemory()
{
    writeAll(tooMuchMemory);
    _exit(0);
}

}  // namespace

int main(int argc, char** argv)
{
    using namespace topikos;
    if (argc == 3 && std::strcmp(argv[1], "--fence") == 0) {
        raiseFence(0, "");
        return writeAll(fenceReport(argv[2]) + "\n") ? 0 : 1;
    }
    if (argc != 2) {
        std::fprintf(stderr, "topikos-import: started by Topikos with the name of one mesh file.\n");
        return 2;
    }
    std::error_code bad;
    std::uintmax_t size = std::filesystem::file_size(argv[1], bad);
    if (bad) size = 0;
    tooMuchMemory = wireOf(Error{"mesh.memory", tooMuchMemoryText(size), "", "Export it again as STL."});
    std::set_new_handler(outOfMemory);
    const std::filesystem::path whole = std::filesystem::canonical(argv[1], bad);
    raiseFence(size, bad ? "" : whole.parent_path().string());
    const Result<Triangles> read = importMesh(argv[1]);
    // What is cleared up at the end of a program is of no use behind the fence.
    _exit(writeAll(read ? wireOf(*read) : wireOf(read.error())) ? 0 : 1);
}
