#pragma once
#include "app/session/session.h"
#include "core/surface/draw.h"

#include <QObject>

#include <memory>
#include <optional>

namespace topikos {

/// How what is drawn comes to points, and how the tool stands at them.
struct DrawSettings {
    enum class Mode {
        Points,  ///< a point at each click
        Line,    ///< over the surface from click to click, or where the pointer is dragged
        Edge     ///< along the sharp edge or rim that was clicked
    };
    Mode mode = Mode::Line;
    DrawRule rule{};
    Drawing stand{};  ///< without points: seam or spots, lead, tilt, turn, offset
};

/// The surface of a body of the cell, and where it stands.
struct DrawnBody {
    Selection of{};  ///< a frame or a part
    std::shared_ptr<const BodySurface> surface{};
    Pose world;  ///< worldFromBody
    QString name{};
};

/// Drawing process targets on a body: what is clicked becomes a group, which is shown as it would be until it is
/// finished; then it is one edit. Another group goes on being drawn by adding to it.
class SurfaceDraw : public QObject {
    Q_OBJECT
public:
    explicit SurfaceDraw(Session& session, QObject* parent = nullptr);

    bool active() const { return m_active; }
    /// Begins, on whatever body is clicked first.
    void begin();
    void cancel();
    /// Keeps what was drawn. False when there is nothing to keep, or when it is refused, which is said.
    bool finish();
    /// Takes the last click back.
    void takeBack();

    /// A click, by its ray in the world, on what it hits.
    void click(const Selection& hit, const Vec3& origin, const Vec3& direction);
    /// The pointer is dragged over the body: the line goes where it goes.
    void drag(const Vec3& origin, const Vec3& direction);
    void endDrag() { m_dragging = false; }

    const DrawSettings& settings() const { return m_settings; }
    void set(const DrawSettings& settings);
    /// What is drawn so far, and what to do next.
    QString words() const;
    size_t pointCount() const { return m_drawing.points.size(); }

    /// Does something with the body of a frame or part, once its surface is ready. False when it has none.
    static bool withBody(Session& session, const Selection& thing, std::function<void(DrawnBody)> use);

Q_SIGNALS:
    void changed();

private:
    void work();
    void clickOn(const Selection& hit, const Vec3& origin, const Vec3& direction);
    Result<Cell> withGroup(const Cell& cell, PatternId* created) const;

    Session& m_session;
    bool m_active = false, m_dragging = false;
    DrawSettings m_settings;
    std::optional<DrawnBody> m_body;
    std::vector<SurfaceSpot> m_spots;
    std::vector<size_t> m_clicks;  ///< spots that there were before each click or drag
    Drawing m_drawing;             ///< as it would be
    QString m_problem;
};

/// The group whose points can be dragged: the selected drawn group, or that of the selected target.
const Pattern* drawnGroup(const Session& session);

// What can be done with a drawn group.
void respaceGroup(Session& session, PatternId id, const DrawRule& rule);
void smoothGroup(Session& session, PatternId id, double radius);
void mirrorGroup(Session& session, PatternId id, int axis);
void reverseGroup(Session& session, PatternId id);
/// Chooses the free turns of all its points, beside the interface: long groups take a while, and can be given up.
void chooseTurns(Session& session, PatternId id, QWidget* parent);
/// A step at the end of the routine that follows it.
void addFollow(Session& session, PatternId id);
/// Shows it on every part of the kind that it is drawn on, or on this one only.
void drawOnKind(Session& session, PatternId id, bool every);
/// One point of a group: a new one half way to the next, or none any more.
void insertPoint(Session& session, TargetId behind);
void takePointOut(Session& session, TargetId id);

}  // namespace topikos
