#include "core/files/file.h"

#include <fmt/format.h>

#include <fcntl.h>
#include <sys/file.h>
#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <csignal>
#include <cstring>
#include <filesystem>
#include <optional>
#include <utility>

namespace topikos {

namespace {

namespace fs = std::filesystem;

constexpr std::string_view kTemporary = ".topikos-saving-";  // and six characters

const char* remedyFor(int error)
{
    switch (error) {
    case EACCES:
    case EPERM: return "You may not write there; save elsewhere, or have it allowed. The file on disk is unchanged.";
    case EROFS: return "That disk can only be read; save elsewhere. The file on disk is unchanged.";
    case ENOENT:
    case ENOTDIR: return "The folder is not there; choose another one.";
    case ENAMETOOLONG: return "Choose a shorter name.";
    case ELOOP: return "The links there lead in a circle; choose another name.";
    case ENOSPC:
    case EDQUOT:
    case EFBIG: return "Free some space, or save elsewhere. The file on disk is unchanged.";
    default: return "Check the disk, or save elsewhere. The file on disk is unchanged.";
    }
}

Error systemError(const char* code, const std::string& path, const char* what, int error)
{
    return {code, fmt::format("{}: {}", what, std::strerror(error)), path, remedyFor(error)};
}

Error nowhere(const std::string& path)
{
    return {"file.link", "is a link to what is not there", path, "Make that, or choose another name."};
}

/// A file that grows over a limit of the system's is told like a full disk, not by the end of the program.
void takeFileSizeSignals()
{
    static const bool once = [] {
        struct sigaction now {};
        if (::sigaction(SIGXFSZ, nullptr, &now) == 0 && now.sa_handler == SIG_DFL) ::signal(SIGXFSZ, SIG_IGN);
        return true;
    }();
    (void)once;
}

/// Closes a descriptor when it goes out of scope.
struct Descriptor {
    int value = -1;
    explicit Descriptor(int v) : value(v) {}
    Descriptor(Descriptor&& other) noexcept : value(std::exchange(other.value, -1)) {}
    Descriptor& operator=(Descriptor&&) = delete;
    ~Descriptor()
    {
        if (value >= 0) ::close(value);
    }
};

/// Takes away what killed saves have left in a folder: who writes holds a lock on his file.
void clear(const fs::path& folder)
{
    std::error_code bad;
    for (fs::directory_iterator it(folder, bad), end; !bad && it != end; it.increment(bad)) {
        if (!it->path().filename().string().starts_with(kTemporary)) continue;
        const Descriptor file(::open(it->path().c_str(), O_RDONLY | O_NONBLOCK | O_NOFOLLOW | O_CLOEXEC));
        if (file.value >= 0 && ::flock(file.value, LOCK_EX | LOCK_NB) == 0) ::unlink(it->path().c_str());
    }
}

/// A file being written, which takes the place of the old one when all is well.
class NewFile {
public:
    /// Where the file will stand, links followed; or why it cannot.
    static Result<fs::path> place(const std::string& path)
    {
        std::error_code bad;
        const fs::path final = fs::weakly_canonical(fs::absolute(path, bad), bad);
        if (bad) return systemError("file.create", path, "cannot be written", bad.value());
        struct stat old;
        if (::lstat(final.c_str(), &old) != 0) {
            if (errno != ENOENT) return systemError("file.create", path, "cannot be written", errno);
            return final;
        }
        if (S_ISLNK(old.st_mode)) {
            if (::stat(final.c_str(), &old) != 0 && errno == ENOENT) return nowhere(path);
            return systemError("file.create", path, "cannot be written", ELOOP);
        }
        if (!S_ISREG(old.st_mode)) return Error{"file.kind", "is not a file", path, "Choose another name."};
        if (!(old.st_mode & 0222))
            return Error{"file.protected", "is write-protected", path,
                         "Allow writing to it, or save under another name. The file on disk is unchanged."};
        return final;
    }

    NewFile(std::string path, fs::path final) : m_path(std::move(path)), m_final(std::move(final))
    {
        const fs::path folder = m_final.parent_path();
        takeFileSizeSignals();
        clear(folder);
        // Another save may take a file away before its lock is on it; then a new one is made.
        for (int tries = 0; tries < 10; ++tries) {
            m_temporary = folder.string() + "/" + std::string(kTemporary) + "XXXXXX";
            m_file.emplace(::mkostemp(m_temporary.data(), O_CLOEXEC));
            if (m_file->value < 0) {
                fail("cannot be written");
                return;
            }
            struct stat own;
            ::flock(m_file->value, LOCK_EX);
            if (::fstat(m_file->value, &own) == 0 && own.st_nlink > 0) return;
        }
        errno = EAGAIN;
        fail("cannot be written");
    }
    ~NewFile()
    {
        if (m_file->value >= 0 && !m_done) ::unlink(m_temporary.c_str());
    }
    NewFile(const NewFile&) = delete;

    const Status& bad() const { return m_bad; }
    bool write(std::string_view bytes)
    {
        while (!m_bad && !bytes.empty()) {
            const ssize_t n = ::write(m_file->value, bytes.data(), bytes.size());
            if (n < 0 && errno == EINTR) continue;
            if (n < 0) fail("cannot be written");
            else bytes.remove_prefix(std::size_t(n));
        }
        return !m_bad;
    }
    /// Whether the file holds these bytes.
    void compare(std::string_view bytes)
    {
        if (m_bad || ::lseek(m_file->value, 0, SEEK_SET) != 0) return;
        char piece[1 << 16];
        while (true) {
            const ssize_t n = ::read(m_file->value, piece, sizeof piece);
            if (n < 0 && errno == EINTR) continue;
            if (n < 0) return fail("cannot be read back");
            if (n == 0) break;
            if (bytes.substr(0, std::size_t(n)) != std::string_view(piece, std::size_t(n))) break;
            bytes.remove_prefix(std::size_t(n));
        }
        if (!bytes.empty())
            m_bad = Error{"file.compare", "reads back other than it was written", m_path,
                          "Check the disk, or save elsewhere. The file on disk is unchanged."};
    }
    Status putInPlace()
    {
        if (m_bad) return m_bad;
        struct stat old;
        const mode_t mask = ::umask(0);
        ::umask(mask);
        const bool replaces = ::stat(m_final.c_str(), &old) == 0;
        // The owner first: changing it takes some permissions away.
        if (replaces && ::fchown(m_file->value, old.st_uid, old.st_gid) != 0)
            (void)!::fchown(m_file->value, uid_t(-1), old.st_gid);
        if (::fchmod(m_file->value, replaces ? old.st_mode & 07777 : 0666 & ~mask) != 0) fail("cannot be written");
        if (!m_bad && ::fsync(m_file->value) != 0) fail("cannot be flushed to the disk");
        if (!m_bad && ::rename(m_temporary.c_str(), m_final.c_str()) != 0) fail("cannot be put in place");
        if (m_bad) return m_bad;
        m_done = true;
        const Descriptor folder(::open(m_final.parent_path().c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC));
        if (folder.value >= 0) ::fsync(folder.value);
        return std::nullopt;
    }

private:
    void fail(const char* what) { m_bad = systemError("file.write", m_path, what, errno); }

    std::string m_path;
    fs::path m_final;
    std::string m_temporary;
    std::optional<Descriptor> m_file;
    Status m_bad;
    bool m_done = false;
};

}  // namespace

bool sameFile(const std::string& a, const std::string& b)
{
    std::error_code bad;
    if (fs::equivalent(a, b, bad) && !bad) return true;
    const fs::path first = fs::weakly_canonical(fs::absolute(a, bad), bad);
    if (bad) return a == b;
    const fs::path second = fs::weakly_canonical(fs::absolute(b, bad), bad);
    return bad ? a == b : first == second;
}

Status checkOutput(const std::string& path, const std::vector<std::string>& inputs, const std::string& option)
{
    if (path.empty()) return Error{"file.name", "the name of the file to write is empty", option, "Give it a name."};
    for (const std::string& input : inputs)
        if (sameFile(path, input))
            return Error{"file.input", "the file to write is one that is read", option + " " + path,
                         "Choose another name; nothing was written."};
    return std::nullopt;
}

Result<std::string> readFile(const std::string& path, std::size_t limit)
{
    constexpr const char* remedy = "Check the name and the permissions.";
    struct stat info;
    // Looked at before it is opened: opening a pipe or a device may wait, or do something.
    if (::stat(path.c_str(), &info) == 0 && !S_ISREG(info.st_mode))
        return Error{"file.kind", "is not a file", path, "Choose a file."};
    const Descriptor file(::open(path.c_str(), O_RDONLY | O_NONBLOCK | O_CLOEXEC));
    if (struct stat link; file.value < 0 && errno == ENOENT && ::lstat(path.c_str(), &link) == 0) return nowhere(path);
    if (file.value < 0)
        return Error{"file.open", fmt::format("cannot be opened: {}", std::strerror(errno)), path, remedy};
    if (::fstat(file.value, &info) != 0 || !S_ISREG(info.st_mode))
        return Error{"file.kind", "is not a file", path, "Choose a file."};
    if (std::size_t(info.st_size) > limit)
        return Error{"file.size", fmt::format("has {} MB; {} MB is the limit", info.st_size >> 20, limit >> 20), path,
                     "Choose a smaller file."};
    std::string text(std::size_t(info.st_size), '\0');
    std::size_t done = 0;
    while (done < text.size()) {
        const ssize_t n = ::read(file.value, text.data() + done, text.size() - done);
        if (n < 0 && errno == EINTR) continue;
        if (n < 0) return Error{"file.read", fmt::format("cannot be read: {}", std::strerror(errno)), path, remedy};
        if (n == 0) break;
        done += std::size_t(n);
    }
    text.resize(done);
    return text;
}

Status saveFile(const std::string& path, const std::string& text)
{
    const Result<fs::path> final = NewFile::place(path);
    if (!final) return final.error();
    NewFile file(path, *final);
    file.write(text);
    file.compare(text);
    return file.putInPlace();
}

Status saveFile(const std::string& path, const std::function<void(const FileSink&)>& write)
{
    const Result<fs::path> final = NewFile::place(path);
    if (!final) return final.error();
    NewFile file(path, *final);
    if (!file.bad()) write([&file](std::string_view bytes) { return file.write(bytes); });
    return file.putInPlace();
}

}  // namespace topikos
