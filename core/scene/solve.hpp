// A scene carried: each cast by itself, then hands against the others' motion, round by round.
//
// After the first round, in which every body is alone, bodies that would stand in each other stand apart (core/scene/apart.hpp);
// then what hands lie on and what several hold is found anew of how all stood
// (core/scene/goals.hpp) and each body with such hands is carried once more, until no joint that hands lie on moves by
// `settled_m`, or `most_rounds` times.
#pragma once
#include "core/scene/goals.hpp"

namespace nb {

inline constexpr double settled_m = 1e-3;
inline constexpr int most_rounds = 4;

struct SceneResult {
    std::vector<TransferResult> results;  ///< in the order of casts
    std::vector<PairingSettings>
        settings;                    ///< each was carried by: those of its pair, with the scene's place map
    std::vector<BodyTouch> touches;  ///< as said, else as found
    double k = 1.0;
    std::vector<double> steps;  ///< `stretch_of_steps`; of one cast none
    int rounds = 0;             ///< after the first
    double moved_m = 0.0;       ///< by which what hands lie on moved in the last of them, at most
    std::vector<std::string> notes;
};

/// By which each cast is carried: the settings of its pair, with the scene's place map. Throws as `scale_of` does.
std::vector<PairingSettings> scene_settings(std::span<const Cast> casts, const SceneDistances& distances);

/// `touches`: said by hand; null: found. Throws as `transfer` does; std::runtime_error("cancelled").
SceneResult solve_scene(std::span<const Cast> casts, const SceneDistances& distances,
                        const std::vector<BodyTouch>* touches = nullptr, int threads = 0,
                        const Progress& progress = {});

}  // namespace nb
