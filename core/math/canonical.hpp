// Numbers as documents hold them.
#pragma once

namespace nb {

/// Twelve significant digits, so that what is written and read again is the same; 0 for -0 and for what is no
/// number.
double canonical(double x);

}  // namespace nb
