#pragma once
#include "core/robot/arm.h"

#include <QImage>

namespace topikos {

/// A small picture of an arm at home, made from its bodies without OpenGL.
QImage armPicture(const Arm& arm, QSize pixels);

}  // namespace topikos
