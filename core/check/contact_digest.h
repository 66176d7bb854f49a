#pragma once
#include "core/check/contact_scene.h"

#include <map>

namespace topikos {

/// What decides how bodies move in windows of a run, each body by itself: shape, places, moves with their laws. Two
/// bodies with the same digest do the same, whenever in a run that is.
class SceneDigest {
public:
    explicit SceneDigest(const ContactScene& scene);

    /// Goes to a window.
    void enter(const Window& window);
    const Digest& ofBody(size_t body) const { return m_bodies[body]; }
    /// Of all bodies, with which of them appear as the window begins.
    Digest ofAll() const;
    /// What the digests have the address of.
    const Keeps& keeps() const { return m_keeps; }

private:
    Digest ofTrack(const AxisTrack& track);
    Digest ofArm(size_t arm);
    Digest ofPart(size_t body) const;
    /// Where a frame is carried by the axes above it.
    void addFrame(Digest& key, FrameId frame) const;

    const ContactScene& m_scene;
    Window m_window;
    std::map<FrameId, Digest> m_frames;    ///< places at rest of all frames and the axes above them
    std::vector<Digest> m_still;           ///< by body: what is the same over the whole run
    std::vector<Digest> m_tracks, m_arms;  ///< in the window
    std::vector<Digest> m_bodies;
    Keeps m_keeps;
};

}  // namespace topikos
