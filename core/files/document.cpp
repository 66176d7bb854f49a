#include "core/files/document.h"

#include <fmt/format.h>

#include <algorithm>

namespace topikos {

namespace {

/// Checks nesting before the parser builds anything, and finds the line of a position.
Status checkNesting(const std::string& text, const DocumentKind& kind)
{
    int depth = 0, line = 1;
    bool quoted = false;
    for (size_t i = 0; i < text.size(); ++i) {
        const char c = text[i];
        if (c == '\n') ++line;
        if (quoted) {
            if (c == '\\') ++i;
            else if (c == '"') quoted = false;
        } else if (c == '"') {
            quoted = true;
        } else if (c == '{' || c == '[') {
            if (++depth > kDeepestNesting)
                return Error{std::string(kind.code) + ".nesting",
                             fmt::format("nested deeper than {} levels", kDeepestNesting), fmt::format("line {}", line),
                             fmt::format("This is not a {}; open another one.", kind.noun)};
        } else if (c == '}' || c == ']') {
            --depth;
        }
    }
    return std::nullopt;
}

}  // namespace

Result<Json> parseDocument(const std::string& text, const DocumentKind& kind)
{
    const auto code = [&](const char* what) { return std::string(kind.code) + what; };
    if (Status bad = checkNesting(text, kind)) return *bad;
    Json document;
    try {
        document = Json::parse(text);
    } catch (const Json::parse_error& e) {
        const size_t end = std::min(e.byte ? e.byte - 1 : 0, text.size());
        const auto line = 1 + std::count(text.begin(), text.begin() + std::ptrdiff_t(end), '\n');
        const size_t lineStart = end == 0 ? std::string::npos : text.rfind('\n', end - 1);
        const size_t column = end - (lineStart == std::string::npos ? 0 : lineStart + 1) + 1;
        const bool cut = end >= text.size();
        return Error{code(".syntax"), cut ? "the file ends in the middle" : "this is not JSON here",
                     fmt::format("line {}, column {}", line, column),
                     cut ? "It was cut off; use a copy or a backup." : "Correct this place or open another file."};
    } catch (const Json::exception&) {
        return Error{code(".number"), "holds a number too large for any file", "", "Correct it or open another file."};
    }
    const auto format = document.is_object() ? document.find("format") : document.end();
    if (!document.is_object() || format == document.end() || *format != kind.format)
        return Error{code(".format"),
                     fmt::format("is not {} {}: \"format\" is not \"{}\"", kind.noun[0] == 'a' ? "an" : "a", kind.noun,
                                 kind.format),
                     "", fmt::format("Open a file that ends in {}.", kind.ending)};
    const auto version = document.find("version");
    if (version == document.end() || !version->is_number_unsigned() || version->get<std::uint64_t>() == 0)
        return Error{code(".version"), "has no version number", "version", "Correct the file or open another one."};
    if (version->get<std::uint64_t>() > std::uint64_t(kind.version))
        return Error{code(".newer"),
                     fmt::format("was written by a newer Topikos (format version {}; this one reads up to {})",
                                 version->get<std::uint64_t>(), kind.version),
                     "", "Open it with that version; the file is left as it is."};
    return document;
}

Error inFile(Error error, const std::string& name)
{
    error.where = error.where.empty() ? name : name + ", " + error.where;
    return error;
}

/// One line per entry of the top lists; routines break once more, one line per step.
std::string printDocument(const Json& document)
{
    std::string out;
    const auto entries = [&out](const Json& array, const char* indent, auto&& item) {
        if (array.empty()) {
            out += "[]";
            return;
        }
        out += "[\n";
        for (size_t i = 0; i < array.size(); ++i) {
            out += std::string(indent) + "  ";
            item(array[i]);
            out += i + 1 < array.size() ? ",\n" : "\n";
        }
        out += std::string(indent) + "]";
    };
    const auto flat = [&out](const Json& value) { out += value.dump(); };
    out += "{\n";
    size_t left = document.size();
    for (const auto& entry : document.items()) {
        const auto& value = entry.value();
        out += "  " + Json(entry.key()).dump() + ": ";
        if (entry.key() == "routines")
            entries(value, "  ", [&](const Json& routine) {
                const char* before = "{";
                for (const auto& field : routine.items()) {
                    out += before;
                    out += Json(field.key()).dump();
                    out += ':';
                    if (field.key() == "steps") entries(field.value(), "    ", flat);
                    else flat(field.value());
                    before = ",";
                }
                out += "}";
            });
        else if (value.is_array()) entries(value, "  ", flat);
        else flat(value);
        out += --left ? ",\n" : "\n";
    }
    out += "}\n";
    return out;
}

}  // namespace topikos
