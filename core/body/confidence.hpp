// From the share of readings that agree on a role to how often such a role is right. Internal to core/body.
#pragma once
#include <string_view>

namespace nb {

/// `share`: of exp(-sharpness x cost), 0..1. The curve is a logistic one in log(share / (1 - share)), fitted
/// on bodies drawn from a grammar (tests/support/strangers.hpp; tools/fit-confidence).
double role_confidence(double share, std::string_view part, bool is_bare);

}  // namespace nb
