#include "core/body/plan.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cstdlib>
#include <deque>
#include <mutex>
#include <nlohmann/json.hpp>
#include <stdexcept>

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

bool is_finger_role(std::string_view role) {
    const std::string_view part = role.substr(0, role.find('.'));
    return part == "thumb" || part == "index" || part == "middle" || part == "ring" || part == "little";
}

const ChainPlan* BodyPlan::chain(std::string_view name_of_chain) const {
    const auto at = std::find_if(chains.begin(), chains.end(),
                                 [&](const ChainPlan& c) { return c.name == name_of_chain; });
    return at == chains.end() ? nullptr : &*at;
}

const ChainPlan* BodyPlan::chain_of(std::string_view role) const {
    const auto at = std::find_if(chains.begin(), chains.end(), [&](const ChainPlan& c) {
        return std::find(c.roles.begin(), c.roles.end(), role) != c.roles.end();
    });
    return at == chains.end() ? nullptr : &*at;
}

namespace {

using Json = nlohmann::json;

[[noreturn]] void wrong(const std::string& what) {
    throw std::invalid_argument(what);
}

/// "spine.1-8" stands for spine.1 ... spine.8.
std::vector<std::string> expand(const std::string& role) {
    const size_t dash = role.find('-');
    const size_t dot = role.rfind('.', dash);
    if (dash == std::string::npos) return {role};
    if (dot == std::string::npos) wrong(fmt::format("'{}' is no series of roles: write name.1-4", role));
    const int first = std::atoi(role.substr(dot + 1, dash - dot - 1).c_str());
    const int last = std::atoi(role.substr(dash + 1).c_str());
    if (first < 1 || last < first || last > 64)
        wrong(fmt::format("'{}' is no series of roles: numbers run from 1 to 64", role));
    std::vector<std::string> result;
    for (int i = first; i <= last; ++i) result.push_back(fmt::format("{}.{}", role.substr(0, dot), i));
    return result;
}

bool is_role_name(const std::string& role) {
    return !role.empty() && role.size() < 40 && std::all_of(role.begin(), role.end(), [](char c) {
        return (c >= 'a' && c <= 'z') || (c >= '0' && c <= '9') || c == '.';
    });
}

void read_chain(const Json& from, BodyPlan& plan) {
    const auto name = from.at("name").get<std::string>();
    const bool has_sides = from.value("sides", false);
    const auto parent = from.value("from", std::string("hips"));
    for (const std::string& side :
         has_sides ? std::vector<std::string>{".left", ".right"} : std::vector<std::string>{""}) {
        ChainPlan chain;
        chain.name = name + side;
        chain.is_limb = from.value("limb", false);
        if (parent != "hips") {
            const bool is_sided = plan.chain(parent + side) != nullptr;
            chain.parent_chain = is_sided ? parent + side : parent;
            if (!plan.chain(chain.parent_chain))
                wrong(fmt::format("the chain '{}' starts from '{}', which is not listed before it", name,
                                  parent));
        }
        for (const auto& entry : from.at("roles").get<std::vector<std::string>>())
            for (const std::string& role : expand(entry)) {
                if (!is_role_name(role))
                    wrong(fmt::format("'{}' is no role: use small letters, digits and points", role));
                if (plan.chain_of(role + side))
                    wrong(fmt::format("the role '{}' stands in two chains", role + side));
                chain.roles.push_back(role + side);
            }
        if (chain.roles.empty()) wrong(fmt::format("the chain '{}' has no roles", name));
        if (const auto bones = from.find("bones"); bones != from.end()) {
            const auto range = bones->get<std::vector<int>>();
            if (range.size() != 2 || range[0] < 0 || range[1] < range[0])
                wrong(fmt::format("'bones' of '{}' is no range: write [least, most]", name));
            chain.bones = {range[0], range[1]};
        }
        chain.words = from.value("words", std::vector<std::string>{});
        chain.require = from.value("require", std::vector<std::string>{});
        chain.reject = from.value("reject", std::vector<std::string>{});
        if (const auto set = from.find("set"); set != from.end()) {
            try {
                chain.usual = parse_chain_settings(nlohmann::ordered_json::parse(set->dump()));
            } catch (const std::invalid_argument& error) {
                wrong(fmt::format("the chain '{}': {}", name, error.what()));
            }
        }
        if (plan.chain(chain.name)) wrong(fmt::format("the chain '{}' is listed twice", chain.name));
        plan.chains.push_back(chain);
    }
}

const BodyPlan* find_in(const std::deque<BodyPlan>& plans, std::string_view name) {
    const auto at =
        std::find_if(plans.begin(), plans.end(), [&](const BodyPlan& p) { return p.name == name; });
    return at == plans.end() ? nullptr : &*at;
}

/// `known`: the plans it may extend.
BodyPlan read_plan(const Json& from, const std::deque<BodyPlan>& known) {
    if (from.value("format", "") != "nimble-bone/body-plan")
        wrong(R"(is no body plan: expected "format": "nimble-bone/body-plan")");
    if (from.at("version").get<int>() > 1) wrong("is of a newer version than this program's 1");
    BodyPlan plan;
    if (const auto base = from.value("extends", std::string()); !base.empty()) {
        const BodyPlan* found = find_in(known, base);
        if (!found) wrong(fmt::format("extends '{}', which is no known plan", base));
        plan = *found;
    }
    plan.name = from.at("name").get<std::string>();
    if (plan.name.empty() || plan.name.size() > 60) wrong("has no name, or one longer than 60 letters");
    plan.figure = from.value("figure", plan.figure);
    if (plan.figure != "biped" && plan.figure != "quadruped")
        wrong(fmt::format("'figure' is '{}': write biped or quadruped", plan.figure));
    plan.has_hock = from.value("hock", plan.has_hock);
    // What extends another may leave its chains as they are.
    if (plan.chains.empty() || from.contains("chains"))
        for (const Json& chain : from.at("chains")) read_chain(chain, plan);
    for (const auto& role : from.value("needed", std::vector<std::string>{})) {
        const bool is_sided = !plan.chain_of(role) && plan.chain_of(role + ".left");
        if (role != "hips" && !is_sided && !plan.chain_of(role))
            wrong(fmt::format("needs '{}', which is in no chain", role));
        for (const std::string& side :
             is_sided ? std::vector<std::string>{".left", ".right"} : std::vector<std::string>{""})
            plan.needed.push_back(role + side);
    }
    static const std::array<std::pair<const char*, RestRule>, 4> rules{{{"match", RestRule::match},
                                                                        {"sole", RestRule::sole},
                                                                        {"gaze", RestRule::gaze},
                                                                        {"keep", RestRule::keep}}};
    const Json rest = from.value("rest", Json::object());
    for (const auto& [name, rule] : rules)
        for (const auto& part : rest.value(name, std::vector<std::string>{})) plan.rest_rules[part] = rule;
    for (const auto& [part, share] : from.value("stature_shares", std::map<std::string, double>{})) {
        if (!(share > 0.0 && share < 1.0))
            wrong(fmt::format("the share of '{}' is not between 0 and 1", part));
        plan.stature_shares[part] = share;
    }
    return plan;
}

struct Known {
    std::mutex mutex;
    std::deque<BodyPlan> plans;  // places stay where they are
};

Known& known() {
    static Known all;
    static const bool is_filled = [] {
        for (const std::string& text : shipped_plan_texts())
            all.plans.push_back(read_plan(Json::parse(text), all.plans));
        return true;
    }();
    (void)is_filled;
    return all;
}

}  // namespace

BodyPlan parse_body_plan(const std::string& text) {
    Known& all = known();
    const std::lock_guard lock(all.mutex);
    try {
        return read_plan(Json::parse(text), all.plans);
    } catch (const Json::parse_error& error) {
        wrong(fmt::format("is no valid JSON at byte {}", error.byte));
    } catch (const Json::exception&) {
        wrong("has a value that is missing or of the wrong kind: compare with docs/body-plans.md");
    }
}

const BodyPlan* find_body_plan(std::string_view name) {
    Known& all = known();
    const std::lock_guard lock(all.mutex);
    return find_in(all.plans, name);
}

const BodyPlan& body_plan(std::string_view name) {
    const BodyPlan* found = find_body_plan(name);
    return found ? *found : *find_body_plan("biped");
}

std::vector<std::string> body_plan_names() {
    Known& all = known();
    const std::lock_guard lock(all.mutex);
    std::vector<std::string> names;
    for (const BodyPlan& plan : all.plans) names.push_back(plan.name);
    return names;
}

bool add_body_plan(BodyPlan plan) {
    if (const BodyPlan* other = find_body_plan(plan.name)) {
        return other->figure == plan.figure && other->needed == plan.needed &&
               std::equal(other->chains.begin(), other->chains.end(), plan.chains.begin(), plan.chains.end(),
                          [](const ChainPlan& a, const ChainPlan& b) {
                              return a.name == b.name && a.roles == b.roles && a.words == b.words &&
                                     a.require == b.require && a.reject == b.reject && a.usual == b.usual;
                          });
    }
    Known& all = known();
    const std::lock_guard lock(all.mutex);
    all.plans.push_back(std::move(plan));
    return true;
}

RestRule rest_rule(std::string_view role, const BodyPlan& plan) {
    if (role.find(".palm") != std::string_view::npos) return RestRule::keep;
    static const BodyPlan& biped = body_plan("biped");
    const auto& rules = plan.rest_rules.empty() ? biped.rest_rules : plan.rest_rules;
    const auto at = rules.find(role_part(role));
    return at == rules.end() ? RestRule::keep : at->second;
}

const std::vector<std::string>& needed_roles() {
    static const BodyPlan& biped = body_plan("biped");
    return biped.needed;
}

}  // namespace nb
