#include "core/program/step_text.h"

#include "core/cell/edit.h"
#include "core/spatial/text.h"

#include <fmt/format.h>

#include <algorithm>
#include <cctype>
#include <charconv>
#include <cmath>

namespace topikos {

namespace {

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

    /// Whether the rest begins with a word.
    bool at(std::string_view wanted) const { return Reader(*this).word(wanted); }

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

    /// The object with the name in quotation marks, or with the longest name that the rest begins with.
    template <class Object> const Object* named(const Table<Object>& objects)
    {
        if (!done() && m_text[m_at] == '"') return quoted(objects);
        const Object* best = nullptr;
        for (const Object& t : objects) {
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
    template <class Object> const Object* quoted(const Table<Object>& objects)
    {
        std::string name;
        size_t at = m_at + 1;
        for (; at < m_low.size() && (m_low[at] != '"' || m_low.substr(at, 2) == "\"\""); ++at) {
            name += m_low[at];
            at += m_low[at] == '"' ? 1 : 0;
        }
        const bool closed = at < m_low.size() && (at + 1 == m_low.size() || m_low[at + 1] == ' ');
        for (const Object& t : objects)
            if (closed && lowered(t.name) == name) {
                m_at = at + 1;
                skip();
                return &t;
            }
        return nullptr;
    }
    void skip()
    {
        while (m_at < m_text.size() && m_text[m_at] == ' ')
            ++m_at;
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
    const Target* target = reader.named(cell.targets);
    if (!target) {
        if (reader.done()) return problem(reader, "a target is missing", "Type its name.");
        return problem(reader, fmt::format("there is no target called \"{}\"", reader.rest()),
                       "Take that target first, or type the name of another one.");
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
            if (!reader.number(value))
                return problem(reader, "\"at\" needs a speed",
                               step.kind == Step::Kind::Line ? "Type it in mm/s." : "Type it in %.");
            if (step.kind == Step::Kind::Line) {
                if (reader.unit("%"))
                    return problem(reader, "a line's speed is in mm/s", "Type mm/s, or use a joint move.");
                reader.unit("mm/s");
                step.lineSpeed = value * kMillimetre;
            } else {
                if (reader.unit("mm/s"))
                    return problem(reader, "a joint move's speed is in %", "Type a percentage, or use a line.");
                reader.unit("%");
                step.jointSpeed = value / 100;
            }
        } else if (reader.word("blend")) {
            if (Status bad = length(step.blend, "\"blend\"")) return bad;
        } else {
            return problem(reader, fmt::format("\"{}\" is not understood here", reader.rest()),
                           "After the target come: at SPEED, blend LENGTH.");
        }
    }
    return std::nullopt;
}

/// "on", "off" or a number.
bool readValue(Reader& reader, double& value)
{
    if (reader.word("on")) value = 1;
    else if (reader.word("off")) value = 0;
    else return reader.number(value);
    return true;
}

Status readSignal(const Cell& cell, Reader& reader, Step& step)
{
    const Signal* signal = reader.named(cell.signals);
    if (!signal) {
        if (reader.done()) return problem(reader, "a signal is missing", "Type its name.");
        return problem(reader, fmt::format("there is no signal called \"{}\"", reader.rest()),
                       "Make it among the signals first, or type the name of another one.");
    }
    step.signal = signal->id;
    step.comparison = Step::Comparison::Equal;
    if (step.kind == Step::Kind::SetSignal) {
        reader.word("to");
    } else if (reader.word("at")) {
        const bool least = reader.word("least");
        if (!least && !reader.word("most"))
            return problem(reader, "\"at\" needs \"least\" or \"most\"",
                           "Type \"at least\" or \"at most\" and a number.");
        step.comparison = least ? Step::Comparison::AtLeast : Step::Comparison::AtMost;
    } else {
        reader.word("is");
    }
    step.value = 1;
    const bool plain = step.kind == Step::Kind::WaitSignal && signal->kind == Signal::Kind::Digital
                       && reader.done();  // "wait for Tile seen"
    if (!plain && !readValue(reader, step.value))
        return problem(reader, "the value of the signal is missing",
                       signal->kind == Signal::Kind::Digital ? "Type on or off." : "Type a number.");
    return std::nullopt;
}

Status readAxes(const Cell& cell, Reader& reader, Step& step)
{
    const Frame* device = reader.named(cell.frames);
    if (!device) {
        if (reader.done())
            return problem(reader, "a device is missing", "Type the name of a rail, turntable or positioner.");
        return problem(reader, fmt::format("there is no device called \"{}\"", reader.rest()),
                       "Type the name of a rail, turntable or positioner.");
    }
    step.device = device->id;
    step.axes.clear();
    reader.word("to");
    for (const FrameId axis : axesOf(cell, device->id)) {
        const bool turns = findFrame(cell, axis)->axis->kind == JointKind::Revolute;
        double value;
        if (!reader.number(value))
            return problem(reader, fmt::format("where \"{}\" goes is missing", frameName(cell, axis)),
                           turns ? "Type it in degrees." : "Type it in mm.");
        if (turns) reader.unit("°") || reader.unit("deg");
        else reader.unit("mm");
        step.axes.push_back(value * (turns ? kDegree : kMillimetre));
    }
    if (reader.word("at")) {
        double value;
        if (!reader.number(value)) return problem(reader, "\"at\" needs a speed", "Type it in %.");
        reader.unit("%");
        step.jointSpeed = value / 100;
    }
    return std::nullopt;
}

}  // namespace

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

namespace {

/// A number of a step: rounded for reading, but never to nothing.
std::string amount(double value, int decimals)
{
    const std::string text = plainNumber(value, decimals);
    return text == "0" && value != 0 ? fmt::format("{:.4g}", value) : text;
}

/// A name and what follows it, as the reader finds them again: in quotation marks where the two could be read as a
/// longer name of the list.
template <class Object>
std::string named(const Table<Object>& objects, const std::string& name, const std::string& rest)
{
    const std::string low = lowered(name + rest);
    const auto begins = [&](const std::string& other) {
        if (other.size() <= name.size() || other.size() > low.size()) return false;
        for (size_t i = 0; i < other.size(); ++i)
            if (low[i] != (other[i] >= 'A' && other[i] <= 'Z' ? other[i] - 'A' + 'a' : other[i])) return false;
        return low.size() == other.size() || low[other.size()] == ' ';
    };
    const bool doubtful = name.starts_with('"') || std::any_of(objects.begin(), objects.end(), [&](const Object& o) {
                              return begins(o.name);
                          });
    if (!doubtful) return name + rest;
    std::string out = "\"";
    for (const char c : name)
        out += c == '"' ? "\"\"" : std::string(1, c);
    return out + '"' + rest;
}

}  // namespace

std::string stepText(const Cell& cell, const Step& step)
{
    const auto mm = [](double metres) { return amount(millimetres(metres), 3) + " mm"; };
    const std::string off = step.off ? "off " : "";
    switch (step.kind) {
    case Step::Kind::Grip: return off + "grip";
    case Step::Kind::Release: return off + "release";
    case Step::Kind::Wait: return off + "wait " + amount(step.seconds, 3) + " s";
    case Step::Kind::SetSignal:
    case Step::Kind::WaitSignal: {
        const Signal* signal = findSignal(cell, step.signal);
        const bool set = step.kind == Step::Kind::SetSignal, digital = signal && signal->kind == Signal::Kind::Digital;
        const char* how = set                                            ? " to "
                          : step.comparison == Step::Comparison::AtLeast ? " at least "
                          : step.comparison == Step::Comparison::AtMost  ? " at most "
                                                                         : " is ";
        const bool word = digital && (set || step.comparison == Step::Comparison::Equal);
        const std::string rest = word ? (step.value != 0 ? " on" : " off") : how + amount(step.value, 6);
        return off + (set ? "set " : "wait for ") + named(cell.signals, signal ? signal->name : "?", rest);
    }
    case Step::Kind::MoveAxes: {
        std::string rest = " to";
        const std::vector<FrameId> axes = axesOf(cell, step.device);
        for (size_t i = 0; i < std::min(axes.size(), step.axes.size()); ++i) {
            const bool turns = findFrame(cell, axes[i])->axis->kind == JointKind::Revolute;
            rest += ' ';
            rest += turns ? amount(degrees(step.axes[i]), 3) + "°" : mm(step.axes[i]);
        }
        if (step.jointSpeed < 1) rest += " at " + amount(step.jointSpeed * 100, 3) + " %";
        return off + "move " + named(cell.frames, frameName(cell, step.device), rest);
    }
    case Step::Kind::JointMove:
    case Step::Kind::Line: break;
    }
    const bool line = step.kind == Step::Kind::Line;
    std::string rest;
    if (step.standoff > 0) rest += " " + mm(step.standoff);
    if (line) rest += " at " + amount(millimetres(step.lineSpeed), 3) + " mm/s";
    else if (step.jointSpeed < 1) rest += " at " + amount(step.jointSpeed * 100, 3) + " %";
    if (step.blend > 0) rest += " blend " + mm(step.blend);
    const Target* target = findTarget(cell, step.target);
    return off + (line ? "line " : "joint ") + (step.standoff > 0 ? "over " : "to ")
           + named(cell.targets, target ? target->name : "?", rest);
}

Result<Step> parseStep(const Cell& cell, const std::string& text, const Step& defaults)
{
    Reader reader(text);
    Step step = defaults;
    step.off = reader.word("off");
    if (reader.done())
        return problem(reader, "nothing is typed", "Type joint, line, grip, release, wait, set or move.");
    // "to Home" alone is the quick way there.
    const bool joint = reader.word("joint") || reader.at("to") || reader.at("over");
    if (joint || reader.word("line")) {
        step.kind = joint ? Step::Kind::JointMove : Step::Kind::Line;
        if (Status bad = readMove(cell, reader, step)) return *bad;
    } else if (reader.word("grip")) {
        step.kind = Step::Kind::Grip;
    } else if (reader.word("release")) {
        step.kind = Step::Kind::Release;
    } else if (reader.word("set")) {
        step.kind = Step::Kind::SetSignal;
        if (Status bad = readSignal(cell, reader, step)) return *bad;
    } else if (reader.word("move")) {
        step.kind = Step::Kind::MoveAxes;
        if (Status bad = readAxes(cell, reader, step)) return *bad;
    } else if (reader.word("wait")) {
        if (reader.word("for")) {
            step.kind = Step::Kind::WaitSignal;
            if (Status bad = readSignal(cell, reader, step)) return *bad;
            if (!reader.done())
                return problem(reader, fmt::format("\"{}\" is too much here", reader.rest()), "Remove it.");
            if (Status bad = checkStep(cell, step)) return *bad;
            return step;
        }
        step.kind = Step::Kind::Wait;
        if (!reader.number(step.seconds)) return problem(reader, "\"wait\" needs a time", "Type it in seconds.");
        reader.unit("s");
    } else {
        return problem(reader, fmt::format("\"{}\" is not a step", reader.rest()),
                       "A step begins with joint, line, grip, release, wait, set or move.");
    }
    if (!reader.done()) return problem(reader, fmt::format("\"{}\" is too much here", reader.rest()), "Remove it.");
    if (Status bad = checkStep(cell, step)) return *bad;
    return step;
}

}  // namespace topikos
