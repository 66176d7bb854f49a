#include "app/draw/draw_bar.h"

#include "app/fields/number_field.h"
#include "app/theme/theme.h"
#include "core/spatial/limits.h"

#include <QGridLayout>
#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>

namespace topikos {

DrawBar::DrawBar(SurfaceDraw& draw, QWidget* parent) : QFrame(parent), m_draw(draw)
{
    setObjectName("drawBar");
    setAttribute(Qt::WA_StyledBackground);
    setCursor(Qt::ArrowCursor);
    auto* rows = new QVBoxLayout(this);
    rows->setContentsMargins(8, 6, 8, 6);
    rows->setSpacing(4);
    auto* first = new QHBoxLayout;
    auto* second = new QHBoxLayout;
    for (QHBoxLayout* row : {first, second}) {
        row->setSpacing(5);
        rows->addLayout(row);
    }
    const auto label = [this](QHBoxLayout* row, const char* words) {
        auto* l = new QLabel(words, this);
        l->setProperty("class", "faint");
        row->addWidget(l);
    };
    m_mode = new QButtonGroup(this);
    const std::pair<const char*, const char*> modes[] = {
        {"Points", "A point at each click"},
        {"Line", "Over the surface from click to click, or where the pointer is dragged"},
        {"Edge", "Along the sharp edge or rim next to the click"}};
    for (int i = 0; i < 3; ++i) {
        auto* b = new QPushButton(modes[i].first, this);
        b->setObjectName(QString("draw%1").arg(modes[i].first));
        b->setToolTip(modes[i].second);
        b->setCheckable(true);
        m_mode->addButton(b, i);
        first->addWidget(b);
    }
    connect(m_mode, &QButtonGroup::idClicked, this,
            [this](int i) { change([i](DrawSettings& s) { s.mode = DrawSettings::Mode(i); }); });
    const auto choice = [this](QHBoxLayout* row, const char* name, const QStringList& words, const char* tip) {
        auto* box = new QComboBox(this);
        box->setObjectName(name);
        box->setAccessibleName(tip);
        box->setToolTip(tip);
        box->addItems(words);
        row->addWidget(box);
        return box;
    };
    m_kind = choice(first, "drawKind", {"seam", "spots"}, "Gone along from point to point, or spots on their own");
    connect(m_kind, &QComboBox::activated, this,
            [this](int i) { change([i](DrawSettings& s) { s.stand.seam = i == 0; }); });
    m_rule = choice(first, "drawRule", {"every", "chord"},
                    "Points at a distance along the line, or as few as keep the line that near to the chords");
    connect(m_rule, &QComboBox::activated, this,
            [this](int i) { change([i](DrawSettings& s) { s.rule.kind = DrawRule::Kind(i); }); });
    const auto number = [this](QHBoxLayout* row, const char* name, const char* tip, Quantity quantity, double unit) {
        auto* f = new NumberField(this, quantity, unit);
        f->setObjectName(name);
        f->setAccessibleName(tip);
        f->setToolTip(tip);
        f->setFixedWidth(70);
        row->addWidget(f);
        return f;
    };
    m_amount = number(first, "drawAmount", "Distance of the points, or chord error", Quantity::Length, kMillimetre);
    first->addStretch();
    auto* keep = new QPushButton("Keep", this);
    keep->setObjectName("drawKeep");
    keep->setToolTip("Makes the group as it is shown (Enter in the view)");
    keep->setProperty("role", "primary");
    connect(keep, &QPushButton::clicked, this, [this] { m_draw.finish(); });
    first->addWidget(keep);
    auto* leave = new QPushButton("Leave", this);
    leave->setObjectName("drawLeave");
    leave->setToolTip("Ends drawing; nothing is made (Escape in the view)");
    connect(leave, &QPushButton::clicked, this, [this] { m_draw.cancel(); });
    first->addWidget(leave);

    label(second, "Lead");
    m_lead = number(second, "drawLead", "The tool leans by so much into the way", Quantity::Angle, kDegree);
    label(second, "Tilt");
    m_tilt = number(second, "drawTilt", "The tool leans by so much to the left of the way", Quantity::Angle, kDegree);
    label(second, "Off");
    m_offset =
        number(second, "drawOffset", "Distance of the tool point from the surface", Quantity::Length, kMillimetre);
    label(second, "Smooth");
    m_radius = number(second, "drawRadius", "Radius that normals are smoothed over; 0: as the surface is",
                      Quantity::Length, kMillimetre);
    label(second, "X");
    m_turns = choice(second, "drawTurns", {"along", "fixed", "free"},
                     "Where the tool's X axis points: along the way, as the body's, or where the arm reaches best");
    connect(m_turns, &QComboBox::activated, this,
            [this](int i) { change([i](DrawSettings& s) { s.stand.turns = Drawing::Turn(i); }); });
    second->addStretch();
    connect(&draw, &SurfaceDraw::changed, this, &DrawBar::refresh);
    refresh();
}

void DrawBar::change(const std::function<void(DrawSettings&)>& set)
{
    DrawSettings next = m_draw.settings();
    set(next);
    m_draw.set(next);
}

void DrawBar::refresh()
{
    setVisible(m_draw.active());
    const DrawSettings& now = m_draw.settings();
    m_mode->button(int(now.mode))->setChecked(true);
    m_kind->setCurrentIndex(now.stand.seam ? 0 : 1);
    m_rule->setCurrentIndex(int(now.rule.kind));
    m_turns->setCurrentIndex(int(now.stand.turns));
    const bool spacing = now.rule.kind == DrawRule::Kind::Spacing, byRule = now.mode != DrawSettings::Mode::Points;
    m_rule->setEnabled(byRule);
    m_amount->setEnabled(byRule);
    const auto show = [](NumberField* field, const Limit& limit, int digits, const char* unit, double value,
                         std::function<void(double)> then) {
        field->limit(limit.least / limit.inUnit, limit.most / limit.inUnit, digits, unit);
        field->show(value / limit.inUnit, std::move(then));
    };
    if (spacing)
        show(m_amount, limits::kSpacing, 2, " mm", now.rule.spacing,
             [this](double v) { change([v](DrawSettings& s) { s.rule.spacing = v * kMillimetre; }); });
    else
        show(m_amount, limits::kChord, 3, " mm", now.rule.chord,
             [this](double v) { change([v](DrawSettings& s) { s.rule.chord = v * kMillimetre; }); });
    show(m_lead, limits::kLean, 1, " °", now.stand.lead,
         [this](double v) { change([v](DrawSettings& s) { s.stand.lead = v * kDegree; }); });
    show(m_tilt, limits::kLean, 1, " °", now.stand.tilt,
         [this](double v) { change([v](DrawSettings& s) { s.stand.tilt = v * kDegree; }); });
    show(m_offset, limits::kSurfaceOffset, 2, " mm", now.stand.offset,
         [this](double v) { change([v](DrawSettings& s) { s.stand.offset = v * kMillimetre; }); });
    show(m_radius, limits::kSmoothing, 1, " mm", now.rule.radius,
         [this](double v) { change([v](DrawSettings& s) { s.rule.radius = v * kMillimetre; }); });
}

}  // namespace topikos
