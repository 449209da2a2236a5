// Seeded variants of a body whose roles are known: names scrambled, helpers put in, spines merged and split,
// fingers dropped, limbs scaled, the rest re-posed, the whole turned and mirrored, joints jittered.
// Expectations come from here.
#pragma once
#include <map>
#include <string>

#include "tests/support/test_rigs.hpp"

namespace nb::test {

struct KnownBody {
    std::string name;
    Skeleton skeleton;
    std::map<std::string, int> joint_of_role;
};

/// Of a character whose roles are right (by its document, or by names that say them).
KnownBody known_body(const std::string& name, const Character& character);

/// One of all kinds of change, drawn from the seed; `what` says which.
struct Variant {
    KnownBody body;
    std::string what;
    bool has_feet_ahead = true;  ///< something says where ahead is
};
Variant make_variant(const KnownBody& base, std::uint64_t seed);

}  // namespace nb::test
