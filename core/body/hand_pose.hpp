// A hand's shape: turns of fingers since the straight aligned hand, so that one fits every rig and any count of fingers
// and of their bones.
//
// In the aligned T the fingers lie straight along the arm, palm down (core/rest/stance.hpp). Of each third of a finger
// from the knuckle on, in this order: spread about the palm's normal, positive away from the middle finger (of the
// thumb: away from the index); roll about the finger's own line; bend about the axis across the palm, toward it. The
// thumb is turned about the arm's line by `oppose` first, and bends across its own direction, toward the little finger.
#pragma once
#include <array>
#include <string>

namespace nb {

inline constexpr std::array<const char*, 5> digits{"thumb", "index", "middle", "ring", "little"};

struct HandPose {
    struct Digit {
        std::array<double, 3> bend_rad{};
        std::array<double, 3> spread_rad{};
        std::array<double, 3> roll_rad{};
        bool operator==(const Digit&) const = default;
    };
    std::string name;
    std::array<Digit, 5> of;  ///< by `digits`
    double oppose_rad = 0.0;  ///< of the thumb
    bool operator==(const HandPose&) const = default;
};

}  // namespace nb
