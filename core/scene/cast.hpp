// A scene: several bodies on one clock and one floor.
//
// A cast is a take on a target: it begins `start_s` after the scene does, and its take is turned about up by `turn_deg` round
// the origin of its world and then moved over the floor to `at_m`. All casts go by one place map
//
//   M(p) = o + k (p - o),   k of one of them, the mean of all, or a number; o as said, else the first place of the first
//                           cast's hips
//
// so that what is together in the source stays together. A cast stands as in its first frame before it begins and as in its
// last once it has ended. A scene of one cast is its transfer, whatever is said here.
#pragma once
#include <cmath>
#include <memory>
#include <optional>
#include <span>
#include <string>
#include <vector>

#include "core/motion/kinematics.hpp"
#include "core/solve/settings.hpp"

namespace nb {

struct Cast {
    std::string name;
    std::shared_ptr<const Character> source, target;
    std::shared_ptr<const Take> take;  ///< where it is in the scene (`placed_take`)
    PairingSettings settings;          ///< of the pair; a scene of several says place map and centre itself
    double start_s = 0.0;              ///< on the scene's clock

    double scene_time_s(int frame) const { return start_s + frame * take->frame_time_s; }
    /// On the clock of the take's file.
    double take_time_s(double scene_s) const { return take->start_s + (scene_s - start_s); }
    /// The frame nearest to a time of the scene, whether the take has it or not.
    long frame_near(double scene_s) const { return std::lround((scene_s - start_s) / take->frame_time_s); }
    double end_s() const { return scene_time_s(take->frames - 1); }
};

/// By which all distances over the floor are scaled.
struct SceneDistances {
    enum class By { mean, cast, number };
    By by = By::mean;
    std::string cast;             ///< of `cast`: its name
    double k = 1.0;               ///< of `number`
    std::optional<Vec3> about_m;  ///< the place that stays, on the floor
    bool operator==(const SceneDistances&) const = default;
};

/// What a cast's legs alone make of distances.
double own_scale(const Cast& cast);
/// The one of all. Throws FileError for a cast that is not there.
double scale_of(const SceneDistances& distances, std::span<const Cast> casts);
/// What the choice costs each cast: by how much its steps are longer or shorter than its own legs would make them, as a share
/// (0.1: a tenth longer).
std::vector<double> stretch_of_steps(double k, std::span<const Cast> casts);

/// The take turned and moved over the floor: its roots, what stands in it, the way its floor runs.
Take placed_take(const Skeleton& skeleton, const Take& take, double turn_deg, const Vec3& at_m);

}  // namespace nb
