#include "core/spatial/text.h"

#include <fmt/format.h>

#include <cctype>
#include <charconv>
#include <cstdint>

namespace topikos {

namespace {

/// One character of a UTF-8 text.
struct Character {
    std::uint32_t code = 0;
    size_t bytes = 0;  ///< 0: the text does not go on with a character
};

Character characterAt(std::string_view text, size_t at)
{
    const auto byte = [&](size_t i) { return std::uint32_t(std::uint8_t(text[at + i])); };
    const std::uint32_t first = byte(0);
    if (first < 0x80) return {first, 1};
    const size_t bytes = first >= 0xf0 ? 4 : first >= 0xe0 ? 3 : 2;
    if (first < 0xc2 || first > 0xf4 || at + bytes > text.size()) return {};
    std::uint32_t code = first & (0xffu >> (bytes + 1));
    for (size_t i = 1; i < bytes; ++i) {
        if ((byte(i) & 0xc0) != 0x80) return {};
        code = code << 6 | (byte(i) & 0x3f);
    }
    constexpr std::uint32_t least[] = {0, 0, 0x80, 0x800, 0x10000};
    if (code < least[bytes] || code > 0x10ffff || (code >= 0xd800 && code <= 0xdfff)) return {};
    return {code, bytes};
}

/// Whether a character could break a line, or change how the rest of it looks.
bool breaksLines(std::uint32_t c)
{
    return c < 0x20 || (c >= 0x7f && c <= 0x9f) || c == 0x2028 || c == 0x2029 || c == 0x200e || c == 0x200f
           || (c >= 0x202a && c <= 0x202e) || (c >= 0x2066 && c <= 0x2069) || c == 0xfeff || c == 0xfffe || c == 0xffff;
}

/// Hands on each character as it may be shown.
template <class Add> void eachShown(std::string_view text, Add add)
{
    for (size_t at = 0; at < text.size();) {
        const Character c = characterAt(text, at);
        const size_t bytes = c.bytes ? c.bytes : 1;
        if (c.bytes && !breaksLines(c.code)) add(text.substr(at, bytes));
        else
            for (size_t i = 0; i < bytes; ++i)
                add(fmt::format("\\x{:02x}", std::uint8_t(text[at + i])));
        at += bytes;
    }
}

}  // namespace

std::string lowered(std::string_view text)
{
    std::string out(text);
    for (char& c : out)
        if (c >= 'A' && c <= 'Z') c = char(c - 'A' + 'a');
    return out;
}

bool isUtf8(std::string_view text)
{
    for (size_t at = 0; at < text.size();) {
        const Character c = characterAt(text, at);
        if (!c.bytes) return false;
        at += c.bytes;
    }
    return true;
}

std::string shownText(std::string_view text)
{
    std::string out;
    out.reserve(text.size());
    eachShown(text, [&](std::string_view c) { out += c; });
    return out;
}

std::string shortenedText(std::string_view text, size_t most)
{
    constexpr std::string_view gap = "…";
    if (text.size() <= most) return std::string(text);
    const auto begins = [&](size_t at) { return at >= text.size() || (std::uint8_t(text[at]) & 0xc0) != 0x80; };
    size_t head = most / 2, tail = text.size() - (most - most / 2 - gap.size());
    while (head > 0 && !begins(head))
        --head;
    while (!begins(tail))
        ++tail;
    return std::string(text.substr(0, head)) + std::string(gap) + std::string(text.substr(tail));
}

std::string boundedMessage(std::string_view text)
{
    constexpr size_t kQuoted = 90, kDigits = 12, kWhole = 1000;  // [bytes]
    const auto isDigit = [](char c) { return c >= '0' && c <= '9'; };
    std::string out;
    for (size_t at = 0; at < text.size();) {
        if (text[at] == '"') {
            const size_t end = text.find('"', at + 1);
            if (end != text.npos) {
                out += '"' + shortenedText(text.substr(at + 1, end - at - 1), kQuoted) + '"';
                at = end + 1;
                continue;
            }
        }
        const bool begins =
            isDigit(text[at]) && (at == 0 || (!std::isalnum(std::uint8_t(text[at - 1])) && text[at - 1] != '_'));
        if (!begins) {
            out += text[at++];
            continue;
        }
        size_t end = at, digits = 0;
        while (end < text.size()
               && (isDigit(text[end]) || (text[end] == '.' && end + 1 < text.size() && isDigit(text[end + 1]))))
            digits += isDigit(text[end++]);
        if (end < text.size() && text[end] == 'e')
            for (size_t more = end + 1;
                 more < text.size()
                 && (isDigit(text[more]) || (more == end + 1 && (text[more] == '-' || text[more] == '+')));
                 ++more)
                if (isDigit(text[more])) end = more + 1;
        double value = 0;
        const auto read = std::from_chars(text.data() + at, text.data() + end, value);
        const bool number = read.ec == std::errc() && read.ptr == text.data() + end;
        out += digits > kDigits && number ? fmt::format("{:.12g}", value) : std::string(text.substr(at, end - at));
        at = end;
    }
    return shortenedText(out, kWhole);
}

std::string xmlText(std::string_view text)
{
    std::string out;
    out.reserve(text.size());
    eachShown(text, [&](std::string_view c) {
        if (c == "<") out += "&lt;";
        else if (c == ">") out += "&gt;";
        else if (c == "&") out += "&amp;";
        else if (c == "\"") out += "&quot;";
        else out += c;
    });
    return out;
}

std::string csvText(std::string_view text)
{
    const std::string shown = shownText(text);
    if (shown.find_first_of(",\"") == shown.npos) return shown;
    std::string out = "\"";
    for (const char c : shown)
        out += c == '"' ? "\"\"" : std::string(1, c);
    return out + "\"";
}

}  // namespace topikos
