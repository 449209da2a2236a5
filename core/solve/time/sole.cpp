// Pass soles: while heel and ball are both held (stay) the sole is one rigid pose on its support: the mean of F
// over the span, turned so that heel and ball lie on their supports; ankle at the mean of A, at the height the
// sole asks for. A point that was held before keeps its place and the other one follows from the sole.
// Between soles the foot's turn is led from one to the next or to zero, not faster than a foot may whirl.
#include "core/solve/time/sole.hpp"

#include <algorithm>
#include <cmath>

#include "core/math/curves.hpp"
#include "core/solve/time/passes.hpp"

namespace nb {

namespace {

constexpr double whirl_rad_s = 3.0;       // mean speed at which a sole may turn into the next
constexpr double most_widened_s = 0.045;  // at each end
constexpr double most_toe_rad = 170.0 * pi / 180.0;

/// Elevation at which a vector of the length of `v` ends at a height.
double elevation(const Vec3& v, double height) {
    return std::asin(std::clamp(height / v.norm(), -1.0, 1.0));
}

/// `first`, `last`: both points rest. All in the support's frame S, places of the ball on that of the heel.
void place_sole(const Problem& problem, const Effector& e, EffectorGoals& g, int first, int last, int at_heel,
                int at_ball) {
    const Sole& sole = e.sole();
    const Hold& heel = e.holds[size_t(at_heel)];
    const Hold& ball = e.holds[size_t(at_ball)];
    const auto X_WS = [&](int f) -> const Rigid& { return problem.X_WS(heel, f); };
    const auto R_SF = [&](int f) { return Quat(X_WS(f).R.conjugate() * problem.foot(e, f)); };
    // The ball's place in the heel's support's frame, and back.
    const auto between = [&](const Vec3& p, bool to_heel) {
        if (heel.support == ball.support) return p;
        const Rigid& H = X_WS(first);
        const Rigid& B = problem.X_WS(ball, first);
        return to_heel ? Vec3(H.R.conjugate() * (B * p - H.p)) : Vec3(B.R.conjugate() * (H * p - B.p));
    };
    Quat R = mean_rotation(R_SF, first, last);
    const Vec3 along = R * (sole.ball_J - sole.heel_J);
    R = elevate(along, sole.ball_over_m + between(Vec3::Zero(), true).y()) * R;
    const Vec3 to_heel = R * sole.heel_J;
    const Vec3 to_ball = R * sole.ball_J - sole.ball_over_m * Vec3::UnitY();
    Vec3 ankle = Vec3::Zero();
    if (g.is_placed[size_t(at_ball)]) {
        ankle = between(g.place_S[size_t(at_ball)], true) - to_ball;
    } else if (g.is_placed[size_t(at_heel)]) {
        ankle = g.place_S[size_t(at_heel)] - to_heel;
    } else {
        for (int f = first; f < last; ++f)
            ankle += X_WS(f).R.conjugate() * Vec3(e.asked_m[size_t(f)] - X_WS(f).p);
        ankle /= last - first;
        ankle.y() = -to_heel.y();
    }
    if (!g.is_placed[size_t(at_heel)]) g.place_S[size_t(at_heel)] = ankle + to_heel;
    if (!g.is_placed[size_t(at_ball)]) g.place_S[size_t(at_ball)] = between(ankle + to_ball, false);
    g.is_placed[size_t(at_heel)] = g.is_placed[size_t(at_ball)] = 1;
    for (int f = first; f < last; ++f) {
        g.is_sole[size_t(f)] = g.is_held[size_t(f)] = 1;
        g.turn[size_t(f)] = log_rotation(X_WS(f).R * R * problem.foot(e, f).conjugate());
        g.shift[size_t(f)] = X_WS(f) * ankle - e.asked_m[size_t(f)];
    }
}

/// Frames of one pose.
struct Span {
    int first = 0, last = 0;  ///< last: not included
};

/// Where heel or ball come down anew at another turn of the foot, the time between is widened at both ends, up
/// to `most_widened_s`, so that the foot need not whirl; the point that stays is held all along.
void widen_turns(const Problem& problem, const Effector& e, EffectorGoals& g, std::vector<Span>& spans) {
    const int most = problem.frames_in(most_widened_s, 0);
    for (size_t i = 1; i < spans.size(); ++i) {
        Span& a = spans[i - 1];
        Span& b = spans[i];
        const int between = b.first - a.last + 1;
        const double turn = std::min((g.turn[size_t(b.first)] - g.turn[size_t(a.last - 1)]).norm(),
                                     angle_between(g.foot(b.first) * problem.foot(e, b.first),
                                                   g.foot(a.last - 1) * problem.foot(e, a.last - 1)));
        const int wanted = int(std::ceil(turn / (whirl_rad_s * problem.dt)));
        for (int more = std::min(most, (wanted - between + 1) / 2); more > 0; --more) {
            if (a.last - a.first > 1) g.is_sole[size_t(--a.last)] = 0;
            if (b.last - b.first > 1) g.is_sole[size_t(b.first++)] = 0;
        }
    }
}

}  // namespace

Quat elevate(const Vec3& v, double height) {
    const double length = v.norm();
    const Vec3 axis = v.cross(Vec3::UnitY());
    if (length < 1e-9 || axis.norm() < 1e-6 * length) return Quat::Identity();
    return exp_rotation((elevation(v, height) - elevation(v, v.y())) * axis.normalized());
}

double toe_raise_rad(const Vec3& tip, const Vec3& n, double least) {
    if (tip.y() >= least) return 0.0;
    const Vec3 ahead = n.cross(Vec3::UnitY());
    const Vec3 up = ahead.cross(n);  // of the length of `ahead`
    const Vec3 in_plane = tip - n.dot(tip) * n;
    const double radius = in_plane.norm() * up.norm();
    if (radius < 1e-9) return 0.0;
    const double now = std::atan2(in_plane.dot(up), in_plane.dot(ahead));
    const double to = std::asin(std::clamp((least - n.dot(tip) * n.y()) / radius, -1.0, 1.0));
    return now < to ? std::min(to - now, most_toe_rad) : 0.0;
}

void time_soles(const Problem& problem, Goals& goals, const Watch&) {
    for (size_t i = 0; i < problem.effectors.size(); ++i) {
        const Effector& e = problem.effectors[i];
        EffectorGoals& g = goals.effectors[i];
        const auto& heel = e.hold_at[size_t(FootPoint::heel)];
        const auto& ball = e.hold_at[size_t(FootPoint::ball)];
        const auto stands = [&](int f) {
            return heel[size_t(f)] >= 0 && ball[size_t(f)] >= 0 &&
                   e.holds[size_t(heel[size_t(f)])].kind == ContactKind::stay &&
                   e.holds[size_t(ball[size_t(f)])].kind == ContactKind::stay;
        };
        std::vector<Span> spans;
        for (int f = problem.first; f < problem.frames;) {
            if (!stands(f)) {
                ++f;
                continue;
            }
            int end = f;
            while (end < problem.frames && heel[size_t(end)] == heel[size_t(f)] &&
                   ball[size_t(end)] == ball[size_t(f)])
                ++end;
            place_sole(problem, e, g, f, end, heel[size_t(f)], ball[size_t(f)]);
            spans.push_back({f, end});
            f = end;
        }
        widen_turns(problem, e, g, spans);
        fill_between(g.turn, g.is_sole, problem.frames_in(lead_s, 2), most_turn_rad_s * problem.dt,
                     problem.frames_in(slope_s));
    }
}

}  // namespace nb
