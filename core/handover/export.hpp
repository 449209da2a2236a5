// Writing a transfer onto the target's own skeleton, in the target's own unit, axes and names.
#pragma once
#include <string>
#include <vector>

#include "core/files/skeleton_file.hpp"
#include "core/handover/keys.hpp"
#include "core/rest/character.hpp"

namespace nb {

/// BVH cannot hold rest orientations: bones are re-framed to world axes at rest, B_j = R_WJ R_WJ_rest^T in
/// file axes; local B_parent^T B_j. Positions for roots and for what the take moves.
SkeletonFile reframe_for_bvh(const Character& character, const Take& take);

/// The ending of the format that a rig's own file loses least by: ".bvh" or ".glb".
std::string usual_ending(const Character& character);
/// What of the rig stays behind when its motion is written to `path`, one sentence each; empty when all of it
/// is there again.
std::vector<std::string> left_behind(const std::string& path, const Character& character);

/// A rig that came from glTF is patched (`patch_glb`); others are written as they are in memory.
void write_keyed_glb(const std::string& path, const Character& character, const MotionView& motion,
                     const MotionKeys& keys);
/// A motion that is not a take in memory; else as export_take.
void export_motion(const std::string& path, const Character& character, const MotionView& motion,
                   std::vector<std::string>* notes = nullptr);
/// Writes .bvh or .glb by the ending of `path`, a key a frame. Throws FileError for other endings.
/// `notes`: what a format could not hold as it was.
void export_take(const std::string& path, const Character& character, const Take& take,
                 std::vector<std::string>* notes = nullptr);

}  // namespace nb
