#pragma once
#include <cstddef>
#include <string>
#include <string_view>

namespace topikos {

/// With the letters A to Z small; other letters stay.
std::string lowered(std::string_view text);

/// Where a text begins behind a byte order mark of UTF-8, if it has one.
inline size_t withoutByteOrderMark(std::string_view text) { return text.starts_with("\xef\xbb\xbf") ? 3 : 0; }

/// Whether the bytes are UTF-8 as RFC 3629 has it: no surrogates, nothing longer than needed.
bool isUtf8(std::string_view text);

/// A text from outside as part of one line: control characters, line and paragraph separators, marks that change the
/// direction of writing and bytes that are no UTF-8 are written as "\x0a".
std::string shownText(std::string_view text);

/// A text of so many bytes at most: what is longer lacks its middle.
std::string shortenedText(std::string_view text, size_t most);

/// A message with bounds on all that it may hold: what stands in quotation marks is shortened, numbers have twelve
/// digits at most, and so has the whole of it an end.
std::string boundedMessage(std::string_view text);

/// The same for the text and attributes of XML, with its own characters escaped.
std::string xmlText(std::string_view text);

/// A field of a table in CSV: as shownText(), in quotation marks where it has to be (RFC 4180).
std::string csvText(std::string_view text);

}  // namespace topikos
