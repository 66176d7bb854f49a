#pragma once
#include "core/shape/solid.h"

#include <QDialog>
#include <QObject>

#include <functional>
#include <optional>

class QComboBox;
class QLabel;

namespace topikos {

inline constexpr std::size_t kLightTriangles = 6000;

/// A surface as it came from a file, before its unit and upward axis are settled.
struct ReadSurface {
    Triangles triangles;               ///< in the file's own unit and axes
    std::optional<Triangles> light{};  ///< the same, reduced to kLightTriangles, when it is larger
    std::size_t turned = 0;            ///< faces whose side was put right
    double unit = 1e-3;                ///< guessed length of one unit [m]
    bool yUp = false;                  ///< guessed
    QString path;
};
/// Reads a surface file, turns faces outwards and makes its guesses. `keepOn` is asked in between; false gives up.
/// Slow: not for the interface thread.
Result<ReadSurface> readSurface(const QString& path, const std::function<bool()>& keepOn);

/// The surface and its lighter copy with unit and axes settled, as a shape.
Solid solidOf(const ReadSurface& read, double unit, bool yUp);

/// Shows what was read, with the dimensions that follow from unit and upward axis, to be confirmed.
class SurfaceDialog : public QDialog {
    Q_OBJECT
public:
    SurfaceDialog(const ReadSurface& read, QWidget* parent);
    double unit() const;
    bool yUp() const;

private:
    void showSize();
    const ReadSurface& m_read;
    QComboBox *m_unit, *m_up;
    QLabel* m_size;
};

/// Reads a file beside the interface and asks for unit and axis. Refusals go to `fail`; nothing comes back then, and
/// when the person gives up.
std::optional<Solid> importSurface(const QString& path, QWidget* parent,
                                   const std::function<void(const QString&)>& fail);

}  // namespace topikos
