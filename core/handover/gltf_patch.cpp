#include "core/handover/gltf_patch.hpp"

#include "core/base/fault.hpp"

namespace nb {

void patch_glb(const std::string& path, const Rig& rig, const MotionView& motion, const MotionKeys& keys,
               const std::function<void(GlbParts&, GlbFrames&)>& change) {
    if (motion.about().frames < 1)
        throw FileError(path, "there are no frames to write", "choose a longer range");
    with_json_of(rig.path, [&] {
        GlbParts parts(rig);
        GlbFrames frames = glb_frames(rig);
        if (change) change(parts, frames);
        add_animation(parts, frames, rig.skeleton, motion, keys);
        parts.write(path);
    });
}

}  // namespace nb
