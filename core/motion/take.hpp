// A take: recorded local rotations (and some translations) of one skeleton, and its forward kinematics.
#pragma once
#include <functional>
#include <span>
#include <string>
#include <vector>

#include "core/motion/contacts.hpp"
#include "core/rig/skeleton.hpp"

namespace nb {

/// Motion of a skeleton of `joints` joints over `frames` frames. Frame-major arrays.
struct Take {
    std::string id;  ///< of its document; empty when it has none
    std::string name;
    std::string frame_time_text;  ///< as written in the file, digit for digit
    double frame_time_s = 1.0 / 60.0;
    int frames = 0;
    int joints = 0;
    std::vector<Quat> R;          ///< [frame][joint] R_PJ
    std::vector<int> translated;  ///< joints that have translations
    std::vector<Vec3> p;          ///< [frame][index in translated] p_PJ, m
    /// 1 when frame 0 stands apart (a reference pose put before the motion), else 0.
    int first_motion_frame = 0;
    Contacts contacts;  ///< as kept with the take; not by hand: to be found

    /// By which settings for this take are kept: its id, else its name.
    const std::string& key() const { return id.empty() ? name : id; }
    double fps() const { return 1.0 / frame_time_s; }
    /// The whole rate that `frame_time_text` stands for within its last digit (.0083333: 120), else fps().
    double nominal_fps() const;
    std::span<const Quat> rotations(int frame) const {
        return {R.data() + size_t(frame) * size_t(joints), size_t(joints)};
    }
    std::span<const Vec3> translations(int frame) const {
        return {p.data() + size_t(frame) * translated.size(), translated.size()};
    }
};

/// World frames of all joints over all frames, frame-major.
struct WorldMotion {
    int frames = 0;
    int joints = 0;
    std::vector<Quat> R;
    std::vector<Vec3> p;

    void resize(int frame_count, int joint_count);
    size_t at(int frame, int joint) const { return size_t(frame) * size_t(joints) + size_t(joint); }
};

/// World pose of one frame. `R` and `p` have room for one entry a joint. Does not allocate.
void forward_kinematics(const Skeleton& skeleton, const Take& take, int frame, std::span<Quat> R,
                        std::span<Vec3> p);
Pose pose_at(const Skeleton& skeleton, const Take& take, int frame);
/// World pose of all frames, in parallel on at most `threads` threads (0: as many as there are cores).
WorldMotion forward_kinematics(const Skeleton& skeleton, const Take& take, int threads = 0);

/// The same motion at another rate, duration kept to within one new frame; rotations on the shortest
/// geodesic, translations linear. Source frames that fall on new ones are kept exactly.
Take resample(const Take& take, double fps);
/// Frames first up to, not including, last.
Take trim(const Take& take, int first, int last);
/// 1 when frame 0 is a reference pose set before the motion: the step 0 -> 1 turns a joint by more than 40
/// degrees and by more than ten times the largest step of the following frames' median. Else 0.
int find_first_motion_frame(const Take& take);

/// Runs body(first, last) over parts of [0, count) on at most `threads` threads (0: as many as there are
/// cores). The order is not set; every frame must write only its own results.
void for_each_frame(int count, int threads, const std::function<void(int, int)>& body_of_range);

}  // namespace nb
