#include "core/handover/gltf_patch.hpp"

#include "core/base/fault.hpp"
#include "core/handover/glb_animation.hpp"

namespace nb {

void patch_glb(const std::string& path, const Character& character, const MotionView& motion,
               const MotionKeys& keys) {
    if (motion.about().frames < 1)
        throw FileError(path, "there are no frames to write", "choose a longer range");
    with_json_of(character.rig.path, [&] {
        GlbParts parts(character.rig);
        add_animation(parts, glb_frames(character.rig), character.rig.skeleton, motion, keys);
        parts.write(path);
    });
}

}  // namespace nb
