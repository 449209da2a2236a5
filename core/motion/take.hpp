// A take: recorded local rotations (and some translations) of one skeleton.
#pragma once
#include <span>
#include <string>
#include <vector>

#include "core/base/shared.hpp"
#include "core/motion/marks.hpp"
#include "core/motion/set_piece.hpp"
#include "core/rig/skeleton.hpp"

namespace nb {

/// Motion of a skeleton of `joints` joints over `frames` frames. Frame-major arrays.
struct Take {
    std::string id;  ///< of its document; empty when it has none
    std::string name;
    std::string frame_time_text;  ///< as written in the file, digit for digit
    double frame_time_s = 1.0 / 60.0;
    double start_s = 0.0;  ///< of the first frame, on the clock of its file
    int frames = 0;
    int joints = 0;
    Shared<std::vector<Quat>> R;  ///< [frame][joint] R_PJ
    std::vector<int> translated;  ///< joints that have translations
    Shared<std::vector<Vec3>> p;  ///< [frame][index in translated] p_PJ, m
    /// The file's first frame, once a trim has taken it off: rests may stand on it. As `R` and `p`.
    Shared<std::vector<Quat>> start_R;
    Shared<std::vector<Vec3>> start_p;
    /// 1 when frame 0 stands apart (a reference pose put before the motion), else 0.
    int first_motion_frame = 0;
    Shared<std::vector<SetPiece>> set;  ///< what stands beside the body in it
    Contacts contacts;                  ///< as kept with the take; not by hand: to be found

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

}  // namespace nb
