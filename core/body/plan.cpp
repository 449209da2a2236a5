#include "core/body/plan.hpp"

#include <fmt/format.h>

namespace nb {

std::string_view side_suffix(Side side) {
    return side == Side::left ? ".left" : side == Side::right ? ".right" : "";
}

std::string role_part(std::string_view role) {
    return std::string(role.substr(0, role.find('.')));
}

Side role_side(std::string_view role) {
    return role.ends_with(".left") ? Side::left : role.ends_with(".right") ? Side::right : Side::none;
}

std::string mirrored_role(std::string_view role) {
    if (role.ends_with(".left")) return std::string(role.substr(0, role.size() - 5)) + ".right";
    if (role.ends_with(".right")) return std::string(role.substr(0, role.size() - 6)) + ".left";
    return std::string(role);
}

RestRule rest_rule(std::string_view role) {
    const std::string part = role_part(role);
    if (part == "foot") return RestRule::sole;
    if (part == "head") return RestRule::gaze;
    for (const auto* match :
         {"upperarm", "forearm", "hand", "thigh", "shin", "thumb", "index", "middle", "ring", "little"})
        if (part == match) return RestRule::match;
    return RestRule::keep;
}

namespace {

std::vector<ChainPlan> make_chains() {
    std::vector<ChainPlan> chains;
    ChainPlan spine{"spine", "", {}, false};
    for (int i = 1; i <= 8; ++i) spine.roles.push_back(fmt::format("spine.{}", i));
    spine.roles.emplace_back("chest");
    chains.push_back(spine);
    ChainPlan neck{"neck", "spine", {}, false};
    for (int i = 1; i <= 4; ++i) neck.roles.push_back(fmt::format("neck.{}", i));
    neck.roles.emplace_back("head");
    chains.push_back(neck);
    for (const std::string side : {".left", ".right"}) {
        chains.push_back({"arm" + side,
                          "spine",
                          {"clavicle" + side, "upperarm" + side, "forearm" + side, "hand" + side},
                          true});
        chains.push_back(
            {"leg" + side, "", {"thigh" + side, "shin" + side, "foot" + side, "toe" + side}, true});
        for (const auto* finger : {"thumb", "index", "middle", "ring", "little"}) {
            ChainPlan chain{finger + side, "arm" + side, {fmt::format("{}.palm{}", finger, side)}, false};
            for (int i = 1; i <= 4; ++i) chain.roles.push_back(fmt::format("{}.{}{}", finger, i, side));
            chains.push_back(chain);
        }
    }
    return chains;
}

}  // namespace

const std::vector<ChainPlan>& biped_chains() {
    static const std::vector<ChainPlan> chains = make_chains();
    return chains;
}

const std::vector<std::string>& needed_roles() {
    static const std::vector<std::string> roles = {
        "hips",      "chest",          "head",          "upperarm.left", "forearm.left",
        "hand.left", "upperarm.right", "forearm.right", "hand.right",    "thigh.left",
        "shin.left", "foot.left",      "thigh.right",   "shin.right",    "foot.right"};
    return roles;
}

}  // namespace nb
