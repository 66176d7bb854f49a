#pragma once
#include "core/program/vocabulary.h"
#include "core/spatial/text.h"

#include <fmt/format.h>

#include <charconv>
#include <cmath>

namespace topikos {

/// Reads words, numbers and names of one line from the left. A word or name ends where the line does, or before a
/// blank, comma or bracket.
class LineReader {
public:
    explicit LineReader(std::string_view text) : m_text(text), m_low(std::make_shared<const std::string>(lowered(text)))
    {
        skip();
    }

    bool done() const { return m_at >= m_text.size(); }
    size_t column() const { return m_at + 1; }
    std::string rest() const { return std::string(m_text.substr(m_at)); }
    std::string_view restLowered() const { return std::string_view(*m_low).substr(m_at); }

    bool word(std::string_view wanted)
    {
        if (m_low->compare(m_at, wanted.size(), wanted) != 0) return false;
        const size_t end = m_at + wanted.size();
        if (end < m_text.size() && !endsWord(m_text[end])) return false;
        m_at = end;
        skip();
        return true;
    }
    /// Whether the rest begins with a word.
    bool at(std::string_view wanted) const { return LineReader(*this).word(wanted); }
    /// A sign that may touch what is behind it.
    bool sign(char wanted)
    {
        if (done() || m_text[m_at] != wanted) return false;
        ++m_at;
        skip();
        return true;
    }
    /// A unit may touch its number: "80mm".
    bool unit(std::string_view wanted) { return word(wanted); }

    bool number(double& value)
    {
        const char* begin = m_text.data() + m_at;
        const char* end = m_text.data() + m_text.size();
        if (begin != end && *begin == '+' && (++begin == end || *begin == '-')) return false;
        const auto result = std::from_chars(begin, end, value);
        if (result.ec != std::errc() || !std::isfinite(value)) return false;
        m_at = size_t(result.ptr - m_text.data());
        skip();
        return true;
    }

    /// Text in quotation marks, those inside doubled.
    std::optional<std::string> quoted()
    {
        if (done() || m_text[m_at] != '"') return std::nullopt;
        std::string out;
        size_t at = m_at + 1;
        for (; at < m_text.size() && (m_text[at] != '"' || m_text.substr(at, 2) == "\"\""); ++at) {
            out += m_text[at];
            at += m_text[at] == '"' ? 1 : 0;
        }
        if (at >= m_text.size() || (at + 1 < m_text.size() && !endsWord(m_text[at + 1]))) return std::nullopt;
        m_at = at + 1;
        skip();
        return out;
    }
    void advance(size_t bytes)
    {
        m_at += bytes;
        skip();
    }

    /// The thing with the name in quotation marks, or with the longest name that the rest begins with.
    const Names::Match* named(const Names& names)
    {
        const size_t before = m_at;
        if (const auto text = quoted()) {
            if (const Names::Match* match = names.exactly(lowered(*text))) return match;
            m_at = before;
            return nullptr;
        }
        const Names::Match* match = names.longest(restLowered());
        if (match) advance(match->length);
        return match;
    }

    /// What stands where a name is missing: up to a word that ends one.
    std::string unknownName() const
    {
        LineReader copy = *this;
        if (const auto text = copy.quoted()) return *text;
        static constexpr std::string_view kBehind[] = {" at ", " blend ", " acceleration ", " stop ",
                                                       " to ", " and ",   " with ",         " is ",
                                                       " on",  " off",    " for ",          " from "};
        size_t end = m_low->size();
        for (const std::string_view word : kBehind)
            end = std::min(end, m_low->find(word, m_at));
        end = std::min(end, m_low->find_first_of(",()", m_at));
        const size_t digit = m_low->find_first_of("0123456789", m_at);
        // "Rak place 120 mm": a number behind a blank that is followed by a unit is no part of the name.
        if (digit != std::string::npos && digit > m_at && (*m_low)[digit - 1] == ' '
            && m_low->find(" mm", digit) != std::string::npos)
            end = std::min(end, digit);
        while (end > m_at && m_text[end - 1] == ' ')
            --end;
        return std::string(m_text.substr(m_at, end - m_at));
    }

private:
    static bool endsWord(char c) { return std::string_view(" ,()").find(c) != std::string_view::npos; }
    void skip()
    {
        while (m_at < m_text.size() && m_text[m_at] == ' ')
            ++m_at;
    }
    std::string_view m_text;
    std::shared_ptr<const std::string> m_low;  ///< shared by readers that look ahead
    size_t m_at = 0;
};

inline Error problemAt(size_t column, std::string message, std::string remedy)
{
    return {"step.text", std::move(message), fmt::format("column {}", column), std::move(remedy)};
}
inline Error problemAt(const LineReader& reader, std::string message, std::string remedy)
{
    return problemAt(reader.column(), std::move(message), std::move(remedy));
}
/// "there is no target called "Rak place"; "Rack place" is meant?"
inline Error unknownName(const LineReader& reader, const char* what, const Names& names, const char* remedy)
{
    if (reader.done()) return problemAt(reader, fmt::format("a {} is missing", what), remedy);
    const std::string name = reader.unknownName(), nearest = names.nearest(name);
    return problemAt(reader,
                     fmt::format("there is no {} called \"{}\"", what, name)
                         + (nearest.empty() ? "" : fmt::format("; \"{}\" is meant?", nearest)),
                     remedy);
}

}  // namespace topikos
