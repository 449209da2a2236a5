#include "core/review/review.hpp"

#include <algorithm>
#include <cmath>

#include "core/rest/measures.hpp"

namespace nb {

namespace {

constexpr double reference_stature_m = 1.75;
constexpr double still_speed_m_s = 0.20;
constexpr double low_height_m = 0.05;
constexpr double height_reach_s = 0.75;
constexpr double speed_reach_s = 0.025;
constexpr double least_window_s = 0.1;

struct Segment {
    const char* from;
    const char* to;
};
constexpr std::array<Segment, 4> segments{
    {{"upperarm", "forearm"}, {"forearm", "hand"}, {"thigh", "shin"}, {"shin", "foot"}}};

double worst_p95(const std::vector<NamedStat>& stats) {
    double worst = 0.0;
    for (const auto& named : stats) worst = std::max(worst, named.stat.p95);
    return worst;
}

}  // namespace

Stat statistics(const std::vector<double>& values, const std::vector<int>& frames) {
    Stat stat;
    stat.count = int(values.size());
    if (values.empty()) return stat;
    const auto worst = std::max_element(values.begin(), values.end());
    stat.max = *worst;
    stat.worst_frame = frames[size_t(worst - values.begin())];
    std::vector<double> sorted = values;
    std::sort(sorted.begin(), sorted.end());
    const auto rank = [&](double share) {
        return sorted[size_t(std::ceil(share * double(sorted.size()))) - 1];
    };
    stat.median = rank(0.5);
    stat.p95 = rank(0.95);
    return stat;
}

const ReviewSeries* Review::find_series(ReviewMeasure measure, std::string_view row) const {
    const auto at = std::find_if(series.begin(), series.end(),
                                 [&](const ReviewSeries& s) { return s.measure == measure && s.row == row; });
    return at == series.end() ? nullptr : &*at;
}
double Review::worst_tip_p95_cm() const {
    return worst_p95(tip_cm);
}
double Review::worst_direction_p95_deg() const {
    return worst_p95(direction_deg);
}

std::vector<ReviewWindow> find_review_windows(const Character& source, const WorldMotion& motion,
                                              double frame_time_s, int first_frame) {
    std::vector<ReviewWindow> windows;
    const double to_reference = reference_stature_m / stature(source.rig.skeleton, source.roles);
    const int speed_reach = std::max(1, int(std::lround(speed_reach_s / frame_time_s)));
    const int height_reach = std::max(1, int(std::lround(height_reach_s / frame_time_s)));
    const int least = std::max(2, int(std::lround(least_window_s / frame_time_s)));
    for (const auto* role : {"foot.left", "toe.left", "foot.right", "toe.right"}) {
        const int joint = source.roles.joint(role);
        if (joint < 0) continue;
        const auto place = [&](int frame) -> const Vec3& { return motion.p[motion.at(frame, joint)]; };
        int start = -1;
        for (int f = first_frame; f <= motion.frames; ++f) {
            bool rests = false;
            if (f < motion.frames) {
                const int before = std::max(first_frame, f - speed_reach);
                const int after = std::min(motion.frames - 1, f + speed_reach);
                const double speed =
                    after > before ? (place(after) - place(before)).norm() / ((after - before) * frame_time_s)
                                   : 0.0;
                double lowest = place(f).y();
                for (int g = std::max(first_frame, f - height_reach);
                     g <= std::min(motion.frames - 1, f + height_reach); ++g)
                    lowest = std::min(lowest, place(g).y());
                rests = speed * to_reference < still_speed_m_s &&
                        (place(f).y() - lowest) * to_reference < low_height_m;
            }
            if (rests && start < 0) start = f;
            if (!rests && start >= 0) {
                if (f - start >= least) windows.push_back({role, start, f});
                start = -1;
            }
        }
    }
    return windows;
}

Review review_transfer(const Character& source, const WorldMotion& S, const Character& target,
                       const WorldMotion& T, double frame_time_s, int first_frame) {
    Review review;
    review.frames = S.frames;
    review.fps = 1.0 / frame_time_s;
    review.source_stature_m = stature(source.rig.skeleton, source.roles);
    review.target_stature_m = stature(target.rig.skeleton, target.roles);
    review.windows = find_review_windows(source, S, frame_time_s, first_frame);
    const auto add_series = [&](ReviewMeasure measure, const std::string& row) -> std::vector<float>& {
        review.series.push_back({measure, row, std::vector<float>(size_t(S.frames), 0.0f)});
        return review.series.back().values;
    };
    for (const ReviewMeasure measure : {ReviewMeasure::slide, ReviewMeasure::source_slide})
        for (const auto* foot : {"foot.left", "foot.right"}) add_series(measure, foot);

    const auto slide = [&](const WorldMotion& motion, int joint, int frame, double stature_m) {
        Vec3 step = motion.p[motion.at(frame + 1, joint)] - motion.p[motion.at(frame - 1, joint)];
        step.y() = 0.0;
        return 100.0 * step.norm() / (2.0 * frame_time_s) * reference_stature_m / stature_m;
    };
    std::vector<double> source_slide;
    std::vector<double> target_slide;
    std::vector<int> slide_frames;
    for (const auto* role : {"foot.left", "toe.left", "foot.right", "toe.right"}) {
        const int S_joint = source.roles.joint(role);
        const int T_joint = target.roles.joint(role);
        if (S_joint < 0 || T_joint < 0) continue;
        std::vector<double> own;
        std::vector<int> own_frames;
        for (const ReviewWindow& window : review.windows) {
            if (window.role != role) continue;
            for (int f = std::max(window.first, first_frame + 1); f < std::min(window.last, S.frames - 1);
                 ++f) {
                source_slide.push_back(slide(S, S_joint, f, review.source_stature_m));
                own.push_back(slide(T, T_joint, f, review.target_stature_m));
                own_frames.push_back(f);
                // The first four series are slide left and right, source slide left and right.
                const size_t side = role_side(role) == Side::left ? 0 : 1;
                for (const auto& [row, value] :
                     {std::pair{side, own.back()}, std::pair{side + 2, source_slide.back()}}) {
                    float& by_frame = review.series[row].values[size_t(f)];
                    by_frame = std::max(by_frame, float(value));
                }
            }
        }
        target_slide.insert(target_slide.end(), own.begin(), own.end());
        slide_frames.insert(slide_frames.end(), own_frames.begin(), own_frames.end());
        review.slide_cm_s.push_back({role, statistics(own, own_frames)});
    }
    review.source_slide_cm_s = statistics(source_slide, slide_frames);
    review.target_slide_cm_s = statistics(target_slide, slide_frames);

    std::vector<double> values;
    std::vector<int> frames;
    for (const std::string side : {".left", ".right"}) {
        for (const Segment& segment : segments) {
            const int S_from = source.roles.joint(segment.from + side);
            const int S_to = source.roles.joint(segment.to + side);
            const int T_from = target.roles.joint(segment.from + side);
            const int T_to = target.roles.joint(segment.to + side);
            if (std::min({S_from, S_to, T_from, T_to}) < 0) continue;
            values.clear();
            frames.clear();
            for (int f = first_frame; f < S.frames; ++f) {
                const Vec3 a = S.p[S.at(f, S_to)] - S.p[S.at(f, S_from)];
                const Vec3 b = T.p[T.at(f, T_to)] - T.p[T.at(f, T_from)];
                values.push_back(rad_to_deg(angle_between(a, b)));
                frames.push_back(f);
            }
            auto& by_frame = add_series(ReviewMeasure::direction, segment.from + side);
            std::transform(values.begin(), values.end(), by_frame.begin() + first_frame,
                           [](double v) { return float(v); });
            review.direction_deg.push_back({segment.from + side, statistics(values, frames)});
        }
        for (const std::string limb : {"arm", "leg"}) {
            const bool is_leg = limb == "leg";
            const std::string start = (is_leg ? "thigh" : "upperarm") + side;
            const std::string tip = (is_leg ? "foot" : "hand") + side;
            const int S_start = source.roles.joint(start);
            const int S_tip = source.roles.joint(tip);
            const int T_start = target.roles.joint(start);
            const int T_tip = target.roles.joint(tip);
            if (std::min({S_start, S_tip, T_start, T_tip}) < 0) continue;
            const double scale = is_leg ? leg_length(target.rig.skeleton, target.roles) /
                                              leg_length(source.rig.skeleton, source.roles)
                                        : arm_length(target.rig.skeleton, target.roles) /
                                              arm_length(source.rig.skeleton, source.roles);
            values.clear();
            frames.clear();
            for (int f = first_frame; f < S.frames; ++f) {
                const Vec3 a = S.p[S.at(f, S_tip)] - S.p[S.at(f, S_start)];
                const Vec3 b = T.p[T.at(f, T_tip)] - T.p[T.at(f, T_start)];
                values.push_back(100.0 * (b - scale * a).norm());
                frames.push_back(f);
            }
            auto& by_frame = add_series(ReviewMeasure::tip, limb + side);
            std::transform(values.begin(), values.end(), by_frame.begin() + first_frame,
                           [](double v) { return float(v); });
            review.tip_cm.push_back({limb + side, statistics(values, frames)});
        }
    }
    return review;
}

}  // namespace nb
