#pragma once
#include "app/session/session.h"
#include "app/view/trail.h"
#include "app/view/renderer.h"

#include <map>

namespace topikos {

/// A picture with the things in it, made anew from the session for every frame. Keeps meshes, which are costly, between
/// frames.
class Scene {
public:
    explicit Scene(const Session& session) : m_session(session) {}
    /// Forgets meshes on the graphics side (the context goes away).
    void releaseGpu();

    /// `moving`: large surfaces from files are drawn by their lighter copies.
    DrawList build(QOpenGLFunctions_3_3_Core& gl, bool moving);

    /// What is under a ray, nearest first: a part, a frame (by its fixture) or the tool.
    Selection pick(const Vec3& origin, const Vec3& direction) const;
    /// How many of the points the eye sees: nothing but `owner` itself stands in between.
    int seen(const Vec3& eye, const std::vector<Vec3>& points, const Selection& owner) const;
    /// A point of the cell that a ray passes near to, for measuring and for things to be put at.
    struct Snap {
        enum class Kind { Face, Edge, Corner, Circle, Frame };
        Kind kind;
        Vec3 place;
        Vec3 direction;  ///< of the face's normal, the edge or the circle's axis; zero where there is none
        std::string of;  ///< name of what it belongs to
    };
    /// The one a pixel means: origins of frames, corners and centres of circles within 10 pixels, then edges within 6,
    /// then the face under it. What belongs to `moving` is left out.
    std::optional<Snap> snapAt(QPointF pixel, const Camera& camera, QSizeF size, const Selection& moving) const;
    /// Corners of the boxes around everything that can be seen, in the world.
    std::vector<Vec3> corners() const;
    /// The same of one thing, with what hangs below a frame; its place alone if it has no body.
    std::vector<Vec3> corners(const Selection& thing) const;

    /// Where the finding of the selected step happens, in the world, and its words; nothing if the step has none.
    struct Callout {
        Vec3 place;
        Severity severity;
        FindingText text;
    };
    std::optional<Callout> callout() const;

    /// Path of a step's TCP in the world, from the newest check.
    struct Path {
        StepId step;
        StepKind kind;
        std::vector<Vec3> points;
        std::vector<Vec3> missing;  ///< the part of a blocked line that is not reached
    };
    const std::vector<Path>& paths() const;

    /// The trail of the arm in hand, in a run.
    void setTrail(const TrailOptions& options) { m_trailOptions = options; }
    const TrailOptions& trailOptions() const { return m_trailOptions; }
    /// nullptr outside a run, and when it is off.
    const Trail* trail() const;
    /// Bodies drawn in the colour of a finding about the selected step: "link 3", names of frames, parts and tools.
    QStringList blamedNames() const;

private:
    struct Shape {
        bool made = false;  ///< a body may be empty
        std::vector<Solid> solids;
        Mesh mesh;
        std::optional<Mesh> light;  ///< when it is worth having
        std::vector<Circle> circles;
        Eigen::AlignedBox3f box;                         ///< of the mesh
        mutable std::unique_ptr<GpuMesh> gpu, lightGpu;  ///< made when first drawn
    };
    /// A body that a finding about the selected step names: a joint past its range, or one of two that touch.
    struct Blamed {
        const Shape* shape;  ///< of links; null: by owner
        ArmId link{};
        Selection owner{};
        Severity severity = Severity::Blocked;
    };
    std::vector<Blamed> blamed() const;
    struct Placed {
        const Shape* shape;
        Pose world;
        Selection owner;
        ArmId link{};  ///< of links: whose
    };
    Shape& shapeOf(std::uint32_t key, const std::vector<Solid>& solids) const;
    /// What a shape has on the graphics side goes with the next picture.
    void putAway(Shape& shape) const;
    /// Shapes of what is no longer in the cell.
    void forgetLost() const;
    /// Of the links of a model, the base first.
    std::vector<Shape>& armShapes(const ArmPtr& arm) const;
    std::vector<Placed> placed(const CellState& state) const;
    std::vector<Placed> placedArm(const ArmStation& arm, const ArmState& state, const AxisValues& axes) const;
    /// Name of an owner of shapes.
    std::string nameOf(const Selection& owner) const;
    bool locked(const Selection& owner) const;
    void addSelected(DrawList& list, const CellState& state) const;
    void addRoute(DrawList& list) const;
    void addTargets(DrawList& list) const;
    void addApproaches(DrawList& list, const Target& target) const;
    /// Beams and curtains, which have no body; of the selected device also where it works.
    void addDevices(DrawList& list) const;
    void addExplanation(DrawList& list) const;
    void addJogAxis(DrawList& list) const;

    const Session& m_session;
    mutable std::map<std::uint32_t, Shape> m_shapes;
    mutable std::map<ArmPtr, std::vector<Shape>> m_armShapes;
    std::unique_ptr<GpuMesh> m_overlay;
    std::shared_ptr<const SpotOverlay> m_overlayFor;       ///< which it was made for
    mutable std::vector<std::unique_ptr<GpuMesh>> m_gone;  ///< to be taken away where the context is there

    TrailOptions m_trailOptions;
    mutable std::unique_ptr<Trail> m_trail;
    mutable TrailOptions m_trailMade;  ///< for which it is made
    mutable std::shared_ptr<const void> m_trailFor;
    mutable ArmId m_trailOf;
    mutable std::shared_ptr<const CheckedCell> m_pathsFor;
    mutable RoutineId m_pathsOf;
    mutable std::vector<Path> m_paths;
    /// The way of a planned move of an arm that stands.
    struct Way {
        Pose base, tcp;  ///< of the arm
        std::vector<Vec3> points, missing;
    };
    mutable std::map<MovePlanPtr, Way> m_ways;
    /// All that the lines of the route depend on.
    struct RouteKey {
        std::shared_ptr<const CheckedCell> checked;
        RoutineId routine;
        bool dark = false, contrast = false;
        bool operator==(const RouteKey&) const = default;
    };
    mutable RouteKey m_routeFor;
    mutable std::shared_ptr<const std::vector<DrawLine>> m_route;
    mutable std::map<StepId, std::vector<size_t>> m_pathsOfStep;
    mutable std::vector<size_t> m_cut;  ///< paths that are not gone to their ends
};

/// Three short lines along the axes of a pose.
void addTriad(std::vector<DrawLine>& lines, const Pose& world, double length, double width);

}  // namespace topikos
