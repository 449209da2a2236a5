// A rest alignment, as character documents hold it under "rest", "other_rests" and "solved".
#pragma once
#include "core/documents/format.hpp"
#include "core/rest/alignment.hpp"

namespace nb {

/// Quaternions (x y z w) turn a role from the stored rest into the stance, in the body frame relative to the
/// parent role: E_r = D_parent^T D_r with D of `RestAlignment`.
Json rest_document(const RoleMap& roles, const RestAlignment& rest);
/// Reads one for a skeleton with these roles. Throws FileError: key and value.
void read_rest(const Json& stored, const std::string& path, const Skeleton& skeleton, const RoleMap& roles,
               RestAlignment& rest);

}  // namespace nb
