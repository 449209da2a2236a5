#include "core/solve/give_way.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <span>
#include <stdexcept>

#include "core/math/banded.hpp"
#include "core/math/curves.hpp"

namespace nb {

namespace {

constexpr double first_penalty = 10.0;

/// One span of frames, solved by itself: beyond its ends x is as good as zero.
class Span {
  public:
    Span(int first, int last, double smooth, std::span<const HeldReach> reaches, const GiveWay& how)
        : first_(first),
          n_(last - first),
          smooth_(smooth),
          reaches_(reaches),
          how_(how),
          rest_(n_, 3),
          system_(rest_) {
        for (int i = 0; i < 3 * n_; ++i) rest_.add(i, i, 1.0);
        rest_.add_smoothness(smooth_);
    }

    GiveSpan solve(std::vector<Vec3>& x) {
        GiveSpan ended;
        ended.first = first_;
        ended.last = first_ + n_;
        std::vector<Vec3> now(size_t(n_), Vec3::Zero());
        std::vector<Vec3> next = now;
        penalty_ = first_penalty;
        double cost = cost_of(now);
        for (int round = 0; round < how_.most_rounds; ++round) {
            ++ended.rounds;
            if (!step(now)) break;
            double share = 1.0;
            double moved = 0.0;
            for (int halving = 0; halving < 12; ++halving, share *= 0.5) {
                moved = 0.0;
                for (int t = 0; t < n_; ++t) {
                    const Vec3 by = share * (step_at(t) - now[size_t(t)]);
                    next[size_t(t)] = now[size_t(t)] + by;
                    moved = std::max(moved, by.norm());
                }
                const double next_cost = cost_of(next);
                if (next_cost <= cost) {
                    cost = next_cost;
                    now.swap(next);
                    break;
                }
                moved = 0.0;
            }
            if (moved > (penalty_ < how_.penalty ? 1e-4 : 1e-6)) continue;
            if (penalty_ >= how_.penalty) {
                ended.is_converged = true;
                break;
            }
            penalty_ = std::min(how_.penalty, 10.0 * penalty_);
            cost = cost_of(now);
        }
        for (int t = 0; t < n_; ++t) x[size_t(first_) + size_t(t)] = now[size_t(t)];
        for (const HeldReach& reach : reaches_)
            ended.residual_m =
                std::max(ended.residual_m,
                         (reach.to - now[size_t(reach.frame) - size_t(first_)]).norm() - reach.limit_m);
        return ended;
    }

  private:
    int first_, n_;
    double smooth_;
    std::span<const HeldReach> reaches_;
    const GiveWay& how_;
    FrameSystem rest_, system_;  ///< without reaches, which are all that changes; with them
    double penalty_ = 0.0;

    Vec3 step_at(int t) const { return Vec3(system_.at(t)); }

    double cost_of(const std::vector<Vec3>& x) const {
        double cost = 0.0;
        for (const Vec3& at : x) cost += at.squaredNorm();
        for (int t = 1; t + 1 < n_; ++t)
            cost += smooth_ * (x[size_t(t) - 1] - 2.0 * x[size_t(t)] + x[size_t(t) + 1]).squaredNorm();
        for (const HeldReach& reach : reaches_) {
            const double over = (reach.to - x[size_t(reach.frame) - size_t(first_)]).norm() - reach.limit_m;
            if (over > 0.0) cost += penalty_ * over * over;
        }
        return cost;
    }

    /// Where the quadratic model at `x` is least, in system_. False where numbers broke.
    bool step(const std::vector<Vec3>& x) {
        system_ = rest_;
        for (const HeldReach& reach : reaches_) {
            const Vec3& here = x[size_t(reach.frame) - size_t(first_)];
            const Vec3 left = reach.to - here;
            const double length = left.norm();
            if (length <= reach.limit_m || length < 1e-9) continue;
            const Vec3 u = left / length;
            // The whole second derivative of (length - limit)^2 / 2.
            const double around = 1.0 - reach.limit_m / length;
            const Mat3 H = penalty_ * (around * Mat3::Identity() + (1.0 - around) * u * u.transpose());
            const Vec3 pull = H * here + penalty_ * (length - reach.limit_m) * u;
            const int at = 3 * (reach.frame - first_);
            for (int r = 0; r < 3; ++r) {
                for (int c = 0; c <= r; ++c) system_.add(at + r, at + c, H(r, c));
                system_.pull(at + r, pull[r]);
            }
        }
        return system_.solve();
    }
};

}  // namespace

std::vector<Vec3> give_way(int frames, double frame_time_s, const std::vector<HeldReach>& reaches,
                           const GiveWay& how, const std::function<void(const GiveSpan&, double)>& told) {
    std::vector<Vec3> x(size_t(frames), Vec3::Zero());
    const double tau = how.tau_s / frame_time_s;
    const int apart = std::max(8, int(std::lround(12.0 * tau)));
    // Spans around the reaches that are beyond their limit, far enough apart not to feel each other.
    int from = -1;
    int to = -1;
    const auto at_frame = [&](int frame) {
        return std::lower_bound(reaches.begin(), reaches.end(), frame,
                                [](const HeldReach& reach, int f) { return reach.frame < f; });
    };
    const auto solve = [&] {
        if (from < 0) return;
        const int first = std::max(0, from - apart);
        const int last = std::min(frames, to + apart + 1);
        const std::span<const HeldReach> inside(at_frame(first), at_frame(last));
        const GiveSpan ended = Span(first, last, std::pow(tau, 4), inside, how).solve(x);
        if (told) told(ended, double(last) / frames);
    };
    for (const HeldReach& reach : reaches) {
        if (!reach.to.allFinite() || !std::isfinite(reach.limit_m))
            throw std::runtime_error(fmt::format(
                "frame {}: what is held has no place; check the take for broken numbers", reach.frame + 1));
        if (reach.to.norm() <= reach.limit_m) continue;
        if (from >= 0 && reach.frame - to > 2 * apart) {
            solve();
            from = -1;
        }
        if (from < 0) from = reach.frame;
        to = reach.frame;
    }
    solve();
    return x;
}

}  // namespace nb
