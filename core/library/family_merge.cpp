#include "core/library/family_merge.hpp"

#include <algorithm>
#include <cmath>
#include <set>
#include <tuple>

#include "core/rest/edit.hpp"

namespace nb {

namespace {

constexpr double same_turn_rad = 1e-6;
constexpr double same_setting = 1e-9;

/// Other roles on the same rig: the T anew, what was corrected on top of it.
void give_roles(Character& c, const RoleMap& roles, const Take* take) {
    const Character before = c;
    c.roles = roles;
    update_role_lists(c.rig.skeleton, c.roles);
    align_to_t(c, take);
    const auto over = [&](const RestAlignment& rest) {
        return carried_over(before.roles, rest, before.solved, c.rig.skeleton, c.roles, c.solved);
    };
    if (before.rest.is_there()) c.rest = over(before.rest);
    for (const RestAlignment& rest : before.other_rests) c.other_rests.push_back(over(rest));
}

bool is_near(double a, double b) {
    return std::abs(a - b) < same_setting;
}

class Merging {
  public:
    Merging(const Character& member, const Character& base, const Character& now, const Take* take)
        : base_(base), now_(now), take_(take) {
        done_.character = member;
    }
    Merge made() {
        merge_roles();
        if (done_.character.rest.is_there() && base_.rest.is_there() && now_.rest.is_there()) {
            done_.character.rest = merged_rest();
            merge_named_rests();
        }
        merge_chains();
        merge_touches();
        return std::move(done_);
    }

  private:
    const Character &base_, &now_;
    const Take* take_;
    Merge done_;

    /// Tells a part; true when the family's is taken.
    bool takes(const std::string& part, bool is_as_base, bool is_as_now) {
        if (is_as_now) return false;
        (is_as_base ? done_.taken : done_.own).push_back(part);
        return is_as_base;
    }

    void merge_roles() {
        const RoleMap& of = done_.character.roles;
        RoleMap roles = of;
        std::set<std::string> all;
        for (const RoleMap* map : {&of, &base_.roles, &now_.roles})
            for (const RoleFill& fill : map->fills) all.insert(fill.role);
        bool is_changed = false;
        for (const std::string& role : all) {
            const int mine = of.joint(role), before = base_.roles.joint(role), then = now_.roles.joint(role);
            if (!takes("role " + role, mine == before, mine == then)) continue;
            give_role(done_.character.rig.skeleton, roles, role, then);
            for (RoleFill& fill : roles.fills)
                if (fill.role == role) fill = *now_.roles.fill(role);
            is_changed = true;
        }
        std::string why;
        if (is_changed && can_be_transferred(roles, why)) give_roles(done_.character, roles, take_);
    }

    /// Without the settings of the whole body.
    static RestAlignment plain(const Character& of, RestAlignment rest) {
        set_dials(of.rig.skeleton, of.roles, rest, {});
        return rest;
    }

    RestAlignment merged_rest() {
        const Character& c = done_.character;
        const RestAlignment mine = plain(c, c.rest), before = plain(base_, base_.rest),
                            then = plain(now_, now_.rest);
        const bool takes_stance = takes("stance", mine.stance == before.stance, mine.stance == then.stance);
        RestAlignment rest = takes_stance ? then : mine;
        std::vector<std::string> of_family, own;
        for (const std::string& role : roles_in_order(c.roles)) {
            if (base_.roles.joint(role) != c.roles.joint(role) ||
                now_.roles.joint(role) != c.roles.joint(role)) {
                own.push_back(role);
                continue;
            }
            const Quat turn = relative_turn(c.roles, mine, role);
            const auto is_as = [&](const RoleMap& roles, const RestAlignment& other) {
                return angle_between(turn, relative_turn(roles, other, role)) < same_turn_rad;
            };
            if (takes("rest of " + role, is_as(base_.roles, before), is_as(now_.roles, then)))
                of_family.push_back(role);
            else if (!is_as(now_.roles, then))
                own.push_back(role);
        }
        const Skeleton& skeleton = c.rig.skeleton;
        if (takes_stance)
            take_from_alignment(skeleton, c.roles, rest, mine, own);
        else
            take_from_alignment(skeleton, c.roles, rest, then, of_family);
        BodyDials dials = c.rest.dials;
        const auto dial = [&](const char* name, double BodyDials::*of) {
            if (takes(name, is_near(dials.*of, base_.rest.dials.*of),
                      is_near(dials.*of, now_.rest.dials.*of)))
                dials.*of = now_.rest.dials.*of;
        };
        dial("pelvis tilt", &BodyDials::pelvis_tilt_rad);
        dial("lean", &BodyDials::lean_rad);
        dial("gaze", &BodyDials::gaze_rad);
        dial("height over the floor", &BodyDials::ground_m);
        set_dials(skeleton, c.roles, rest, dials);
        return rest;
    }

    static const RestAlignment* named(const std::vector<RestAlignment>& rests, const std::string& name) {
        const auto at =
            std::find_if(rests.begin(), rests.end(), [&](const auto& rest) { return rest.name == name; });
        return at == rests.end() ? nullptr : &*at;
    }
    void merge_named_rests() {
        std::vector<RestAlignment>& mine = done_.character.other_rests;
        for (const RestAlignment& then : now_.other_rests) {
            const RestAlignment* own = named(mine, then.name);
            const RestAlignment* before = named(base_.other_rests, then.name);
            const auto is_as = [&](const RestAlignment* other) {
                return own && other ? is_same_alignment(*own, *other) : own == other;
            };
            if (!takes("rest '" + then.name + "'", is_as(before), is_as(&then))) continue;
            std::erase_if(mine, [&](const RestAlignment& rest) { return rest.name == then.name; });
            mine.push_back(then);
        }
    }

    void merge_chains() {
        ChainTable& mine = done_.character.chains;
        std::set<std::string> all;
        for (const ChainTable* table : {&base_.chains, &now_.chains})
            for (const auto& [chain, set] : *table) all.insert(chain);
        for (const std::string& chain : all) {
            ChainSettings set = settings_of(mine, chain);
            const ChainSettings &before = settings_of(base_.chains, chain),
                                &then = settings_of(now_.chains, chain);
            bool takes_any = false, has_own = false;
            const auto field = [&](auto member) {
                if (set.*member == then.*member) return;
                if (set.*member == before.*member) {
                    set.*member = then.*member;
                    takes_any = true;
                } else {
                    has_own = true;
                }
            };
            std::apply([&](auto... members) { (field(members), ...); }, chain_fields);
            if (takes_any) done_.taken.push_back("chain " + chain);
            if (has_own) done_.own.push_back("chain " + chain);
            if (takes_any) put_settings(mine, chain, set);
        }
    }

    void merge_touches() {
        TouchLayers& mine = done_.character.touches;
        const auto find = [](TouchLayers& layers, const std::string& name) {
            return std::find_if(layers.begin(), layers.end(),
                                [&](const auto& layer) { return layer.name == name; });
        };
        std::set<std::string> all;
        for (const TouchLayers* layers : {&base_.touches, &now_.touches})
            for (const TouchLayer& layer : *layers) all.insert(layer.name);
        TouchLayers base = base_.touches, now = now_.touches;
        for (const std::string& name : all) {
            const auto own = find(mine, name), before = find(base, name), then = find(now, name);
            const auto is_as = [&](auto other, const TouchLayers& of) {
                const bool has = own != mine.end(), has_other = other != of.end();
                return has == has_other && (!has || *own == *other);
            };
            if (!takes("touch-up " + name, is_as(before, base), is_as(then, now))) continue;
            if (then == now.end())
                mine.erase(own);
            else if (own == mine.end())
                mine.push_back(*then);
            else
                *own = *then;
        }
    }
};

}  // namespace

Merge merged(const Character& member, const Character& base, const Character& now, const Take* take) {
    return Merging(member, base, now, take).made();
}

Character with_parts(const Character& to, const Character& from, const Parts& parts, const Take* take) {
    Character made = to;
    if (parts.roles) give_roles(made, from.roles, take);
    if (parts.rest) {
        const auto over = [&](const RestAlignment& rest) {
            return carried_over(from.roles, rest, from.solved, made.rig.skeleton, made.roles, made.solved);
        };
        made.rest = over(from.rest);
        made.other_rests.clear();
        for (const RestAlignment& rest : from.other_rests) made.other_rests.push_back(over(rest));
    }
    if (parts.chains) made.chains = from.chains;
    if (parts.touches) made.touches = from.touches;
    return made;
}

}  // namespace nb
