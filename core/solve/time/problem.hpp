// What the passes along time work on, and never change: the effectors that can be held, what they rest on,
// when, and the motion they are held against.
//
// Supports are frames in the target's world, X_WS; their up is +Y of S. One that stands still has one frame
// for the whole take; one that moves (a floor that runs under a treading cycle) one a frame. A place is held
// in its support's frame.
#pragma once
#include <array>
#include <vector>

#include "core/motion/marks.hpp"
#include "core/solve/program.hpp"

namespace nb {

/// For a floor where there is none.
inline constexpr double no_support_m = 1e30;

struct Support {
    std::vector<Rigid> X_WS;  ///< one a frame; one alone: it stands still
    const Rigid& at(int frame) const { return X_WS[X_WS.size() == 1 ? 0 : size_t(frame)]; }
    double level_m(int frame) const { return at(frame).p.y(); }
};

/// A span in which a point of an effector rests on a support.
struct Hold {
    FootPoint point = FootPoint::ball;
    int first = 0, last = 0;  ///< last: not included
    ContactKind kind = ContactKind::stay;
    size_t support = 0;  ///< of `Problem::supports`
};

/// A limb's end that is held somewhere in the take, or a leg whose tip stays while the hips give way.
struct Effector {
    const LimbOp* op = nullptr;
    const EndOp* end = nullptr;
    std::vector<Hold> holds;
    std::array<std::vector<int>, 3> hold_at;  ///< by point, a frame: index in `holds`, -1: none
    std::vector<Vec3> asked_m;                ///< A: where the tip is asked to be, before anything is held
    std::vector<double> S_stretch, length_m;  ///< of the source's limb; of the target's when straight
    double folded_m = 0.0;                    ///< from its start to its tip when wholly bent; of a hock none
    /// How surely the source rests where this is held, a frame: 1 while the held point is as slow as what rests,
    /// 0 where it goes on, though a person holds it; beside holds that of the nearest held frame.
    std::vector<double> rests;
    /// The share of what is missing that is asked of the hips: theirs, and before the source has come to rest only so
    /// much as it rests, as where it is held on for a moment longer: a foot that flies pulls at nobody. A frame.
    std::vector<double> hips_give;

    size_t limb() const { return op->limb; }
    const Sole& sole() const { return end->sole; }
    bool is_on_floor() const { return end->sole.is_on_floor(); }
    const Hold* hold(FootPoint point, int frame) const {
        const int at = hold_at[size_t(point)][size_t(frame)];
        return at < 0 ? nullptr : &holds[size_t(at)];
    }
    std::array<int, 3> holds_of(int f) const {
        return {hold_at[0][size_t(f)], hold_at[1][size_t(f)], hold_at[2][size_t(f)]};
    }
    bool has_hold(int f) const { return holds_of(f) != std::array<int, 3>{-1, -1, -1}; }
};

/// The hold of a frame that says where the ankle is: the ball before the heel before the tip; -1: none.
int ruling_hold(const Effector& effector, int frame);

/// Knees and seat: the hips alone hold them.
struct BodyHold {
    int T_knee = -1;  ///< -1: the seat
    int first = 0, last = 0;
    ContactKind kind = ContactKind::stay;
    size_t support = 0;
};

struct Problem {
    const Program& program;
    const WorldMotion& source;
    const WorldMotion& target;  ///< after angles and root
    double dt = 0.0;            ///< s
    int first = 0, frames = 0;  ///< frames before `first` are no motion
    double scale = 1.0;         ///< the target's stature by 175 cm
    std::vector<Support> supports;
    std::vector<Effector> effectors;
    std::vector<BodyHold> body_holds;
    std::vector<Vec3> touched_hips_m;  ///< where touch-ups ask the hips to, beside the angles; empty: nowhere
    std::vector<std::string> ignored;  ///< points of contacts by hand that cannot be held here

    bool is_empty() const;  ///< nothing is held
    /// At least `least` frames.
    int frames_in(double seconds, int least = 1) const;
    const Vec3& p(int f, int joint) const { return target.p[target.at(f, joint)]; }
    const Quat& R(int f, int joint) const { return target.R[target.at(f, joint)]; }
    Vec3 hip_centre(int f) const;
    /// F: the effector's world rotation after angles.
    const Quat& foot(const Effector& e, int f) const { return R(f, e.sole().ankle); }
    const Quat& toe(const Effector& e, int f) const {
        return R(f, e.sole().toe < 0 ? e.sole().ankle : e.sole().toe);
    }
    const Vec3& start(const Effector& e, int f) const { return p(f, e.op->T_start); }
    const Rigid& X_WS(const Hold& hold, int f) const { return supports[hold.support].at(f); }
    /// A point seen from the ankle, world axes, with the foot turned by R: the ball as the lowest point of a
    /// sphere; the toe follows what the foot is turned by.
    Vec3 seen(const Effector& e, FootPoint point, const Quat& R_foot, int f) const;
};

/// Contacts by points that this target has and can hold. `target` after angles and root.
Problem make_problem(const Program& program, const Contacts& contacts, const WorldMotion& source,
                     const WorldMotion& target, double frame_time_s, int first_frame);

}  // namespace nb
