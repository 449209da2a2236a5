#include "live/cleared_limbs.hpp"

#include <algorithm>
#include <cmath>
#include <utility>

#include "core/math/hermite.hpp"
#include "core/solve/clear.hpp"
#include "core/solve/passes.hpp"

namespace nb {

namespace {

constexpr double key_s = 1.0 / solve_looks_a_second;
constexpr double kept_s = 0.7;     // what lies longer ago does not count
constexpr double apart_s = 0.2;    // beyond that a new way begins
constexpr double slope_s = 0.002;  // over which the way's slope is taken
constexpr double away_w = 25.0;    // 1/s
constexpr double nothing_m = 1e-6;
constexpr int most_rounds = 3;

LimbClear clear_of(const ClearVec& x) {
    return {x[0], x.tail<3>()};
}

}  // namespace

ClearedLimbs::ClearedLimbs(const Program& program) : program_(program) {
    source_.frames = posed_.target.frames = 1;
    source_.frame_time_s = posed_.target.frame_time_s = key_s;
    posed_.target.joints = int(program.body.parents.size());
    posed_.target.R.assign(program.body.parents.size(), Quat::Identity());
    posed_.target.p.assign(program.body.parents.size(), Vec3::Zero());
    for (auto& limb : posed_.corrections.limbs) limb.hold.assign(1, 0.0);
}

void ClearedLimbs::clear() {
    keys_.clear();
    offset_ = {};
}

/// Poses the newest frame and asks its limbs for what is missing, until that stays.
void ClearedLimbs::look(const Moment& newest, FrameCorrection held) {
    source_.joints = int(newest.R.size());
    source_.R = newest.R;
    source_.p = newest.p;
    source_.start_s = posed_.target.start_s = newest.t_s;
    for (size_t limb = 0; limb < limb_count; ++limb)
        posed_.corrections.limbs[limb].hold[0] = held.limbs[limb].hold;
    Key& key = keys_.emplace_back();
    key.t_s = newest.t_s;
    key.x.fill(ClearVec::Zero());
    if (keys_.size() > 1) key.x = keys_[keys_.size() - 2].x;
    for (int round = 0; round < most_rounds; ++round) {
        held.has_clear = false;
        for (size_t limb = 0; limb < limb_count; ++limb) {
            held.clear[limb] = clear_of(key.x[limb]);
            held.has_clear |= !held.clear[limb].is_none();
        }
        TargetFrame T = frame_of(posed_.target, 0);
        run_passes(program_, frame_of(std::as_const(source_), 0), T, &held);
        const OfLimbs before = key.x;
        ClearLook look = look_at_frame(program_, source_, posed_, before);
        key.rows = std::move(look.rows);
        key.weights = look.weights;
        find_way();
        double moved = 0.0;
        for (size_t limb = 0; limb < limb_count; ++limb)
            moved = std::max(moved, (key.x[limb] - before[limb]).norm());
        if (moved < clear_is_there_m * program_.clear->size) break;
    }
}

void ClearedLimbs::find_way() {
    std::vector<ClearVec> weights, start;
    std::vector<ClearRow> rows;
    for (size_t limb = 0; limb < limb_count; ++limb) {
        weights.clear();
        start.clear();
        rows.clear();
        for (size_t k = 0; k < keys_.size(); ++k) {
            weights.push_back(keys_[k].weights[limb]);
            start.push_back(keys_[k].x[limb]);
            for (ClearRow row : keys_[k].rows[limb]) {
                row.frame = int(k);
                rows.push_back(row);
            }
        }
        const std::vector<ClearVec> x = clear_way(weights, key_s, rows, start);
        for (size_t k = 0; k < keys_.size(); ++k) keys_[k].x[limb] = x[k];
    }
}

ClearVec ClearedLimbs::way(size_t limb, double t_s) const {
    if (keys_.empty()) return ClearVec::Zero();
    const auto x = [&](size_t k) -> const ClearVec& { return keys_[k].x[limb]; };
    // A way that begins now: what was shown before is led over to it.
    if (t_s <= keys_.front().t_s) return x(0);
    const auto slope = [&](size_t k) {
        const size_t a = k > 0 ? k - 1 : k, b = std::min(k + 1, keys_.size() - 1);
        return b > a ? ClearVec((x(b) - x(a)) / (keys_[b].t_s - keys_[a].t_s)) : ClearVec(ClearVec::Zero());
    };
    const size_t last = keys_.size() - 1;
    // Ahead of what was looked at as it went last, for no longer than to the next look.
    if (t_s >= keys_[last].t_s) return x(last) + std::min(key_s, t_s - keys_[last].t_s) * slope(last);
    const auto after = std::upper_bound(keys_.begin(), keys_.end(), t_s,
                                        [](double t, const Key& key) { return t < key.t_s; });
    const size_t b = size_t(after - keys_.begin()), a = b - 1;
    const double span = keys_[b].t_s - keys_[a].t_s;
    return hermite<ClearVec>(x(a), span * slope(a), x(b), span * slope(b), (t_s - keys_[a].t_s) / span);
}

void ClearedLimbs::step(const Moments& moments, const ContactsAhead& contacts, FrameCorrection& held,
                        bool may_look) {
    held.has_clear = false;
    if (!clears(program_)) return;
    const Moment& newest = moments.at(moments.size() - 1);
    const double t_s = moments.shown().t_s;
    if (may_look && (keys_.empty() || newest.t_s - keys_.back().t_s >= key_s - 1e-6)) {
        OfLimbs was, was_before;
        for (size_t limb = 0; limb < limb_count; ++limb) {
            was[limb] = way(limb, t_s);
            was_before[limb] = way(limb, t_s - slope_s);
        }
        if (!keys_.empty() && newest.t_s - keys_.back().t_s > apart_s) keys_.clear();
        look(newest, held);
        for (size_t limb = 0; limb < limb_count; ++limb) {
            const ClearVec by = was[limb] - way(limb, t_s);
            offset_[limb].x += by;
            offset_[limb].v += (by - (was_before[limb] - way(limb, t_s - slope_s))) / slope_s;
        }
        size_t old = 0;
        while (keys_[old].t_s < newest.t_s - kept_s) ++old;
        keys_.erase(keys_.begin(), keys_.begin() + long(old));
    }
    const double dt = std::clamp(t_s - last_s_, 0.0, apart_s);
    last_s_ = t_s;
    for (size_t limb = 0; limb < limb_count; ++limb) {
        offset_[limb].step(dt, away_w);
        const ClearVec x = way(limb, t_s) + offset_[limb].x;
        held.clear[limb] = x.norm() < nothing_m ? LimbClear() : clear_of(x);
        // A foot that stands stays, and goes aside again as it is let go of.
        const bool stands =
            contacts.point(limb, FootPoint::heel).is_held || contacts.point(limb, FootPoint::ball).is_held;
        if (limb < 2) held.clear[limb].by_m *= stands ? 0.0 : 1.0 - held.limbs[limb].hold;
        held.has_clear |= !held.clear[limb].is_none();
    }
}

}  // namespace nb
