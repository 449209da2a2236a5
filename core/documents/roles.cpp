#include "core/documents/roles.hpp"

#include <fmt/format.h>

#include <stdexcept>

#include "core/base/files.hpp"
#include "core/body/plan.hpp"

namespace nb {

bool is_role_of(const std::string& role, const std::string& plan) {
    const std::string part = role_part(role);
    return part == "hips" || part == "root" || part == "eye" || part == "jaw" ||
           body_plan(plan).chain_of(role);
}

std::string read_plan(const Json& document, const std::string& path) {
    std::string plan = text_in(document, "plan", "biped", path);
    if (!find_body_plan(plan))
        throw FileError(path, fmt::format("'{}' is no body plan", plan),
                        fmt::format("write one of {}", fmt::join(body_plan_names(), ", ")));
    return plan;
}

KnownRoles read_known_roles(const Json& document, const std::string& path) {
    return reading(path, [&] {
        KnownRoles known;
        known.name = text_in(document, "name", path);
        known.plan = read_plan(document, path);
        const Json& roles = object_in(document, "roles", path);
        for (const auto& [role, fill] : roles.items()) {
            known.bones[role] = text_in(fill, "bone", path);
            if (flag_in(fill, "by_hand", false, path)) known.by_hand.push_back(role);
        }
        return known;
    });
}

std::string load_body_plan(const std::string& path) {
    try {
        BodyPlan plan = parse_body_plan(read_file(path));
        std::string name = plan.name;
        if (!add_body_plan(std::move(plan)))
            throw FileError(path, fmt::format("another plan of the name '{}' is known already", name),
                            "give it another name");
        return name;
    } catch (const std::invalid_argument& error) {
        throw FileError(path, error.what(), "compare with docs/body-plans.md");
    }
}

RoleMap read_given_roles(const Json& document, const std::string& path, const Skeleton& skeleton) {
    return reading(path, [&] {
        RoleMap roles;
        roles.plan = read_plan(document, path);
        const Json& given = object_in(document, "roles", path);
        for (const auto& [role, name] : given.items()) {
            const int joint = skeleton.find(name.get<std::string>());
            if (!is_role_of(role, roles.plan))
                throw FileError(path, fmt::format("'{}' is no role of the plan {}", role, roles.plan),
                                "write for example thigh.left; docs/body-plans.md lists them");
            if (joint < 0)
                throw FileError(path,
                                fmt::format("the rig has no bone '{}' for {}", name.get<std::string>(), role),
                                "write a bone's name as nbone inspect shows it");
            if (const std::string taken = roles.role_of(joint); !taken.empty())
                throw FileError(
                    path, fmt::format("'{}' is given to {} and to {}", name.get<std::string>(), taken, role),
                    "give a bone one role");
            roles.fills.push_back({role, joint, 1.0, {"given by hand"}, true});
        }
        update_role_lists(skeleton, roles);
        return roles;
    });
}

}  // namespace nb
