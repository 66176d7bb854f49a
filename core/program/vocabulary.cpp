#include "core/program/vocabulary.h"

#include "core/cell/step_check.h"
#include "core/spatial/text.h"

#include <fmt/format.h>

#include <algorithm>
#include <numeric>

namespace topikos {

namespace {

constexpr std::string_view kEnds = " ,()";

/// How many characters have to be changed, put in, taken out or swapped with the next one to make one text of another;
/// more than `most` counts as one more than that.
size_t editDistance(std::string_view a, std::string_view b, size_t most)
{
    if (std::max(a.size(), b.size()) - std::min(a.size(), b.size()) > most) return most + 1;
    // Three rows of the table (Damerau, Levenshtein).
    std::vector<size_t> before(b.size() + 1), row(b.size() + 1), next(b.size() + 1);
    std::iota(row.begin(), row.end(), size_t(0));
    for (size_t i = 1; i <= a.size(); ++i) {
        next[0] = i;
        for (size_t k = 1; k <= b.size(); ++k) {
            next[k] = std::min({row[k] + 1, next[k - 1] + 1, row[k - 1] + (a[i - 1] != b[k - 1])});
            const bool swapped = i > 1 && k > 1 && a[i - 1] == b[k - 2] && a[i - 2] == b[k - 1];
            if (swapped) next[k] = std::min(next[k], before[k - 2] + 1);
        }
        before = std::exchange(row, std::exchange(next, std::move(before)));
    }
    return row.back();
}

}  // namespace

void Names::add(const std::string& name, std::uint32_t id)
{
    m_names.emplace(lowered(name), Match{id, name.size()});
    m_spelt.push_back(name);
    m_longest = std::max(m_longest, name.size());
}

const Names::Match* Names::longest(std::string_view text) const
{
    for (size_t end = std::min(text.size(), m_longest); end > 0; --end) {
        if (end < text.size() && kEnds.find(text[end]) == kEnds.npos) continue;
        if (const auto found = m_names.find(std::string(text.substr(0, end))); found != m_names.end())
            return &found->second;
    }
    return nullptr;
}

const Names::Match* Names::exactly(const std::string& text) const
{
    const auto found = m_names.find(text);
    return found == m_names.end() ? nullptr : &found->second;
}

std::string Names::nearest(const std::string& text) const
{
    const std::string low = lowered(text);
    size_t least = std::max<size_t>(1, low.size() / 3) + 1;
    std::string out;
    for (const std::string& name : m_spelt) {
        const size_t distance = editDistance(low, lowered(name), least);
        if (distance >= least) continue;
        least = distance;
        out = name;
    }
    return out;
}

Vocabulary::Vocabulary(const Cell& of) : cell(of)
{
    for (const Target& t : cell.targets)
        targets.add(t.name, t.id.value);
    for (const Signal& s : cell.signals)
        signals.add(s.name, s.id.value);
    frames.add("World", 0);
    for (const Frame& f : cell.frames)
        frames.add(f.name, f.id.value), touchables.add(f.name, f.id.value);
    for (const PartKind& k : cell.partKinds)
        touchables.add(touchableName(cell, k.id), k.id.value);
    for (const Routine& r : cell.routines)
        routines.add(r.name, r.id.value);
    for (const Pattern& p : cell.patterns)
        patterns.add(p.name, p.id.value);
    for (const Tool& tool : cell.tools)
        for (const Process& p : tool.processes)
            processes.add(p.name, p.id.value);
    for (const TimeTable& t : cell.timeTables)
        tables.add(t.name, t.id.value);
    for (const ArmStation& a : cell.arms)
        arms.add(a.name, a.id.value);
}

std::string inQuotes(const std::string& text)
{
    std::string out = "\"";
    for (const char c : text)
        out += c == '"' ? "\"\"" : std::string(1, c);
    return out + '"';
}

std::string spelt(const Names& names, const std::string& name, const std::string& rest)
{
    const bool special = name.find_first_of("\"#(),") != std::string::npos;
    const Names::Match* read = special ? nullptr : names.longest(lowered(name + rest));
    return (read && read->length == name.size() ? name : inQuotes(name)) + rest;
}

std::string plainNumber(double value, int decimals)
{
    std::string text = fmt::format("{:.{}f}", value, decimals);
    if (text.find('.') != std::string::npos) {
        while (text.back() == '0')
            text.pop_back();
        if (text.back() == '.') text.pop_back();
    }
    return text == "-0" ? "0" : text;
}

}  // namespace topikos
