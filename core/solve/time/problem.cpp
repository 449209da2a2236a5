#include "core/solve/time/problem.hpp"

#include <algorithm>
#include <cmath>

#include "core/body/measures.hpp"
#include "core/math/hermite.hpp"

namespace nb {

namespace {

constexpr double speed_reach_s = 0.025;
constexpr double rests_below_m_s = 0.4;  // at 175 cm; what is found rests below it
constexpr double goes_above_m_s = 0.6;
constexpr double pull_s = 0.05;    // beside a hold its foot goes on pulling at the hips
constexpr double held_on_s = 0.1;  // so long what is held on while its source goes asks nothing of the hips;
constexpr double meant_s = 0.18;   // so long it is meant to be held

/// The support of a contact: the floor at its level, still or running, scaled by the place map. Of equal ones
/// one.
size_t support_of(Problem& problem, const Contact& contact, const Floor& floor) {
    const double k = problem.program.map.k;
    const Rigid X{Quat::Identity(), Vec3(0, k * contact.level_m, 0)};
    const bool runs = floor.is_running() && problem.frames > 1;
    for (size_t i = 0; i < problem.supports.size(); ++i)
        if (problem.supports[i].X_WS.front().p == X.p && (problem.supports[i].X_WS.size() > 1) == runs)
            return i;
    Support support{{X}};
    for (int f = 1; runs && f < problem.frames; ++f)
        support.X_WS.push_back({X.R, Vec3(X.p + f * problem.dt * k * floor.velocity_m_s)});
    problem.supports.push_back(std::move(support));
    return problem.supports.size() - 1;
}

/// `Effector::rests`: by the source's speed over +-25 ms at 175 cm; of several points held the fastest.
std::vector<double> rests_of(const Problem& problem, const Effector& e) {
    const size_t frames = size_t(problem.frames);
    std::vector<double> rests(frames, 1.0);
    std::vector<char> is_held(frames, 0);
    const double to_reference = reference_stature_m / problem.program.S_stature_m;
    const int reach = problem.frames_in(speed_reach_s);
    for (int f = problem.first; f < problem.frames; ++f) {
        double fastest = -1.0;
        for (const FootPoint point : foot_points) {
            const Hold* hold = e.hold(point, f);
            if (!hold) continue;
            const int from = std::max(problem.first, f - reach);
            const int to = std::min(problem.frames - 1, f + reach);
            if (to <= from) continue;
            const Sole& sole = e.end->S_sole;
            const Vec3 ground =
                (problem.X_WS(*hold, to).p - problem.X_WS(*hold, from).p) / problem.program.map.k;
            const Vec3 way =
                sole.point(point, problem.source, to) - sole.point(point, problem.source, from) - ground;
            fastest = std::max(fastest, to_reference * way.norm() / ((to - from) * problem.dt));
        }
        if (fastest < 0.0) continue;
        const double u =
            std::clamp((fastest - rests_below_m_s) / (goes_above_m_s - rests_below_m_s), 0.0, 1.0);
        rests[size_t(f)] = 1.0 - smooth_step(u);
        is_held[size_t(f)] = 1;
    }
    // Beside holds: as at the nearest held frame.
    std::vector<int> apart(frames, 1 << 20);
    for (const bool is_forward : {true, false}) {
        int since = 1 << 20;
        double last = 1.0;
        for (size_t i = 0; i < frames; ++i) {
            const size_t f = is_forward ? i : frames - 1 - i;
            since = is_held[f] ? 0 : since + 1;
            if (is_held[f]) last = rests[f];
            if (since >= apart[f]) continue;
            apart[f] = since;
            rests[f] = last;
        }
    }
    return rests;
}

/// How much of what is missing is asked of the hips. Less where the source does not rest: from the beginning of each
/// span in which anything is held until it has come to rest; and where it is held on for a moment though it rests no
/// more. A foot that is being led in or out pulls for a moment only.
std::vector<double> pull_of(const Problem& problem, const Effector& e) {
    const int frames = problem.frames;
    const double moment = pull_s / problem.dt;
    std::vector<double> pull(size_t(frames), 0.0);
    for (int first = problem.first; first < frames; ++first) {
        if (!e.has_hold(first)) continue;
        int last = first;
        while (last < frames && e.has_hold(last)) pull[size_t(last++)] = 1.0;
        for (int f = first; f < last && e.rests[size_t(f)] < 0.5; ++f) pull[size_t(f)] = e.rests[size_t(f)];
        int on = last;
        while (on > first && e.rests[size_t(on) - 1] < 0.5) --on;
        const double meant =
            smooth_step(std::clamp(((last - on) * problem.dt - held_on_s) / (meant_s - held_on_s), 0.0, 1.0));
        for (int f = on; f < last; ++f) pull[size_t(f)] = std::max(e.rests[size_t(f)], meant);
        for (int i = 1; i < moment; ++i) {
            const double share = 1.0 - i / moment;
            if (const int f = first - i; f >= problem.first)
                pull[size_t(f)] = std::max(pull[size_t(f)], share * pull[size_t(first)]);
            if (const int f = last - 1 + i; f < frames)
                pull[size_t(f)] = std::max(pull[size_t(f)], share * pull[size_t(last) - 1]);
        }
        first = last;
    }
    return pull;
}

void add_effector(Problem& problem, size_t limb, const Contacts& contacts) {
    const Program& program = problem.program;
    const EndOp& end = program.ends[limb];
    if (end.limb < 0) return;
    Effector e;
    e.end = &end;
    e.op = &program.limbs[size_t(end.limb)];
    for (auto& at : e.hold_at) at.assign(size_t(problem.frames), -1);
    for (const Contact& contact : contacts.list) {
        const auto point = contact_point(contact.point);
        if (!point || point->limb != limb || point->end != end.sole.end) continue;
        if (point->point == FootPoint::heel && !end.sole.has_heel) continue;
        Hold hold{point->point, std::max(contact.first, problem.first),
                  std::min(contact.last, problem.frames), contact.kind, 0};
        if (hold.last <= hold.first) continue;
        hold.support = support_of(problem, contact, contacts.floor);
        for (int f = hold.first; f < hold.last; ++f)
            e.hold_at[size_t(hold.point)][size_t(f)] = int(e.holds.size());
        e.holds.push_back(hold);
    }
    // A leg without contacts stays where it was asked to be, too, while the hips give way to another one.
    if (e.holds.empty() && !e.op->is_standing) return;
    e.asked_m.reserve(size_t(problem.frames));
    e.S_stretch.reserve(size_t(problem.frames));
    e.length_m.reserve(size_t(problem.frames));
    for (int f = 0; f < problem.frames; ++f) {
        const SourceFrame S = frame_of(problem.source, f);
        const Vec3& start = problem.start(e, f);
        e.asked_m.push_back(reach_goal(program, *e.op, S.p, start));
        e.S_stretch.push_back(source_stretch(*e.op, S.p));
        const Vec3& mid = problem.p(f, e.op->T_mid);
        const double upper = (mid - start).norm(), lower = (problem.p(f, e.op->T_tip) - mid).norm();
        e.length_m.push_back(upper + lower);
        if (e.op->T_hock < 0) e.folded_m = std::max(e.folded_m, std::abs(upper - lower));
    }
    e.rests = rests_of(problem, e);
    for (const double share : pull_of(problem, e)) e.hips_give.push_back(e.end->hips_give * share);
    problem.effectors.push_back(std::move(e));
}

}  // namespace

int ruling_hold(const Effector& e, int f) {
    for (const FootPoint point : {FootPoint::ball, FootPoint::heel, FootPoint::toetip})
        if (const int at = e.hold_at[size_t(point)][size_t(f)]; at >= 0) return at;
    return -1;
}

bool Problem::is_empty() const {
    return body_holds.empty() && touched_hips_m.empty() &&
           std::all_of(effectors.begin(), effectors.end(), [](const Effector& e) { return e.holds.empty(); });
}

int Problem::frames_in(double seconds, int least) const {
    return std::max(least, int(std::lround(seconds / dt)));
}

Vec3 Problem::hip_centre(int f) const {
    return nb::hip_centre(target, program.body.lines, f);
}

Vec3 Problem::seen(const Effector& e, FootPoint point, const Quat& R_foot, int f) const {
    const Sole& sole = e.sole();
    if (point == FootPoint::heel) return R_foot * sole.heel_J;
    const Vec3 ball = R_foot * sole.ball_J;
    if (point == FootPoint::ball) return ball - sole.ball_over_m * Vec3::UnitY();
    if (sole.toe < 0) return R_foot * sole.tip_J;
    const Quat C = R_foot * foot(e, f).conjugate();
    return ball + C * (toe(e, f) * sole.tip_J);
}

Problem make_problem(const Program& program, const Contacts& contacts, const WorldMotion& source,
                     const WorldMotion& target, double frame_time_s, int first_frame) {
    Problem problem{program, source, target, 0.0, 0, 0, 1.0, {}, {}, {}, {}, {}};
    problem.dt = frame_time_s;
    problem.first = first_frame;
    problem.frames = target.frames;
    problem.scale = program.body.stature_m / reference_stature_m;
    for (size_t limb = 0; limb < limb_count; ++limb) add_effector(problem, limb, contacts);
    for (const Contact& contact : contacts.list) {
        const auto point = contact_point(contact.point);
        if (!point) continue;
        const EndOp& end = program.ends[point->limb];
        // The seat needs no limb; all else is of one that may be missing or left out.
        const bool is_there = point->end == LimbEnd::seat ||
                              (end.limb >= 0 && (point->end == LimbEnd::knee || point->end == end.sole.end));
        if (!is_there && contacts.is_by_hand &&
            std::find(problem.ignored.begin(), problem.ignored.end(), contact.point) == problem.ignored.end())
            problem.ignored.push_back(contact.point);
        if (!is_there || !is_held_by_hips(point->end)) continue;
        BodyHold hold;
        if (point->end == LimbEnd::knee) hold.T_knee = program.limbs[size_t(end.limb)].T_mid;
        hold.first = std::max(contact.first, first_frame);
        hold.last = std::min(contact.last, target.frames);
        hold.kind = contact.kind;
        if (hold.last <= hold.first) continue;
        // What the hips hold rests on what stands.
        hold.support = support_of(problem, contact, {});
        problem.body_holds.push_back(hold);
    }
    for (int f = 0; f < problem.frames && program.touch.has_hips(); ++f)
        problem.touched_hips_m.push_back(
            touched_hips(program, frame_of(source, f), problem.R(f, program.body.hips)));
    return problem;
}

}  // namespace nb
