#pragma once
#include "app/session/session.h"
#include "core/surface/body_surface.h"

#include <functional>
#include <memory>

namespace topikos {

/// The surface of a body, if it is ready: those that were asked for last are kept, small ones are made at once.
std::shared_ptr<const BodySurface> readySurface(const std::vector<Solid>& solids);
/// Does something with the surface of a body called `name`: at once when it is ready. Else that is said, the surface is
/// made beside the interface, and what was asked for last goes on when it is there.
void withSurface(Session& session, const std::vector<Solid>& solids, const QString& name,
                 std::function<void(const std::shared_ptr<const BodySurface>&)> use);
/// Lets those go whose meshes are in no cell any more.
void forgetUnusedSurfaces();

}  // namespace topikos
