// The pair on the stage by the library's own names.
#pragma once
#include <optional>

#include "app/work/workspace.hpp"
#include "core/library/hand_over.hpp"

namespace nb {

/// The name of a take of the library, of a character of it: a take's is its file, a character's its folder.
std::string name_in_library(const Choice& choice, bool is_character);
/// The take and the target on the stage, when the library has both; else nothing.
std::optional<OrderedPair> shown_pair(const Workspace& workspace);

}  // namespace nb
