#pragma once
#include "core/shape/mesh.h"

#include <memory>

namespace topikos {

/// A body as contact checks see it: closed pieces of triangles, each with a tree of boxes over it. Immutable; safe to
/// ask from several threads.
class ContactBody {
public:
    explicit ContactBody(const std::vector<Triangles>& pieces);
    /// One piece per solid; surfaces from files count by their lighter copy.
    static ContactBody of(const std::vector<Solid>& solids);
    ~ContactBody();
    ContactBody(ContactBody&&) noexcept;
    ContactBody& operator=(ContactBody&&) noexcept;

    bool empty() const;
    /// Whether two bodies share a point. A body wholly inside another one touches it, though their surfaces do not
    /// meet.
    bool touches(const Pose& worldFromThis, const ContactBody& other, const Pose& worldFromOther) const;

private:
    struct Piece;
    std::vector<Piece> m_pieces;
};

}  // namespace topikos
