// A body as solid tapered bones: one closed shape a bone, in the frame of its joint, sized by the body's own
// lengths and shaped by its role (a limb tapers, a hand is flat, the head looks ahead).
#pragma once
#include <vector>

#include "core/rest/character.hpp"

namespace nb {

struct FigureVertex {
    float position[3];  ///< m, seen from the joint
    float normal[3];
    float along;  ///< 0..1 from the bone's start to its tip; for dashes
    float joint;  ///< index of the joint that carries it
    float dash;   ///< 1 for a bone whose role is unsure
};

struct Figure {
    std::vector<FigureVertex> vertices;
    std::vector<unsigned> indices;  ///< triangles; the large bones first
    size_t shadow_index_count = 0;  ///< of the large bones alone: what casts the shadow
};

/// Where a bone runs, for picking: from the joint to `end_m`, seen from the joint.
struct BoneSegment {
    int joint = -1;
    Vec3 end_m = Vec3::Zero();
    double radius_m = 0.01;
};

Figure make_figure(const Character& character);
std::vector<BoneSegment> bone_segments(const Character& character);

}  // namespace nb
