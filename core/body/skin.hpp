// What a mesh says of the bones that carry it: how much, where, how thick.
#pragma once
#include <vector>

#include "core/rig/mesh.hpp"

namespace nb {

/// The skin that one joint carries, in the rest pose, world of the file, its own unit.
struct JointSkin {
    double weight = 0.0;         ///< sum of the vertices' weights; 0: it carries none
    Vec3 centre = Vec3::Zero();  ///< weighted mean of the places
    double spread = 0.0;         ///< root of the weighted mean square of the distance to `centre`
};

/// One entry a joint; empty when no mesh is skinned. Of large meshes about 20,000 vertices are looked at.
std::vector<JointSkin> measure_skin(const Skeleton& skeleton, const std::vector<Mesh>& meshes);

}  // namespace nb
