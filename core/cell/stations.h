#pragma once
#include "core/cell/ids.h"
#include "core/robot/arm.h"

namespace topikos {

/// An arm of the cell, standing on a frame.
struct ArmStation {
    ArmId id;
    std::string name;
    ArmPtr model;
    FrameId mount;       ///< arm base = this frame
    ToolId tool;         ///< the tool in force
    TargetId home;       ///< a posture target; runs start here
    TcpId tcp{};         ///< the point of the tool in force
    RoutineId main{};    ///< the routine of the arm that runs
    double padding = 0;  ///< that bodies made from the data sheet get on all sides for contact [m]
    /// Models count as equal when their descriptions are.
    bool operator==(const ArmStation& other) const;
};

}  // namespace topikos
