#include "app/draw/ready_surface.h"

#include "app/background/background.h"

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

std::shared_ptr<const BodySurface> keep(const std::vector<Solid>& solids, std::shared_ptr<const BodySurface> surface)
{
    kept.push_front({solids, surface});
    if (kept.size() > kKept) kept.pop_back();
    return surface;
}

/// What is being made of a session, and what is to be done with it.
struct SurfaceMaker : QObject {
    explicit SurfaceMaker(Session& session) : QObject(&session), work(session, "The surface") {}
    std::vector<Solid> solids;
    std::function<void(const std::shared_ptr<const BodySurface>&)> use;
    Background work;
};

}  // namespace

void forgetUnusedSurfaces() { std::erase_if(kept, isUnused); }

std::shared_ptr<const BodySurface> readySurface(const std::vector<Solid>& solids)
{
    const auto same = std::find_if(kept.begin(), kept.end(), [&](const KeptSurface& k) { return k.solids == solids; });
    if (same != kept.end()) {
        std::rotate(kept.begin(), same, same + 1);
        return kept.front().surface;
    }
    return facesOf(solids) < kLarge ? keep(solids, std::make_shared<const BodySurface>(solids)) : nullptr;
}

void withSurface(Session& session, const std::vector<Solid>& solids, const QString& name,
                 std::function<void(const std::shared_ptr<const BodySurface>&)> use)
{
    if (const auto ready = readySurface(solids)) return use(ready);
    session.say(QString("The surface of %1 is being made ready; what you asked for goes on then.").arg(name));
    auto* maker = session.findChild<SurfaceMaker*>();
    if (!maker) maker = new SurfaceMaker(session);
    maker->use = std::move(use);
    if (maker->work.isWorking() && maker->solids == solids) return;
    maker->solids = solids;
    maker->work.start([solids](const Background::Task&) { return std::make_shared<const BodySurface>(solids); },
                      [maker](std::shared_ptr<const BodySurface> made) {
                          keep(maker->solids, made);
                          std::exchange(maker->solids, {});
                          std::exchange(maker->use, {})(made);
                      });
}

}  // namespace topikos
