// The review: how well a transfer follows its source, measured from the two motions alone (formulas:
// docs/review.md). Shares no code with the solve: points that
// stand, ground and k are its own (core/review/feet.hpp, core/review/ground.hpp). Lengths are told at a stature of 175 cm where they say so.
//
// Windows: core/review/windows.hpp. Core: a window without 50 ms at each end; edge: those ends.
// Foot slide: horizontal speed of a resting point, central difference over one frame each side,
//   |p_xz(t+1) - p_xz(t-1)| / (2 dt), scaled by 1.75 m / stature.
// Drift: largest horizontal distance of the point from its mean place, in the core of a window.
// Height: |height of the point over its support| in the core; the support at k * level.
// Below the floor: depth of the lowest of heel, ball and toe tip, wherever there is a floor under the foot;
//   a point that the source holds more than 3 cm (at 175 cm) below a floor is beside it, not over it.
// Tip: |(tip - start)_T - s (tip - start)_S|, s = limb length of target by source, mean of both sides.
// Direction: angle between the same segment (joint to next joint) of source and target.
// Bend plane: angle between the planes of elbow and knee, where both bend by 20 degrees and more.
// Wring: roll between a limb's bone and the next one, about the bone, since the aligned rest.
// Head travel: |(h_T - h_T mean) - s (h_S - h_S mean)|, h the head over the hip centre, means over the take, s leg length of
//   target by source.
// Jitter: angular acceleration, root mean square over +-0.1 s, by the larger of the source's and 50 rad/s^2.
// Touching: core/review/touching.hpp. Holding: core/review/held.hpp. Ranges of joints: core/review/ranges.hpp.
// Hip path: hip centre beside M(hip centre), mean over +-0.25 s, RMS by leg length.
#pragma once
#include <array>
#include <string>
#include <vector>

#include "core/motion/kinematics.hpp"
#include "core/review/held.hpp"
#include "core/review/ranges.hpp"
#include "core/review/smoothness.hpp"
#include "core/review/statistics.hpp"
#include "core/review/touching.hpp"
#include "core/review/windows.hpp"

namespace nb {

enum class ReviewMeasure {
    slide,
    source_slide,
    height,
    below,
    tip,
    direction,
    bend,
    wring,
    turn_change,
    gap,
    depth,
    range,
    held,
    head,
    jitter
};

/// One measure of one row over all frames; 0 where nothing is measured.
struct ReviewSeries {
    ReviewMeasure measure = ReviewMeasure::slide;
    std::string row;  ///< slide, height, below: "foot.left"; tip, bend, depth: "arm.left"; else a role
    std::vector<float>
        values;  ///< cm/s at 175 cm; cm; degrees; turn_change: deg/s beyond the source's; jitter: by what it
                 ///< is over 1
};

struct NamedStat {
    std::string name;
    Stat stat;
};

/// A lock that could not be met, as the solve tells it.
struct ReachDeficit {
    std::string point;
    int first = 0, last = 0;
    int worst_frame = 0;
    double missing_cm = 0.0;
};

/// What the solve tells beside its motion.
struct ReviewTold {
    Vec3 map_about = Vec3::Zero();  ///< place on the floor that the place map keeps, m
    Vec3 map_aside = Vec3::Zero();  ///< how far aside it puts all, m
    double asked_k = 0.0;  ///< place map that a person set; 0: leg length of target by source, as measured
    std::vector<ReachDeficit> deficits;
    int held_frames = 0;
    std::vector<ToldTouch> touches;
    std::vector<ToldHold> holds;
};

struct Review {
    int frames = 0;
    double fps = 0.0;
    double source_stature_m = 0.0;
    double target_stature_m = 0.0;
    std::vector<ReviewWindow> windows;
    Stat source_slide_cm_s;  ///< core, at 175 cm
    Stat target_slide_cm_s;
    Stat source_edge_cm_s;  ///< the first and last 50 ms
    Stat target_edge_cm_s;
    Stat drift_mm;
    Stat height_mm;
    Stat below_mm;
    int frames_without_floor = 0;          ///< over both feet
    std::vector<NamedStat> slide_cm_s;     ///< target, a contact point, core
    std::vector<NamedStat> tip_cm;         ///< a limb
    std::vector<NamedStat> direction_deg;  ///< a role
    std::vector<NamedStat> bend_deg;       ///< a limb
    std::vector<NamedStat> wring_deg;      ///< a role
    std::vector<RoleSmoothness> smoothness;
    double bone_length_change = 0.0;  ///< largest, relative
    double hip_path = 0.0;            ///< share of leg length
    HoldReview holding;               ///< hands on things and on what stands there
    Stat head_cm;                     ///< of the head's travel, what is not as the source's, at 175 cm
    TouchReview touching;             ///< of bodies with a mesh
    std::vector<RangeExcess> over_range, source_over_range;  ///< joints beyond people's, of target and source
    std::vector<ReachDeficit> deficits;
    int held_frames = 0;
    /// The same by frame, for drawing: a row a foot, limb or role.
    std::vector<ReviewSeries> series;

    const ReviewSeries* find_series(ReviewMeasure measure, std::string_view row) const;

    double worst_tip_p95_cm() const;
    double worst_direction_p95_deg() const;
    int pop_count() const;
    double worst_jitter() const;
    /// Share of held frames that were released.
    double released_share() const;
};

/// Both motions have the same frames. `first_frame`: frames before it are left out.
Review review_transfer(const Character& source, const WorldMotion& source_motion, const Character& target,
                       const WorldMotion& target_motion, double frame_time_s, int first_frame,
                       const ReviewTold& told = {});

}  // namespace nb
