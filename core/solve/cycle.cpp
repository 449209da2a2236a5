#include "core/solve/cycle.hpp"

#include <algorithm>
#include <cmath>

#include "core/math/rotation.hpp"

namespace nb {

namespace {

constexpr double beside_s = 3.0;  // beyond it nothing that is held reaches
constexpr double closed_rad = 0.1 * pi / 180.0, closed_m = 1e-3;

/// The span laid before and behind itself.
struct Laid {
    const WorldMotion& motion;
    LoopFrames cycle;
    int length = 0;  ///< of a cycle
    int beside = 0;  ///< frames before it, and behind
    Rigid travel;    ///< of one cycle

    int frames() const { return length + 2 * beside + 1; }
    /// Of a frame laid out: which time round, 0 the one in the middle.
    int round(int frame) const {
        const int from = frame - beside;
        return from >= 0 ? from / length : -((length - 1 - from) / length);
    }
    int frame_in_take(int frame) const { return cycle.first + frame - beside - round(frame) * length; }
    Rigid travelled(int rounds) const {
        Rigid way{Quat::Identity(), Vec3::Zero()};
        const Rigid step = rounds < 0 ? inverse(travel) : travel;
        for (int i = 0; i < std::abs(rounds); ++i) way = step * way;
        return way;
    }
};

WorldMotion lay_out(const Laid& laid) {
    WorldMotion out;
    out.resize(laid.frames(), laid.motion.joints);
    out.frame_time_s = laid.motion.frame_time_s;
    // In the middle the clock is the take's.
    out.start_s = laid.motion.time_s(laid.cycle.first) - laid.beside * out.frame_time_s;
    for (int f = 0; f < out.frames; ++f) {
        const Rigid way = laid.travelled(laid.round(f));
        for (int j = 0; j < out.joints; ++j) {
            const size_t from = laid.motion.at(laid.frame_in_take(f), j);
            out.R[out.at(f, j)] = (way.R * laid.motion.R[from]).normalized();
            out.p[out.at(f, j)] = way.R * laid.motion.p[from] + way.p;
        }
    }
    return out;
}

/// Sorted; what one ends with and the next begins with of the same kind is one.
void join(std::vector<Contact>& list) {
    std::ranges::sort(list, comes_before);
    std::vector<Contact> joined;
    for (const Contact& contact : list) {
        if (contact.last <= contact.first) continue;
        if (!joined.empty() && joined.back().point == contact.point && joined.back().kind == contact.kind &&
            joined.back().last >= contact.first)
            joined.back().last = std::max(joined.back().last, contact.last);
        else
            joined.push_back(contact);
    }
    list = std::move(joined);
}

Contact inside(Contact contact, int first, int last, int by = 0) {
    contact.first = std::max(contact.first, first) + by;
    contact.last = std::min(contact.last, last) + by;
    return contact;
}

Contacts lay_out(const Laid& laid, const Contacts& contacts) {
    Contacts out = contacts;
    out.list.clear();
    for (int round = laid.round(0); round <= laid.round(laid.frames() - 1); ++round)
        for (const Contact& contact : contacts.list) {
            const int by = laid.beside - laid.cycle.first + round * laid.length;
            Contact one = inside(contact, laid.cycle.first, laid.cycle.last, by);
            out.list.push_back(inside(one, 0, laid.frames()));
        }
    join(out.list);
    return out;
}

void put_contacts(const Laid& laid, const Contacts& of_cycle, Contacts& contacts) {
    const LoopFrames& cycle = laid.cycle;
    std::vector<Contact> list;
    for (const Contact& contact : contacts.list) {
        list.push_back(inside(contact, 0, cycle.first));
        list.push_back(inside(contact, cycle.last, laid.motion.frames));
    }
    for (const Contact& contact : of_cycle.list)
        list.push_back(inside(contact, laid.beside, laid.beside + laid.length, cycle.first - laid.beside));
    join(list);
    contacts.list = std::move(list);
    if (2 * laid.length > laid.motion.frames) contacts.floor = of_cycle.floor;
}

template <typename Value>
void put(const Laid& laid, const std::vector<Value>& of_cycle, const Value& none, std::vector<Value>& all) {
    if (of_cycle.empty() && all.empty()) return;
    all.resize(size_t(laid.motion.frames), none);
    for (int f = laid.cycle.first; f <= laid.cycle.last; ++f)
        all[size_t(f)] = of_cycle.empty() ? none : of_cycle[size_t(laid.beside + f - laid.cycle.first)];
}

void put_corrections(const Laid& laid, const Corrections& of_cycle, Corrections& all) {
    const Vec3 nothing = Vec3::Zero();
    const Quat still = Quat::Identity();
    put(laid, of_cycle.hips_m, nothing, all.hips_m);
    put(laid, of_cycle.touched_m, nothing, all.touched_m);
    put(laid, of_cycle.hips_turn, nothing, all.hips_turn);
    for (size_t limb = 0; limb < all.limbs.size(); ++limb) {
        const LimbCorrections& from = of_cycle.limbs[limb];
        LimbCorrections& to = all.limbs[limb];
        put(laid, from.ankle_m, nothing, to.ankle_m);
        put(laid, from.start_m, nothing, to.start_m);
        put(laid, from.foot, still, to.foot);
        put(laid, from.toe, still, to.toe);
        put(laid, from.hold, 0.0, to.hold);
        put(laid, of_cycle.hands[limb], HandShift(), all.hands[limb]);
        put(laid, of_cycle.clear[limb], LimbClear(), all.clear[limb]);
    }
    std::erase_if(all.deficits, [&](const Deficit& deficit) {
        return deficit.worst_frame >= laid.cycle.first && deficit.worst_frame <= laid.cycle.last;
    });
    for (Deficit deficit : of_cycle.deficits) {
        const int by = laid.cycle.first - laid.beside;
        deficit.worst_frame += by;
        if (deficit.worst_frame < laid.cycle.first || deficit.worst_frame > laid.cycle.last) continue;
        deficit.first = std::max(deficit.first + by, laid.cycle.first);
        deficit.last = std::min(deficit.last + by, laid.cycle.last);
        all.deficits.push_back(deficit);
    }
    all.summaries.insert(all.summaries.end(), of_cycle.summaries.begin(), of_cycle.summaries.end());
}

}  // namespace

void solve_cycle(const MotionSolve& how, const WorldMotion& motion, const Contacts& contacts,
                 const LoopFrames& cycle, SolvedMotion& solved) {
    const int hips = how.source.roles.joint("hips");
    const int length = cycle.last - cycle.first;
    if (hips < 0 || cycle.first < 0 || cycle.last >= motion.frames || length < 1) return;
    const auto at = [&](int frame, int joint) {
        return Rigid{motion.R[motion.at(frame, joint)], motion.p[motion.at(frame, joint)]};
    };
    const Laid laid{motion, cycle, length, int(std::ceil(beside_s / motion.frame_time_s)),
                    at(cycle.last, hips) * inverse(at(cycle.first, hips))};
    for (const RoleFill& fill : how.source.roles.fills) {
        const Rigid is = at(cycle.last, fill.joint);
        const Rigid asked = laid.travel * at(cycle.first, fill.joint);
        if (angle_between(is.R, asked.R) > closed_rad || (is.p - asked.p).norm() > closed_m) return;
    }
    const SolvedMotion of_cycle =
        solve_motion(how, lay_out(laid), contacts.is_by_hand ? lay_out(laid, contacts) : Contacts(), 0);
    const size_t joints = size_t(solved.target.joints);
    const size_t from = of_cycle.target.at(laid.beside, 0), to = solved.target.at(cycle.first, 0);
    const size_t count = size_t(length + 1) * joints;
    std::copy_n(of_cycle.target.R.begin() + std::ptrdiff_t(from), count,
                solved.target.R.begin() + std::ptrdiff_t(to));
    std::copy_n(of_cycle.target.p.begin() + std::ptrdiff_t(from), count,
                solved.target.p.begin() + std::ptrdiff_t(to));
    put_corrections(laid, of_cycle.corrections, solved.corrections);
    if (!contacts.is_by_hand) put_contacts(laid, of_cycle.contacts, solved.contacts);
    put_touches(solved.contacts, how.program.hand_touches);
}

}  // namespace nb
