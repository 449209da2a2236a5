// What bodies of a scene do at each other, by their meshes (core/review/skin_between.hpp): heights of hands in touches, and how
// deep one lies in another. Looked at `TouchReview::looks_a_second` times a second of the scene; where that is long, 20,000 times
// at most.
#pragma once
#include "core/review/touching.hpp"
#include "core/scene/solve.hpp"

namespace nb {

/// A touch between bodies as it came out.
struct TouchKept {
    size_t touch = 0;  ///< of the list
    int looks = 0, kept = 0;
    double largest_gap_mm = 0.0, largest_sunk_mm = 0.0;
    int first_look = 0;            ///< of the scene's
    std::vector<double> gap_mm{};  ///< from there on, a look each; below 0: how deep it is in
    double share() const { return looks > 0 ? double(kept) / looks : 1.0; }
};

/// Two bodies, each with all its vertices in the other.
struct PairDepth {
    size_t a = 0, b = 0;
    int looks = 0, deep = 0;  ///< deeper than `TouchReview::deep_mm`
    double deepest_mm = 0.0;
    double deepest_at_s = 0.0;       ///< on the scene's clock
    std::vector<double> depth_mm{};  ///< a look each
    double share() const { return looks > 0 ? double(deep) / looks : 0.0; }
};

struct SceneReview {
    std::vector<TouchKept> touches;
    std::vector<PairDepth> pairs;
    int looks = 0, kept = 0;             ///< of all sure touches
    double first_s = 0.0, step_s = 1.0;  ///< of looks, on the scene's clock
    double look_s(int look) const { return first_s + look * step_s; }
    double kept_share() const { return looks > 0 ? double(kept) / looks : 1.0; }
};

/// `bodies`, `motions`: of each cast, sources or targets; bodies without a mesh are passed over.
SceneReview review_scene(std::span<const Cast> casts, const std::vector<const Character*>& bodies,
                         const std::vector<const WorldMotion*>& motions,
                         const std::vector<BodyTouch>& touches);
/// Of a scene as it was carried: its targets.
SceneReview review_scene(std::span<const Cast> casts, const SceneResult& result);

}  // namespace nb
