// Units that files with a body are found in.
#pragma once
#include <array>

namespace nb {

struct KnownUnit {
    double metres;
    const char* name;
};
/// In the order in which they are tried; the last is the unit of a widespread open capture set (inch / 0.45).
inline constexpr std::array<KnownUnit, 7> known_units{{{0.01, "centimetre"},
                                                       {1.0, "metre"},
                                                       {0.0254, "inch"},
                                                       {0.001, "millimetre"},
                                                       {0.1, "decimetre"},
                                                       {0.3048, "foot"},
                                                       {0.0254 / 0.45, "inch / 0.45"}}};

}  // namespace nb
