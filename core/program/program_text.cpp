#include "core/program/program_text.h"

#include "core/cell/edit_support.h"
#include "core/cell/step_tree.h"
#include "core/program/kept_ids.h"
#include "core/program/line_reader.h"
#include "core/program/step_text.h"
#include "core/spatial/limits.h"

#include <algorithm>
#include <set>

namespace topikos {

namespace {

constexpr int kIndent = 4;

/// Prints lines and remembers where things are.
class ProgramPrinter {
public:
    ProgramPrinter(const Vocabulary& words, ProgramLines* lines = nullptr) : m_words(words), m_lines(lines) {}

    void routine(const Routine& routine)
    {
        if (!m_out.empty()) line("");
        if (m_lines) m_lines->routines[routine.id] = m_count;
        line(header(routine));
        StepScope scope{routine};
        steps(routine.steps, scope, 1);
    }
    void steps(const Steps& list, StepScope& scope, int depth)
    {
        for (const Step& own : list)
            step(own, scope, depth);
    }
    void step(const Step& own, StepScope& scope, int depth)
    {
        const std::string indent(size_t(depth) * kIndent, ' ');
        if (m_lines) m_lines->steps[own.id] = m_count;
        if (own.kind() == StepKind::Note)
            return line(indent + (own.off ? "off " : "") + (own.note.empty() ? "#" : "# " + own.note));
        std::string text = indent + stepText(m_words, own, &scope);
        const bool inLine = own.kind() == StepKind::WaitSignal && fitsInLine(own.otherwise);
        if (inLine) {
            if (m_lines) m_lines->steps[own.otherwise.front().id] = m_count;
            text += ", else " + stepText(m_words, own.otherwise.front(), &scope);
        }
        line(text + (own.note.empty() ? "" : "  # " + own.note));
        if (!own.body.empty()) {
            const size_t before = scope.loops.size();
            scope.enter(own);
            steps(own.body, scope, depth + 1);
            scope.loops.resize(before);
        }
        if (own.otherwise.empty() || inLine) return;
        line(indent + "else");
        steps(own.otherwise, scope, depth + 1);
    }
    std::string take() { return std::move(m_out); }

private:
    static bool fitsInLine(const Steps& otherwise)
    {
        if (otherwise.size() != 1) return false;
        const Step& only = otherwise.front();
        return !only.off && only.note.empty() && !hasBody(only.kind()) && only.otherwise.empty()
               && only.kind() != StepKind::Note && only.kind() != StepKind::WaitSignal;
    }
    std::string header(const Routine& routine) const
    {
        std::string places;
        for (const Parameter& own : routine.parameters)
            places += (places.empty() ? " (" : ", ") + own.name;
        if (!places.empty()) places += ")";
        std::string out = "routine " + nameInHeader(routine.name) + places;
        const ArmStation* arm = findArm(m_words.cell, routine.arm);
        if (arm) out += (arm->main == routine.id ? ", run by " : ", for ") + spelt(m_words.arms, arm->name);
        return out;
    }
    static std::string nameInHeader(const std::string& name)
    {
        return name.find_first_of("(),\"#") == std::string::npos ? name : inQuotes(name);
    }
    void line(const std::string& text)
    {
        m_out += text;
        m_out += '\n';
        ++m_count;
    }

    const Vocabulary& m_words;
    ProgramLines* m_lines;
    std::string m_out;
    size_t m_count = 0;
};

/// A line without its indentation.
struct Line {
    size_t number = 0;  ///< from 1
    size_t indent = 0;  ///< [columns]
    size_t bytes = 0;   ///< of the indentation
    std::string text;
    size_t columnOf(size_t column) const { return bytes + column; }
};

/// Lines with something in them.
std::vector<Line> linesOf(const std::string& text)
{
    std::vector<Line> out;
    size_t number = 0;
    for (size_t at = withoutByteOrderMark(text); at <= text.size();) {
        const size_t end = std::min(text.find('\n', at), text.size());
        std::string_view whole(text.data() + at, end - at);
        at = end + 1;
        ++number;
        if (!whole.empty() && whole.back() == '\r') whole.remove_suffix(1);
        Line line;
        line.number = number;
        while (line.bytes < whole.size() && (whole[line.bytes] == ' ' || whole[line.bytes] == '\t')) {
            line.indent = whole[line.bytes] == '\t' ? (line.indent / kIndent + 1) * kIndent : line.indent + 1;
            ++line.bytes;
        }
        line.text = whole.substr(line.bytes);
        while (!line.text.empty() && (line.text.back() == ' ' || line.text.back() == '\t'))
            line.text.pop_back();
        if (!line.text.empty()) out.push_back(std::move(line));
    }
    return out;
}

/// Reads the steps of lines into a tree, as far as they can be understood.
class StepsReader {
public:
    StepsReader(const Vocabulary& words, std::vector<TextError>& errors) : m_words(words), m_errors(errors) {}

    /// Lines from `at` on that are indented more than `outer`. `lineOf` gets the line of each step, by its number.
    std::vector<Step> read(const std::vector<Line>& lines, size_t& at, long outer, StepScope& scope, int depth,
                           std::vector<size_t>& lineOf)
    {
        std::vector<Step> out;
        std::optional<size_t> own;
        while (at < lines.size() && long(lines[at].indent) > outer && m_errors.size() < kMostTextErrors) {
            const Line& line = lines[at];
            if (!own) own = line.indent;
            if (line.indent != *own) {
                fail(line, 1,
                     line.indent > *own ? "is indented, but the step before holds no others"
                                        : "is indented less than the steps before it and more than their block",
                     "Begin it below one of the lines above.");
                ++at;
                continue;
            }
            const LineReader reader(line.text);
            if (reader.at("else")) {
                fail(line, 1, "\"else\" belongs to nothing", "It stands below an if, or a wait with a time limit.");
                ++at;
                skipBlock(lines, at, *own);
                continue;
            }
            lineOf.push_back(at++);
            Result<Step> read = parseStep(m_words, scope, line.text);
            const bool known = bool(read);
            Step step = known ? *read : Step{.action = Note{}};
            if (!known) {
                size_t column = 1;
                if (const std::string& where = read.error().where; where.starts_with("column "))
                    column = size_t(std::strtoul(where.c_str() + 7, nullptr, 10));
                fail(line, column, read.error().message, read.error().remedy);
            }
            if (!step.otherwise.empty()) lineOf.push_back(lineOf.back());  // behind ", else" in the same line
            const bool deeper = at < lines.size() && long(lines[at].indent) > long(*own);
            if (deeper && (!known || !hasBody(step.kind()))) {
                if (known)
                    fail(lines[at], 1, "is indented, but the step before holds no others",
                         "Only repeat, for each, if and else hold steps.");
                skipBlock(lines, at, *own);
            } else if (deeper) {
                const size_t before = scope.loops.size();
                scope.enter(step);
                step.body = Steps(readInner(lines, at, *own, scope, depth, lineOf));
                scope.loops.resize(before);
            }
            const bool other = at < lines.size() && lines[at].indent == *own && LineReader(lines[at].text).at("else");
            if (other && known && hasOtherwise(step.kind()) && step.otherwise.empty()) {
                const Line& head = lines[at++];
                LineReader words(head.text);
                words.word("else");
                const WaitSignal* wait = step.as<WaitSignal>();
                if (!words.done() && !words.rest().starts_with('#'))
                    fail(head, words.column(), "\"else\" stands alone in its line",
                         "Begin its steps in the next line, further in.");
                if (wait && wait->limit == 0)
                    fail(head, 1, "there is no time limit above, so no \"else\"",
                         "Type \"at most\" and a time behind the wait.");
                else step.otherwise = Steps(readInner(lines, at, *own, scope, depth, lineOf));
                skipBlock(lines, at, *own);
            }
            out.push_back(std::move(step));
        }
        return out;
    }

private:
    /// What stands further in than a step at a depth.
    std::vector<Step> readInner(const std::vector<Line>& lines, size_t& at, size_t indent, StepScope& scope, int depth,
                                std::vector<size_t>& lineOf)
    {
        const bool any = at < lines.size() && lines[at].indent > indent;
        if (!any || depth + 1 <= int(limits::kStepDepth.most))
            return read(lines, at, long(indent), scope, depth + 1, lineOf);
        fail(lines[at], 1, fmt::format("is in more than {} blocks", limits::kStepDepth.most),
             "Make the inner ones a routine of their own.");
        skipBlock(lines, at, indent);
        return {};
    }
    void fail(const Line& line, size_t column, std::string message, std::string remedy)
    {
        if (m_errors.size() < kMostTextErrors)
            m_errors.push_back({line.number, line.columnOf(column), std::move(message), std::move(remedy)});
    }
    static void skipBlock(const std::vector<Line>& lines, size_t& at, size_t indent)
    {
        while (at < lines.size() && lines[at].indent > indent)
            ++at;
    }

    const Vocabulary& m_words;
    std::vector<TextError>& m_errors;
};

/// The first line of a routine.
struct Header {
    const Line* line = nullptr;
    std::string name;
    std::vector<std::string> places;
    ArmId arm{};
    bool main = false;
    size_t begin = 0;  ///< of its lines
};

std::optional<TextError> readHeader(const Vocabulary& words, const Line& line, Header& out)
{
    LineReader in(line.text);
    const auto fail = [&](std::string message, std::string remedy) {
        return TextError{line.number, line.columnOf(in.column()), std::move(message), std::move(remedy)};
    };
    const auto plain = [&](std::string_view ends) {
        const std::string rest = in.rest();
        std::string name = rest.substr(0, std::min(rest.find_first_of(ends), rest.size()));
        while (!name.empty() && name.back() == ' ')
            name.pop_back();
        in.advance(name.size());
        return name;
    };
    in.word("routine");
    if (in.done()) return fail("the routine has no name", "Type one.");
    if (auto quoted = in.quoted()) out.name = *quoted;
    else out.name = plain("(,#");
    if (Status bad = checkName(out.name)) return fail(bad->message, bad->remedy);
    if (in.sign('(')) {
        while (true) {
            out.places.push_back(plain("(,)"));
            if (Status bad = checkName(out.places.back())) return fail(bad->message, bad->remedy);
            if (in.sign(')')) break;
            if (!in.sign(',')) return fail("a comma or a bracket is missing", "Type \",\" and another name, or \")\".");
        }
    }
    const auto noNote = [&] {
        return fail("the line of a routine takes no note", "Put it into a line of its own below.");
    };
    if (in.done()) return std::nullopt;
    if (in.rest().starts_with('#')) return noNote();
    if (!in.sign(','))
        return fail(fmt::format("\"{}\" is too much here", in.rest()),
                    "Behind the name comes \", run by\" or \", for\" and an arm.");
    out.main = in.word("run by");
    if (!out.main && !in.word("for"))
        return fail("\"run by\" or \"for\" is missing", "Type one of them and the name of an arm.");
    const Names::Match* arm = in.named(words.arms);
    if (!arm) {
        const Error bad = unknownName(in, "arm", words.arms, "Type the name of an arm of the cell.");
        return fail(bad.message, bad.remedy);
    }
    out.arm = {arm->id};
    if (in.rest().starts_with('#')) return noNote();
    if (!in.done()) return fail(fmt::format("\"{}\" is too much here", in.rest()), "Remove it.");
    return std::nullopt;
}

}  // namespace

std::string TextError::words() const { return Error{"", message, "", remedy}.line(); }

std::string TextError::text() const { return fmt::format("{}:{}: {}", line, column, words()); }

std::string programText(const Cell& cell, ProgramLines* lines)
{
    const Vocabulary words(cell);
    ProgramPrinter printer(words, lines);
    for (const Routine& routine : cell.routines)
        printer.routine(routine);
    return printer.take();
}

std::string stepsText(const Cell& cell, const Routine& routine, const std::vector<StepId>& steps)
{
    const Vocabulary words(cell);
    ProgramPrinter printer(words);
    for (const StepId id : steps)
        if (const auto place = placeOf(routine.steps, id)) {
            StepScope scope{routine, loopsAround(routine.steps, place->block)};
            printer.step(*findStep(routine.steps, id), scope, 0);
        }
    return printer.take();
}

Result<std::vector<Step>> parseSteps(const Cell& cell, const Routine& routine, const std::vector<PatternId>& loops,
                                     const std::string& text)
{
    if (Status bad = checkLimit(limits::kProgramText, double(text.size()), "program.size")) return *bad;
    const Vocabulary words(cell);
    std::vector<TextError> errors;
    const std::vector<Line> lines = linesOf(text);
    std::vector<size_t> lineOf;
    StepScope scope{routine, loops};
    size_t at = 0;
    std::vector<Step> steps = StepsReader(words, errors).read(lines, at, -1, scope, 0, lineOf);
    if (!errors.empty())
        return Error{"program.text", errors.front().message,
                     fmt::format("line {}, column {}", errors.front().line, errors.front().column),
                     errors.front().remedy};
    return steps;
}

ProgramReading readProgram(const Cell& cell, const std::string& text)
{
    ProgramReading out;
    const auto fail = [&](size_t line, size_t column, std::string message, std::string remedy) {
        if (out.errors.size() < kMostTextErrors)
            out.errors.push_back({line, column, std::move(message), std::move(remedy)});
    };
    if (Status bad = checkLimit(limits::kProgramText, double(text.size()), "program.size"))
        return fail(1, 1, bad->message, bad->remedy), out;
    if (!isUtf8(text)) return fail(1, 1, "the text is not UTF-8", "Save it as UTF-8."), out;
    const std::vector<Line> lines = linesOf(text);
    const Vocabulary oldWords(cell);

    // The headers first: steps may call what stands further down.
    std::vector<Header> headers;
    for (size_t i = 0; i < lines.size(); ++i) {
        const bool begins = lines[i].indent == 0 && LineReader(lines[i].text).at("routine");
        if (begins) {
            Header& header = headers.emplace_back();
            header.line = &lines[i];
            header.begin = i + 1;
            if (auto bad = readHeader(oldWords, lines[i], header)) out.errors.push_back(*bad);
        } else if (headers.empty()) {
            fail(lines[i].number, lines[i].columnOf(1), "stands in no routine", "Begin with \"routine\" and a name.");
        } else if (lines[i].indent == 0) {
            fail(lines[i].number, 1, "is not indented", "Steps stand below their routine, four blanks further in.");
        }
        if (out.errors.size() >= kMostTextErrors) return out;
    }
    if (!out.errors.empty()) return out;
    std::vector<std::string> names;
    for (const Header& header : headers)
        names.push_back(header.name);
    const std::vector<RoutineId> ids = identifiedRoutines(cell, names);
    Cell next = cell;
    next.routines = {};
    std::map<std::string, size_t> seen;
    for (size_t i = 0; i < headers.size(); ++i) {
        const Header& h = headers[i];
        if (!seen.emplace(lowered(h.name), h.line->number).second) {
            fail(h.line->number, 1,
                 fmt::format("there is a routine \"{}\" in line {} already", h.name, seen[lowered(h.name)]),
                 "Give one of them another name.");
            continue;
        }
        const Routine* old = findRoutine(cell, ids[i]);
        Routine routine;
        routine.id = old ? old->id : RoutineId{next.nextId++};
        routine.name = h.name;
        routine.arm = h.arm;
        routine.parameters = keptPlaces(old ? old->parameters : std::vector<Parameter>{}, h.places, next.nextId);
        next.routines.push_back(std::move(routine));
        if (h.main && h.arm) next.arms.edit(h.arm)->main = next.routines.back().id;
        if (h.main && !h.places.empty())
            fail(h.line->number, 1, fmt::format("\"{}\" is run by an arm, and no call fills in its places", h.name),
                 "Let the arm run a routine of its own that calls it.");
    }
    std::map<ArmId, size_t> mains;
    for (const Header& h : headers)
        if (h.main && !mains.emplace(h.arm, h.line->number).second)
            fail(h.line->number, 1,
                 fmt::format("\"{}\" runs the routine of line {} already", findArm(cell, h.arm)->name, mains[h.arm]),
                 "Let it run one of them; type \"for\" in place of \"run by\" in the other.");
    const auto inOrder = [&out] {
        std::stable_sort(out.errors.begin(), out.errors.end(), [](const TextError& a, const TextError& b) {
            return std::tie(a.line, a.column) < std::tie(b.line, b.column);
        });
    };
    if (!out.errors.empty() && next.routines.size() != headers.size()) return inOrder(), out;
    for (const ArmStation& arm : cell.arms)
        if (!mains.contains(arm.id))
            fail(lines.empty() ? 1 : lines.back().number, 1, fmt::format("no routine is run by \"{}\"", arm.name),
                 fmt::format("Type \", run by {}\" behind the name of one.", arm.name));

    const Vocabulary words(next);
    std::vector<std::pair<RoutineId, Steps>> made;
    std::map<RoutineId, std::vector<size_t>> lineOf;
    for (size_t i = 0; i < headers.size(); ++i) {
        const Routine& routine = next.routines[i];
        size_t at = headers[i].begin;
        const size_t end = i + 1 < headers.size() ? headers[i + 1].begin - 1 : lines.size();
        const std::vector<Line> own(lines.begin() + std::ptrdiff_t(at), lines.begin() + std::ptrdiff_t(end));
        StepScope scope{routine};
        size_t place = 0;
        made.push_back(
            {routine.id, Steps(StepsReader(words, out.errors).read(own, place, 0, scope, 0, lineOf[routine.id]))});
        for (size_t& line : lineOf[routine.id])
            line = own[line].number;
    }
    std::uint32_t nextId = next.nextId;
    for (auto& [id, steps] : made) {
        const Routine* old = findRoutine(cell, id);
        keepIds(words, *findRoutine(next, id), old ? old->steps : Steps(), steps, nextId);
        next.routines.edit(id)->steps = std::move(steps);
    }
    next.nextId = nextId;
    if (out.errors.empty()) {
        for (size_t i = 0; i < headers.size(); ++i) {
            const Status bad = checkRoutine(next, next.routines[i]);
            if (!bad) continue;
            size_t line = headers[i].line->number;
            if (bad->where.starts_with("step ")) {
                const size_t number = size_t(std::strtoul(bad->where.c_str() + 5, nullptr, 10));
                const std::vector<size_t>& own = lineOf[next.routines[i].id];
                if (number >= 1 && number <= own.size()) line = own[number - 1];
            }
            fail(line, 1, bad->message, bad->remedy);
        }
        if (Status bad = checkCalls(next)) fail(headers.front().line->number, 1, bad->message, bad->remedy);
    }
    inOrder();
    if (!out.errors.empty()) return out;
    for (size_t i = 0; i < headers.size(); ++i) {
        const Routine& routine = next.routines[i];
        out.lines.routines[routine.id] = headers[i].line->number - 1;
        const std::vector<size_t>& own = lineOf[routine.id];
        eachStep(routine.steps, [&](const Step& step, size_t number) {
            if (number < own.size()) out.lines.steps[step.id] = own[number] - 1;
        });
    }
    out.cell = std::move(next);
    return out;
}

}  // namespace topikos
