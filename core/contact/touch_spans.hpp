// Spans in which something is touched, of its least height along a take: from where h falls under `enter_m` to where it has
// risen over `leave_m`, and of that from where it has come within 1 cm of its least and no faster than 3 cm/s to where it
// leaves so. Heights at 175 cm. Thresholds are this program's own (no published source).
#pragma once
#include <functional>
#include <vector>

#include "core/motion/marks.hpp"

namespace nb {

/// The nearest of what can be touched to a limb in a frame.
struct Nearest {
    static constexpr double never_m = 1.0;
    double h_m = never_m;  ///< at 175 cm
    int part = -1, point = 0;
};

struct TouchRules {
    double enter_m = 0.03, leave_m = 0.05;
    double least_s = 0.1;
};

struct TouchSpanFound {
    int first = 0, last = 0;   ///< last: not included
    int part = -1, point = 0;  ///< of most of its frames
    double least_m = 0.0;
    double seconds = 0.0;
    ContactKind kind = ContactKind::stay;  ///< slide: its place on the part moves by 3 cm or more
};

/// `place_m`: of a point on a part in a frame, in the part's frame, at 175 cm.
std::vector<TouchSpanFound> touch_spans(const std::vector<Nearest>& along, int first_frame,
                                        double frame_time_s,
                                        const std::function<Vec3(int part, int point, int frame)>& place_m,
                                        const TouchRules& rules = {});

}  // namespace nb
