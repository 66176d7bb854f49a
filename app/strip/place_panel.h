#pragma once
#include "app/background/background.h"
#include "app/properties/number_field.h"
#include "app/session/session.h"
#include "app/strip/offer_list.h"
#include "core/mend/place_search.h"

#include <QComboBox>
#include <QLabel>
#include <QProgressBar>
#include <QPushButton>

#include <array>

namespace topikos {

/// Places over a plane, the better the darker; those that fail hatched. Pointing tells of one.
class PlaceMap : public QWidget {
    Q_OBJECT
public:
    explicit PlaceMap(QWidget* parent = nullptr);
    void showSearch(std::shared_ptr<const PlaceSearch> search, const PlaceOffset& lowest, const PlaceOffset& highest);
    /// Words about the place at a point of the widget; empty outside the map.
    QString wordsAt(const QPointF& at) const;
    QSize minimumSizeHint() const override { return {160, 70}; }

Q_SIGNALS:
    void pointed(const QString& words);

protected:
    void paintEvent(QPaintEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void leaveEvent(QEvent* event) override;

private:
    QRectF field() const;
    QPointF placeOf(const PlaceOffset& offset) const;
    std::shared_ptr<const PlaceSearch> m_search;
    PlaceOffset m_lowest{}, m_highest{};
};

/// Looks for the best place of a frame, with all that stands on it.
class PlacePanel : public QWidget {
    Q_OBJECT
public:
    explicit PlacePanel(Session& session, QWidget* parent = nullptr);
    bool searching() const { return m_search.isWorking(); }

protected:
    void showEvent(QShowEvent* event) override;
    void hideEvent(QHideEvent* event) override;

private:
    void fillFrames();
    void startOrCancel();
    void stop();
    void rest();
    void finished(std::shared_ptr<const PlaceSearch> found);
    void point(int row);
    void apply();
    QString wordsOf(const TriedPlace& place) const;

    Session& m_session;
    CellPtr m_cell;  ///< that the search is of
    FrameId m_frame;
    std::vector<FrameId> m_frames;
    std::shared_ptr<const PlaceSearch> m_found;
    bool m_pointing = false;
    QComboBox *m_choice, *m_goal;
    std::array<NumberField*, kPlaceAxes> m_reach;
    NumberField* m_seed;
    QPushButton *m_find, *m_apply;
    QProgressBar* m_progress;
    PlaceMap* m_map;
    QLabel* m_words;
    OfferList* m_list;
    Background m_search;
};

}  // namespace topikos
