#include "core/program/line_reader.h"
#include "core/program/step_text.h"
#include "core/cell/devices.h"
#include "core/cell/place_index.h"
#include "core/spatial/limits.h"

#include <cmath>

namespace topikos {

namespace {

constexpr const char* kKinds =
    "A step begins with joint, line, arc, circle, grip, release, wait, set, pulse, move, play, call, "
    "repeat, for each, if, process, follow, use, read or stop.";

/// Reads one step from a line.
class StepParser {
public:
    /// `behindElse`: of a step that stands behind an "else" on its line.
    StepParser(const Vocabulary& words, const StepScope& scope, LineReader& reader, bool behindElse = false) :
        m_words(words), m_cell(words.cell), m_scope(scope), m_in(reader), m_behindElse(behindElse)
    {
    }

    /// `step` holds the values that are not typed.
    Status read(Step& step)
    {
        step.off = m_in.word("off");
        if (m_in.done()) return fail("nothing is typed", kKinds);
        // "to Home" alone is the quick way there.
        const bool joint = m_in.word("joint") || m_in.at("to") || m_in.at("over");
        if (joint) return readJoint(as<JointMove>(step));
        if (m_in.word("line")) return readLine(as<LineMove>(step));
        if (m_in.word("arc")) return readArc(as<ArcMove>(step), false);
        if (m_in.word("circle")) return readArc(as<ArcMove>(step), true);
        if (m_in.word("grip")) return as<Grip>(step), std::nullopt;
        if (m_in.word("release")) return as<Release>(step), std::nullopt;
        if (m_in.word("set")) return readSet(as<SetSignal>(step));
        if (m_in.word("pulse")) return readPulse(as<PulseSignal>(step));
        if (m_in.word("wait"))
            return m_in.word("for") ? readWaitFor(step) : readSeconds(as<Wait>(step).seconds, "\"wait\"");
        if (m_in.word("move")) return readAxes(as<MoveAxes>(step));
        if (m_in.word("play")) return readPlay(as<PlayTable>(step));
        if (m_in.word("call")) return readCall(as<Call>(step));
        if (m_in.word("repeat")) return readRepeat(as<Repeat>(step));
        if (m_in.word("for")) return readForEach(as<ForEach>(step));
        if (m_in.word("if")) return readCondition(as<If>(step).condition);
        if (m_in.word("process")) return readProcess(as<SwitchProcess>(step));
        if (m_in.word("follow")) return readFollow(as<Follow>(step));
        if (m_in.word("use")) return readUse(as<UsePoint>(step));
        if (m_in.word("read")) return readFrom(as<ReadFrom>(step));
        if (m_in.word("stop")) return readHalt(as<Halt>(step));
        const std::string typed = m_in.unknownName(), nearest = kindNames().nearest(typed.substr(0, typed.find(' ')));
        return fail(fmt::format("\"{}\" is not a step", m_in.rest())
                        + (nearest.empty() ? "" : fmt::format("; \"{}\" is meant?", nearest)),
                    kKinds);
    }

private:
    static const Names& kindNames()
    {
        static const Names names = [] {
            Names out;
            for (const char* word :
                 {"joint", "line", "arc",    "circle", "grip", "release", "wait",   "set", "pulse", "move",
                  "play",  "call", "repeat", "for",    "if",   "process", "follow", "use", "read",  "stop"})
                out.add(word, 0);
            return out;
        }();
        return names;
    }
    template <class A> static A& as(Step& step)
    {
        if (!step.as<A>()) step.action = A{};
        return *step.as<A>();
    }
    Error fail(std::string message, std::string remedy) const
    {
        return problemAt(m_in, std::move(message), std::move(remedy));
    }

    Status readLength(double& metres, const char* what)
    {
        double value;
        if (!m_in.number(value)) return fail(fmt::format("{} needs a number", what), "Type it in mm.");
        m_in.unit("mm");
        metres = value * kMillimetre;
        return std::nullopt;
    }
    Status readSeconds(double& seconds, const char* what)
    {
        if (!m_in.number(seconds)) return fail(fmt::format("{} needs a time", what), "Type it in seconds.");
        m_in.unit("s");
        return std::nullopt;
    }
    Status readPercent(double& fraction, const char* what)
    {
        double value;
        if (!m_in.number(value)) return fail(fmt::format("{} needs a number", what), "Type it in %.");
        m_in.unit("%");
        fraction = value / 100;
        return std::nullopt;
    }
    Status readPlace(Place& place)
    {
        LineReader trial = m_in;
        if (const auto text = trial.quoted()) {
            const std::string low = lowered(*text);
            for (const Parameter& own : m_scope.routine.parameters)
                if (lowered(own.name) == low) return m_in = trial, place = own.id, std::nullopt;
            if (const Names::Match* target = m_words.targets.exactly(low))
                return m_in = trial, place = TargetId{target->id}, std::nullopt;
        } else if (const auto found = longestPlace(m_words, m_scope, m_in.restLowered())) {
            place = found->place;
            m_in.advance(found->length);
            return std::nullopt;
        }
        if (const Pattern* pattern = indexedPattern()) return readIndexed(*pattern, place);
        if (m_scope.loops.empty() && (m_in.at("place") || m_in.restLowered().find(" place") != std::string_view::npos)
            && placeNames(m_words, m_scope).nearest(m_in.unknownName()).empty())
            return fail(fmt::format("there is no target called \"{}\"", m_in.unknownName()),
                        "\"place\" means something inside a \"for each place of\" only.");
        return unknownName(m_in, "target", placeNames(m_words, m_scope),
                           "Take that target first, or type the name of another one.");
    }
    /// The pattern that "[" follows the name of.
    const Pattern* indexedPattern() const
    {
        const std::string_view rest = m_in.restLowered();
        std::string name(rest.substr(0, rest.find('[')));
        if (name.size() == rest.size()) return nullptr;
        while (!name.empty() && name.back() == ' ')
            name.pop_back();
        const Names::Match* found = m_words.patterns.exactly(name);
        return found ? findPattern(m_cell, PatternId{found->id}) : nullptr;
    }
    /// "Rack[3]", "Rack[2,1]": a place by its number in the order of the pattern, or by column, row and layer.
    Status readIndexed(const Pattern& pattern, Place& place)
    {
        m_in.advance(m_in.restLowered().find('[') + 1);
        std::vector<std::uint32_t> numbers;
        do {
            double value = 0;
            if (!m_in.number(value) || value != std::floor(value) || value < 1 || value > 1e6)
                return fail("the number of a place is missing", "Type a number from 1 on, or column, row and layer.");
            numbers.push_back(std::uint32_t(value));
        } while (m_in.sign(','));
        if (!m_in.sign(']')) return fail("a bracket is missing", "Type \"]\" behind the number.");
        const Result<TargetId> target = targetAt(m_cell, pattern, numbers);
        if (!target) return fail(target.error().message, target.error().remedy);
        place = *target;
        return std::nullopt;
    }
    /// "approach of", "near retract of", with a place behind.
    Stage readStage()
    {
        LineReader trial = m_in;
        const bool near = trial.word("near");
        const bool comes = trial.word("approach of");
        if (!comes && !trial.word("retract of")) return Stage::Over;
        if (!LineReader(trial).quoted() && !longestPlace(m_words, m_scope, trial.restLowered())
            && trial.restLowered().find('[') == std::string_view::npos)
            return Stage::Over;
        m_in = trial;
        return comes ? near ? Stage::NearApproach : Stage::Approach : near ? Stage::NearRetract : Stage::Retract;
    }
    /// "to PLACE", "over PLACE LENGTH", "PLACE over LENGTH", "to near approach of PLACE" or a place alone.
    Status readAt(AtPlace& at)
    {
        m_in.word("to");
        at.over = 0;
        at.stage = readStage();
        if (at.stage != Stage::Over) return readPlace(at.place);
        const bool over = m_in.word("over");
        if (Status bad = readPlace(at.place)) return bad;
        return over || m_in.word("over") ? readLength(at.over, "\"over\"") : std::nullopt;
    }
    /// Behind "by": an amount along or about an axis.
    Status readShift(Shift& shift)
    {
        double value;
        shift = {};
        if (!m_in.number(value))
            return fail("\"by\" needs an amount", "Type it in mm or degrees, like \"by 50 mm along z\".");
        const bool angle = m_in.unit("°") || m_in.unit("deg");
        const bool length = !angle && m_in.unit("mm");
        shift.turns = m_in.word("about");
        if (!shift.turns && !m_in.word("along"))
            return fail("an axis is missing", "Type \"along x\" for a way, or \"about z\" for a turn.");
        if (shift.turns ? length : angle)
            return fail(shift.turns ? "a turn is in degrees" : "a way is in mm",
                        "Change the unit, or along and about.");
        const std::string_view axes[] = {"x", "y", "z"};
        shift.axis = 3;
        for (int i = 0; i < 3 && shift.axis == 3; ++i)
            if (m_in.word(axes[size_t(i)])) shift.axis = i;
        if (shift.axis == 3) return fail("an axis is missing", "Type x, y or z.");
        shift.by = value * (shift.turns ? kDegree : kMillimetre);
        if (!m_in.word("of")) return std::nullopt;
        if (m_in.word("tool")) return shift.space = Shift::Space::Tool, std::nullopt;
        if (m_in.word("world")) return shift.space = Shift::Space::World, std::nullopt;
        m_in.word("frame");
        const Names::Match* frame = m_in.named(m_words.frames);
        if (!frame) return unknownName(m_in, "frame", m_words.frames, "Type tool, world or the name of a frame.");
        shift.space = frame->id ? Shift::Space::Frame : Shift::Space::World;
        shift.frame = {frame->id};
        return std::nullopt;
    }
    Status readPace(double& speed, Pace& pace, bool path)
    {
        while (!m_in.done() && !m_in.at(",")) {
            if (m_in.word("at")) {
                double value;
                if (!m_in.number(value))
                    return fail("\"at\" needs a speed", path ? "Type it in mm/s or °/s." : "Type it in % or °/s.");
                if (m_in.unit("°/s") || m_in.unit("deg/s")) {
                    pace.turnSpeed = value * kDegree;
                } else if (path) {
                    if (m_in.unit("%")) return fail("a line's speed is in mm/s", "Type mm/s, or use a joint move.");
                    m_in.unit("mm/s");
                    speed = value * kMillimetre;
                } else {
                    if (m_in.unit("mm/s"))
                        return fail("a joint move's speed is in %", "Type a percentage, or use a line.");
                    m_in.unit("%");
                    speed = value / 100;
                }
            } else if (m_in.word("acceleration")) {
                if (Status bad = readPercent(pace.acceleration, "\"acceleration\"")) return bad;
            } else if (m_in.word("blend")) {
                if (Status bad = readLength(pace.blend, "\"blend\"")) return bad;
            } else if (m_in.word("stop exactly")) {
                pace.blend = 0;
            } else {
                return fail(fmt::format("\"{}\" is not understood here", m_in.rest()),
                            "After the target come: at SPEED, acceleration PERCENT, blend LENGTH, stop exactly.");
            }
        }
        return std::nullopt;
    }
    Status readJoint(JointMove& move)
    {
        LineReader trial = m_in;
        double number;
        if (trial.number(number) && trial.word("by")) {
            m_in = trial;
            JointShift shift{number >= 1 && number <= 1000 ? int(number) - 1 : -1, 0};
            if (!m_in.number(number))
                return fail("\"by\" needs an amount", "Type it in degrees, or in mm for a sliding joint.");
            const bool length = m_in.unit("mm");
            if (!length) m_in.unit("°") || m_in.unit("deg");
            if (const auto kind = jointKindOf(m_cell, m_scope.routine, shift.joint)) {
                const bool slides = *kind == JointKind::Prismatic;
                if (slides != length)
                    return fail(fmt::format("joint {} {}", shift.joint + 1, slides ? "slides" : "turns"),
                                slides ? "Type the amount in mm." : "Type the amount in degrees.");
            }
            shift.by = number * (length ? kMillimetre : kDegree);
            move.goal = shift;
        } else if (m_in.word("by")) {
            if (Status bad = readShift(move.goal.emplace<Shift>())) return bad;
        } else if (Status bad = readAt(move.goal.emplace<AtPlace>())) {
            return bad;
        }
        return readPace(move.speed, move.pace, false);
    }
    Status readLine(LineMove& move)
    {
        if (m_in.word("by")) {
            if (Status bad = readShift(move.goal.emplace<Shift>())) return bad;
        } else if (Status bad = readAt(move.goal.emplace<AtPlace>())) {
            return bad;
        }
        return readPace(move.speed, move.pace, true);
    }
    Status readArc(ArcMove& move, bool whole)
    {
        move.whole = whole;
        if (!m_in.word("via")) return fail("\"via\" is missing", "Type \"via\" and a place on the way.");
        if (Status bad = readAt(move.via)) return bad;
        if (whole ? !m_in.word("and") : !m_in.at("to") && !m_in.at("over"))
            return fail(whole ? "\"and\" is missing" : "\"to\" is missing",
                        whole ? "Type \"and\" and another place on the circle."
                              : "Type \"to\" and the place where the arc ends.");
        if (Status bad = readAt(move.end)) return bad;
        return readPace(move.speed, move.pace, true);
    }
    /// "on", "off" or a number.
    bool readValue(double& value)
    {
        if (m_in.word("on")) value = 1;
        else if (m_in.word("off")) value = 0;
        else return m_in.number(value);
        return true;
    }
    const Signal* readSignal(SignalId& id)
    {
        const Names::Match* match = m_in.named(m_words.signals);
        if (match) id = {match->id};
        return match ? findSignal(m_cell, id) : nullptr;
    }
    Error noSignal() const
    {
        return unknownName(m_in, "signal", m_words.signals,
                           "Make it among the signals first, or type the name of another one.");
    }
    static const char* wanted(const Signal& signal)
    {
        return signal.kind == Signal::Kind::Digital ? "Type on or off." : "Type a number.";
    }
    Status readSet(SetSignal& set)
    {
        const Signal* signal = readSignal(set.signal);
        if (!signal) return noSignal();
        m_in.word("to");
        if (!readValue(set.value)) return fail("the value of the signal is missing", wanted(*signal));
        return std::nullopt;
    }
    Status readPulse(PulseSignal& pulse)
    {
        if (!readSignal(pulse.signal)) return noSignal();
        pulse.seconds = PulseSignal{}.seconds;
        return m_in.word("for") ? readSeconds(pulse.seconds, "\"for\"") : std::nullopt;
    }
    Status readCondition(Condition& condition)
    {
        const Signal* signal = readSignal(condition.signal);
        if (!signal) return noSignal();
        condition.comparison = Comparison::Equal;
        condition.value = 1;
        const bool digital = signal->kind == Signal::Kind::Digital;
        const bool is = m_in.word("is");
        LineReader trial = m_in;
        if (trial.word("at")) {
            const bool least = trial.word("least");
            double value;
            if (!least && !trial.word("most"))
                return fail("\"at\" needs \"least\" or \"most\"", "Type \"at least\" or \"at most\" and a number.");
            // "at most 30 s" is a time.
            if (digital && !least && !is) return std::nullopt;
            if (!trial.number(value)) return m_in = trial, fail("the value of the signal is missing", wanted(*signal));
            condition.comparison = least ? Comparison::AtLeast : Comparison::AtMost;
            condition.value = value;
            m_in = trial;
            return std::nullopt;
        }
        if (readValue(condition.value)) return std::nullopt;
        condition.value = 1;
        if (digital && !is) return std::nullopt;  // "wait for Tile seen"
        return fail("the value of the signal is missing", wanted(*signal));
    }
    Status readWaitFor(Step& step)
    {
        WaitSignal& wait = as<WaitSignal>(step);
        if (Status bad = readCondition(wait.until)) return bad;
        wait.limit = 0;
        if (m_in.word("at most"))
            if (Status bad = readSeconds(wait.limit, "\"at most\"")) return bad;
        if (!m_in.sign(',')) return std::nullopt;
        if (m_behindElse && m_in.at("else"))
            return fail("there is an \"else\" on the line already",
                        "Write the step that has one of its own on a line below an \"else\".");
        if (!m_in.word("else"))
            return fail("\"else\" is missing", "Type \", else\" and the step that is done when the time is up.");
        if (wait.limit == 0)
            return fail("there is no time limit, so no \"else\"", "Type \"at most\" and a time before it.");
        Step other;
        if (Status bad = StepParser(m_words, m_scope, m_in, true).read(other)) return bad;
        step.otherwise = Steps{other};
        return std::nullopt;
    }
    Status readAxes(MoveAxes& move)
    {
        Names devices;
        for (const FrameId id : movableDevices(m_cell))
            devices.add(frameName(m_cell, id), id.value);
        const Names::Match* device = m_in.named(m_words.frames);
        if (!device) return unknownName(m_in, "device", devices, "Type the name of a rail, turntable or positioner.");
        move.device = {device->id};
        move.values.clear();
        m_in.word("to");
        for (const FrameId axis : axesOf(m_cell, move.device)) {
            const bool turns = findFrame(m_cell, axis)->axis->kind == JointKind::Revolute;
            double value;
            if (!m_in.number(value))
                return fail(fmt::format("where \"{}\" goes is missing", frameName(m_cell, axis)),
                            turns ? "Type it in degrees." : "Type it in mm.");
            if (turns) m_in.unit("°") || m_in.unit("deg");
            else m_in.unit("mm");
            move.values.push_back(value * (turns ? kDegree : kMillimetre));
        }
        return m_in.word("at") ? readPercent(move.speed, "\"at\"") : std::nullopt;
    }
    Status readPlay(PlayTable& play)
    {
        const Names::Match* table = m_in.named(m_words.tables);
        if (!table)
            return unknownName(m_in, "time table", m_words.tables,
                               m_words.tables.empty() ? "Bring one into the cell first, from a CSV file."
                                                      : "Type the name of a time table.");
        play = PlayTable{{table->id}};
        if (m_in.word("smooth")) play.between = BetweenRows::Smooth;
        else if (m_in.word("held")) play.between = BetweenRows::Hold;
        else m_in.word("linear");
        LineReader trial = m_in;
        double times;
        if (trial.number(times)) {
            if (times != std::floor(times) || !limits::kRepeat.holds(times))
                return fail("how often it is played is not a whole number from 1 to a million", "Type how often.");
            m_in = trial;
            if (!m_in.word("times") && !m_in.word("time"))
                return fail("\"times\" is missing", "Type it behind the number.");
            play.times = std::uint32_t(times);
        }
        return m_in.word("at") ? readPercent(play.speed, "\"at\"") : std::nullopt;
    }
    Status readCall(Call& call)
    {
        const Names::Match* routine = m_in.named(m_words.routines);
        if (!routine) return unknownName(m_in, "routine", m_words.routines, "Type the name of a routine.");
        call.routine = {routine->id};
        call.places.clear();
        if (!m_in.sign('(')) return std::nullopt;
        while (true) {
            if (Status bad = readPlace(call.places.emplace_back())) return bad;
            if (m_in.sign(')')) return std::nullopt;
            if (!m_in.sign(','))
                return fail("a comma or a bracket is missing", "Type \",\" and another place, or \")\".");
        }
    }
    Status readRepeat(Repeat& repeat)
    {
        if (m_in.done() || m_in.word("without end")) return repeat.kind = Repeat::Kind::Endless, std::nullopt;
        const bool asks = m_in.at("while") || m_in.at("until");
        if (asks) {
            repeat.kind = m_in.word("while") ? Repeat::Kind::While : Repeat::Kind::Until;
            m_in.word("until");
            return readCondition(repeat.condition);
        }
        double times;
        if (!m_in.number(times) || times != std::floor(times) || !(times >= 1 && times <= limits::kRepeat.most))
            return fail("how often is missing", "Type a number of times, while, until or without end.");
        repeat.kind = Repeat::Kind::Times;
        repeat.times = std::uint32_t(times);
        m_in.word("times");
        return std::nullopt;
    }
    Status readPattern(PatternId& id)
    {
        const Names::Match* match = m_in.named(m_words.patterns);
        if (!match) return unknownName(m_in, "pattern", m_words.patterns, "Type the name of a pattern of targets.");
        id = {match->id};
        return std::nullopt;
    }
    Status readRange(ForEach& each)
    {
        each.first = 1, each.last = 0, each.backwards = false;
        const auto whole = [&](std::uint32_t& out) -> Status {
            double value;
            if (!m_in.number(value) || value != std::floor(value) || !(value >= 1 && value <= limits::kPlaces.most))
                return fail("the number of a place is missing", "Type a number from 1 on.");
            out = std::uint32_t(value);
            return std::nullopt;
        };
        if (m_in.word("from")) {
            if (Status bad = whole(each.first)) return bad;
            if (!m_in.word("to"))
                return fail("\"to\" is missing", "Type \"to\" and the number of the last place, or \"to end\".");
            if (!m_in.word("end"))
                if (Status bad = whole(each.last)) return bad;
        }
        each.backwards = m_in.word("backwards");
        return std::nullopt;
    }
    Status readForEach(ForEach& each)
    {
        if (!m_in.word("each")) return fail("\"each\" is missing", "Type \"for each place of\" and a pattern.");
        each.with = {};
        if (m_in.word("place of")) {
            if (Status bad = readPattern(each.pattern)) return bad;
            return readRange(each);
        }
        if (Status bad = readPattern(each.pattern)) return bad;
        if (!m_in.word("place")) return fail("\"place\" is missing", "Type \"place\" behind the pattern.");
        if (Status bad = readRange(each)) return bad;
        if (!m_in.word("with")) return std::nullopt;
        if (Status bad = readPattern(each.with)) return bad;
        m_in.word("place");
        return std::nullopt;
    }
    Status readFollow(Follow& follow)
    {
        if (Status bad = readPattern(follow.pattern)) return bad;
        follow.over = 0;
        follow.staged = false;
        follow.process = {};
        follow.backwards = m_in.word("backwards");
        if (m_in.word("from approach to retract")) follow.staged = true;
        else if (m_in.word("over"))
            if (Status bad = readLength(follow.over, "\"over\"")) return bad;
        if (m_in.word("with"))
            if (Status bad = readProcessName(follow.process)) return bad;
        return readPace(follow.speed, follow.pace, true);
    }
    Status readProcess(SwitchProcess& process)
    {
        if (Status bad = readProcessName(process.process)) return bad;
        process.on = true;
        if (m_in.word("off")) process.on = false;
        else if (!m_in.word("on")) return fail("\"on\" or \"off\" is missing", "Type on or off.");
        return std::nullopt;
    }
    Status readProcessName(ProcessId& id)
    {
        const Names::Match* match = m_in.named(m_words.processes);
        if (!match)
            return unknownName(m_in, "process", m_words.processes,
                               "Give the tool a process first, or type the name of another one.");
        id = {match->id};
        const ArmStation* arm = findArm(m_cell, m_scope.routine.arm);
        // Tools may have processes of the same name.
        if (const Tool* tool = arm ? findTool(m_cell, arm->tool) : nullptr) {
            std::string name;
            for (const Tool& other : m_cell.tools)
                for (const Process& p : other.processes)
                    if (p.id == id) name = lowered(p.name);
            for (const Process& p : tool->processes)
                if (lowered(p.name) == name) id = p.id;
        }
        return std::nullopt;
    }
    Status readUse(UsePoint& use)
    {
        if (!m_in.word("point"))
            return fail("\"point\" is missing", "Type \"use point\" and the name of a point of the tool.");
        if (m_in.word("first")) return use.point = {}, std::nullopt;
        Names points;
        if (const ArmStation* arm = findArm(m_cell, m_scope.routine.arm))
            for (const ToolPoint& p : toolInForce(m_cell, *arm).points)
                points.add(p.name, p.id.value);
        const Names::Match* match = m_in.named(points);
        if (!match)
            return unknownName(m_in, "point of the tool", points, "Type first, or the name of a point of the tool.");
        use.point = {match->id};
        return std::nullopt;
    }
    Status readFrom(ReadFrom& read)
    {
        if (!m_in.word("from")) return fail("\"from\" is missing", "Type \"read from\" and a frame.");
        const Names::Match* frame = m_in.named(m_words.frames);
        if (!frame) return unknownName(m_in, "frame", m_words.frames, "Type the name of a frame, or World.");
        read.frame = {frame->id};
        return std::nullopt;
    }
    Status readHalt(Halt& halt)
    {
        halt.message.clear();
        if (m_in.done()) return std::nullopt;
        auto text = m_in.quoted();
        if (!text)
            return fail("the message is not in quotation marks", "Type \"stop\" and the message in quotation marks.");
        halt.message = std::move(*text);
        return std::nullopt;
    }

    const Vocabulary& m_words;
    const Cell& m_cell;
    const StepScope& m_scope;
    LineReader& m_in;
    bool m_behindElse;
};

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

}  // namespace

namespace {

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
    if (Status bad = StepParser(words, scope, reader).read(step)) return *bad;
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

}  // namespace topikos
