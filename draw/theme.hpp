// The two colour themes: ink (deep blue with bone-white drawing) and paper (the same tones reversed). The
// source is amber and the target teal in both; these two mean nothing else anywhere.
#pragma once
#include <array>
#include <string_view>

namespace nb {

/// Red, green, blue in 0..1, as shown (sRGB).
using Colour = std::array<float, 3>;

constexpr Colour hex(unsigned rgb) {
    return {float((rgb >> 16) & 255u) / 255.0f, float((rgb >> 8) & 255u) / 255.0f,
            float(rgb & 255u) / 255.0f};
}

struct StageTheme {
    Colour zenith, horizon, floor_near, floor_far, grid, shadow, mark, source, target, pinned;
};

inline constexpr StageTheme ink_stage{hex(0x0b1220), hex(0x22324f), hex(0x1a2740), hex(0x22324f),
                                      hex(0x3d5074), hex(0x060b15), hex(0xefe8d8), hex(0xe9a13b),
                                      hex(0x27b3a4), hex(0x8d95a5)};
inline constexpr StageTheme paper_stage{hex(0xf7f3ea), hex(0xe4ddcd), hex(0xece6d8), hex(0xe4ddcd),
                                        hex(0xc3bba8), hex(0x8f8875), hex(0x1c2740), hex(0xd08416),
                                        hex(0x11897c), hex(0x8b8d92)};

inline const StageTheme& stage_theme(std::string_view name) {
    return name == "paper" ? paper_stage : ink_stage;
}

}  // namespace nb
