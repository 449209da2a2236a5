#include "core/review/review.hpp"

#include <algorithm>
#include <cmath>
#include <map>

#include "core/base/watch.hpp"
#include "core/body/carried.hpp"
#include "core/body/measures.hpp"
#include "core/motion/kinematics.hpp"
#include "core/motion/place_map.hpp"

namespace nb {

namespace {

constexpr double edge_s = 0.05;
constexpr double hip_reach_s = 0.25;
/// A point of the source that lies deeper than this below a floor is not over it (the edge of a step).
constexpr double beside_floor_m = 0.03;
constexpr double least_bend_rad = 20.0 * pi / 180.0;

struct Segment {
    const char* from;
    const char* to;
};
constexpr std::array<Segment, 4> segments{
    {{"upperarm", "forearm"}, {"forearm", "hand"}, {"thigh", "shin"}, {"shin", "foot"}}};
constexpr std::array<const char*, 2> sides{".left", ".right"};

double worst_p95(const std::vector<NamedStat>& stats) {
    double worst = 0.0;
    for (const auto& named : stats) worst = std::max(worst, named.stat.p95);
    return worst;
}

/// Values with the frames they were met at.
struct Samples {
    std::vector<double> values;
    std::vector<int> frames;
    void add(double value, int frame) {
        values.push_back(value);
        frames.push_back(frame);
    }
    Stat stat() const { return statistics(values, frames); }
};

class Reviewer {
  public:
    Reviewer(const Character& source, const WorldMotion& S, const Character& target, const WorldMotion& T,
             double dt, int first, const ReviewTold& told)
        : source_(source), S_(S), target_(target), T_(T), dt_(dt), first_(first), told_(told) {}

    Review run() {
        review_.frames = S_.frames;
        review_.fps = 1.0 / dt_;
        review_.source_stature_m = stature(source_.rig.skeleton, source_.roles);
        review_.target_stature_m = stature(target_.rig.skeleton, target_.roles);
        watched_ = watch(source_, S_, dt_, first_);
        const std::vector<double> ground = find_ground(watched_);
        review_.windows = find_review_windows(watched_, ground);
        review_.deficits = told_.deficits;
        review_.held_frames = told_.held_frames;
        k_ = told_.asked_k > 0.0 ? told_.asked_k : legs_in(T_, target_) / legs_in(S_, source_);
        double done = 0.4;
        look_up(done);
        feet();
        for (const std::string side : sides) {
            for (const Segment& segment : segments) {
                look_up(done += 0.02);
                direction(segment, side);
            }
            for (const bool is_leg : {false, true}) {
                look_up(done += 0.02);
                limb(is_leg, side);
            }
        }
        look_up(0.9);
        turning();
        look_up(0.92);
        touching();
        look_up(0.95);
        review_.holding = review_holds(source_, S_, target_, T_, told_.holds);
        for (const size_t hand : {size_t(0), size_t(1)})
            if (auto& slide = review_.holding.slide_cm[hand]; !slide.empty())
                add_series(ReviewMeasure::held, "hand" + std::string(sides[hand])) = std::move(slide);
        head_travel();
        look_up(0.96);
        ranges();
        look_up(0.97);
        bone_lengths();
        hip_path();
        return std::move(review_);
    }

  private:
    const Character& source_;
    const WorldMotion& S_;
    const Character& target_;
    const WorldMotion& T_;
    double dt_;
    int first_;
    const ReviewTold& told_;
    Review review_;
    double k_ = 1.0;
    Watched watched_;

    double leg_ratio() const {
        const double length = leg_length(source_.rig.skeleton, source_.roles);
        return length > 0.0 ? leg_length(target_.rig.skeleton, target_.roles) / length : 1.0;
    }
    std::vector<float>& add_series(ReviewMeasure measure, const std::string& row) {
        review_.series.push_back({measure, row, std::vector<float>(size_t(S_.frames), 0.0f)});
        return review_.series.back().values;
    }
    /// A role's joint in both; false when one lacks it.
    bool joints(const std::string& role, int& S, int& T) const {
        S = source_.roles.joint(role);
        T = target_.roles.joint(role);
        return S >= 0 && T >= 0;
    }

    /// Thigh and shin as they are in a motion's first frame, mean of both sides.
    double legs_in(const WorldMotion& motion, const Character& body) const {
        double sum = 0.0;
        for (const std::string side : sides) {
            const int hip = body.roles.joint("thigh" + side);
            const int knee = body.roles.joint("shin" + side);
            const int ankle = body.roles.joint("foot" + side);
            if (hip < 0 || knee < 0 || ankle < 0 || motion.frames == 0) continue;
            const auto p = [&](int joint) -> const Vec3& { return motion.p[motion.at(0, joint)]; };
            sum += 0.5 * ((p(knee) - p(hip)).norm() + (p(ankle) - p(knee)).norm());
        }
        if (sum > 0.0) return sum;
        const double of_one_bone = leg_length(body.rig.skeleton, body.roles);
        return of_one_bone > 0.0 ? of_one_bone : 1.0;
    }

    /// Speed of a point over the ground, which may run with `ground_m_s`; cm/s at 175 cm.
    double slide_cm_s(const StandingPoint& point, const WorldMotion& motion, int frame, double stature_m,
                      const Vec3& ground_m_s) const {
        Vec3 step = point.in(motion, frame + 1) - point.in(motion, frame - 1) - 2.0 * dt_ * ground_m_s;
        step.y() = 0.0;
        return 100.0 * step.norm() / (2.0 * dt_) * reference_stature_m / stature_m;
    }

    void feet() {
        const std::vector<StandingEnd> T_ends = standing_ends(target_);
        const double beside_floor = beside_floor_m * review_.source_stature_m / reference_stature_m;
        const int edge = std::max(1, int(std::lround(edge_s / dt_)));
        const Vec3 S_ground = watched_.ground_m_s / watched_.to_reference;
        const Vec3 T_ground = k_ * S_ground;
        Samples S_core, T_core, S_edge, T_edge, drift, height, below;
        for (const StandingEnd& S_end : watched_.ends) {
            const auto at = std::find_if(T_ends.begin(), T_ends.end(),
                                         [&](const StandingEnd& end) { return end.name == S_end.name; });
            if (at == T_ends.end()) continue;
            const StandingEnd& T_end = *at;
            std::vector<float> slide(size_t(S_.frames), 0.0f);
            std::vector<float> source_slide = slide;
            std::vector<float> heights = slide;
            std::vector<float> depths = slide;
            for (const StandingPoint& S_point : S_end.points) {
                const StandingPoint* T_point = T_end.point(S_point.name);
                if (!S_point.rests || !T_point) continue;
                Samples own;
                for (const ReviewWindow& window : review_.windows) {
                    if (window.point != S_point.name) continue;
                    const int core_first = window.first + edge;
                    const int core_last = window.last - edge;
                    const auto on_ground = [&](int f) -> Vec3 {
                        return T_point->in(T_, f) - f * dt_ * T_ground;
                    };
                    Vec3 mean = Vec3::Zero();
                    for (int f = core_first; f < core_last; ++f) mean += on_ground(f);
                    if (core_last > core_first) mean /= core_last - core_first;
                    for (int f = window.first; f < window.last; ++f) {
                        const bool is_core = f >= core_first && f < core_last;
                        const Vec3 place = on_ground(f);
                        const double over = place.y() - k_ * window.level_m;
                        if (is_core) {
                            height.add(1000.0 * std::abs(over), f);
                            heights[size_t(f)] = std::max(heights[size_t(f)], float(100.0 * std::abs(over)));
                            drift.add(1000.0 * std::hypot(place.x() - mean.x(), place.z() - mean.z()), f);
                        }
                        if (f <= first_ || f + 1 >= S_.frames) continue;
                        const double s = slide_cm_s(S_point, S_, f, review_.source_stature_m, S_ground);
                        const double t = slide_cm_s(*T_point, T_, f, review_.target_stature_m, T_ground);
                        (is_core ? S_core : S_edge).add(s, f);
                        (is_core ? T_core : T_edge).add(t, f);
                        if (is_core) own.add(t, f);
                        slide[size_t(f)] = std::max(slide[size_t(f)], float(t));
                        source_slide[size_t(f)] = std::max(source_slide[size_t(f)], float(s));
                    }
                }
                review_.slide_cm_s.push_back({S_point.name, own.stat()});
            }
            const std::vector<double> floor = floor_under(review_.windows, S_end, S_.frames);
            for (int f = first_; f < S_.frames; ++f) {
                if (floor[size_t(f)] >= no_floor_m) {
                    ++review_.frames_without_floor;
                    continue;
                }
                double depth = 0.0;
                for (const StandingPoint& T_point : T_end.points) {
                    const StandingPoint* S_point = S_end.point(T_point.name);
                    if (S_point && S_point->in(S_, f).y() < floor[size_t(f)] - beside_floor) continue;
                    depth = std::max(depth, k_ * floor[size_t(f)] - T_point.in(T_, f).y());
                }
                below.add(1000.0 * depth, f);
                depths[size_t(f)] = float(100.0 * depth);
            }
            add_series(ReviewMeasure::slide, S_end.name) = std::move(slide);
            add_series(ReviewMeasure::source_slide, S_end.name) = std::move(source_slide);
            add_series(ReviewMeasure::height, S_end.name) = std::move(heights);
            add_series(ReviewMeasure::below, S_end.name) = std::move(depths);
        }
        review_.source_slide_cm_s = S_core.stat();
        review_.target_slide_cm_s = T_core.stat();
        review_.source_edge_cm_s = S_edge.stat();
        review_.target_edge_cm_s = T_edge.stat();
        review_.drift_mm = drift.stat();
        review_.height_mm = height.stat();
        review_.below_mm = below.stat();
    }

    void direction(const Segment& segment, const std::string& side) {
        int S_from = -1, T_from = -1, S_to = -1, T_to = -1;
        if (!joints(segment.from + side, S_from, T_from) || !joints(segment.to + side, S_to, T_to)) return;
        Samples samples;
        Samples wring;
        auto& by_frame = add_series(ReviewMeasure::direction, segment.from + side);
        std::vector<float> rolls(size_t(S_.frames), 0.0f);
        const auto& R0 = target_.rest.R_WJ0;
        const Vec3 axis0 =
            (target_.rest.p_WJ0[size_t(T_to)] - target_.rest.p_WJ0[size_t(T_from)]).normalized();
        for (int f = first_; f < S_.frames; ++f) {
            const Vec3 a = S_.p[S_.at(f, S_to)] - S_.p[S_.at(f, S_from)];
            const Vec3 b = T_.p[T_.at(f, T_to)] - T_.p[T_.at(f, T_from)];
            const double angle = rad_to_deg(angle_between(a, b));
            samples.add(angle, f);
            by_frame[size_t(f)] = float(angle);
            const Quat Q_from = T_.R[T_.at(f, T_from)] * R0[size_t(T_from)].conjugate();
            const Quat Q_to = T_.R[T_.at(f, T_to)] * R0[size_t(T_to)].conjugate();
            const double roll = rad_to_deg(std::abs(twist_angle(Q_from.conjugate() * Q_to, axis0)));
            wring.add(roll, f);
            rolls[size_t(f)] = float(roll);
        }
        review_.direction_deg.push_back({segment.from + side, samples.stat()});
        review_.wring_deg.push_back({segment.from + side, wring.stat()});
        add_series(ReviewMeasure::wring, segment.from + side) = std::move(rolls);
    }

    void limb(bool is_leg, const std::string& side) {
        const std::string name = (is_leg ? "leg" : "arm") + side;
        int S_start = -1, T_start = -1, S_mid = -1, T_mid = -1, S_tip = -1, T_tip = -1;
        if (!joints((is_leg ? "thigh" : "upperarm") + side, S_start, T_start) ||
            !joints((is_leg ? "shin" : "forearm") + side, S_mid, T_mid) ||
            !joints((is_leg ? "foot" : "hand") + side, S_tip, T_tip))
            return;
        // On four legs the limb goes down to the paw.
        if (int S_paw = -1, T_paw = -1; source_.roles.is_four_legged() && target_.roles.is_four_legged() &&
                                        joints((is_leg ? "toe" : "paw") + side, S_paw, T_paw)) {
            S_tip = S_paw;
            T_tip = T_paw;
        }
        const double scale = is_leg ? leg_ratio()
                                    : arm_length(target_.rig.skeleton, target_.roles) /
                                          arm_length(source_.rig.skeleton, source_.roles);
        Samples tips;
        Samples bends;
        auto& tip_by_frame = add_series(ReviewMeasure::tip, name);
        std::vector<float> bend_by_frame(size_t(S_.frames), 0.0f);
        for (int f = first_; f < S_.frames; ++f) {
            const auto S = [&](int joint) -> const Vec3& { return S_.p[S_.at(f, joint)]; };
            const auto T = [&](int joint) -> const Vec3& { return T_.p[T_.at(f, joint)]; };
            const double off = 100.0 * Vec3(T(T_tip) - T(T_start) - scale * (S(S_tip) - S(S_start))).norm();
            tips.add(off, f);
            tip_by_frame[size_t(f)] = float(off);
            const Vec3 S_upper = S(S_mid) - S(S_start), S_lower = S(S_tip) - S(S_mid);
            const Vec3 T_upper = T(T_mid) - T(T_start), T_lower = T(T_tip) - T(T_mid);
            if (angle_between(S_upper, S_lower) < least_bend_rad ||
                angle_between(T_upper, T_lower) < least_bend_rad)
                continue;
            const double angle =
                rad_to_deg(angle_between(Vec3(S_upper.cross(S_lower)), Vec3(T_upper.cross(T_lower))));
            bends.add(angle, f);
            bend_by_frame[size_t(f)] = float(angle);
        }
        review_.tip_cm.push_back({name, tips.stat()});
        review_.bend_deg.push_back({name, bends.stat()});
        add_series(ReviewMeasure::bend, name) = std::move(bend_by_frame);
    }

    /// Those that carry what the target's role carries.
    std::vector<int> source_joints(const std::string& role) const {
        const ChainPlan* chain = body_plan(source_.roles.plan).chain_of(role);
        if (!chain || chain->is_limb) return {source_.roles.joint(role)};
        std::vector<int> joints = source_.roles.chain(*chain);
        if (joints.size() == target_.roles.chain(*chain).size()) return {source_.roles.joint(role)};
        const int parent =
            source_.roles.joint(source_.roles.parent_role(source_.roles.role_of(joints.front())));
        if (parent >= 0) joints.push_back(parent);
        return joints;
    }

    void turning() {
        for (const RoleFill& fill : target_.roles.fills) {
            int S = -1, T = -1;
            if (fill.role == "root" || !joints(fill.role, S, T)) continue;
            review_.smoothness.push_back(
                smoothness(fill.role, S_, source_joints(fill.role), T_, T, dt_, first_));
            if (const std::vector<float>& jitter = review_.smoothness.back().jitter_by_frame; !jitter.empty())
                add_series(ReviewMeasure::jitter, fill.role) = jitter;
            const auto& pops = review_.smoothness.back().pops;
            if (pops.empty()) continue;
            auto& by_frame = add_series(ReviewMeasure::turn_change, fill.role);
            for (const Pop& pop : pops) by_frame[size_t(pop.frame)] = float(pop.change_deg_s);
        }
    }

    /// A row a joint: by how much it goes over the range that it goes over most.
    void ranges() {
        review_.over_range = range_excess(target_, T_, first_);
        if (!review_.over_range.empty()) review_.source_over_range = range_excess(source_, S_, first_);
        std::map<std::string, std::vector<float>> rows;
        for (const RangeExcess& over : review_.over_range) {
            std::vector<float>& row = rows[over.role];
            row.resize(over.over_deg.size(), 0.0F);
            for (size_t f = 0; f < row.size(); ++f) row[f] = std::max(row[f], over.over_deg[f]);
        }
        for (auto& [role, row] : rows) add_series(ReviewMeasure::range, role) = std::move(row);
    }

    void head_travel() {
        int S_head = -1, T_head = -1, S_left = -1, T_left = -1, S_right = -1, T_right = -1;
        if (!joints("head", S_head, T_head) || !joints("thigh.left", S_left, T_left) ||
            !joints("thigh.right", S_right, T_right) || S_.frames <= first_)
            return;
        const auto over = [&](const WorldMotion& m, int head, int left, int right, int f) {
            return Vec3(m.p[m.at(f, head)] - 0.5 * (m.p[m.at(f, left)] + m.p[m.at(f, right)]));
        };
        Vec3 S_mean = Vec3::Zero(), T_mean = Vec3::Zero();
        const double count = S_.frames - first_;
        for (int f = first_; f < S_.frames; ++f) {
            S_mean += over(S_, S_head, S_left, S_right, f) / count;
            T_mean += over(T_, T_head, T_left, T_right, f) / count;
        }
        const double s = leg_ratio();
        const double to_cm = 100.0 * reference_stature_m / std::max(0.01, review_.target_stature_m);
        auto& by_frame = add_series(ReviewMeasure::head, "head");
        Samples off;
        for (int f = first_; f < S_.frames; ++f) {
            const Vec3 beside = over(T_, T_head, T_left, T_right, f) - T_mean -
                                s * (over(S_, S_head, S_left, S_right, f) - S_mean);
            off.add(to_cm * beside.norm(), f);
            by_frame[size_t(f)] = float(to_cm * beside.norm());
        }
        review_.head_cm = off.stat();
    }

    void touching() {
        review_.touching = review_touching(target_, T_, told_.touches, first_);
        TouchReview& touch = review_.touching;
        if (touch.deep > 0)
            if (const TouchReview own = review_touching(source_, S_, told_.touches, first_);
                own.looked_at > 0)
                touch.source_deep_share = own.deep_share();
        for (const size_t hand : {size_t(0), size_t(1)}) {
            if (touch.gap_cm[hand].empty()) continue;
            add_series(ReviewMeasure::gap, "hand" + std::string(sides[hand])) = std::move(touch.gap_cm[hand]);
            add_series(ReviewMeasure::depth, "arm" + std::string(sides[hand])) =
                std::move(touch.depth_cm[hand]);
        }
    }

    void bone_lengths() {
        const Skeleton skeleton = carried_skeleton(target_.rig.skeleton, target_.roles);
        const int top = body_top(skeleton, target_.roles);
        for (int j = 0; j < skeleton.size(); ++j) {
            const int parent = skeleton.parents[size_t(j)];
            const double length = skeleton.rest_p[size_t(j)].norm();
            if (parent < 0 || j == top || length < 1e-6 || !skeleton.is_ancestor(top, j)) continue;
            for (int f = first_; f < T_.frames; ++f)
                review_.bone_length_change =
                    std::max(review_.bone_length_change,
                             std::abs((T_.p[T_.at(f, j)] - T_.p[T_.at(f, parent)]).norm() / length - 1.0));
        }
    }

    void hip_path() {
        int S_left = -1, T_left = -1, S_right = -1, T_right = -1;
        if (!joints("thigh.left", S_left, T_left) || !joints("thigh.right", S_right, T_right)) return;
        const double leg = leg_length(target_.rig.skeleton, target_.roles);
        const int reach = std::max(1, int(std::lround(hip_reach_s / dt_)));
        const PlaceMap map{k_, told_.map_about, told_.map_aside};
        const double lift = target_.rest.ankle_height_m - k_ * source_.rest.ankle_height_m;
        std::vector<Vec3> sums(size_t(S_.frames) + 1, Vec3::Zero());
        for (int f = first_; f < S_.frames; ++f) {
            Vec3 off = 0.5 * (T_.p[T_.at(f, T_left)] + T_.p[T_.at(f, T_right)]) -
                       map(0.5 * (S_.p[S_.at(f, S_left)] + S_.p[S_.at(f, S_right)])) - lift * Vec3::UnitY();
            // By distances that are not its legs' own hips cannot be as high as these would have them.
            if (told_.asked_k > 0.0) off.y() = 0.0;
            sums[size_t(f) + 1] = sums[size_t(f)] + off;
        }
        double squares = 0.0;
        for (int f = first_; f < S_.frames; ++f) {
            const int from = std::max(first_, f - reach);
            const int to = std::min(S_.frames, f + reach + 1);
            squares += ((sums[size_t(to)] - sums[size_t(from)]) / (to - from)).squaredNorm();
        }
        const int count = S_.frames - first_;
        if (count > 0 && leg > 0.0) review_.hip_path = std::sqrt(squares / count) / leg;
    }
};

}  // namespace

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
int Review::pop_count() const {
    int count = 0;
    for (const RoleSmoothness& role : smoothness) count += int(role.pops.size());
    return count;
}
double Review::worst_jitter() const {
    double worst = 0.0;
    for (const RoleSmoothness& role : smoothness) worst = std::max(worst, role.jitter());
    return worst;
}
double Review::released_share() const {
    int frames_released = 0;
    for (const ReachDeficit& deficit : deficits) frames_released += deficit.last - deficit.first;
    return held_frames > 0 ? double(frames_released) / held_frames : 0.0;
}

Review review_transfer(const Character& source, const WorldMotion& source_motion, const Character& target,
                       const WorldMotion& target_motion, double frame_time_s, int first_frame,
                       const ReviewTold& told) {
    return Reviewer(source, source_motion, target, target_motion, frame_time_s, first_frame, told).run();
}

}  // namespace nb
