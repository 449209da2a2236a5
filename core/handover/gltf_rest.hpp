// Making the aligned pose a rig's own rest: a copy of its glTF file whose nodes stand in the alignment, with
// the skin bound anew.
//
// With M_v = sum_i w_i G_i B_i, G the joints' new global matrices and B the file's inverse binds (glTF 2.0,
// ISO/IEC 12113, section 3.7.3.3):
//   vertices          v' = M_v v,  B'_i = G_i^-1: the mesh stands exactly as it was posed
//   normals, tangents by the linear part L of M_v: L^-T n, L t, of unit length
//   morph targets     d' = L d
//   animations        hold local rotations, which mean the same; what they left at the old rest gets a key
//                     with the old value
// Under linear blending a vertex of several joints deforms differently away from the pose it is bound in; how
// much is measured, not hidden: `rebind_change_m`.
#pragma once
#include <string>

#include "core/motion/kinematics.hpp"
#include "core/motion/take.hpp"
#include "core/rest/character.hpp"

namespace nb {

/// Writes `path` (.glb); a rig of another format as it is in memory, metres, +Y up. Throws FileError: the rig's file has
/// changed since it was read, a mesh hangs on two different skins.
void write_as_rest(const std::string& path, const Character& character);

/// Largest distance of a vertex between the skins of two rigs with the same joints and vertices, over the
/// frames of a motion (every `step`-th), m.
double rebind_change_m(const Rig& before, const Rig& after, const WorldMotion& motion, int step);

}  // namespace nb
