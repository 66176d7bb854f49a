#include "tests/core/support.h"

#include "core/cell/arms.h"
#include "core/cell/devices.h"
#include "core/cell/edit_layout.h"
#include "core/cell/pattern.h"
#include "core/program/step_text.h"
#include "core/spatial/rotation.h"

#include <fmt/format.h>

#include <cmath>
#include <fstream>
#include <map>

namespace topikos::test {

std::string dataPath(const std::string& name) { return std::string(TOPIKOS_TEST_DATA) + "/" + name; }
std::string examplePath(const std::string& name) { return std::string(TOPIKOS_EXAMPLES) + "/" + name + ".topikos"; }

const Json& reference(const std::string& name)
{
    static std::map<std::string, Json> read;
    Json& json = read[name];
    if (json.is_null()) {
        std::ifstream file(dataPath("reference/" + name + ".json"));
        json = Json::parse(file);
    }
    return json;
}

ArmPtr urdfArm(const std::string& name) { return findArm(dataPath("reference/robots/" + name + ".urdf")).value(); }

Cell onceBroke(const std::string& name) { return openCell(dataPath("once-broke/" + name + ".topikos")).value(); }

QByteArray contentOf(const QString& path)
{
    QFile file(path);
    if (!file.open(QIODevice::ReadOnly)) qFatal("cannot read %s", qPrintable(path));
    return file.readAll();
}

void write(const QString& path, const QByteArray& bytes)
{
    QFile file(path);
    if (!file.open(QIODevice::WriteOnly) || file.write(bytes) != bytes.size()) qFatal("cannot write");
}

Cell example(const std::string& name) { return openCell(examplePath(name)).value(); }

JointVector jointsOf(const Json& list)
{
    JointVector q(Eigen::Index(list.size()));
    for (size_t i = 0; i < list.size(); ++i)
        q[Eigen::Index(i)] = list[i].get<double>();
    return q;
}

Eigen::Matrix4d matrixOf(const Json& rows)
{
    Eigen::Matrix4d m;
    for (size_t r = 0; r < 4; ++r)
        for (size_t c = 0; c < 4; ++c)
            m(Eigen::Index(r), Eigen::Index(c)) = rows[r][c].get<double>();
    return m;
}

Pose poseOf(const Json& rows)
{
    const Eigen::Matrix4d m = matrixOf(rows);
    return makePose(m.topLeftCorner<3, 3>(), m.topRightCorner<3, 1>());
}

JointVector randomPosture(const Arm& arm, std::mt19937_64& random)
{
    JointVector q(arm.jointCount());
    for (int i = 0; i < arm.jointCount(); ++i)
        q[i] = std::uniform_real_distribution(arm.joints()[size_t(i)].lower, arm.joints()[size_t(i)].upper)(random);
    return q;
}

double difference(const Arm& arm, const JointVector& a, const JointVector& b)
{
    double worst = 0;
    for (int i = 0; i < arm.jointCount(); ++i) {
        const double d = a[i] - b[i];
        worst = std::max(worst, std::abs(arm.joints()[size_t(i)].kind == JointKind::Revolute ? wrapped(d) : d));
    }
    return worst;
}

std::string schemaOffence(const Json& value, Json schema, const Json& root, const std::string& place)
{
    if (schema.contains("$ref")) schema = root["$defs"][schema["$ref"].get<std::string>().substr(8)];
    if (schema.contains("oneOf")) {
        int fits = 0;
        for (const Json& choice : schema["oneOf"])
            fits += schemaOffence(value, choice, root, place).empty() ? 1 : 0;
        return fits == 1 ? "" : place + " fits " + std::to_string(fits) + " choices";
    }
    if (schema.contains("enum"))
        return std::find(schema["enum"].begin(), schema["enum"].end(), value) != schema["enum"].end()
                   ? ""
                   : place + " is none of the words";
    const std::string type = schema.value("type", "");
    const bool right = type == "object"    ? value.is_object()
                       : type == "array"   ? value.is_array()
                       : type == "string"  ? value.is_string()
                       : type == "boolean" ? value.is_boolean()
                       : type == "integer" ? value.is_number_integer()
                       : type == "number"  ? value.is_number()
                                           : false;
    if (!right) return place + " is no " + type;
    if (schema.contains("minimum") && value < schema["minimum"]) return place + " is too small";
    if (schema.contains("maximum") && value > schema["maximum"]) return place + " is too large";
    if (type == "array") {
        if (schema.contains("minItems") && value.size() < schema["minItems"]) return place + " is too short";
        if (schema.contains("maxItems") && value.size() > schema["maxItems"]) return place + " is too long";
        for (size_t i = 0; i < value.size(); ++i)
            if (std::string bad = schemaOffence(value[i], schema["items"], root, place + "[" + std::to_string(i) + "]");
                !bad.empty())
                return bad;
    }
    if (type == "object") {
        for (const Json& key : schema["required"])
            if (!value.contains(key.get<std::string>())) return place + " lacks " + key.get<std::string>();
        for (const auto& [key, item] : value.items()) {
            if (!schema["properties"].contains(key)) return place + " has " + key;
            if (std::string bad = schemaOffence(item, schema["properties"][key], root, place + "." + key); !bad.empty())
                return bad;
        }
    }
    return {};
}

Cell randomWiring(std::mt19937_64& random)
{
    const auto pick = [&](size_t n) { return size_t(random() % n); };
    const auto real = [&](double low, double high) { return low + (high - low) * double(random() >> 11) * 0x1p-53; };
    Cell cell = example("tile-glazing-line");
    for (int k = 0; k < 4; ++k)
        cell = addSignal(cell, "S" + std::to_string(k), k < 3 ? Signal::Kind::Digital : Signal::Kind::Number).value();
    if (pick(2)) cell = addArm(cell, "Second", catalogueArm("cobot-900"), {}).value();
    FrameId belt;
    for (int k = 0; k < 6; ++k) {
        FrameId id;
        const FrameId parent = k > 0 && pick(2) ? belt : FrameId();
        const auto kind = k == 0 ? Device::Kind::Belt : Device::Kind(pick(10));
        cell = addDevice(cell, kind, "Device " + std::to_string(k), parent,
                         translated({real(-0.2, 1.2), real(-0.2, 0.2), parent ? 0 : 0.6}), &id)
                   .value();
        if (k == 0) belt = id;
        Device d = *findFrame(cell, id)->device;
        if (kind == Device::Kind::Source) d.makes = cell.partKinds[0].id, d.interval = real(0.3, 3), d.most = 5;
        if (kind == Device::Kind::Belt)
            d.indexing = pick(2), d.accumulates = pick(2), d.pitch = real(0.05, 0.4), d.speed = real(0.05, 0.6);
        const Wires wires = wiresOf(kind);
        if (wires.input && pick(3)) d.input = cell.signals[pick(3)].id;
        if (wires.output && pick(2)) d.output = cell.signals[pick(3)].id;
        if (wires.number && pick(2)) d.number = cell.signals[3].id;
        if (const Result<Cell> wired = changeDevice(cell, id, d)) cell = *wired;
    }
    for (Part& part : cell.parts.edits())
        if (pick(2)) part.frame = belt, part.pose = translated({real(0, 1.2), real(-0.1, 0.1), 0.006});
    for (const ArmStation& arm : cell.arms) {
        const RoutineId routine = routineOf(cell, arm).id;
        for (int k = 0; k < 5; ++k) {
            const Signal& signal = cell.signals[pick(cell.signals.size())];
            const size_t kind = pick(4);
            const double seconds = real(0, 4);
            const double value = double(pick(2));
            const Comparison comparison =
                signal.kind == Signal::Kind::Digital ? Comparison::Equal : Comparison(pick(3));
            Step step;
            if (kind == 0) step.action = Wait{seconds};
            if (kind == 1) step.action = SetSignal{signal.id, value};
            if (kind == 2) step.action = WaitSignal{{signal.id, comparison, value}, 0};
            if (const auto devices = movableDevices(cell); kind == 3 && !devices.empty()) {
                MoveAxes move{devices[pick(devices.size())], {}, 1};
                for (const FrameId axis : axesOf(cell, move.device))
                    move.values.push_back(
                        real(findFrame(cell, axis)->axis->lowest, findFrame(cell, axis)->axis->highest));
                step.action = move;
            }
            if (const Result<Cell> more =
                    insertStep(cell, routine, pick(findRoutine(cell, routine)->steps.size() + 1), step))
                cell = *more;
        }
    }
    return cell;
}

Cell shuffled(const Cell& cell, std::mt19937_64& random)
{
    Cell other = cell;
    const auto shuffle = [&random](auto& table) {
        for (size_t i = 0; i + 1 < table.size(); ++i)
            table.move(i + random() % (table.size() - i), i);
    };
    shuffle(other.arms);
    shuffle(other.frames);
    shuffle(other.tools);
    shuffle(other.partKinds);
    shuffle(other.parts);
    shuffle(other.patterns);
    shuffle(other.targets);
    shuffle(other.signals);
    shuffle(other.routines);
    return other;
}

std::string storyOf(const Trace& trace)
{
    std::string out = fmt::format("{:a}\n", trace.duration);
    const auto values = [](const auto& v) {
        std::string text;
        for (const double x : v)
            text += fmt::format(" {:a}", x);
        return text;
    };
    const auto pose = [&](const Pose& p) { return values(p.translation) + values(p.rotation.coeffs()); };
    for (const ArmTrace& arm : trace.arms) {
        out += fmt::format("arm {} {:a}\n", arm.arm.value, arm.duration);
        for (const ArmTrace::Span& s : arm.spans) {
            const StepOutcome& o = arm.outcomes[s.outcome];
            out += fmt::format("step {} pass {} problem {} {:a} {:a}{}\n", o.step.value, o.pass, int(o.problem),
                               s.start, s.end, values(o.arrival));
        }
    }
    for (const AxisTrack& axis : trace.axes)
        for (const AxisSpan& s : axis.spans)
            out += fmt::format("axis {} {:a} {:a} {:a} {:a}\n", axis.frame.value, s.start, s.end(), s.from, s.to);
    for (const BeltTrack& belt : trace.belts)
        for (const BeltStretch& s : belt.stretches)
            out += fmt::format("belt {} {:a} {:a} {:a} {:a}\n", belt.belt.value, s.start, s.travel, s.speed,
                               s.acceleration);
    for (const PartEvent& e : trace.partEvents)
        out += fmt::format("part {} {:a} {} arm {} frame {}{}\n", e.part.value, e.time, int(e.kind), e.arm.value,
                           e.frame.value, pose(e.pose));
    for (const SignalEvent& e : trace.signalEvents)
        out += fmt::format("signal {} {:a} {:a}\n", e.signal.value, e.time, e.value);
    return out;
}

Cell withSteps(Cell cell, std::initializer_list<const char*> steps)
{
    const RoutineId routine = routineOf(cell, cell.arms.back()).id;
    cell.routines.edit(routine)->steps.clear();
    for (const char* words : steps) {
        const Result<Step> step = typedStep(cell, words);
        if (!step) qFatal("%s: %s", words, step.error().line().c_str());
        cell = insertStep(cell, routine, findRoutine(cell, routine)->steps.size(), *step).value();
    }
    return cell;
}

Result<Step> typedStep(const Cell& cell, const std::string& text)
{
    std::optional<Error> first;
    for (const Routine& routine : cell.routines) {
        Result<Step> step = parseStep(cell, {routine}, text);
        if (step) return step;
        if (!first) first = step.error();
    }
    return *first;
}

FrameId frameNamed(const Cell& cell, const std::string& name)
{
    for (const Frame& f : cell.frames)
        if (f.name == name) return f.id;
    qFatal("no frame %s", name.c_str());
}

Cell patterned(PatternId* parts, PatternId* targets)
{
    Cell cell = example("tile-glazing-line");
    Pattern p;
    p.name = "Stack";
    p.frame = frameNamed(cell, "Drying rack");
    p.kind = cell.parts.front().kind;
    p.first = translated({0.1, 0.1, 0.006});
    p.columns = 3;
    p.rows = 2;
    p.layers = 2;
    p.pitch = {0.16, 0.17, 0.02};
    cell = addPattern(cell, p, parts).value();
    const Target place = cell.targets.back();
    Pattern t = patternOf(place);
    t.name = "Place";
    t.columns = 2;
    t.rows = 2;
    t.pitch = {0.02, 0.02, 0};
    return addPattern(cell, t, targets).value();
}

}  // namespace topikos::test
