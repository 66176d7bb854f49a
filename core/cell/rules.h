#pragma once
#include "core/cell/ids.h"
#include "core/robot/singularity.h"
#include "core/spatial/units.h"

namespace topikos {

/// When a finding is raised.
struct Thresholds {
    double jointMargin = 5 * kDegree;  ///< caution when a turning joint comes this near to its range end [rad]
    double slideMargin = 0.010;        ///< the same for a sliding joint [m]
    double wristCaution = 12 * kDegree, wristBlocked = 1.5 * kDegree;  ///< angle between axes 4 and 6 [rad]
    double elbowCaution = 0.060, elbowBlocked = 0.008;                 ///< [m]
    double shoulderCaution = 0.080, shoulderBlocked = 0.010;           ///< [m]
    double directionCaution = 0.03,
           directionBlocked = 0.003;  ///< other chains: smallest singular value, lengths by the reach

    double clearance = 0.002;  ///< caution when two bodies come nearer to each other than this [m]

    SingularityBounds cautions() const { return {wristCaution, elbowCaution, shoulderCaution, directionCaution}; }
    SingularityBounds blocks() const { return {wristBlocked, elbowBlocked, shoulderBlocked, directionBlocked}; }
    double margin(JointKind kind) const { return kind == JointKind::Revolute ? jointMargin : slideMargin; }
    bool operator==(const Thresholds&) const = default;
};

/// What lines do beside their own speed.
struct LineLimits {
    double acceleration = 2;       ///< TCP [m/s^2]
    double turnSpeed = 3;          ///< [rad/s]
    double turnAcceleration = 10;  ///< [rad/s^2]
    bool operator==(const LineLimits&) const = default;
};

/// A body that contact is asked of: a link of an arm (0 the base, i moves with joint i), its tool in force, or a frame
/// with its shapes.
struct ContactMember {
    enum class Kind { Link, Tool, Frame };
    Kind kind = Kind::Link;
    std::uint32_t id = 0;  ///< number of the link, or id of the frame; 0 for the tool
    ArmId arm{};           ///< of links and tools
    auto operator<=>(const ContactMember&) const = default;
};

/// Whether two bodies are checked for contact, and why.
struct ContactPair {
    enum class Reason { Sometimes, Adjacent, Always, Never, ByHand };
    ContactMember a, b;  ///< in the order of contactMembers()
    bool checked = true;
    Reason reason = Reason::Sometimes;
    std::uint32_t touched = 0;        ///< of the samples
    std::optional<double> caution{};  ///< clearance asked for, in place of the cell's [m]
    bool operator==(const ContactPair&) const = default;
};

struct ContactPairs {
    std::uint32_t samples = 0;  ///< 0: not sampled
    std::uint32_t seed = 0;
    std::vector<ContactPair> pairs;
    bool operator==(const ContactPairs&) const = default;
};

/// A caution or advice that somebody has looked at and lets stand. It holds as long as its subject reads as it did
/// then.
struct Accepted {
    std::string rule;         ///< "advice-unused", "joint-range", …
    std::uint32_t about = 0;  ///< id of the step, target, routine, signal or arm
    std::string reads;        ///< step text or name at that time, and of a caution what was measured
    std::string reason;
    bool operator==(const Accepted&) const = default;
};

}  // namespace topikos
