#include "core/shape/mesh_sound.h"

#include "core/shape/mesh_file.h"
#include "core/spatial/text.h"

#include <fmt/format.h>

#include <charconv>
#include <cmath>
#include <cstdint>
#include <cstring>
#include <filesystem>
#include <fstream>
#include <optional>
#include <vector>

namespace topikos {

namespace {

constexpr const char* kRemedy = "It is cut off or damaged; export it again.";

Error fault(const char* code, std::string message) { return {code, std::move(message), "", kRemedy}; }

/// Takes the first word off a text; empty at its end.
std::string_view takeWord(std::string_view& text)
{
    constexpr const char* blank = " \t\r\n\v\f";
    const size_t from = std::min(text.find_first_not_of(blank), text.size());
    const size_t to = std::min(text.find_first_of(blank, from), text.size());
    const std::string_view word = text.substr(from, to - from);
    text.remove_prefix(to);
    return word;
}

/// Takes the first line off a text, without its line break.
std::string_view takeLine(std::string_view& text)
{
    const size_t end = std::min(text.find('\n'), text.size());
    std::string_view line = text.substr(0, end);
    text.remove_prefix(std::min(end + 1, text.size()));
    if (!line.empty() && line.back() == '\r') line.remove_suffix(1);
    return line;
}

template <class Number> std::optional<Number> numberIn(std::string_view word)
{
    if (!word.empty() && word.front() == '+') word.remove_prefix(1);
    Number value{};
    const auto [end, bad] = std::from_chars(word.data(), word.data() + word.size(), value);
    return bad == std::errc() && end == word.data() + word.size() && !word.empty() ? std::optional(value)
                                                                                   : std::nullopt;
}

// PLY -----------------------------------------------------------------------------------------------------------------

struct PlyType {
    const char* word;
    int bytes;
    enum Kind { Signed, Unsigned, Real } kind;
};
constexpr PlyType kPlyTypes[] = {
    {"char", 1, PlyType::Signed},     {"int8", 1, PlyType::Signed},     {"uchar", 1, PlyType::Unsigned},
    {"uint8", 1, PlyType::Unsigned},  {"short", 2, PlyType::Signed},    {"int16", 2, PlyType::Signed},
    {"ushort", 2, PlyType::Unsigned}, {"uint16", 2, PlyType::Unsigned}, {"int", 4, PlyType::Signed},
    {"int32", 4, PlyType::Signed},    {"uint", 4, PlyType::Unsigned},   {"uint32", 4, PlyType::Unsigned},
    {"float", 4, PlyType::Real},      {"float32", 4, PlyType::Real},    {"double", 8, PlyType::Real},
    {"float64", 8, PlyType::Real}};

const PlyType* plyType(std::string_view word)
{
    for (const PlyType& t : kPlyTypes)
        if (word == t.word) return &t;
    return nullptr;
}

struct PlyProperty {
    const PlyType* type;
    const PlyType* count = nullptr;  ///< of a list
    bool corners = false;            ///< a list of indices of points
};
struct PlyElement {
    std::string name;
    std::uint64_t count = 0;
    std::vector<PlyProperty> properties;
};
enum class PlyForm { Text, LittleEndian, BigEndian };
struct PlyHeader {
    PlyForm form = PlyForm::Text;
    std::vector<PlyElement> elements;
    std::uint64_t points = 0;
};

Status readPlyHeader(std::string_view& content, PlyHeader& header)
{
    if (takeLine(content) != "ply") return fault("mesh.read", "cannot be read (a PLY file begins with the word ply)");
    constexpr int most = 200;
    bool formed = false;
    for (int n = 2; n <= most && !content.empty(); ++n) {
        std::string_view line = takeLine(content);
        const std::string where = fmt::format("line {}", n);
        const std::string_view key = takeWord(line);
        if (key == "comment" || key == "obj_info" || key.empty()) continue;
        if (key == "end_header") {
            if (!formed) return fault("mesh.read", "cannot be read (its header names no format)");
            return std::nullopt;
        }
        if (key == "format") {
            const std::string_view form = takeWord(line);
            if (form == "ascii") header.form = PlyForm::Text;
            else if (form == "binary_little_endian") header.form = PlyForm::LittleEndian;
            else if (form == "binary_big_endian") header.form = PlyForm::BigEndian;
            else return fault("mesh.read", fmt::format("cannot be read ({} names a format that is not known)", where));
            formed = true;
        } else if (key == "element") {
            PlyElement element;
            element.name = takeWord(line);
            const auto count = numberIn<std::uint64_t>(takeWord(line));
            if (element.name.empty() || !count)
                return fault("mesh.read", fmt::format("cannot be read ({} is not a name and a count)", where));
            element.count = *count;
            if (element.name == "vertex") header.points += *count;
            header.elements.push_back(std::move(element));
        } else if (key == "property") {
            if (header.elements.empty())
                return fault("mesh.read", fmt::format("cannot be read ({} belongs to no element)", where));
            std::string_view word = takeWord(line);
            PlyProperty property{};
            if (word == "list") {
                property.count = plyType(takeWord(line));
                if (!property.count || property.count->kind == PlyType::Real)
                    return fault("mesh.read",
                                 fmt::format("cannot be read ({}: a list is counted by a whole number)", where));
                word = takeWord(line);
            }
            property.type = plyType(word);
            if (!property.type)
                return fault("mesh.read", fmt::format("cannot be read ({} names a type that is not known)", where));
            const std::string_view name = takeWord(line);
            property.corners = property.count && (name == "vertex_indices" || name == "vertex_index");
            if (property.corners && property.type->kind == PlyType::Real)
                return fault("mesh.read", fmt::format("cannot be read ({}: indices are whole numbers)", where));
            header.elements.back().properties.push_back(property);
        } else {
            return fault("mesh.read", fmt::format("cannot be read ({} is not known in a header)", where));
        }
    }
    return fault("mesh.read", fmt::format("cannot be read (its header has no end within {} lines)", most));
}

/// Takes numbers off the body of a PLY file; nothing at its end or when a number is none.
class PlyBody {
public:
    PlyBody(std::string_view rest, PlyForm form) : m_rest(rest), m_form(form) {}

    std::optional<double> take(const PlyType& type)
    {
        if (m_form == PlyForm::Text) return numberIn<double>(takeWord(m_rest));
        if (m_rest.size() < size_t(type.bytes)) return std::nullopt;
        std::uint64_t bits = 0;
        for (int i = 0; i < type.bytes; ++i) {
            const int from = m_form == PlyForm::LittleEndian ? type.bytes - 1 - i : i;
            bits = bits << 8 | std::uint8_t(m_rest[size_t(from)]);
        }
        m_rest.remove_prefix(size_t(type.bytes));
        if (type.kind == PlyType::Unsigned) return double(bits);
        if (type.kind == PlyType::Signed) {
            const int unused = 64 - 8 * type.bytes;
            return double(std::int64_t(bits << unused) >> unused);
        }
        return 0.0;  // of reals only that they are there counts here
    }
    size_t left() const { return m_rest.size(); }

private:
    std::string_view m_rest;
    PlyForm m_form;
};

}  // namespace

Status plyLooksSound(std::string_view content)
{
    PlyHeader header;
    if (Status bad = readPlyHeader(content, header)) return bad;
    PlyBody body(content, header.form);
    for (const PlyElement& element : header.elements) {
        if (element.properties.empty() && element.count > 0)
            return fault("mesh.count", fmt::format("has {} entries \"{}\" without a property", element.count,
                                                   shownText(element.name)));
        if (element.count > body.left())
            return fault("mesh.count",
                         fmt::format("says that it holds {} entries \"{}\", but has {} bytes left for them",
                                     element.count, shownText(element.name), body.left()));
        for (std::uint64_t i = 0; i < element.count; ++i)
            for (const PlyProperty& property : element.properties) {
                double count = 1;
                if (property.count) {
                    const auto said = body.take(*property.count);
                    if (!said || !(*said >= 0) || *said > double(body.left()))
                        return fault("mesh.count",
                                     fmt::format("ends within entry {} of \"{}\"", i + 1, shownText(element.name)));
                    count = *said;
                }
                for (double k = 0; k < count; ++k) {
                    const auto value = body.take(*property.type);
                    if (!value)
                        return fault("mesh.count", fmt::format("ends, or holds no number, within entry {} of \"{}\"",
                                                               i + 1, shownText(element.name)));
                    if (property.corners && !(*value >= 0 && *value < double(header.points)))
                        return fault("mesh.index",
                                     fmt::format("refers to point {:.0f} in entry {} of \"{}\"; it holds {}", *value,
                                                 i + 1, shownText(element.name), header.points));
                }
            }
    }
    return std::nullopt;
}

Status stlLooksSound(std::string_view content)
{
    if (content.size() < 84 || content.starts_with("solid")) return std::nullopt;
    std::uint32_t count = 0;
    std::memcpy(&count, content.data() + 80, sizeof count);
    if (content.size() == 84 + 50 * std::uintmax_t(count)) return std::nullopt;
    return fault("mesh.count",
                 fmt::format("says that it holds {} triangles, but is {} bytes long, which is room for {}", count,
                             content.size(), (content.size() - 84) / 50));
}

Status objLooksSound(std::string_view content)
{
    struct Use {
        std::int64_t index = 0;
        size_t line = 0;
    };
    // Points, texture places, normals: how many there are, and the largest index of each that is used.
    std::int64_t count[3] = {};
    Use largest[3];
    for (size_t line = 1; !content.empty(); ++line) {
        std::string_view text = takeLine(content);
        const std::string_view key = takeWord(text);
        if (key == "v") ++count[0];
        else if (key == "vt") ++count[1];
        else if (key == "vn") ++count[2];
        else if (key == "f" || key == "l" || key == "p") {
            for (std::string_view corner = takeWord(text); !corner.empty(); corner = takeWord(text))
                for (int kind = 0; kind < 3 && !corner.empty(); ++kind) {
                    const size_t end = std::min(corner.find('/'), corner.size());
                    const std::string_view word = corner.substr(0, end);
                    corner.remove_prefix(std::min(end + 1, corner.size()));
                    if (word.empty()) continue;
                    const auto index = numberIn<std::int64_t>(word);
                    if (!index || *index == 0 || *index < -count[kind])
                        return fault("mesh.index", fmt::format("line {}: \"{}\" is no index of what stands before it",
                                                               line, shownText(word.substr(0, 30))));
                    if (*index > largest[kind].index) largest[kind] = {*index, line};
                }
        }
    }
    constexpr const char* words[] = {"points", "texture places", "normals"};
    for (int kind = 0; kind < 3; ++kind)
        if (largest[kind].index > count[kind])
            return fault("mesh.index", fmt::format("line {} refers to number {} of its {} {}", largest[kind].line,
                                                   largest[kind].index, count[kind], words[kind]));
    return std::nullopt;
}

Status looksSound(const std::string& path)
{
    std::error_code bad;
    if (!std::filesystem::is_regular_file(path, bad))
        return Error{"mesh.open", "is not a file that can be opened", "", "Check the name and the permissions."};
    const std::uintmax_t size = std::filesystem::file_size(path, bad);
    if (size > kLargestMeshFile)
        return Error{"mesh.size", fmt::format("has {} MB; {} MB is the limit", size >> 20, kLargestMeshFile >> 20), "",
                     "Reduce it before bringing it in."};
    const std::string ending = lowered(std::filesystem::path(path).extension().string());
    const auto look = ending == ".stl"   ? stlLooksSound
                      : ending == ".obj" ? objLooksSound
                      : ending == ".ply" ? plyLooksSound
                                         : nullptr;
    if (!look) return std::nullopt;
    std::ifstream file(path, std::ios::binary);
    std::string content(size, '\0');
    file.read(content.data(), std::streamsize(size));
    if (!file) return Error{"mesh.open", "cannot be read", "", "Check the name and the permissions."};
    return look(content);
}

}  // namespace topikos
