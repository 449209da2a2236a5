// Clips of one body in a row: the later is moved on the floor so that it meets the earlier, and they are blended over
// an overlap with the feet where they stand.
//
//   near     Poses are compared as clouds of their joints over a window, the later one turned about +Y and moved on the
//            floor so that it lies nearest: D = min sum w |p - T p'|^2, in closed form (Kovar, Gleicher, Pighin, Motion
//            graphs, 2002; from memory).
//   meet     T turns the later clip by the difference of headings in the middle of the overlap, then moves it so that the
//            point (a foot, a hand, the hips) is at one place of the floor there; where its ground lies 5 cm and more
//            higher or lower (lowest ankle in the overlap), it is raised or lowered onto that of the earlier.
//   blend    w(u) = u^2 (3 - 2u) over the overlap: hips and turns of all joints go over on the shortest way; ankles go
//            over in the world, legs reach them (two bones), feet keep the blend of their world turns. What stands in
//            both clips at one place stands.
#pragma once
#include <array>
#include <string>
#include <vector>

#include "core/handover/handed.hpp"

namespace nb {

/// A turn about +Y and a move on the floor.
struct FloorMove {
    double yaw_rad = 0.0, x_m = 0.0, z_m = 0.0;
    Rigid rigid() const { return {exp_rotation(yaw_rad * Vec3::UnitY()), Vec3(x_m, 0.0, z_m)}; }
};
/// The move of `b` that brings it nearest to `a`, point by point; `distance_m`: the mean way left. Equal sizes.
FloorMove nearest_floor_move(const std::vector<Vec3>& a, const std::vector<Vec3>& b, double& distance_m);

struct Seam {
    std::string point = "hips";  ///< the role that must meet on the floor
    double overlap_s = 0.3;
    bool is_searched =
        true;  ///< where poses are nearest, within `search_s` of the clips' ends; else at the ends
    double search_s = 0.5;
};

/// How a seam came out.
struct SeamReport {
    int frame = 0;               ///< of the joined motion, at its middle
    int first = 0, overlap = 0;  ///< frames of the joined motion: where the overlap begins, how long it is
    int cut_earlier = 0, cut_later = 0;  ///< frames left out before and after it
    double place_error_m = 0.0;          ///< of the point, over the overlap, largest
    double heading_error_rad = 0.0;
    double step_m = 0.0;                ///< by which the later clip is raised: its ground lies elsewhere
    double distance_m = 0.0;            ///< of the clouds, mean
    double jerk = 0.0, own_jerk = 0.0;  ///< p95 of the joints' in the overlap, and of the clips' own; m/s^3
    /// Both clips where the overlap begins, in its middle and where it ends: a place a joint, the later moved; world, m.
    struct Poses {
        std::vector<Vec3> earlier, later;
    };
    std::array<Poses, 3> poses;
};

/// The clips one after another; one seam fewer. `pad_s`: the first and last pose held so long. All at the first one's
/// rate. Throws std::invalid_argument for clips of other skeletons, or shorter than their overlap.
Handed join_clips(std::vector<Handed> clips, const std::vector<Seam>& seams, double pad_first_s,
                  double pad_last_s, std::vector<SeamReport>& reports);

/// Played faster: 110 percent takes 1 / 1.1 of the time.
void pace_clip(Handed& clip, double percent);

}  // namespace nb
