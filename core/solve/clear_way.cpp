#include "core/solve/clear_way.hpp"

#include <algorithm>
#include <cmath>
#include <optional>
#include <span>
#include <utility>

#include "core/base/parallel.hpp"
#include "core/math/banded.hpp"
#include "core/math/hermite.hpp"
#include "core/math/spline.hpp"
#include "core/motion/looks.hpp"
#include "core/solve/beside.hpp"
#include "core/solve/clear.hpp"
#include "core/solve/hold.hpp"
#include "core/solve/motion.hpp"
#include "core/solve/near.hpp"
#include "core/solve/on_set.hpp"
#include "core/solve/program.hpp"

namespace nb {

namespace {

constexpr int most_newton = 40;
constexpr double apart_s = 1.2;  // beyond that spans do not feel each other

constexpr double elbow_costs = 0.1, knee_costs = 1.0;
constexpr double held_costs = 1e8, set_costs = 20.0;
constexpr int way_rounds = 6;
// Two bodies close on each other twice as fast as one does on itself.
constexpr double looks_beside_a_second = 60.0;
// Of a body of 175 cm:
constexpr double slack_m = 0.007;  // as exact as surfaces are: less deep, nothing meets
constexpr double near_m = 0.03;    // rows are made of what is as near as that to where it should be
// A limb that lies deeper is asked less and less, beyond the second not at all: no way out cures it.
constexpr double deep_m = 0.08, too_deep_m = 0.14;

// Deeper in another body is not the source's wish but its skin's error: shoulders are rounder than surfaces.
constexpr double most_in_others_m = 0.02;

constexpr double moves_m = 1e-7;      // of x
constexpr double settled_m = 1e-5;    // a step of Newton's
constexpr double turns_enough = 0.3;  // of a tip that is held: less does the elbow for it

class Way {
  public:
    Way(std::span<const ClearVec> weights, double smooth, int first, std::span<const ClearRow> rows)
        : weights_(weights),
          smooth_(smooth),
          first_(first),
          n_(int(weights.size())),
          rows_(rows),
          system_(n_, 4) {}

    std::vector<ClearVec> solve(std::vector<ClearVec> now) {
        double cost = cost_of(now);
        for (int round = 0; round < most_newton; ++round) {
            if (!step(now)) break;
            double moved = 0.0;
            bool is_whole = false;
            for (double share = 1.0; share > 1e-3; share *= 0.5) {
                std::vector<ClearVec> next = now;
                moved = 0.0;
                for (int t = 0; t < n_; ++t) {
                    const ClearVec by = share * (ClearVec(system_.at(t)) - now[size_t(t)]);
                    next[size_t(t)] += by;
                    moved = std::max(moved, by.cwiseAbs().maxCoeff());
                }
                const double next_cost = cost_of(next);
                if (next_cost <= cost) {
                    is_whole = share == 1.0;
                    cost = next_cost;
                    now.swap(next);
                    break;
                }
                moved = 0.0;
            }
            // Of a whole step that changed no row from asking to not asking nothing is left to do.
            if (moved < settled_m || (is_whole && is_asking(now) == asked_)) break;
        }
        return now;
    }

  private:
    std::span<const ClearVec> weights_;
    double smooth_;
    int first_, n_;
    std::span<const ClearRow> rows_;
    FrameSystem system_;
    std::vector<char> asked_;  ///< by row, at the last step

    std::vector<char> is_asking(const std::vector<ClearVec>& x) const {
        std::vector<char> asking(rows_.size());
        for (size_t i = 0; i < rows_.size(); ++i) asking[i] = rows_[i].b > rows_[i].a.dot(at(x, rows_[i]));
        return asking;
    }

    const ClearVec& at(const std::vector<ClearVec>& x, const ClearRow& row) const {
        return x[size_t(row.frame - first_)];
    }

    double cost_of(const std::vector<ClearVec>& x) const {
        double cost = 0.0;
        for (int t = 0; t < n_; ++t) cost += x[size_t(t)].dot(weights_[size_t(t)].cwiseProduct(x[size_t(t)]));
        for (int t = 1; t + 1 < n_; ++t)
            cost += smooth_ * (x[size_t(t) - 1] - 2.0 * x[size_t(t)] + x[size_t(t) + 1]).squaredNorm();
        for (const ClearRow& row : rows_)
            if (const double lacks = row.b - row.a.dot(at(x, row)); lacks > 0.0)
                cost += clear_penalty * lacks * lacks;
        return cost;
    }

    bool step(const std::vector<ClearVec>& x) {
        system_.clear();
        for (int t = 0; t < n_; ++t)
            for (int k = 0; k < 4; ++k) system_.add(4 * t + k, 4 * t + k, weights_[size_t(t)][k]);
        system_.add_smoothness(smooth_);
        asked_ = is_asking(x);
        for (size_t i = 0; i < rows_.size(); ++i) {
            if (!asked_[i]) continue;
            const ClearRow& row = rows_[i];
            const int from = 4 * (row.frame - first_);
            for (int r = 0; r < 4; ++r) {
                for (int c = 0; c <= r; ++c)
                    system_.add(from + r, from + c, clear_penalty * row.a[r] * row.a[c]);
                system_.pull(from + r, clear_penalty * row.b * row.a[r]);
            }
        }
        return system_.solve();
    }
};

}  // namespace

std::vector<ClearVec> clear_way(const std::vector<ClearVec>& weights, double frame_time_s,
                                const std::vector<ClearRow>& rows, const std::vector<ClearVec>& start,
                                double tau_s) {
    std::vector<ClearVec> x(weights.size(), ClearVec::Zero());
    const double smooth = std::pow(tau_s / frame_time_s, 4);
    const int apart = std::max(8, int(std::lround(apart_s / frame_time_s)));
    const int frames = int(weights.size());
    // Spans around rows that ask for something, far enough apart not to feel each other.
    size_t from = 0;
    const auto asks = [&](size_t i) { return rows[i].b > 0.0; };
    while (from < rows.size()) {
        if (!asks(from)) {
            ++from;
            continue;
        }
        size_t to = from;
        for (size_t i = from; i < rows.size() && rows[i].frame - rows[to].frame <= 2 * apart; ++i)
            if (asks(i)) to = i;
        const int first = std::max(0, rows[from].frame - apart);
        const int last = std::min(frames, rows[to].frame + apart + 1);
        const auto at_frame = [&](int frame) {
            return std::lower_bound(rows.begin(), rows.end(), frame,
                                    [](const ClearRow& row, int f) { return row.frame < f; });
        };
        const std::vector<ClearVec> own =
            Way(std::span(weights).subspan(size_t(first), size_t(last - first)), smooth, first,
                std::span<const ClearRow>(at_frame(first), at_frame(last)))
                .solve(start.empty() ? std::vector<ClearVec>(size_t(last - first), ClearVec::Zero())
                                     : std::vector<ClearVec>(start.begin() + first, start.begin() + last));
        for (int t = 0; t < last - first; ++t)
            if (own[size_t(t)].cwiseAbs().maxCoeff() > moves_m) x[size_t(first) + size_t(t)] = own[size_t(t)];
        from = to + 1;
    }
    return x;
}

namespace {

/// The frames that are looked at, evenly, and the last one.
struct ClearKeys {
    int step = 1, frames = 0, count = 0;

    ClearKeys(int of_frames, double frame_time_s, double looks_a_second)
        : step(look_step(frame_time_s, looks_a_second)),
          frames(of_frames),
          count((frames - 1 + step - 1) / step + 1) {}
    int frame(int key) const { return std::min(key * step, frames - 1); }
};

/// Skin that stands wide about a bone lies off its radii by more: no slack for that.
double slack(const ClearProgram& clear, size_t limb) {
    return clear.T.limbs[limb].is_wide ? 0.0 : slack_m * clear.size;
}

/// Between the keys, and exactly zero where no key of either side has any.
void spread(const ClearKeys& keys, const std::vector<ClearVec>& x, std::vector<LimbClear>& out) {
    out.assign(size_t(keys.frames), LimbClear());
    for (int first = 0; first < keys.count; ++first) {
        if (x[size_t(first)].isZero(0.0)) continue;
        int last = first;
        while (last + 1 < keys.count && !x[size_t(last) + 1].isZero(0.0)) ++last;
        const int from = std::max(0, first - 1), to = std::min(keys.count - 1, last + 1);
        Eigen::Matrix4Xd values(4, to - from + 1);
        for (int key = from; key <= to; ++key) values.col(key - from) = x[size_t(key)];
        const EvenSpline spline(std::move(values));
        for (int f = keys.frame(from); f <= keys.frame(to); ++f) {
            const int before = std::min(f / keys.step, keys.count - 1);
            const int span = before + 1 < keys.count ? keys.frame(before + 1) - keys.frame(before) : 1;
            const double at = before + double(f - keys.frame(before)) / std::max(1, span) - from;
            const ClearVec value = spline.at(std::min(at, double(to - from)));
            out[size_t(f)] = {value[0], value.tail<3>()};
        }
        first = last + 1;
    }
}

using Wanted = std::array<double, clear_groups>;

/// The bodies beside, as arms look at them.
class Others {
  public:
    Others(const ClearProgram& clear, const Beside* beside) : clear_(clear) {
        if (!beside) return;
        const bool is_own = are_alike(clear.S.surface, clear.T.surface);
        for (const Beside::Neighbour& neighbour : beside->neighbours)
            others_.push_back({&neighbour, parts_of(*neighbour.S), parts_of(*neighbour.T),
                               is_own && are_alike(*neighbour.S, *neighbour.T)});
    }
    bool is_none() const { return others_.empty(); }
    size_t count() const { return others_.size(); }
    ClearGroup group(size_t other, size_t part) const { return others_[other].T[part].group; }

    /// Heights of an arm over one of them, each with its part and out of that.
    void heights(size_t other, size_t limb, double t_s, const SourceFrame& frame, double below_m,
                 bool of_source, std::vector<ClearHeight>& found) const {
        const Other& of = others_[other];
        const ClearBody& body = of_source ? clear_.S : clear_.T;
        const WorldMotion& motion = of_source ? *of.neighbour->source : *of.neighbour->target;
        const std::vector<Part>& parts = of_source ? of.S : of.T;
        for (size_t i = 0; i < parts.size(); ++i) {
            const Rigid X = joint_at(motion, parts[i].surface->joint, t_s + of.neighbour->ahead_s);
            heights_over(body.limbs[limb], frame, *parts[i].surface, parts[i].surface->frame(X.R, X.p),
                         below_m, i, found);
        }
    }

    Wanted wanted(size_t other, size_t limb, double t_s, const SourceFrame& source) const {
        const double margin = clear_.margin_m[limb];
        Wanted wanted;
        wanted.fill(margin - slack(clear_, limb));
        // Two that are the sources' own bodies go as these do.
        const double deepest = others_[other].is_alike ? -1e30 : -most_in_others_m * clear_.size;
        std::vector<ClearHeight> found;
        heights(other, limb, t_s, source, margin / clear_.by_stature, true, found);
        for (const ClearHeight& S : found) {
            double& least = wanted[size_t(others_[other].S[S.part].group)];
            least = std::min(least, std::max(deepest, std::min(1.0, clear_.by_stature) * S.height_m));
        }
        return wanted;
    }

  private:
    struct Part {
        const PartSurface* surface;
        ClearGroup group;
    };
    struct Other {
        const Beside::Neighbour* neighbour;
        std::vector<Part> S, T;
        bool is_alike = false;  ///< this body and that one: targets and sources
    };
    const ClearProgram& clear_;
    std::vector<Other> others_;

    static bool are_alike(const BodySurface& a, const BodySurface& b) {
        constexpr double as_exact_m = 1e-3;
        return std::equal(a.parts.begin(), a.parts.end(), b.parts.begin(), b.parts.end(),
                          [](const PartSurface& one, const PartSurface& other) {
                              return one.role == other.role &&
                                     std::abs(one.length_m - other.length_m) < as_exact_m &&
                                     std::abs(one.mean_radius_m - other.mean_radius_m) < as_exact_m;
                          });
    }
    static std::vector<Part> parts_of(const BodySurface& skin) {
        std::vector<Part> parts;
        for (const PartSurface& part : skin.parts)
            if (const auto group = clear_group_of(part.role)) parts.push_back({&part, *group});
        return parts;
    }
};

/// By limb and key; empty: nowhere.
using MovedKeys = std::array<std::vector<char>, limb_count>;

bool is_leg(ClearGroup group) {
    return group == ClearGroup::leg_left || group == ClearGroup::leg_right;
}

class Clearing {
  public:
    Clearing(const Program& program, const WorldMotion& source, const ClearKeys& keys, int threads,
             const SolvedMotion& solved)
        : program_(program),
          clear_(*program.clear),
          source_(source),
          keys_(keys),
          threads_(threads),
          solved_(solved),
          others_(*program.clear, program.beside.get()) {}

    /// Makes the rows of a limb anew at keys where what it lies over has moved, or at all.
    void look(size_t limb, const std::vector<ClearVec>& x, const MovedKeys& moved, bool at_all) {
        const LimbOp* op = op_of(limb);
        if (!op || clear_.T.limbs[limb].bones.empty()) return;
        Seen& seen = seen_[limb];
        seen.rows.resize(size_t(keys_.count));
        seen.wanted.resize(size_t(keys_.count));
        seen.of_others.resize(size_t(keys_.count));
        for_each_frame(keys_.count, threads_, [&](int first, int last) {
            std::vector<ClearHeight> heights;
            for (int key = first; key < last; ++key) {
                if (!at_all && !is_moved(limb, key, moved)) continue;
                const ClearVec now = x.empty() ? ClearVec::Zero() : x[size_t(key)];
                const std::vector<SeenRow> before = std::exchange(seen.rows[size_t(key)], {});
                const double near = now.isZero(0.0) ? 0.0 : near_m * clear_.size;
                add_rows(limb, *op, key, now, near, heights, seen);
                if (near > 0.0) keep_rows(before, now, near, seen.rows[size_t(key)]);
            }
        });
    }

    std::vector<ClearRow> rows_of(size_t limb) const {
        std::vector<ClearRow> rows;
        for (const std::vector<SeenRow>& key : seen_[limb].rows)
            for (const SeenRow& one : key) rows.push_back(one.row);
        return rows;
    }

    ClearVec weight_of(size_t limb, int key) const {
        ClearVec w(limb < 2 ? knee_costs : elbow_costs, 1.0, 1.0, 1.0);
        const int frame = keys_.frame(key);
        // A rope that runs through a wide coat: some of both.
        w.tail<3>().array() += is_on_set(limb, frame) ? set_costs : held_costs * hold_of(limb, frame);
        return w;
    }

  private:
    const Program& program_;
    const ClearProgram& clear_;
    const WorldMotion& source_;
    const ClearKeys& keys_;
    int threads_;
    const SolvedMotion& solved_;
    Others others_;
    /// A row, and of what: a bone, and a part of the own body (`other` -1) or of another.
    struct SeenRow {
        ClearRow row;
        size_t bone = 0, part = 0;
        int other = -1;
        bool is_of_same(const SeenRow& one) const {
            return bone == one.bone && part == one.part && other == one.other;
        }
    };
    struct Seen {
        std::vector<std::vector<SeenRow>> rows;     ///< by key
        std::vector<std::optional<Wanted>> wanted;  ///< by key, once it was asked for: the source stays
        std::vector<std::vector<std::optional<Wanted>>> of_others;  ///< by key and other body
    };
    std::array<Seen, limb_count> seen_;

    /// Whether what a limb lies over may have changed with what moved: an arm goes by legs where it is near one.
    bool is_moved(size_t limb, int key, const MovedKeys& moved) const {
        const auto has = [&](size_t one) { return !moved[one].empty() && moved[one][size_t(key)] != 0; };
        const bool legs = has(0) || has(1);
        if (limb < 2) return legs;
        if (has(2) || has(3)) return true;
        const std::vector<SeenRow>& rows = seen_[limb].rows[size_t(key)];
        return legs && std::any_of(rows.begin(), rows.end(), [&](const SeenRow& one) {
                   return one.other < 0 && is_leg(clear_.T.parts[one.part].group);
               });
    }

    bool is_on_set(size_t limb, int frame) const {
        const double t_s = source_.time_s(frame);
        return !touches_skin(program_, limb, t_s) && !lies_on_other(program_, limb, t_s) &&
               lies_on_set(program_, limb, t_s);
    }

    /// 1 where the tip is not to be moved.
    double hold_of(size_t limb, int frame) const {
        const double t_s = source_.time_s(frame);
        if (lies_on_other(program_, limb, t_s)) return 1.0;
        if (const double led = touch_led(program_, limb, t_s); led > 0.0) return let_go_softly(led);
        if (is_on_set(limb, frame)) return 0.0;
        const std::vector<double>& hold = solved_.corrections.limbs[limb].hold;
        const LimbOp* op = op_of(limb);
        return std::max({size_t(frame) < hold.size() ? hold[size_t(frame)] : 0.0,
                         op && limb >= 2 && op->is_placed ? op->share : 0.0,
                         limb >= 2 ? let_go_softly(shared_led(program_, limb, t_s)) : 0.0});
    }

    /// Of a hand that is led to a skin, or to what the scene has: its cost goes by led as a power.
    static double let_go_softly(double led) {
        return led > 0.0 ? (std::pow(held_costs, led) - 1.0) / held_costs : 0.0;
    }

    /// From one hand to the other, unit, where both hold one thing; else zero.
    Vec3 between_hands(size_t limb, int frame, const SourceFrame& T) const {
        for (const HeldThing& thing : program_.things) {
            std::array<int, 2> joints{-1, -1};
            for (const HeldThing::Hand& hand : thing.hands)
                if (hand.when.contains(source_.time_s(frame)))
                    joints[program_.limbs[hand.limb].limb == 2 ? 0 : 1] = hand.T_hand;
            if (limb < 2 || joints[0] < 0 || joints[1] < 0) continue;
            return (T.p[size_t(joints[1])] - T.p[size_t(joints[0])]).normalized();
        }
        return Vec3::Zero();
    }

    const LimbOp* op_of(size_t limb) const {
        for (const LimbOp& op : program_.limbs)
            if (op.limb == limb) return &op;
        return nullptr;
    }

    Wanted wanted_at(size_t limb, int f) const {
        const double margin = clear_.margin_m[limb];
        Wanted wanted;
        wanted.fill(margin);
        std::vector<ClearHeight> heights;
        heights_under(clear_.S, limb, frame_of(source_, f), margin / clear_.by_stature, heights);
        const double as_deep = std::min(1.0, clear_.by_stature);
        for (const ClearHeight& S : heights) {
            double& least = wanted[size_t(clear_.S.parts[S.part].group)];
            least = std::min(least, as_deep * S.height_m);
        }
        for (size_t g = 0; g < clear_groups; ++g)
            wanted[g] = std::min({wanted[g], clear_.at_rest_m[limb][g], margin - slack(clear_, limb)});
        return wanted;
    }

    /// A height that is missing at a key.
    struct Lack {
        ClearHeight height;
        double m = 0.0;
        Vec3 out;
        bool is_shared = false;  ///< of two limbs that meet each gives half
        double asked = 1.0;      ///< how far it is asked for
        int other = -1;          ///< the body beside
    };

    std::vector<Lack> lacks_at(size_t limb, int key, double over_wanted_m, std::vector<ClearHeight>& heights,
                               Seen& seen) const {
        std::vector<Lack> lacks;
        const int f = keys_.frame(key);
        const SourceFrame T = frame_of(solved_.target, f);
        const double below_m = clear_.margin_m[limb] + over_wanted_m;
        heights_under(clear_.T, limb, T, below_m, heights);
        std::optional<Wanted>& wanted = seen.wanted[size_t(key)];
        if (!heights.empty() && !wanted) wanted = wanted_at(limb, f);
        for (const ClearHeight& height : heights) {
            const double m = (*wanted)[size_t(clear_.T.parts[height.part].group)] - height.height_m;
            if (m >= -over_wanted_m)
                lacks.push_back({height, m, height.is_capsule ? height.out : skin_normal(clear_.T, height, T),
                                 height.is_capsule});
        }
        if (limb < 2 || others_.is_none()) return lacks;
        std::vector<std::optional<Wanted>>& of_others = seen.of_others[size_t(key)];
        of_others.resize(others_.count());
        const double t_s = source_.time_s(f);
        const double on_arm = on_arm_led(program_, limb, t_s), on_other = on_other_led(program_, limb, t_s);
        const bool lies_there = on_other >= 1.0;
        for (size_t other = 0; other < others_.count(); ++other) {
            heights.clear();
            others_.heights(other, limb, t_s, T, below_m, false, heights);
            if (heights.empty()) continue;
            if (!of_others[other]) of_others[other] = others_.wanted(other, limb, t_s, frame_of(source_, f));
            for (const ClearHeight& height : heights) {
                const ClearGroup group = others_.group(other, height.part);
                // Arms of hands on each other are where these have them; as they part more and more is asked.
                const bool is_arm = group == ClearGroup::other_arm;
                if (is_arm && on_arm >= 1.0) continue;
                const double m = (*of_others[other])[size_t(group)] - height.height_m;
                if (m >= -over_wanted_m)
                    lacks.push_back({height, m, height.out, is_arm,
                                     lies_there ? 1.0 : 1.0 - std::max(on_arm, on_other), int(other)});
            }
        }
        return lacks;
    }

    void add_rows(size_t limb, const LimbOp& op, int key, const ClearVec& x, double over_wanted_m,
                  std::vector<ClearHeight>& heights, Seen& seen) const {
        const int f = keys_.frame(key);
        const SourceFrame T = frame_of(solved_.target, f);
        const std::vector<Lack> lacks = lacks_at(limb, key, over_wanted_m, heights, seen);
        if (lacks.empty()) return;
        std::vector<SeenRow>& rows = seen.rows[size_t(key)];
        const Vec3& start = T.p[size_t(op.T_start)];
        const Vec3& tip = T.p[size_t(op.T_tip)];
        const double length = (T.p[size_t(op.T_mid)] - start).norm() + (tip - T.p[size_t(op.T_mid)]).norm();
        if (length < 1e-6 || (tip - start).norm() < 1e-6) return;
        const bool is_held = hold_of(limb, f) > 0.5;
        const Vec3 between = between_hands(limb, f, T);
        const double theta = clear_turn_rad({x[0], Vec3::Zero()}, length);
        const double share = theta / most_clear_turn_rad;
        const double by_q = (1.0 - share * share) / (0.25 * length);
        for (const Lack& lack : lacks) {
            const ClearHeight& height = lack.height;
            const Vec3& out = lack.out;
            ClearRow row;
            row.frame = key;
            if (!clear_.T.limbs[limb].bones[height.bone].is_end)
                row.a[0] = by_q * (tip - start).normalized().cross(height.at - start).dot(out);
            if (is_held && std::abs(row.a[0]) < turns_enough) continue;
            if (!is_held) {
                Vec3 by_tip = (0.5 + 0.5 * height.along) * out;
                if (limb < 2) by_tip.y() = 0.0;
                row.a.tail<3>() = by_tip - between.dot(by_tip) * between;
            }
            row.b = (lack.is_shared && lack.m > 0.0 ? 0.5 * lack.m : lack.m) + row.a.dot(x);
            const double deep = (row.b / clear_.size - deep_m) / (too_deep_m - deep_m);
            const double asked = std::sqrt(lack.asked * (1.0 - smooth_step(std::clamp(deep, 0.0, 1.0))));
            if (asked <= 0.0) continue;
            row.a *= asked;
            row.b *= asked;
            rows.push_back({row, height.bone, height.part, lack.other});
        }
    }

    /// What was near and is not any more lies farther off than `within_m`: so far the limb may go back until the next look,
    /// which finds it again. Without that it would go back all the way, and out again.
    static void keep_rows(const std::vector<SeenRow>& before, const ClearVec& x, double within_m,
                          std::vector<SeenRow>& rows) {
        const size_t found = rows.size();
        for (const SeenRow& old : before) {
            if (std::any_of(rows.begin(), rows.begin() + std::ptrdiff_t(found),
                            [&](const SeenRow& one) { return one.is_of_same(old); }))
                continue;
            rows.push_back(old);
            ClearRow& row = rows.back().row;
            row.b = row.a.dot(x) - within_m * row.a.norm();
        }
    }
};

/// Where a limb goes to and fro from round to round (what is round turns with the elbow) it goes half as far, from one place where
/// it is free to the next. `came_by`: of the round before; `steps`: shares, by key.
void damp(std::vector<ClearVec>& next, const std::vector<ClearVec>& x, std::vector<ClearVec>& came_by,
          std::vector<double>& steps) {
    if (next.empty()) return;
    came_by.resize(next.size(), ClearVec::Zero());
    steps.resize(next.size(), 1.0);
    for (size_t first = 0; first < next.size(); ++first) {
        const auto is_free = [&](size_t key) { return next[key].isZero(0.0) && x[key].isZero(0.0); };
        if (is_free(first)) continue;
        size_t last = first;
        double back = 0.0, step = 1.0;
        for (; last < next.size() && !is_free(last); ++last) {
            back += (next[last] - x[last]).dot(came_by[last]);
            step = std::min(step, steps[last]);
        }
        if (back < 0.0) step *= 0.5;
        for (size_t key = first; key < last; ++key) {
            if (step < 1.0) next[key] = x[key] + step * (next[key] - x[key]);
            steps[key] = step;
        }
        first = last;
    }
    for (size_t key = 0; key < next.size(); ++key) came_by[key] = next[key] - x[key];
}

bool has_others(const Program& program) {
    return program.beside && !program.beside->neighbours.empty();
}

double tau_of(const Program& program, size_t limb) {
    if (program.clear->T.limbs[limb].is_wide) return clear_wide_tau_s;
    return has_others(program) ? clear_beside_tau_s : clear_tau_s;
}

}  // namespace

void clear_motion(const Program& program, const WorldMotion& source, int threads, const Watch& watch,
                  SolvedMotion& solved, const std::function<void(int frame)>& pose) {
    if (!clears(program) || source.frames == 0) return;
    const ClearKeys keys(source.frames, source.frame_time_s,
                         has_others(program) ? looks_beside_a_second : solve_looks_a_second);
    Clearing clearing(program, source, keys, threads, solved);
    std::array<std::vector<ClearVec>, limb_count> x;
    std::array<std::vector<ClearVec>, limb_count> weights;
    std::array<std::vector<ClearVec>, limb_count> came_by;
    std::array<std::vector<double>, limb_count> steps;
    MovedKeys moved;
    bool is_moved = false;
    for (int round = 0; round < way_rounds; ++round) {
        watch.look(double(round) / way_rounds);
        bool is_any = false;
        std::array<std::vector<ClearVec>, limb_count> next;
        for (size_t limb = 0; limb < limb_count; ++limb) {
            // Legs go farthest in the first round: arms that were not near may be.
            clearing.look(limb, x[limb], moved, round < 2);
            const std::vector<ClearRow> rows = clearing.rows_of(limb);
            next[limb] = x[limb];
            if (rows.empty()) continue;
            x[limb].resize(size_t(keys.count), ClearVec::Zero());
            if (weights[limb].empty())
                for (int key = 0; key < keys.count; ++key)
                    weights[limb].push_back(clearing.weight_of(limb, key));
            next[limb] = clear_way(weights[limb], keys.step * source.frame_time_s, rows, x[limb],
                                   tau_of(program, limb));
        }
        for (size_t limb = 0; limb < limb_count; ++limb)
            damp(next[limb], x[limb], came_by[limb], steps[limb]);
        for (size_t limb = 0; limb < limb_count; ++limb) {
            moved[limb].assign(x[limb].size(), 0);
            for (size_t key = 0; key < x[limb].size(); ++key) {
                const ClearVec by = next[limb][key] - x[limb][key];
                const double share = smooth_step(
                    std::clamp(by.norm() / (clear_is_there_m * program.clear->size) - 1.0, 0.0, 1.0));
                next[limb][key] = x[limb][key] + share * by;
                if (share <= 0.0) continue;
                is_any = true;
                moved[limb][key] = 1;
            }
        }
        if (!is_any) break;
        is_moved = true;
        x = std::move(next);
        for (size_t limb = 0; limb < limb_count; ++limb)
            if (!x[limb].empty()) spread(keys, x[limb], solved.corrections.clear[limb]);
        for_each_frame(keys.count, threads, [&](int first, int last) {
            for (int key = first; key < last; ++key)
                if (std::any_of(moved.begin(), moved.end(), [&](const std::vector<char>& one) {
                        return !one.empty() && one[size_t(key)] != 0;
                    }))
                    pose(keys.frame(key));
        });
    }
    if (!is_moved) return;
    for_each_frame(source.frames, threads, [&](int first, int last) {
        for (int f = first; f < last; ++f)
            if (std::any_of(solved.corrections.clear.begin(), solved.corrections.clear.end(),
                            [&](const std::vector<LimbClear>& one) {
                                return !one.empty() && !one[size_t(f)].is_none();
                            }))
                pose(f);
    });
}

ClearLook look_at_frame(const Program& program, const WorldMotion& source, const SolvedMotion& posed,
                        const std::array<ClearVec, limb_count>& x) {
    ClearLook look;
    const ClearKeys keys(1, source.frame_time_s, solve_looks_a_second);
    Clearing clearing(program, source, keys, 1, posed);
    for (size_t limb = 0; limb < limb_count; ++limb) {
        clearing.look(limb, {x[limb]}, {}, true);
        look.rows[limb] = clearing.rows_of(limb);
        look.weights[limb] = clearing.weight_of(limb, 0);
    }
    return look;
}

bool runs_into_others(const Program& program, const Beside& beside, const WorldMotion& source,
                      const WorldMotion& target) {
    constexpr double coarse_looks_a_second = 10.0;
    if (!clears(program) || source.frames == 0) return false;
    const Others others(*program.clear, &beside);
    const int step = look_step(source.frame_time_s, coarse_looks_a_second);
    std::vector<ClearHeight> heights;
    for (int f = 0; f < source.frames; f += step)
        for (size_t limb = 2; limb < limb_count; ++limb)
            for (size_t other = 0; other < others.count(); ++other) {
                heights.clear();
                const double t_s = source.time_s(f);
                others.heights(other, limb, t_s, frame_of(target, f), program.clear->margin_m[limb], false,
                               heights);
                if (heights.empty()) continue;
                const Wanted wanted = others.wanted(other, limb, t_s, frame_of(source, f));
                for (const ClearHeight& height : heights)
                    if (height.height_m < wanted[size_t(others.group(other, height.part))]) return true;
            }
    return false;
}

}  // namespace nb
