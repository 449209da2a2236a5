#include "core/forecast/bone_map.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <set>

#include "core/base/csv.hpp"
#include "core/body/measures.hpp"
#include "core/chain/match.hpp"
#include "core/rest/compare.hpp"

namespace nb {

namespace {

constexpr double least_length_share = 0.03;
constexpr double least_gap_deg = 2.0;

const std::string& name_of(const Character& c, int joint) {
    return c.rig.skeleton.names[size_t(joint)];
}

double sure_of(const Character& c, int joint) {
    const std::string role = c.roles.role_of(joint);
    const RoleFill* fill = role.empty() ? nullptr : c.roles.fill(role);
    return fill ? fill->is_by_hand ? 1.0 : fill->confidence : 0.0;
}

std::string role_evidence(const Character& c, int joint) {
    const std::string role = c.roles.role_of(joint);
    const RoleFill* fill = role.empty() ? nullptr : c.roles.fill(role);
    if (!fill) return "no role";
    if (fill->is_by_hand) return role + " by hand";
    return fill->evidence.empty() ? role : role + ": " + fill->evidence.front();
}

double trunk_length(const Character& c) {
    const int left = c.roles.joint("upperarm.left");
    const int right = c.roles.joint("upperarm.right");
    const int thigh_left = c.roles.joint("thigh.left");
    const int thigh_right = c.roles.joint("thigh.right");
    if (std::min({left, right, thigh_left, thigh_right}) < 0) return 0.0;
    const auto& p = c.rest.p_WJ0;
    return 0.5 * (p[size_t(left)] + p[size_t(right)] - p[size_t(thigh_left)] - p[size_t(thigh_right)]).norm();
}

bool has_ticks(const ChainTable& table, const std::string& chain) {
    const auto& ticks = settings_of(table, chain).ticks;
    return ticks && !ticks->empty();
}

}  // namespace

std::string_view driven_text(Driven how) {
    constexpr std::array<std::string_view, 6> texts{"driven",         "between two", "twist",
                                                    "keeps its rest", "left out",    "outside the body"};
    return texts[size_t(how)];
}

int BoneMap::count(Driven how) const {
    return int(
        std::count_if(rows.begin(), rows.end(), [&](const BoneMapRow& row) { return row.how == how; }));
}
int BoneMap::count(SourceBone::Fate fate) const {
    return int(std::count_if(sources.begin(), sources.end(),
                             [&](const SourceBone& bone) { return bone.fate == fate; }));
}

BoneMap bone_map(const Character& source, const Character& target, const Plan& plan) {
    BoneMap map;
    const Skeleton& skeleton = target.rig.skeleton;
    const auto chains = match_chains(source, target, plan.report.chains);
    std::vector<const MatchedChain*> chain_of(skeleton.names.size(), nullptr);
    for (const MatchedChain& chain : chains)
        for (const int joint : chain.T_joints) chain_of[size_t(joint)] = &chain;
    std::set<int> taken;
    for (int j = 0; j < skeleton.size(); ++j) {
        const AngleOp& op = plan.program.angles[size_t(j)];
        const MatchedChain* chain = chain_of[size_t(j)];
        BoneMapRow row;
        row.joint = j;
        row.bone = name_of(target, j);
        row.role = target.roles.role_of(j);
        row.chain = chain ? chain->name : "";
        switch (op.kind) {
            case AngleOp::Kind::direct:
            case AngleOp::Kind::with:
                row.how = Driven::alone;
                row.from = name_of(source, op.a);
                break;
            case AngleOp::Kind::blend:
                row.how = Driven::between;
                row.from = name_of(source, op.a);
                row.from_next = name_of(source, op.b);
                row.share = op.u;
                break;
            case AngleOp::Kind::fold:
                row.how = Driven::alone;
                row.from = name_of(source, op.b);
                break;
            case AngleOp::Kind::twist:
                row.how = Driven::twist;
                break;
            case AngleOp::Kind::follow:
                row.how = chain && chain->is_left_out                      ? Driven::left_out
                          : skeleton.is_ancestor(plan.program.body.top, j) ? Driven::rest
                                                                           : Driven::outside;
                break;
        }
        if (const auto rule = plan.report.bones.find(row.role.empty() ? row.bone : row.role);
            rule != plan.report.bones.end())
            row.rule = rule->second;
        if (op.kind == AngleOp::Kind::with) {
            taken.insert(op.a);
            row.sure = 1.0;
            row.evidence = "turns on the bone above as that one does, by hand";
        } else if (op.a >= 0) {
            taken.insert(op.a);
            if (op.b >= 0) taken.insert(op.b);
            row.sure = std::min(sure_of(source, op.a), sure_of(target, j));
            const bool is_by_hand = chain && (has_ticks(plan.report.chains, chain->name) ||
                                              settings_of(plan.report.chains, chain->name).driven_by);
            const char* how = op.kind == AngleOp::Kind::fold ? "the hand folded into the forearm"
                              : is_by_hand                   ? "matched by hand"
                              : row.how == Driven::between   ? "matched by length"
                              : chain && !chain->is_limb     ? "matched along the chain"
                                                             : "the same role";
            row.evidence = fmt::format("{}; {}", how, role_evidence(target, j));
        } else if (row.how == Driven::twist) {
            for (const TwistBone& twist : target.roles.twists)
                if (twist.joint == j) {
                    row.share = twist.share;
                    row.evidence =
                        fmt::format("takes {:.0f} % of the roll of {}", 100.0 * twist.share, twist.role);
                }
        } else if (row.how == Driven::left_out) {
            row.evidence = "left out by hand";
        } else if (!row.role.empty()) {
            row.evidence = source.name + " has no such bone";
        } else {
            for (const Unassigned& other : target.roles.unassigned)
                if (other.joint == j) row.evidence = other.reason;
        }
        if (row.rule.position != BonePosition::kept)
            row.evidence += row.rule.position == BonePosition::scaled
                                ? "; its place moves as the source's, scaled"
                                : "; its place is as in the take";
        map.rows.push_back(std::move(row));
    }
    for (const RoleFill& fill : source.roles.fills) {
        SourceBone bone;
        bone.joint = fill.joint;
        bone.bone = name_of(source, fill.joint);
        bone.role = fill.role;
        const MatchedChain* of = nullptr;
        for (const MatchedChain& chain : chains)
            if (std::find(chain.S_joints.begin(), chain.S_joints.end(), fill.joint) != chain.S_joints.end())
                of = &chain;
        if (taken.contains(fill.joint)) {
            bone.means = "drives";
        } else if (fill.role == "root") {
            bone.fate = SourceBone::Fate::handed_on;
            bone.means = "the hips carry its travel";
        } else if (of && of->is_left_out) {
            bone.fate = SourceBone::Fate::left_out;
            bone.means = "its chain is left out by hand";
        } else if (plan.report.forgotten.contains(bone.role)) {
            const bool is_given_up = plan.report.lost.contains(bone.role);
            bone.fate = is_given_up ? SourceBone::Fate::given_up : SourceBone::Fate::forgotten;
            bone.means =
                is_given_up ? "lost on purpose" : target.name + " has no such bone: its motion is lost";
        } else {
            bone.fate = SourceBone::Fate::handed_on;
            bone.means =
                of ? "its turn is in what follows it along the chain" : "its turn is in what follows it";
        }
        map.sources.push_back(std::move(bone));
    }
    return map;
}

std::string bone_map_csv(const BoneMap& map) {
    std::string text = "bone,role,chain,how,from,from_next,share,sure,evidence\n";
    for (const BoneMapRow& row : map.rows)
        text += fmt::format("{},{},{},{},{},{},{:.4g},{:.3g},{}\n", csv_cell(row.bone), csv_cell(row.role),
                            csv_cell(row.chain), csv_cell(driven_text(row.how)), csv_cell(row.from),
                            csv_cell(row.from_next), row.share, row.sure, csv_cell(row.evidence));
    for (const SourceBone& bone : map.sources)
        if (bone.fate != SourceBone::Fate::mapped)
            text += fmt::format("\"\",{},\"\",\"not taken\",{},\"\",0,1,{}\n", csv_cell(bone.role),
                                csv_cell(bone.bone), csv_cell(bone.means));
    return text;
}

std::vector<Expectation> forecast(const Character& source, const Character& target, const Plan& plan) {
    std::vector<Expectation> result;
    const auto ratio = [](double target_m, double source_m) {
        return source_m > 1e-6 ? target_m / source_m : 0.0;
    };
    const double arms =
        ratio(arm_length(target.rig.skeleton, target.roles), arm_length(source.rig.skeleton, source.roles));
    const double arm_m = arm_length(target.rig.skeleton, target.roles);
    if (arms > 0.0 && std::abs(arms / plan.program.map.k - 1.0) >= least_length_share)
        result.push_back(
            {"arm.left",
             fmt::format("arms are {:.0f} % as long as the legs ask for: a hand that must reach a place "
                         "is up to {:.1f} cm {}",
                         100.0 * arms / plan.program.map.k,
                         100.0 * std::abs(arm_m - arm_m * plan.program.map.k / arms),
                         arms < plan.program.map.k ? "short" : "beyond it"),
             std::abs(arms / plan.program.map.k - 1.0)});
    const double trunk = ratio(trunk_length(target), trunk_length(source));
    if (trunk > 0.0 && std::abs(trunk / plan.program.map.k - 1.0) >= least_length_share)
        result.push_back(
            {"spine",
             fmt::format("the trunk is {:.0f} % as long as the legs ask for: heights of hands and head "
                         "differ by {:.1f} cm",
                         100.0 * trunk / plan.program.map.k,
                         100.0 * std::abs(trunk_length(target) - plan.program.map.k * trunk_length(source))),
             std::abs(trunk / plan.program.map.k - 1.0)});
    for (const MatchedChain& chain : match_chains(source, target, plan.report.chains)) {
        if (chain.is_left_out) {
            result.push_back({chain.name, chain.name + " is left out by hand: it keeps its rest", 0.0});
            continue;
        }
        if (chain.is_limb || chain.S_joints.empty() || chain.S_joints.size() == chain.T_joints.size())
            continue;
        result.push_back({chain.name,
                          fmt::format("{}: {} bones drive {}, matched {}", chain.name, chain.S_joints.size(),
                                      chain.T_joints.size(),
                                      has_ticks(plan.report.chains, chain.name) ? "by hand" : "by length"),
                          0.0});
    }
    for (const IdleSetting& idle : idle_settings(source, target, plan.report.chains))
        result.push_back(
            {idle.chain, fmt::format("{}: {} does nothing, the body has no such role", idle.chain, idle.what),
             1.0});
    int unknown = 0;
    std::string first_unknown;
    for (const RestRow& row : compare_rests(source, target)) {
        if (!row.is_roll_known && !row.is_carried) {
            if (unknown++ == 0) first_unknown = row.role;
        }
        if (row.is_carried || row.now.worst_deg() < least_gap_deg) continue;
        result.push_back(
            {row.role,
             fmt::format("{}: the rests are {:.1f} degrees apart in direction, {:.1f} in roll, and so is "
                         "every frame",
                         row.role, row.now.direction_deg, std::abs(row.now.roll_deg)),
             row.now.worst_deg()});
    }
    if (unknown > 0)
        result.push_back(
            {first_unknown,
             fmt::format("the roll of {} {} is not known: nothing says how they are turned at rest", unknown,
                         unknown == 1 ? "bone" : "bones"),
             double(unknown)});
    for (const std::string& line : partner_lines(plan.report.partners)) result.push_back({"", line, 0.0});
    return result;
}

}  // namespace nb
