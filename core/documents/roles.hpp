// Roles by the names of bones: of a character document without its rig, as told by hand, and body plans of
// files.
#pragma once
#include "core/body/reuse.hpp"
#include "core/documents/format.hpp"

namespace nb {

/// The roles of a character document, by bone names, without its rig.
KnownRoles read_known_roles(const Json& document, const std::string& path);

/// Reads a body plan (docs/body-plans.md) and makes it known; returns its name. Throws FileError.
std::string load_body_plan(const std::string& path);

/// Roles as told by hand, {"plan": "biped" | "quadruped", "roles": {role: bone}}. Throws FileError when a
/// bone is not there or named twice, or the plan is not known.
RoleMap read_given_roles(const Json& document, const std::string& path, const Skeleton& skeleton);

/// True when a body plan has that role.
bool is_role_of(const std::string& role, const std::string& plan);
/// "plan" of a document, biped when it says nothing. Throws FileError when no such plan is known.
std::string read_plan(const Json& document, const std::string& path);

}  // namespace nb
