#include "core/shape/mesh_file.h"

#include "core/shape/mesh_wire.h"

#include <fmt/format.h>

#include <fcntl.h>
#include <poll.h>
#include <signal.h>
#include <spawn.h>
#include <sys/wait.h>
#include <unistd.h>

#include <chrono>
#include <filesystem>
#include <optional>

namespace topikos {

namespace {

namespace fs = std::filesystem;
using Clock = std::chrono::steady_clock;

constexpr int kLookEvery = 50;  // [ms]

/// Where the import program lies: beside this one, or as it is built or installed.
std::optional<std::string> importProgram()
{
    std::error_code bad;
    const fs::path here = fs::read_symlink("/proc/self/exe", bad).parent_path();
    for (const fs::path& path : {here / "topikos-import", here / "../lib/topikos/topikos-import",
                                 here / "../import/topikos-import", fs::path(TOPIKOS_IMPORT_PROGRAM)})
        if (::access(path.c_str(), X_OK) == 0) return path.string();
    return std::nullopt;
}

/// A program that runs apart from this one and talks through a pipe. Ended and waited for when it goes out of scope.
class Helper {
public:
    Helper(const std::string& program, const std::string& argument)
    {
        int ends[2];
        if (::pipe2(ends, O_CLOEXEC) != 0) return;
        m_pipe = ends[0];
        posix_spawn_file_actions_t actions;
        posix_spawn_file_actions_init(&actions);
        posix_spawn_file_actions_addopen(&actions, STDIN_FILENO, "/dev/null", O_RDONLY, 0);
        posix_spawn_file_actions_adddup2(&actions, ends[1], STDOUT_FILENO);
        posix_spawn_file_actions_addopen(&actions, STDERR_FILENO, "/dev/null", O_WRONLY, 0);
        std::string words[] = {program, argument};
        char* const arguments[] = {words[0].data(), words[1].data(), nullptr};
        if (posix_spawn(&m_process, program.c_str(), &actions, nullptr, arguments, environ) != 0) m_process = -1;
        posix_spawn_file_actions_destroy(&actions);
        ::close(ends[1]);
    }
    ~Helper()
    {
        if (m_process > 0 && !m_ended) {
            ::kill(m_process, SIGKILL);
            wait();
        }
        if (m_pipe >= 0) ::close(m_pipe);
    }
    Helper(const Helper&) = delete;

    bool started() const { return m_process > 0; }
    /// Waits at most kLookEvery for something to read. False at the end of the answer.
    bool readSome(std::string& answer)
    {
        pollfd look{m_pipe, POLLIN, 0};
        if (::poll(&look, 1, kLookEvery) <= 0) return true;
        char bytes[1 << 16];
        const ssize_t n = ::read(m_pipe, bytes, sizeof bytes);
        if (n < 0) return errno == EINTR || errno == EAGAIN;
        answer.append(bytes, size_t(n));
        return n > 0;
    }
    /// How the program ended, as waitpid() tells it.
    int wait()
    {
        int status = 0;
        while (::waitpid(m_process, &status, 0) < 0 && errno == EINTR) {
        }
        m_ended = true;
        return status;
    }

private:
    int m_pipe = -1;
    pid_t m_process = -1;
    bool m_ended = false;
};

}  // namespace

Result<Triangles> readMeshFile(const std::string& path, const Vec3& scale, const std::function<bool()>& keepOn)
{
    const auto fail = [&](const char* code, std::string message, std::string remedy) {
        return Error{code, std::move(message), path, std::move(remedy)};
    };
    std::error_code bad;
    if (!fs::is_regular_file(path, bad))
        return fail("mesh.open", "is not a file that can be opened", "Check the name and the permissions.");
    const std::uintmax_t size = fs::file_size(path, bad);
    if (bad) return fail("mesh.open", "cannot be opened", "Check the name and the permissions.");
    if (size > kLargestMeshFile)
        return fail("mesh.size", fmt::format("has {} MB; {} MB is the limit", size >> 20, kLargestMeshFile >> 20),
                    "Reduce it before bringing it in.");
    const auto program = importProgram();
    if (!program)
        return fail("mesh.program", "cannot be read, since the program topikos-import is not there",
                    "Install Topikos again, or build all of it.");
    Helper helper(*program, fs::absolute(path, bad).string());
    if (!helper.started())
        return fail("mesh.program", "cannot be read, since topikos-import does not start", "Try again.");

    // The program is ended by its own limit on processor time; this one is for when it sleeps.
    const auto deadline = Clock::now() + std::chrono::seconds(4 * importSeconds(size));
    std::string answer;
    while (helper.readSome(answer)) {
        if (keepOn && !keepOn()) return fail("mesh.cancelled", "was not read to its end", "");
        if (Clock::now() > deadline || answer.size() > longestWire())
            return fail("mesh.time", fmt::format("was not read within {} s", 4 * importSeconds(size)),
                        "Export it again, for example as STL.");
    }
    const int status = helper.wait();
    std::optional<Result<Triangles>> read = fromWire(answer);
    if (!read) {
        const int signal = WIFSIGNALED(status) ? WTERMSIG(status) : 0;
        if (signal == SIGXCPU || signal == SIGKILL)
            return fail("mesh.time",
                        fmt::format("takes more than {} s to be read, the limit for {:.1f} MB of file",
                                    importSeconds(size), double(size) / double(1 << 20)),
                        "Export it again, for example as STL.");
        return fail(
            "mesh.crash",
            signal ? fmt::format("ended the program that read it (signal {})", signal)
                   : fmt::format("ended the program that read it (code {})", WEXITSTATUS(status)),
            "It is damaged, or made in a way that the reader does not bear; export it again, for example as STL.");
    }
    if (!*read) {
        Error error = read->error();
        error.where = path;
        return error;
    }
    Triangles out = std::move(*read).value();
    for (Eigen::Vector3f& p : out.points) {
        p = scale.cwiseProduct(p.cast<double>()).cast<float>();
        if (!p.allFinite()) return fail("mesh.number", "holds a place too far out to be a number", "Check its unit.");
    }
    return out;
}

std::string stlOf(const Triangles& triangles)
{
    std::string out(80, ' ');
    const auto put = [&out](const auto& value) { out.append(reinterpret_cast<const char*>(&value), sizeof value); };
    put(std::uint32_t(triangles.faces.size()));
    for (const auto& face : triangles.faces) {
        const Eigen::Vector3f &a = triangles.points[face[0]], &b = triangles.points[face[1]],
                              &c = triangles.points[face[2]];
        const Eigen::Vector3f normal = (b - a).cross(c - a).normalized();
        for (const Eigen::Vector3f* v : {&normal, &a, &b, &c})
            for (int i = 0; i < 3; ++i)
                put((*v)[i]);
        put(std::uint16_t(0));
    }
    return out;
}

}  // namespace topikos
