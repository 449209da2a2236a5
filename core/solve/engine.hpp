// The engine: runs a compiled plan over a whole take, frames in parallel.
#pragma once
#include <array>
#include <atomic>
#include <functional>

#include "core/motion/kinematics.hpp"
#include "core/motion/take.hpp"
#include "core/solve/passes.hpp"
#include "core/solve/plan.hpp"
#include "core/solve/time/passes.hpp"

namespace nb {

/// What is told of a result beside its review, a sentence each: roles without a partner, contacts by hand that
/// cannot be held.
struct TransferResult;
std::vector<std::string> notes_of(const TransferResult& result);

struct TransferResult {
    Plan plan;
    WorldMotion source;  ///< the source's world motion, not scaled by the place map
    WorldMotion target;
    Contacts contacts;                     ///< of the source: as kept with the take, else as found
    Corrections corrections;               ///< what holding them adds
    std::vector<std::string> touch_notes;  ///< touch-ups that do nothing, and why
    Take take;  ///< local motion of the target's skeleton, translations for the hips
};

/// Told how many frames are done; returns false to cancel. Called from worker threads.
using Progress = std::function<bool(int done, int of)>;

/// Results are the same bit for bit for any number of threads (0: as many as there are cores). Throws
/// FileError when a character lacks hips or legs; std::runtime_error("cancelled") when progress says stop.
TransferResult transfer(const Character& source, const Take& take, const Character& target,
                        const PairingSettings& settings, int threads = 0, const Progress& progress = {});
/// The same in a scene: with what goes on beside it.
TransferResult transfer_beside(const Character& source, const Take& take, const Character& target,
                               const PairingSettings& settings, const Known& known,
                               std::shared_ptr<const Beside> beside, int threads = 0,
                               const Progress& progress = {});

/// The same for takes that fill the memory: lets go of the take's frames once its world motion is known, and
/// bakes nothing (`result.take` has no rotations; core/solve/baked.hpp gives them frame by frame).
TransferResult transfer_lean(const Character& source, Take take, const Character& target,
                             const PairingSettings& settings, int threads = 0, const Progress& progress = {});

/// One frame alone, for the frame on screen. `result` must come from `transfer` of the same characters.
/// `held`: what contacts add there.
void solve_frame(const Program& program, const WorldMotion& source, WorldMotion& target, int frame,
                 const FrameCorrection* held = nullptr);
/// The same for a pose at a time on the clock of the take's file. `target` has room for one entry a joint.
void solve_pose(const Program& program, const Pose& source, Pose& target,
                const FrameCorrection* held = nullptr, double t_s = 0.0);

/// What each pass does to the body in a pose, beside the result without it, by `pass_table`: mean distance over
/// the target's joints, cm; of passes that turn joints alone the largest turn, degrees. Passes that are off:
/// what they would do.
using PassEffects = std::array<double, pass_table.size()>;
PassEffects pass_effects(const Program& program, const Pose& source, const FrameCorrection* held = nullptr,
                         double t_s = 0.0);

/// What reaching with one limb does to one bone in a pose: how far its joint is moved beside the result without
/// that limb's reach. Bones moved by more than a millimetre, a limb's most moved first.
struct ReachEffect {
    std::string limb;  ///< "leg.left"
    int joint = -1;    ///< of the target
    double cm = 0.0;
};
std::vector<ReachEffect> reach_effects(const Program& program, const Pose& source,
                                       const FrameCorrection* held = nullptr, double t_s = 0.0);

}  // namespace nb
