#pragma once
#include "core/surface/body_surface.h"

#include <QWidget>

#include <memory>

namespace topikos {

/// The surface of a body, made ready or kept from before: those that were asked for last are. Large ones are made
/// beside the interface; nothing when that was given up.
std::shared_ptr<const BodySurface> readySurface(const std::vector<Solid>& solids, QWidget* parent = nullptr);
/// Lets those go whose meshes are in no cell any more.
void forgetUnusedSurfaces();

}  // namespace topikos
