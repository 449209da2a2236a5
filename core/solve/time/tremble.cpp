// Pass tremble: what is held stands still while the source's own tremble goes on in the body: straight legs
// would turn it into pops. The hips take up what of the feet's shifts is fast within a hold, so that hip and held foot stay
// to each other as they are in the source; up to 2 cm, and nothing of how a hold begins and ends. Of all shifts x and turns w of the hips the one that turns least,
//   sum_i weight_i (s_i - f_i)^T (1 + u u^T / (bent_i + 0.03)) (s_i - f_i) + L^2 |w|^2,   s_i = x + w x a_i
// with L the length of a leg, a_i from the hip centre to the leg's start, u along the leg, f_i the fast part
// of its shift: a leg turns the more by a missing length the straighter it is. A free foot
// stays where it was asked to be: were it to go with the hips, a contact whose end is moved would move the other foot, too.
#include <algorithm>
#include <cmath>

#include "core/math/curves.hpp"
#include "core/solve/time/passes.hpp"

namespace nb {

namespace {

constexpr double tremble_s = 0.08;       // of what is faster than this the hips give way to what is held
constexpr double most_tremble_m = 0.02;  // at 175 cm
constexpr double least_bent = 0.03;      // below which a leg counts as straight, of its length

/// A vector that never grows longer than `most`: as it is far below that, smooth between.
Vec3 bounded(const Vec3& v, double most) {
    const double by = v.squaredNorm() / (most * most);
    return v / std::pow(1.0 + by * by, 0.25);
}

/// The fast part of an effector's shift. It has two: how the source's own held point creeps and trembles, over all
/// of a hold; and how the foot turns about it, over each way of being held by itself (as a sole, at one point), so
/// that nothing of how one goes over into the other counts.
std::vector<Vec3> fast_shift(const Problem& problem, const Effector& e, const EffectorGoals& g, int reach) {
    const size_t frames = g.is_held.size();
    std::vector<Vec3> creep(frames, Vec3::Zero());
    std::vector<Vec3> turn(frames, Vec3::Zero());
    std::vector<int> hold(frames, -1);
    std::vector<int> way(frames, -1);
    int count = 0;
    for (size_t f = 0; f < frames; ++f) {
        const int at = int(f);
        if (f > 0 && (e.holds_of(at) != e.holds_of(at - 1) || g.is_sole[f] != g.is_sole[f - 1])) ++count;
        const int ruling = ruling_hold(e, at);
        if (!g.is_held[f] || ruling < 0 || e.rests[f] <= 0.0) continue;
        hold[f] = ruling;
        way[f] = count;
        const FootPoint point = e.holds[size_t(ruling)].point;
        const Quat& F = problem.foot(e, at);
        turn[f] = problem.seen(e, point, F, at) - problem.seen(e, point, g.foot(at) * F, at);
        creep[f] = g.shift[f] - turn[f];
    }
    std::vector<Vec3> fast = fast_part(creep, hold, reach);
    const std::vector<Vec3> of_turn = fast_part(turn, way, reach);
    for (size_t f = 0; f < frames; ++f) fast[f] += of_turn[f];
    return fast;
}

}  // namespace

void time_tremble(const Problem& problem, Goals& goals, const Watch& watch) {
    const int reach = problem.frames_in(tremble_s);
    std::vector<std::vector<Vec3>> fast;
    fast.reserve(goals.effectors.size());
    for (size_t i = 0; i < problem.effectors.size(); ++i) {
        const EffectorGoals& g = goals.effectors[i];
        fast.push_back(fast_shift(problem, problem.effectors[i], g, reach));
        for (Vec3& one : fast.back()) one = bounded(one, most_tremble_m * problem.scale);
    }
    for (int frame = 0; frame < problem.frames; ++frame) {
        if (frame % 256 == 0) watch.look(double(frame) / problem.frames);
        const size_t f = size_t(frame);
        Eigen::Matrix<double, 6, 6> A = Eigen::Matrix<double, 6, 6>::Zero();
        Eigen::Matrix<double, 6, 1> b = Eigen::Matrix<double, 6, 1>::Zero();
        double most = 0.0;
        double legs_m = 0.0;
        double weights = 0.0;
        const auto from_centre = [&](const Effector& e) {
            return Vec3(problem.p(frame, e.end->base) - problem.hip_centre(frame));
        };
        for (size_t i = 0; i < problem.effectors.size(); ++i) {
            const Effector& e = problem.effectors[i];
            const EffectorGoals& g = goals.effectors[i];
            if (!e.is_on_floor() || g.weight[f] <= 0.0) continue;
            const Vec3 to = ankle_of(e, g, frame) - problem.start(e, frame);
            const double length = to.norm();
            if (length < 1e-9) continue;
            const double bent = std::max(0.0, 1.0 - length / e.length_m[f]);
            const Mat3 W = g.weight[f] * e.rests[f] *
                           (Mat3::Identity() + to * to.transpose() / (length * length * (least_bent + bent)));
            const Vec3 a = from_centre(e);
            Eigen::Matrix<double, 3, 6> J;
            J.leftCols<3>().setIdentity();
            J.rightCols<3>() << 0, a.z(), -a.y(), -a.z(), 0, a.x(), a.y(), -a.x(), 0;  // w x a
            A += J.transpose() * W * J;
            b += J.transpose() * W * fast[i][f];
            most = std::max(most, g.weight[f] * e.rests[f]);
            legs_m += g.weight[f] * e.length_m[f];
            weights += g.weight[f];
        }
        if (most <= 0.0) continue;
        const double leg_m = legs_m / weights;
        A.bottomRightCorner<3, 3>() += leg_m * leg_m * Mat3::Identity();
        const Eigen::Matrix<double, 6, 1> solution = most * A.ldlt().solve(b);
        goals.hips_m[f] = solution.head<3>();
        goals.hips_turn[f] = solution.tail<3>();
        for (size_t i = 0; i < problem.effectors.size(); ++i) {
            EffectorGoals& g = goals.effectors[i];
            const Vec3 a = from_centre(problem.effectors[i]);
            g.start_m[f] = goals.hips_m[f] + exp_rotation(goals.hips_turn[f]) * a - a;
        }
    }
}

}  // namespace nb
