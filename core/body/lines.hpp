// The lines of a body by its roles.
#pragma once
#include "core/body/roles.hpp"
#include "core/motion/heading.hpp"

namespace nb {

inline BodyLines lines_of(const RoleMap& roles) {
    return {roles.joint("thigh.left"), roles.joint("thigh.right"), roles.joint("upperarm.left"),
            roles.joint("upperarm.right")};
}

}  // namespace nb
