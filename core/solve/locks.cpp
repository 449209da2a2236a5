// Longer than other files: every pass along time works on the same windows and chains, which are found here
// once; they are being taken apart, a file a pass.
#include "core/solve/locks.hpp"

#include <algorithm>
#include <cmath>

#include "core/body/measures.hpp"
#include "core/math/curves.hpp"
#include "core/motion/kinematics.hpp"
#include "core/solve/give_way.hpp"

namespace nb {

namespace {

constexpr double ease_s = 0.18;
constexpr double most_shift_m_s = 0.4;   // slope of a shift where it is led out, at 175 cm
constexpr double most_turn_rad_s = 3.0;  // the same of a turn
constexpr double joint_break_m = 0.015;  // a jump of the shift that two holds cannot share, at 175 cm
constexpr double raise_s = 0.03;         // over which a foot that is too low is raised and let down
constexpr double toe_s = 0.05;           // over which toes are raised and let down
constexpr double most_toe_rad = 170.0 * pi / 180.0;
constexpr double tremble_s = 0.08;   // of what is faster than this the hips give way to what is held
constexpr double least_bent = 0.03;  // below which a leg counts as straight, of its length
constexpr double break_s = 0.04;
constexpr double calm_s = 0.008;  // over which the turn of a foot that is held at one point is evened out
/// A point that the source holds deeper than this below a floor is beside it, at 175 cm.
constexpr double beside_floor_m = 0.03;
/// What is held counts as reached up to this stretch.
constexpr double longest_reach = 0.9999;
/// What a leg that is being led to a hold may lack at first, of its length.
constexpr double led_slack = 0.03;
constexpr double no_floor = 1e30;

struct Window {
    FootPoint point;
    int first, last;
    ContactKind kind;
    double level_m;  // in the target's world
    Vec3 place = Vec3::Zero();
    bool is_placed = false;
};

/// Elevation at which a vector of the length of `v` ends at a height.
double elevation(const Vec3& v, double height) {
    return std::asin(std::clamp(height / v.norm(), -1.0, 1.0));
}

/// Turn that takes `v` to the elevation at which its y is `height`, in its own upright plane; identity when
/// it is too short or upright.
Quat elevate(const Vec3& v, double height) {
    const double length = v.norm();
    const Vec3 axis = v.cross(Vec3::UnitY());
    if (length < 1e-9 || axis.norm() < 1e-6 * length) return Quat::Identity();
    return exp_rotation((elevation(v, height) - elevation(v, v.y())) * axis.normalized());
}

/// Mean of rotations near each other.
template <typename RotationAt>
Quat mean_rotation(const RotationAt& rotation_at, int first, int last) {
    const Quat& reference = rotation_at(first);
    Eigen::Vector4d sum = Eigen::Vector4d::Zero();
    for (int f = first; f < last; ++f) {
        const Quat& q = rotation_at(f);
        sum += (q.dot(reference) < 0.0 ? -1.0 : 1.0) * q.coeffs();
    }
    return Quat(sum.normalized());
}

class EndHolder {
  public:
    EndHolder(const Plan& plan, size_t limb, const Contacts& contacts, const WorldMotion& source,
              const WorldMotion& target, double frame_time_s, int first_frame)
        : sole_(plan.ends[limb].sole),
          op_(plan.reaches[size_t(plan.ends[limb].reach)]),
          frames_(target.frames),
          first_(first_frame),
          dt_(frame_time_s),
          scale_(plan.T_stature_m / reference_stature_m),
          k_(plan.k),
          beside_m_(beside_floor_m * plan.S_stature_m / reference_stature_m),
          S_sole_(plan.ends[limb].S_sole),
          hips_give_(plan.ends[limb].hips_give),
          base_(plan.ends[limb].base),
          T_thighs_{plan.T_thigh_left, plan.T_thigh_right},
          source_(source),
          target_(target) {
        A_.reserve(size_t(frames_));
        S_stretch_.reserve(size_t(frames_));
        length_.reserve(size_t(frames_));
        for (int f = 0; f < frames_; ++f) {
            const std::span<const Vec3> S{&source.p[source.at(f, 0)], size_t(source.joints)};
            A_.push_back(reach_goal(plan, op_, S, start(f)));
            S_stretch_.push_back(source_stretch(op_, S));
            const Vec3& mid = target.p[target.at(f, op_.T_mid)];
            length_.push_back((mid - start(f)).norm() + (target.p[target.at(f, op_.T_tip)] - mid).norm());
        }
        for (auto& at : at_) at.assign(size_t(frames_), -1);
        for (const Contact& contact : contacts.list)
            if (const auto point = contact_point(contact.point);
                point && point->limb == limb && point->end == sole_.end)
                add_window({point->point, std::max(contact.first, first_), std::min(contact.last, frames_),
                            contact.kind, plan.k * contact.level_m});
    }

    /// What is held, and the way between; hold and ankle_m are set.
    LimbCorrections hold() {
        held_.assign(size_t(frames_), 0);
        turn_.assign(size_t(frames_), Vec3::Zero());
        shift_.assign(size_t(frames_), Vec3::Zero());
        soles();
        calm_lone();
        lone_points();
        shifts();
        LimbCorrections result;
        result.ankle_m = std::move(shift_);
        result.hold = eased_weights(held_, ease());
        return result;
    }

    /// What is free comes up to the floor; foot and toe are set.
    void stand(LimbCorrections& result) {
        shift_ = std::move(result.ankle_m);
        raise_free();
        result.foot.reserve(size_t(frames_));
        for (const Vec3& turn : turn_) result.foot.push_back(exp_rotation(turn));
        toes(result);
        result.ankle_m = std::move(shift_);
    }

    bool is_held(int frame) const { return held_[size_t(frame)] != 0; }
    bool has_windows() const { return !windows_.empty(); }
    HeldReach reach(int frame, const LimbCorrections& of) const {
        const size_t f = size_t(frame);
        HeldReach reach;
        reach.frame = frame;
        reach.to = A_[f] + of.ankle_m[f] - start(frame);
        reach.limit_m =
            length_[f] * (held_stretch(S_stretch_[f], op_.T_hock >= 0) + (1.0 - of.hold[f]) * led_slack);
        return reach;
    }
    /// Of the joint that the turned hips carry: the thigh, or where the spine begins.
    Vec3 from_hip_centre(int frame) const { return p(frame, base_) - centre(frame); }
    bool is_on_floor() const { return sole_.is_on_floor(); }
    double hips_give() const { return hips_give_; }
    std::string name() const { return sole_.end_name(); }
    /// Of the limb when it is straight; a hock stays as it is. m.
    double full_length_m(int frame) const { return length_[size_t(frame)]; }

  private:
    const Sole& sole_;
    const ReachOp& op_;
    int frames_, first_;
    double dt_, scale_, k_, beside_m_;
    const Sole& S_sole_;
    double hips_give_;
    int base_;
    std::array<int, 2> T_thighs_;
    const WorldMotion& source_;
    const WorldMotion& target_;
    std::vector<Vec3> A_;
    std::vector<double> S_stretch_, length_;
    std::vector<Window> windows_;
    std::array<std::vector<int>, 3> at_;  // by point: the window at a frame, -1 for none
    std::vector<char> held_;
    std::vector<Vec3> turn_;   // log of C
    std::vector<Vec3> shift_;  // d
    std::vector<char> is_sole_;
    std::vector<double> levels_;  // of the floor under the foot

    // Of the target after angles and root.
    const Quat& F(int f) const { return target_.R[target_.at(f, sole_.ankle)]; }
    const Quat& toe(int f) const { return target_.R[target_.at(f, sole_.toe < 0 ? sole_.ankle : sole_.toe)]; }
    const Vec3& p(int f, int joint) const { return target_.p[target_.at(f, joint)]; }
    const Vec3& start(int f) const { return p(f, op_.T_start); }
    Vec3 centre(int f) const { return 0.5 * (p(f, T_thighs_[0]) + p(f, T_thighs_[1])); }

    int ease() const { return std::max(2, int(std::lround(ease_s / dt_))); }
    std::array<int, 3> windows_at(int f) const {
        return {at_[0][size_t(f)], at_[1][size_t(f)], at_[2][size_t(f)]};
    }
    Window* window(FootPoint point, int frame) {
        const int at = at_[size_t(point)][size_t(frame)];
        return at < 0 ? nullptr : &windows_[size_t(at)];
    }
    void add_window(const Window& window) {
        if (window.last <= window.first) return;
        for (int f = window.first; f < window.last; ++f)
            at_[size_t(window.point)][size_t(f)] = int(windows_.size());
        windows_.push_back(window);
    }
    /// A point seen from the ankle, world axes, with the foot turned by R.
    Vec3 seen(FootPoint point, const Quat& R, int frame) const {
        if (point == FootPoint::heel) return R * sole_.heel_J;
        const Vec3 ball = R * sole_.ball_J;
        if (point == FootPoint::ball) return ball - sole_.ball_over_m * Vec3::UnitY();
        if (sole_.toe < 0) return R * sole_.tip_J;
        // The toe follows what the foot is turned by.
        const Quat C = R * F(frame).conjugate();
        return ball + C * (toe(frame) * sole_.tip_J);
    }
    Quat foot_at(int f) const { return exp_rotation(turn_[size_t(f)]) * F(f); }

    /// Spans in which heel and ball are both held: one pose of the sole.
    void soles() {
        is_sole_.assign(size_t(frames_), 0);
        const auto& heel = at_[size_t(FootPoint::heel)];
        const auto& ball = at_[size_t(FootPoint::ball)];
        const auto stands = [&](int f) {
            return heel[size_t(f)] >= 0 && ball[size_t(f)] >= 0 &&
                   windows_[size_t(heel[size_t(f)])].kind == ContactKind::stay &&
                   windows_[size_t(ball[size_t(f)])].kind == ContactKind::stay;
        };
        for (int f = first_; f < frames_;) {
            if (!stands(f)) {
                ++f;
                continue;
            }
            int end = f;
            while (end < frames_ && heel[size_t(end)] == heel[size_t(f)] &&
                   ball[size_t(end)] == ball[size_t(f)])
                ++end;
            place_sole(f, end, windows_[size_t(heel[size_t(f)])], windows_[size_t(ball[size_t(f)])]);
            f = end;
        }
        fill_between(turn_, is_sole_, ease(), most_turn_rad_s * dt_);
    }

    void place_sole(int first, int last, Window& heel, Window& ball) {
        Quat R = mean_rotation([&](int f) -> const Quat& { return F(f); }, first, last);
        const Vec3 along = R * (sole_.ball_J - sole_.heel_J);
        R = elevate(along, sole_.ball_over_m + ball.level_m - heel.level_m) * R;
        const Vec3 to_heel = seen(FootPoint::heel, R, first);
        const Vec3 to_ball = seen(FootPoint::ball, R, first);
        Vec3 ankle = Vec3::Zero();
        if (ball.is_placed)
            ankle = ball.place - to_ball;
        else if (heel.is_placed)
            ankle = heel.place - to_heel;
        else {
            for (int f = first; f < last; ++f) ankle += A_[size_t(f)];
            ankle /= last - first;
            ankle.y() = heel.level_m - to_heel.y();
        }
        for (Window* window : {&heel, &ball}) {
            if (!window->is_placed) window->place = ankle + (window == &heel ? to_heel : to_ball);
            window->is_placed = true;
        }
        for (int f = first; f < last; ++f) {
            is_sole_[size_t(f)] = held_[size_t(f)] = 1;
            turn_[size_t(f)] = log_rotation(R * F(f).conjugate());
            shift_[size_t(f)] = ankle - A_[size_t(f)];
        }
    }

    /// A foot that is held at one point carries the ankle about it: a tremble of its turn for a frame would
    /// move the whole leg. There it is the mean of the frames beside it.
    void calm_lone() {
        const int reach = int(std::lround(calm_s / dt_));
        std::vector<Quat> turned(size_t(frames_), Quat::Identity());
        for (int f = first_; f < frames_; ++f) turned[size_t(f)] = foot_at(f);
        const auto is_lone = [&](int f) {
            return f >= first_ && f < frames_ && !is_sole_[size_t(f)] &&
                   windows_at(f) != std::array<int, 3>{-1, -1, -1};
        };
        for (int f = first_; f < frames_; ++f) {
            if (!is_lone(f)) continue;
            int most = 0;
            while (most < reach && is_lone(f - most - 1) && is_lone(f + most + 1)) ++most;
            turn_[size_t(f)] =
                log_rotation(mean_rotation([&](int g) -> const Quat& { return turned[size_t(g)]; }, f - most,
                                           f + most + 1) *
                             F(f).conjugate());
        }
    }

    /// Windows in which no sole stood.
    void lone_points() {
        for (Window& window : windows_) {
            if (window.is_placed) continue;
            Vec3 sum = Vec3::Zero();
            for (int f = window.first; f < window.last; ++f)
                sum += A_[size_t(f)] + seen(window.point, foot_at(f), f);
            window.place = sum / (window.last - window.first);
            window.place.y() = window.level_m;
            window.is_placed = true;
        }
    }

    void shifts() {
        for (int f = first_; f < frames_; ++f) {
            if (is_sole_[size_t(f)]) continue;
            for (const FootPoint point : {FootPoint::ball, FootPoint::heel, FootPoint::toetip}) {
                const Window* held = window(point, f);
                if (!held) continue;
                Vec3 ankle = held->place - seen(point, foot_at(f), f);
                if (held->kind == ContactKind::slide) {
                    ankle.x() = A_[size_t(f)].x();
                    ankle.z() = A_[size_t(f)].z();
                }
                shift_[size_t(f)] = ankle - A_[size_t(f)];
                held_[size_t(f)] = 1;
                break;
            }
        }
        // Where one hold goes over into another one at another place, both let go for a moment.
        const int around = std::max(1, int(std::lround(break_s / dt_)));
        const std::vector<char> before = held_;
        for (int f = first_ + 1; f < frames_; ++f)
            if (before[size_t(f)] && before[size_t(f - 1)] && windows_at(f) != windows_at(f - 1) &&
                (shift_[size_t(f)] - shift_[size_t(f - 1)]).norm() > joint_break_m * scale_)
                for (int g = std::max(0, f - around); g < std::min(frames_, f + around); ++g)
                    held_[size_t(g)] = 0;
        levels_ = is_on_floor() ? floor() : std::vector<double>(size_t(frames_), no_floor);
        if (is_on_floor()) level_held();
        fill_between(turn_, held_, ease(), most_turn_rad_s * dt_);
        fill_between(shift_, held_, ease(), most_shift_m_s * scale_ * dt_);
    }

    /// Height of the floor under the foot: that of what it stands on, in the air the lower of the neighbours.
    std::vector<double> floor() const {
        std::vector<double> now(size_t(frames_), no_floor);
        for (const Window& window : windows_)
            for (int f = window.first; f < window.last; ++f)
                now[size_t(f)] = std::min(now[size_t(f)], window.level_m);
        std::vector<double> result = now;
        for (const bool is_forward : {true, false}) {
            double last = no_floor;
            for (int i = 0; i < frames_; ++i) {
                const size_t f = size_t(is_forward ? i : frames_ - 1 - i);
                if (now[f] < no_floor)
                    last = now[f];
                else
                    result[f] = std::min(result[f], last);
            }
        }
        return result;
    }

    /// Height of the floor below one point: where the source holds that point well below the foot's floor (a
    /// heel behind the edge of a step) there is none, and it goes down with the source.
    double floor_below(FootPoint point, int f) const {
        const double level = levels_[size_t(f)];
        const double depth = level / k_ - S_sole_.point(point, source_, f).y();
        return level - k_ * std::clamp(4.0 * (depth - beside_m_), 0.0, std::max(0.0, depth));
    }

    double heel_below(const Vec3& ankle, const Quat& R, int f) const {
        return floor_below(FootPoint::heel, f) - (ankle + R * sole_.heel_J).y();
    }
    double ball_below(const Vec3& ankle, const Quat& R, int f) const {
        return floor_below(FootPoint::ball, f) + sole_.ball_over_m - (ankle + R * sole_.ball_J).y();
    }

    /// The free end of a foot that is held at the other comes up to the floor.
    void level_held() {
        for (int f = first_; f < frames_; ++f) {
            if (!held_[size_t(f)] || is_sole_[size_t(f)]) continue;
            const Quat R = foot_at(f);
            const Vec3 ankle = A_[size_t(f)] + shift_[size_t(f)];
            const bool on_ball = window(FootPoint::ball, f) != nullptr;
            const double below = on_ball ? heel_below(ankle, R, f) : ball_below(ankle, R, f);
            if (below <= 0.0) continue;
            const Vec3 pivot = R * (on_ball ? sole_.ball_J : sole_.heel_J);
            const Vec3 end = R * (on_ball ? sole_.heel_J : sole_.ball_J) - pivot;
            const Quat more = elevate(end, end.y() + below);
            turn_[size_t(f)] = log_rotation(more * exp_rotation(turn_[size_t(f)]));
            shift_[size_t(f)] += pivot - more * pivot;
        }
    }

    /// A free foot comes up to the floor.
    void raise_free() {
        std::vector<double> below(size_t(frames_), 0.0);
        for (int f = first_; f < frames_; ++f) {
            if (levels_[size_t(f)] >= no_floor || held_[size_t(f)]) continue;
            const Quat R = foot_at(f);
            const Vec3 ankle = A_[size_t(f)] + shift_[size_t(f)];
            below[size_t(f)] = std::max({0.0, heel_below(ankle, R, f), ball_below(ankle, R, f)});
        }
        // Begun before it is needed, so that a landing foot slows down; none where a hold begins.
        raise_by(below, raise_s);
    }
    /// Toes come up to the floor.
    void toes(LimbCorrections& result) {
        result.toe.assign(size_t(frames_), Quat::Identity());
        if (!sole_.has_tip) return;
        // About the foot's own axis to its side, so that toes that flip do not turn aside.
        const Vec3 ball = sole_.ball_J;
        const Vec3 side_J = sole_.heel_J.cross(sole_.heel_J - ball).normalized();
        std::vector<double> raise(size_t(frames_), 0.0);
        for (int f = first_; f < frames_; ++f) {
            if (levels_[size_t(f)] >= no_floor) continue;
            const Quat R = foot_at(f);
            const double joint = (A_[size_t(f)] + shift_[size_t(f)] + R * ball).y();
            const Vec3 tip = result.foot[size_t(f)] * (toe(f) * sole_.tip_J);
            const double least = floor_below(FootPoint::toetip, f) - joint;
            if (tip.y() >= least) continue;
            const Vec3 n = R * side_J;
            const Vec3 ahead = n.cross(Vec3::UnitY());
            const Vec3 up = ahead.cross(n);  // of the length of `ahead`
            const Vec3 in_plane = tip - n.dot(tip) * n;
            const double radius = in_plane.norm() * up.norm();
            if (radius < 1e-9) continue;
            const double now = std::atan2(in_plane.dot(up), in_plane.dot(ahead));
            const double to = std::asin(std::clamp((least - n.dot(tip) * n.y()) / radius, -1.0, 1.0));
            if (now < to) raise[size_t(f)] = std::min(to - now, most_toe_rad);
        }
        raise = smooth_cover(raise, std::max(1, int(std::lround(toe_s / dt_))));
        for (int f = first_; f < frames_; ++f)
            result.toe[size_t(f)] = exp_rotation(-raise[size_t(f)] * (foot_at(f) * side_J));
        // Toes that are turned over in the take cannot be turned up: a free foot is raised by what is left.
        std::vector<double> left(size_t(frames_), 0.0);
        for (int f = first_; f < frames_; ++f) {
            if (levels_[size_t(f)] >= no_floor || held_[size_t(f)]) continue;
            const Vec3 joint = A_[size_t(f)] + shift_[size_t(f)] + foot_at(f) * ball;
            const Vec3 tip =
                joint + result.toe[size_t(f)] * (result.foot[size_t(f)] * (toe(f) * sole_.tip_J));
            left[size_t(f)] = std::max(0.0, floor_below(FootPoint::toetip, f) - tip.y());
        }
        raise_by(left, toe_s);
    }

    /// Raises free feet by so much and more, smoothly over `time_s`; nowhere where they are held.
    void raise_by(const std::vector<double>& least, double time_s) {
        const std::vector<int> apart = frames_apart(held_);
        const std::vector<double> early = smooth_cover(least, std::max(1, int(std::lround(time_s / dt_))));
        for (int f = first_; f < frames_; ++f) {
            const double u = std::min(1.0, apart[size_t(f)] * dt_ / time_s);
            shift_[size_t(f)].y() += std::max(least[size_t(f)], early[size_t(f)] * u * u * (3.0 - 2.0 * u));
        }
    }
};

using Holders = std::array<std::optional<EndHolder>, limb_count>;

/// What is held stands still while the source's own tremble goes on in the body: straight legs would turn it
/// into pops. The hips take up what of the feet's shifts is fast, so that hip and held foot stay to each
/// other as they are in the source. Of all shifts x and turns w of the hips the one that turns least,
///   sum_i hold_i (s_i - f_i)^T (1 + u u^T / (bent_i + 0.03)) (s_i - f_i) + L^2 |w|^2,   s_i = x + w x a_i
/// with L the length of a leg, a_i from the hip centre to the leg's start, u along the leg, f_i the fast part
/// of its shift: a leg turns the more by a missing length the straighter it is. A free foot goes with the
/// hips.
void give_to_tremble(const Holders& ends, Corrections& corrections, int frames, double frame_time_s) {
    const int reach = std::max(1, int(std::lround(tremble_s / frame_time_s)));
    std::array<std::vector<Vec3>, limb_count> fast;
    for (size_t i = 0; i < limb_count; ++i) {
        LimbCorrections& leg = corrections.limbs[i];
        fast[i] = fast_part(leg.ankle_m, reach);
        leg.start_m.assign(leg.ankle_m.size(), Vec3::Zero());
    }
    corrections.hips_m.assign(size_t(frames), Vec3::Zero());
    corrections.hips_turn.assign(size_t(frames), Vec3::Zero());
    for (int frame = 0; frame < frames; ++frame) {
        const size_t f = size_t(frame);
        Eigen::Matrix<double, 6, 6> A = Eigen::Matrix<double, 6, 6>::Zero();
        Eigen::Matrix<double, 6, 1> b = Eigen::Matrix<double, 6, 1>::Zero();
        double most = 0.0;
        double leg_m = 1.0;
        for (size_t i = 0; i < limb_count; ++i) {
            const LimbCorrections& leg = corrections.limbs[i];
            if (!ends[i] || !ends[i]->is_on_floor() || leg.hold[f] <= 0.0) continue;
            const Vec3 to = ends[i]->reach(frame, leg).to;
            const double length = to.norm();
            if (length < 1e-9) continue;
            const double bent = std::max(0.0, 1.0 - length / ends[i]->full_length_m(frame));
            const Mat3 W = leg.hold[f] *
                           (Mat3::Identity() + to * to.transpose() / (length * length * (least_bent + bent)));
            const Vec3 a = ends[i]->from_hip_centre(frame);
            Eigen::Matrix<double, 3, 6> J;
            J.leftCols<3>().setIdentity();
            J.rightCols<3>() << 0, a.z(), -a.y(), -a.z(), 0, a.x(), a.y(), -a.x(), 0;  // w x a
            A += J.transpose() * W * J;
            b += J.transpose() * W * fast[i][f];
            most = std::max(most, leg.hold[f]);
            leg_m = ends[i]->full_length_m(frame);
        }
        if (most <= 0.0) continue;
        A.bottomRightCorner<3, 3>() += leg_m * leg_m * Mat3::Identity();
        const Eigen::Matrix<double, 6, 1> solution = most * A.ldlt().solve(b);
        corrections.hips_m[f] = solution.head<3>();
        corrections.hips_turn[f] = solution.tail<3>();
        for (size_t i = 0; i < limb_count; ++i) {
            LimbCorrections& leg = corrections.limbs[i];
            if (!ends[i]) continue;
            const Vec3 a = ends[i]->from_hip_centre(frame);
            leg.start_m[f] = corrections.hips_m[f] + exp_rotation(corrections.hips_turn[f]) * a - a;
            leg.ankle_m[f] += (1.0 - leg.hold[f]) * leg.start_m[f];
        }
    }
}

/// By how much the hips shift so that knees and seat stay where they rest.
std::vector<Vec3> hold_body(const Plan& plan, const Contacts& contacts, const WorldMotion& source,
                            const WorldMotion& target, double frame_time_s, int first_frame) {
    const size_t frames = size_t(target.frames);
    std::vector<Vec3> shift(frames, Vec3::Zero());
    std::vector<int> held(frames, 0);
    Pose pose{std::vector<Quat>(size_t(target.joints)), std::vector<Vec3>(size_t(target.joints))};
    std::vector<Vec3> places;
    for (const Contact& contact : contacts.list) {
        const auto point = contact_point(contact.point);
        if (!point || !is_held_by_hips(point->end) || plan.ends[point->limb].reach < 0) continue;
        const int knee = plan.reaches[size_t(plan.ends[point->limb].reach)].T_mid;
        const int first = std::max(contact.first, first_frame);
        const int last = std::min(contact.last, target.frames);
        Vec3 mean = Vec3::Zero();
        places.clear();
        for (int f = first; f < last; ++f) {
            const size_t at = target.at(f, 0);
            std::copy_n(target.R.begin() + std::ptrdiff_t(at), pose.R.size(), pose.R.begin());
            std::copy_n(target.p.begin() + std::ptrdiff_t(at), pose.p.size(), pose.p.begin());
            TargetFrame T{pose.R, pose.p};
            pass_reach(plan, frame_of(source, f), T);
            places.push_back(point->end == LimbEnd::knee ? pose.p[size_t(knee)]
                                                         : Vec3(0.5 * (pose.p[size_t(plan.T_thigh_left)] +
                                                                       pose.p[size_t(plan.T_thigh_right)])));
            mean += places.back() / double(last - first);
        }
        for (int f = first; f < last; ++f) {
            Vec3 off = mean - places[size_t(f - first)];
            if (contact.kind == ContactKind::slide) off.x() = off.z() = 0.0;
            shift[size_t(f)] += off;
            ++held[size_t(f)];
        }
    }
    std::vector<char> is_held(frames, 0);
    for (size_t f = 0; f < frames; ++f) {
        if (held[f] == 0) continue;
        shift[f] /= held[f];
        is_held[f] = 1;
    }
    if (std::find(is_held.begin(), is_held.end(), 1) == is_held.end()) return {};
    const double scale = plan.T_stature_m / reference_stature_m;
    fill_between(shift, is_held, std::max(2, int(std::lround(ease_s / frame_time_s))),
                 most_shift_m_s * scale * frame_time_s);
    return shift;
}

}  // namespace

FrameCorrection Corrections::at(int frame) const {
    FrameCorrection result;
    if (is_empty()) return result;
    const size_t f = size_t(frame);
    result.hips_m = hips_m[f];
    result.hips_turn = exp_rotation(hips_turn[f]);
    for (size_t i = 0; i < limb_count; ++i)
        if (!limbs[i].ankle_m.empty())
            result.limbs[i] = {limbs[i].ankle_m[f], limbs[i].start_m[f], limbs[i].foot[f], limbs[i].toe[f],
                               limbs[i].hold[f]};
    return result;
}

Corrections hold_contacts(const Plan& plan, const Contacts& contacts, const WorldMotion& source,
                          const WorldMotion& target, double frame_time_s, int first_frame) {
    Corrections result;
    if (!plan.passes.contacts || !plan.passes.reach) return result;
    Holders ends;
    bool is_any = false;
    for (size_t i = 0; i < limb_count; ++i) {
        if (plan.ends[i].reach < 0) continue;
        ends[i].emplace(plan, i, contacts, source, target, frame_time_s, first_frame);
        if (!ends[i]->has_windows())
            ends[i].reset();
        else
            result.limbs[i] = ends[i]->hold();
        is_any |= ends[i].has_value();
    }
    const std::vector<Vec3> by_body = hold_body(plan, contacts, source, target, frame_time_s, first_frame);
    if (!is_any && by_body.empty()) return result;
    give_to_tremble(ends, result, target.frames, frame_time_s);
    for (size_t f = 0; f < by_body.size(); ++f) {
        result.hips_m[f] += by_body[f];
        for (LimbCorrections& limb : result.limbs)
            if (!limb.start_m.empty()) {
                limb.start_m[f] += by_body[f];
                limb.ankle_m[f] += (1.0 - limb.hold[f]) * by_body[f];
            }
    }
    for (size_t i = 0; i < limb_count; ++i)
        if (ends[i]) ends[i]->stand(result.limbs[i]);
    std::vector<HeldReach> reaches;
    size_t held = 0;
    for (size_t i = 0; i < limb_count; ++i)
        if (ends[i] && ends[i]->hips_give() > 0.0)
            held += size_t(std::count_if(result.limbs[i].hold.begin(), result.limbs[i].hold.end(),
                                         [](double hold) { return hold > 0.0; }));
    reaches.reserve(held);
    for (int f = first_frame; f < target.frames; ++f)
        for (size_t i = 0; i < limb_count; ++i)
            if (ends[i] && ends[i]->hips_give() > 0.0 && result.limbs[i].hold[size_t(f)] > 0.0) {
                HeldReach reach = ends[i]->reach(f, result.limbs[i]);
                reach.to -= result.limbs[i].start_m[size_t(f)];
                // Only their share of what is missing is asked of the hips.
                reach.limit_m +=
                    (1.0 - ends[i]->hips_give()) * std::max(0.0, reach.to.norm() - reach.limit_m);
                reaches.push_back(reach);
            }
    for (int f = first_frame; f < target.frames; ++f)
        for (const auto& end : ends) result.held_frames += end && end->is_held(f);
    const std::vector<Vec3> given = give_way(target.frames, frame_time_s, reaches);
    for (size_t f = 0; f < given.size(); ++f) {
        result.hips_m[f] += given[f];
        for (LimbCorrections& limb : result.limbs)
            if (!limb.start_m.empty()) limb.start_m[f] += given[f];
    }
    for (size_t i = 0; i < limb_count; ++i) {
        if (!ends[i]) continue;
        for (int f = first_frame; f < target.frames; ++f) {
            if (!ends[i]->is_held(f)) continue;
            const Vec3 left = ends[i]->reach(f, result.limbs[i]).to - result.limbs[i].start_m[size_t(f)];
            const double missing = left.norm() - longest_reach * ends[i]->full_length_m(f);
            if (missing < 0.0005) continue;
            auto& deficits = result.deficits;
            const std::string point = ends[i]->name();
            if (deficits.empty() || deficits.back().point != point || deficits.back().last != f)
                deficits.push_back({point, f, f, f, 0.0});
            deficits.back().last = f + 1;
            if (missing > deficits.back().missing_m) {
                deficits.back().missing_m = missing;
                deficits.back().worst_frame = f;
            }
        }
    }
    return result;
}

}  // namespace nb
