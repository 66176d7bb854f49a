#include "app/session/held_jog.h"

#include "core/program/step_text.h"
#include "core/program/vocabulary.h"
#include "core/spatial/units.h"

#include <QSettings>

#include <algorithm>
#include <iterator>

namespace topikos {

namespace {

struct Speed {
    double length, turn;  ///< [m/s, rad/s]
};
constexpr Speed kSpeeds[] = {{0.0005, 0.1 * kDegree}, {0.001, 0.2 * kDegree}, {0.002, 0.5 * kDegree},
                             {0.005, 1 * kDegree},    {0.010, 2 * kDegree},   {0.025, 5 * kDegree},
                             {0.050, 10 * kDegree},   {0.100, 20 * kDegree},  {0.250, 45 * kDegree}};
constexpr double kUp = 0.35, kDown = 0.15;  // time to full speed, and to rest [s]
constexpr int kTick = 16;                   // [ms]
constexpr double kLongest = 0.1;            // a piece of time that a slow frame may make [s]

}  // namespace

HeldJog::HeldJog(Session& session, QObject* parent) : QObject(parent), m_session(session)
{
    m_on = QSettings().value("jog/held", false).toBool();
    m_level = std::clamp(QSettings().value("jog/speed", 5).toInt(), 0, int(std::size(kSpeeds)) - 1);
    m_timer.setInterval(kTick);
    connect(&m_timer, &QTimer::timeout, this,
            [this] { advance(std::min(kLongest, double(m_clock.restart()) / 1000)); });
}

void HeldJog::setOn(bool on)
{
    if (on == m_on) return;
    release();
    m_on = on;
    QSettings().setValue("jog/held", on);
    m_session.say(on ? "Jogging goes on while a key or button is held: " + speedText() + "; + and - change it."
                     : QString("Jogging goes by steps."));
    Q_EMIT changed();
}

void HeldJog::changeSpeed(int by)
{
    m_level = std::clamp(m_level + by, 0, int(std::size(kSpeeds)) - 1);
    QSettings().setValue("jog/speed", m_level);
    m_session.say("Jogging at " + speedText() + ".");
    Q_EMIT changed();
}

double HeldJog::lengthSpeed() const { return kSpeeds[m_level].length; }
double HeldJog::turnSpeed() const { return kSpeeds[m_level].turn; }

QString HeldJog::speedText() const { return jogText(lengthSpeed(), turnSpeed()) + " /s"; }

void HeldJog::press(int axis, double sign)
{
    // Another axis, or the other way, begins from rest.
    if (axis != m_axis || sign != m_sign) m_ramp = 0;
    m_axis = axis;
    m_sign = sign;
    m_held = true;
    if (m_timer.isActive()) return;
    m_ramp = 0;
    m_clock.start();
    m_timer.start();
    Q_EMIT changed();
}

void HeldJog::release() { m_held = false; }

void HeldJog::advance(double seconds)
{
    const double before = m_ramp;
    m_ramp = std::clamp(m_ramp + (m_held ? seconds / kUp : -seconds / kDown), 0.0, 1.0);
    if (!m_held && before == 0) {
        m_timer.stop();
        Q_EMIT changed();
        return;
    }
    // On the ramp for as long as it takes, at full speed or at rest for what is left.
    const double ramping = std::min(seconds, std::abs(m_ramp - before) * (m_held ? kUp : kDown));
    const double share = (0.5 * (before + m_ramp) * ramping + m_ramp * (seconds - ramping)) * m_sign;
    bool free;
    if (m_session.jogSpace() == JogSpace::Joint) {
        const bool slides = m_session.arm().joints()[size_t(m_axis)].kind == JointKind::Prismatic;
        const double step = slides ? m_session.jogLength() : m_session.jogAngle();
        free = m_session.jogJoint(m_axis, share * (slides ? lengthSpeed() : turnSpeed()) / step);
    } else {
        free = m_session.jogAxis(m_session.jogSpace(), m_axis, share * (m_axis < 3 ? lengthSpeed() : turnSpeed()));
    }
    if (free) return;
    // What stands in the way ends it, until the key is pressed anew.
    m_held = false;
    m_ramp = 0;
    m_timer.stop();
    Q_EMIT changed();
}

}  // namespace topikos
