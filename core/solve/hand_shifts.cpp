#include "core/solve/hand_shifts.hpp"

#include <algorithm>
#include <cmath>
#include <span>

#include "core/base/parallel.hpp"
#include "core/math/hermite.hpp"
#include "core/motion/looks.hpp"
#include "core/solve/near.hpp"
#include "core/solve/program.hpp"

namespace nb {

namespace {

constexpr double sigma_s = 0.045;

using Shifts = std::vector<HandShift>;

bool touches(const NearHand& hand, double t_s) {
    return std::any_of(hand.touches.begin(), hand.touches.end(),
                       [&](const NearHand::Touch& touch) { return touch.when.contains(t_s); });
}

/// Runs of frames in which a hand touches: first, last (included).
std::vector<std::pair<int, int>> runs_of(const std::vector<char>& touching) {
    std::vector<std::pair<int, int>> runs;
    for (int f = 0; f < int(touching.size()); ++f) {
        if (!touching[size_t(f)]) continue;
        if (runs.empty() || runs.back().second != f - 1) runs.emplace_back(f, f);
        runs.back().second = f;
    }
    return runs;
}

/// What a hand lies on, a frame: nothing, the skin, or what stands there.
using Lying = std::vector<char>;
enum : char { on_nothing, on_skin, on_set };

/// The frames that are looked at: some, and where one kind of lying becomes another.
std::vector<char> looked_frames(std::span<const Lying> kinds, int frames, int step) {
    std::vector<char> is_looked(size_t(frames), 0);
    for (int f = 0; f < frames; f += step) is_looked[size_t(f)] = 1;
    for (const Lying& kind : kinds)
        for (size_t f = 0; f + 1 < is_looked.size(); ++f)
            if (kind[f] != kind[f + 1]) is_looked[f] = is_looked[f + 1] = 1;
    is_looked.back() = 1;
    return is_looked;
}

/// Between the looks of one kind: cubic, with the slope of the looks beside each.
void fill_between(const Lying& kind, const std::vector<char>& is_looked, Shifts& shifts) {
    std::vector<size_t> at;
    const auto fill = [&] {
        const auto slope = [&](size_t i) {
            const size_t a = i > 0 ? i - 1 : i, b = std::min(i + 1, at.size() - 1);
            const double span = std::max(1.0, double(at[b] - at[a]));
            const HandShift &before = shifts[at[a]], &after = shifts[at[b]];
            return HandShift{(after.by_m - before.by_m) / span, (after.turn - before.turn) / span};
        };
        for (size_t i = 0; i + 1 < at.size(); ++i) {
            const double span = double(at[i + 1] - at[i]);
            const HandShift a = slope(i), b = slope(i + 1);
            const HandShift &from = shifts[at[i]], &to = shifts[at[i + 1]];
            for (size_t f = at[i] + 1; f < at[i + 1]; ++f) {
                const double u = double(f - at[i]) / span;
                shifts[f] = {hermite(from.by_m, span * a.by_m, to.by_m, span * b.by_m, u),
                             hermite(from.turn, span * a.turn, to.turn, span * b.turn, u)};
            }
        }
        at.clear();
    };
    for (size_t f = 0; f < kind.size(); ++f) {
        if (f > 0 && kind[f] != kind[f - 1]) fill();
        if (kind[f] && is_looked[f]) at.push_back(f);
    }
    fill();
}

/// Outside of what was found.
void lead(const std::vector<std::pair<int, int>>& runs, double dt, Shifts& shifts) {
    size_t next = 0;
    for (int f = 0; f < int(shifts.size()); ++f) {
        while (next < runs.size() && runs[next].second < f) ++next;
        if (next < runs.size() && runs[next].first <= f) continue;
        double free = 1.0, all = 0.0;
        HandShift sum;
        const auto add = [&](int edge) {
            const double g = led_share(std::abs(f - edge) * dt, touch_lead_s);
            if (g <= 0.0 || g >= 1.0) return;
            const double a = g / (1.0 - g);
            free *= 1.0 - g;
            all += a;
            sum.by_m += a * shifts[size_t(edge)].by_m;
            sum.turn += a * shifts[size_t(edge)].turn;
        };
        if (next > 0) add(runs[next - 1].second);
        if (next < runs.size()) add(runs[next].first);
        if (all <= 0.0) continue;
        shifts[size_t(f)] = {(1.0 - free) / all * sum.by_m, (1.0 - free) / all * sum.turn};
    }
}

Shifts smoothed(const Shifts& shifts, double dt) {
    const int reach = int(std::floor(touch_smooth_s / dt));
    std::vector<double> weight;
    for (int i = 0; i <= reach; ++i) weight.push_back(std::exp(-0.5 * std::pow(i * dt / sigma_s, 2)));
    Shifts result(shifts.size());
    for (int f = 0; f < int(shifts.size()); ++f) {
        double all = 0.0;
        HandShift& out = result[size_t(f)];
        for (int g = std::max(0, f - reach); g <= std::min(int(shifts.size()) - 1, f + reach); ++g) {
            const double w = weight[size_t(std::abs(g - f))];
            all += w;
            out.by_m += w * shifts[size_t(g)].by_m;
            out.turn += w * shifts[size_t(g)].turn;
        }
        out.by_m /= all;
        out.turn /= all;
    }
    return result;
}

/// An arm whose hand lies on something at some time, and when it does.
struct ShiftedHand {
    size_t limb = 0;                 ///< of `limb_names`
    const NearHand* near = nullptr;  ///< where it lies on the own skin
    Lying lies;
};

std::vector<ShiftedHand> shifted_hands(const Program& program, const WorldMotion& source) {
    std::vector<ShiftedHand> hands;
    for (const LimbOp& limb : program.limbs) {
        ShiftedHand hand;
        hand.limb = limb.limb;
        if (program.near && program.passes.touch)
            for (const NearHand& near : program.near->hands)
                if (program.limbs[near.limb].limb == limb.limb) hand.near = &near;
        const bool has_set =
            program.passes.hold &&
            std::any_of(program.on_set.begin(), program.on_set.end(),
                        [&](const SetHand& on) { return program.limbs[on.limb].limb == limb.limb; });
        if (!hand.near && !has_set) continue;
        hand.lies.resize(size_t(source.frames), on_nothing);
        for (int f = 0; f < source.frames; ++f) {
            const double t_s = source.time_s(f);
            if (hand.near && touches(*hand.near, t_s))
                hand.lies[size_t(f)] = on_skin;
            else if (has_set && lies_on_set(program, limb.limb, t_s))
                hand.lies[size_t(f)] = on_set;
        }
        hands.push_back(std::move(hand));
    }
    return hands;
}

}  // namespace

std::array<std::vector<HandShift>, limb_count> hand_shifts(
    const Program& program, const WorldMotion& source, WorldMotion& target, int threads,
    const std::function<void(int frame, TargetFrame& target)>& stand) {
    std::array<Shifts, limb_count> shifts;
    const std::vector<ShiftedHand> hands = shifted_hands(program, source);
    if (hands.empty() || source.frames == 0) return shifts;
    std::vector<Lying> kinds;
    for (const ShiftedHand& hand : hands) {
        shifts[hand.limb].resize(size_t(source.frames));
        kinds.push_back(hand.lies);
    }
    const int step = look_step(source.frame_time_s, solve_looks_a_second);
    const std::vector<char> is_looked = looked_frames(kinds, source.frames, step);
    for_each_frame(source.frames, threads, [&](int first, int last) {
        for (int f = first; f < last; ++f) {
            if (!is_looked[size_t(f)] ||
                std::none_of(hands.begin(), hands.end(),
                             [&](const ShiftedHand& hand) { return hand.lies[size_t(f)] != on_nothing; }))
                continue;
            const SourceFrame S = frame_of(source, f);
            TargetFrame T = frame_of(target, f);
            stand(f, T);
            for (const ShiftedHand& hand : hands)
                if (const char on = hand.lies[size_t(f)]; on != on_nothing)
                    shifts[hand.limb][size_t(f)] = on == on_skin ? shift_of(program, *hand.near, S, T)
                                                                 : set_shift(program, hand.limb, S, T);
        }
    });
    for (const ShiftedHand& hand : hands) {
        Shifts& own = shifts[hand.limb];
        fill_between(hand.lies, is_looked, own);
        lead(runs_of(hand.lies), source.frame_time_s, own);
        // On their way hands pass the body: they are kept out of it.
        if (hand.near) {
            Lying is_led(own.size());
            for (size_t f = 0; f < own.size(); ++f)
                is_led[f] = hand.lies[f] == on_nothing && !own[f].is_none();
            const std::vector<char> is_passing = looked_frames({&is_led, 1}, source.frames, step);
            Shifts out(own.size());
            for_each_frame(source.frames, threads, [&](int first, int last) {
                for (int f = first; f < last; ++f) {
                    if (!is_led[size_t(f)] || !is_passing[size_t(f)]) continue;
                    TargetFrame T = frame_of(target, f);
                    stand(f, T);
                    out[size_t(f)] = shift_clear(program, *hand.near, own[size_t(f)], frame_of(source, f), T);
                }
            });
            fill_between(is_led, is_passing, out);
            for (size_t f = 0; f < own.size(); ++f) own[f].by_m += out[f].by_m;
        }
        own = smoothed(own, source.frame_time_s);
    }
    return shifts;
}

}  // namespace nb
