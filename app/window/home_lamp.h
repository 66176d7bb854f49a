#pragma once
#include "app/session/session.h"

#include <QPushButton>

namespace topikos {

/// Tells whether every arm stands at home, in the run as by hand; a press brings the arm in hand there.
class HomeLamp : public QPushButton {
    Q_OBJECT
public:
    explicit HomeLamp(Session& session, QWidget* parent = nullptr);
    bool allHome() const { return m_away.isEmpty(); }

protected:
    void paintEvent(QPaintEvent* event) override;

private:
    void refresh();

    Session& m_session;
    QStringList m_away;
};

}  // namespace topikos
