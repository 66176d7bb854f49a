#pragma once
#include "core/check/contact_scene.h"

#include <map>
#include <unordered_map>

namespace topikos {

/// What is meant to touch in windows of a run: by the events of parts and the moves around them, and by what steps say.
/// The rule: docs/manual/findings.md.
class Meant {
public:
    explicit Meant(const ContactScene& scene);

    /// Goes to a window.
    void enter(const Window& window);
    bool touch(size_t a, size_t b) const { return holds(a, b) || holds(b, a) || may(a, b) || may(b, a); }
    /// All that decides the answers in the window.
    void describe(Digest& key) const;

private:
    using Bodies = std::vector<size_t>;
    /// What may touch a part: the tool of an arm, and what it rests on.
    struct InPart {
        const PartEvent* now = nullptr;
        ArmId carrier{};         ///< that carries it
        ArmId gives{}, takes{};  ///< whose last grip or release it is, whose next one, while the moves around them last
        Bodies rests{};          ///< on these, or comes to rest on them
    };
    /// Whether a part may touch another body.
    bool holds(size_t part, size_t other) const;
    /// Whether the step of the arm that moves a body says that it may touch another one.
    bool may(size_t moved, size_t other) const;
    /// What a part rests on when an event of it happens.
    const Bodies& supports(size_t part, double time);
    /// Those of them that have lain where they are since then.
    void addResting(Bodies& out, size_t part, double time);
    /// Beginning of the last move that ends before an event of a grip or release.
    double arrives(const PartEvent& event) const;
    /// End of the first move of an arm that begins behind a time.
    double leaves(ArmId arm, double time) const;

    const ContactScene& m_scene;
    std::vector<InPart> m_parts;                           ///< by body
    std::unordered_map<std::uint32_t, Bodies> m_steps;     ///< what steps may touch, by step
    std::vector<std::pair<ArmId, const Bodies*>> m_may;    ///< of steps in the window
    std::map<std::pair<size_t, double>, Bodies> m_supports;
};

}  // namespace topikos
