#pragma once
#include "app/fields/number_field.h"
#include "app/session/session.h"

#include <QComboBox>
#include <QLabel>
#include <QPushButton>
#include <QWidget>

namespace topikos {

/// Sends the arm to what was clicked, or above it, and makes the steps that grip or set down there.
class SendPad : public QWidget {
    Q_OBJECT
public:
    explicit SendPad(Session& session, QWidget* parent = nullptr);

private:
    void refresh();

    Session& m_session;
    QLabel* m_what;
    NumberField* m_off;
    QComboBox* m_axis;
    QPushButton *m_to, *m_above, *m_grip, *m_release, *m_turn;
};

}  // namespace topikos
