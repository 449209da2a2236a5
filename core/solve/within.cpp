#include "core/solve/within.hpp"

#include <algorithm>
#include <cmath>
#include <variant>

#include "core/math/curves.hpp"
#include "core/solve/clear.hpp"

namespace nb {

namespace {

/// The joints of limbs that are held somewhere, and of legs, which always stand.
std::vector<int> held_joints(const Program& program, const Contacts& contacts) {
    std::vector<int> joints;
    for (size_t i = 0; i < limb_count; ++i) {
        const EndOp& end = program.ends[i];
        if (end.limb < 0) continue;
        const LimbOp& limb = program.limbs[size_t(end.limb)];
        const bool is_held = limb.is_standing ||
                             std::any_of(contacts.list.begin(), contacts.list.end(), [&](const Contact& one) {
                                 const auto point = contact_point(one.point);
                                 return point && point->limb == i;
                             });
        if (!is_held) continue;
        joints.insert(joints.end(), {limb.T_start, limb.T_mid, limb.T_tip, end.sole.ankle, end.sole.toe});
    }
    std::erase(joints, -1);
    return joints;
}

bool moves_any(const CarriedBody& body, int joint, const std::vector<int>& joints) {
    return std::any_of(joints.begin(), joints.end(), [&](int at) { return body.moves(joint, at); });
}

bool is_keyed(const std::variant<TurnOp, FingersOp>& one) {
    return !std::visit([](const auto& op) { return op.when.is_whole; }, one);
}

}  // namespace

std::vector<char> keyed_frames(const Program& program, const Contacts& contacts, const WorldMotion& motion) {
    std::vector<const TouchSpan*> spans;
    const std::vector<int> held = held_joints(program, contacts);
    for (const auto& one : program.touch.turns)
        if (const auto* turn = std::get_if<TurnOp>(&one); turn && !turn->when.is_whole &&
                                                          !turn->joints.empty() &&
                                                          moves_any(program.body, turn->joints.front(), held))
            spans.push_back(&turn->when);
    for (const PlaceOp& op : program.touch.places)
        if (op.part == PlaceOp::Part::hips && !op.when.is_whole) spans.push_back(&op.when);
    std::vector<char> is_inside;
    for (int f = 0; f < motion.frames && !spans.empty(); ++f)
        is_inside.push_back(std::any_of(spans.begin(), spans.end(), [&](const TouchSpan* when) {
            return when->weight(motion.time_s(f)) > 0.0;
        }));
    const auto inside = std::count(is_inside.begin(), is_inside.end(), char(1));
    if (inside == 0 || inside == std::ptrdiff_t(is_inside.size())) is_inside.clear();
    return is_inside;
}

Program without_keyed(const Program& program) {
    Program plain = program;
    std::erase_if(plain.touch.turns, is_keyed);
    std::erase_if(plain.touch.places, [](const PlaceOp& op) { return !op.when.is_whole; });
    return plain;
}

namespace {

/// Frames outside, and those of contacts that reach there.
std::vector<char> as_without(const std::vector<char>& is_outside, const std::vector<char>& is_held) {
    std::vector<char> given = is_outside;
    for (size_t f = 1; f < given.size(); ++f)
        if (given[f - 1] && is_held[f] && is_held[f - 1]) given[f] = 1;
    for (size_t f = given.size(); f-- > 1;)
        if (given[f] && is_held[f - 1] && is_held[f]) given[f - 1] = 1;
    return given;
}

Vec3 at(const std::vector<Vec3>& values, size_t f) {
    return values.empty() ? Vec3(Vec3::Zero()) : values[f];
}
Quat at(const std::vector<Quat>& turns, size_t f) {
    return turns.empty() ? Quat::Identity() : turns[f];
}

/// One limb in one frame: what is added to where and how it was asked.
struct LimbFrame {
    Vec3 ankle = Vec3::Zero();
    Quat foot = Quat::Identity(), toe = Quat::Identity();
    double hold = 0.0;
};

/// `with` p of the way to `without`; asked as A and as B. `own`: what of the ankle's place stays whole.
LimbFrame mixed(const LimbFrame& with, const LimbFrame& without, double p, const AskedLimb& A,
                const AskedLimb& B, size_t f, const Vec3& own) {
    LimbFrame mix;
    mix.ankle = own + (1.0 - p) * (with.ankle - own) + p * without.ankle;
    mix.foot = with.foot.slerp(p, without.foot);
    mix.toe = with.toe.slerp(p, without.toe);
    mix.hold = (1.0 - p) * with.hold + p * without.hold;
    const double held = std::max(with.hold, without.hold);
    if (held <= 0.0 || A.ankle_m.empty() || B.ankle_m.empty()) return mix;
    mix.ankle += held * p * (B.ankle_m[f] - A.ankle_m[f]);
    // In the world: foot F = C F_asked, toe T = D C T_asked.
    const Quat F = (with.foot * A.foot[f]).slerp(p, without.foot * B.foot[f]);
    const Quat T = (with.toe * with.foot * A.toe[f]).slerp(p, without.toe * without.foot * B.toe[f]);
    const Quat free = mix.foot * A.foot[f], free_toe = mix.toe * mix.foot * A.toe[f];
    mix.foot = (free.slerp(held, F) * A.foot[f].conjugate()).normalized();
    mix.toe = (free_toe.slerp(held, T) * A.toe[f].conjugate() * mix.foot.conjugate()).normalized();
    return mix;
}

std::vector<char> outside(const std::vector<char>& is_inside) {
    std::vector<char> is_outside;
    is_outside.reserve(is_inside.size());
    for (const char is : is_inside) is_outside.push_back(!is);
    return is_outside;
}
int lead_frames(double frame_time_s) {
    return std::max(2, int(std::lround(lead_s / frame_time_s)));
}

}  // namespace

void keep_led(const Problem& problem, const KeptTo& kept, const std::array<AskedLimb, limb_count>& asked,
              Goals& goals) {
    const Goals& without = kept.without.led;
    if (without.effectors.size() != goals.effectors.size()) return;
    const std::vector<char> is_outside = outside(kept.is_inside);
    for (size_t i = 0; i < problem.effectors.size(); ++i) {
        const size_t at_limb = problem.effectors[i].limb();
        const AskedLimb& A = asked[at_limb];
        const AskedLimb& B = kept.without.asked[at_limb];
        EffectorGoals& g = goals.effectors[i];
        const EffectorGoals& other = without.effectors[i];
        const std::vector<char> given = as_without(is_outside, A.is_held);
        const std::vector<double> p = eased_weights(given, lead_frames(kept.frame_time_s));
        for (size_t f = 0; f < p.size(); ++f) {
            if (p[f] <= 0.0) continue;
            const LimbFrame mix =
                mixed({g.shift[f], exp_rotation(g.turn[f]), Quat::Identity(), g.weight[f]},
                      {other.shift[f], exp_rotation(other.turn[f]), Quat::Identity(), other.weight[f]}, p[f],
                      A, B, f, Vec3::Zero());
            g.shift[f] = mix.ankle;
            g.turn[f] = log_rotation(mix.foot);
            g.weight[f] = mix.hold;
            if (given[f]) {
                g.is_held[f] = other.is_held[f];
                g.is_sole[f] = other.is_sole[f];
            }
        }
    }
}

void keep_all(const Program& program, const KeptTo& kept, HeldRun& run) {
    Corrections& c = run.corrections;
    const Corrections& beside = kept.without.corrections;
    if (c.is_empty()) {
        c = beside;
        return;
    }
    const size_t frames = c.hips_m.size();
    const std::vector<char> is_outside = outside(kept.is_inside);
    const std::vector<double> p = eased_weights(is_outside, lead_frames(kept.frame_time_s));
    // What the hips are asked by themselves.
    const auto asked = [&](size_t f) { return Vec3(at(c.touched_m, f) - at(beside.touched_m, f)); };
    const auto mix = [&](std::vector<Vec3>& values, const std::vector<Vec3>& other, double stays) {
        for (size_t f = 0; f < values.size(); ++f) {
            if (is_outside[f])
                values[f] = at(other, f);
            else if (const Vec3 own = stays * asked(f); p[f] > 0.0)
                values[f] = own + (1.0 - p[f]) * (values[f] - own) + p[f] * at(other, f);
        }
    };
    mix(c.hips_m, beside.hips_m, 1.0);
    mix(c.hips_turn, beside.hips_turn, 0.0);
    for (size_t i = 0; i < c.limbs.size(); ++i) {
        LimbCorrections& limb = c.limbs[i];
        if (limb.ankle_m.empty()) continue;
        const LimbCorrections& other = beside.limbs[i];
        const EndOp& end = program.ends[i];
        const bool stands = end.limb >= 0 && program.limbs[size_t(end.limb)].is_standing;
        for (size_t f = 0; f < frames; ++f) {
            if (p[f] <= 0.0) continue;
            const LimbFrame without{at(other.ankle_m, f), at(other.foot, f), at(other.toe, f),
                                    other.hold.empty() ? 0.0 : other.hold[f]};
            // A free arm goes with the hips.
            const Vec3 own = stands ? Vec3(Vec3::Zero()) : Vec3((1.0 - limb.hold[f]) * asked(f));
            const LimbFrame now = is_outside[f]
                                      ? without
                                      : mixed({limb.ankle_m[f], limb.foot[f], limb.toe[f], limb.hold[f]},
                                              without, p[f], run.asked[i], kept.without.asked[i], f, own);
            limb.ankle_m[f] = now.ankle;
            limb.foot[f] = now.foot;
            limb.toe[f] = now.toe;
            limb.hold[f] = now.hold;
        }
        mix(limb.start_m, other.start_m, 1.0);
    }
    std::erase_if(c.deficits, [&](const Deficit& one) { return is_outside[size_t(one.worst_frame)] != 0; });
    for (const Deficit& one : beside.deficits)
        if (is_outside[size_t(one.worst_frame)]) c.deficits.push_back(one);
    c.summaries.insert(c.summaries.end(), beside.summaries.begin(), beside.summaries.end());
}

KeyedWeights keyed_weights(const Program& program, const WorldMotion& motion) {
    KeyedWeights weights;
    if (!clears(program) && !(program.passes.touch && program.near)) return weights;
    std::vector<const TouchSpan*> spans;
    std::array<std::vector<const TouchSpan*>, limb_count> of_limb;
    for (const auto& one : program.touch.turns) {
        const auto* turn = std::get_if<TurnOp>(&one);
        if (!turn || turn->when.is_whole || turn->joints.empty()) continue;
        spans.push_back(&turn->when);
        for (const LimbOp& limb : program.limbs)
            if (const int joint = turn->joints.front();
                joint == limb.T_start || joint == limb.T_mid || joint == limb.T_tip)
                of_limb[limb.limb].push_back(&turn->when);
    }
    for (const PlaceOp& op : program.touch.places)
        if (op.part == PlaceOp::Part::hips && !op.when.is_whole) spans.push_back(&op.when);
    if (spans.empty()) return weights;
    const auto strongest = [&](const std::vector<const TouchSpan*>& of, std::vector<double>& out) {
        for (int f = 0; f < motion.frames && !of.empty(); ++f) {
            double most = 0.0;
            for (const TouchSpan* when : of) most = std::max(most, when->weight(motion.time_s(f)));
            out.push_back(most);
        }
    };
    strongest(spans, weights.all);
    for (size_t limb = 0; limb < limb_count; ++limb) strongest(of_limb[limb], weights.of_limb[limb]);
    return weights;
}

namespace {

HandShift mix(const HandShift& with, const HandShift& without, double w) {
    return {w * with.by_m + (1.0 - w) * without.by_m, w * with.turn + (1.0 - w) * without.turn};
}
LimbClear mix(const LimbClear& with, const LimbClear& without, double w) {
    return {w * with.aside_m + (1.0 - w) * without.aside_m, w * with.by_m + (1.0 - w) * without.by_m};
}

/// `weight_of`: of `with`, at a limb and a frame.
template <typename ByLimb, typename WeightOf>
void keep_by_limb(size_t frames, const ByLimb& without, ByLimb& with, const WeightOf& weight_of) {
    for (size_t limb = 0; limb < limb_count; ++limb) {
        auto& own = with[limb];
        const auto& other = without[limb];
        if (own.empty() && other.empty()) continue;
        own.resize(frames);
        for (size_t f = 0; f < frames; ++f) {
            const auto kept = other.empty() ? typename ByLimb::value_type::value_type() : other[f];
            const double w = weight_of(limb, f);
            if (w <= 0.0)
                own[f] = kept;
            else if (w < 1.0)
                own[f] = mix(own[f], kept, w);
        }
    }
}

}  // namespace

void keep_free(const KeyedWeights& weights, const Corrections& without, Corrections& with) {
    const size_t frames = weights.all.size();
    keep_by_limb(frames, without.hands, with.hands, [&](size_t, size_t f) { return weights.all[f]; });
    keep_by_limb(frames, without.clear, with.clear, [&](size_t limb, size_t f) {
        const std::vector<double>& own = weights.of_limb[limb];
        return weights.all[f] * (own.empty() ? 1.0 : 1.0 - own[f]);
    });
}

}  // namespace nb
