// Memory that is free, given back to the machine.
#pragma once

namespace nb {

/// After much was read and let go of: what lies free between what stays goes back. Does nothing where the library of C has
/// no such call. A few milliseconds.
void give_back_memory();

}  // namespace nb
