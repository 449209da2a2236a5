// FBX, as text: its rotations are three curves of angles, and what plays them goes straight from key to key on each.
//
// Of one turn the angles (x, y, z) and (x + 180, 180 - y, z + 180), each plus any whole turns, are the same (R = Rz Ry Rx);
// of these the key nearest to the one before is written, so that no curve leaps where the bone does not.
#pragma once
#include <string>

namespace nb {

/// The file's text with the curves of all its rotations led on so; anything it does not know stays as it is.
std::string lead_angles_on(const std::string& fbx);

}  // namespace nb
