// A character: a rig with its roles and its rest alignment.
#pragma once
#include <optional>
#include <string>

#include "core/body/roles.hpp"
#include "core/rest/alignment.hpp"
#include "core/rig/rig.hpp"

namespace nb {

struct Character {
    std::string id;  ///< UUID
    std::string name;
    Rig rig;
    RoleMap roles;
    RestAlignment rest;
    std::string document_text;  ///< the document it was read from, for keys this program does not know
};

/// True when the least a transfer needs is there: hips and both legs. `why` names what is missing.
bool can_be_transferred(const RoleMap& roles, std::string& why);

/// A random version 4 UUID.
std::string make_uuid();

}  // namespace nb
