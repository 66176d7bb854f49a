#pragma once
#include "core/cell/cell.h"

#include <unordered_map>

namespace topikos {

/// Names that can stand in one place of a program, letter case not counted.
class Names {
public:
    struct Match {
        std::uint32_t id = 0;
        size_t length = 0;  ///< of the name [bytes]
    };
    void add(const std::string& name, std::uint32_t id);
    /// The longest name that the lowered text begins with; it ends where the text does, or before a blank, comma,
    /// bracket.
    const Match* longest(std::string_view lowered) const;
    const Match* exactly(const std::string& lowered) const;
    /// The name that is most like a text, if any is like it at all; "" else.
    std::string nearest(const std::string& text) const;
    bool empty() const { return m_names.empty(); }

private:
    std::unordered_map<std::string, Match> m_names;
    std::vector<std::string> m_spelt;
    size_t m_longest = 0;
};

/// The names of a cell that programs use, made once for many steps.
struct Vocabulary {
    explicit Vocabulary(const Cell& cell);

    const Cell& cell;
    Names targets, signals, frames, routines, patterns, processes, arms, tables;
    Names touchables;  ///< frames, and "any Tile" for the parts of a kind
};

/// A name as it stands in a text, with what follows it: in quotation marks where the two could be read as another name
/// of the list, or where it has characters that mean something; quotation marks inside are doubled.
std::string spelt(const Names& names, const std::string& name, const std::string& rest = "");
std::string inQuotes(const std::string& text);

/// A number as people write it: no trailing zeros, at most `decimals` of them.
std::string plainNumber(double value, int decimals);

}  // namespace topikos
