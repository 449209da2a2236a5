#include "core/contact/grips.hpp"

#include <Eigen/Cholesky>
#include <algorithm>
#include <cmath>

#include "core/body/measures.hpp"
#include "core/rig/trees.hpp"

namespace nb {

namespace {

constexpr double along_m_s = 0.5;  // at 175 cm, in the thing's frame
constexpr double moves_m_s = 0.05;
constexpr double moves_rad_s = 0.2;
constexpr double reach_m = 0.6;
constexpr double off_m = 0.015;
constexpr double least_grip_s = 0.3;
constexpr double still_reach_s = 0.025;
constexpr double toward_palm = 0.01;

/// One hand and one thing along the take.
struct Pair {
    const WorldMotion& motion;
    int hand, thing, first;
    double to_reference;
    Vec3 palm_J;

    Rigid frame(int joint, int f) const {
        return {motion.R[motion.at(f, joint)], motion.p[motion.at(f, joint)]};
    }
    Vec3 palm_on_thing(int f) const { return inverse(frame(thing, f)) * (frame(hand, f) * palm_J); }
};

/// Places of both frames at which they stay together over [first, last).
void fit(const Pair& pair, Grip& grip) {
    Eigen::Matrix<double, 6, 6> A = Eigen::Matrix<double, 6, 6>::Zero();
    Eigen::Matrix<double, 6, 1> b = Eigen::Matrix<double, 6, 1>::Zero();
    const double count = grip.last - grip.first;
    for (int f = grip.first; f < grip.last; ++f) {
        const Rigid H = pair.frame(pair.hand, f);
        const Rigid P = pair.frame(pair.thing, f);
        Eigen::Matrix<double, 3, 6> J;
        J << H.R.toRotationMatrix(), -P.R.toRotationMatrix();
        A += J.transpose() * J;
        b += J.transpose() * (P.p - H.p);
    }
    A.topLeftCorner<3, 3>() += count * toward_palm * Mat3::Identity();
    b.head<3>() += count * toward_palm * pair.palm_J;
    const Eigen::Matrix<double, 6, 1> x = A.ldlt().solve(b);
    grip.on_hand_J = x.head<3>();
    grip.on_thing_J = x.tail<3>();
}

double off_at(const Pair& pair, const Grip& grip, int f) {
    return (pair.frame(pair.hand, f) * grip.on_hand_J - pair.frame(pair.thing, f) * grip.on_thing_J).norm();
}

/// Root mean square over the span, m.
double off_of(const Pair& pair, const Grip& grip) {
    double sum = 0.0;
    for (int f = grip.first; f < grip.last; ++f) sum += std::pow(off_at(pair, grip, f), 2);
    return std::sqrt(sum / (grip.last - grip.first));
}

/// False when nothing is held over the span.
bool refine(const Pair& pair, Grip& grip, int least_frames) {
    const double most = off_m / pair.to_reference;
    for (int round = 0; round < 8; ++round) {
        if (grip.last - grip.first < least_frames) return false;
        fit(pair, grip);
        const int before = grip.last - grip.first;
        while (grip.last > grip.first && off_at(pair, grip, grip.first) > most) ++grip.first;
        while (grip.last > grip.first && off_at(pair, grip, grip.last - 1) > most) --grip.last;
        if (grip.last - grip.first == before) break;
    }
    if (grip.last - grip.first < least_frames) return false;
    grip.off_m = off_of(pair, grip);
    return goes_along(grip, pair.to_reference);
}

void find_of(const Pair& pair, size_t limb, std::vector<Grip>& grips) {
    const WorldMotion& motion = pair.motion;
    const double dt = motion.frame_time_s;
    const int reach = std::max(1, int(std::lround(still_reach_s / dt)));
    const int least_frames = std::max(2, int(std::lround(least_grip_s / dt)));
    const auto around = [&](int f) {
        return std::pair{std::max(pair.first, f - reach), std::min(motion.frames - 1, f + reach)};
    };
    std::vector<char> goes_along(size_t(motion.frames), 0);
    std::vector<char> moves(size_t(motion.frames), 0);
    for (int f = pair.first; f < motion.frames; ++f) {
        const auto [from, to] = around(f);
        if (to <= from) continue;
        const double seconds = (to - from) * dt;
        const Rigid a = pair.frame(pair.thing, from);
        const Rigid b = pair.frame(pair.thing, to);
        const Vec3 palm = pair.palm_on_thing(f);
        const double speed = (pair.palm_on_thing(to) - pair.palm_on_thing(from)).norm() / seconds;
        goes_along[size_t(f)] =
            palm.norm() * pair.to_reference < reach_m && speed * pair.to_reference < along_m_s;
        moves[size_t(f)] = (b.p - a.p).norm() / seconds * pair.to_reference > moves_m_s ||
                           angle_between(a.R, b.R) / seconds > moves_rad_s;
    }
    for (int f = pair.first; f < motion.frames;) {
        if (!goes_along[size_t(f)]) {
            ++f;
            continue;
        }
        Grip grip;
        grip.limb = limb;
        grip.thing = pair.thing;
        grip.first = f;
        int moving = 0;
        for (; f < motion.frames && goes_along[size_t(f)]; ++f) moving += moves[size_t(f)];
        grip.last = f;
        if (moving >= least_frames && refine(pair, grip, least_frames)) grips.push_back(grip);
    }
}

}  // namespace

std::vector<int> things_of(const Character& source, const Take& take) {
    std::vector<int> things;
    const Skeleton& skeleton = source.rig.skeleton;
    const int hips = source.roles.joint("hips");
    for (const int j : take.translated)
        if (skeleton.parents[size_t(j)] < 0 && !skeleton.is_ancestor(j, hips) &&
            joints_of_tree(skeleton, j) < least_body_joints)
            things.push_back(j);
    return things;
}

namespace {

std::string hand_of(size_t limb) {
    return limb == 2 ? "hand.left" : "hand.right";
}

}  // namespace

std::optional<Grip> grip_over(const Character& source, const WorldMotion& motion, size_t limb, int thing,
                              const Vec3& palm_J, int first, int last) {
    const int hand = source.roles.joint(hand_of(limb));
    first = std::max(first, 0);
    last = std::min(last, motion.frames);
    if (hand < 0 || last <= first) return {};
    const Pair pair{motion, hand, thing, first, 1.0, palm_J};
    Grip grip;
    grip.limb = limb;
    grip.thing = thing;
    grip.first = first;
    grip.last = last;
    fit(pair, grip);
    grip.off_m = off_of(pair, grip);
    return grip;
}

bool moves_over(const WorldMotion& motion, int thing, int first, int last, double to_reference) {
    constexpr double lies_m_s = 0.02;
    const int reach = std::max(1, int(std::lround(still_reach_s / motion.frame_time_s)));
    for (int f = std::max(first, 0); f < std::min(last, motion.frames); ++f) {
        const int a = std::max(0, f - reach), b = std::min(motion.frames - 1, f + reach);
        const double way = (motion.p[motion.at(b, thing)] - motion.p[motion.at(a, thing)]).norm();
        if (b > a && to_reference * way / ((b - a) * motion.frame_time_s) >= lies_m_s) return true;
    }
    return false;
}

bool goes_along(const Grip& grip, double to_reference) {
    return grip.off_m * to_reference < off_m;
}

std::vector<Grip> find_grips(const Character& source, const WorldMotion& motion,
                             const std::vector<int>& things, const std::array<Vec3, 2>& palms_J,
                             int first_frame) {
    std::vector<Grip> grips;
    const double tall = stature(source.rig.skeleton, source.roles);
    if (tall <= 0.0) return grips;
    for (const int thing : things)
        for (const size_t side : {size_t(0), size_t(1)}) {
            const int hand = source.roles.joint(hand_of(side + 2));
            if (hand < 0) continue;
            find_of({motion, hand, thing, first_frame, reference_stature_m / tall, palms_J[side]}, side + 2,
                    grips);
        }
    return grips;
}

}  // namespace nb
