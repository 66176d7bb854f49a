#pragma once
#include "app/session/session.h"

#include <QElapsedTimer>
#include <QObject>
#include <QTimer>

namespace topikos {

/// Jogging for as long as a key or button is held: it comes up to speed on a ramp, goes on, and comes to rest on a
/// ramp when it is let go. The speed is one of a row, finer at its low end. What stops the arm ends it at once.
class HeldJog : public QObject {
    Q_OBJECT
public:
    explicit HeldJog(Session& session, QObject* parent = nullptr);

    /// Whether jogging is by holding; else by steps.
    bool on() const { return m_on; }
    void setOn(bool on);
    /// Faster or slower by so many places of the row.
    void changeSpeed(int by);
    double lengthSpeed() const;  ///< of the TCP [m/s]
    double turnSpeed() const;    ///< [rad/s]
    /// "25 mm · 5° /s"
    QString speedText() const;

    /// Held: along (0-2) or about (3-5) an axis of the jog space, or the joint of that number.
    void press(int axis, double sign);
    void release();
    bool moving() const { return m_timer.isActive(); }
    /// Goes on by a piece of time [s]; the timer calls it.
    void advance(double seconds);
    /// The share of the speed that it has now, 0 to 1.
    double ramp() const { return m_ramp; }

Q_SIGNALS:
    void changed();

private:
    Session& m_session;
    QTimer m_timer;
    QElapsedTimer m_clock;
    bool m_on = false, m_held = false;
    int m_level;
    int m_axis = 0;
    double m_sign = 1, m_ramp = 0;
};

}  // namespace topikos
