#pragma once
#include "app/properties/page.h"

namespace topikos {

/// A page of something that has shapes, a mass or a look.
class ShapedPage : public Page {
protected:
    using Page::Page;

    /// The shapes of something, one of them in full, with buttons to add and remove.
    void addSolids(const std::vector<Solid>& solids,
                   std::function<void(const std::vector<Solid>&, const QString& label)> apply,
                   const QString& prefix = "shape");
    void addMass(double mass, const std::vector<Solid>& solids, std::function<void(const Inertial&)> apply);
    /// Mass and shapes that all parts of a kind have.
    void addKind(const PartKind& kind, const QString& prefix = "shape");
    void addLook(const Look& look);
    /// Another thing is shown: its first shape is the one in full.
    void startAtFirstShape() { m_shapes.clear(); }

private:
    std::map<QString, size_t> m_shapes;  ///< of the shapes shown, the one in full; by prefix
    double m_density = 2700;             ///< typed last [kg/m^3]
};

}  // namespace topikos
