// Pass body: knees and seat are held by the hips: they shift so that the mean of what is held of them stays at
// the mean of its places; thighs are not turned for it.
#include <algorithm>

#include "core/math/curves.hpp"
#include "core/solve/passes.hpp"
#include "core/solve/time/passes.hpp"

namespace nb {

void time_body(const Problem& problem, Goals& goals, const Watch& watch) {
    if (problem.body_holds.empty()) return;
    const size_t frames = size_t(problem.frames);
    std::vector<Vec3> shift(frames, Vec3::Zero());
    std::vector<int> held(frames, 0);
    Pose pose{std::vector<Quat>(size_t(problem.target.joints)),
              std::vector<Vec3>(size_t(problem.target.joints))};
    std::vector<Vec3> places;
    const CarriedBody& body = problem.program.body;
    for (const BodyHold& hold : problem.body_holds) {
        Vec3 mean = Vec3::Zero();
        places.clear();
        for (int f = hold.first; f < hold.last; ++f) {
            if (f % 256 == 0) watch.look(0.0);
            const size_t at = problem.target.at(f, 0);
            std::copy_n(problem.target.R.begin() + std::ptrdiff_t(at), pose.R.size(), pose.R.begin());
            std::copy_n(problem.target.p.begin() + std::ptrdiff_t(at), pose.p.size(), pose.p.begin());
            TargetFrame T{pose.R, pose.p};
            pass_reach(problem.program, frame_of(problem.source, f), T);
            const Vec3 place =
                hold.T_knee >= 0 ? pose.p[size_t(hold.T_knee)] : hip_centre(pose.p, body.lines);
            const Rigid& X = problem.supports[hold.support].at(f);
            places.push_back(X.R.conjugate() * Vec3(place - X.p));
            mean += places.back() / double(hold.last - hold.first);
        }
        for (int f = hold.first; f < hold.last; ++f) {
            Vec3 off = problem.supports[hold.support].at(f).R * Vec3(mean - places[size_t(f - hold.first)]);
            if (hold.kind == ContactKind::slide) off.x() = off.z() = 0.0;
            shift[size_t(f)] += off;
            ++held[size_t(f)];
        }
    }
    std::vector<char> is_held(frames, 0);
    for (size_t f = 0; f < frames; ++f) {
        if (held[f] == 0) continue;
        shift[f] /= held[f];
        is_held[f] = 1;
    }
    fill_between(shift, is_held, problem.frames_in(lead_s, 2), most_shift_m_s * problem.scale * problem.dt,
                 problem.frames_in(slope_s));
    for (size_t f = 0; f < frames; ++f) goals.move_hips(f, shift[f]);
}

}  // namespace nb
