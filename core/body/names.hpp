// What a bone's name says: its words, its side, and how well it fits a part of the body.
#pragma once
#include <string>
#include <string_view>
#include <vector>

#include "core/body/plan.hpp"

namespace nb {

struct BoneWords {
    std::vector<std::string> words;  ///< lower case, side marks and numbers taken out
    Side side = Side::none;
    int number = -1;  ///< last number in the name, -1 when there is none
    bool has(std::string_view word) const;
};

/// Splits at separators, at changes of case and at digits; a name space before ':' or '|' is dropped; side
/// marks (l, r, lf, rt, left, right ...) are taken in any place, also stuck to a known word ("lfemur").
BoneWords read_bone_name(std::string_view name);

/// How well the words fit a part ("thigh", "clavicle", "index" ...): 0 not at all, 1 beyond doubt. A word
/// that different rigs use for different parts ("leg", "shoulder", "arm", "hip") fits each of them partly.
double name_fit(std::string_view part, const BoneWords& words);

/// A helper that never plays a part of the body: twist, roll, end, control, goal. Empty when it is none.
std::string helper_reason(const BoneWords& words);

}  // namespace nb
