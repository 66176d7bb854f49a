#pragma once
#include "core/contact/nearest.h"

#include <memory>
#include <optional>

namespace topikos {

/// A body as contact checks see it: convex pieces that count as they are, and closed surfaces of triangles, each with a
/// tree of boxes over it. Immutable; safe to ask from several threads.
class ContactBody {
public:
    ContactBody(std::vector<Convex> pieces, const std::vector<PlacedSurface>& surfaces);
    /// Surfaces from files count by their lighter copy.
    static ContactBody of(const std::vector<Solid>& solids);
    ~ContactBody();
    ContactBody(ContactBody&&) noexcept;
    ContactBody& operator=(ContactBody&&) noexcept;

    bool empty() const { return m_pieces.empty(); }
    /// A ball that holds all of it, in its own frame.
    const Ball& ball() const { return m_ball; }
    /// A box along the world's axes that holds all of it.
    Eigen::AlignedBox3d box(const Pose& worldFromThis) const;
    /// Whether two bodies share a point. A body wholly inside another one touches it, though their surfaces do not
    /// meet.
    bool touches(const Pose& worldFromThis, const ContactBody& other, const Pose& worldFromOther) const;
    /// Distance to another body, with points in the world. Above `upTo` it is a lower bound only.
    Nearest nearest(const Pose& worldFromThis, const ContactBody& other, const Pose& worldFromOther,
                    double upTo = INFINITY) const;

    /// The same when it is less than `upTo`, or 0; nothing when it is more. For questions that need no bound: pieces
    /// are held against each other's boxes first.
    std::optional<Nearest> within(const Pose& worldFromThis, const ContactBody& other, const Pose& worldFromOther,
                                  double upTo) const;

    /// How deep two bodies are in each other: the shortest way that parts the two pieces that are deepest. Of pieces
    /// only; of surfaces, which may be hollow, nothing is said: 0. [m]
    double depth(const Pose& worldFromThis, const ContactBody& other, const Pose& worldFromOther) const;

private:
    struct Surface;
    /// Trees are made once for a surface, and kept as long as somebody has the surface.
    static std::shared_ptr<const Surface> treeOver(const std::shared_ptr<const Triangles>& triangles);
    struct Piece {
        Convex convex;  ///< of a surface only its pose
        std::shared_ptr<const Surface> surface;
        Ball ball;
        Eigen::AlignedBox3d box;  ///< in the frame of the body
    };
    static Eigen::AlignedBox3d boxAround(const Piece& piece, const Pose& fromBody);
    /// In the frame of a's body.
    static Nearest nearest(const Piece& a, const Piece& b, const Pose& aFromB, double upTo);
    /// Surfaces, in the frame of a's triangles.
    static Nearest ofSurfaces(const Surface& a, const Surface& b, const Pose& aFromB, double upTo);
    static Nearest ofSurface(const Surface& a, const Convex& b, const Pose& aFromB, double upTo);

    std::vector<Piece> m_pieces;
    Ball m_ball;
};

}  // namespace topikos
