#include "import/fence.h"

#include "core/shape/mesh_file.h"

#include <fmt/format.h>
#include <seccomp.h>

#include <fcntl.h>
#include <sys/prctl.h>
#include <sys/resource.h>
#include <sys/socket.h>
#include <unistd.h>

#include <cerrno>

namespace topikos {

namespace {

void limit(__rlimit_resource what, rlim_t most)
{
    const rlimit limits{most, most};
    setrlimit(what, &limits);
}

}  // namespace

void raiseFence(std::uintmax_t size)
{
    limit(RLIMIT_CORE, 0);
    limit(RLIMIT_FSIZE, 0);
#if !defined(__SANITIZE_ADDRESS__) && !defined(__SANITIZE_THREAD__)
    limit(RLIMIT_AS, importMemory(size));
#endif
    limit(RLIMIT_CPU, importSeconds(size));
    prctl(PR_SET_NO_NEW_PRIVS, 1, 0, 0, 0);
    // Where the kernel knows no filters the limits above still hold.
    if (const scmp_filter_ctx filter = seccomp_init(SCMP_ACT_ALLOW)) {
        for (const int call : {SCMP_SYS(socket), SCMP_SYS(socketpair), SCMP_SYS(connect), SCMP_SYS(execve),
                               SCMP_SYS(execveat), SCMP_SYS(ptrace), SCMP_SYS(kill)})
            seccomp_rule_add(filter, SCMP_ACT_ERRNO(EPERM), call, 0);
        seccomp_load(filter);
        seccomp_release(filter);
    }
}

std::string fenceReport()
{
    const auto word = [](bool refused) { return refused ? "refused" : "open"; };
    const bool network = socket(AF_INET, SOCK_STREAM, 0) < 0 && errno == EPERM;
    char* const none[] = {nullptr};
    const bool programs = execve("/bin/true", none, none) < 0 && errno == EPERM;
    rlimit files{};
    getrlimit(RLIMIT_FSIZE, &files);
    return fmt::format("network: {}, programs: {}, files: {}", word(network), word(programs),
                       word(files.rlim_cur == 0));
}

std::string tooMuchMemoryText(std::uintmax_t size)
{
    return fmt::format("needs more than {:.1f} GB of memory to be read, the limit for {:.1f} MB of file",
                       double(importMemory(size)) / double(1 << 30), double(size) / double(1 << 20));
}

}  // namespace topikos
