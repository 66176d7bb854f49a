#pragma once
#include <optional>
#include <string>
#include <vector>

namespace topikos {

/// Bytes as text, RFC 4648 with padding.
std::string base64Of(const void* bytes, std::size_t count);
/// The bytes of such a text; nothing if it is not one.
std::optional<std::vector<unsigned char>> bytesOfBase64(const std::string& text);

}  // namespace topikos
