#pragma once
#include "app/session/session.h"

namespace topikos {

// What can be done with selected targets.

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

/// What is different between a target and where the arm stands: "3.2 mm, 0.4° from where it was".
QString differenceText(const Pose& before, const Pose& after);

/// Whether every arm stands at home, and those that do not.
QStringList armsAwayFromHome(const Session& session);
/// Brings the arm in hand home, if the move there is free of contact and of anything that is blocked; else says why
/// not.
bool bringHome(Session& session);

}  // namespace topikos
