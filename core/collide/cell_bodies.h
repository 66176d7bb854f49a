#pragma once
#include "core/collide/cache.h"
#include "core/collide/side.h"
#include "core/robot/forward.h"
#include "core/simulate/places.h"
#include "core/simulate/trace.h"

#include <memory>
#include <optional>
#include <set>

namespace topikos {

/// A body of a cell.
struct SceneBody {
    enum class Kind { Link, Tool, Jaw, Frame, Part };
    Kind kind = Kind::Frame;
    ArmId arm{};               ///< of links, tools and jaws
    std::uint32_t number = 0;  ///< of the link (0 the base), or of the jaw
    FrameId frame{};
    PartId part{};
    std::shared_ptr<const ContactBody> shape{};
    bool standIn = false;         ///< made from the kinematics of the arm
    std::uint64_t shapeNumber{};  ///< see KnownShape

    bool ofArm() const { return kind == Kind::Link || kind == Kind::Tool || kind == Kind::Jaw; }
    /// As table of pairs and file name it; jaws count with their tool, parts are none of them.
    std::optional<ContactMember> member() const;
};
/// Where a body of an arm is whose base is at `base`, with its jaws so far open [m].
Pose placeOnArm(const SceneBody& body, const Tool& tool, const Pose& base, const ChainFrames& chain, double opening);

/// What a finding says of a body; `part`: that it is, null for others.
ContactSide sideOf(const Cell& cell, const SceneBody& body, const Part* part);

/// What can move, in a run or in a question.
struct Movers {
    std::set<ArmId> arms;
    std::set<FrameId> axes;
    std::set<PartId> parts, carried;  ///< carried: by an arm, at some time
};
Movers moversOf(const Trace& trace);

/// All bodies of a cell: links, tools with their jaws, frames with shapes, parts; and which of them can move. Where
/// they are is asked elsewhere: of a run at a time (scene.h), or of a state (world.h). Keeps the cell by address.
class CellBodies {
public:
    /// `made`: parts beside those of the cell, which have to live as long as this.
    CellBodies(const Cell& cell, const Movers& movers, const std::vector<Part>& made, ContactCache& cache);

    const Cell& cell() const { return *m_cell; }
    const SceneBody& operator[](size_t body) const { return m_bodies[body]; }
    size_t size() const { return m_bodies.size(); }
    auto begin() const { return m_bodies.begin(); }
    auto end() const { return m_bodies.end(); }
    const Places& places() const { return m_places; }
    /// Whether it can move at all.
    bool moves(size_t body) const { return m_moves[body]; }
    bool isCarried(size_t body) const { return m_carried[body]; }  ///< a part, by an arm at some time
    /// Of a body that is a part.
    const Part& part(size_t body) const { return *m_parts[body]; }
    PartKindId kindOf(size_t body) const { return m_parts[body] ? m_parts[body]->kind : PartKindId(); }
    /// "Link 3", "Gripper jaws", "Drying rack", "Tile 2": the same words as everywhere.
    std::string name(size_t body) const;
    /// What a finding says of it.
    ContactSide side(size_t body) const;

private:
    const Cell* m_cell;
    Places m_places;
    std::vector<SceneBody> m_bodies;
    std::vector<bool> m_moves, m_carried;
    std::vector<const Part*> m_parts;  ///< of bodies that are parts
};

}  // namespace topikos
