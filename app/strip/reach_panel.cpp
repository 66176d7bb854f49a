#include "app/strip/reach_panel.h"

#include "app/session/export.h"
#include "app/session/text.h"
#include "app/theme/theme.h"
#include "core/cell/teach.h"
#include "core/report/reach_csv.h"
#include "core/spatial/limits.h"

#include <QGridLayout>
#include <QHBoxLayout>
#include <QPainter>
#include <QVBoxLayout>

#include <algorithm>
#include <cmath>

namespace topikos {

namespace {

enum Over { OverPlane, OverBox, OverBodies };
enum ToolTurn { Down, AsItStands, FirstTarget };
/// What a reach map is coloured by.
enum class ReachColour { Margin, Ways, Singularity };

const QString kNoReach = "Make the map: the better a spot, the darker.";

double valueOf(const ReachSpot& spot, ReachColour colour)
{
    switch (colour) {
    case ReachColour::Margin: return spot.margin;
    case ReachColour::Ways: return spot.ways;
    case ReachColour::Singularity: break;
    }
    return spot.cautions;
}

/// On a scale that ends at `full`.
double shareOf(const ReachSpot& spot, ReachColour colour, double full)
{
    return full > 0 ? std::clamp(valueOf(spot, colour) / full, 0.0, 1.0) : 0;
}

/// One layer from above; nothing of a map over bodies.
SpotMap::Grid layerOf(const ReachMap& map, int layer, ReachColour colour, double full)
{
    SpotMap::Grid grid;
    const auto [columns, rows, layers] = map.counts;
    if (columns == 0) return grid;
    grid.columns = columns;
    grid.rows = rows;
    grid.aspect = double(columns) / rows;
    grid.edges = true;
    for (int i = 0; i < rows * columns; ++i) {
        const ReachSpot& spot = map.spots[size_t(layer * rows * columns + i)];
        grid.spots.push_back(
            {spot.reached() ? SpotMap::Kind::Works : SpotMap::Kind::OutOfReach, shareOf(spot, colour, full)});
    }
    return grid;
}

/// A square for each spot that is reached, across the tool's axis.
std::shared_ptr<const Mesh> meshOf(const ReachMap& map, ReachColour colour, double full, double size)
{
    auto mesh = std::make_shared<Mesh>();
    const auto half = float(0.42 * size);
    for (const ReachSpot& spot : map.spots) {
        if (!spot.reached()) continue;
        const QColor c = rampColour(shareOf(spot, colour, full));
        const Mat3 turn = spot.frameFromTcp.matrix();
        const Eigen::Vector3f x = turn.col(0).cast<float>() * half, y = turn.col(1).cast<float>() * half,
                              normal = -turn.col(2).cast<float>();
        // A little off the face that it lies on.
        const Eigen::Vector3f at = spot.frameFromTcp.translation.cast<float>() + 0.001f * normal;
        const auto first = std::uint32_t(mesh->vertices.size());
        for (const auto& [a, b] : {std::pair{-1, -1}, {1, -1}, {1, 1}, {-1, 1}})
            mesh->vertices.push_back({at + float(a) * x + float(b) * y, normal,
                                      Color{std::uint8_t(c.red()), std::uint8_t(c.green()), std::uint8_t(c.blue())}});
        // Seen from both sides.
        for (const std::uint32_t i : {0, 1, 2, 0, 2, 3, 0, 2, 1, 0, 3, 2})
            mesh->triangles.push_back(first + i);
    }
    return mesh;
}

}  // namespace

ReachPanel::ReachPanel(Session& session, QWidget* parent) :
    QWidget(parent), m_session(session), m_work(session, "The reach map")
{
    setObjectName("face");
    setAttribute(Qt::WA_StyledBackground);
    auto* row = new QHBoxLayout(this);
    row->setContentsMargins(8, 4, 8, 4);
    row->setSpacing(8);
    row->addLayout(buildChoices());
    m_picture = new SpotMap("reachPicture", "Reach map from above", kNoReach, this);
    row->addWidget(m_picture, 2);
    auto* right = new QVBoxLayout;
    right->setSpacing(3);
    m_words = new QLabel(this);
    m_words->setObjectName("reachWords");
    m_words->setWordWrap(true);
    m_words->setAlignment(Qt::AlignTop);
    m_words->setMinimumWidth(180);
    m_words->setText("Choose plane, box or bodies, then make the map: every spot is judged as a typed pose is.");
    right->addWidget(m_words, 1);
    m_legend = new QLabel(this);
    m_legend->setObjectName("reachLegend");
    m_legend->setProperty("class", "faint");
    m_legend->setWordWrap(true);
    right->addWidget(m_legend);
    m_save = new QPushButton("Save…", this);
    m_save->setObjectName("reachSave");
    m_save->setToolTip("The spots as a table (.csv), or the picture (.png)");
    m_save->setEnabled(false);
    right->addWidget(m_save, 0, Qt::AlignLeft);
    row->addLayout(right, 1);
    follow(session);
}

QLayout* ReachPanel::buildChoices()
{
    auto* side = new QGridLayout;
    side->setVerticalSpacing(3);
    const auto combo = [this](const char* name, const char* accessible, const QStringList& items) {
        auto* box = new QComboBox(this);
        box->setObjectName(name);
        box->setAccessibleName(accessible);
        box->addItems(items);
        return box;
    };
    const auto number = [this](const QString& name, const QString& accessible, double low, double high) {
        auto* spin = new NumberField(this, Quantity::Length, kMillimetre);
        spin->setObjectName(name);
        spin->setAccessibleName(accessible);
        spin->setRange(low, high);
        spin->setDecimals(0);
        spin->setSuffix(" mm");
        spin->setMinimumWidth(78);
        return spin;
    };
    m_over = combo("reachOver", "What the map lies over", {"Plane", "Box", "Bodies of"});
    m_frame = combo("reachFrame", "Frame", {});
    m_frame->setToolTip("The frame from which the plane or box is seen, or whose bodies are looked at");
    side->addWidget(m_over, 0, 0);
    side->addWidget(m_frame, 0, 1, 1, 2);
    for (int axis = 0; axis < 3; ++axis) {
        side->addWidget(new QLabel(QString(QChar("XYZ"[axis])), this), 1 + axis, 0);
        for (int end = 0; end < 2; ++end) {
            auto* spin = number(QString("reachBox%1").arg(2 * axis + end),
                                QString("%1 %2").arg(QChar("XYZ"[axis])).arg(end == 0 ? "from" : "to"), -50000, 50000);
            m_box[size_t(2 * axis + end)] = spin;
            side->addWidget(spin, 1 + axis, 1 + end);
        }
    }
    m_spacing = number("reachSpacing", "Spacing of the spots", 1, 2000);
    m_spacing->setValue(50);
    m_spacing->setToolTip("Distance from spot to spot");
    m_spacing->setPrefix("every ");
    side->addWidget(m_spacing, 1, 3);
    m_free = new QCheckBox("free turn", this);
    m_free->setObjectName("reachFree");
    m_free->setToolTip("The tool may turn about its own axis: the best turn counts");
    m_step = new NumberField(this, Quantity::Angle, kDegree);
    m_step->setObjectName("reachTurnStep");
    m_step->setAccessibleName("Step between free turns");
    m_step->setToolTip("Turns are tried at this distance from each other");
    m_step->setRange(degrees(limits::kFreeTurnStep.least), degrees(limits::kFreeTurnStep.most));
    m_step->setDecimals(0);
    m_step->setPrefix("by ");
    m_step->setSuffix("°");
    m_step->setValue(degrees(kTurnStep));
    m_cone = new NumberField(this, Quantity::Angle, kDegree);
    m_cone->setObjectName("reachCone");
    m_cone->setAccessibleName("How far the tool may lean");
    m_cone->setToolTip("The tool's axis may lean by up to so much, and turns about it are free: the best counts");
    m_cone->setRange(0, 90);
    m_cone->setDecimals(0);
    m_cone->setPrefix("lean ");
    m_cone->setSuffix("°");
    const auto enable = [this] {
        m_free->setEnabled(m_cone->value() == 0);
        m_step->setEnabled(m_cone->value() > 0 || m_free->isChecked());
    };
    connect(m_cone, &NumberField::valueChanged, this, enable);
    connect(m_free, &QCheckBox::toggled, this, enable);
    enable();
    auto* freeRow = new QHBoxLayout;
    freeRow->setSpacing(4);
    freeRow->addWidget(m_free);
    freeRow->addWidget(m_step);
    freeRow->addWidget(m_cone, 1);
    side->addLayout(freeRow, 2, 3);
    m_tool = combo("reachTool", "How the tool is held", {});
    side->addWidget(m_tool, 4, 0, 1, 2);
    m_layer = new NumberField(this);
    m_layer->setDecimals(0);
    m_layer->setObjectName("reachLayer");
    m_layer->setAccessibleName("Layer of the box");
    m_layer->setPrefix("layer ");
    m_layer->setMinimum(1);
    m_layer->setToolTip("The layer of the box that is shown here, from below");
    side->addWidget(m_layer, 3, 3);
    m_colour = combo("reachColour", "What the colour tells", {"margin", "number of ways", "distance to singularity"});
    side->addWidget(m_colour, 4, 2, 1, 2);
    m_make = new QPushButton("Make the map", this);
    m_make->setObjectName("reachMake");
    m_make->setToolTip("Coarse first, then finer; it follows edits and choices. Again gives it up.");
    side->addWidget(m_make, 0, 3);
    side->setRowStretch(5, 1);
    return side;
}

void ReachPanel::follow(Session& session)
{
    connect(m_make, &QPushButton::clicked, this, [this] {
        if (!working()) return start();
        giveUp(m_fresh ? "Given up; the map is as far as it got." : "Given up.");
    });
    connect(m_save, &QPushButton::clicked, this, &ReachPanel::save);
    connect(m_colour, &QComboBox::currentIndexChanged, this, &ReachPanel::showMap);
    connect(m_layer, &NumberField::valueChanged, this, &ReachPanel::showMap);
    connect(m_over, &QComboBox::currentIndexChanged, this, &ReachPanel::fill);
    // A map that is there follows what is chosen.
    const auto again = [this] {
        if (m_wanted && isVisible()) start();
    };
    for (QComboBox* box : {m_over, m_frame, m_tool})
        connect(box, &QComboBox::currentIndexChanged, this, again);
    for (NumberField* spin : m_box)
        connect(spin, &NumberField::valueChanged, this, again);
    connect(m_spacing, &NumberField::valueChanged, this, again);
    connect(m_free, &QCheckBox::toggled, this, again);
    for (NumberField* spin : {m_cone, m_step})
        connect(spin, &NumberField::valueChanged, this, again);
    connect(m_picture, &SpotMap::pointed, this, [this](int spot) { point(inMap(spot)); });
    connect(m_picture, &SpotMap::taken, this, [this](int spot) { take(inMap(spot)); });
    connect(&session, &Session::overlayPointed, this, &ReachPanel::point);
    connect(&session, &Session::overlayTaken, this, &ReachPanel::take);
    connect(&session, &Session::opened, this, [this] {
        m_fresh = false;
        giveUp("Another cell is open; make its map.");
    });
    connect(&session, &Session::cellChanged, this, [this] {
        if (!isVisible()) return;
        fill();
        if (m_wanted && m_session.history().current() != m_cell) start();
    });
    connect(&m_work, &Background::ended, this, &ReachPanel::stop);
}

void ReachPanel::fill()
{
    const Cell& cell = m_session.cell();
    const FrameId chosen = m_frame->currentIndex() >= 0 && size_t(m_frame->currentIndex()) < m_frames.size()
                               ? m_frames[size_t(m_frame->currentIndex())]
                               : FrameId();
    const bool surface = m_over->currentIndex() == OverBodies, plane = m_over->currentIndex() == OverPlane;
    {
        const QSignalBlocker block(m_frame);
        m_frame->clear();
        m_frames.clear();
        if (!surface) {
            m_frames.push_back({});
            m_frame->addItem("World");
        }
        for (const Frame& frame : cell.frames) {
            if (surface && frame.solids.empty()) continue;
            m_frames.push_back(frame.id);
            m_frame->addItem(text(frame.name));
            if (frame.id == chosen) m_frame->setCurrentIndex(m_frame->count() - 1);
        }
    }
    const int tool = std::max(0, m_tool->currentIndex());
    const QSignalBlocker quiet(m_tool);
    m_tool->clear();
    m_targets.clear();
    m_tool->addItems(surface ? QStringList{"tool into the face"} : QStringList{"tool down", "tool as it stands"});
    if (!surface)
        for (const Target& target : cell.targets) {
            if (target.kind != Target::Kind::Pose || target.arm != m_session.station().id) continue;
            m_targets.push_back(target.id);
            m_tool->addItem("as at " + text(target.name));
        }
    m_tool->setCurrentIndex(std::min(tool, m_tool->count() - 1));
    for (size_t i = 0; i < m_box.size(); ++i)
        m_box[i]->setEnabled(!surface && !(plane && i == 5));
    m_make->setEnabled(!m_frames.empty());
    m_layer->setVisible(m_over->currentIndex() == OverBox);
    // A plane about the arm, to begin with.
    if (m_wanted || m_map || m_box[0]->value() != m_box[1]->value()) return;
    const Vec3 base = m_session.shownBase().translation;
    const double reach = 1.1 * m_session.arm().reach();
    for (int axis = 0; axis < 2; ++axis) {
        m_box[size_t(2 * axis)]->setValue(std::round(millimetres(base[axis] - reach) / 50) * 50);
        m_box[size_t(2 * axis + 1)]->setValue(std::round(millimetres(base[axis] + reach) / 50) * 50);
    }
    m_box[4]->setValue(std::round(millimetres(m_session.shownTcp().translation.z()) / 10) * 10);
    m_box[5]->setValue(m_box[4]->value() + 400);
}

ReachQuery ReachPanel::query() const
{
    ReachQuery query;
    const Cell& cell = m_session.cell();
    query.arm = m_session.station().id;
    query.frame = m_frames[size_t(std::max(0, m_frame->currentIndex()))];
    query.axes = m_session.shownAxes();
    query.spacing = m_spacing->value() * kMillimetre;
    if (m_free->isChecked()) query.freedom.kind = Freedom::Kind::Turn;
    if (m_cone->value() > 0) query.freedom = {Freedom::Kind::Cone, m_cone->value() * kDegree, 0, 0};
    query.turnStep = m_step->value() * kDegree;
    if (m_over->currentIndex() == OverBodies) {
        query.over = ReachQuery::Over::Surface;
        return query;
    }
    for (int axis = 0; axis < 3; ++axis) {
        query.lowest[axis] = m_box[size_t(2 * axis)]->value() * kMillimetre;
        query.highest[axis] = m_box[size_t(2 * axis + 1)]->value() * kMillimetre;
    }
    if (m_over->currentIndex() == OverPlane) query.highest.z() = query.lowest.z();
    const Quat world = worldFromFrame(cell, query.frame, query.axes).rotation;
    const int tool = m_tool->currentIndex();
    if (tool == Down) query.frameFromTcp = world.conjugate() * Quat(0, 1, 0, 0);
    else if (tool == AsItStands) query.frameFromTcp = world.conjugate() * m_session.shownTcp().rotation;
    else if (size_t(tool - FirstTarget) < m_targets.size()) {
        const Target& target = *findTarget(cell, m_targets[size_t(tool - FirstTarget)]);
        query.frameFromTcp =
            world.conjugate() * (worldFromFrame(cell, target.frame, query.axes) * target.pose).rotation;
    }
    return query;
}

void ReachPanel::start()
{
    stop();
    if (m_frames.empty()) return;
    m_cell = m_session.history().current();
    m_asked = query();
    m_fresh = false;
    if (const Status bad = checkReachQuery(*m_cell, m_asked)) return giveUp(text(bad->line()));
    m_wanted = true;
    m_make->setText("Give up");
    m_words->setText("Judging spots …");
    m_work.start(
        [this, asked = m_asked, cell = m_cell](const Background::Task& task) mutable {
            asked.stop = task.stop;
            return reachMap(*cell, asked, [&](const ReachMap& part) {
                task.tell([this, own = std::make_shared<const ReachMap>(part)] { took(own); });
            });
        },
        [this](Result<ReachMap> map) {
            m_make->setText("Make the map");
            if (map) took(std::make_shared<const ReachMap>(std::move(*map)));
            else m_session.say(text(map.error().line()), true);
        });
}

/// A map, or what there is of it so far.
void ReachPanel::took(std::shared_ptr<const ReachMap> map)
{
    m_map = std::move(map);
    m_fresh = true;
    showMap();
}

void ReachPanel::stop()
{
    m_work.giveUp();
    m_make->setText("Make the map");
}

/// What is shown after that is of the choices as they are, or nothing.
void ReachPanel::giveUp(const QString& words)
{
    stop();
    m_wanted = false;
    if (!m_fresh) {
        m_map.reset();
        m_picture->showNothing(kNoReach);
        m_legend->clear();
        m_save->setEnabled(false);
        m_session.setOverlay(nullptr);
    }
    m_words->setText(words);
}

double ReachPanel::full() const
{
    double most = 0;
    for (const ReachSpot& spot : m_map->spots)
        if (spot.reached()) most = std::max(most, valueOf(spot, ReachColour(m_colour->currentIndex())));
    return most;
}

void ReachPanel::showMap()
{
    if (!m_map) return;
    const auto colour = ReachColour(m_colour->currentIndex());
    m_layer->setMaximum(std::max(1, m_map->counts[2]));
    const double most = full();
    if (m_map->counts[0] == 0) m_picture->showNothing("The map lies on the bodies: see the view.");
    else m_picture->show(layerOf(*m_map, int(m_layer->value()) - 1, colour, most));
    m_save->setEnabled(m_map->complete);
    static const char* const names[] = {"margin", "ways", "distance to the nearest singularity over its caution"};
    const QString darkest = colour == ReachColour::Margin ? QString("%1 %").arg(100 * most, 0, 'f', 0)
                            : colour == ReachColour::Ways ? QString::number(most, 'f', 0)
                                                          : QString("%1 times").arg(most, 0, 'f', 1);
    m_legend->setText(QString("light to dark: %1, darkest %2 · %3")
                          .arg(names[int(colour)], darkest,
                               m_map->counts[0] > 0 ? "hatched: not reached · line: edge of reach"
                                                    : "bare: not reached · line: edge of reach"));
    tellWhole();
    SpotOverlay overlay;
    overlay.mesh = meshOf(*m_map, colour, most, m_asked.spacing);
    overlay.frame = m_asked.frame;
    for (const ReachSpot& spot : m_map->spots)
        overlay.points.push_back(spot.frameFromTcp.translation);
    if (m_map->complete) overlay.edges = reachEdge(*m_map, m_asked);
    m_session.setOverlay(isVisible() ? std::make_shared<const SpotOverlay>(std::move(overlay)) : nullptr);
}

int ReachPanel::inMap(int spot) const
{
    const int layer = int(m_layer->value()) - 1;
    return spot < 0 || !m_map ? -1 : layer * m_map->counts[0] * m_map->counts[1] + spot;
}

void ReachPanel::tellWhole()
{
    if (m_map->complete)
        m_words->setText(QString("%1 of %2 spots reached. Point at one to hear why; a double click makes a target.")
                             .arg(m_map->reached())
                             .arg(m_map->spots.size()));
}

QString ReachPanel::wordsOf(const ReachSpot& spot) const
{
    const QString where = offsetText(translated(spot.frameFromTcp.translation), m_session.cell().angles) + ": ";
    const Arm& arm = *findArm(*m_cell, m_asked.arm)->model;
    if (!spot.reached()) {
        // The same words as for a typed pose.
        const ArmStation& station = *findArm(*m_cell, m_asked.arm);
        const Pose pose = inverse(worldFromBase(*m_cell, station, m_asked.axes))
                          * worldFromFrame(*m_cell, m_asked.frame, m_asked.axes) * spot.frameFromTcp
                          * inverse(flangeFromTcp(*m_cell, station));
        return where + solutionsText(arm, inverseKinematics(arm, pose));
    }
    const bool angle = spot.kind == SingularityKind::Wrist;
    const QString distance = spot.kind == SingularityKind::Direction ? QString::number(spot.distance, 'f', 3)
                             : angle                                 ? degreeText(spot.distance)
                                                                     : lengthText(spot.distance, 0);
    return where
           + QString("%1 %2, margin %3 %, %4 from the %5 singularity.")
                 .arg(spot.ways)
                 .arg(spot.ways == 1 ? "way" : "ways")
                 .arg(100 * spot.margin, 0, 'f', 0)
                 .arg(distance, singularityName(spot.kind));
}

void ReachPanel::point(int spot)
{
    if (!m_map || !isVisible()) return;
    if (spot < 0 || spot >= int(m_map->spots.size())) {
        m_session.setGhost(std::nullopt);
        return tellWhole();
    }
    const ReachSpot& own = m_map->spots[size_t(spot)];
    m_words->setText(wordsOf(own));
    m_session.setGhost(own.reached() ? std::optional(own.best) : std::nullopt, m_asked.axes);
}

void ReachPanel::take(int spot)
{
    if (!m_map || spot < 0 || spot >= int(m_map->spots.size())) return;
    const ReachSpot own = m_map->spots[size_t(spot)];
    if (m_session.history().current() != m_cell)
        return m_session.say("The cell has changed since; the map is being made anew.", true);
    if (!own.reached()) return m_session.say("No target there: " + wordsOf(own), true);
    m_session.setGhost(std::nullopt);
    TargetId made;
    const std::string name = freeTargetName(m_session.cell(), "Spot");
    m_session.edit("Take " + text(name), [&](const Cell& cell) {
        return takePoseTarget(cell, m_asked.arm, m_asked.frame, own.best, name, &made, m_asked.axes);
    });
    if (made) m_session.select(made);
}

void ReachPanel::save()
{
    if (!m_map || !m_map->complete) return;
    const QString path = askForOutput(this, "Save the reach map", "reach.csv", {"Tables (*.csv)", "Pictures (*.png)"});
    if (path.isEmpty()) return;
    if (path.endsWith(".png")) {
        QImage picture(1200, 900, QImage::Format_RGB32);
        picture.fill(theme().paper);
        QPainter painter(&picture);
        painter.setPen(theme().ink);
        painter.setFont(textFont(16));
        painter.drawText(QRectF(20, 860, 1160, 30), Qt::AlignVCenter, m_legend->text());
        if (!m_picture->empty()) m_picture->paint(painter, QRectF(20, 20, 1160, 830));
        painter.end();
        writeExport(m_session, path, "The picture is", [&]() -> Status {
            if (picture.save(path)) return std::nullopt;
            return Error{"file.write", "cannot be written", path.toStdString(), "Choose another place."};
        });
        return;
    }
    writeExport(m_session, path, "The reach map is", [&] { return saveReachCsv(path.toStdString(), *m_map); });
}

void ReachPanel::showEvent(QShowEvent* event)
{
    QWidget::showEvent(event);
    fill();
    if (m_map && m_session.history().current() == m_cell) showMap();
    else if (m_wanted) start();
}

void ReachPanel::hideEvent(QHideEvent* event)
{
    QWidget::hideEvent(event);
    stop();
    m_session.setGhost(std::nullopt);
    m_session.setOverlay(nullptr);
}

}  // namespace topikos
