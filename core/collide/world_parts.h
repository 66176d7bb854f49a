#pragma once
#include "core/collide/checked_pairs.h"
#include "core/collide/world.h"
#include "core/simulate/places.h"

#include <algorithm>

/// What a world is made of, for world.cpp and world_edge.cpp alone.
namespace topikos {

using Coordinate = std::uint32_t;  ///< its number

struct World::Body {
    enum class Where { Fixed, Link, Flange, Frame };
    SceneBody own;
    Where where = Where::Fixed;
    FrameId frame{};                  ///< that it goes with
    Pose local{};                     ///< in the flange, or in the frame; without one, in the world
    Pose fixed{};                     ///< in the world, of what no coordinate moves
    std::vector<bool> moved{};        ///< by which coordinates,
    std::vector<Coordinate> chain{};  ///< the outermost first
    bool ofArm = false;               ///< or carried by it
    double radius = 0;                ///< of its ball,
    Eigen::AlignedBox3d box{};        ///< and a box in its own frame that holds all of it
};

struct World::Pair {
    std::uint32_t a = 0, b = 0;
};

struct World::Parts {
    const Cell* cell;
    ArmId arm;
    const ArmStation* station;
    Places places;
    std::vector<FrameId> axes;
    AxisValues rest;  ///< where the other axes stand
    Coordinates start;
    std::vector<Body> bodies;
    std::vector<Pair> pairs;
    bool baseMoves = false;
    Pose base;  ///< of the arm, where that does not move

    double axisValue(const Frame& frame, const Coordinates& at) const
    {
        const auto own = std::find(axes.begin(), axes.end(), frame.id);
        if (own != axes.end()) return at[start.size() - Eigen::Index(axes.end() - own)];
        return topikos::axisValue(frame, rest);
    }
    Pose world(FrameId frame, const Coordinates& at) const
    {
        return places.world(frame, [&](const Frame& f) { return axisValue(f, at); });
    }
    Coordinate joints() const { return Coordinate(station->model->jointCount()); }
    /// Coordinates among the axes that move a frame, the outermost first.
    std::vector<Coordinate> axesOf(FrameId frame) const
    {
        std::vector<Coordinate> out;
        const std::vector<FrameId>& above = places.axesAbove(frame);
        for (auto id = above.rbegin(); id != above.rend(); ++id)
            if (const auto own = std::find(axes.begin(), axes.end(), *id); own != axes.end())
                out.push_back(Coordinate(joints() + (own - axes.begin())));
        return out;
    }
    /// Places that follow from the cell and no coordinate changes.
    void settle()
    {
        station = findArm(*cell, arm);
        baseMoves = !axesOf(station->mount).empty();
        base = world(station->mount, start);
        for (Body& body : bodies)
            if (body.where == Body::Where::Fixed) body.fixed = world(body.frame, start) * body.local;
    }
};

struct World::Placed {
    ChainFrames chain;
    Pose base;
    std::vector<Pose> poses;    ///< by body
    std::vector<Vec3> centres;  ///< of their balls
    struct Line {
        Vec3 origin, direction;
        bool slides;
    };
    std::vector<Line> lines;  ///< by coordinate
};

}  // namespace topikos
