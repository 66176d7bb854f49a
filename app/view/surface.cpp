#include "app/view/surface.h"

#include <QSurfaceFormat>

namespace topikos {

void chooseOpenGl()
{
    QSurfaceFormat format;
    format.setVersion(3, 3);
    format.setProfile(QSurfaceFormat::CoreProfile);
    format.setDepthBufferSize(24);
    format.setSwapInterval(0);
    QSurfaceFormat::setDefaultFormat(format);
}

}  // namespace topikos
