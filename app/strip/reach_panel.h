#pragma once
#include "app/background/background.h"
#include "app/fields/number_field.h"
#include "app/session/session.h"
#include "app/strip/spot_map.h"
#include "core/reach/reach_map.h"

#include <QCheckBox>
#include <QComboBox>
#include <QLabel>
#include <QPushButton>

#include <array>

namespace topikos {

/// Where the arm in hand reaches: over a plane, in a box, or on the bodies of a frame. Shown here and in the view.
class ReachPanel : public QWidget {
    Q_OBJECT
public:
    explicit ReachPanel(Session& session, QWidget* parent = nullptr);
    bool working() const { return m_work.isWorking(); }
    const ReachMap* map() const { return m_map.get(); }

protected:
    void showEvent(QShowEvent* event) override;
    void hideEvent(QHideEvent* event) override;

private:
    QLayout* buildChoices();
    /// Goes with the session and with what is chosen.
    void follow(Session& session);
    void fill();
    ReachQuery query() const;
    void start();
    void stop();
    void took(std::shared_ptr<const ReachMap> map);
    void giveUp(const QString& words);
    void showMap();
    /// The number of a spot of the layer that is shown.
    int inMap(int spotOfLayer) const;
    /// How much of the map is reached, while no spot is pointed at.
    void tellWhole();
    void point(int spot);
    void take(int spot);
    void save();
    QString wordsOf(const ReachSpot& spot) const;
    /// Of the darkest colour.
    double full() const;

    Session& m_session;
    CellPtr m_cell;  ///< that the map is of
    ReachQuery m_asked;
    std::shared_ptr<const ReachMap> m_map;
    std::vector<FrameId> m_frames;
    std::vector<TargetId> m_targets;
    bool m_wanted = false;  ///< a map was asked for: it follows edits and choices
    bool m_fresh = false;   ///< what is shown is of the choices as they are
    QComboBox *m_over, *m_frame, *m_tool, *m_colour;
    std::array<NumberField*, 6> m_box;
    NumberField* m_spacing;
    QCheckBox* m_free;
    NumberField *m_cone, *m_step;
    NumberField* m_layer;
    QPushButton *m_make, *m_save;
    SpotMap* m_picture;  ///< one layer of it
    QLabel *m_words, *m_legend;
    Background m_work;
};

}  // namespace topikos
