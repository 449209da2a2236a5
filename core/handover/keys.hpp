// Which frames of a motion become keys: all, or the fewest with which no joint errs by more than is allowed.
//
// Between keys a player goes straight: places linearly, turns by slerp; or along a curve, the cubic Hermite of both keys
// and their slopes, of turns component by component and made of unit length (glTF 2.0, ISO/IEC 12113, appendix C: LINEAR
// and CUBICSPLINE). A slope is half of what goes on between the frames beside the key. A curved key holds three values
// where a straight one holds one: a channel is curved where that halves its keys. Reduction:
//   1. A channel may err by 1.5 e: turns by e = min(turn, place / lever), lever the way to the joint's farthest
//      descendant at rest; places by e = place. Greedily from each key as far as the frames between stay within that,
//      by doubling and bisection; frames to keep are keys.
//   2. The whole body is posed in every frame, from the keys and from the motion. Where a joint is too far off, the
//      channel above it that errs most there (its error times the way to that joint) gets a key at the worst frame of
//      every five; again until there is none.
//   3. Keys without which all joints below stay within what is allowed are left out, one after another.
#pragma once
#include <algorithm>
#include <span>
#include <vector>

#include "core/base/watch.hpp"
#include "core/motion/motion_view.hpp"

namespace nb {

/// Frames of each channel, rising. A single one: it never moves. None: it stays at rest.
struct MotionKeys {
    std::vector<std::vector<int>> turns;   ///< by joint
    std::vector<std::vector<int>> places;  ///< by place in `Take::translated`
    std::vector<char> are_turns_curved;    ///< by joint; empty: none is
    std::vector<char> are_places_curved;   ///< by place in `Take::translated`; empty: none is
    size_t count() const;
    bool is_turn_curved(int joint) const {
        return !are_turns_curved.empty() && are_turns_curved[size_t(joint)];
    }
    bool is_place_curved(size_t m) const { return !are_places_curved.empty() && are_places_curved[m]; }
    /// Of a joint's place; empty also where the take has none.
    std::span<const int> places_of(const Take& about, int joint) const;
};

/// A key a frame for what ever leaves its rest.
MotionKeys key_every_frame(const Skeleton& skeleton, const MotionView& motion);

/// Of a curved key, a frame. `value`: of a frame, as a vector; turns on the side of frame `f`.
template <typename Get>
auto key_slope(const Get& value, int f, int frames) {
    const int before = std::max(0, f - 1), after = std::min(frames - 1, f + 1);
    return ((value(after) - value(before)) / std::max(1, after - before)).eval();
}

/// How much a joint may be off in the world, and what keys may be.
struct KeyTolerance {
    double place_m = 0.0005;
    double turn_rad = deg_to_rad(0.2);
    bool may_curve = false;  ///< curved where that halves them
    bool operator==(const KeyTolerance&) const = default;
};

/// What playing keys differs by from the motion: the worst joint and frame.
struct KeyError {
    double place_m = 0.0, turn_rad = 0.0;
    int place_joint = -1, place_frame = -1;
    int turn_joint = -1, turn_frame = -1;
};

struct Reduction {
    MotionKeys keys;
    size_t before = 0;  ///< keys with a key a frame
    KeyError error;
};

/// `kept`: by joint, frames that stay keys of its channels (where contacts begin and end); may be empty.
Reduction reduce_keys(const Skeleton& skeleton, const MotionView& motion, const KeyTolerance& allowed,
                      const std::vector<std::vector<int>>& kept = {}, const Watch& watch = {});

}  // namespace nb
