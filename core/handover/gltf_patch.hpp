// Patching export: a glTF file gets one more animation, and nothing else in it changes.
#pragma once
#include <functional>
#include <string>

#include "core/handover/glb_animation.hpp"

namespace nb {

/// Writes `path` (.glb) as a copy of the rig's own file with the take as a further animation, in the file's
/// own unit, axes and scale. Materials, extras, morph targets, unknown extensions and other animations pass
/// untouched; buffers of a .gltf beside other files are packed in. Throws FileError, also when the rig's file
/// is no longer the one that was read.
void patch_glb(const std::string& path, const Rig& rig, const MotionView& motion, const MotionKeys& keys);

/// The rig's own file, without the meshes that the intake leaves out.
GlbParts own_parts(const Rig& rig);
/// Nodes no longer show meshes whose names are so; the meshes themselves stay in the file.
void hide_meshes(GlbParts& parts, const std::function<bool(const std::string& name)>& is_hidden);

}  // namespace nb
