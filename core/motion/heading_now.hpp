// The heading of one pose alone.
#pragma once
#include <optional>

#include "core/motion/heading.hpp"

namespace nb {

/// As in `headings`, of one frame: rad, within -pi .. pi; empty while the trunk lies or forward is upright.
std::optional<double> heading_now(const WorldMotion& motion, const BodyLines& lines, int frame);

}  // namespace nb
