#pragma once
#include "core/spatial/pose.h"

#include <compare>
#include <cstdint>

namespace topikos {

/// What decides a result, as 128 bits. Numbers count to a thousand millionth, so that the same motion at another time
/// of a run is the same.
class Digest {
public:
    void add(std::uint64_t word);
    void add(double value);
    void add(const Pose& pose);
    void add(const Digest& other)
    {
        add(other.m_a);
        add(other.m_b);
    }
    /// Of what is there as long as the digest is asked for.
    void add(const void* address) { add(std::uint64_t(reinterpret_cast<std::uintptr_t>(address))); }
    auto operator<=>(const Digest&) const = default;
    std::uint64_t low() const { return m_a; }
    struct Hash {
        size_t operator()(const Digest& key) const { return size_t(key.low()); }
    };

private:
    std::uint64_t m_a = 0x243f6a8885a308d3, m_b = 0x13198a2e03707344;
};

/// A number that nothing else of this process has: what an object is known by that is made once and never changed.
std::uint64_t freshNumber();

}  // namespace topikos
