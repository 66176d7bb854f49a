#pragma once
#include "core/collide/scene.h"

#include <map>

namespace topikos {

/// What decides how bodies move in windows of a run, each body by itself: shape, places, moves with their laws. Two
/// bodies with the same digest do the same, whenever in a run that is.
class SceneDigest {
public:
    explicit SceneDigest(const ContactScene& scene);

    /// Goes to a window.
    void enter(const Window& window);
    Digest ofBody(size_t body);

private:
    const Digest& ofTrack(size_t track);
    const Digest& ofArm(size_t arm);
    Digest ofPart(size_t body);
    /// Where a frame is carried by the axes above it.
    void addFrame(Digest& key, FrameId frame);

    const ContactScene& m_scene;
    Window m_window;
    std::map<FrameId, Digest> m_frames;                   ///< places at rest of all frames and the axes above them
    std::vector<Digest> m_still;                          ///< by body: what is the same over the whole run
    std::vector<std::optional<Digest>> m_tracks, m_arms;  ///< in the window, as far as they were asked for
};

}  // namespace topikos
