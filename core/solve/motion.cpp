#include "core/solve/motion.hpp"

#include <algorithm>
#include <array>
#include <atomic>
#include <optional>
#include <span>
#include <stdexcept>
#include <utility>

#include "core/base/parallel.hpp"
#include "core/solve/body.hpp"
#include "core/solve/clear.hpp"
#include "core/solve/clear_way.hpp"
#include "core/solve/hand_shifts.hpp"
#include "core/solve/passes.hpp"
#include "core/solve/time/passes.hpp"
#include "core/solve/twist.hpp"
#include "core/solve/within.hpp"

namespace nb {

namespace {

void pose_frame(const Program& program, const WorldMotion& motion, SolvedMotion& solved, int f) {
    const FrameCorrection held = solved.corrections.at(f);
    TargetFrame T = frame_of(solved.target, f);
    run_passes(program, frame_of(motion, f), T,
               held.is_held || held.has_hands || held.has_clear ? &held : nullptr);
}

/// Frames as the passes before clear have left them: what clear finds is put upon these alone, where nothing that comes after
/// it goes by more than that.
class ClearedFrames {
  public:
    ClearedFrames(const Program& program, const WorldMotion& motion, SolvedMotion& solved)
        : program_(program),
          motion_(motion),
          solved_(solved),
          is_light_(motion.frames <= most_kept && clears(program) && program.ranges.empty() &&
                    program.touch.is_empty()) {
        if (is_light_) before_ = solved.target;
    }

    void pose(int f) const {
        const SourceFrame S = frame_of(motion_, f);
        if (!is_light_ || takes_things_along(f, S.t_s)) return pose_frame(program_, motion_, solved_, f);
        TargetFrame T = frame_of(solved_.target, f);
        const SourceFrame before = frame_of(before_, f);
        std::copy(before.R.begin(), before.R.end(), T.R.begin());
        std::copy(before.p.begin(), before.p.end(), T.p.begin());
        const FrameCorrection held = solved_.corrections.at(f);
        std::array<int, limb_count> bases;
        size_t count = 0;
        for (const LimbOp& limb : program_.limbs)
            if (!held.clear[limb.limb].is_none())
                bases[count++] = limb.shoulder.T_clavicle >= 0 ? limb.shoulder.T_clavicle : limb.T_start;
        // Twist bones as before the pass twist.
        for (const int base : std::span(bases).first(count)) follow_below(program_, S, T, base);
        pass_clear(program_, S, T, &held);
        for (const int base : std::span(bases).first(count)) pass_twist_below(program_, S, T, base);
    }

  private:
    bool takes_things_along(int f, double t_s) const {
        if (program_.things.empty()) return false;
        const FrameCorrection held = solved_.corrections.at(f);
        return std::any_of(program_.limbs.begin(), program_.limbs.end(), [&](const LimbOp& limb) {
            return !held.clear[limb.limb].is_none() && holds_thing(program_, limb.limb, t_s);
        });
    }

    static constexpr int most_kept = 20000;  // frames; of longer takes memory counts for more
    const Program& program_;
    const WorldMotion& motion_;
    SolvedMotion& solved_;
    bool is_light_;
    WorldMotion before_;
};

/// Without what moves tips, middle joints and head after all else: seen from there what touches and clear found stays.
Program without_places(const Program& program) {
    Program before = program;
    std::erase_if(before.touch.places, [](const PlaceOp& op) { return op.part != PlaceOp::Part::hips; });
    return before;
}

/// Once it is known what holds along time: hands that touch, all passes, limbs out of the body. Throws
/// std::runtime_error("cancelled").
void carry_frames(const Program& program, const WorldMotion& motion, int threads,
                  const std::function<bool(double)>& tell, SolvedMotion& solved) {
    solved.corrections.clear = {};
    const bool is_standing = !solved.corrections.is_empty();
    solved.corrections.hands =
        hand_shifts(program, motion, solved.target, threads, [&](int f, TargetFrame& T) {
            const FrameCorrection held = solved.corrections.at(f);
            HeldFrame standing{is_standing ? &held : nullptr, {}};
            stand_passes(program, frame_of(motion, f), T, standing);
        });
    // A wrist that is held somewhere is not led elsewhere.
    for (size_t limb = 0; limb < limb_count; ++limb) {
        const std::vector<double>& hold = solved.corrections.limbs[limb].hold;
        std::vector<HandShift>& hand = solved.corrections.hands[limb];
        for (size_t f = 0; f < std::min(hold.size(), hand.size()); ++f) {
            hand[f].by_m *= 1.0 - hold[f];
            hand[f].turn *= 1.0 - hold[f];
        }
    }
    std::atomic<bool> is_cancelled{false};
    const bool is_placed = std::any_of(program.touch.places.begin(), program.touch.places.end(),
                                       [](const PlaceOp& op) { return op.part != PlaceOp::Part::hips; });
    const Program before = is_placed ? without_places(program) : Program();
    const Program& run = is_placed ? before : program;
    const auto pose_all = [&](const Program& with, double from, double share) {
        std::atomic<int> done{0};
        for_each_frame(motion.frames, threads, [&](int first, int last) {
            for (int f = first; f < last && !is_cancelled; ++f) pose_frame(with, motion, solved, f);
            if (!tell(from + share * (done += last - first) / motion.frames)) is_cancelled = true;
        });
        if (is_cancelled) throw std::runtime_error("cancelled");
    };
    const double posing = clears(program) ? 0.4 : 1.0;
    const double last = is_placed ? 0.9 : 1.0;
    pose_all(run, 0.0, posing * last);
    const ClearedFrames cleared(run, motion, solved);
    clear_motion(run, motion, threads,
                 Watch([&](double share) { return tell(last * (posing + (1.0 - posing) * share)); }), solved,
                 [&](int f) { cleared.pose(f); });
    if (is_placed) pose_all(program, last, 1.0 - last);
}

/// With a wrist that is held for each hand that stays at a place in the world, where the source's is then.
Contacts with_places(const Program& program, const WorldMotion& motion, const Contacts& contacts) {
    Contacts held = contacts;
    for (const Contact& touch : contacts.list) {
        if (!touch.is_place() || touch.is_unsure || !program.passes.touch) continue;
        Contact wrist;
        wrist.point = "wrist" + std::string(side_suffix(role_side(touch.point)));
        wrist.first = touch.first;
        wrist.last = touch.last;
        const auto point = contact_point(wrist.point);
        const int limb = point ? program.ends[point->limb].limb : -1;
        if (limb < 0) continue;
        const int middle = std::clamp((touch.first + touch.last) / 2, 0, motion.frames - 1);
        wrist.level_m = motion.p[motion.at(middle, program.limbs[size_t(limb)].S_tip)].y();
        held.list.push_back(std::move(wrist));
    }
    if (held.list.size() > contacts.list.size()) tidy_contacts(held, motion.frames);
    return held;
}

}  // namespace

SolvedMotion solve_motion(const MotionSolve& how, const WorldMotion& motion, const Contacts& contacts,
                          int first_frame) {
    const Program& program = how.program;
    SolvedMotion solved;
    std::optional<Corrections> held_without;
    solved.target.resize(motion.frames, int(program.body.parents.size()));
    solved.target.start_s = motion.start_s;
    solved.target.frame_time_s = motion.frame_time_s;
    std::atomic<int> done{0};
    std::atomic<bool> is_cancelled{false};
    const bool has_contacts = program.passes.contacts && program.passes.reach;
    // Shares of the whole: a first round of angles and root, what runs along time, the frames.
    const double first_share = has_contacts ? 0.2 : 0.0;
    const double held_share = has_contacts ? 0.4 : 0.0;
    const auto tell = [&](double share) {
        if (how.tell && !how.tell(share)) is_cancelled = true;
        return !is_cancelled;
    };
    if (has_contacts) {
        // What contacts are held against: the hips' place and the feet's turn, which reach leaves alone.
        const auto stand = [&](const Program& run, int f) {
            const SourceFrame S = frame_of(motion, f);
            TargetFrame T = frame_of(solved.target, f);
            pass_angles(run, S, T);
            if (!run.touch.is_empty()) touch_turns(run, S, T);
            pass_root(run, S, T);
        };
        const auto watch = [&](double from, double share) {
            return Watch([&, from, share](double part) { return tell(from + share * part); });
        };
        solved.contacts = contacts.is_by_hand
                              ? contacts
                              : find_contacts(how.source, motion, motion.frame_time_s, first_frame);
        solved.contacts.are_touches_by_hand = contacts.are_touches_by_hand;
        solved.contacts.things = contacts.things;
        put_touches(solved.contacts, program.hand_touches);
        const Contacts held = with_places(program, motion, solved.contacts);
        const std::vector<char> is_keyed = keyed_frames(program, held, motion);
        const Program plain = is_keyed.empty() ? Program() : without_keyed(program);
        const Program& first_run = is_keyed.empty() ? program : plain;
        for_each_frame(motion.frames, how.threads, [&](int first, int last) {
            for (int f = first; f < last && !is_cancelled; ++f) stand(first_run, f);
            tell(first_share * (done += last - first) / motion.frames);
        });
        if (is_cancelled) throw std::runtime_error("cancelled");
        const double part = is_keyed.empty() ? held_share : 0.5 * held_share;
        if (is_keyed.empty()) {
            solved.corrections = hold_contacts(program, held, motion, solved.target, motion.frame_time_s,
                                               first_frame, watch(first_share, part));
        } else {
            const auto hold = [&](const Program& run, double from, const KeptTo* kept) {
                return run_held(run, held, motion, solved.target, motion.frame_time_s, first_frame,
                                watch(from, part), kept);
            };
            HeldRun without = hold(plain, first_share, nullptr);
            for_each_frame(motion.frames, how.threads, [&](int first, int last) {
                for (int f = first; f < last && !is_cancelled; ++f)
                    if (is_keyed[size_t(f)]) stand(program, f);
            });
            const KeptTo kept{is_keyed, motion.frame_time_s, without};
            solved.corrections = std::move(hold(program, first_share + part, &kept).corrections);
            held_without = std::move(without.corrections);
        }
    }
    const double from = first_share + held_share;
    const KeyedWeights keyed = keyed_weights(program, motion);
    const double share = (keyed.all.empty() ? 1.0 : 0.5) * (1.0 - from);
    carry_frames(
        program, motion, how.threads, [&](double part) { return tell(from + share * part); }, solved);
    if (keyed.all.empty()) return solved;
    SolvedMotion without;
    without.target = solved.target;
    without.corrections = held_without ? std::move(*held_without) : solved.corrections;
    carry_frames(
        without_keyed(program), motion, how.threads,
        [&](double part) { return tell(from + share * (1.0 + part)); }, without);
    keep_free(keyed, without.corrections, solved.corrections);
    for_each_frame(motion.frames, how.threads, [&](int first, int last) {
        for (int f = first; f < last; ++f) pose_frame(program, motion, solved, f);
    });
    return solved;
}

}  // namespace nb
