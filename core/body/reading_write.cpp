// What a body was read as, written down as roles: limbs, trunk, tail, far hands, ends, the plan.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numeric>

#include "core/body/by_name.hpp"
#include "core/body/confidence.hpp"
#include "core/body/reading.hpp"

namespace nb {

/// The roles of one limb: `i` says which side of the run.
void BodyReading::write_limb(bool is_leg, size_t i, double side_sure, const std::string& how) {
    const PairRun& run = is_leg ? *body_.limbs.legs : *body_.limbs.arms;
    const LimbFit& fit = is_leg ? body_.limbs.leg : body_.limbs.arm;
    const std::string side = i == body_.first_is_left[is_leg ? 0 : 1] ? ".left" : ".right";
    const double alike = std::clamp(1.0 - 0.1 * std::max(0.0, run.unlikeness - 0.3), 0.8, 1.0);
    const double limb = limb_length(run, fit);
    const int last = int(run.joints.size()) - 1;
    const auto joint = [&](int k) { return run.joints[size_t(k)][i]; };
    const auto place = [&](const Body& other, size_t k) {
        const PairRun& r = is_leg ? *other.limbs.legs : *other.limbs.arms;
        const LimbFit& f = is_leg ? other.limbs.leg : other.limbs.arm;
        return f.at[k] < 0 ? -1 : r.joints[size_t(f.at[k])][0];
    };
    const auto confidence = [&](double share, std::string_view part, int j) {
        return sure_of(share * alike, part, tree_.is_bare(j)) * side_sure;
    };
    std::array<double, 3> sure{};
    for (size_t k = 0; k < 3; ++k) {
        if (fit.at[k] < 0) continue;
        const std::string part(limb_parts[is_leg ? 0 : 1][k]);
        const int j = joint(fit.at[k]);
        const int like = run.joints[size_t(fit.at[k])][1 - i];
        sure[k] = share_with(
            [&](const Body& other) { return place(other, k) == run.joints[size_t(fit.at[k])][0]; });
        std::vector<std::string> evidence{name_says(part, j)};
        if (k < 2 && fit.at[2] >= 0) {
            const double length =
                std::accumulate(run.length.begin() + fit.at[k], run.length.begin() + fit.at[k + 1], 0.0);
            evidence.push_back(
                fmt::format("it is {:.0f} % of the two long bones of its limb", 100.0 * length / limb));
            const int pieces = k == 0 ? fit.upper_pieces : fit.lower_pieces;
            if (pieces > 1)
                evidence.push_back(fmt::format("it goes on in {} pieces that lie straight", pieces));
        } else if (k == 2 && !is_leg && run.fan[size_t(fit.at[2])] >= 2) {
            evidence.emplace_back("the fingers part here");
        } else {
            evidence.emplace_back(k == 2 ? "the limb's long bones end here"
                                         : "the limb has no further joint");
        }
        if (like != j) evidence.push_back(fmt::format("'{}' mirrors it", s_.names[size_t(like)]));
        if (tree_.is_bare(j)) evidence.emplace_back("it carries no skin");
        const bool is_left_of_middle = (at(j) - body_.limbs.hip_centre).dot(body_.left) > 0.0;
        evidence.push_back(rival_says(rival(j, [&](const Body& other) {
            const PairRun& r = is_leg ? *other.limbs.legs : *other.limbs.arms;
            const int k_there = (is_leg ? other.limbs.leg : other.limbs.arm).at[k];
            if (k_there < 0) return -1;
            const auto& pair = r.joints[size_t(k_there)];
            const bool is_first_left = (at(pair[0]) - at(pair[1])).dot(body_.left) > 0.0;
            return is_first_left == is_left_of_middle ? pair[0] : pair[1];
        })));
        evidence.push_back(how);
        give(part + side, j, confidence(sure[k], part, j), evidence);
    }
    const int a = fit.at[0];
    const int c = fit.at[2];
    if (!is_leg && a > 0) {
        static const int part = part_index("clavicle");
        int collar = a - 1;
        while (collar > 0 && !names_.helper(joint(collar)).empty()) --collar;
        for (int k = collar - 1; k >= 0; --k)
            if (names_.fit(part, joint(k)) > names_.fit(part, joint(collar)) + 0.3) collar = k;
        const int j = joint(collar);
        if (names_.helper(j).empty())
            give("clavicle" + side, j, confidence(sure[0], "clavicle", j),
                 {name_says("clavicle", j), "it carries the upper arm out from the trunk", how});
    }
    if (c < 0 || c >= last || !(is_leg || body_.limbs.is_four_legged)) return;
    static const int part = part_index("toe");
    int toe = c + 1;
    for (int k = toe; k <= last && is_leg && run.fan[size_t(k) - 1] < 3; ++k)
        if (names_.fit(part, joint(k)) > names_.fit(part, joint(toe)) + 0.2 &&
            !names_.best_part(joint(toe)).empty())
            toe = k;
    const int j = joint(toe);
    // An empty leaf after it is the end of the foot.
    if (!names_.helper(j).empty() || (tree_.children(j).empty() && tree_.is_bare(j))) return;
    Vec3 tip;
    const bool may_be_end = tree_.children(j).empty() && !tree_.tip_of(j, tip) && names_.fit(part, j) < 0.5;
    std::vector<std::string> evidence{name_says("toe", j),
                                      is_leg ? "it follows the ankle" : "the fore leg ends in it", how};
    if (may_be_end)
        evidence.insert(evidence.begin() + 1,
                        "nothing tells whether it is a toe or the mere end of the foot");
    give((is_leg ? "toe" : "paw") + side, j, confidence(sure[2], "toe", j) * (may_be_end ? 0.85 : 1.0),
         evidence);
}

void BodyReading::write_limbs() {
    map_.plan = body_.limbs.is_four_legged ? "quadruped" : "biped";
    const Sides sides = decide_sides();
    for (const bool is_leg : {true, false}) {
        const size_t left = body_.first_is_left[is_leg ? 0 : 1];
        for (const size_t i : {left, 1 - left})
            write_limb(is_leg, i, sides.sure[is_leg ? 0 : 1], sides.how[is_leg ? 0 : 1]);
    }
}

void BodyReading::write_trunk() {
    const TrunkFit& trunk = body_.trunk;
    const auto same = [&](int TrunkFit::*which) {
        return share_with([&](const Body& other) { return other.trunk.*which == trunk.*which; });
    };
    const double limbs_sure = share_with([&](const Body& other) {
        return tree_.is_within(other.limbs.legs->joints[0][0], body_.limbs.legs->joints.back()[0]) &&
               tree_.is_within(other.limbs.arms->joints[0][0], body_.limbs.arms->joints.back()[0]);
    });
    const bool is_meeting = s_.common_ancestor(body_.limbs.legs->node, body_.limbs.arms->node) == trunk.hips;
    give("hips", trunk.hips,
         sure_of(trunk.hips_sure * same(&TrunkFit::hips), "hips", tree_.is_bare(trunk.hips)),
         {name_says("hips", trunk.hips),
          is_meeting ? "both legs and the trunk part here" : "it lies nearest to the middle of the legs",
          tree_.is_bare(trunk.hips) ? "it carries no skin" : "",
          rival_says(rival(trunk.hips, [](const Body& other) { return other.trunk.hips; }))});
    // What stands above the hips on the ground is a root.
    for (int up = s_.parents[size_t(trunk.hips)]; up >= 0; up = s_.parents[size_t(up)])
        if (s_.parents[size_t(up)] < 0 &&
            std::find(trunk.spine.begin(), trunk.spine.end(), up) == trunk.spine.end())
            give("root", up, 0.8 * limbs_sure, {"it stands above the hips in the tree and carries no limb"});
    int number = 0;
    for (const int j : trunk.spine) {
        if (number >= 8) break;
        give(fmt::format("spine.{}", ++number), j,
             sure_of(trunk.chest_sure * limbs_sure, "spine", tree_.is_bare(j)),
             {name_says("spine", j), "it lies between hips and chest"});
    }
    give("chest", trunk.chest,
         sure_of(trunk.chest_sure * same(&TrunkFit::chest), "chest",
                 trunk.chest >= 0 && tree_.is_bare(trunk.chest)),
         {trunk.chest >= 0 ? name_says("chest", trunk.chest) : std::string(),
          trunk.do_arms_part_at_chest ? "both arms part here"
                                      : "it is the last of the trunk below the shoulders",
          rival_says(trunk.chest_rival)});
    const double head_sure = trunk.head_sure * same(&TrunkFit::head);
    number = 0;
    for (const int j : trunk.neck)
        if (number < 4)
            give(fmt::format("neck.{}", ++number), j,
                 sure_of(std::min(trunk.chest_sure, std::max(head_sure, 0.5)) * limbs_sure, "neck",
                         tree_.is_bare(j)),
                 {name_says("neck", j), "it leads from the chest to the head"});
    if (trunk.head >= 0)
        give("head", trunk.head, sure_of(head_sure, "head", tree_.is_bare(trunk.head)),
             {name_says("head", trunk.head),
              tree_.ways(trunk.head).size() >= 2 ? "face and ears part here"
                                                 : "it ends what leaves the chest between the arms",
              tree_.is_bare(trunk.head) ? "it carries no skin" : "", rival_says(trunk.head_rival)});
}

/// What leaves the hips in the middle, backward, and is neither leg nor trunk.
void BodyReading::write_tail() {
    const int hips = map_.joint("hips");
    if (hips < 0) return;
    std::vector<int> from{hips};
    for (const int j : {body_.limbs.legs->node, map_.joint("spine.1")})
        if (j >= 0 && j != hips) from.push_back(j);
    const double leg = limb_length(*body_.limbs.legs, body_.limbs.leg);
    int best = -1;
    double most = 0.0;
    for (const int f : from)
        for (const int c : tree_.children(f)) {
            if (!tree_.leads_on(c) && tree_.bone(c) + tree_.reach(c) < 1e-9) continue;
            if (!map_.role_of(c).empty() || (tree_.is_bare_below(c) && names_.words(c).words.empty()))
                continue;
            bool is_taken = false;
            for (const RoleFill& fill : map_.fills) is_taken |= tree_.is_within(c, fill.joint);
            if (is_taken || !names_.helper(c).empty()) continue;
            const std::vector<int> joints = tree_.run(c);
            Vec3 tip = at(joints.back());
            tree_.tip_of(joints.back(), tip);
            const Vec3 way = tip - at(f);
            const double back = -way.dot(body_.ahead);
            const double aside = std::abs((tip - body_.limbs.hip_centre).dot(body_.left));
            const bool is_said = names_.words(c).has("tail");
            if (names_.says() > 4 && !is_said && !names_.words(c).words.empty() && names_.own_says(c))
                continue;
            if (!is_said && (back < 0.35 * way.norm() || aside > 0.25 * way.norm() ||
                             way.norm() < 0.12 * leg || joints.size() > 16))
                continue;
            if (back + (is_said ? 100.0 * leg : 0.0) > most) {
                most = back + (is_said ? 100.0 * leg : 0.0);
                best = c;
            }
        }
    if (best < 0) return;
    int number = 0;
    std::vector<int> joints = tree_.run(best);
    while (joints.size() > 1 && (tree_.is_bare(joints.back()) || !names_.helper(joints.back()).empty()))
        joints.pop_back();
    for (const int j : joints)
        if (number < 12)
            give(fmt::format("tail.{}", ++number), j,
                 sure_of(body_.limbs.is_four_legged ? 0.97 : 0.9, "tail", tree_.is_bare(j)),
                 {names_.words(j).has("tail") ? fmt::format("the name '{}' says tail", s_.names[size_t(j)])
                                              : std::string(),
                  "it leaves the hips backward, neither leg nor trunk"});
}

/// A deforming hand that hangs elsewhere: an empty or missing hand with skin in its very place.
void BodyReading::find_far_hands() {
    const double arm = limb_length(*body_.limbs.arms, body_.limbs.arm);
    for (const auto* side : {".left", ".right"}) {
        const int hand = map_.joint(std::string("hand") + side);
        if (hand < 0 || !tree_.ways(hand).empty()) continue;
        if (tree_.has_skin() && !tree_.is_bare(hand)) continue;
        int best = -1;
        double near = 0.04 * arm;
        for (int j = 0; j < s_.size(); ++j) {
            if (j == hand || s_.is_ancestor(j, hand) || s_.is_ancestor(hand, j) || !map_.role_of(j).empty())
                continue;
            const double away = (at(j) - at(hand)).norm();
            // The one that carries most, when several lie there.
            const bool carries = tree_.has_skin() ? !tree_.is_bare_below(j) : tree_.children(j).size() >= 2;
            if (carries &&
                (away < near - 1e-9 || (best >= 0 && away < near + 1e-9 && s_.is_ancestor(best, j)))) {
                near = away;
                best = j;
            }
        }
        if (best < 0) continue;
        map_.followers.push_back({best, std::string("hand") + side});
        map_.notes.push_back(
            fmt::format("the skin of the {} hand hangs on '{}' elsewhere in the tree: it goes with '{}'",
                        side[1] == 'l' ? "left" : "right", s_.names[size_t(best)], s_.names[size_t(hand)]));
    }
}

/// Whether the rig ends its chains with empty joints, as head and feet show it where no skin does.
void BodyReading::find_ends() {
    if (tree_.has_skin() || names_.says() > 4) return;
    if (const int head = body_.trunk.head; head >= 0) {
        const std::vector<int> ways = tree_.ways(head);
        // The crown: an empty joint straight above the skull.
        const auto is_crown = [&](int w) {
            const Vec3 way = at(w) - at(head);
            return tree_.children(w).empty() && way.norm() > 0.15 * body_.limbs.trunk().norm() &&
                   way.dot(body_.up) > 0.7 * way.norm() && std::abs(way.dot(body_.left)) < 0.1 * way.norm();
        };
        ends_ += std::count_if(ways.begin(), ways.end(), is_crown) == 1 ? 1.0 : -0.6;
    }
    const int after = int(body_.limbs.legs->joints.size()) - 1 - body_.limbs.leg.at[2];
    if (body_.limbs.leg.at[2] >= 0 && after == 2) ends_ += 0.7;
    if (body_.limbs.leg.at[2] >= 0 && after == 1) ends_ -= 0.5;
}

/// Four legs, a tail, a hock: which of the shipped plans it is.
void BodyReading::find_plan() {
    if (body_.limbs.is_four_legged) return;
    const PairRun& legs = *body_.limbs.legs;
    const auto [h, k, a] = body_.limbs.leg.at;
    if (a > 0 && int(legs.p.size()) > a + 1) {
        // An ankle high above the ground, with a long foot that goes down from it: a hock.
        double high = 0.0, down = 0.0;
        for (size_t side = 0; side < 2; ++side) {
            const Vec3 ankle = legs.p[size_t(a)][side];
            const Vec3 next = legs.p[size_t(a) + 1][side];
            const double foot = (next - ankle).norm();
            high += 0.5 * foot / limb_length(legs, body_.limbs.leg);
            Vec3 whole = legs.p.back()[side] - legs.p[size_t(h)][side];
            down +=
                foot > 1e-9 ? 0.5 * (next - ankle).dot(whole) / (foot * std::max(1e-9, whole.norm())) : 0.0;
        }
        if (high > 0.25 && down > 0.75 && legs.turn_deg[size_t(k)] > 15.0) {
            map_.plan = "bird-legged";
            map_.notes.emplace_back(
                "read as bird-legged: the ankle stands high and a long foot goes down from it");
        }
    }
    if (map_.plan == "biped" && map_.joint("tail.1") >= 0) {
        map_.plan = "tailed biped";
        map_.notes.emplace_back("read as a tailed biped: a chain leaves the hips backward");
    }
}

std::vector<std::pair<std::string, int>> BodyReading::read_limb(const std::vector<int>& joints, bool is_leg,
                                                                const std::string& side) const {
    std::vector<std::pair<std::string, int>> roles;
    const std::vector<LimbFit> fits =
        fitter_.fit(tree_.single(joints), is_leg ? LimbKind::leg : LimbKind::arm, 8);
    for (const LimbFit& fit : fits) {
        if (fit.at[2] < 0) continue;
        for (size_t k = 0; k < 3; ++k)
            roles.emplace_back(std::string(limb_parts[is_leg ? 0 : 1][k]) + side, joints[size_t(fit.at[k])]);
        if (!is_leg && fit.at[0] > 0) roles.emplace_back("clavicle" + side, joints[size_t(fit.at[0]) - 1]);
        if (is_leg && size_t(fit.at[2]) + 1 < joints.size())
            roles.emplace_back("toe" + side, joints[size_t(fit.at[2]) + 1]);
        break;
    }
    return roles;
}

/// The bone the fingers hang on: the hand's own, or the one elsewhere in the tree that goes with it.
int BodyReading::far_hand(const std::string& role) const {
    for (const FollowerBone& far : map_.followers)
        if (far.role == role) return far.joint;
    return map_.joint(role);
}

}  // namespace nb
