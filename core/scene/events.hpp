// Where a scene falls short between its bodies: touches that come apart, bodies in each other; worst first, each with its owner.
#pragma once
#include "core/review/events.hpp"
#include "core/scene/review.hpp"

namespace nb {

struct SceneEvent {
    size_t of = 0;         ///< which of the result's touches, or of the review's pairs
    bool is_touch = true;  ///< else the two are in each other
    double first_s = 0.0, last_s = 0.0, worst_s = 0.0;  ///< on the scene's clock
    double mm = 0.0;                                    ///< gap, or how deep it is in
    Owner owner = Owner::proportions;
    std::string text;  ///< one sentence with its figures
};

/// Gaps over 15 mm and hands deeper than 10 mm in touches; bodies deeper than 2 cm in each other. A run of looks is one event,
/// runs within 0.25 s are one. Owner: the take, when its own bodies are as far apart there (by surfaces); proportions, when the
/// arm is short beside the scene's distances, or where bodies are wider beside these; else the skin.
std::vector<SceneEvent> find_scene_events(std::span<const Cast> casts, const SceneResult& result,
                                          const SceneReview& review);

}  // namespace nb
