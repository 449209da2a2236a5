// A result on its way out: the body as it will be written and its motion, which the steps of a hand over change
// (span, rate, stance, placement, travel) before a format writes it.
#pragma once
#include <functional>
#include <string>
#include <vector>

#include "core/motion/kinematics.hpp"
#include "core/motion/take.hpp"
#include "core/rest/character.hpp"
#include "core/solve/engine.hpp"

namespace nb {

struct Handed {
    Character character;  ///< rig, roles and rest; a root bone that was added is among its joints
    WorldMotion motion;
    std::string name;                           ///< of the take
    std::string frame_time_text;                ///< as written
    std::vector<int> own_places;                ///< joints whose places are keys
    std::vector<std::vector<int>> kept_frames;  ///< by joint: where contacts of its limb begin and end
    int top = -1;                               ///< the joint that moves the body
    int root = -1;                              ///< the root bone that carries the travel; -1: none does
    double starts_at_s = 0.0;  ///< the take's file on the clock of the shoot; 0: it says none
    int props = 0;  ///< the last so many joints are things beside the body (core/handover/props.hpp)
    bool is_root_added = false;  ///< the rig's file has no such bone
    std::vector<Rigid> track;    ///< X_WR a frame, where the travel was taken out of the hips; may be empty
    std::vector<std::string> told;  ///< what was done, a sentence each
};

/// A result as it is shown, on its character. `moved`: the motion is taken out of `result`.
Handed handed_of(const Character& target, TransferResult&& result);
Handed handed_of(const Character& target, const TransferResult& result);

/// The motion as local turns and places: what writers take.
Take local_take(const Handed& handed);

/// By joint: 1 where it goes with the body. Others stand still in the file: a root bone that carries nothing.
std::vector<char> with_the_body(const Handed& handed);
/// Of a joint that comes new: its place, then its turn about Y, X, Z.
std::vector<Channel> new_channels();
/// What goes with the body moves by X(frame), world.
void move_body(Handed& handed, const std::function<Rigid(int)>& by);

/// Frames first up to, not including, last.
void cut(Handed& handed, int first, int last);
/// At another rate, duration kept (core/motion/edit.hpp).
void at_rate(Handed& handed, double fps);
/// One frame more at the beginning: the body in its aligned rest, where the first frame is, facing as it does.
void put_stance_first(Handed& handed);

/// Where the whole take goes: turned by `yaw_rad` about its first place on the floor, then moved.
struct Placement {
    bool starts_at_origin = false;  ///< first place over the origin, facing +Z
    Vec3 move_m = Vec3::Zero();
    double turn_rad = 0.0;
    bool operator==(const Placement&) const = default;
    bool is_none() const { return *this == Placement{}; }
};
void place_take(Handed& handed, const Placement& placement);

}  // namespace nb
