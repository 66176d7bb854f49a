#pragma once
#include "core/check/finding.h"

#include <QColor>
#include <QFont>
#include <QIcon>
#include <QPainter>
#include <QString>

namespace topikos {

/// Colours by meaning. Light and dark, each also with high contrast; every meaning is in all of them.
struct Theme {
    bool dark = false, contrast = false;
    QColor paper, panel, raised, line, ink, faint, accent, accentText, accentSoft, caution, blocked, track, joint,
        other, process;
    QColor skyTop, skyBottom, ground, grid, edge;
    QColor axisX, axisY, axisZ;
};

const Theme& theme();
/// Chooses the set and restyles the running application.
void applyTheme(bool dark, bool contrast = false);

QFont textFont(int pixels = 13, QFont::Weight weight = QFont::Normal);
QFont figureFont(int pixels = 12);

/// Severity has a shape of its own: octagon blocked, triangle caution.
void drawSeverity(QPainter& painter, const QRectF& box, Severity severity);
QIcon severityIcon(Severity severity);

/// Icons drawn with one stroke weight: "joint", "line", "grip", "release", "wait", "rewind", "pause", "frame", "part",
/// "tool", "arm", "posture", "pose".
void drawGlyph(QPainter& painter, const QRectF& box, const QString& name, const QColor& color);
QIcon glyphIcon(const QString& name);

QString stepGlyph(StepKind kind);

/// Colour of a step's block on the strip and of its path in the view.
QColor stepColor(StepKind kind);

}  // namespace topikos
