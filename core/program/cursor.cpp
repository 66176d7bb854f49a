#include "core/program/cursor.h"

#include "core/cell/pattern.h"
#include "core/cell/step_tree.h"
#include "core/program/follow.h"

#include <algorithm>
#include <map>
#include <set>

namespace topikos {

int callDepth(const Within* within)
{
    int depth = 0;
    for (; within; within = within->outer.get())
        depth += within->call;
    return depth;
}

std::optional<int> passOf(const Within* within, StepId block)
{
    for (; within; within = within->outer.get())
        if (within->step == block) return within->pass;
    return std::nullopt;
}

ProgramIndex::ProgramIndex(const Cell& of) : cell(of)
{
    std::set<PatternId> used;
    for (const Routine& routine : cell.routines)
        eachStep(routine.steps, [&](const Step& step, size_t number) {
            m_numbers[step.id.value] = std::uint32_t(number);
            if (const ForEach* each = step.as<ForEach>()) used.insert({each->pattern, each->with});
            if (const Follow* follow = step.as<Follow>()) used.insert(follow->pattern);
        });
    std::map<PatternId, std::unordered_map<std::uint32_t, TargetId>> byPlace;
    for (const Target& target : cell.targets)
        if (used.contains(target.pattern)) byPlace[target.pattern][target.place] = target.id;
    for (const auto& [id, members] : byPlace) {
        const Pattern* pattern = findPattern(cell, id);
        if (!pattern) continue;
        std::vector<TargetId>& own = m_places[id.value];
        for (const PatternPlace& place : topikos::placesOf(*pattern))
            if (const auto found = members.find(place.place); found != members.end()) own.push_back(found->second);
    }
    for (const Routine& routine : cell.routines)
        eachStep(routine.steps, [&](const Step& step, size_t) {
            const Follow* follow = step.as<Follow>();
            const Pattern* pattern = follow ? findPattern(cell, follow->pattern) : nullptr;
            if (pattern) m_followed[step.id.value] = followSteps(*pattern, placesOf(pattern->id), step);
        });
}

const Steps& ProgramIndex::stepsOf(const Step& follow) const
{
    static const Steps none;
    const auto found = m_followed.find(follow.id.value);
    return found == m_followed.end() ? none : found->second;
}

const std::vector<TargetId>& ProgramIndex::placesOf(PatternId pattern) const
{
    static const std::vector<TargetId> none;
    const auto found = m_places.find(pattern.value);
    return found == m_places.end() ? none : found->second;
}

Cursor::Cursor(const ProgramIndex& index, const Routine& routine, TcpId point, int rounds) :
    m_index(&index), m_rounds(rounds)
{
    m_frames.push_back({&routine, {}, point, {}, 0});
    m_levels.push_back({&routine.steps});
}

void Cursor::push(const Step& owner, const Steps& list, bool pass, bool call)
{
    WithinPtr within = m_levels.back().within;
    if (pass) within = std::make_shared<const Within>(Within{within, owner.id, 0, call});
    m_levels.push_back({&list, 0, &owner, 0, std::move(within), {}});
}

void Cursor::enter(const Step& step, const Steps& list)
{
    if (!list.empty()) push(step, list, false);
}

void Cursor::enterOnly(const Step& step, const Steps& list)
{
    m_base = m_levels.size();
    push(step, list, false);
}

bool Cursor::startAt(StepId wanted)
{
    const Routine& routine = *m_frames.front().routine;
    std::vector<StepPlace> way;
    for (auto place = placeOf(routine.steps, wanted); place; place = placeOf(routine.steps, place->block)) {
        way.insert(way.begin(), *place);
        if (!place->block) break;
    }
    if (way.empty()) return false;
    for (size_t i = 0; i < way.size(); ++i) {
        m_levels.back().next = way[i].at;
        if (i + 1 == way.size()) break;
        const Step& block = (*m_levels.back().list)[way[i].at];
        m_levels.back().next = way[i].at + 1;
        bool known = true;
        const bool otherwise = way[i + 1].otherwise;
        if (otherwise || block.kind() == StepKind::WaitSignal) push(block, block.otherwise, false);
        else if (!begin(
                     block, [](const Step&, int) { return true; }, {}, known))
            return false;
    }
    return true;
}

TargetId Cursor::resolved(const Place& place) const
{
    if (const TargetId* target = std::get_if<TargetId>(&place)) return *target;
    const Frame& frame = m_frames.back();
    if (const ParameterId* parameter = std::get_if<ParameterId>(&place)) {
        const std::vector<Parameter>& own = frame.routine->parameters;
        for (size_t i = 0; i < own.size(); ++i)
            if (own[i].id == *parameter && i < frame.given.size()) return frame.given[i];
        return {};
    }
    const PatternId pattern = std::get<PatternId>(place);
    for (size_t i = m_levels.size(); i-- > frame.levels;) {
        const ForEach* each = m_levels[i].owner ? m_levels[i].owner->as<ForEach>() : nullptr;
        if (!each || !m_levels[i].places || (each->pattern != pattern && each->with != pattern)) continue;
        return (*m_levels[i].places)[size_t(m_levels[i].pass)][each->pattern == pattern ? 0 : 1];
    }
    return {};
}

void Cursor::prepare(const Step& step)
{
    const Frame& frame = m_frames.back();
    m_operation = {&step, frame.routine, m_levels.back().within, nullptr, nullptr, frame.point, frame.readingFrame};
    m_placed = true;
    const auto find = [&](const AtPlace& at) {
        const Target* target = findTarget(m_index->cell, resolved(at.place));
        m_placed = m_placed && target && !(at.isOff() && target->kind == Target::Kind::Posture);
        return target;
    };
    if (const ArcMove* arc = step.as<ArcMove>()) {
        m_operation.via = find(arc->via);
        m_operation.end = find(arc->end);
    } else if (const AtPlace* end = endOf(step)) {
        m_operation.end = find(*end);
    }
}

/// Whether a block that has come to its end begins another pass.
bool Cursor::again(Level& level, const Decide& decide, bool& known)
{
    if (level.owner->kind() == StepKind::ForEach) return level.pass + 1 < int(level.places->size());
    const Repeat* repeat = level.owner->as<Repeat>();
    if (!repeat) return false;
    switch (repeat->kind) {
    case Repeat::Kind::Times: return !m_short && level.pass + 1 < int(repeat->times);
    case Repeat::Kind::Endless:
        if (m_short || level.pass + 1 >= m_rounds) return m_ended = !m_short, false;
        ++m_roundsDone;
        return true;
    case Repeat::Kind::While:
    case Repeat::Kind::Until: break;
    }
    if (m_short) return false;
    const auto holds = decide(*level.owner, level.pass + 1);
    known = holds.has_value();
    return known && *holds == (repeat->kind == Repeat::Kind::While);
}

/// Goes into a block or call, if it is one and there is something to do; false for steps to be done.
bool Cursor::begin(const Step& step, const Decide& decide, const Untaken& untaken, bool& known)
{
    if (const Call* call = step.as<Call>()) {
        const Routine* routine = findRoutine(m_index->cell, call->routine);
        std::vector<TargetId> given;
        for (const Place& place : call->places)
            given.push_back(resolved(place));
        const Frame& frame = m_frames.back();
        m_frames.push_back({routine, std::move(given), frame.point, frame.readingFrame, m_levels.size()});
        push(step, routine->steps, true, true);
        return true;
    }
    if (const ForEach* each = step.as<ForEach>()) {
        const std::vector<TargetId>& own = m_index->placesOf(each->pattern);
        const std::vector<TargetId>& other = m_index->placesOf(each->with ? each->with : each->pattern);
        const size_t last = each->last > 0 ? std::min<size_t>(each->last, own.size()) : own.size();
        auto places = std::make_shared<std::vector<std::array<TargetId, 2>>>();
        for (size_t i = each->first - 1; i < last; ++i)
            places->push_back({own[each->backwards ? last - 1 - (i - (each->first - 1)) : i], {}});
        if (each->with && places->size() > other.size()) places->resize(other.size());
        for (size_t i = 0; each->with && i < places->size(); ++i)
            (*places)[i][1] = other[i];
        if (places->empty() || step.body.empty()) return true;
        push(step, step.body, true);
        m_levels.back().places = std::move(places);
        return true;
    }
    if (const Repeat* repeat = step.as<Repeat>()) {
        bool goes = true;
        if (repeat->kind == Repeat::Kind::While) {
            const auto holds = decide(step, 0);
            known = holds.has_value();
            goes = holds.value_or(false);
            if (known && !goes && untaken) untaken(step, step.body);
        }
        if (goes && known && (!step.body.empty() || repeat->kind != Repeat::Kind::Times)) push(step, step.body, true);
        return true;
    }
    if (step.kind() == StepKind::Follow) {
        if (const Steps& own = m_index->stepsOf(step); !own.empty()) push(step, own, false);
        return true;
    }
    if (step.kind() == StepKind::If) {
        const auto holds = decide(step, 0);
        known = holds.has_value();
        if (!known) return true;
        const Steps &taken = *holds ? step.body : step.otherwise, &other = *holds ? step.otherwise : step.body;
        if (untaken && !other.empty()) untaken(step, other);
        if (!taken.empty()) push(step, taken, false);
        return true;
    }
    return false;
}

Operation Cursor::whereItIs() const
{
    Operation out;
    out.routine = m_frames.back().routine;
    out.within = m_levels.back().within;
    return out;
}

void Cursor::describe(Digest& key) const
{
    for (const Level& level : m_levels) {
        key.add(static_cast<const void*>(level.list));
        key.add(std::uint64_t(level.next));
        const Repeat* repeat = level.owner ? level.owner->as<Repeat>() : nullptr;
        const bool byCondition = repeat && (repeat->kind == Repeat::Kind::While || repeat->kind == Repeat::Kind::Until);
        key.add(std::uint64_t(byCondition ? 0 : level.pass + 1));
    }
    for (const Frame& frame : m_frames) {
        key.add(std::uint64_t(frame.routine->id.value) << 32 | std::uint64_t(frame.levels));
        key.add(std::uint64_t(frame.point.value) << 32 | frame.readingFrame.value);
        for (const TargetId target : frame.given)
            key.add(std::uint64_t(target.value));
    }
    key.add(std::uint64_t(m_ended));
}

void Cursor::describeMeaning(Digest& key) const
{
    const Frame& frame = m_frames.back();
    key.add(std::uint64_t(frame.point.value) << 32 | frame.readingFrame.value);
    for (const TargetId target : frame.given)
        key.add(std::uint64_t(target.value));
    for (size_t i = frame.levels; i < m_levels.size(); ++i) {
        if (!m_levels[i].places) continue;
        for (const TargetId target : (*m_levels[i].places)[size_t(m_levels[i].pass)])
            key.add(std::uint64_t(i) << 32 | target.value);
    }
}

Cursor::Next Cursor::next(const Decide& decide, const Untaken& untaken)
{
    constexpr int kManyEntered = 100;
    m_entered = 0;
    m_passOf = nullptr;
    while (true) {
        if (m_ended || m_levels.size() <= m_base) return Next::End;
        if (m_entered > kManyEntered) return Next::Pass;
        Level& top = m_levels.back();
        if (top.next >= top.list->size()) {
            if (!top.owner) return Next::End;
            bool known = true;
            if (again(top, decide, known)) {
                top.next = 0;
                ++top.pass;
                top.within = std::make_shared<const Within>(
                    Within{m_levels[m_levels.size() - 2].within, top.owner->id, top.pass, false});
                m_passOf = top.owner;
                return Next::Pass;
            }
            if (!known) return Next::Unknown;
            if (m_ended) return Next::End;
            if (m_frames.size() > 1 && m_frames.back().levels == m_levels.size() - 1) m_frames.pop_back();
            m_levels.pop_back();
            continue;
        }
        const Step& step = (*top.list)[top.next++];
        if (step.off || step.kind() == StepKind::Note) continue;
        if (const UsePoint* use = step.as<UsePoint>()) {
            m_frames.back().point = use->point;
            continue;
        }
        if (const ReadFrom* read = step.as<ReadFrom>()) {
            m_frames.back().readingFrame = read->frame;
            continue;
        }
        bool known = true;
        if (begin(step, decide, untaken, known)) {
            if (!known) return Next::Unknown;
            ++m_entered;
            continue;
        }
        prepare(step);
        return Next::Step;
    }
}

}  // namespace topikos
