#pragma once
#include "core/spatial/result.h"

#include <functional>
#include <string>
#include <string_view>
#include <vector>

namespace topikos {

/// Whole file into memory, refused above `limit` bytes. Only regular files are opened.
Result<std::string> readFile(const std::string& path, std::size_t limit);

/// Where output may go: not to an empty name, and not over one of the files that were read, by whatever name. `option`:
/// what the message calls it.
Status checkOutput(const std::string& path, const std::vector<std::string>& inputs, const std::string& option);
/// Whether two names are those of one file, links followed.
bool sameFile(const std::string& a, const std::string& b);

/// Takes a piece of a file; false when it could not be written, and no more is wanted.
using FileSink = std::function<bool(std::string_view)>;

/// Replaces `path` in one go: written beside it, flushed to the disk, read back and compared, renamed. A process killed
/// at any moment leaves the old or the new file; what it leaves beside it goes with the next save in that folder.
///
/// Through a link the file it points to is replaced. The new file keeps the permissions of the old one, and its owner
/// and group as far as the system allows; other names (hard links) of the old file keep the old content. Refused: what
/// is no regular file, and files that nobody may write.
Status saveFile(const std::string& path, const std::string& text);
/// The same, written piece by piece; it is not read back.
Status saveFile(const std::string& path, const std::function<void(const FileSink&)>& write);

}  // namespace topikos
