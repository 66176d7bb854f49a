#pragma once

namespace topikos {

/// Asks for OpenGL 3.3 core with a depth buffer and no waiting for the screen. Call before the application object is
/// made.
void chooseOpenGl();

}  // namespace topikos
