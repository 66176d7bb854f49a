#include "core/spatial/digest.h"

#include <atomic>
#include <cmath>

namespace topikos {

namespace {

std::uint64_t mixed(std::uint64_t x)
{
    // The finalizer of splitmix64.
    x += 0x9e3779b97f4a7c15;
    x = (x ^ (x >> 30)) * 0xbf58476d1ce4e5b9;
    x = (x ^ (x >> 27)) * 0x94d049bb133111eb;
    return x ^ (x >> 31);
}

constexpr double kSame = 1e9;  // numbers count to one part of this

}  // namespace

void Digest::add(std::uint64_t word)
{
    m_a = mixed(m_a ^ word);
    m_b = mixed(m_b + 0x9e3779b97f4a7c15 * (word ^ (m_a >> 7)));
}

void Digest::add(double value)
{
    const double scaled = value * kSame;
    if (std::abs(scaled) < 9e18) add(std::uint64_t(std::llround(scaled)));
    else add(std::uint64_t(std::isnan(value) ? 1 : value > 0 ? 2 : 3));
}

void Digest::add(const Pose& pose)
{
    for (int i = 0; i < 3; ++i)
        add(pose.translation[i]);
    // Opposite quaternions are the same turn.
    const auto& q = pose.rotation;
    for (const double v : {q.w(), q.x(), q.y(), q.z()})
        add(q.w() < 0 ? -v : v);
}

std::uint64_t freshNumber()
{
    static std::atomic<std::uint64_t> last = 0;
    return ++last;
}

}  // namespace topikos
