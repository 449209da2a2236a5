#include "core/handover/join.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <stdexcept>
#include <type_traits>
#include <utility>

#include "core/body/lines.hpp"
#include "core/math/hermite.hpp"
#include "core/math/two_bones.hpp"
#include "core/motion/edit.hpp"
#include "core/motion/heading.hpp"

namespace nb {

FloorMove nearest_floor_move(const std::vector<Vec3>& a, const std::vector<Vec3>& b, double& distance_m) {
    FloorMove move;
    distance_m = 0.0;
    if (a.empty() || a.size() != b.size()) return move;
    const double n = double(a.size());
    double ax = 0, az = 0, bx = 0, bz = 0, cross = 0, dot = 0;
    for (size_t i = 0; i < a.size(); ++i) {
        ax += a[i].x();
        az += a[i].z();
        bx += b[i].x();
        bz += b[i].z();
        cross += a[i].x() * b[i].z() - b[i].x() * a[i].z();
        dot += a[i].x() * b[i].x() + a[i].z() * b[i].z();
    }
    move.yaw_rad = std::atan2(cross - (ax * bz - bx * az) / n, dot - (ax * bx + az * bz) / n);
    const double c = std::cos(move.yaw_rad), s = std::sin(move.yaw_rad);
    move.x_m = (ax - bx * c - bz * s) / n;
    move.z_m = (az + bx * s - bz * c) / n;
    const Rigid T = move.rigid();
    for (size_t i = 0; i < a.size(); ++i) distance_m += (a[i] - T * b[i]).norm() / n;
    return move;
}

namespace {

constexpr double least_step_m = 0.05;

Vec3 point_of(const Handed& clip, const std::string& role, int frame) {
    const int joint = clip.character.roles.joint(role);
    return clip.motion.p[clip.motion.at(frame, joint)];
}

/// The lowest ankle over some frames: the height of the ground there, up to a constant of the body.
double ground_of(const Handed& clip, int first, int frames) {
    double lowest = 1e30;
    for (int f = first; f < first + frames; ++f)
        for (const char* foot : {"foot.left", "foot.right"})
            if (const int joint = clip.character.roles.joint(foot); joint >= 0)
                lowest = std::min(lowest, clip.motion.p[clip.motion.at(f, joint)].y());
    return lowest < 1e29 ? lowest : 0.0;
}
/// How much higher the ground is under a clip's frames than under another's; what a pose may differ by does not count.
double step_up(const Handed& a, int i, const Handed& b, int j, int frames) {
    const double step = ground_of(a, i, frames) - ground_of(b, j, frames);
    return std::abs(step) < least_step_m ? 0.0 : step;
}

/// `up_m`: raised by so much.
std::vector<Vec3> cloud(const Handed& clip, int first, int frames, double up_m = 0.0) {
    std::vector<Vec3> points;
    const std::vector<char> goes = with_the_body(clip);
    for (int f = first; f < first + frames; ++f)
        for (int j = 0; j < clip.motion.joints; ++j)
            if (goes[size_t(j)]) points.push_back(clip.motion.p[clip.motion.at(f, j)] + up_m * Vec3::UnitY());
    return points;
}

/// Where the overlap begins in both: at the ends, or where the clouds are nearest.
std::pair<int, int> overlap_at(const Handed& a, const Handed& b, const Seam& seam, int overlap) {
    const int end = a.motion.frames - overlap;
    if (!seam.is_searched) return {end, 0};
    const int within = std::max(0, int(std::lround(seam.search_s / a.motion.frame_time_s)));
    const int step = std::max(1, within / 20);
    std::pair<int, int> best{end, 0};
    double nearest = 1e30;
    for (int i = end; i >= std::max(0, end - within); i -= step) {
        const auto of_a = cloud(a, i, overlap);
        for (int j = 0; j <= std::min(within, b.motion.frames - overlap - 1); j += step) {
            double distance = 0.0;
            const FloorMove move =
                nearest_floor_move(of_a, cloud(b, j, overlap, step_up(a, i, b, j, overlap)), distance);
            // The point that must meet shall go with its other self over the whole overlap.
            const Rigid T = move.rigid();
            for (int k = 0; k < overlap; ++k) {
                const Vec3 way = point_of(a, seam.point, i + k) - T * point_of(b, seam.point, j + k);
                distance += std::hypot(way.x(), way.z()) / overlap;
            }
            // Of equal ones the one that leaves out least.
            if (distance < nearest - 1e-6) {
                nearest = distance;
                best = {i, j};
            }
        }
    }
    return best;
}

/// Third differences of the joints' places, p95; m/s^3.
double jerk_of(const WorldMotion& motion, int first, int last) {
    std::vector<double> all;
    const double dt3 = std::pow(motion.frame_time_s, 3);
    for (int f = std::max(first, 0); f + 3 < std::min(last, motion.frames); ++f)
        for (int j = 0; j < motion.joints; ++j) {
            const auto p = [&](int at) -> const Vec3& { return motion.p[motion.at(f + at, j)]; };
            all.push_back((p(3) - 3.0 * p(2) + 3.0 * p(1) - p(0)).norm() / dt3);
        }
    if (all.empty()) return 0.0;
    const auto at = all.begin() + std::ptrdiff_t(double(all.size() - 1) * 0.95);
    std::nth_element(all.begin(), at, all.end());
    return *at;
}

/// A leg that reaches the place its ankle should have; what hangs on the foot goes along.
void reach_ankle(const Handed& body, WorldMotion& motion, int f, const std::string& side, const Vec3& ankle,
                 const Quat& R_foot) {
    const RoleMap& roles = body.character.roles;
    const int thigh = roles.joint("thigh" + side), shin = roles.joint("shin" + side),
              foot = roles.joint("foot" + side);
    if (thigh < 0 || shin < 0 || foot < 0) return;
    const Skeleton& skeleton = body.character.rig.skeleton;
    const auto p = [&](int j) -> Vec3& { return motion.p[motion.at(f, j)]; };
    const auto R = [&](int j) -> Quat& { return motion.R[motion.at(f, j)]; };
    if ((p(foot) - ankle).norm() < 1e-12 && angle_between(R(foot), R_foot) < 1e-12) return;
    const Vec3 upper = p(shin) - p(thigh), lower = p(foot) - p(shin), to = ankle - p(thigh);
    const auto found = body.character.rest.hinges.find("leg" + side);
    Vec3 n = upper.cross(lower);
    if (n.norm() < 1e-3 * upper.norm() * lower.norm())
        n = R(thigh) * body.character.rest.R_WJ0[size_t(thigh)].conjugate() *
            (found != body.character.rest.hinges.end() ? found->second.n_W : Vec3::UnitX());
    const TwoBoneTurns turns = bend_toward(upper, lower, n.normalized(), to, to.norm());
    // Locals of all that hangs on the thigh, then posed anew.
    std::vector<Rigid> local(skeleton.names.size());
    for (int j = thigh + 1; j < motion.joints; ++j)
        if (skeleton.is_ancestor(thigh, j)) {
            const int parent = skeleton.parents[size_t(j)];
            local[size_t(j)] = inverse(Rigid{R(parent), p(parent)}) * Rigid{R(j), p(j)};
        }
    const Quat R_thigh = (turns.upper * R(thigh)).normalized(), R_shin = (turns.lower * R(shin)).normalized();
    R(thigh) = R_thigh;
    for (int j = thigh + 1; j < motion.joints; ++j) {
        if (!skeleton.is_ancestor(thigh, j)) continue;
        const int parent = skeleton.parents[size_t(j)];
        const Rigid X = Rigid{R(parent), p(parent)} * local[size_t(j)];
        p(j) = X.p;
        R(j) = j == shin ? R_shin : j == foot ? R_foot : X.R.normalized();
    }
}

/// `b` is moved already. Frames of the overlap: i + k of a, j + k of b.
void blend(const Handed& a, const Handed& b, int i, int j, int overlap, Handed& out) {
    const Skeleton& skeleton = a.character.rig.skeleton;
    const std::vector<int>& own = a.own_places;
    for (int k = 0; k < overlap; ++k) {
        const double w = smooth_step(overlap > 1 ? double(k) / (overlap - 1) : 0.5);
        const int f = i + k;  // of out
        const auto X = [&](const Handed& of, int frame, int joint) {
            return Rigid{of.motion.R[of.motion.at(frame, joint)], of.motion.p[of.motion.at(frame, joint)]};
        };
        for (int joint = 0; joint < a.motion.joints; ++joint) {
            const int parent = skeleton.parents[size_t(joint)];
            const bool has_place = std::find(own.begin(), own.end(), joint) != own.end();
            const auto local = [&](const Handed& of, int frame) {
                return parent < 0 ? X(of, frame, joint) : inverse(X(of, frame, parent)) * X(of, frame, joint);
            };
            const Rigid from = local(a, i + k), to = local(b, j + k);
            const Rigid mixed{from.R.slerp(w, to.R),
                              has_place ? Vec3((1.0 - w) * from.p + w * to.p) : from.p};
            const Rigid world = parent < 0 ? mixed : X(out, f, parent) * mixed;
            out.motion.R[out.motion.at(f, joint)] = world.R.normalized();
            out.motion.p[out.motion.at(f, joint)] = world.p;
        }
        for (const char* side : {".left", ".right"}) {
            const int foot = a.character.roles.joint(std::string("foot") + side);
            if (foot < 0) continue;
            const Rigid from = X(a, i + k, foot), to = X(b, j + k, foot);
            reach_ankle(a, out.motion, f, side, (1.0 - w) * from.p + w * to.p, from.R.slerp(w, to.R));
        }
    }
}

std::vector<double> headings_of(const Handed& clip) {
    return headings(clip.motion, lines_of(clip.character.roles), clip.motion.frame_time_s, 0);
}

Handed join_two(const Handed& a, Handed b, const Seam& seam, SeamReport& report) {
    if (a.character.rig.skeleton.names != b.character.rig.skeleton.names)
        throw std::invalid_argument("clips of one body alone can be joined");
    if (a.character.roles.joint(seam.point) < 0)
        throw std::invalid_argument(fmt::format("the body has no '{}' that could meet", seam.point));
    at_rate(b, 1.0 / a.motion.frame_time_s);
    const int overlap = std::max(1, int(std::lround(seam.overlap_s / a.motion.frame_time_s)) + 1);
    if (overlap > a.motion.frames || overlap > b.motion.frames)
        throw std::invalid_argument(
            fmt::format("a clip is shorter than the overlap of {:.2f} s", seam.overlap_s));
    const auto [i, j] = overlap_at(a, b, seam, overlap);
    const int middle = overlap / 2;
    const std::vector<double> of_a = headings_of(a);
    const double turn = std::remainder(
        of_a[size_t(i) + size_t(middle)] - headings_of(b)[size_t(j) + size_t(middle)], 2.0 * pi);
    const Rigid turned{exp_rotation(turn * Vec3::UnitY()), Vec3::Zero()};
    const Vec3 off = point_of(a, seam.point, i + middle) - turned * point_of(b, seam.point, j + middle);
    report.step_m = step_up(a, i, b, j, overlap);
    move_body(b, [&](int) { return Rigid{turned.R, Vec3(off.x(), report.step_m, off.z())}; });

    Handed out = a;
    const int frames = i + b.motion.frames - j;
    out.motion.resize(frames, a.motion.joints);
    const auto put = [&](const Handed& from, int first, int last, int to) {
        const auto begin = std::ptrdiff_t(from.motion.at(first, 0)),
                   end = std::ptrdiff_t(from.motion.at(last, 0));
        std::copy(from.motion.R.begin() + begin, from.motion.R.begin() + end,
                  out.motion.R.begin() + std::ptrdiff_t(out.motion.at(to, 0)));
        std::copy(from.motion.p.begin() + begin, from.motion.p.begin() + end,
                  out.motion.p.begin() + std::ptrdiff_t(out.motion.at(to, 0)));
    };
    put(a, 0, i, 0);
    blend(a, b, i, j, overlap, out);
    put(b, j + overlap, b.motion.frames, i + overlap);
    for (size_t joint = 0; joint < out.kept_frames.size() && joint < b.kept_frames.size(); ++joint) {
        std::vector<int>& kept = out.kept_frames[joint];
        std::erase_if(kept, [i = i](int f) { return f >= i; });
        for (const int f : b.kept_frames[joint])
            if (f >= j + overlap) kept.push_back(i + f - j);
    }
    report.frame = i + middle;
    report.first = i;
    report.overlap = overlap;
    const auto pose = [](const WorldMotion& of, int frame) {
        const auto first = of.p.begin() + std::ptrdiff_t(of.at(frame, 0));
        return std::vector<Vec3>(first, first + of.joints);
    };
    for (size_t n = 0; n < report.poses.size(); ++n) {
        const int k = std::array{0, middle, overlap - 1}[n];
        report.poses[n] = {pose(a.motion, i + k), pose(b.motion, j + k)};
    }
    report.cut_earlier = a.motion.frames - overlap - i;
    report.cut_later = j;
    const std::vector<double> of_b = headings_of(b);
    for (int k = 0; k < overlap; ++k) {
        const Vec3 way = point_of(a, seam.point, i + k) - point_of(b, seam.point, j + k);
        report.place_error_m = std::max(report.place_error_m, std::hypot(way.x(), way.z()));
        report.heading_error_rad = std::max(
            report.heading_error_rad,
            std::abs(std::remainder(of_a[size_t(i) + size_t(k)] - of_b[size_t(j) + size_t(k)], 2.0 * pi)));
    }
    nearest_floor_move(cloud(a, i, overlap), cloud(b, j, overlap), report.distance_m);
    report.jerk = jerk_of(out.motion, i - 3, i + overlap + 3);
    report.own_jerk = std::max(jerk_of(a.motion, 0, a.motion.frames), jerk_of(b.motion, 0, b.motion.frames));
    return out;
}

void pad(Handed& clip, double first_s, double last_s) {
    WorldMotion& motion = clip.motion;
    const std::ptrdiff_t joints = motion.joints;
    const int first = int(std::lround(first_s / motion.frame_time_s)),
              last = int(std::lround(last_s / motion.frame_time_s));
    const auto hold = [&](auto& values) {
        std::remove_reference_t<decltype(values)> held;
        held.reserve(values.size() + size_t(first + last) * size_t(joints));
        for (int f = 0; f < first; ++f) held.insert(held.end(), values.begin(), values.begin() + joints);
        held.insert(held.end(), values.begin(), values.end());
        for (int f = 0; f < last; ++f) held.insert(held.end(), values.end() - joints, values.end());
        values = std::move(held);
    };
    hold(motion.R);
    hold(motion.p);
    motion.frames += first + last;
    for (std::vector<int>& kept : clip.kept_frames)
        for (int& f : kept) f += first;
}

}  // namespace

void pace_clip(Handed& clip, double percent) {
    if (percent == 100.0) return;
    const double fps = 1.0 / clip.motion.frame_time_s;
    clip.motion.frame_time_s *= 100.0 / percent;
    clip.motion.start_s *= 100.0 / percent;
    at_rate(clip, fps);
}

Handed join_clips(std::vector<Handed> clips, const std::vector<Seam>& seams, double pad_first_s,
                  double pad_last_s, std::vector<SeamReport>& reports) {
    if (clips.empty() || seams.size() + 1 != clips.size())
        throw std::invalid_argument("there is one seam fewer than clips");
    Handed joined = std::move(clips.front());
    std::string name = joined.name;
    for (size_t i = 1; i < clips.size(); ++i) {
        SeamReport report;
        name += " + " + clips[i].name;
        joined = join_two(joined, std::move(clips[i]), seams[i - 1], report);
        reports.push_back(report);
    }
    joined.name = name;
    if (pad_first_s > 0.0 || pad_last_s > 0.0) {
        pad(joined, pad_first_s, pad_last_s);
        const int first = int(std::lround(pad_first_s / joined.motion.frame_time_s));
        for (SeamReport& report : reports) {
            report.frame += first;
            report.first += first;
        }
    }
    return joined;
}

}  // namespace nb
