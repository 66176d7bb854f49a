#pragma once
#include "app/session/session.h"
#include "core/check/free_ways.h"

namespace topikos {

// What can be done with selected targets.

/// Gives a target a pose that its freedom allows, in the way it is reached there, as one edit.
bool takeWithin(Session& session, TargetId id, const FreeWay& chosen);
/// The pose inside the freedom of a target that is reached with the most margin, as one edit.
void bestWithin(Session& session, TargetId id);

/// How the places of a pattern fare in the newest check.
struct PlacesVerdict {
    size_t places = 0, blocked = 0, cautions = 0;
    QString words;  ///< "2 of 24 fail: Rack 3 stops …", or that all are reached
};
PlacesVerdict placesVerdict(const Session& session, PatternId id);

/// Mirrors the selected targets across an axis (0 to 2) of their frame.
void mirrorSelected(Session& session, int axis);
/// Copies the selected targets to the frame that a person chooses from a list at the pointer.
void copySelectedTo(Session& session, QWidget* parent);
/// Shifts or turns the selected targets by a typed line: "x 12.5", "rz 3".
bool shiftSelected(Session& session, const QString& line);

/// How far the arm in hand stands from a target of its own, seen from the frame of that: "3.20 mm, 0.40° (X 3.20  Y
/// 0.00 Z 0.00)", of postures "joint 4 by 2.0°, the others by less"; "" where it stands at it.
QString awayFrom(const Session& session, const Target& target);

/// Whether every arm stands at home, and those that do not.
QStringList armsAwayFromHome(const Session& session);
/// Brings the arm in hand home, if the move there is free of contact and of anything that is blocked; else says why
/// not.
bool bringHome(Session& session);

}  // namespace topikos
