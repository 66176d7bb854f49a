#pragma once
#include "app/session/held_jog.h"

#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QWidget>

namespace topikos {

/// Buttons that jog, by steps or while they are held: joints, or along and about the axes of world, tool, reading frame
/// or base; and a line for moves that are typed.
class JogPad : public QWidget {
    Q_OBJECT
public:
    JogPad(Session& session, HeldJog& held, QWidget* parent = nullptr);

private:
    void refresh();
    void jog(int row, int sign);
    void hold(int row, int sign);

    Session& m_session;
    HeldJog& m_held;
    QPushButton* m_how;
    QLabel *m_step, *m_pivot;
    QLineEdit* m_line;
    QPushButton* m_spaces[5];
    QPushButton* m_minus[6];
    QPushButton* m_plus[6];
};

}  // namespace topikos
