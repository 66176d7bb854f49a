#include "core/cell/devices.h"
#include "core/program/words_of_flow.h"
#include "core/program/words_of_moves.h"
#include "core/program/words_of_signals.h"

namespace topikos {

namespace {

/// The first words of all kinds, as a sentence tells them, and for whoever mistypes one.
std::string kindsTold()
{
    std::string out = "A step begins with ";
    std::vector<std::string> heads;
    for (const StepTraits& own : kStepTraits)
        for (size_t i = 0; i < own.heads.size(); ++i)
            // The second one may be no more than a beginning of the first: "for" of "for each".
            if (!own.heads[i].empty() && (i == 0 || !own.heads[0].starts_with(own.heads[i])))
                heads.emplace_back(own.heads[i]);
    for (size_t i = 0; i < heads.size(); ++i)
        out += (i == 0 ? "" : i + 1 < heads.size() ? ", " : " or ") + heads[i];
    return out + ".";
}

const Names& firstWords()
{
    static const Names names = [] {
        Names out;
        for (const StepTraits& own : kStepTraits)
            for (const std::string_view head : own.heads)
                if (!head.empty()) out.add(std::string(head.substr(0, head.find(' '))), 0);
        return out;
    }();
    return names;
}

/// Words one behind the other, with any blanks between them.
bool takeWords(LineReader& in, std::string_view words)
{
    for (size_t at = 0; at < words.size();) {
        const size_t end = std::min(words.find(' ', at), words.size());
        if (!in.word(words.substr(at, end - at))) return false;
        at = end + 1;
    }
    return true;
}

/// Where a note begins: a "#" at the begin or behind a blank, outside quotation marks.
size_t noteBegin(std::string_view text)
{
    bool quoted = false;
    for (size_t i = 0; i < text.size(); ++i) {
        if (text[i] == '"') quoted = !quoted;
        if (text[i] == '#' && !quoted && (i == 0 || text[i - 1] == ' ')) return i;
    }
    return text.size();
}

std::string trimmed(std::string_view text)
{
    while (!text.empty() && text.front() == ' ')
        text.remove_prefix(1);
    while (!text.empty() && text.back() == ' ')
        text.remove_suffix(1);
    return std::string(text);
}

/// ", may touch Drying rack, Tile".
Status readMayTouch(const Vocabulary& words, LineReader& in, Step& step)
{
    LineReader ahead = in;
    if (!ahead.sign(',') || !ahead.word("may")) return std::nullopt;
    if (!ahead.word("touch")) return problemAt(ahead, "\"touch\" is missing", "Type \"may touch\" and what.");
    in = ahead;
    do {
        const Names::Match* match = in.named(words.touchables);
        if (!match)
            return unknownName(in, "frame or kind of part", words.touchables,
                               "Name a frame, or parts as in \"any Tile\".");
        const PartKindId kind{match->id};
        step.mayTouch.push_back(words.cell.partKinds.find(kind) ? Touchable(kind) : Touchable(FrameId{match->id}));
    } while (in.sign(','));
    return std::nullopt;
}

}  // namespace

Status readStep(StepReader& r, Step& step)
{
    step.off = r.in.word("off");
    if (r.in.done()) return r.fail("nothing is typed", kindsTold());
    const StepTraits* kind = nullptr;
    LineReader behind = r.in;
    for (const StepTraits& own : kStepTraits)
        for (const std::string_view head : own.heads) {
            LineReader ahead = r.in;
            if (head.size() <= r.head.size() || !takeWords(ahead, head)) continue;
            kind = &own;
            r.head = head;
            behind = ahead;
        }
    r.in = behind;
    // "to Home" alone is the quick way there.
    if (!kind && (r.in.at("to") || r.in.at("over"))) kind = &traitsOf(StepKind::Joint);
    if (!kind) {
        const std::string typed = r.in.unknownName(), nearest = firstWords().nearest(typed.substr(0, typed.find(' ')));
        return r.fail(fmt::format("\"{}\" is not a step", r.in.rest())
                          + (nearest.empty() ? "" : fmt::format("; \"{}\" is meant?", nearest)),
                      kindsTold());
    }
    if (step.kind() != kind->kind) step.action = actionOf(kind->kind);
    return std::visit([&](auto& action) { return read(r, action, step); }, step.action);
}

Result<Step> parseStep(const Vocabulary& words, const StepScope& scope, const std::string& text, const Step& defaults)
{
    Step step = defaults;
    const size_t note = noteBegin(text);
    const std::string head = text.substr(0, note);
    step.note = note < text.size() ? trimmed(std::string_view(text).substr(note + 1)) : "";
    if (const std::string before = lowered(trimmed(head)); note < text.size() && (before.empty() || before == "off")) {
        step.action = Note{};
        step.off = !before.empty();
        step.body = step.otherwise = {};
        if (Status bad = checkStepText(step.note)) return problemAt(note + 1, bad->message, bad->remedy);
        return step;
    }
    LineReader reader(head);
    const size_t begin = reader.column();
    step.otherwise = {};
    StepReader parts{words, words.cell, scope, reader};
    if (Status bad = readStep(parts, step)) return *bad;
    step.mayTouch.clear();
    // Behind an "else" on the same line it is said of that step.
    Step& touching = step.otherwise.empty() ? step : step.otherwise.at(0);
    if (Status bad = readMayTouch(words, reader, touching)) return *bad;
    if (!reader.done()) return problemAt(reader, fmt::format("\"{}\" is too much here", reader.rest()), "Remove it.");
    if (!hasBody(step.kind())) step.body = {};
    for (const Step* own : {&std::as_const(step), step.otherwise.empty() ? nullptr : &step.otherwise.front()})
        if (Status bad = own ? checkStep(words.cell, scope, *own) : std::nullopt)
            return problemAt(begin, bad->message, bad->remedy);
    return step;
}

Result<Step> parseStep(const Cell& cell, const StepScope& scope, const std::string& text, const Step& defaults)
{
    return parseStep(Vocabulary(cell), scope, text, defaults);
}

std::string stepText(const Vocabulary& words, const Step& step, const StepScope* scope)
{
    const StepPrinter printer{words, scope};
    std::string text =
        (step.off ? "off " : "") + std::visit([&](const auto& action) { return print(printer, action); }, step.action);
    for (size_t i = 0; i < step.mayTouch.size(); ++i)
        text += (i == 0 ? ", may touch " : " ")
                + spelt(words.touchables, touchableName(words.cell, step.mayTouch[i]),
                        i + 1 < step.mayTouch.size() ? "," : "");
    return text;
}

std::string stepText(const Cell& cell, const Step& step, const StepScope* scope)
{
    return stepText(Vocabulary(cell), step, scope);
}

MoveAxes movesOf(const Cell& cell, FrameId device)
{
    MoveAxes move;
    move.device = device;
    for (const FrameId axis : axesOf(cell, device))
        move.values.push_back(findFrame(cell, axis)->axis->value);
    return move;
}

NewStep::NewStep(const Cell& of, const StepScope& around, TargetId wanted) :
    cell(of), scope(around), arm(findArm(of, around.routine.arm))
{
    // A routine that every arm can call goes to its own places.
    const std::vector<Parameter>& own = scope.routine.parameters;
    const Target* target = findTarget(cell, wanted);
    if (!own.empty()) place = own.front().id;
    if (arm) place = target && target->arm == arm->id ? target->id : arm->home;
    somewhere = arm || !own.empty();
}

namespace {

template <class Fits> SignalId signalThat(const Cell& cell, Fits fits)
{
    const auto found = std::find_if(cell.signals.begin(), cell.signals.end(), fits);
    return found == cell.signals.end() ? SignalId() : found->id;
}

}  // namespace

SignalId NewStep::anySignal() const
{
    return signalThat(cell, [](const Signal&) { return true; });
}
SignalId NewStep::writableSignal() const
{
    return signalThat(cell, [this](const Signal& s) { return !writerOf(cell, s.id); });
}
SignalId NewStep::pulsedSignal() const
{
    return signalThat(cell,
                      [this](const Signal& s) { return !writerOf(cell, s.id) && s.kind == Signal::Kind::Digital; });
}
Error NewStep::noPlace()
{
    return none("This routine has no place to go to.", "Give it a name for a place first, in its properties.");
}
Error NewStep::noSignal() { return none("There is no signal for this step yet.", "Add one among the signals first."); }

Result<Action> newAction(const Cell& cell, const StepScope& scope, StepKind kind, TargetId target)
{
    const NewStep at(cell, scope, target);
    return std::visit([&](const auto& action) { return fresh(at, &action); }, actionOf(kind));
}

}  // namespace topikos
