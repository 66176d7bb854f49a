#pragma once
#include "app/background/background.h"
#include "app/fields/number_field.h"
#include "app/session/session.h"
#include "app/strip/offer_list.h"
#include "app/strip/spot_map.h"
#include "core/mend/place_search.h"

#include <QComboBox>
#include <QLabel>
#include <QProgressBar>
#include <QPushButton>

#include <array>

namespace topikos {

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
    SpotMap* m_map;
    QLabel* m_words;
    OfferList* m_list;
    Background m_search;
};

}  // namespace topikos
