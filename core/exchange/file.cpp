#include "core/exchange/cell_file.h"

#include <fmt/format.h>

#include <fcntl.h>
#include <sys/stat.h>
#include <unistd.h>

#include <cerrno>
#include <cstring>
#include <filesystem>

namespace topikos {

namespace {

Error systemError(const char* code, const std::string& path, const char* what, const char* remedy)
{
    return {code, fmt::format("{}: {}", what, std::strerror(errno)), path, remedy};
}

/// Closes a descriptor when it goes out of scope.
struct Descriptor {
    int value;
    ~Descriptor()
    {
        if (value >= 0) ::close(value);
    }
};

}  // namespace

Result<std::string> readFile(const std::string& path, std::size_t limit)
{
    const Descriptor file{::open(path.c_str(), O_RDONLY | O_CLOEXEC)};
    if (file.value < 0)
        return systemError("file.open", path, "cannot be opened", "Check the name and the permissions.");
    struct stat info;
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
        if (n < 0) return systemError("file.read", path, "cannot be read", "Check the disk.");
        if (n == 0) break;
        done += std::size_t(n);
    }
    text.resize(done);
    return text;
}

Status saveFile(const std::string& path, const std::string& text)
{
    constexpr const char* remedy = "Free some space or save elsewhere; the file on disk is unchanged.";
    // Through a link, the file it points to is replaced, not the link.
    std::error_code ignored;
    const std::filesystem::path target = std::filesystem::weakly_canonical(path, ignored);
    const std::string final = target.empty() ? path : target.string();
    std::string temporary = final + ".XXXXXX";
    const Descriptor file{::mkostemp(temporary.data(), O_CLOEXEC)};
    if (file.value < 0) return systemError("file.create", path, "cannot be written", remedy);
    const auto fail = [&](const char* what) {
        const Error error = systemError("file.write", path, what, remedy);
        ::unlink(temporary.c_str());
        return error;
    };
    std::size_t done = 0;
    while (done < text.size()) {
        const ssize_t n = ::write(file.value, text.data() + done, text.size() - done);
        if (n < 0 && errno == EINTR) continue;
        if (n < 0) return fail("cannot be written");
        done += std::size_t(n);
    }
    struct stat old;
    const mode_t mask = ::umask(0);
    ::umask(mask);
    ::fchmod(file.value, ::stat(final.c_str(), &old) == 0 ? old.st_mode & 07777 : 0666 & ~mask);
    if (::fsync(file.value) != 0) return fail("cannot be flushed to the disk");
    if (::rename(temporary.c_str(), final.c_str()) != 0) return fail("cannot be put in place");
    const std::filesystem::path folder = std::filesystem::path(final).parent_path();
    const Descriptor directory{::open(folder.empty() ? "." : folder.c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC)};
    if (directory.value >= 0) ::fsync(directory.value);
    return std::nullopt;
}

Result<Cell> openCell(const std::string& path)
{
    Result<std::string> text = readFile(path, kLargestCellFile);
    if (!text) return text.error();
    return readCell(*text, path);
}

Status saveCell(const std::string& path, const Cell& cell) { return saveFile(path, writeCell(cell)); }

}  // namespace topikos
