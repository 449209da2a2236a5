#include "core/handover/handed.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "core/body/lines.hpp"
#include "core/contact/contacts.hpp"
#include "core/motion/edit.hpp"
#include "core/motion/heading.hpp"
#include "core/motion/local_view.hpp"

namespace nb {

namespace {

/// Frames at which contacts begin and end, of the joints of their limb and the one that moves the body.
std::vector<std::vector<int>> contact_frames(const TransferResult& result, int joints) {
    std::vector<std::vector<int>> kept(static_cast<size_t>(joints));
    const Program& program = result.plan.program;
    const auto keep = [&](int joint, int frame) {
        if (joint >= 0 && frame >= 0 && frame < result.target.frames) kept[size_t(joint)].push_back(frame);
    };
    for (const Contact& contact : result.contacts.list) {
        const auto point = contact_point(contact.point);
        if (!point || program.ends[point->limb].limb < 0) continue;
        const EndOp& end = program.ends[point->limb];
        const LimbOp& limb = program.limbs[size_t(end.limb)];
        for (const int frame : {contact.first, contact.last - 1})
            for (const int joint :
                 {program.body.top, limb.T_start, limb.T_mid, limb.T_tip, end.sole.ankle, end.sole.toe})
                keep(joint, frame);
    }
    for (std::vector<int>& frames : kept) {
        std::sort(frames.begin(), frames.end());
        frames.erase(std::unique(frames.begin(), frames.end()), frames.end());
    }
    return kept;
}

Handed without_motion(const Character& target, const TransferResult& result) {
    Handed handed;
    handed.character = target;
    handed.name = result.take.name;
    handed.frame_time_text = result.take.frame_time_text;
    handed.own_places = result.take.translated;
    handed.kept_frames = contact_frames(result, target.rig.skeleton.size());
    handed.top = result.plan.program.body.top;
    handed.root = result.plan.program.body.root;
    return handed;
}

}  // namespace

Handed handed_of(const Character& target, const TransferResult& result) {
    Handed handed = without_motion(target, result);
    handed.motion = result.target;
    return handed;
}

Handed handed_of(const Character& target, TransferResult&& result) {
    Handed handed = without_motion(target, result);
    handed.motion = std::move(result.target);
    return handed;
}

Take local_take(const Handed& handed) {
    const WorldMotion& motion = handed.motion;
    Take about;
    about.name = handed.name;
    about.frame_time_text = handed.frame_time_text;
    about.frame_time_s = motion.frame_time_s;
    about.frames = motion.frames;
    about.joints = motion.joints;
    about.translated = handed.own_places;
    std::sort(about.translated.begin(), about.translated.end());
    Take take = LocalView(handed.character.rig.skeleton, about, motion).part(0, motion.frames);
    take.start_s = motion.start_s;
    return take;
}

void cut(Handed& handed, int first, int last) {
    WorldMotion& motion = handed.motion;
    first = std::clamp(first, 0, std::max(0, motion.frames - 1));
    last = std::clamp(last, first + 1, motion.frames);
    if (first == 0 && last == motion.frames) return;
    const auto keep = [&](auto& values) {
        values.erase(values.begin() + std::ptrdiff_t(motion.at(last, 0)), values.end());
        values.erase(values.begin(), values.begin() + std::ptrdiff_t(motion.at(first, 0)));
    };
    keep(motion.R);
    keep(motion.p);
    motion.start_s += first * motion.frame_time_s;
    motion.frames = last - first;
    for (std::vector<int>& frames : handed.kept_frames) {
        std::erase_if(frames, [&](int f) { return f < first || f >= last; });
        for (int& f : frames) f -= first;
    }
}

void at_rate(Handed& handed, double fps) {
    const double before_s = handed.motion.frame_time_s;
    if (std::abs(fps * before_s - 1.0) < 1e-9) return;
    const Take take = resample(local_take(handed), fps);
    handed.motion = forward_kinematics(handed.character.rig.skeleton, take);
    handed.frame_time_text = take.frame_time_text;
    for (std::vector<int>& frames : handed.kept_frames) {
        for (int& f : frames)
            f = std::min(int(std::lround(f * before_s / take.frame_time_s)), take.frames - 1);
        frames.erase(std::unique(frames.begin(), frames.end()), frames.end());
    }
}

namespace {

/// Heading and place on the floor of one frame.
Rigid footing(const Handed& handed, int frame) {
    WorldMotion one;
    one.resize(1, handed.motion.joints);
    const auto at = std::ptrdiff_t(handed.motion.at(frame, 0));
    std::copy_n(handed.motion.R.begin() + at, one.R.size(), one.R.begin());
    std::copy_n(handed.motion.p.begin() + at, one.p.size(), one.p.begin());
    return root_track(one, lines_of(handed.character.roles), handed.motion.frame_time_s, 0).front();
}

}  // namespace

std::vector<char> with_the_body(const Handed& handed) {
    const Skeleton& skeleton = handed.character.rig.skeleton;
    std::vector<char> goes(skeleton.names.size(), 0);
    for (const int j : handed.own_places) goes[size_t(j)] = 1;
    for (size_t j = 0; j < goes.size(); ++j)
        if (const int parent = skeleton.parents[j]; parent >= 0 && goes[size_t(parent)]) goes[j] = 1;
    return goes;
}

std::vector<Channel> new_channels() {
    return {{false, 0}, {false, 1}, {false, 2}, {true, 1}, {true, 0}, {true, 2}};
}

void move_body(Handed& handed, const std::function<Rigid(int)>& by) {
    const std::vector<char> goes = with_the_body(handed);
    WorldMotion& motion = handed.motion;
    for (int f = 0; f < motion.frames; ++f) {
        const Rigid X = by(f);
        for (int j = 0; j < motion.joints; ++j) {
            if (!goes[size_t(j)]) continue;
            const size_t at = motion.at(f, j);
            motion.R[at] = (X.R * motion.R[at]).normalized();
            motion.p[at] = X * motion.p[at];
        }
    }
}

void put_stance_first(Handed& handed) {
    WorldMotion& motion = handed.motion;
    if (motion.frames < 1) return;
    const Rigid X = footing(handed, 0);
    const RestAlignment& rest = handed.character.rest;
    // What does not go with the body, and the root bone, as in the first frame.
    std::vector<Quat> R(motion.R.begin(), motion.R.begin() + motion.joints);
    std::vector<Vec3> p(motion.p.begin(), motion.p.begin() + motion.joints);
    const size_t known = std::min(R.size(), rest.R_WJ0.size());
    const Vec3 centre = hip_centre(rest.p_WJ0, lines_of(handed.character.roles));
    const Rigid X_W0 = X * Rigid{Quat::Identity(), {-centre.x(), 0.0, -centre.z()}};
    const std::vector<char> goes = with_the_body(handed);
    for (size_t j = 0; j < known; ++j) {
        if (!goes[j] || int(j) == handed.root) continue;
        R[j] = (X_W0.R * rest.R_WJ0[j]).normalized();
        p[j] = X_W0 * rest.p_WJ0[j];
    }
    motion.R.insert(motion.R.begin(), R.begin(), R.end());
    motion.p.insert(motion.p.begin(), p.begin(), p.end());
    ++motion.frames;
    motion.start_s -= motion.frame_time_s;
    for (std::vector<int>& frames : handed.kept_frames) {
        for (int& f : frames) ++f;
        frames.insert(frames.begin(), {0, 1});
        frames.erase(std::unique(frames.begin(), frames.end()), frames.end());
    }
    if (!handed.track.empty()) handed.track.insert(handed.track.begin(), X);
    handed.told.push_back(fmt::format("the first frame is the stance '{}'", stance_name(rest.stance)));
}

void place_take(Handed& handed, const Placement& placement) {
    if (placement.is_none() || handed.motion.frames < 1) return;
    const Rigid first = footing(handed, 0);
    const Rigid to = placement.starts_at_origin ? Rigid{} : first;
    const Rigid asked{exp_rotation(placement.turn_rad * Vec3::UnitY()) * to.R, to.p + placement.move_m};
    const Rigid by = asked * inverse(first);
    move_body(handed, [&by](int) { return Rigid(by); });
    for (Rigid& X : handed.track) X = by * X;
    handed.told.push_back(
        fmt::format("the take begins at {:.1f} · {:.1f} cm on the floor, facing {:.0f} degrees (before: "
                    "{:.1f} · {:.1f} cm)",
                    100.0 * asked.p.x(), 100.0 * asked.p.z(), rad_to_deg(yaw_of_turn(asked.R)),
                    100.0 * first.p.x(), 100.0 * first.p.z()));
}

}  // namespace nb
