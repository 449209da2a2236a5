// What a command would write, looked at before it reads anything.
#pragma once
#include "cli/commands.hpp"

namespace nb::cli {

/// Throws WrongUse when a file to be written is one that is read, or stands twice; and, without --force, when
/// one is there already. Also followed: the motion and the character a *.take.json names.
void check_outputs(const Options& options);

}  // namespace nb::cli
