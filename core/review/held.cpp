#include "core/review/held.hpp"

#include <Eigen/Cholesky>
#include <algorithm>
#include <cmath>
#include <optional>

#include "core/body/measures.hpp"
#include "core/motion/looks.hpp"
#include "core/review/skin_gap.hpp"

namespace nb {

namespace {

constexpr double toward_wrist = 1e-4;
constexpr double core_s = 0.05;
constexpr double looks_a_second = 5.0;
constexpr double reach_m = 0.5;

/// What is left at each frame of a hold, m.
std::vector<double> left_over(const WorldMotion& motion, int hand, const ToldHold& hold,
                              const std::vector<Rigid>& thing) {
    const int count = hold.last - hold.first;
    std::vector<Mat3> R;
    std::vector<Vec3> t;
    Mat3 R_mean = Mat3::Zero();
    Vec3 t_mean = Vec3::Zero();
    for (int i = 0; i < count; ++i) {
        const size_t at = motion.at(hold.first + i, hand);
        const Rigid X_PH = inverse(thing[size_t(i)]) * Rigid{motion.R[at], motion.p[at]};
        R.push_back(X_PH.R.toRotationMatrix());
        t.push_back(X_PH.p);
        R_mean += R.back() / count;
        t_mean += t.back() / count;
    }
    // b is the mean of what a comes to; a by what is left of each frame beside the mean.
    Mat3 A = toward_wrist * count * Mat3::Identity();
    Vec3 y = Vec3::Zero();
    for (size_t i = 0; i < R.size(); ++i) {
        const Mat3 beside = R[i] - R_mean;
        A += beside.transpose() * beside;
        y -= beside.transpose() * (t[i] - t_mean);
    }
    const Vec3 a = A.ldlt().solve(y);
    const Vec3 b = R_mean * a + t_mean;
    std::vector<double> left;
    for (size_t i = 0; i < R.size(); ++i) left.push_back((R[i] * a + t[i] - b).norm());
    return left;
}

/// Metres to millimetres at 175 cm.
double mm_of(const Character& body) {
    return 1000.0 * reference_stature_m / std::max(0.01, stature(body.rig.skeleton, body.roles));
}

}  // namespace

HoldReview review_holds(const Character& source, const WorldMotion& source_motion, const Character& target,
                        const WorldMotion& target_motion, const std::vector<ToldHold>& holds) {
    HoldReview review;
    std::vector<double> slides, own_slides, offs;
    std::vector<int> at_slide, at_own, at_off;
    const int core = int(std::lround(core_s / target_motion.frame_time_s));
    const int step = look_step(target_motion.frame_time_s, looks_a_second);
    const double to_mm = mm_of(target);
    std::array<std::optional<SkinGauge>, 2> gauges;
    for (const ToldHold& hold : holds) {
        const std::string role = "hand" + std::string(side_suffix(hold.side));
        const int S_hand = source.roles.joint(role), T_hand = target.roles.joint(role);
        if (S_hand < 0 || T_hand < 0 || hold.last - hold.first < 2) continue;
        ++review.holds;
        const size_t hand = hold.side == Side::left ? 0 : 1;
        std::vector<float>& by_frame = review.slide_cm[hand];
        by_frame.resize(size_t(target_motion.frames), 0.0F);
        if (!hold.slides) {
            const std::vector<double> T_left = left_over(target_motion, T_hand, hold, hold.X_target);
            const std::vector<double> S_left = left_over(source_motion, S_hand, hold, hold.X_source);
            for (int f = hold.first; f < hold.last; ++f) {
                const size_t i = size_t(f - hold.first);
                by_frame[size_t(f)] = float(0.1 * to_mm * T_left[i]);
                if (f < hold.first + core || f >= hold.last - core) continue;
                slides.push_back(to_mm * T_left[i]);
                at_slide.push_back(f);
                own_slides.push_back(mm_of(source) * S_left[i]);
                at_own.push_back(f);
            }
        }
        if (!hold.piece) continue;
        if (!gauges[hand]) gauges[hand].emplace(target, hold.side);
        for (int f = hold.first + core; f < hold.last - core; f += step) {
            const Rigid X = inverse(hold.X_target[size_t(f - hold.first)]);
            double least = reach_m;
            for (const Vec3& p : gauges[hand]->hand_vertices(pose_of(target_motion, f)))
                least = std::min(least,
                                 hold.scale * hold.piece->distance(X * p / hold.scale, least / hold.scale));
            if (least >= reach_m) continue;
            offs.push_back(to_mm * least);
            at_off.push_back(f);
        }
    }
    review.slide_mm = statistics(slides, at_slide);
    review.source_slide_mm = statistics(own_slides, at_own);
    review.off_mm = statistics(offs, at_off);
    return review;
}

}  // namespace nb
