// A stance taken from a file: any rig or motion with a body in it.
#pragma once
#include <string>

#include "core/rest/character.hpp"

namespace nb {

/// The alignment in which `character` stands, role by role, as the body of `path` does in the first frame of
/// its motion, or at rest when it has none. Roles the other body lacks stay as solved. Throws FileError when
/// no body is found there.
RestAlignment rest_from_file(const std::string& path, const Character& character);

}  // namespace nb
