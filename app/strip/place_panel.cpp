#include "app/strip/place_panel.h"

#include "app/session/text.h"
#include "app/theme/theme.h"

#include <QHBoxLayout>
#include <QMouseEvent>
#include <QPainter>
#include <QVBoxLayout>

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

}  // namespace

PlaceMap::PlaceMap(QWidget* parent) : QWidget(parent)
{
    setObjectName("placeMap");
    setAccessibleName("Map of places");
    setMouseTracking(true);
}

void PlaceMap::showSearch(std::shared_ptr<const PlaceSearch> search, const PlaceOffset& lowest,
                          const PlaceOffset& highest)
{
    m_search = std::move(search);
    m_lowest = lowest;
    m_highest = highest;
    update();
}

QRectF PlaceMap::field() const
{
    const double wide = std::max(1e-6, m_highest[0] - m_lowest[0]), high = std::max(1e-6, m_highest[1] - m_lowest[1]);
    const QRectF room = QRectF(rect()).adjusted(6, 6, -6, -20);
    double scale = std::min(room.width() / wide, room.height() / high);
    if (m_search && (m_search->columns == 1 || m_search->rows == 1)) return room;
    const QSizeF size(wide * scale, high * scale);
    return {room.center() - QPointF(size.width() / 2, size.height() / 2), size};
}

QPointF PlaceMap::placeOf(const PlaceOffset& o) const
{
    const QRectF f = field();
    const auto share = [&](size_t axis) {
        const double length = m_highest[axis] - m_lowest[axis];
        return length > 0 ? (o[axis] - m_lowest[axis]) / length : 0.5;
    };
    return {f.left() + share(0) * f.width(), f.bottom() - share(1) * f.height()};
}

void PlaceMap::paintEvent(QPaintEvent*)
{
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    if (!m_search || m_search->map.empty()) {
        p.setPen(theme().faint);
        p.drawText(rect(), Qt::AlignCenter | Qt::TextWordWrap,
                   "The map of the plane comes with the search: the better a place, the darker.");
        return;
    }
    const QRectF f = field();
    double best = 1e-9;
    for (const TriedPlace& place : m_search->map)
        best = std::max(best, place.margin);
    const double wide = f.width() / m_search->columns, high = f.height() / m_search->rows;
    p.setPen(Qt::NoPen);
    for (int row = 0; row < m_search->rows; ++row)
        for (int column = 0; column < m_search->columns; ++column) {
            const TriedPlace& place = m_search->map[size_t(row * m_search->columns + column)];
            const QRectF box(f.left() + column * wide, f.bottom() - (row + 1) * high, wide + 0.5, high + 0.5);
            if (!place.works()) {
                p.fillRect(box, theme().paper);
                p.fillRect(box, QBrush(theme().faint, place.unreached > 0 ? Qt::BDiagPattern : Qt::DiagCrossPattern));
                continue;
            }
            // By lightness alone, so that everybody can read it.
            const double share = std::clamp(place.margin / best, 0.0, 1.0);
            const QColor from = theme().accentSoft, to = theme().accent;
            const auto mix = [&](int a, int b) { return int(a + share * (b - a)); };
            p.fillRect(box,
                       QColor(mix(from.red(), to.red()), mix(from.green(), to.green()), mix(from.blue(), to.blue())));
        }
    p.setBrush(Qt::NoBrush);
    p.setPen(QPen(theme().line, 1));
    p.drawRect(f);
    const QPointF now = placeOf({});
    p.setPen(QPen(theme().ink, 1.6));
    p.drawLine(now - QPointF(5, 0), now + QPointF(5, 0));
    p.drawLine(now - QPointF(0, 5), now + QPointF(0, 5));
    for (size_t i = 0; i < m_search->best.size(); ++i) {
        const QPointF at = placeOf(m_search->best[i].offset);
        p.setPen(QPen(theme().ink, i == 0 ? 2.2 : 1.2));
        p.setBrush(i == 0 ? QBrush(theme().raised) : QBrush(Qt::NoBrush));
        p.drawEllipse(at, 5, 5);
    }
    p.setPen(theme().faint);
    p.setFont(textFont(11));
    p.drawText(QRectF(4, height() - 18, width() - 8, 16), Qt::AlignLeft | Qt::AlignVCenter,
               QString("dark: margin %1 % · hatched: out of reach · crossed: touches · + now · ○ best")
                   .arg(100 * best, 0, 'f', 0));
}

QString PlaceMap::wordsAt(const QPointF& at) const
{
    const QRectF f = field();
    if (!m_search || m_search->map.empty() || !f.contains(at)) return {};
    const int column = std::clamp(int((at.x() - f.left()) / f.width() * m_search->columns), 0, m_search->columns - 1);
    const int row = std::clamp(int((f.bottom() - at.y()) / f.height() * m_search->rows), 0, m_search->rows - 1);
    const TriedPlace& place = m_search->map[size_t(row * m_search->columns + column)];
    const QString where = offsetWords(place.offset);
    if (place.works())
        return QString("%1: margin %2 % at the targets, moves not counted")
            .arg(where)
            .arg(100 * place.margin, 0, 'f', 0);
    if (place.unreached == 0) return QString("%1: %2").arg(where, text(place.reason));
    return QString("%1: %2 out of reach. %3").arg(where).arg(place.unreached).arg(text(place.reason));
}

void PlaceMap::mouseMoveEvent(QMouseEvent* event) { Q_EMIT pointed(wordsAt(event->position())); }
void PlaceMap::leaveEvent(QEvent*) { Q_EMIT pointed({}); }

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
    m_map = new PlaceMap(this);
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
    connect(m_map, &PlaceMap::pointed, this, [this](const QString& words) {
        m_words->setText(words.isEmpty() && m_found
                             ? QString("%1 places tried. Now: %2").arg(m_found->tried).arg(wordsOf(m_found->now))
                             : words);
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
        m_map->showSearch(nullptr, {}, {});
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
    m_map->showSearch(nullptr, query.lowest, query.highest);
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
            m_map->showSearch(found, query.lowest, query.highest);
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
