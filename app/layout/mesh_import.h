#pragma once
#include "app/session/session.h"
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

/// Where a surface goes: a kind of new thing, or a thing that is there and gets one shape more.
struct NewPart {};
struct NewFixture {};
struct ArmLink {
    ArmId arm;
    int link = 0;  ///< 0: the base
};
using SurfaceGoal = std::variant<NewPart, NewFixture, PartId, FrameId, ToolId, ArmLink>;

/// Shows what was read, with the dimensions that follow from unit and upward axis, and asks where it goes: first what
/// is selected, then new things, tools and the links of the arm in hand.
class SurfaceDialog : public QDialog {
    Q_OBJECT
public:
    SurfaceDialog(const ReadSurface& read, const Session& session, QWidget* parent);
    double unit() const;
    bool yUp() const;
    SurfaceGoal goal() const;

private:
    void showSize();
    const ReadSurface& m_read;
    std::vector<SurfaceGoal> m_goals;
    QComboBox *m_unit, *m_up, *m_goal;
    QLabel* m_size;
};

/// Reads a file beside the interface, asks for unit, axis and where it goes, and puts it there. Refusals are told.
void bringSurface(Session& session, const QString& path, QWidget* parent);

}  // namespace topikos
