// The meshes of what stands beside a body in a take (`LoadedFile::pieces`), for hands to lie on.
#pragma once
#include "core/intake/load.hpp"

namespace nb {

/// Into `Take::set`, by the pieces in force but the ground; of one name only the first. Files that cannot be read are left
/// out: the stage tells them.
void read_set(LoadedFile& file);

}  // namespace nb
