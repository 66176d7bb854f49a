#include "core/collide/pairs.h"

#include "core/contact/bodies.h"
#include "core/robot/forward.h"
#include "core/shape/arm_bodies.h"
#include "core/spatial/limits.h"

#include <fmt/format.h>

#include <algorithm>
#include <random>

namespace topikos {

namespace {

using MemberKind = ContactMember::Kind;
using Reason = ContactPair::Reason;

bool moves(const ContactMember& m) { return m.kind == MemberKind::Tool || (m.kind == MemberKind::Link && m.id > 0); }

/// The jaws count with the body, open.
std::vector<Solid> toolSolids(const Tool& tool)
{
    std::vector<Solid> out = tool.body;
    for (const Pose& tcpFromJaw : jawPlaces(tool.gripper, tool.gripper.open))
        for (Solid s : tool.jaw) {
            s.pose = tool.flangeFromTcp * tcpFromJaw * s.pose;
            out.push_back(s);
        }
    return out;
}

ContactBody bodyOf(const Cell& cell, const ContactMember& m, const std::vector<LinkShape>& links)
{
    switch (m.kind) {
    case MemberKind::Link: return ContactBody(links[m.id].pieces, links[m.id].surfaces);
    case MemberKind::Tool: return ContactBody::of(toolSolids(toolInForce(cell, *findArm(cell, m.arm))));
    case MemberKind::Frame: return ContactBody::of(findFrame(cell, {m.id})->solids);
    }
    return ContactBody({}, {});
}

/// `postures` in the order of the arms.
std::vector<Pose> worldPlaces(const Cell& cell, const std::vector<ContactMember>& members,
                              const std::vector<JointVector>& postures, const AxisValues& axes)
{
    std::vector<ChainFrames> chains(cell.arms.size());
    std::vector<Pose> bases;
    for (size_t i = 0; i < cell.arms.size(); ++i) {
        chainFrames(*cell.arms[i].model, postures[i], chains[i]);
        bases.push_back(worldFromBase(cell, cell.arms[i], axes));
    }
    std::vector<Pose> out;
    for (const ContactMember& m : members) {
        if (m.kind == MemberKind::Frame) {
            out.push_back(worldFromFrame(cell, {m.id}, axes));
            continue;
        }
        const size_t arm = *cell.arms.placeOf(m.arm);
        out.push_back(m.kind == MemberKind::Tool ? flangePlace(bases[arm], chains[arm])
                                                 : linkPlace(bases[arm], chains[arm], m.id));
    }
    return out;
}

/// The frame that a body stands still in.
FrameId standsIn(const Cell& cell, const ContactMember& m)
{
    return m.kind == MemberKind::Frame ? FrameId{m.id} : findArm(cell, m.arm)->mount;
}

}  // namespace

bool neighbours(const Cell& cell, const ContactMember& a, const ContactMember& b)
{
    if (a.kind == MemberKind::Frame || b.kind == MemberKind::Frame || a.arm != b.arm) return false;
    const auto last = std::uint32_t(findArm(cell, a.arm)->model->jointCount());
    const auto place = [last](const ContactMember& m) { return m.kind == MemberKind::Link ? m.id : last + 1; };
    return std::max(place(a), place(b)) - std::min(place(a), place(b)) <= 1;
}

std::vector<ContactMember> contactMembers(const Cell& cell)
{
    std::vector<ContactMember> out;
    for (const ArmStation& arm : cell.arms) {
        for (std::uint32_t i = 0; i <= std::uint32_t(arm.model->jointCount()); ++i)
            out.push_back({MemberKind::Link, i, arm.id});
        out.push_back({MemberKind::Tool, 0, arm.id});
    }
    for (const Frame& f : cell.frames)
        if (!f.solids.empty()) out.push_back({MemberKind::Frame, f.id.value});
    return out;
}

std::string memberName(const Cell& cell, const ContactMember& m)
{
    if (m.kind == MemberKind::Frame) return frameName(cell, {m.id});
    const ArmStation& arm = *findArm(cell, m.arm);
    if (m.kind == MemberKind::Tool) return toolInForce(cell, arm).name;
    const std::string own = m.id == 0 ? "base" : fmt::format("link {}", m.id);
    if (cell.arms.size() > 1) return arm.name + " " + own;
    return m.id == 0 ? "Arm base" : fmt::format("Link {}", m.id);
}

std::optional<ContactPairs> sampleContactPairs(const Cell& cell, const SamplingOptions& options,
                                               const std::function<bool(double)>& keepOn)
{
    std::vector<ContactMember> members = contactMembers(cell);
    std::vector<std::vector<LinkShape>> links;
    for (const ArmStation& arm : cell.arms)
        links.push_back(armShapes(*arm.model));
    std::vector<ContactBody> bodies;
    for (const ContactMember& m : members)
        bodies.push_back(
            bodyOf(cell, m, m.kind == MemberKind::Frame ? std::vector<LinkShape>() : links[*cell.arms.placeOf(m.arm)]));

    ContactPairs out{options.samples, options.seed, {}};
    std::vector<std::pair<size_t, size_t>> places;
    for (size_t i = 0; i < members.size(); ++i)
        for (size_t k = i + 1; k < members.size(); ++k) {
            const bool still = !moves(members[i]) && !moves(members[k])
                               && axesBetween(cell, standsIn(cell, members[i]), standsIn(cell, members[k])).empty();
            if (still || bodies[i].empty() || bodies[k].empty()) continue;
            out.pairs.push_back({members[i], members[k]});
            places.push_back({i, k});
        }
    // Uniform over the ranges; the generator is fixed by the standard, the distribution is spelt out so that every
    // library gives the same.
    std::mt19937_64 random(options.seed);
    for (std::uint32_t n = 0; n < options.samples; ++n) {
        if (n % 16 == 0 && keepOn && !keepOn(double(n) / options.samples)) return std::nullopt;
        const auto between = [&](double low, double high) {
            return low + (high - low) * double(random() >> 11) * 0x1p-53;
        };
        std::vector<JointVector> postures;
        for (const ArmStation& arm : cell.arms) {
            JointVector& q = postures.emplace_back(arm.model->jointCount());
            for (int j = 0; j < arm.model->jointCount(); ++j)
                q[j] = between(arm.model->joints()[size_t(j)].lower, arm.model->joints()[size_t(j)].upper);
        }
        AxisValues axes;
        for (const Frame& f : cell.frames)
            if (f.axis) axes.push_back({f.id, between(f.axis->lowest, f.axis->highest)});
        const std::vector<Pose> at = worldPlaces(cell, members, postures, axes);
        for (size_t p = 0; p < places.size(); ++p) {
            if (neighbours(cell, out.pairs[p].a, out.pairs[p].b)) continue;
            const auto& [i, k] = places[p];
            out.pairs[p].touched += bodies[i].touches(at[i], bodies[k], at[k]);
        }
    }
    for (ContactPair& p : out.pairs) {
        const bool own = p.b.kind != MemberKind::Frame && p.a.arm == p.b.arm;
        if (neighbours(cell, p.a, p.b)) p.reason = Reason::Adjacent;
        else if (options.samples > 0 && p.touched == options.samples) p.reason = Reason::Always;
        else if (p.touched == 0) p.reason = Reason::Never;
        p.checked = p.reason == Reason::Sometimes || (p.reason == Reason::Never && !own);
        for (const ContactPair& before : cell.contact.pairs) {
            if (before.a != p.a || before.b != p.b) continue;
            p.caution = before.caution;
            if (before.reason != Reason::ByHand) continue;
            p.checked = before.checked;
            p.reason = Reason::ByHand;
        }
    }
    return out;
}

std::string pairCounts(const ContactPairs& pairs)
{
    const auto count = [&](Reason r) {
        return std::count_if(pairs.pairs.begin(), pairs.pairs.end(),
                             [r](const ContactPair& p) { return p.reason == r; });
    };
    return fmt::format("{} adjacent, {} always, {} never, {} sometimes, {} by hand", count(Reason::Adjacent),
                       count(Reason::Always), count(Reason::Never), count(Reason::Sometimes), count(Reason::ByHand));
}

Result<Cell> setContactPairs(const Cell& cell, const ContactPairs& pairs)
{
    Cell next = cell;
    next.contact = pairs;
    return next;
}

namespace {

template <class Change>
Result<Cell> changedPair(const Cell& cell, const ContactMember& a, const ContactMember& b, const Change& change)
{
    Cell next = cell;
    for (ContactPair& p : next.contact.pairs)
        if (p.a == a && p.b == b) {
            change(p);
            return next;
        }
    return Error{"edit.pair", "these two bodies are no pair that can touch", "", "Find the pairs anew."};
}

}  // namespace

Result<Cell> setPairChecked(const Cell& cell, const ContactMember& a, const ContactMember& b, bool checked)
{
    return changedPair(cell, a, b, [&](ContactPair& p) {
        p.checked = checked;
        p.reason = Reason::ByHand;
    });
}

Result<Cell> setPairCaution(const Cell& cell, const ContactMember& a, const ContactMember& b,
                            std::optional<double> caution)
{
    if (caution)
        if (Status bad = checkLimit(limits::kClearance, *caution, "edit.pair")) return *bad;
    return changedPair(cell, a, b, [&](ContactPair& p) { p.caution = caution; });
}

}  // namespace topikos
