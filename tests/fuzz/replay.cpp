// Goes through files with one target, as an ordinary program: replay TARGET FOLDER-OR-FILE...
#include "tests/fuzz/target.h"

#include <cstdio>
#include <filesystem>
#include <fstream>
#include <iterator>

int main(int argc, char** argv)
{
    namespace fs = std::filesystem;
    size_t done = 0;
    for (const auto& target : topikos::fuzz::targets()) {
        if (argc < 2 || std::string(argv[1]) != target.name) continue;
        const auto one = [&](const fs::path& path) {
            std::ifstream file(path, std::ios::binary);
            std::fprintf(stderr, "%s %s\n", target.name, path.c_str());
            target.run(std::string(std::istreambuf_iterator<char>(file), {}));
            ++done;
        };
        for (int i = 2; i < argc; ++i) {
            if (!fs::is_directory(argv[i])) one(argv[i]);
            else
                for (const auto& entry : fs::directory_iterator(argv[i]))
                    if (entry.is_regular_file()) one(entry.path());
        }
    }
    std::printf("%zu inputs\n", done);
    return done ? 0 : 1;
}
