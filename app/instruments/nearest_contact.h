#pragma once
#include "app/session/session.h"
#include "core/collide/clearance_along.h"

#include <QWidget>

namespace topikos {

/// How near the arm in hand, with what it carries, is to anything else as it is drawn: in the run, or by hand.
class NearestContact : public QWidget {
    Q_OBJECT
public:
    NearestContact(Session& session, QWidget* parent = nullptr);
    QSize sizeHint() const override;
    /// "Gripper jaws – Drying rack", and how far apart they are [m].
    struct Shown {
        QString between;
        double distance = INFINITY;
    };
    Shown shown() const;

protected:
    void paintEvent(QPaintEvent* event) override;
    bool event(QEvent* event) override;

private:
    Session& m_session;
    /// For the run that is shown, which it keeps.
    mutable std::shared_ptr<const void> m_run;
    mutable std::optional<ClearanceAlong> m_along;
};

}  // namespace topikos
