#include "core/cell/typed_move.h"

#include "core/spatial/number_text.h"
#include "core/spatial/text.h"

#include <fmt/format.h>

#include <algorithm>
#include <cctype>
#include <optional>

namespace topikos {

namespace {

Error bad(std::string message, size_t at, std::string remedy)
{
    return {"teach.typed", std::move(message), fmt::format("column {}", at + 1), std::move(remedy)};
}

/// A name at a place of a line: what it means, and how long it is.
struct Name {
    TypedMove::What what;
    int index;
    size_t length;
};

std::optional<Name> nameAt(const std::string& line, size_t at)
{
    // Bytes of UTF-8 are none of these.
    const auto letter = [&](size_t i) {
        return i < line.size() ? std::tolower(static_cast<unsigned char>(line[i])) : 0;
    };
    const auto ends = [&](size_t i) { return !std::isalpha(letter(i)); };
    if (at > 0 && std::isalnum(letter(at - 1))) return std::nullopt;
    if (letter(at) == 'r' && letter(at + 1) >= 'x' && letter(at + 1) <= 'z' && ends(at + 2))
        return Name{TypedMove::What::About, letter(at + 1) - 'x', 2};
    if (letter(at) >= 'x' && letter(at) <= 'z' && ends(at + 1))
        return Name{TypedMove::What::Along, letter(at) - 'x', 1};
    if (letter(at) != 'j') return std::nullopt;
    size_t i = at + (lowered(line.substr(at, 5)) == "joint" ? 5 : 1);
    while (letter(i) == ' ')
        ++i;
    int number = 0;
    size_t digits = 0;
    for (; std::isdigit(letter(i)) && digits < 3; ++i, ++digits)
        number = 10 * number + (letter(i) - '0');
    if (digits == 0) return std::nullopt;
    return Name{TypedMove::What::Joint, number - 1, i - at};
}

}  // namespace

Result<TypedMove> readTypedMove(const std::string& text, const Arm& arm, double lengthUnit, double angleUnit)
{
    static const char* const example = "Type for example Z +25, j4 -10, or x 350 y 0.";
    TypedMove out;
    size_t at = text.find_first_not_of(" ,;");
    if (at == std::string::npos) return bad("nothing is said", 0, example);
    while (at < text.size()) {
        const std::optional<Name> name = nameAt(text, at);
        if (!name)
            return bad(fmt::format("\"{}\" is no axis and no joint", shownText(text.substr(at, 12))), at, example);
        if (name->what == TypedMove::What::Joint && (name->index < 0 || name->index >= arm.jointCount()))
            return bad(fmt::format("the arm has no joint {}", name->index + 1), at,
                       fmt::format("Its joints are 1 to {}.", arm.jointCount()));
        size_t from = text.find_first_not_of(" :", at + name->length);
        const bool to = from != std::string::npos && text[from] == '=';
        if (to) from = text.find_first_not_of(" =", from);
        size_t end = from == std::string::npos ? text.size() : from;
        while (end < text.size() && !nameAt(text, end) && text[end] != ';')
            ++end;
        std::string value = from == std::string::npos ? std::string() : text.substr(from, end - from);
        while (!value.empty() && (value.back() == ' ' || value.back() == ','))
            value.pop_back();
        TypedMove::Part part{name->what, name->index, !to && !value.empty() && (value[0] == '+' || value[0] == '-'), 0};
        const bool slides =
            part.what == TypedMove::What::Along
            || (part.what == TypedMove::What::Joint && arm.joints()[size_t(part.index)].kind == JointKind::Prismatic);
        const auto number = quantityOf(value[0] == '+' ? value.substr(1) : value,
                                       slides ? Quantity::Length : Quantity::Angle, slides ? lengthUnit : angleUnit);
        if (!number)
            return bad(value.empty() ? fmt::format("\"{}\" has no number behind it", text.substr(at, name->length))
                                     : fmt::format("\"{}\" is no {}", shownText(value), slides ? "length" : "angle"),
                       from == std::string::npos ? text.size() : from, example);
        part.value = *number;
        for (const TypedMove::Part& other : out.parts) {
            if (other.what == part.what && other.index == part.index)
                return bad(fmt::format("\"{}\" is said twice", text.substr(at, name->length)), at, "Say it once.");
            if ((other.what == TypedMove::What::Joint) != (part.what == TypedMove::What::Joint))
                return bad("joints and places of the tool do not mix", at, "Type one of the two.");
        }
        out.parts.push_back(part);
        at = text.find_first_not_of(" ,;", end);
        if (at == std::string::npos) break;
    }
    return out;
}

}  // namespace topikos
