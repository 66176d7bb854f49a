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
    std::vector<bool> moved{};        ///< by which coordinates,
    std::vector<Coordinate> chain{};  ///< the outermost first
    bool ofArm = false;               ///< or carried by it
    double radius = 0;                ///< of its ball,
    Eigen::AlignedBox3d box{};        ///< and a box in its own frame that holds all of it
};

struct World::Pair {
    std::uint32_t a = 0, b = 0;
    double radii = 0;  ///< of both balls [m]
};

struct World::Parts {
    const Cell* cell;
    ArmId arm;
    const ArmStation* station;
    Places places;
    std::vector<Part> made;  ///< parts beside those of the cell
    std::vector<FrameId> axes;
    AxisValues rest;  ///< where the other axes stand
    Coordinates start;
    std::vector<Body> bodies;
    std::vector<Pair> pairs;
    bool baseMoves = false;
    Pose base;                          ///< of the arm, where that does not move
    std::vector<Pose> poses;            ///< of what no coordinate moves, by body,
    std::vector<Vec3> centres;          ///< and centres of its balls
    std::vector<std::uint32_t> moving;  ///< the other bodies
    std::uint64_t number = 0;           ///< no other world has it

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
        number = freshNumber();
        poses.assign(bodies.size(), Pose{});
        centres.assign(bodies.size(), Vec3::Zero());
        moving.clear();
        for (std::uint32_t i = 0; i < bodies.size(); ++i) {
            const Body& body = bodies[i];
            if (!body.own.shape) continue;
            if (body.where != Body::Where::Fixed) {
                moving.push_back(i);
                continue;
            }
            poses[i] = world(body.frame, start) * body.local;
            centres[i] = poses[i] * body.own.shape->ball().centre;
        }
    }
};

struct World::Placed {
    ChainFrames chain;
    Pose base;
    std::uint64_t world = 0;    ///< that what does not move is of
    std::vector<Pose> poses;    ///< by body
    std::vector<Vec3> centres;  ///< of their balls
    struct Line {
        Vec3 origin, direction;
        bool slides;
    };
    std::vector<Line> lines;  ///< by coordinate
};

}  // namespace topikos
