// Files that come with the program: the limbering take, the handbook.
#pragma once
#include <string>

namespace nb {

/// Where a shipped file or folder lies, by its path in the shared folder ("takes/limbering.bvh", "handbook"):
/// in the folder that NB_SHARE names, beside the program as installed (../share/nimble-bone), or in the
/// source tree. Empty when it is in none of them.
std::string find_shipped(const std::string& path);

/// The shipped limbering take, and the document that describes it.
/// Throws FileError when it is not found.
std::string limbering_take();
std::string limbering_document();

}  // namespace nb
