// A motion as an animation of a glTF file, in the file's own unit, axes and scale.
#pragma once
#include "core/files/gltf/glb_parts.hpp"
#include "core/handover/keys.hpp"

namespace nb {

/// Where joints stand in a file.
struct GlbFrames {
    std::vector<FileNode> nodes;
    Quat R_WF = Quat::Identity();
    double unit_m = 1.0;
};
/// Of the rig's own file; of a rig without nodes as `rig_as_glb` makes them.
GlbFrames glb_frames(const Rig& rig);

/// Adds `motion` with its keys as a further animation. A bone whose place in the file is not the skeleton's (the
/// intake moved it) gets one key that holds it. The animation lasts as long as the motion, also when nothing moves at
/// its end. `starts_at_s`: of its first frame on the clock of the shoot, kept in the animation's `extras`; 0: not.
void add_animation(GlbParts& parts, const GlbFrames& frames, const Skeleton& skeleton,
                   const MotionView& motion, const MotionKeys& keys, double starts_at_s = 0.0);

/// Writes `path` (.glb) as a new file: the rig as it is in memory and one animation, none for a motion without frames.
/// Throws FileError.
void write_glb(const std::string& path, const Rig& rig, const MotionView& motion, const MotionKeys& keys);
/// A skeleton alone, a key a frame.
void write_glb(const std::string& path, const Skeleton& skeleton, const Take& take);

}  // namespace nb
