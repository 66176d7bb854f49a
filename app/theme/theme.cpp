#include "app/theme/theme.h"

#include <QApplication>
#include <QFile>
#include <QPainterPath>
#include <QPalette>
#include <QPixmapCache>
#include <QStyleFactory>
#include <QSvgRenderer>
#include <QWidget>

#include <cmath>
#include <map>

namespace topikos {

namespace {

Theme lightTheme()
{
    Theme t;
    t.paper = "#f5f1e8", t.panel = "#fbf8f2", t.raised = "#ffffff", t.line = "#dcd5c6", t.ink = "#22303a",
    t.faint = "#5f6a70";
    t.accent = "#0b6b64", t.accentText = "#ffffff", t.accentSoft = "#dbeae6", t.caution = "#b8770f",
    t.blocked = "#c33a1c", t.track = "#d3dad6", t.joint = "#415a75", t.other = "#5c6870", t.process = "#7a3d74";
    t.skyTop = "#e4e9ea", t.skyBottom = "#f4f2ee", t.ground = "#e5e2da", t.grid = "#c9c4b8", t.edge = "#39444a";
    t.axisX = "#cf2f2f", t.axisY = "#2e8b3d", t.axisZ = "#2b5fc4";
    return t;
}

Theme darkTheme()
{
    Theme t;
    t.dark = true;
    t.paper = "#20262a", t.panel = "#262d32", t.raised = "#2f373d", t.line = "#3d474e", t.ink = "#e8e6df",
    t.faint = "#9aa6ab";
    t.accent = "#45b6a7", t.accentText = "#10201e", t.accentSoft = "#29423f", t.caution = "#e0a13a",
    t.blocked = "#f58468", t.track = "#465157", t.joint = "#7f9cbd", t.other = "#8b979d", t.process = "#cf97c9";
    t.skyTop = "#2a3338", t.skyBottom = "#20262a", t.ground = "#2b3236", t.grid = "#434d53", t.edge = "#0f1315";
    t.axisX = "#ee6a63", t.axisY = "#63c274", t.axisZ = "#6f9df0";
    return t;
}

/// Ink and lines as dark, or as light, as they can be; colours that keep 7:1 to the ground.
Theme withContrast(Theme t)
{
    t.contrast = true;
    if (t.dark) {
        t.paper = "#000000", t.panel = "#000000", t.raised = "#101010", t.line = "#b8b8b8", t.ink = "#ffffff",
        t.faint = "#d6d6d6";
        t.accent = "#5fe3d0", t.accentText = "#000000", t.accentSoft = "#0e4a44", t.caution = "#ffc14d",
        t.blocked = "#ff8f73", t.track = "#5c5c5c", t.joint = "#a9c8ec", t.other = "#c4ccd0", t.process = "#efc0ea";
        t.skyTop = "#000000", t.skyBottom = "#000000", t.ground = "#0c0c0c", t.grid = "#5a5a5a", t.edge = "#000000";
    } else {
        t.paper = "#ffffff", t.panel = "#ffffff", t.raised = "#ffffff", t.line = "#5a5a5a", t.ink = "#000000",
        t.faint = "#333333";
        t.accent = "#00524c", t.accentSoft = "#b9e3dd", t.caution = "#7a4a00", t.blocked = "#a31700",
        t.track = "#b4bcb8", t.joint = "#233c57", t.other = "#333f47", t.process = "#561f50";
        t.skyTop = "#ffffff", t.skyBottom = "#ffffff", t.ground = "#f2f2f2", t.grid = "#9a9a9a", t.edge = "#000000";
        t.axisX = "#b00000", t.axisY = "#00661a", t.axisZ = "#0033a8";
    }
    return t;
}

Theme g_theme = lightTheme();

QString styleSheet(const Theme& t)
{
    QString s = R"(
* { outline: none; }
QMainWindow, QDialog, QMessageBox { background: %paper; }
QWidget { color: %ink; font-family: "Inter", "DejaVu Sans", sans-serif; font-size: 13px; }
QToolTip { background: %raised; color: %ink; border: 1px solid %line; padding: 4px; }
QMenuBar { background: %paper; border-bottom: 1px solid %line; }
QMenuBar::item { padding: 4px 9px; background: transparent; }
QMenuBar::item:selected { background: %accentSoft; border-radius: 4px; }
QMenu { background: %raised; border: 1px solid %line; padding: 4px; }
QMenu::item { padding: 5px 24px 5px 12px; border-radius: 4px; }
QMenu::item:selected { background: %accentSoft; }
QMenu::item:disabled { color: %faint; }
QMenu::separator { height: 1px; background: %line; margin: 4px 8px; }
#head { background: %panel; border-bottom: 1px solid %line; }
#cellName { font-size: 14px; }
#saveState, .faint { color: %faint; }
#noticeBar, #guide { background: %accentSoft; border-bottom: 1px solid %line; }
#chip { background: %raised; border: 1px solid %line; border-radius: 5px; padding: 4px 9px; }
QPushButton, QToolButton { background: %raised; border: 1px solid %line; border-radius: 5px; padding: 4px 9px; }
QPushButton:hover, QToolButton:hover { border-color: %accent; }
QPushButton:focus, QToolButton:focus { border-color: %accent; }
QPushButton:pressed, QToolButton:pressed { background: %accentSoft; }
QPushButton:disabled, QToolButton:disabled, QLineEdit:disabled, QAbstractSpinBox:disabled, QComboBox:disabled { color: %faint; }
QPushButton:checked, QToolButton:checked { background: %accent; color: %accentText; border-color: %accent; }
QPushButton::menu-indicator { image: url(:/glyphs/down.svg); width: 11px; height: 11px; subcontrol-origin: padding; subcontrol-position: right center; right: 4px; }
QPushButton[role="fold"] { text-align: left; border: 1px solid transparent; background: transparent; padding: 2px 0px; font-size: 11px; font-weight: 600; }
QPushButton[role="fold"]:focus { border-color: %accent; }
#runButton, #newCellMake { background: %accent; color: %accentText; border-color: %accent; font-weight: 600; }
#manualPage { background: %raised; border: 1px solid %line; border-radius: 5px; color: %ink; }
#runButton:disabled { background: %paper; color: %faint; border-color: %line; }
QLineEdit, QDoubleSpinBox, QComboBox { background: %raised; border: 1px solid %line; border-radius: 4px; padding: 2px 5px; selection-background-color: %accent; selection-color: %accentText; }
QLineEdit:focus, QDoubleSpinBox:focus, QComboBox:focus { border-color: %accent; }
QLineEdit[bad="true"], QDoubleSpinBox[bad="true"] { border-color: %blocked; }
QDoubleSpinBox { padding: 2px 3px; }
QLineEdit[role="title"] { background: transparent; border-color: transparent; font-weight: 600; padding: 1px 3px; }
QLineEdit[role="title"]:hover { border-color: %line; }
QLineEdit[role="title"]:focus { border-color: %accent; background: %raised; }
QDoubleSpinBox, .figure { font-family: "JetBrains Mono", "DejaVu Sans Mono", monospace; font-size: 12px; }
QComboBox::drop-down { border: none; width: 18px; }
QComboBox::down-arrow { image: url(:/glyphs/down.svg); width: 12px; height: 12px; }
QComboBox QAbstractItemView { background: %raised; border: 1px solid %line; selection-background-color: %accentSoft; selection-color: %ink; }
QTabBar { background: %panel; qproperty-drawBase: 0; }
QTabBar::tab { background: transparent; color: %faint; padding: 7px 13px 6px 13px; border: none; border-bottom: 2px solid transparent; }
QTabBar::tab:selected { color: %ink; font-weight: 600; border-bottom: 2px solid %accent; }
QTabBar::tab:hover { color: %ink; }
QTabWidget::pane { border: none; border-top: 1px solid %line; background: %panel; }
QTabWidget { background: %panel; }
QTreeWidget, QListView, QTreeView, QListWidget, QTableView, QTableWidget { background: %panel; border: 1px solid transparent; selection-background-color: %accentSoft; selection-color: %ink; }
QPlainTextEdit { background: %panel; border: 1px solid %line; border-radius: 4px; font-family: "JetBrains Mono", "DejaVu Sans Mono"; font-size: 12px; selection-background-color: %accentSoft; selection-color: %ink; }
QPlainTextEdit:focus { border: 1px solid %accent; }
QTreeWidget:focus, QListView:focus, QListWidget:focus, QTableView:focus, QScrollArea:focus { border: 1px solid %accent; }
QTabBar::tab:focus { color: %accent; text-decoration: underline; }
QCheckBox:focus { color: %accent; }
QLabel:focus { border: 1px solid %accent; border-radius: 3px; }
.bad { color: %blocked; }
QTreeWidget::item, QListWidget::item { padding: 3px 2px; }
QTreeWidget::item:selected, QListWidget::item:selected { background: %accentSoft; color: %ink; }
QTreeWidget::item:hover, QListWidget::item:hover { background: %paper; }
QSplitter::handle { background: %line; }
QSplitter::handle:horizontal { width: 1px; }
QSplitter::handle:vertical { height: 1px; }
QScrollArea, #instruments, #instrumentsInner, #propertiesInner, #properties, #manual, #newCell, #leftPanel, #bottomPanel, #face, #runTime { background: %panel; border: none; }
QScrollBar:vertical { background: transparent; width: 9px; margin: 0; }
QScrollBar::handle:vertical { background: %line; border-radius: 4px; min-height: 24px; }
QScrollBar:horizontal { background: transparent; height: 9px; margin: 0; }
QScrollBar::handle:horizontal { background: %line; border-radius: 4px; min-width: 24px; }
QScrollBar::add-line, QScrollBar::sub-line { width: 0; height: 0; }
#commandPopup { background: %raised; border: 1px solid %line; min-width: 330px; }
#commandPopup::item { padding: 5px 9px; }
#commandPopup::item:selected { background: %accentSoft; color: %ink; }
#viewRim { background: %paper; }
#viewRim[lit="true"] { background: %accent; }
#readingStrip, #viewNote, #drawBar, #messageLog { background: %raised; border: 1px solid %line; border-radius: 6px; }
#readingStrip QComboBox { border: 1px solid transparent; background: transparent; font-weight: 600; padding: 1px 2px; }
#readingStrip QComboBox:hover { border-color: %line; }
#readingStrip QLineEdit { border: 1px solid transparent; background: transparent; padding: 1px 1px; font-family: "JetBrains Mono", "DejaVu Sans Mono", monospace; font-size: 12px; }
#readingStrip QLineEdit:hover { border-color: %line; }
#readingStrip QLineEdit:focus { border-color: %accent; background: %panel; }
#viewNote[alert="true"], #messageLog[alert="true"] { border-color: %blocked; }
QCheckBox::indicator { width: 14px; height: 14px; border: 1px solid %line; border-radius: 3px; background: %raised; }
QCheckBox::indicator:checked { background: %accent; border-color: %accent; }
)";
    const std::pair<const char*, QColor> names[] = {
        {"%accentSoft", t.accentSoft}, {"%accentText", t.accentText}, {"%accent", t.accent}, {"%paper", t.paper},
        {"%panel", t.panel},           {"%raised", t.raised},         {"%line", t.line},     {"%ink", t.ink},
        {"%faint", t.faint},           {"%blocked", t.blocked}};
    for (const auto& [name, color] : names)
        s.replace(name, color.name());
    // What has the keys is framed twice as wide.
    if (t.contrast)
        for (const char* field : {"QPushButton", "QToolButton", "QLineEdit", "QDoubleSpinBox", "QComboBox",
                                  "QTreeWidget", "QListView", "QTableView"})
            s += QString("%1:focus { border: 2px solid %2; }\n").arg(field, t.accent.name());
    return s;
}

}  // namespace

const Theme& theme() { return g_theme; }

void applyTheme(bool dark, bool contrast)
{
    g_theme = dark ? darkTheme() : lightTheme();
    if (contrast) g_theme = withContrast(g_theme);
    const Theme& t = g_theme;
    QApplication::setStyle(QStyleFactory::create("Fusion"));
    QPalette p;
    p.setColor(QPalette::Window, t.paper);
    p.setColor(QPalette::WindowText, t.ink);
    p.setColor(QPalette::Base, t.raised);
    p.setColor(QPalette::AlternateBase, t.panel);
    p.setColor(QPalette::Text, t.ink);
    p.setColor(QPalette::Button, t.raised);
    p.setColor(QPalette::ButtonText, t.ink);
    p.setColor(QPalette::Highlight, t.accent);
    p.setColor(QPalette::HighlightedText, t.accentText);
    p.setColor(QPalette::ToolTipBase, t.raised);
    p.setColor(QPalette::ToolTipText, t.ink);
    p.setColor(QPalette::PlaceholderText, t.faint);
    p.setColor(QPalette::Link, t.accent);
    QApplication::setPalette(p);
    QApplication::setFont(textFont());
    qApp->setStyleSheet(styleSheet(t));
    for (QWidget* w : QApplication::allWidgets())
        w->update();
}

QFont textFont(int pixels, QFont::Weight weight)
{
    QFont font;
    font.setFamilies({"Inter", "DejaVu Sans"});
    font.setPixelSize(pixels);
    font.setWeight(weight);
    return font;
}

QFont figureFont(int pixels)
{
    QFont font;
    font.setFamilies({"JetBrains Mono", "DejaVu Sans Mono"});
    font.setPixelSize(pixels);
    return font;
}

void drawSeverity(QPainter& painter, const QRectF& box, Severity severity)
{
    painter.save();
    painter.setRenderHint(QPainter::Antialiasing);
    painter.setPen(Qt::NoPen);
    QPolygonF shape;
    if (severity == Severity::Blocked) {
        painter.setBrush(theme().blocked);
        for (int i = 0; i < 8; ++i) {
            const double a = (i + 0.5) * 0.7853981633974483;
            shape << box.center() + QPointF(std::cos(a) * box.width() / 2, std::sin(a) * box.height() / 2);
        }
    } else {
        if (severity == Severity::Advice) {
            painter.setBrush(theme().accent);
            painter.drawEllipse(box.adjusted(2, 2, -2, -2));
            painter.restore();
            return;
        }
        painter.setBrush(theme().caution);
        shape << QPointF(box.center().x(), box.top()) << box.bottomRight() << box.bottomLeft();
    }
    painter.drawPolygon(shape);
    painter.restore();
}

namespace {

/// Kept for the theme that is shown: drawing an icon takes longer than a row of a list may.
template <class Draw> QIcon drawnIcon(const QString& name, Draw draw)
{
    const QString key = QString("icon %1 %2 %3").arg(name).arg(g_theme.dark).arg(g_theme.contrast);
    QPixmap pixmap;
    if (QPixmapCache::find(key, &pixmap)) return QIcon(pixmap);
    pixmap = QPixmap(32, 32);
    pixmap.setDevicePixelRatio(2);
    pixmap.fill(Qt::transparent);
    QPainter painter(&pixmap);
    draw(painter);
    painter.end();
    QPixmapCache::insert(key, pixmap);
    return QIcon(pixmap);
}

}  // namespace

QIcon severityIcon(Severity severity)
{
    return drawnIcon(QString("severity %1").arg(int(severity)), [severity](QPainter& p) {
        drawSeverity(p, {2, 2, 12, 12}, severity);
    });
}

void drawGlyph(QPainter& painter, const QRectF& box, const QString& name, const QColor& color)
{
    // One file per glyph with the stroke colour left open.
    static std::map<QString, QByteArray> sources;
    auto it = sources.find(name);
    if (it == sources.end()) {
        QFile file(":/glyphs/" + name + ".svg");
        const bool opened = file.open(QIODevice::ReadOnly);
        it = sources.emplace(name, opened ? file.readAll() : QByteArray()).first;
    }
    QByteArray svg = it->second;
    svg.replace("currentColor", color.name().toUtf8());
    QSvgRenderer renderer(svg);
    renderer.render(&painter, box);
}

QIcon glyphIcon(const QString& name)
{
    return drawnIcon(name, [&name](QPainter& p) { drawGlyph(p, {0, 0, 16, 16}, name, theme().ink); });
}

QString stepGlyph(StepKind kind) { return QString("step/%1").arg(traitsOf(kind).file); }

QColor stepColor(StepKind kind)
{
    switch (kind) {
    case StepKind::Joint:
    case StepKind::PlayTable: return theme().joint;
    case StepKind::Line:
    case StepKind::Arc: return theme().accent;
    case StepKind::Follow:
    case StepKind::SwitchProcess: return theme().process;
    case StepKind::Halt: return theme().blocked;
    default: return theme().other;
    }
}

}  // namespace topikos
