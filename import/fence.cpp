#include "import/fence.h"

#include "core/shape/mesh_file.h"

#include <fmt/format.h>
#include <seccomp.h>

#include <fcntl.h>
#include <linux/capability.h>
#include <linux/landlock.h>
#include <sys/mman.h>
#include <sys/prctl.h>
#include <sys/resource.h>
#include <sys/socket.h>
#include <sys/stat.h>
#include <sys/syscall.h>
#include <sys/uio.h>
#include <unistd.h>

#include <cerrno>
#include <csignal>
#include <utility>
#include <vector>

namespace topikos {

namespace {

void limit(__rlimit_resource what, rlim_t most)
{
    const rlimit limits{most, most};
    setrlimit(what, &limits);
}

/// Files of one folder can be read, nothing else can be done with any file. Kernels before 5.13 have no such rules.
void leaveFiles(const std::string& folder)
{
    landlock_ruleset_attr all{};
    all.handled_access_fs = (LANDLOCK_ACCESS_FS_MAKE_SYM << 1) - 1;  // all of the first version
    const long rules = syscall(SYS_landlock_create_ruleset, &all, sizeof all.handled_access_fs, 0);
    if (rules < 0) return;
    const int place = folder.empty() ? -1 : open(folder.c_str(), O_PATH | O_CLOEXEC);
    if (place >= 0) {
        landlock_path_beneath_attr beneath{};
        beneath.allowed_access = LANDLOCK_ACCESS_FS_READ_FILE | LANDLOCK_ACCESS_FS_READ_DIR;
        beneath.parent_fd = place;
        syscall(SYS_landlock_add_rule, rules, LANDLOCK_RULE_PATH_BENEATH, &beneath, 0);
        close(place);
    }
    syscall(SYS_landlock_restrict_self, rules, 0);
    close(int(rules));
}

void leavePrivileges()
{
    for (unsigned long i = 0; i <= CAP_LAST_CAP; ++i)
        prctl(PR_CAPBSET_DROP, i, 0, 0, 0);
    __user_cap_header_struct header{_LINUX_CAPABILITY_VERSION_3, 0};
    const __user_cap_data_struct none[2] = {};
    syscall(SYS_capset, &header, none);
}

/// The calls that reading takes; all others are refused. Where the kernel knows no filters the limits still hold.
void leaveCalls()
{
    const scmp_filter_ctx filter = seccomp_init(SCMP_ACT_ERRNO(EPERM));
    if (!filter) return;
    const auto allow = [&](int call) { seccomp_rule_add(filter, SCMP_ACT_ALLOW, call, 0); };
    const auto allowIf = [&](int call, const std::vector<scmp_arg_cmp>& conditions) {
        seccomp_rule_add_array(filter, SCMP_ACT_ALLOW, call, unsigned(conditions.size()), conditions.data());
    };
    for (const int call : {SCMP_SYS(read),
                           SCMP_SYS(readv),
                           SCMP_SYS(pread64),
                           SCMP_SYS(lseek),
                           SCMP_SYS(close),
                           SCMP_SYS(fstat),
                           SCMP_SYS(stat),
                           SCMP_SYS(lstat),
                           SCMP_SYS(newfstatat),
                           SCMP_SYS(statx),
                           SCMP_SYS(access),
                           SCMP_SYS(faccessat),
                           SCMP_SYS(faccessat2),
                           SCMP_SYS(readlink),
                           SCMP_SYS(readlinkat),
                           SCMP_SYS(getcwd),
                           SCMP_SYS(getdents64),
                           SCMP_SYS(fadvise64),
                           SCMP_SYS(munmap),
                           SCMP_SYS(mremap),
                           SCMP_SYS(brk),
                           SCMP_SYS(mprotect),
                           SCMP_SYS(madvise),
                           SCMP_SYS(exit),
                           SCMP_SYS(exit_group),
                           SCMP_SYS(futex),
                           SCMP_SYS(clock_gettime),
                           SCMP_SYS(gettimeofday),
                           SCMP_SYS(getrandom),
                           SCMP_SYS(rt_sigaction),
                           SCMP_SYS(rt_sigreturn),
                           SCMP_SYS(rt_sigprocmask),
                           SCMP_SYS(sigaltstack),
                           SCMP_SYS(getpid),
                           SCMP_SYS(gettid),
                           SCMP_SYS(sched_yield),
                           SCMP_SYS(sched_getaffinity),
                           SCMP_SYS(sysinfo),
                           SCMP_SYS(uname)})
        allow(call);
    // Files are opened to be read.
    constexpr scmp_datum_t writing = O_ACCMODE | O_CREAT | O_TRUNC | O_APPEND | (O_TMPFILE & ~O_DIRECTORY);
    allowIf(SCMP_SYS(open), {SCMP_A1(SCMP_CMP_MASKED_EQ, writing, O_RDONLY)});
    allowIf(SCMP_SYS(openat), {SCMP_A2(SCMP_CMP_MASKED_EQ, writing, O_RDONLY)});
    // The answer goes to the pipes that are there.
    for (const int call : {SCMP_SYS(write), SCMP_SYS(writev)})
        allowIf(call, {SCMP_A0(SCMP_CMP_LE, STDERR_FILENO)});
    // Memory that nobody else sees.
    allowIf(SCMP_SYS(mmap), {SCMP_A3(SCMP_CMP_MASKED_EQ, MAP_SHARED, 0)});
    // Limits are asked for, not set.
    allowIf(SCMP_SYS(prlimit64), {SCMP_A2(SCMP_CMP_EQ, 0)});
    // It may end itself.
    allowIf(SCMP_SYS(tgkill), {SCMP_A0(SCMP_CMP_EQ, scmp_datum_t(getpid()))});
    allowIf(SCMP_SYS(fcntl), {SCMP_A1(SCMP_CMP_EQ, F_GETFL)});
    seccomp_load(filter);
    seccomp_release(filter);
}

}  // namespace

void raiseFence(std::uintmax_t size, const std::string& folder)
{
    limit(RLIMIT_CORE, 0);
    limit(RLIMIT_FSIZE, 0);
    limit(RLIMIT_NPROC, 0);
#ifndef TOPIKOS_SANITIZED
    limit(RLIMIT_AS, importMemory(size));
#endif
    limit(RLIMIT_CPU, importSeconds(size));
    prctl(PR_SET_DUMPABLE, 0, 0, 0, 0);
    prctl(PR_SET_NO_NEW_PRIVS, 1, 0, 0, 0);
    leaveFiles(folder);
    leavePrivileges();
    leaveCalls();
}

std::string fenceReport(const std::string& victim)
{
    std::string out;
    const auto tell = [&](const char* what, bool refused) {
        out += fmt::format("{}{}: {}", out.empty() ? "" : ", ", what, refused ? "refused" : "open");
    };
    const char* path = victim.c_str();
    char* const none[] = {nullptr};
    tell("network", socket(AF_INET, SOCK_STREAM, 0) < 0);
    tell("programs", execve("/bin/true", none, none) < 0);
    const pid_t child = fork();
    if (child == 0) _exit(0);
    tell("processes", child < 0);
    tell("signals", kill(getppid(), 0) < 0);
    const std::string memory = fmt::format("/proc/{}/mem", getppid());
    char byte = 0;
    iovec own{&byte, 1}, other{reinterpret_cast<void*>(&fenceReport), 1};
    const int reading = open(memory.c_str(), O_RDONLY);
    tell("parent's memory",
         (reading < 0 || pread(reading, &byte, 1, off_t(reinterpret_cast<std::uintptr_t>(&fenceReport))) < 0)
             && process_vm_readv(getppid(), &own, 1, &other, 1, 0) < 0);
    const int seen = open(path, O_RDONLY);
    tell("other folders", seen < 0);
    tell("writing", open(path, O_WRONLY) < 0 && open(path, O_RDWR) < 0 && open(path, O_RDONLY | O_TRUNC) < 0);
    tell("making files",
         open((victim + ".new").c_str(), O_WRONLY | O_CREAT, 0600) < 0 && open("/tmp", O_TMPFILE | O_RDWR, 0600) < 0);
    const int self = open("/proc/self/exe", O_RDONLY);
    const int any = seen >= 0 ? seen : self >= 0 ? self : STDIN_FILENO;
    tell("shared mapping", mmap(nullptr, 1, PROT_READ | PROT_WRITE, MAP_SHARED, any, 0) == MAP_FAILED
                               && mmap(nullptr, 1, PROT_READ, MAP_SHARED | MAP_ANONYMOUS, -1, 0) == MAP_FAILED);
    tell("truncating", truncate(path, 0) < 0 && ftruncate(any, 0) < 0);
    tell("unlinking", unlink(path) < 0 && unlinkat(AT_FDCWD, path, 0) < 0);
    tell("renaming", rename(path, (victim + ".moved").c_str()) < 0 && link(path, (victim + ".link").c_str()) < 0);
    tell("permissions", chmod(path, 0777) < 0 && fchmod(any, 0777) < 0);
    tell("io_uring", syscall(SYS_io_uring_setup, 1, nullptr) < 0 && errno == EPERM);
    tell("bpf", syscall(SYS_bpf, 0, nullptr, 0) < 0 && errno == EPERM);
    tell("privileges", prctl(PR_SET_SECCOMP, 0, 0, 0, 0) < 0 && setuid(0) < 0);
    rlimit files{};
    getrlimit(RLIMIT_FSIZE, &files);
    tell("files", files.rlim_cur == 0);
    return out;
}

std::string tooMuchMemoryText(std::uintmax_t size)
{
    return fmt::format("needs more than {:.1f} GB of memory to be read, the limit for {:.1f} MB of file",
                       double(importMemory(size)) / double(1 << 30), double(size) / double(1 << 20));
}

}  // namespace topikos
