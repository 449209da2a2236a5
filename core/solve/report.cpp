#include "core/solve/report.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <set>

#include "core/solve/paired.hpp"
#include "core/solve/program.hpp"

namespace nb {

namespace {

bool is_finger(const std::string& role) {
    const std::string part = role_part(role);
    return part == "thumb" || part == "index" || part == "middle" || part == "ring" || part == "little";
}

bool has_fingers(const Character& who, Side side) {
    return std::any_of(who.roles.fills.begin(), who.roles.fills.end(), [&](const RoleFill& fill) {
        return is_finger(fill.role) && role_side(fill.role) == side;
    });
}

/// True when a role of the target takes up what a missing one of that chain turns by: one further out, or
/// a finger of a missing hand. `chain`: none for an eye or a jaw.
bool is_followed(const PairedBodies& bodies, const std::string& role, const ChainPlan* chain) {
    if (role_part(role) == "hand") return has_fingers(bodies.T, role_side(role));
    if (!chain) return false;
    const auto at = std::find(chain->roles.begin(), chain->roles.end(), role);
    const bool goes_on = std::any_of(
        at, chain->roles.end(), [&](const std::string& next) { return bodies.T.roles.joint(next) >= 0; });
    return goes_on || chain->name == "spine" || chain->name == "neck";
}

/// One entry a role, one for all links of a finger, one for the fingers of a hand without any.
void note_partners(const PairedBodies& bodies, const Program& program, Report& report) {
    std::set<std::string> told;
    const auto tell = [&](const Character& who, const RoleFill& fill, const std::string& what) {
        const Side side = role_side(fill.role);
        std::string name = fill.role;
        if (is_finger(fill.role))
            name =
                (has_fingers(who, side) ? role_part(fill.role) : "fingers") + std::string(side_suffix(side));
        if (told.insert(name).second) report.partners.push_back({who.name, name, what});
    };
    const auto is_folded = [&](const std::string& role) {
        const int forearm = bodies.T.roles.joint("forearm" + std::string(side_suffix(role_side(role))));
        return role_part(role) == "hand" && forearm >= 0 &&
               program.angles[size_t(forearm)].kind == AngleOp::Kind::fold;
    };
    for (const RoleFill& fill : bodies.S.roles.fills) {
        const ChainPlan* chain = body_plan(bodies.S.roles.plan).chain_of(fill.role);
        const bool is_in_run = chain && !chain->is_limb && !bodies.T.roles.chain(*chain).empty();
        if (bodies.T.roles.joint(fill.role) >= 0 || fill.role == "root" || is_in_run) continue;
        const bool is_taken = is_folded(fill.role) || is_followed(bodies, fill.role, chain);
        if (!is_taken) report.forgotten.insert(fill.role);
        if (bodies.settings.lost.contains(fill.role)) continue;
        tell(bodies.T, fill,
             is_folded(fill.role) ? "its turn is folded into the forearm"
             : is_taken           ? "its motion goes on to what follows"
                                  : "nothing follows it, so its motion is lost");
    }
    for (const RoleFill& fill : bodies.T.roles.fills)
        if (program.angles[size_t(fill.joint)].kind == AngleOp::Kind::follow && fill.role != "root")
            tell(bodies.S, fill,
                 is_finger(fill.role)
                     ? "at rest on the hand"
                     : bodies.T_tree.names[size_t(fill.joint)] + " follows its parent at rest");
    for (const std::string& line : partner_lines(report.partners)) report.notes.push_back(line);
}

}  // namespace

std::vector<std::string> partner_lines(const std::vector<MissingPartner>& partners) {
    std::vector<std::pair<const MissingPartner*, std::vector<std::string>>> lacks;
    for (const MissingPartner& partner : partners) {
        auto like = std::find_if(lacks.begin(), lacks.end(), [&](const auto& lack) {
            return lack.first->who == partner.who && lack.first->means == partner.means;
        });
        if (like == lacks.end()) like = lacks.insert(like, {&partner, {}});
        // Left and right together.
        const std::string part = role_part(partner.role);
        const std::string other =
            part + std::string(side_suffix(role_side(partner.role) == Side::left ? Side::right : Side::left));
        const auto twin = std::find(like->second.begin(), like->second.end(), other);
        if (role_side(partner.role) != Side::none && twin != like->second.end())
            *twin = part + " on either side";
        else
            like->second.push_back(partner.role);
    }
    std::vector<std::string> lines;
    lines.reserve(lacks.size());
    for (const auto& [partner, roles] : lacks)
        lines.push_back(
            fmt::format("{} has no {}: {}", partner->who, fmt::join(roles, ", "), partner->means));
    return lines;
}

Report report_on(const PairedBodies& bodies, const Program& program) {
    Report report;
    report.chains = bodies.chains;
    report.bones = bodies.settings.bones;
    report.lost = bodies.settings.lost;
    note_partners(bodies, program, report);
    return report;
}

}  // namespace nb
