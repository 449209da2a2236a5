#include "core/body/propose.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <set>

#include "core/body/by_name.hpp"
#include "core/body/reading.hpp"

namespace nb {

int RoleMap::joint(std::string_view role) const {
    const RoleFill* found = fill(role);
    return found ? found->joint : -1;
}

const RoleFill* RoleMap::fill(std::string_view role) const {
    const auto it =
        std::find_if(fills.begin(), fills.end(), [&](const RoleFill& f) { return f.role == role; });
    return it == fills.end() ? nullptr : &*it;
}

std::string RoleMap::role_of(int joint) const {
    const auto it =
        std::find_if(fills.begin(), fills.end(), [&](const RoleFill& f) { return f.joint == joint; });
    return it == fills.end() ? std::string() : it->role;
}

std::vector<std::string> RoleMap::unsure() const {
    std::vector<std::string> result;
    for (const auto& role : body_plan(plan).needed)
        if (const RoleFill* found = fill(role); found && found->is_unsure()) result.push_back(role);
    return result;
}

std::string RoleMap::parent_role(std::string_view role) const {
    if (role == "hips" || role == "root") return {};
    const auto& chains = body_plan(plan).chains;
    for (const ChainPlan& chain : chains) {
        const auto at = std::find(chain.roles.begin(), chain.roles.end(), role);
        if (at == chain.roles.end()) continue;
        for (auto before = at; before != chain.roles.begin();)
            if (joint(*--before) >= 0) return *before;
        const auto parent = std::find_if(chains.begin(), chains.end(),
                                         [&](const ChainPlan& c) { return c.name == chain.parent_chain; });
        if (parent == chains.end()) return "hips";
        for (auto last = parent->roles.rbegin(); last != parent->roles.rend(); ++last)
            if (joint(*last) >= 0) return *last;
        return "hips";
    }
    return joint("head") >= 0 ? "head" : "hips";  // eyes and jaw
}

std::vector<int> RoleMap::chain(const ChainPlan& of) const {
    std::vector<int> result;
    for (const auto& role : of.roles)
        if (const int j = joint(role); j >= 0) result.push_back(j);
    return result;
}

namespace {

size_t found_needed(const RoleMap& map) {
    const auto& needed = body_plan(map.plan).needed;
    return size_t(
        std::count_if(needed.begin(), needed.end(), [&](const auto& r) { return map.joint(r) >= 0; }));
}

/// How well the names of the bones say the needed roles they have.
double name_agreement(const NameTable& names, const RoleMap& map) {
    double sum = 0.0;
    for (const auto& role : body_plan(map.plan).needed)
        if (const int j = map.joint(role); j >= 0)
            if (const int part = part_index(role_part(role)); part >= 0) sum -= names.cost(part, j);
    return sum;
}

/// Chains that only the plan knows: a run of free bones that hangs where the chain starts, by the plan's
/// words, or, without names, the longest free run there.
void read_own_chains(const Skeleton& skeleton, const NameTable& names, const BodyPlan& plan, RoleMap& map) {
    const auto children = skeleton.children();
    const auto is_free = [&](int j) { return map.role_of(j).empty() && names.helper(j).empty(); };
    for (const ChainPlan& chain : plan.chains) {
        if (chain.words.empty() || map.joint(chain.roles.front()) >= 0) continue;
        const int from = map.joint(map.parent_role(chain.roles.front()));
        if (from < 0) continue;
        const Side side = role_side(chain.roles.front());
        int best = -1;
        double most = 0.0;
        for (int j = 0; j < skeleton.size(); ++j) {
            if (!skeleton.is_ancestor(from, j) || !is_free(j)) continue;
            // The first bone of a free run, at most two free bones below where the chain starts.
            const int parent = skeleton.parents[size_t(j)];
            if (parent != from && skeleton.parents[size_t(parent)] != from) continue;
            const auto has = [&](const std::string& word) { return names.words(j).has(word); };
            const bool is_said = std::any_of(chain.words.begin(), chain.words.end(), has);
            if (!std::all_of(chain.require.begin(), chain.require.end(), has) ||
                std::any_of(chain.reject.begin(), chain.reject.end(), has))
                continue;
            if (names.says() > 0 && !is_said) continue;
            if (side != Side::none && names.side(j) != side) continue;
            double length = 1e-3;
            for (int at = j; at >= 0;) {
                int next = -1;
                for (const int c : children[size_t(at)])
                    if (is_free(c)) next = c;
                if (next >= 0) length += skeleton.rest_p[size_t(next)].norm();
                at = next;
            }
            if (length > most) {
                most = length;
                best = j;
            }
        }
        for (size_t i = 0; best >= 0 && i < chain.roles.size(); ++i) {
            const bool is_said = names.says() > 0;
            map.fills.push_back({chain.roles[i],
                                 best,
                                 is_said ? 0.9 : 0.7,
                                 {is_said ? fmt::format("the name '{}' says it", skeleton.names[size_t(best)])
                                          : std::string("the longest free run of bones there")},
                                 false});
            int next = -1;
            for (const int c : children[size_t(best)])
                if (is_free(c)) next = c;
            best = next;
        }
    }
}

RoleMap propose_tree(const Skeleton& skeleton, const NameTable& names, int root, const RoleRequest& request) {
    const BodyPlan* wanted = request.plan.empty() ? nullptr : find_body_plan(request.plan);
    RoleMap map = BodyReading(skeleton, names, root, wanted ? wanted->figure : std::string(), request).read();
    if (names.says() > 0) {
        RoleMap by_name = propose_roles_by_name(skeleton, names, root);
        if (map.fills.empty() || (found_needed(by_name) >= found_needed(map) &&
                                  name_agreement(names, by_name) > name_agreement(names, map) + 2.0))
            map = std::move(by_name);
        else if (names.says() < 5)
            map.notes.emplace_back("the names say little: roles are by shape and tree");
    } else if (!request.ignore_names && !map.fills.empty()) {
        map.notes.emplace_back("the names say nothing: roles are by shape and tree");
    }
    if (wanted) {
        map.plan = wanted->name;
        // A tail that the wanted plan does not know is free for its own chains.
        std::erase_if(map.fills, [&](const RoleFill& fill) {
            return role_part(fill.role) == "tail" && !wanted->chain_of(fill.role);
        });
    }
    read_own_chains(skeleton, names, body_plan(map.plan), map);
    return map;
}

}  // namespace

std::vector<std::pair<std::string, int>> roles_of_chain(const Skeleton& skeleton, const RoleMap& roles,
                                                        const std::string& chain_name, int joint) {
    const BodyPlan& plan = body_plan(roles.plan);
    const ChainPlan* chain = plan.chain(chain_name);
    if (!chain || joint < 0 || joint >= skeleton.size()) return {};
    const ChainPlan* parent = plan.chain(chain->parent_chain);
    int from = roles.joint("hips");
    for (; parent; parent = plan.chain(parent->parent_chain)) {
        const auto above = roles.chain(*parent);
        if (above.empty()) continue;
        from = above.back();
        break;
    }
    if (from < 0 || !skeleton.is_ancestor(from, joint)) return {};
    const NameTable names(skeleton, false);
    const BodyReading reading(skeleton, names, 0, plan.figure);
    std::vector<int> run = skeleton.path(from, joint);
    // What has a part in another chain leads elsewhere.
    for (const int j : run) {
        const ChainPlan* other = plan.chain_of(roles.role_of(j));
        const bool is_other_finger =
            other && is_finger_role(other->roles.front()) && is_finger_role(chain->roles.front());
        if (other && other->name != chain_name && j != joint && !is_other_finger) return {};
    }
    const bool is_trunk = chain_name == "spine" || chain_name == "neck";
    if (!is_trunk) {
        const std::vector<int> on = reading.run(joint);
        run.insert(run.end(), on.begin() + 1, on.end());
    }
    std::erase_if(run, [&](int j) { return !names.helper(j).empty(); });
    if (run.empty()) return {};
    const std::string side(side_suffix(role_side(chain->roles.front())));
    if (chain->is_limb && !roles.is_four_legged())
        return reading.read_limb(run, chain_name.starts_with("leg"), side);
    std::vector<std::pair<std::string, int>> result;
    if (is_trunk) {
        // The picked bone is the chest, or the head; those before it are numbered.
        for (size_t i = 0; i < run.size() && i < chain->roles.size(); ++i)
            result.emplace_back(i + 1 == run.size() ? chain->roles.back() : chain->roles[i], run[i]);
        return result;
    }
    // A finger: its palm bone only when it is said so, or when there are more than four.
    size_t role = 0;
    if (is_finger_role(chain->roles.front())) {
        const BoneWords& first = names.words(run.front());
        const bool has_palm =
            run.size() > 4 || first.has("palm") || first.has("metacarpal") || first.number == 0;
        if (!has_palm) role = 1;
    }
    for (size_t i = 0; i < run.size() && role < chain->roles.size(); ++i, ++role)
        result.emplace_back(chain->roles[role], run[i]);
    return result;
}

RoleMap propose_roles(const Skeleton& skeleton, const RoleRequest& request) {
    const NameTable names(skeleton, request.ignore_names);
    RoleMap best;
    int best_root = -1;
    for (int j = 0; j < skeleton.size(); ++j) {
        if (skeleton.parents[size_t(j)] >= 0 || (request.tree >= 0 && j != request.tree)) continue;
        RoleMap map = propose_tree(skeleton, names, j, request);
        if (best_root < 0 || map.fills.size() > best.fills.size()) {
            best = std::move(map);
            best_root = j;
        }
    }
    for (int j = 0; j < skeleton.size() && best_root >= 0; ++j)
        if (skeleton.parents[size_t(j)] < 0 && j != best_root)
            best.notes.push_back(
                fmt::format("a further tree starts at '{}': another body or a prop; '{}' is taken",
                            skeleton.names[size_t(j)], skeleton.names[size_t(best_root)]));
    update_role_lists(skeleton, best, request.ignore_names);
    return best;
}

RoleMap propose_again(const Skeleton& skeleton, const RoleMap& roles, RoleRequest request) {
    for (const RoleFill& fill : roles.fills)
        if (fill.is_by_hand) request.given.emplace(fill.role, fill.joint);
    if (request.plan.empty()) request.plan = roles.plan;
    RoleMap map = propose_roles(skeleton, request);
    const BodyPlan& plan = body_plan(map.plan);
    const auto take_away = [&](const std::string& role, int joint) {
        std::erase_if(map.fills, [&](const RoleFill& f) { return f.role == role || f.joint == joint; });
    };
    for (const auto& [role, joint] : request.given) {
        if (map.joint(role) == joint) continue;
        // No reading has it: its chain goes along it.
        if (const ChainPlan* chain = plan.chain_of(role)) {
            const auto found = roles_of_chain(skeleton, map, chain->name, joint);
            if (std::find(found.begin(), found.end(), std::pair{role, joint}) != found.end()) {
                for (const std::string& gone : chain->roles) take_away(gone, -1);
                for (const auto& [other, j] : found) {
                    take_away(other, j);
                    map.fills.push_back(
                        {other, j, 0.8, {"it lies along the limb of a bone that was given"}, false});
                }
            }
        }
        take_away(role, joint);
        map.fills.push_back({role, joint, 1.0, {"given by hand"}, true});
    }
    for (RoleFill& fill : map.fills)
        if (const auto at = request.given.find(fill.role);
            at != request.given.end() && at->second == fill.joint) {
            fill.is_by_hand = true;
            fill.confidence = 1.0;
        }
    update_role_lists(skeleton, map, request.ignore_names);
    return map;
}

RoleMap give_and_follow(const Skeleton& skeleton, RoleMap roles, RoleRequest request,
                        const std::vector<std::pair<std::string, int>>& given, bool with_mirror) {
    const auto put = [&](RoleFill fill) {
        std::erase_if(roles.fills,
                      [&](const RoleFill& f) { return f.role == fill.role || f.joint == fill.joint; });
        roles.fills.push_back(std::move(fill));
    };
    for (const auto& [role, joint] : given) put({role, joint, 1.0, {"given by hand"}, true});
    for (const RoleFill& fill : roles.fills)
        if (fill.is_by_hand) request.given[fill.role] = fill.joint;
    request.plan = roles.plan;
    const RoleMap read = propose_roles(skeleton, request);
    const bool do_all_fit = std::all_of(request.given.begin(), request.given.end(),
                                        [&](const auto& g) { return read.joint(g.first) == g.second; });
    const BodyPlan& plan = body_plan(roles.plan);
    std::set<std::string> limbs;
    std::set<Side> sides{Side::none};
    for (const auto& [role, joint] : given) {
        sides.insert(role_side(role));
        const ChainPlan* chain = plan.chain_of(role);
        if (!chain || !chain->is_limb) continue;
        limbs.insert(chain->name);
        if (with_mirror) limbs.insert(mirrored_role(chain->name));
    }
    if (!do_all_fit) {
        // No reading has it: at least the limb goes along the bone that was given.
        std::vector<std::pair<std::string, int>> along;
        for (const auto& [role, joint] : given)
            if (const ChainPlan* chain = plan.chain_of(role); chain && chain->is_limb) {
                const auto found = roles_of_chain(skeleton, roles, chain->name, joint);
                if (std::find(found.begin(), found.end(), std::pair{role, joint}) != found.end())
                    along.insert(along.end(), found.begin(), found.end());
            }
        for (const auto& [role, joint] : along)
            if (const RoleFill* now = roles.fill(role); !(now && now->is_by_hand))
                put({role, joint, 0.8, {"it lies along the limb of a bone that was given"}, false});
    }
    for (const RoleFill& fill : read.fills) {
        if (!do_all_fit) break;
        const RoleFill* now = roles.fill(fill.role);
        const RoleFill* holder = roles.fill(roles.role_of(fill.joint));
        if ((now && now->is_by_hand) || (holder && holder->is_by_hand)) continue;
        if (!with_mirror && role_side(fill.role) != Side::none && !sides.contains(role_side(fill.role)))
            continue;
        const ChainPlan* chain = plan.chain_of(fill.role);
        const bool is_of_limb = chain && limbs.contains(chain->name);
        if (!is_of_limb && now && !now->is_unsure()) continue;
        if (!is_of_limb && holder && holder->role != fill.role && !holder->is_unsure() &&
            !limbs.contains(plan.chain_of(holder->role) ? plan.chain_of(holder->role)->name : std::string()))
            continue;
        put(fill);
    }
    update_role_lists(skeleton, roles, request.ignore_names);
    return roles;
}

int gathered_joint(const Skeleton& skeleton, const RoleMap& roles, const std::string& role) {
    const int bone = roles.joint(role);
    // A hand's bones elsewhere in the tree: they move as the hand does.
    for (const FollowerBone& follower : roles.followers)
        if (follower.role == role) return follower.joint;
    const ChainPlan* chain = body_plan(roles.plan).chain_of(role);
    if (bone < 0 || !chain) return bone;
    const std::vector<int> joints = roles.chain(*chain);
    const auto at = std::find(joints.begin(), joints.end(), bone);
    if (at == joints.end() || at + 1 == joints.end()) return bone;
    int last = bone;
    for (const TwistBone& twist : roles.twists)
        if (twist.role == role && skeleton.is_ancestor(last, twist.joint) &&
            skeleton.is_ancestor(twist.joint, *(at + 1)))
            last = twist.joint;
    return last;
}

}  // namespace nb
