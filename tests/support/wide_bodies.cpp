#include "tests/support/wide_bodies.hpp"

#include <Eigen/Geometry>
#include <algorithm>

namespace nb::test {

Bones arms_and_legs() {
    return {{"forearm.left", "hand.left"},
            {"forearm.right", "hand.right"},
            {"thigh.left", "shin.left"},
            {"thigh.right", "shin.right"}};
}
Bones legs() {
    return {{"thigh.left", "shin.left"}, {"thigh.right", "shin.right"}};
}
Bones trunk() {
    return {{"hips", "spine.1"}, {"spine.1", "spine.2"}, {"spine.1", "chest"}, {"spine.2", "chest"}};
}

LoadedFile widened(LoadedFile body, const Bones& bones, double times) {
    const Pose rest = rest_pose(body.character.rig.skeleton);
    for (const auto& [role, next_role] : bones) {
        const int joint = body.character.roles.joint(role);
        const int next = body.character.roles.joint(next_role);
        if (joint < 0 || next < 0) continue;
        const Vec3 along_J =
            (rest.R[size_t(joint)].conjugate() * (rest.p[size_t(next)] - rest.p[size_t(joint)])).normalized();
        for (Mesh& mesh : body.character.rig.meshes.edit())
            for (size_t v = 0; v < mesh.positions.size(); ++v) {
                const VertexSkin& skin = mesh.skin[v];
                const size_t most =
                    size_t(std::max_element(skin.weight.begin(), skin.weight.end()) - skin.weight.begin());
                const MeshJoint& by = mesh.palette[skin.palette[most]];
                if (by.joint != joint) continue;
                const Eigen::Affine3d attach(by.attach);
                const Vec3 at = attach * mesh.positions[v].cast<double>();
                const Vec3 on_bone = along_J * along_J.dot(at);
                mesh.positions[v] = (attach.inverse() * Vec3(on_bone + times * (at - on_bone))).cast<float>();
            }
    }
    return body;
}

}  // namespace nb::test
