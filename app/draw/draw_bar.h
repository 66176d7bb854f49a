#pragma once
#include "app/draw/surface_draw.h"

#include <QButtonGroup>
#include <QComboBox>
#include <QFrame>

namespace topikos {

class NumberField;

/// What is drawn how, over the view while something is drawn on a body.
class DrawBar : public QFrame {
    Q_OBJECT
public:
    DrawBar(SurfaceDraw& draw, QWidget* parent = nullptr);

private:
    void refresh();
    /// A change of the settings by somebody.
    void change(const std::function<void(DrawSettings&)>& set);

    SurfaceDraw& m_draw;
    QButtonGroup* m_mode;
    QComboBox *m_kind, *m_rule, *m_turns;
    NumberField *m_amount, *m_lead, *m_tilt, *m_offset, *m_radius;
};

}  // namespace topikos
