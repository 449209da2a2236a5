// The gate of all writers of motion: nothing that is not finite leaves the program.
#pragma once
#include <string>

#include "core/motion/motion_view.hpp"
#include "core/rig/skeleton.hpp"

namespace nb {

/// Throws FileError naming `path`, the bone and the frame of the first number that is not finite.
void require_finite(const std::string& path, const Skeleton& skeleton, const Take& take);
void require_finite(const std::string& path, const Skeleton& skeleton, const MotionView& motion);

}  // namespace nb
