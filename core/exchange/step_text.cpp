#include "core/exchange/step_text.h"

#include "core/cell/edit.h"

#include <fmt/format.h>

#include <algorithm>
#include <cctype>
#include <charconv>
#include <cmath>

namespace topikos {

namespace {

std::string lowered(std::string_view text)
{
    std::string out(text);
    for (char& c : out) c = char(std::tolower(static_cast<unsigned char>(c)));
    return out;
}

/// Reads words, numbers and target names from the left.
class Reader {
public:
    explicit Reader(std::string_view text) : m_text(text), m_low(lowered(text)) { skip(); }

    bool done() const { return m_at >= m_text.size(); }
    size_t column() const { return m_at + 1; }
    std::string rest() const { return std::string(m_text.substr(m_at)); }

    bool word(std::string_view wanted)
    {
        if (m_low.compare(m_at, wanted.size(), wanted) != 0) return false;
        const size_t end = m_at + wanted.size();
        if (end < m_text.size() && m_text[end] != ' ') return false;
        m_at = end;
        skip();
        return true;
    }

    /// A unit may touch its number: "80mm".
    bool unit(std::string_view wanted) { return word(wanted); }

    bool number(double& value)
    {
        const char* begin = m_text.data() + m_at;
        const char* end = m_text.data() + m_text.size();
        if (begin != end && *begin == '+') ++begin;
        const auto result = std::from_chars(begin, end, value);
        if (result.ec != std::errc() || !std::isfinite(value)) return false;
        m_at = size_t(result.ptr - m_text.data());
        skip();
        return true;
    }

    /// The target with the longest name that the rest begins with.
    const Target* target(const Cell& cell)
    {
        const Target* best = nullptr;
        for (const Target& t : cell.targets) {
            const std::string name = lowered(t.name);
            if (m_low.compare(m_at, name.size(), name) != 0) continue;
            const size_t end = m_at + name.size();
            if (end < m_text.size() && m_text[end] != ' ') continue;
            if (!best || t.name.size() > best->name.size()) best = &t;
        }
        if (best) {
            m_at += best->name.size();
            skip();
        }
        return best;
    }

private:
    void skip()
    {
        while (m_at < m_text.size() && m_text[m_at] == ' ') ++m_at;
    }
    std::string_view m_text;
    std::string m_low;
    size_t m_at = 0;
};

Error problem(const Reader& reader, std::string message, std::string remedy)
{
    return {"step.text", std::move(message), fmt::format("column {}", reader.column()), std::move(remedy)};
}

Status readMove(const Cell& cell, Reader& reader, Step& step)
{
    const bool over = reader.word("over");
    if (!over) reader.word("to");
    const Target* target = reader.target(cell);
    if (!target) {
        if (reader.done()) return problem(reader, "a target is missing", "Type its name.");
        return problem(reader, fmt::format("there is no target called \"{}\"", reader.rest()), "Take that target first, or type the name of another one.");
    }
    step.target = target->id;
    step.standoff = 0;
    const auto length = [&](double& metres, const char* what) -> Status {
        double value;
        if (!reader.number(value)) return problem(reader, fmt::format("{} needs a number", what), "Type it in mm.");
        reader.unit("mm");
        metres = value * kMillimetre;
        return std::nullopt;
    };
    if (over)
        if (Status bad = length(step.standoff, "\"over\"")) return bad;
    while (!reader.done()) {
        if (reader.word("at")) {
            double value;
            if (!reader.number(value)) return problem(reader, "\"at\" needs a speed", step.kind == Step::Kind::Line ? "Type it in mm/s." : "Type it in %.");
            if (step.kind == Step::Kind::Line) {
                if (reader.unit("%")) return problem(reader, "a line's speed is in mm/s", "Type mm/s, or use a joint move.");
                reader.unit("mm/s");
                step.lineSpeed = value * kMillimetre;
            } else {
                if (reader.unit("mm/s")) return problem(reader, "a joint move's speed is in %", "Type a percentage, or use a line.");
                reader.unit("%");
                step.jointSpeed = value / 100;
            }
        } else if (reader.word("blend")) {
            if (Status bad = length(step.blend, "\"blend\"")) return bad;
        } else {
            return problem(reader, fmt::format("\"{}\" is not understood here", reader.rest()), "After the target come: at SPEED, blend LENGTH.");
        }
    }
    return std::nullopt;
}

}  // namespace

std::string plainNumber(double value, int decimals)
{
    std::string text = fmt::format("{:.{}f}", value, decimals);
    if (text.find('.') != std::string::npos) {
        while (text.back() == '0') text.pop_back();
        if (text.back() == '.') text.pop_back();
    }
    return text == "-0" ? "0" : text;
}

std::string stepText(const Cell& cell, const Step& step)
{
    const auto mm = [](double metres) { return plainNumber(millimetres(metres), 3) + " mm"; };
    std::string text = step.off ? "off " : "";
    switch (step.kind) {
    case Step::Kind::Grip: return text + "grip";
    case Step::Kind::Release: return text + "release";
    case Step::Kind::Wait: return text + "wait " + plainNumber(step.seconds, 3) + " s";
    case Step::Kind::JointMove: text += "joint "; break;
    case Step::Kind::Line: text += "line "; break;
    }
    const Target* target = findTarget(cell, step.target);
    text += step.standoff > 0 ? "over " : "to ";
    text += target ? target->name : "?";
    if (step.standoff > 0) text += " " + mm(step.standoff);
    if (step.kind == Step::Kind::Line) text += " at " + plainNumber(millimetres(step.lineSpeed), 3) + " mm/s";
    else if (step.jointSpeed < 1) text += " at " + plainNumber(step.jointSpeed * 100, 3) + " %";
    if (step.blend > 0) text += " blend " + mm(step.blend);
    return text;
}

Result<Step> parseStep(const Cell& cell, const std::string& text, const Step& defaults)
{
    Reader reader(text);
    Step step = defaults;
    step.off = reader.word("off");
    if (reader.done()) return problem(reader, "nothing is typed", "Type joint, line, grip, release or wait.");
    const bool joint = reader.word("joint");
    if (joint || reader.word("line")) {
        step.kind = joint ? Step::Kind::JointMove : Step::Kind::Line;
        if (Status bad = readMove(cell, reader, step)) return *bad;
    } else if (reader.word("grip")) {
        step.kind = Step::Kind::Grip;
    } else if (reader.word("release")) {
        step.kind = Step::Kind::Release;
    } else if (reader.word("wait")) {
        step.kind = Step::Kind::Wait;
        if (!reader.number(step.seconds)) return problem(reader, "\"wait\" needs a time", "Type it in seconds.");
        reader.unit("s");
    } else {
        return problem(reader, fmt::format("\"{}\" is not a step", reader.rest()), "A step begins with joint, line, grip, release or wait.");
    }
    if (!reader.done()) return problem(reader, fmt::format("\"{}\" is too much here", reader.rest()), "Remove it.");
    if (Status bad = checkStep(cell, step)) return *bad;
    return step;
}

}  // namespace topikos
