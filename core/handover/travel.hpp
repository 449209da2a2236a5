// Where the travel of a body is kept: in its hips, on a root bone, or nowhere.
//
//   X_WR(t) = (Rot(+Y, heading), hip centre on the floor)     core/motion/heading.hpp
// raw, or low-passed without phase at a cut-off; without heading it keeps the first frame's; with height it rises with
// the hip centre beyond where that stands at rest (jumps, steps up). The root bone stands at X_WR times its rest; all
// else keeps its place in the world, so root times remainder is the motion to rounding. In place, the motion is
// X_WR^-1 X: it treads over the origin, facing +Z.
#pragma once
#include <string>

#include "core/handover/handed.hpp"

namespace nb {

struct Travel {
    enum class Kind { in_hips, on_root, in_place };
    Kind kind = Kind::in_hips;
    bool has_heading = true;
    bool has_height = false;
    double cut_off_hz = 0.0;  ///< 0: raw
    bool operator==(const Travel&) const = default;
};
std::string_view travel_kind_name(Travel::Kind kind);
std::optional<Travel::Kind> travel_kind(std::string_view name);

/// X_WR of each frame.
std::vector<Rigid> travel_track(const Handed& handed, const Travel& travel);
/// Takes the travel there. A rig without a root bone gets one, called "root", above the joint that moves the body.
/// Tells the hips' largest place and turn before and after.
void take_travel(Handed& handed, const Travel& travel);

/// The track as a table (RFC 4180): frame, time_s, x_m, y_m, z_m, heading_deg.
std::string track_csv(const Handed& handed);

}  // namespace nb
