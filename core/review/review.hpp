// The review: how well a transfer follows its source, measured from positions alone. Shares no code with
// the passes of the solve.
//
// Review windows: spans in which a point of the source's foot rests. Fixed thresholds on the source alone,
// scaled to a stature of 175 cm (common practice, no published source): speed over +-25 ms below 20 cm/s,
// height less than 5 cm above the point's lowest place within +-0.75 s, for at least 0.1 s.
//
// Foot slide: horizontal speed of the point inside windows, central difference over one frame each side,
//   |p_xz(t+1) - p_xz(t-1)| / (2 dt), scaled by 1.75 m / stature.
// Tip error: |(tip - start)_T - s (tip - start)_S|, s = limb length of target by source, mean of both sides.
// Direction error: angle between the same segment (joint to next joint) of source and target.
#pragma once
#include <array>
#include <string>
#include <vector>

#include "core/motion/take.hpp"
#include "core/rest/character.hpp"

namespace nb {

struct Stat {
    double median = 0.0;
    double p95 = 0.0;
    double max = 0.0;
    int worst_frame = -1;
    int count = 0;  ///< samples it stands on
};
/// Median, 95th percentile (nearest rank) and maximum of values; frames[i] is where values[i] was met.
Stat statistics(const std::vector<double>& values, const std::vector<int>& frames);

struct ReviewWindow {
    std::string role;  ///< "foot.left", "toe.right"
    int first = 0;
    int last = 0;  ///< not included
};

enum class ReviewMeasure { slide, source_slide, tip, direction };

/// One measure of one row over all frames; 0 where nothing is measured.
struct ReviewSeries {
    ReviewMeasure measure = ReviewMeasure::slide;
    std::string row;            ///< slide: "foot.left"; tip: "arm.left"; direction: "upperarm.left"
    std::vector<float> values;  ///< cm/s at 175 cm; cm; degrees
};

struct NamedStat {
    std::string name;
    Stat stat;
};

struct Review {
    int frames = 0;
    double fps = 0.0;
    double source_stature_m = 0.0;
    double target_stature_m = 0.0;
    std::vector<ReviewWindow> windows;
    Stat source_slide_cm_s;  ///< at 175 cm
    Stat target_slide_cm_s;
    std::vector<NamedStat> slide_cm_s;     ///< target, a contact role
    std::vector<NamedStat> tip_cm;         ///< a limb
    std::vector<NamedStat> direction_deg;  ///< a role
    /// The same by frame, for drawing: a row a foot, limb or role.
    std::vector<ReviewSeries> series;

    const ReviewSeries* find_series(ReviewMeasure measure, std::string_view row) const;

    double worst_tip_p95_cm() const;
    double worst_direction_p95_deg() const;
};

/// Both motions have the same frames. `first_frame`: frames before it are left out.
Review review_transfer(const Character& source, const WorldMotion& source_motion, const Character& target,
                       const WorldMotion& target_motion, double frame_time_s, int first_frame);

/// Windows of the source alone.
std::vector<ReviewWindow> find_review_windows(const Character& source, const WorldMotion& motion,
                                              double frame_time_s, int first_frame);

}  // namespace nb
