// The passes of the solve, one table: what documents, command line, panel and effects know of each. What a
// pass computes stands in its own file; `run_passes` runs them over one frame.
//
// Invariants: lengths of the target never change (lengths that follow: 0); with source = target every pass is
// the identity. A further pass: its file (op, compile, run a frame), a switch in `Passes`, a row here, a line
// in `compile_plan` and in `run_passes`.
#pragma once
#include <array>

#include "core/solve/program.hpp"

namespace nb {

struct PassRow {
    const char* name;
    bool Passes::*is_on;
    const char* does;     ///< a sentence
    bool Passes::*needs;  ///< does nothing without that one; null: none
    /// Joints it turns, for passes whose effect is told as the largest turn; null: told as the mean distance
    /// over all joints.
    bool (*turns)(const Program& program, int joint);
    /// Said where it turns no joint of this pair, or has nothing to act on. May be null.
    const char* idle;
    /// Whether it has something to act on; null: always.
    bool (*acts)(const Program& program) = nullptr;
};

bool is_gathered(const Program& program, int joint);
bool is_twisted(const Program& program, int joint);
bool has_touches(const Program& program);
bool has_things(const Program& program);
bool has_skins(const Program& program);

/// In the order in which they are told.
inline constexpr std::array<PassRow, 9> pass_table{{
    {"gather", &Passes::gather, "Roll that the source's twist bones carry comes back to the limb they lie in",
     nullptr, is_gathered, "nothing to gather"},
    {"root", &Passes::root,
     "Carries the hips through the world, scaled by the legs; a standing foot stays on the floor", nullptr,
     nullptr, nullptr},
    {"angles", &Passes::angles, "Every bone turns as the source's has turned since its rest", nullptr,
     nullptr, nullptr},
    {"reach", &Passes::reach, "Limbs carried by their tip reach where the source's do, in their own scale",
     nullptr, nullptr, nullptr},
    {"contacts", &Passes::contacts,
     "What rests in the take stays where it is; the hips give way so that the feet reach. The lanes under "
     "the strip show when",
     &Passes::reach, nullptr, nullptr},
    {"touch", &Passes::touch,
     "A hand that touches the own body in the take lies at the same place of the target's skin. The lanes "
     "under the "
     "strip show when",
     nullptr, nullptr, "no hand lies on the body", has_touches},
    {"hold", &Passes::hold, "What hands hold in the take goes with the target's hands, and they lie on it",
     nullptr, nullptr, "nothing is held", has_things},
    {"clear", &Passes::clear,
     "Forearms and hands stay out of the body, shins and feet out of the other leg, where they are not in it "
     "in the take",
     &Passes::reach, nullptr, "a body's skin is not known", has_skins},
    {"twist", &Passes::twist,
     "Roll is spread along the limbs by their twist bones, so that skin does not wring", nullptr, is_twisted,
     "no twist bones"},
}};

/// False where it has nothing to do in this pair, or lacks a pass that it needs.
bool can_run(const PassRow& pass, const Program& program);

/// What is held in a frame, as the passes take it on.
struct HeldFrame {
    const FrameCorrection* by = nullptr;
    FrameCorrection moved;  ///< the same with hips that touch-ups place
};
/// Those before hands touch and hold: angles, root, reach. What touch-ups turn of followers is kept with the target until
/// the thread's next frame (`TargetFrame::touched_R_PJ`).
void stand_passes(const Program& program, const SourceFrame& source, TargetFrame& target, HeldFrame& held);
/// All passes over one frame. `held`: what contacts add there.
void run_passes(const Program& program, const SourceFrame& source, TargetFrame& target,
                const FrameCorrection* held);
/// Runs and limbs that are carried by their tip, or held.
void pass_reach(const Program& program, const SourceFrame& source, TargetFrame& target,
                const FrameCorrection* held = nullptr);

}  // namespace nb
