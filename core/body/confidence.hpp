// From the share of readings that agree on a role to how often such a role is right. Internal to core/body.
//
// `share` is what all readings with the same bone in a role have together of exp(-sharpness x cost), 0..1.
// Its log odds, put through a line for each kind of role, are the log odds of being right: a logistic
// regression on bodies drawn from a grammar (tests/support/strangers.hpp), fitted by tools/fit-confidence
// from seeds that are in no table. A bone without skin on a rig that has one, or that nothing tells from a
// mere end, is less sure by a factor.
#pragma once
#include <string_view>

namespace nb {

double role_confidence(double share, std::string_view part, bool is_bare);

}  // namespace nb
