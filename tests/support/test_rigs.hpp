// Bodies and takes that tests make from a seed, and changes of them whose effect is known beforehand.
#pragma once
#include <cstdint>
#include <random>
#include <string>

#include "core/files/skeleton_file.hpp"
#include "core/intake/load.hpp"
#include "core/motion/kinematics.hpp"
#include "core/solve/engine.hpp"

namespace nb::test {

using Random = std::mt19937_64;
double uniform(Random& random, double low, double high);

/// Folder of the open captures of Debian's package assimp-testmodels.
std::string capture(const std::string& name);
/// Folder of the demo library in the tree.
std::string demo(const std::string& path);
/// A copy of it in a folder that is not there.
void copy_demo(const std::string& to);
/// The crew as bare skeletons, in three formats, units and up axes (tests/rigs).
std::string rig(const std::string& path);

/// A biped of random proportions with names a person would give. Rest: near the T-pose, each limb bone off
/// by up to `rest_off_deg`; with `random_axes` the joints' own axes point anywhere. Metres, +Y up, facing +Z.
struct BodyOptions {
    double rest_off_deg = 0.0;
    bool random_axes = false;
    bool has_toes = true;
    bool has_clavicles = true;
    int spine_count = 0;  ///< 0: any of 1..5
    int neck_count = 0;   ///< 0: any of 1..3
};
SkeletonFile random_body(std::uint64_t seed, const BodyOptions& options = {});
/// Smooth random motion within human ranges, by world turns of the body's parts; the hips travel.
Take random_motion(const SkeletonFile& body, std::uint64_t seed, int frames);

/// The same body and motion with every length times k.
SkeletonFile scaled(SkeletonFile file, double k);
/// The same body and motion written in turned axes: v' = R v.
SkeletonFile turned(SkeletonFile file, const Quat& R);
/// The same motion on a skeleton whose stored rest is its pose at a frame of the take, rest orientations
/// taken as the new zero (R_WJ = identity), as motion files without rest orientations do.
SkeletonFile re_rested(const SkeletonFile& file, int frame);
/// In a skeleton file: every joint's own axes turned at random; the world motion of the points is the same.
SkeletonFile re_rolled(const SkeletonFile& file, std::uint64_t seed);

/// Largest difference of positions (m) and of rotations (degrees) between motions, k times the first.
struct Difference {
    double place_m = 0.0;
    double turn_deg = 0.0;
};
Difference difference(const WorldMotion& a, const WorldMotion& b, double k = 1.0);

/// A character or a take of the demo library, with its document.
LoadedFile demo_body(const std::string& name);
LoadedFile demo_take(const std::string& name);

/// A span in which a point stands, holds or touches, as the simulator says of its take.
struct Label {
    std::string limb, point, on;  ///< `on`: of hands, what they touch
    int first = 0, last = 0;      ///< last: not included
};
std::vector<Label> labels_of(const std::string& take);

/// transfer() of what was loaded.
TransferResult carry(const LoadedFile& source, const LoadedFile& target,
                     const PairingSettings& settings = {});

/// The same body with the names of its legs on the other side than the legs are.
SkeletonFile crossed_legs(SkeletonFile body);

}  // namespace nb::test
