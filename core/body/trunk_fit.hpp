// What lies between and above the limbs: hips, spine, chest, neck, head. Internal to core/body.
//
// A role may hang on any bone above it. Evidence: places along the line from the hip centre to the shoulders
// (0 hip centre, 1 shoulders), where arms and legs part, how long what lies between is, what carries skin
// and how much, what hangs on the skull, names.
#pragma once
#include <string>
#include <utility>
#include <vector>

#include "core/body/limb_fit.hpp"

namespace nb {

/// The limbs of a body as one reading has them.
struct BodyLimbs {
    const PairRun* legs = nullptr;
    const PairRun* arms = nullptr;
    LimbFit leg, arm;
    bool is_four_legged = false;
    Vec3 hip_centre = Vec3::Zero(), shoulders = Vec3::Zero();

    Vec3 trunk() const { return shoulders - hip_centre; }
};

struct TrunkFit {
    double cost = 1e9;
    int hips = -1, chest = -1, head = -1;
    std::vector<int> spine, neck;  ///< from the body outward
    double hips_sure = 1.0, chest_sure = 1.0, head_sure = 1.0;
    int chest_rival = -1, head_rival = -1;  ///< that fit nearly as well; -1: none does
    bool do_arms_part_at_chest = true;
};

TrunkFit fit_trunk(const TreeShape& tree, const NameTable& names, const GivenRoles& given,
                   const BodyLimbs& limbs);

}  // namespace nb
