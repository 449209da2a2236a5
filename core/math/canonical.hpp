// Numbers as documents hold them.
#pragma once

namespace nb {

/// Twelve significant digits, so that what is written and read again is the same; 0 for -0. What is no finite
/// number stays what it is: the writer refuses it.
double canonical(double x);
/// In units of `unit` (degrees of radians, centimetres of metres), to a billionth of it.
double canonical_in(double x, double unit);

}  // namespace nb
