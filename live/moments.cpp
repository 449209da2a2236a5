#include "live/moments.hpp"

#include <algorithm>

#include "core/motion/kinematics.hpp"
#include "core/solve/passes.hpp"

namespace nb {

Moments::Moments(const Program& program, const Skeleton& source, double kept_s)
    : program_(program),
      source_(source),
      kept_s_(kept_s),
      T_R_(program.body.parents.size(), Quat::Identity()),
      T_p_(program.body.parents.size(), Vec3::Zero()) {}

bool Moments::add(long number, double t_s, const Take& take, int frame) {
    int place = size();
    while (place > 0 && at(place - 1).t_s > t_s) --place;
    if (place > 0 && at(place - 1).t_s == t_s) return false;
    if (place <= now_) return false;
    if (free_.empty()) {
        free_.push_back(int(pool_.size()));
        pool_.emplace_back();
    }
    const int slot = free_.back();
    free_.pop_back();
    Moment& moment = pool_[size_t(slot)];
    moment.t_s = t_s;
    moment.number = number;
    const size_t joints = size_t(source_.size());
    moment.R.resize(joints);
    moment.p.resize(joints);
    forward_kinematics(source_, take, frame, moment.R, moment.p);
    ask(moment);
    order_.insert(order_.begin() + place, slot);
    return true;
}

void Moments::ask(Moment& moment) {
    const SourceFrame S{moment.R, moment.p, moment.t_s};
    TargetFrame T{T_R_, T_p_};
    pass_angles(program_, S, T);
    pass_root(program_, S, T, nullptr);
    moment.hips_m =
        0.5 * (moment.p[size_t(program_.root.S_thigh_left)] + moment.p[size_t(program_.root.S_thigh_right)]);
    for (size_t limb = 0; limb < limb_count; ++limb) {
        const EndOp& end = program_.ends[limb];
        if (end.limb < 0) continue;
        const LimbOp& op = program_.limbs[size_t(end.limb)];
        Moment::Asked& asked = moment.asked[limb];
        asked.start_m = T_p_[size_t(op.T_start)];
        asked.ankle_m = reach_goal(program_, op, moment.p, asked.start_m);
        asked.foot = T_R_[size_t(end.sole.ankle)];
        asked.toe = T_R_[size_t(end.sole.toe < 0 ? end.sole.ankle : end.sole.toe)];
        asked.S_stretch = source_stretch(op, moment.p);
        asked.length_m = (T_p_[size_t(op.T_mid)] - asked.start_m).norm() +
                         (T_p_[size_t(op.T_tip)] - T_p_[size_t(op.T_mid)]).norm();
        const Sole& sole = end.S_sole;
        const size_t a = size_t(sole.ankle);
        const size_t t = size_t(sole.toe < 0 ? sole.ankle : sole.toe);
        for (const FootPoint point : {FootPoint::heel, FootPoint::ball})
            moment.points[limb][size_t(point)] =
                sole.point(point, moment.R[a], moment.p[a], moment.R[t], moment.p[t]);
    }
}

void Moments::ask_anew() {
    for (const int slot : order_) ask(pool_[size_t(slot)]);
}

bool Moments::go_to(double t_s) {
    const int before = now_;
    while (now_ + 1 < size() && at(now_ + 1).t_s <= t_s) ++now_;
    if (now_ == before) return false;
    int old = 0;
    while (old < now_ && at(old).t_s < at(now_).t_s - kept_s_) ++old;
    for (int i = 0; i < old; ++i) free_.push_back(order_[size_t(i)]);
    order_.erase(order_.begin(), order_.begin() + old);
    now_ -= old;
    return true;
}

std::pair<int, double> Moments::between(double t_s) const {
    const auto after = std::upper_bound(order_.begin(), order_.end(), t_s,
                                        [&](double t, int slot) { return t < pool_[size_t(slot)].t_s; });
    if (after == order_.begin()) return {0, 0.0};
    const int i = int(after - order_.begin()) - 1;
    if (after == order_.end()) return {i, 0.0};
    return {i, (t_s - at(i).t_s) / (at(i + 1).t_s - at(i).t_s)};
}

Vec3 Moments::point(size_t limb, size_t which, double t_s) const {
    const auto [i, u] = between(t_s);
    const Vec3& a = at(i).points[limb][which];
    return u == 0.0 ? a : Vec3(a + u * (at(i + 1).points[limb][which] - a));
}

Vec3 Moments::hips(double t_s) const {
    const auto [i, u] = between(t_s);
    const Vec3& a = at(i).hips_m;
    return u == 0.0 ? a : Vec3(a + u * (at(i + 1).hips_m - a));
}

void Moments::clear() {
    free_.insert(free_.end(), order_.begin(), order_.end());
    order_.clear();
    now_ = -1;
}

}  // namespace nb
