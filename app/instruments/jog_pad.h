#pragma once
#include "app/session/session.h"

#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QWidget>

namespace topikos {

/// Buttons that jog by steps: joints, or along and about the axes of world, tool, reading frame or base; and a line for
/// moves that are typed.
class JogPad : public QWidget {
    Q_OBJECT
public:
    JogPad(Session& session, QWidget* parent = nullptr);

private:
    void refresh();
    void jog(int row, int sign);

    Session& m_session;
    QLabel *m_step, *m_pivot;
    QLineEdit* m_line;
    QPushButton* m_spaces[5];
    QPushButton* m_minus[6];
    QPushButton* m_plus[6];
};

}  // namespace topikos
