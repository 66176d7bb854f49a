#include "core/cell/settled.h"
#include "core/files/targets_csv.h"

#include "core/cell/edit_support.h"
#include "core/cell/edit_targets.h"
#include "core/cell/validate.h"
#include "core/files/table_text.h"
#include "core/spatial/rotation.h"
#include "core/spatial/text.h"

#include <fmt/format.h>

#include <array>
#include <charconv>
#include <cmath>
#include <map>
#include <sstream>
#include <unordered_map>

namespace topikos {

namespace {

constexpr std::array kPlaceNames{"x", "y", "z"};
constexpr std::array kQuatNames{"qw", "qx", "qy", "qz"};
constexpr std::array kAngleNames{"rx", "ry", "rz"};
constexpr std::array kAlongs{"tool", "frame", "world"};  // in the order of Approach::Along

Error fail(std::string message, std::string remedy)
{
    return {"targets.csv", std::move(message), "", std::move(remedy)};
}

size_t mostJoints(const Cell& cell)
{
    size_t most = 0;
    for (const Target& target : cell.targets)
        if (target.kind == Target::Kind::Posture) most = std::max(most, size_t(target.posture.size()));
    return most;
}

/// A column of the table by what it is called.
struct Column {
    size_t at;
    std::optional<TableUnit> unit;
    double size() const { return unit ? inSi(*unit) : 1; }
};
using Columns = std::map<std::string, Column>;

enum class Means { Nothing, Words, Plain, Length, Angle, Joint };

/// The number of a joint's column, from 1; 0 for others.
size_t jointNumber(const std::string& name)
{
    size_t number = 0;
    if (name.size() < 2 || name[0] != 'j' || name[1] == '0') return 0;
    const auto [end, error] = std::from_chars(name.data() + 1, name.data() + name.size(), number);
    return error == std::errc() && end == name.data() + name.size() ? number : 0;
}

Means meaningOf(const std::string& name)
{
    static const std::map<std::string, Means> known = {{"name", Means::Words},
                                                       {"arm", Means::Words},
                                                       {"frame", Means::Words},
                                                       {"tool", Means::Words},
                                                       {"point", Means::Words},
                                                       {"shoulder", Means::Words},
                                                       {"elbow", Means::Words},
                                                       {"wrist", Means::Words},
                                                       {"way", Means::Words},
                                                       {"group", Means::Words},
                                                       {"note", Means::Words},
                                                       {"approach along", Means::Words},
                                                       {"approach", Means::Length},
                                                       {"near approach", Means::Length},
                                                       {"retract along", Means::Words},
                                                       {"retract", Means::Length},
                                                       {"near retract", Means::Length},
                                                       {"x", Means::Length},
                                                       {"y", Means::Length},
                                                       {"z", Means::Length},
                                                       {"rx", Means::Angle},
                                                       {"ry", Means::Angle},
                                                       {"rz", Means::Angle},
                                                       {"qw", Means::Plain},
                                                       {"qx", Means::Plain},
                                                       {"qy", Means::Plain},
                                                       {"qz", Means::Plain}};
    if (const auto found = known.find(name); found != known.end()) return found->second;
    return jointNumber(name) > 0 ? Means::Joint : Means::Nothing;
}

/// Columns that only mean something together: all of them, or none.
template <class Names> Status checkTogether(const Columns& columns, const Names& names)
{
    const char* missing = nullptr;
    bool any = false;
    for (const char* name : names)
        if (columns.contains(name)) any = true;
        else missing = name;
    if (!any || !missing) return std::nullopt;
    return fail(fmt::format("there is no column \"{}\" beside the others of the rotation", missing),
                "Give qw, qx, qy and qz, or rx, ry and rz, or none of them.");
}

Result<Columns> columnsOf(const TableText& table, std::vector<std::string>& unread)
{
    Columns out;
    size_t joints = 0, lastJoint = 0;
    for (size_t i = 0; i < table.names.size(); ++i) {
        const std::string shown = shownText(trimmed(table.names[i]));
        if (const auto name = nameOfStrangeUnit(table.names[i]); name && meaningOf(*name) != Means::Nothing)
            return fail(fmt::format("the unit of column \"{}\" is not known", shown),
                        "Lengths are in mm, cm, m or in, angles in ° or rad.");
        auto [name, unit] = nameAndUnit(table.names[i]);
        Means means = meaningOf(name);
        const bool fits = !unit || (means == Means::Length && isLength(*unit))
                          || (means == Means::Angle && isAngle(*unit))
                          || (means == Means::Joint && (isLength(*unit) || isAngle(*unit)));
        if (means == Means::Nothing) {
            unread.push_back(shown);
            continue;
        }
        if (!fits)
            return fail(fmt::format("{} does not fit column \"{}\"", tableUnitName(*unit), shown),
                        means == Means::Length  ? "It is a length: mm, cm, m or in."
                        : means == Means::Angle ? "It is an angle: ° or rad."
                                                : "It has no unit.");
        if (means == Means::Joint) {
            ++joints;
            lastJoint = std::max(lastJoint, jointNumber(name));
        }
        if (!out.try_emplace(name, Column{i, unit}).second)
            return fail(fmt::format("two columns are called \"{}\"", shownText(name)), "Leave one of them out.");
    }
    if (!out.contains("name")) return fail("no column is the name", "Call one \"name\".");
    if (Status bad = checkTogether(out, kQuatNames)) return *bad;
    if (Status bad = checkTogether(out, kAngleNames)) return *bad;
    if (lastJoint > joints)
        return fail(fmt::format("the table has a column \"j{}\" and not all of those before it", lastJoint),
                    "Give the joints from j1 on.");
    return out;
}

/// Reads one row of the table into a target.
class Row {
public:
    Row(const Cell& cell, const TableText& table, const Columns& columns, size_t row) :
        m_cell(cell), m_table(table), m_columns(columns), m_row(row)
    {
    }

    std::string word(const std::string& column) const
    {
        const auto found = m_columns.find(column);
        return found == m_columns.end() ? "" : std::string(trimmed(m_table.rows[m_row][found->second.at]));
    }
    Status read(Target& target, bool isNew) const
    {
        if (Status bad = readNamed("arm", m_cell.arms, target.arm)) return bad;
        const ArmStation& station = *findArm(m_cell, target.arm);
        const bool posture = std::any_of(m_columns.begin(), m_columns.end(), [&](const auto& own) {
            return jointNumber(own.first) > 0 && !word(own.first).empty();
        });
        if (posture && saysPlace())
            return fail("it is said as a pose and as a posture", "Fill in the place, or the joints, not both.");
        for (const auto& [column, own] : {std::pair("group", &target.group), {"note", &target.note}})
            if (const std::string words = word(column); !words.empty()) *own = words;
        if (Status bad = checkTargetText(target)) return bad;
        // Of a posture that is there words alone can be said.
        if (!isNew && !posture && target.kind == Target::Kind::Posture && !saysPlace()) return std::nullopt;
        if (!isNew && posture != (target.kind == Target::Kind::Posture))
            return fail(fmt::format("\"{}\" is a {}", shownText(target.name), posture ? "pose" : "posture"),
                        "Give the row another name, or the columns that fit.");
        if (posture) return readPosture(target, *station.model);
        if (isNew) target.tool = station.tool;
        const FrameId frameBefore = target.frame;
        if (const std::string frame = word("frame"); lowered(frame) == "world") target.frame = {};
        else if (Status bad = readNamed("frame", m_cell.frames, target.frame)) return bad;
        if (Status bad = readNamed("tool", m_cell.tools, target.tool)) return bad;
        if (const std::string point = word("point"); !point.empty()) {
            const Tool& tool = *findTool(m_cell, target.tool);
            const auto own = std::find_if(tool.points.begin(), tool.points.end(),
                                          [&](const ToolPoint& p) { return lowered(p.name) == lowered(point); });
            if (lowered(point) == "first") target.tcp = {};
            else if (own == tool.points.end())
                return fail(fmt::format("the tool has no point \"{}\"", shownText(point)),
                            "Name one of its points, or first.");
            else target.tcp = own->id;
        }
        for (Eigen::Index i = 0; i < 3; ++i)
            if (Status bad = readNumber(kPlaceNames[size_t(i)], target.pose.translation[i], isNew)) return bad;
        if (Status bad = readTurn(target.pose.rotation, isNew)) return bad;
        Configuration& way = target.configuration;
        if (Status bad = readChoice("shoulder", "front", "back", way.shoulderBack)) return bad;
        if (Status bad = readChoice("elbow", "up", "down", way.elbowDown)) return bad;
        if (Status bad = readChoice("wrist", "plain", "turned", way.wristTurned)) return bad;
        if (Status bad = readWay(way)) return bad;
        for (const auto& [name, own] : {std::pair("approach", &target.approach), {"retract", &target.retract}})
            if (Status bad = readApproach(name, *own)) return bad;
        // What a target goes with stays; where it is beside that is new, unless it is in another frame now.
        if (target.frame != frameBefore) target.tie.reset();
        keepTie(m_cell, target);
        return checkPose(target.pose);
    }

private:
    bool saysPlace() const
    {
        constexpr const char* columns[] = {"frame", "tool", "point", "x",  "y",  "z",  "qw",
                                           "qx",    "qy",   "qz",    "rx", "ry", "rz", "way"};
        return std::any_of(std::begin(columns), std::end(columns), [&](const char* c) { return !word(c).empty(); });
    }
    /// All three words of a way in one column, in any order: "front · up · plain".
    Status readWay(Configuration& way) const
    {
        std::string words = lowered(word("way"));
        if (words.empty()) return std::nullopt;
        for (size_t at = 0; (at = words.find("·")) != std::string::npos;)
            words.replace(at, std::string_view("·").size(), " ");
        std::istringstream in(words);
        for (std::string own; in >> own;) {
            if (own == "front" || own == "back") way.shoulderBack = own == "back";
            else if (own == "up" || own == "down") way.elbowDown = own == "down";
            else if (own == "plain" || own == "turned") way.wristTurned = own == "turned";
            else if (own != "elbow" && own != "wrist" && own != "shoulder")
                return fail(fmt::format("\"{}\" is no way", shownText(own)), "Say it like front up plain.");
        }
        return std::nullopt;
    }
    Status readApproach(const std::string& name, Approach& way) const
    {
        if (Status bad = readNumber(name, way.far, false)) return bad;
        if (Status bad = readNumber("near " + name, way.near, false)) return bad;
        const std::string along = lowered(word(name + " along"));
        if (!along.empty()) {
            const auto known = std::find_if(kAlongs.begin(), kAlongs.end(),
                                            [&](const auto& a) { return along.starts_with(std::string(a) + " "); });
            const std::string axis = along.substr(std::min(along.size(), along.find(' ') + 1));
            const size_t letter =
                axis.size() == 1 || axis.size() == 2 ? std::string("xyz").find(axis.back()) : std::string::npos;
            if (known == kAlongs.end() || letter == std::string::npos || (axis.size() == 2 && axis[0] != '-'))
                return fail(fmt::format("\"{}\" is no axis", shownText(along)), "Say it like tool -z, or world z.");
            way.along = Approach::Along(known - kAlongs.begin());
            way.negative = axis.size() == 2;
            way.axis = int(letter);
        }
        return checkApproach(way);
    }
    template <class List, class IdType> Status readNamed(const std::string& column, const List& list, IdType& id) const
    {
        const std::string name = word(column);
        if (name.empty()) return std::nullopt;
        const auto* own = findNamed(list, name);
        if (!own)
            return fail(fmt::format("there is no {} called \"{}\"", column, shownText(name)),
                        "Name one of the cell's.");
        id = own->id;
        return std::nullopt;
    }
    Status readNumber(const std::string& column, double& value, bool needed) const
    {
        const std::string own = word(column);
        if (own.empty())
            return needed ? Status(fail(fmt::format("\"{}\" is empty", column), "A new target needs all of it."))
                          : std::nullopt;
        const auto number = numberIn(own, m_table.separator != ',');
        if (!number) return fail(fmt::format("\"{}\" is not a number", shownText(own)), "Give a plain number there.");
        value = *number * m_columns.at(column).size();
        return std::nullopt;
    }
    Status readTurn(Quat& rotation, bool needed) const
    {
        const auto says = [&](const char* c) { return !word(c).empty(); };
        const bool quaternion = std::any_of(kQuatNames.begin(), kQuatNames.end(), says);
        const bool turns = std::any_of(kAngleNames.begin(), kAngleNames.end(), says);
        if (quaternion && turns)
            return fail("the rotation is said twice", "Fill in qw to qz, or rx, ry and rz, not both.");
        if (quaternion) {
            std::array<double, 4> q{};
            for (size_t i = 0; i < 4; ++i)
                if (Status bad = readNumber(kQuatNames[i], q[i], true)) return bad;
            const Quat read(q[0], q[1], q[2], q[3]);
            if (std::abs(read.norm() - 1) > 1e-3)
                return fail("the quaternion is not of length 1", "Give qw, qx, qy and qz of a turn.");
            rotation = std::abs(read.norm() - 1) > 1e-9 ? read.normalized() : read;
            return std::nullopt;
        }
        if (!turns)
            return needed ? Status(fail("the orientation is missing", "Give qw to qz, or rx, ry and rz."))
                          : std::nullopt;
        Vec3 angles;
        for (Eigen::Index i = 0; i < 3; ++i)
            if (Status bad = readNumber(kAngleNames[size_t(i)], angles[i], true)) return bad;
        rotation = rotationFrom(m_cell.angles, angles);
        return std::nullopt;
    }
    Status readPosture(Target& target, const Arm& arm) const
    {
        target.kind = Target::Kind::Posture;
        target.posture = JointVector::Zero(arm.jointCount());
        for (int i = 0; i < arm.jointCount(); ++i) {
            const std::string name = fmt::format("j{}", i + 1);
            const auto column = m_columns.find(name);
            const bool slides = arm.joints()[size_t(i)].kind == JointKind::Prismatic;
            if (column != m_columns.end() && column->second.unit && isLength(*column->second.unit) != slides)
                return fail(fmt::format("{} is in {}, but that joint {}", name, tableUnitName(*column->second.unit),
                                        slides ? "slides" : "turns"),
                            slides ? "Give its way, in m or mm." : "Give its angle, in ° or rad.");
            if (Status bad = readNumber(name, target.posture[i], true)) return bad;
        }
        for (const auto& [name, column] : m_columns)
            if (jointNumber(name) > size_t(arm.jointCount()) && !word(name).empty())
                return fail(fmt::format("the arm has no joint {}", jointNumber(name)), "Leave that field empty.");
        return std::nullopt;
    }
    Status readChoice(const std::string& column, const char* plain, const char* other, bool& value) const
    {
        const std::string own = lowered(word(column));
        if (own.empty()) return std::nullopt;
        if (own != plain && own != other)
            return fail(fmt::format("\"{}\" is no {}", shownText(own), column),
                        fmt::format("Say {} or {}.", plain, other));
        value = own == other;
        return std::nullopt;
    }

    const Cell& m_cell;
    const TableText& m_table;
    const Columns& m_columns;
    size_t m_row;
};

}  // namespace

namespace {

/// Columns that stand behind the others where some target has something to say there.
struct MoreColumns {
    bool words = false;  ///< group and note
    bool ways = false;   ///< approach and retract

    explicit MoreColumns(const Cell& cell)
    {
        for (const Target& target : cell.targets) {
            if (target.pattern) continue;
            words |= !target.group.empty() || !target.note.empty();
            ways |= !(target.approach == Approach()) || !(target.retract == Approach());
        }
    }
    std::string names() const
    {
        return std::string(words ? ",group,note" : "")
               + (ways ? ",approach [m],near approach [m],approach along,retract [m],near retract [m],retract along"
                       : "");
    }
    std::string of(const Target& target) const
    {
        std::string out;
        if (words) out += ',' + csvText(target.group) + ',' + csvText(target.note);
        if (!ways) return out;
        for (const Approach& way : {target.approach, target.retract})
            out += target.kind == Target::Kind::Posture
                       ? ",,,"
                       : fmt::format(",{},{},{} {}{}", way.far, way.near, kAlongs[size_t(way.along)],
                                     way.negative ? "-" : "", "xyz"[way.axis]);
        return out;
    }
};

}  // namespace

std::string TargetsRead::unreadText() const
{
    std::string names;
    for (const std::string& name : unread)
        names += (names.empty() ? "\"" : ", \"") + name + "\"";
    if (names.empty()) return "";
    return fmt::format("{} {} not read", unread.size() == 1 ? "column" : "columns",
                       unread.size() == 1 ? names + " is" : names + " are");
}

std::string targetsCsv(const Cell& cell)
{
    const MoreColumns more(cell);
    const size_t joints = mostJoints(cell);
    std::string out = "name,arm,frame,tool,point,x [m],y [m],z [m],qw,qx,qy,qz,shoulder,elbow,wrist";
    for (size_t i = 0; i < joints; ++i)
        out += fmt::format(",j{}", i + 1);
    out += more.names() + '\n';
    for (const Target& target : cell.targets) {
        if (target.pattern) continue;
        out += csvText(target.name) + ',' + csvText(findArm(cell, target.arm)->name);
        if (target.kind == Target::Kind::Posture) {
            out += ",,,,,,,,,,,,,";
            for (const double q : target.posture)
                out += fmt::format(",{}", q);
            out.append(joints - size_t(target.posture.size()), ',');
        } else {
            const Tool& tool = *findTool(cell, target.tool);
            const auto point = std::find_if(tool.points.begin(), tool.points.end(),
                                            [&](const ToolPoint& p) { return p.id == target.tcp; });
            const Vec3& at = target.pose.translation;
            const Quat& q = target.pose.rotation;
            const Configuration& way = target.configuration;
            out += fmt::format(",{},{},{},{},{},{},{},{},{},{},{},{},{}",
                               target.frame ? csvText(findFrame(cell, target.frame)->name) : "World",
                               csvText(tool.name), point == tool.points.end() ? "first" : csvText(point->name), at[0],
                               at[1], at[2], q.w(), q.x(), q.y(), q.z(), way.shoulderBack ? "back" : "front",
                               way.elbowDown ? "down" : "up", way.wristTurned ? "turned" : "plain");
            out.append(joints, ',');
        }
        out += more.of(target) + '\n';
    }
    return out;
}

Status saveTargetsCsv(const std::string& path, const Cell& cell) { return saveFile(path, targetsCsv(cell)); }

Result<TargetsRead> targetsFromCsv(const Cell& cell, const std::string& text)
{
    TargetsRead out{cell};
    const Result<TableText> table = splitTable(text, &out.broken);
    if (!table) return table.error();
    const Result<Columns> columns = columnsOf(*table, out.unread);
    if (!columns) return columns.error();
    std::unordered_map<std::string, TargetId> known;
    for (const Target& target : cell.targets)
        known.emplace(lowered(target.name), target.id);
    std::map<std::string, size_t> said;  // lines by name
    for (size_t i = 0; i < table->rows.size(); ++i) {
        const Row row(cell, *table, *columns, i);
        const std::string name = row.word("name");
        const auto former = known.find(lowered(name));
        const Target* old = former == known.end() ? nullptr : findTarget(cell, former->second);
        Target target = old ? *old : Target{{}, name, cell.arms.front().id};
        const auto trouble = [&]() -> Status {
            if (Status bad = checkName(name)) return bad;
            if (const auto [first, isNew] = said.try_emplace(lowered(name), table->lines[i]); !isNew)
                return fail(fmt::format("\"{}\" is on line {} already", shownText(name), first->second),
                            "Give each target one row.");
            if (old)
                if (Status bad = checkNoMember(cell, *old)) return bad;
            const ArmId arm = target.arm;
            if (Status bad = row.read(target, !old)) return bad;
            if (old && target.arm != arm)
                return fail(fmt::format("\"{}\" is a target of another arm", shownText(name)),
                            "Give the row another name.");
            return std::nullopt;
        };
        if (Status bad = trouble()) {
            out.broken.push_back(within(*bad, fmt::format("line {}", table->lines[i])));
            continue;
        }
        if (old) {
            if (target == *old) continue;
            *out.cell.targets.edit(old->id) = target;
            ++out.changed;
            continue;
        }
        target.id = {out.cell.nextId++};
        out.cell.targets.push_back(target);
        ++out.added;
    }
    if (Status bad = validate(out.cell)) return *bad;
    return out;
}

}  // namespace topikos
