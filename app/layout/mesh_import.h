#pragma once
#include "core/shape/solid.h"

#include <QDialog>
#include <QObject>

#include <functional>
#include <optional>

class QComboBox;
class QLabel;

namespace topikos {

/// A surface as it came from a file, before its unit and upward axis are settled.
struct ReadSurface {
    Triangles triangles;          ///< in the file's own unit and axes
    std::size_t turned = 0;       ///< faces whose side was put right
    double unit = 1e-3;           ///< guessed length of one unit [m]
    bool yUp = false;             ///< guessed
    QString path;
};
/// Reads a surface file and makes its guesses. `keepOn` is asked in between; false gives up. Slow: not for the interface thread.
Result<ReadSurface> readSurface(const QString& path, const std::function<bool()>& keepOn);

/// The surface with its unit and axes settled, and a lighter copy if it is large: as a shape.
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

/// Reads a file beside the interface, with a progress window that can cancel, asks for unit and axis, and hands over the shape. Refusals go to `fail`.
void importSurface(const QString& path, QWidget* parent, std::function<void(const Solid&, const QString& name)> done, std::function<void(const QString&)> fail);

}  // namespace topikos
