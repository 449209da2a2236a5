// Touch-ups on a motion: on the source before a transfer, on the result after it.
#pragma once
#include <string>
#include <vector>

#include "core/body/touch_layers.hpp"
#include "core/motion/kinematics.hpp"
#include "core/rest/character.hpp"

namespace nb {

/// When the frames of a motion are on the file's clock.
struct MotionClock {
    double start_s = 0.0, frame_time_s = 1.0 / 60.0;
    int first_frame = 0;  ///< of motion: what stands before it is left alone
};

/// Runs the touch-ups of one stage over a body's world motion, layer by layer, each on top of those before. Kinds that
/// change the clock (loop, pace) are no part of it. Frames and joints that none acts on stay to the bit. Returns what
/// did nothing and why, one sentence each: a bone that the body lacks, a kind that is not run here.
std::vector<std::string> touch_motion(const Character& body, WorldMotion& motion, const TouchLayers& layers,
                                      TouchStage stage, const MotionClock& clock);

/// The sentence for a touch-up that does nothing.
std::string idle_touch(TouchKind kind, const std::string& layer, const std::string& why);

/// A loop: the body's pose at `last` is that at `first`, one travel further over the floor.
struct LoopFrames {
    int first = 0, last = 0;
};

/// A take with the touch-ups of stage *source* run over it: first those of motion, then loops, then pace. `notes`: as
/// `touch_motion` returns them. `loops`: those closed in full, as frames of what is returned; may be null.
Take touched_take(const Character& body, const Take& take, const TouchLayers& layers, double start_s,
                  std::vector<std::string>& notes, std::vector<LoopFrames>* loops = nullptr);

}  // namespace nb
