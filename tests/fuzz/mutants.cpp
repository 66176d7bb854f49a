// Reads changed copies of mesh files as the import program does, each in a process of its own behind the same fence,
// and counts how they end: mutants COUNT SEED FILE...
#include "core/shape/mesh_wire.h"
#include "import/fence.h"
#include "import/library_import.h"

#include <signal.h>
#include <sys/wait.h>
#include <unistd.h>

#include <cstdio>
#include <cstdlib>
#include <filesystem>
#include <fstream>
#include <iterator>
#include <map>
#include <random>
#include <string>
#include <vector>

namespace {

namespace fs = std::filesystem;

std::string mutated(std::string bytes, std::mt19937_64& random)
{
    for (auto n = 1 + random() % 4; n > 0 && !bytes.empty(); --n) {
        const size_t at = random() % bytes.size();
        switch (random() % 7) {
        case 0: bytes[at] = char(random()); break;
        case 1: bytes[at] = char(bytes[at] ^ (1 << random() % 8)); break;
        case 2: bytes.erase(at, 1 + random() % 16); break;
        case 3: bytes.insert(at, bytes.substr(random() % bytes.size(), random() % 32)); break;
        case 4: bytes.resize(at); break;
        case 5: {
            // A number made huge, negative or another one.
            const size_t digit = bytes.find_first_of("0123456789", at);
            const char* words[] = {"-1", "99999999", "4294967295", "1e300", "nan", "0"};
            if (digit != bytes.npos) bytes.replace(digit, 1, words[random() % 6]);
            break;
        }
        default:
            for (size_t i = at; i < std::min(at + 4, bytes.size()); ++i)
                bytes[i] = char(random() % 2 ? 0xff : 0x7f);
        }
    }
    return bytes;
}

}  // namespace

int main(int argc, char** argv)
{
    using namespace topikos;
    if (argc < 4) return 2;
    std::mt19937_64 random(std::strtoull(argv[2], nullptr, 10));
    char folder[] = "/tmp/topikos-mutants-XXXXXX";
    if (!mkdtemp(folder)) return 2;
    std::map<std::string, int> ends;
    int silent = 0;
    for (long n = std::strtol(argv[1], nullptr, 10); n > 0; --n) {
        const fs::path seed = argv[3 + random() % std::uint64_t(argc - 3)];
        std::ifstream in(seed, std::ios::binary);
        const std::string bytes = mutated(std::string(std::istreambuf_iterator<char>(in), {}), random);
        const fs::path file = fs::path(folder) / ("mutant" + seed.extension().string());
        std::ofstream(file, std::ios::binary) << bytes;
        int ends2[2];
        if (pipe(ends2) != 0) return 2;
        const pid_t child = fork();
        if (child == 0) {
            close(ends2[0]);
            std::freopen("/dev/null", "w", stderr);
            raiseFence(bytes.size(), file.parent_path().string());
            const Result<Triangles> read = importMesh(file.string());
            const std::string answer = read ? wireOf(*read) : wireOf(read.error());
            _exit(write(ends2[1], answer.data(), answer.size()) == ssize_t(answer.size()) ? 0 : 1);
        }
        close(ends2[1]);
        std::string answer;
        char piece[1 << 16];
        for (ssize_t got; (got = read(ends2[0], piece, sizeof piece)) > 0;)
            answer.append(piece, size_t(got));
        close(ends2[0]);
        int status = 0;
        waitpid(child, &status, 0);
        const auto result = fromWire(answer);
        if (result && result->ok()) ++ends["shape"];
        else if (result) ++ends["line: " + result->error().code];
        else if (WIFSIGNALED(status)) ++ends["fenced in, signal " + std::to_string(WTERMSIG(status))];
        else if (WEXITSTATUS(status) != 0) ++ends["fenced in, code " + std::to_string(WEXITSTATUS(status))];
        else ++silent;
    }
    for (const auto& [how, count] : ends)
        std::printf("%8d  %s\n", count, how.c_str());
    if (silent) std::printf("%8d  neither\n", silent);
    fs::remove_all(folder);
    return silent ? 1 : 0;
}
