#pragma once
#include "app/session/session.h"

class QWidget;
namespace topikos {
struct TargetsRead;
}

/// Targets as a table: out of the cell and into it. Paths that are empty are asked for.
namespace topikos {

/// What became of targets that were read, with the columns that were not.
QString takenText(const TargetsRead& read);
void saveTargets(Session& session, QWidget* parent, QString path = {});
/// One edit. Rows that are wrong are named, and whether the others are taken is asked.
void bringInTargets(Session& session, QWidget* parent, QString path = {});

}  // namespace topikos
