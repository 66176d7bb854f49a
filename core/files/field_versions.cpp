#include "core/files/field_versions.h"

#include <fmt/format.h>

#include <string_view>

namespace topikos {

namespace {

/// A field that came with a version, by its path; lists on the way stand for each of their objects.
struct Since {
    size_t version;
    const char* path;
};
constexpr Since kFields[] = {
    {2, "arms.point"},
    {2, "as-built"},
    {2, "contact-pairs"},
    {2, "contact-samples"},
    {2, "contact-seed"},
    {2, "frames.hidden"},
    {2, "frames.locked"},
    {2, "frames.measured"},
    {2, "frames.solids.outline"},
    {2, "frames.solids.surface"},
    {2, "part-kinds"},
    {2, "parts.hidden"},
    {2, "parts.kind"},
    {2, "parts.locked"},
    {2, "parts.pattern"},
    {2, "parts.place"},
    {2, "parts.solids.outline"},
    {2, "parts.solids.surface"},
    {2, "patterns"},
    {2, "surfaces"},
    {2, "targets.pattern"},
    {2, "targets.place"},
    {2, "targets.point"},
    {2, "tools.body.outline"},
    {2, "tools.body.surface"},
    {2, "tools.gripper.kind"},
    {2, "tools.gripper.pivot"},
    {2, "tools.gripper.region"},
    {2, "tools.inertia"},
    {2, "tools.jaw.outline"},
    {2, "tools.jaw.surface"},
    {2, "tools.number"},
    {2, "tools.points"},
    {3, "arms.id"},
    {3, "contact-pairs.a.arm"},
    {3, "contact-pairs.b.arm"},
    {3, "frames.axis"},
    {3, "frames.device"},
    {3, "in-hand"},
    {3, "patterns.arm"},
    {3, "patterns.axes"},
    {3, "routines.arm"},
    {3, "routines.steps.axes"},
    {3, "routines.steps.comparison"},
    {3, "routines.steps.device"},
    {3, "routines.steps.signal"},
    {3, "routines.steps.value"},
    {3, "signals"},
    {3, "targets.arm"},
    {3, "targets.axes"},
    {4, "arms.main"},
    {5, "accepted"},
    {5, "routines.places"},
    {5, "routines.steps.acceleration"},
    {5, "routines.steps.backwards"},
    {5, "routines.steps.depth"},
    {5, "routines.steps.else"},
    {5, "routines.steps.first"},
    {5, "routines.steps.frame"},
    {5, "routines.steps.how"},
    {5, "routines.steps.joint-shift"},
    {5, "routines.steps.last"},
    {5, "routines.steps.limit"},
    {5, "routines.steps.message"},
    {5, "routines.steps.note"},
    {5, "routines.steps.on"},
    {5, "routines.steps.pattern"},
    {5, "routines.steps.place"},
    {5, "routines.steps.place-of"},
    {5, "routines.steps.places"},
    {5, "routines.steps.point"},
    {5, "routines.steps.process"},
    {5, "routines.steps.routine"},
    {5, "routines.steps.shift"},
    {5, "routines.steps.times"},
    {5, "routines.steps.turn-speed"},
    {5, "routines.steps.via"},
    {5, "routines.steps.via-place"},
    {5, "routines.steps.via-place-of"},
    {5, "routines.steps.via-standoff"},
    {5, "routines.steps.whole"},
    {5, "routines.steps.with"},
    {5, "tools.processes"},
    {6, "arms.padding"},
    {6, "arms.sheet.axes.jerk"},
    {6, "contact-pairs.caution"},
    {6, "routines.steps.between"},
    {6, "routines.steps.may-touch"},
    {6, "routines.steps.table"},
    {6, "thresholds.clearance-caution"},
    {6, "time-tables"},
    {7, "part-kinds.grips"},
    {7, "patterns.drawing"},
    {7, "targets.freedom"},
    {7, "targets.group"},
    {7, "targets.note"},
    {7, "targets.tie"},
    {8, "patterns.approach"},
    {8, "patterns.follows"},
    {8, "patterns.in-place"},
    {8, "patterns.retract"},
    {8, "routines.steps.stage"},
    {8, "routines.steps.staged"},
    {8, "routines.steps.via-stage"},
    {8, "targets.approach"},
    {8, "targets.retract"},
    {9, "arms.sheet.reach"},
    {9, "tools.processes.depth"},
};

/// Place of a field in the value, as errors name it; nothing when it is not there.
std::optional<std::string> placeOf(const Json& value, std::string_view path, const std::string& place)
{
    if (value.is_array()) {
        for (size_t i = 0; i < value.size(); ++i)
            if (auto found = placeOf(value[i], path, fmt::format("{}[{}]", place, i))) return found;
        return std::nullopt;
    }
    if (!value.is_object()) return std::nullopt;
    const size_t end = std::min(path.find('.'), path.size());
    const std::string key(path.substr(0, end));
    const auto inner = value.find(key);
    if (inner == value.end()) return std::nullopt;
    const std::string here = place.empty() ? key : place + "." + key;
    return end == path.size() ? here : placeOf(*inner, path.substr(end + 1), here);
}

}  // namespace

Status checkFieldVersions(const Json& cell, size_t version)
{
    for (const Since& field : kFields) {
        if (field.version <= version) continue;
        if (const auto place = placeOf(cell, field.path, ""))
            return Error{"cell.field-version",
                         fmt::format("came with version {} of the format; the file says that it is version {}",
                                     field.version, version),
                         *place, "Correct the version, or take the field out."};
    }
    return std::nullopt;
}

}  // namespace topikos
