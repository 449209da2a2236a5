// Seeded variants of a body whose roles are known: names scrambled, helpers put in, spines merged and split,
// fingers dropped, limbs scaled, the rest re-posed, the whole turned and mirrored, joints jittered.
// Pelvises and limbs in two pieces, doubled knees, roots, missing clavicles and toes, metacarpals and
// two-bone fingers. Expectations come from here.
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

/// One of all kinds of change, drawn from the seed; `what` says which. With names, bones are called after
/// their roles in one of several conventions, drawn from the seed too; without, names say nothing.
struct Variant {
    KnownBody body;
    std::string what;
};
Variant make_variant(const KnownBody& base, std::uint64_t seed, bool has_names = false);

/// Calls the bones of a body after their roles: `convention` counts around conventions of side marks, order,
/// case and words of several languages, and ISO/IEC 19774-1.
void name_by_roles(KnownBody& body, unsigned convention);

}  // namespace nb::test
