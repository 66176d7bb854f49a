#include "app/strip/place_panel.h"

#include "app/session/text.h"
#include "app/theme/theme.h"

#include <QHBoxLayout>
#include <QVBoxLayout>

#include <algorithm>
#include <cmath>

namespace topikos {

namespace {

QString offsetWords(const PlaceOffset& o)
{
    QStringList words;
    for (int i = 0; i < 3; ++i)
        if (o[size_t(i)] != 0) words << QString("%1 %2").arg(QChar("XYZ"[i])).arg(placeFigure(o[size_t(i)], 2));
    QString out = words.isEmpty() ? QString() : words.join("  ") + " " + lengthUnit().symbol;
    if (o[3] != 0) out += (out.isEmpty() ? "" : "  ") + degreeText(o[3]);
    return out.isEmpty() ? "where it stands" : out;
}

const QString kNoPlaces = "The map of the plane comes with the search: the better a place, the darker.";

/// The map of a search over a box, with where it stands now and the best places.
SpotMap::Grid gridOf(const PlaceSearch& search, const PlaceOffset& lowest, const PlaceOffset& highest)
{
    SpotMap::Grid grid;
    grid.columns = search.columns;
    grid.rows = search.rows;
    const auto length = [&](size_t axis) { return highest[axis] - lowest[axis]; };
    grid.aspect = search.columns == 1 || search.rows == 1 ? 0 : std::max(1e-6, length(0)) / std::max(1e-6, length(1));
    double best = 1e-9;
    for (const TriedPlace& place : search.map)
        best = std::max(best, place.margin);
    for (const TriedPlace& place : search.map)
        grid.spots.push_back({place.works()         ? SpotMap::Kind::Works
                              : place.unreached > 0 ? SpotMap::Kind::OutOfReach
                                                    : SpotMap::Kind::Touches,
                              place.margin / best});
    const auto mark = [&](const PlaceOffset& o, SpotMap::Mark::Shape shape) {
        const auto share = [&](size_t axis) {
            return length(axis) > 0 ? (o[axis] - lowest[axis]) / length(axis) : 0.5;
        };
        grid.marks.push_back({{share(0), share(1)}, shape});
    };
    mark({}, SpotMap::Mark::Shape::Cross);
    for (size_t i = 0; i < search.best.size(); ++i)
        mark(search.best[i].offset, i == 0 ? SpotMap::Mark::Shape::FullRing : SpotMap::Mark::Shape::Ring);
    grid.legend = QString("dark: margin %1 % · hatched: out of reach · crossed: touches · + now · ○ best")
                      .arg(100 * best, 0, 'f', 0);
    return grid;
}

QString wordsAt(const TriedPlace& place)
{
    const QString where = offsetWords(place.offset);
    if (place.works())
        return QString("%1: margin %2 % at the targets, moves not counted")
            .arg(where)
            .arg(100 * place.margin, 0, 'f', 0);
    if (place.unreached == 0) return QString("%1: %2").arg(where, text(place.reason));
    return QString("%1: %2 out of reach. %3").arg(where).arg(place.unreached).arg(text(place.reason));
}

}  // namespace

PlacePanel::PlacePanel(Session& session, QWidget* parent) :
    QWidget(parent), m_session(session), m_search(session, "The search for places")
{
    setObjectName("face");
    setAttribute(Qt::WA_StyledBackground);
    auto* row = new QHBoxLayout(this);
    row->setContentsMargins(8, 4, 8, 4);
    row->setSpacing(8);
    auto* side = new QGridLayout;
    side->setVerticalSpacing(3);
    m_choice = new QComboBox(this);
    m_choice->setObjectName("placeFrame");
    m_choice->setAccessibleName("What is to stand elsewhere");
    m_choice->setToolTip("The frame that moves, with all that stands on it");
    side->addWidget(new QLabel("Move", this), 0, 0);
    side->addWidget(m_choice, 0, 1, 1, 3);
    static const char* const names[] = {"X ±", "Y ±", "Z ±", "Turn ±"};
    static const double usual[] = {300, 300, 0, 0};
    for (int i = 0; i < kPlaceAxes; ++i) {
        auto* spin = new NumberField(this, i < 3 ? Quantity::Length : Quantity::Angle, i < 3 ? kMillimetre : kDegree);
        spin->setObjectName(QString("placeReach%1").arg(i));
        spin->setAccessibleName(names[i]);
        spin->setRange(0, i < 3 ? 5000 : 180);
        spin->setDecimals(0);
        spin->setSuffix(i < 3 ? " mm" : "°");
        spin->setValue(usual[i]);
        spin->setToolTip("How far to look to both sides; 0 keeps it");
        m_reach[size_t(i)] = spin;
        side->addWidget(new QLabel(names[i], this), 1 + i / 2, 2 * (i % 2));
        side->addWidget(spin, 1 + i / 2, 2 * (i % 2) + 1);
    }
    m_goal = new QComboBox(this);
    m_goal->setObjectName("placeGoal");
    m_goal->setAccessibleName("What counts");
    m_goal->addItems({"worst-case margin", "shortest cycle"});
    side->addWidget(m_goal, 3, 0, 1, 2);
    m_seed = new NumberField(this);
    m_seed->setDecimals(0);
    m_seed->setObjectName("placeSeed");
    m_seed->setAccessibleName("Seed");
    m_seed->setRange(0, 999999);
    m_seed->setValue(1);
    m_seed->setToolTip("The same seed gives the same answer");
    side->addWidget(new QLabel("Seed", this), 3, 2);
    side->addWidget(m_seed, 3, 3);
    m_find = new QPushButton("Find", this);
    m_find->setObjectName("placeFind");
    m_find->setToolTip("Try places, in the background; again gives it up");
    connect(m_find, &QPushButton::clicked, this, &PlacePanel::startOrCancel);
    side->addWidget(m_find, 4, 0, 1, 2);
    m_progress = new QProgressBar(this);
    m_progress->setObjectName("placeProgress");
    m_progress->setRange(0, 100);
    m_progress->setTextVisible(false);
    m_progress->setVisible(false);
    side->addWidget(m_progress, 4, 2, 1, 2);
    side->setRowStretch(5, 1);
    row->addLayout(side);
    m_map = new SpotMap("placeMap", "Map of places", kNoPlaces, this);
    row->addWidget(m_map, 2);
    auto* right = new QVBoxLayout;
    right->setSpacing(3);
    m_list = new OfferList("placeList", "Best places: Enter applies one", this);
    right->addWidget(m_list, 1);
    m_words = new QLabel(this);
    m_words->setObjectName("placeWords");
    m_words->setProperty("class", "faint");
    m_words->setWordWrap(true);
    auto* foot = new QHBoxLayout;
    foot->addWidget(m_words, 1);
    m_apply = new QPushButton("Put it there", this);
    m_apply->setObjectName("placeApply");
    m_apply->setToolTip("The frame stands at the chosen place as drawn; one step of undo");
    m_apply->setEnabled(false);
    connect(m_apply, &QPushButton::clicked, this, &PlacePanel::apply);
    foot->addWidget(m_apply);
    right->addLayout(foot);
    row->addLayout(right, 2);
    connect(m_map, &SpotMap::pointed, this, [this](int spot) {
        if (!m_found) return m_words->clear();
        m_words->setText(spot >= 0
                             ? wordsAt(m_found->map[size_t(spot)])
                             : QString("%1 places tried. Now: %2").arg(m_found->tried).arg(wordsOf(m_found->now)));
    });
    connect(&m_search, &Background::ended, this, &PlacePanel::rest);
    connect(m_list, &OfferList::pointed, this, &PlacePanel::point);
    connect(m_list, &OfferList::taken, this, &PlacePanel::apply);
    connect(m_list, &QListWidget::currentRowChanged, this, [this](int r) { m_apply->setEnabled(r >= 0); });
    connect(&session, &Session::cellChanged, this, [this] {
        if (isVisible()) fillFrames();
        // Another arm in hand is no other cell.
        if (!m_cell || m_session.history().current() == m_cell) return;
        stop();
        m_cell.reset();
        m_found.reset();
        m_list->clear();
        m_map->showNothing(kNoPlaces);
        m_words->setText("The cell has changed; find the places again.");
    });
    m_words->setText("Choose what may be moved and how far, then Find: all targets and moves are tried.");
}

QString PlacePanel::wordsOf(const TriedPlace& p) const
{
    if (!p.works())
        return QString("%1 out of reach, %2 blocked. %3").arg(p.unreached).arg(p.blocked).arg(text(p.reason));
    return QString("margin %1 %%2")
        .arg(100 * p.margin, 0, 'f', 0)
        .arg(std::isnan(p.cycle) ? QString() : QString(", cycle %1 s").arg(p.cycle, 0, 'f', 2));
}

void PlacePanel::fillFrames()
{
    const Cell& cell = m_session.cell();
    const FrameId chosen = m_choice->currentIndex() >= 0 && size_t(m_choice->currentIndex()) < m_frames.size()
                               ? m_frames[size_t(m_choice->currentIndex())]
                           : m_session.selected<FrameId>() ? m_session.selected<FrameId>()
                                                           : m_session.station().mount;
    const QSignalBlocker block(m_choice);
    m_choice->clear();
    m_frames.clear();
    for (const Frame& frame : cell.frames) {
        if (frame.axis) continue;
        m_frames.push_back(frame.id);
        m_choice->addItem(text(frame.name));
        if (frame.id == chosen) m_choice->setCurrentIndex(m_choice->count() - 1);
    }
    m_find->setEnabled(!m_frames.empty());
}

void PlacePanel::startOrCancel()
{
    if (searching()) {
        stop();
        m_words->setText("Given up; nothing was changed.");
        return;
    }
    if (m_choice->currentIndex() < 0) return;
    PlaceQuery query;
    query.frame = m_frames[size_t(m_choice->currentIndex())];
    for (size_t i = 0; i < size_t(kPlaceAxes); ++i) {
        const double most = m_reach[i]->value() * (i < 3 ? kMillimetre : kDegree);
        query.lowest[i] = -most;
        query.highest[i] = most;
    }
    query.goal = m_goal->currentIndex() == 1 ? PlaceQuery::Goal::Cycle : PlaceQuery::Goal::Margin;
    query.seed = std::uint32_t(m_seed->value());
    query.plans = &m_session.plans();
    query.touched = &m_session.touched();
    query.workers = kCheckWorkers;
    if (query.lowest == query.highest) {
        m_words->setText("Say how far to look: at least one of X, Y, Z and turn.");
        return;
    }
    stop();
    m_found.reset();
    m_list->clear();
    m_cell = m_session.history().current();
    m_frame = query.frame;
    m_find->setText("Give up");
    m_progress->setValue(0);
    m_progress->setVisible(true);
    m_words->setText("Trying places …");
    m_map->showNothing(kNoPlaces);
    m_search.start(
        [this, query, cell = m_cell](const Background::Task& task) mutable {
            int shown = 0;
            query.keepOn = [&](double done) {
                if (const int percent = int(100 * done); percent > shown) {
                    shown = percent;
                    task.tell([this, percent] { m_progress->setValue(percent); });
                }
                return task.goesOn();
            };
            std::shared_ptr<const PlaceSearch> found;
            if (auto search = searchPlace(*cell, query))
                found = std::make_shared<const PlaceSearch>(std::move(*search));
            return found;
        },
        [this, query](std::shared_ptr<const PlaceSearch> found) {
            if (found) m_map->show(gridOf(*found, query.lowest, query.highest));
            finished(std::move(found));
        });
}

void PlacePanel::stop()
{
    m_search.giveUp();
    rest();
    point(-1);
}

/// Ready for the next search.
void PlacePanel::rest()
{
    m_find->setText("Find");
    m_progress->setVisible(false);
}

void PlacePanel::finished(std::shared_ptr<const PlaceSearch> found)
{
    rest();
    m_found = std::move(found);
    m_list->clear();
    if (!m_found) {
        m_words->setText("The search came to nothing.");
        return;
    }
    for (const TriedPlace& place : m_found->best)
        m_list->addItem(offsetWords(place.offset) + "\n    " + wordsOf(place));
    m_words->setText(
        QString("%1 places tried. Now: %2%3")
            .arg(m_found->tried)
            .arg(wordsOf(m_found->now), m_found->better ? "" : "\nNothing is better than where it stands."));
}

void PlacePanel::point(int row)
{
    if (!m_found || row < 0 || row >= int(m_found->best.size())) {
        if (std::exchange(m_pointing, false)) m_session.endPreview();
        return;
    }
    m_pointing = true;
    m_session.preview([offset = m_found->best[size_t(row)].offset, frame = m_frame](const Cell& cell) {
        return placedAt(cell, frame, offset);
    });
}

void PlacePanel::apply()
{
    const int row = m_list->currentRow();
    if (!m_found || row < 0 || row >= int(m_found->best.size())) return m_session.say("Choose a place first.", true);
    if (m_session.history().current() != m_cell)
        return m_session.say("The cell has changed since; find the places again.", true);
    const PlaceOffset offset = m_found->best[size_t(row)].offset;
    point(-1);
    m_session.edit("Put " + text(frameName(m_session.cell(), m_frame)) + " to the best place",
                   [&](const Cell& cell) { return placedAt(cell, m_frame, offset); });
}

void PlacePanel::showEvent(QShowEvent* event)
{
    QWidget::showEvent(event);
    fillFrames();
}

void PlacePanel::hideEvent(QHideEvent* event)
{
    QWidget::hideEvent(event);
    point(-1);
}

}  // namespace topikos
