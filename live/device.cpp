#include "live/device.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <chrono>
#include <cmath>

#include "core/base/fault.hpp"
#include "core/math/hermite.hpp"
#include "core/motion/kinematics.hpp"
#include "core/rest/alignment.hpp"

namespace nb {

namespace {

constexpr double led_s = 0.4;  // from the T to the take, and from its end to its beginning

Pose between(const Pose& a, const Pose& b, double u) {
    Pose pose = a;
    for (size_t j = 0; j < pose.R.size(); ++j) {
        pose.R[j] = a.R[j].slerp(u, b.R[j]);
        pose.p[j] = a.p[j] + u * (b.p[j] - a.p[j]);
    }
    return pose;
}

/// Bones keep their lengths: places anew from the turns, roots where they are.
void place_anew(const Skeleton& skeleton, const std::vector<int>& translated, Pose& pose) {
    for (int j = 0; j < skeleton.size(); ++j) {
        const int parent = skeleton.parents[size_t(j)];
        if (parent < 0 || std::find(translated.begin(), translated.end(), j) != translated.end()) continue;
        pose.p[size_t(j)] = pose.p[size_t(parent)] + pose.R[size_t(parent)] * skeleton.rest_p[size_t(j)];
    }
}

/// Another body: without every other of the bones right below a root, and with names of its own.
Skeleton another(const Skeleton& skeleton, std::vector<int>& own) {
    Skeleton other;
    std::vector<int> place(size_t(skeleton.size()), -1);
    const Pose rest = rest_pose(skeleton);
    for (int j = 0; j < skeleton.size(); ++j) {
        int parent = skeleton.parents[size_t(j)];
        const bool is_left_out = parent >= 0 && skeleton.parents[size_t(parent)] < 0 && j % 2 == 1;
        while (parent >= 0 && place[size_t(parent)] < 0) parent = skeleton.parents[size_t(parent)];
        if (is_left_out) continue;
        place[size_t(j)] = other.size();
        own.push_back(j);
        other.names.push_back(fmt::format("part_{}", j + 1));
        other.parents.push_back(parent < 0 ? -1 : place[size_t(parent)]);
        other.rest_R.push_back(parent < 0 ? rest.R[size_t(j)]
                                          : Quat(rest.R[size_t(parent)].conjugate() * rest.R[size_t(j)]));
        other.rest_p.push_back(parent < 0 ? rest.p[size_t(j)]
                                          : Vec3(rest.R[size_t(parent)].conjugate() *
                                                 Vec3(rest.p[size_t(j)] - rest.p[size_t(parent)])));
    }
    return other;
}

}  // namespace

Device::Device(const DeviceSettings& settings, std::vector<Performer> performers)
    : settings_(settings),
      line_(settings.way, settings.to, settings.may_leave_machine),
      random_(settings.seed) {
    if (!(settings.fps >= 1.0 && settings.fps <= 1000.0))
        throw FileError("the device", fmt::format("cannot play {} frames a second", settings.fps),
                        "give 30 to 240");
    if (performers.empty()) throw FileError("the device", "has nobody to play", "give it a take");
    for (Performer& performer : performers) {
        const LoadedFile& file = *performer.take;
        if (!file.take || file.take->frames == 0)
            throw FileError(file.character.rig.path, "holds no motion", "give a take");
        Playing& one = playing_.emplace_back();
        const Skeleton& skeleton = file.character.rig.skeleton;
        const Take& take = *file.take;
        performer.name = as_performer_name(performer.name);
        one.motion = forward_kinematics(skeleton, take);
        one.length_s = (take.frames - 1 - take.first_motion_frame) * take.frame_time_s;
        one.t_pose = file.character.rest.is_there() ? aligned_pose(file.character.rest) : rest_pose(skeleton);
        // In the T it stands where the take begins.
        const size_t first = one.motion.at(take.first_motion_frame, 0);
        Vec3 to = one.motion.p[first] - one.t_pose.p[0];
        to.y() = 0.0;
        for (Vec3& p : one.t_pose.p) p += to;
        one.stream = std::make_unique<PoseStream>(skeleton, take.translated, performer.name);
        const Skeleton other = another(skeleton, one.own);
        one.other = std::make_unique<PoseStream>(other, std::vector<int>(), performer.name);
        for (size_t limb = 0; limb < limb_count; ++limb) {
            const std::string name = limb_names[limb];
            const std::string role =
                (name.starts_with("leg") ? "thigh" : "upperarm") + name.substr(name.find('.'));
            const int top = file.character.roles.joint(role);
            for (int j = 0; j < skeleton.size(); ++j)
                one.is_of_limb[limb].push_back(top >= 0 && (j == top || skeleton.is_ancestor(top, j)) ? 1
                                                                                                      : 0);
        }
        one.of = std::move(performer);
    }
    thread_ = std::thread([this] { run(); });
}

Device::~Device() {
    is_ending_ = true;
    thread_.join();
}

void Device::set_faults(const DeviceFaults& faults) {
    const std::lock_guard lock(mutex_);
    faults_ = faults;
}
void Device::stop() {
    is_stop_asked_ = true;
}
void Device::start() {
    is_start_asked_ = true;
}

Pose Device::pose_at_s(size_t performer, double t_s) const {
    const Playing& one = playing_[performer];
    const Take& take = *one.of.take->take;
    const Skeleton& skeleton = one.of.take->character.rig.skeleton;
    const double from_s = one.motion.time_s(take.first_motion_frame);
    const auto played = [&](double t) { return pose_between(one.motion, from_s + t); };
    if (t_s < settings_.t_pose_s) return one.t_pose;
    t_s -= settings_.t_pose_s;
    const double round_s = led_s + std::max(1e-3, one.length_s);
    const double into = std::fmod(t_s, round_s);
    if (into >= led_s) return played(into - led_s);
    Pose pose =
        between(t_s < round_s ? one.t_pose : played(one.length_s), played(0.0), smooth_step(into / led_s));
    place_anew(skeleton, take.translated, pose);
    return pose;
}

std::string Device::name_of(size_t performer, const DeviceFaults& faults) const {
    return faults.has_wrong_name ? fmt::format("somebody-{}", performer + 1) : playing_[performer].of.name;
}

void Device::send(const std::vector<std::string>& packets) {
    for (const std::string& packet : packets) line_.send(packet);
}

void Device::send_skeletons(const DeviceFaults& faults) {
    for (size_t i = 0; i < playing_.size(); ++i) {
        const auto& stream = faults.has_other_skeleton ? playing_[i].other : playing_[i].stream;
        if (settings_.way == OutSettings::Way::bvh)
            line_.send(bvh_way_skeleton(name_of(i, faults), *stream->skeleton()));
        else
            send(osc_way_skeleton(name_of(i, faults), *stream->skeleton()));
    }
}

std::vector<std::string> Device::packets_of(size_t performer, double t_s, const DeviceFaults& faults) {
    Playing& one = playing_[performer];
    const LoadedFile& file = *one.of.take;
    Pose pose = pose_at_s(performer, t_s);
    const auto limb = std::find(limb_names.begin(), limb_names.end(), faults.frozen);
    if (limb == limb_names.end()) {
        one.has_frozen = false;
    } else {
        // As a body part whose markers are lost: it keeps its turn in the room.
        if (!std::exchange(one.has_frozen, true)) one.frozen = pose;
        const auto& is_in = one.is_of_limb[size_t(limb - limb_names.begin())];
        for (size_t j = 0; j < pose.R.size(); ++j)
            if (is_in[j]) pose.R[j] = one.frozen.R[j];
        place_anew(file.character.rig.skeleton, file.take->translated, pose);
    }
    if (faults.noise_deg > 0.0) {
        std::normal_distribution<double> noise(0.0, deg_to_rad(faults.noise_deg));
        for (Quat& R : pose.R) R = R * exp_rotation(Vec3(noise(random_), noise(random_), noise(random_)));
        place_anew(file.character.rig.skeleton, file.take->translated, pose);
    }
    const bool is_text = settings_.way == OutSettings::Way::bvh;
    PoseStream& stream = faults.has_other_skeleton ? *one.other : *one.stream;
    if (faults.has_other_skeleton) {
        Pose part;
        for (const int j : one.own) {
            part.R.push_back(pose.R[size_t(j)]);
            part.p.push_back(pose.p[size_t(j)]);
        }
        pose = std::move(part);
    }
    stream.write(pose, number_, t_s, is_text, one.frame);
    if (!is_text) return osc_way_frame(name_of(performer, faults), *stream.skeleton(), one.frame);
    std::string line;
    append_bvh_way_frame(line, name_of(performer, faults), one.frame);
    return {std::move(line)};
}

void Device::send_frame(double now_s, const DeviceFaults& faults) {
    const double t_s = double(number_) / settings_.fps;
    std::uniform_real_distribution<double> share(0.0, 1.0);
    for (size_t i = 0; i < playing_.size(); ++i) {
        std::vector<std::string> packets = packets_of(i, t_s, faults);
        if (share(random_) < faults.lost) continue;
        if (share(random_) < faults.late) {
            waiting_.push_back({now_s + faults.late_by_s, std::move(packets)});
            continue;
        }
        if (share(random_) < faults.swapped && swapped_.empty()) {
            swapped_ = std::move(packets);
            continue;
        }
        send(packets);
        if (share(random_) < faults.twice) send(packets);
        if (!swapped_.empty()) send(std::exchange(swapped_, {}));
        ++sent_;
    }
    ++number_;
}

void Device::say_end() {
    for (size_t i = 0; i < playing_.size(); ++i) {
        const std::string name = name_of(i, told_faults_.value_or(DeviceFaults()));
        line_.send(settings_.way == OutSettings::Way::bvh ? bvh_way_end(name) : osc_way_end(name));
    }
}

void Device::run() {
    began_s_ = live_now_s();
    double longest_s = 0.0;
    for (const Playing& one : playing_) longest_s = std::max(longest_s, one.length_s);
    const double end_s = settings_.t_pose_s + led_s + longest_s;
    while (!is_ending_) {
        DeviceFaults faults;
        {
            const std::lock_guard lock(mutex_);
            faults = faults_;
        }
        if (is_stop_asked_.exchange(false) && is_playing_.exchange(false)) say_end();
        if (is_start_asked_.exchange(false)) {
            if (is_playing_) say_end();
            is_playing_ = true;
            has_ended_ = false;
            number_ = 0;
            began_s_ = live_now_s();
            told_faults_.reset();  // hierarchies are told anew
        }
        const double now = live_now_s();
        const bool wants = line_.wants_skeleton(now);
        is_connected_ = line_.is_open();
        if (is_playing_ && line_.is_open()) {
            const bool has_other_name = told_faults_ && faults.has_wrong_name != told_faults_->has_wrong_name;
            const bool is_other = !told_faults_ || has_other_name ||
                                  faults.has_other_skeleton != told_faults_->has_other_skeleton;
            if (has_other_name) say_end();
            told_faults_ = faults;
            if (wants || is_other) {
                send_skeletons(faults);
                line_.skeleton_sent(now);
            }
            for (size_t i = 0; i < waiting_.size();) {
                if (waiting_[i].at_s > now) {
                    ++i;
                    continue;
                }
                send(waiting_[i].packets);
                waiting_.erase(waiting_.begin() + std::ptrdiff_t(i));
            }
            int at_once = 0;
            while (began_s_ + double(number_) / settings_.fps <= now && at_once++ < 32)
                send_frame(now, faults);
            // After a pause of the machine it goes on from now.
            if (at_once > 32) began_s_ = now - double(number_) / settings_.fps;
            if (settings_.is_once && double(number_) / settings_.fps > end_s) {
                is_playing_ = false;
                has_ended_ = true;
                say_end();
            }
        } else if (is_playing_) {
            began_s_ = now - double(number_) / settings_.fps;
        }
        double next =
            is_playing_ && line_.is_open() ? began_s_ + double(number_) / settings_.fps : now + 0.02;
        for (const Waiting& one : waiting_) next = std::min(next, one.at_s);
        const double wait = std::clamp(next - live_now_s(), 0.0, 0.02);
        std::this_thread::sleep_for(std::chrono::duration<double>(wait));
    }
    if (is_playing_ && line_.is_open()) say_end();
}

}  // namespace nb
