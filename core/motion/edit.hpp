// Takes made from takes: another rate, a part, and where the motion begins.
#pragma once
#include "core/motion/take.hpp"

namespace nb {

/// The same motion at another rate, duration kept to within one new frame; between frames cubic, continuous in
/// value and speed (Catmull and Rom's slopes, of rotations in de Casteljau's way on the sphere: Shoemake 1985; from
/// memory), slopes no steeper than 1.5 times the steps beside them. Source frames that fall on new ones are kept
/// exactly. Nothing is blended with a first frame that stands apart.
Take resample(const Take& take, double fps);
/// Frames first up to, not including, last.
Take trim(const Take& take, int first, int last);
/// 1 when frame 0 is a reference pose set before the motion: the step 0 -> 1 turns a joint by more than 40
/// degrees and by more than ten times the largest step of the following frames' median. Else 0.
int find_first_motion_frame(const Take& take);

/// How frames of a take in force lie in its file.
struct FileFrames {
    double rate = 1.0;  ///< frames of the file for one of the take
    int first = 0;      ///< frame of the file at which the take begins
    int to_file(int frame) const;
    int from_file(int frame) const;
};

}  // namespace nb
