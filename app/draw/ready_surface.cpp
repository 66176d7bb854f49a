#include "app/draw/ready_surface.h"

#include "app/session/beside.h"

#include <QApplication>

#include <deque>

namespace topikos {

namespace {

constexpr size_t kKept = 4, kLarge = 50000;  // bodies; faces from which on it takes longer than a frame

struct KeptSurface {
    std::vector<Solid> solids;
    std::shared_ptr<const BodySurface> surface;
};
std::deque<KeptSurface> kept;  // the one that was asked for last first

size_t facesOf(const std::vector<Solid>& solids)
{
    size_t faces = 0;
    for (const Solid& solid : solids)
        if (solid.surface.drawn) faces += solid.surface.drawn->faces.size();
    return faces;
}

/// Whether a mesh is held by nothing but what is kept here.
bool isUnused(const KeptSurface& k)
{
    return std::any_of(k.solids.begin(), k.solids.end(), [](const Solid& solid) {
        return solid.surface.drawn
               && solid.surface.drawn.use_count() <= (solid.surface.drawn == solid.surface.light ? 2 : 1);
    });
}

}  // namespace

void forgetUnusedSurfaces() { std::erase_if(kept, isUnused); }

std::shared_ptr<const BodySurface> readySurface(const std::vector<Solid>& solids, QWidget* parent)
{
    const auto same = std::find_if(kept.begin(), kept.end(), [&](const KeptSurface& k) { return k.solids == solids; });
    if (same != kept.end()) {
        std::rotate(kept.begin(), same, same + 1);
        return kept.front().surface;
    }
    std::shared_ptr<const BodySurface> made;
    if (facesOf(solids) < kLarge) {
        made = std::make_shared<const BodySurface>(solids);
    } else {
        auto beside =
            doBeside(parent ? parent : QApplication::activeWindow(), "Making the surface ready",
                     [solids](const std::function<bool()>&) { return std::make_shared<const BodySurface>(solids); });
        if (!beside) return nullptr;
        made = *beside;
    }
    kept.push_front({solids, made});
    if (kept.size() > kKept) kept.pop_back();
    return made;
}

}  // namespace topikos
