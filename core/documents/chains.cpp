#include "core/documents/chains.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <stdexcept>

#include "core/body/plan.hpp"

namespace nb {

Shape chain_table_shape() {
    return table_of(
        object_of({"left_out", "driven_by", "ticks", "first", "last", "source_first", "source_last", "carry",
                   "tip_share", "soften_from", "pole_deg", "start_gives", "give", "shoulder_share",
                   "stiffness", "keep_within", "margin_m", "may_touch", "proposed"},
                  {{"ticks", list_of(object_of({}), {"source", "target"})}}));
}

void put_chains(Json& document, const std::string& key, const ChainTable& table) {
    for (const auto& [chain, set] : table)
        if (!set.is_empty()) document[key][chain] = chain_settings_json(set);
}

namespace {

/// Place of a role in a chain of that name in a body plan that has it; -1 when none has. Of no chain: any.
int place_in_chain(const std::string& chain, const std::string& role) {
    for (const std::string& name : body_plan_names()) {
        const BodyPlan& plan = body_plan(name);
        const ChainPlan* of = chain.empty() ? plan.chain_of(role) : plan.chain(chain);
        if (!of) continue;
        const auto at = std::find(of->roles.begin(), of->roles.end(), role);
        if (at != of->roles.end()) return int(at - of->roles.begin());
    }
    return -1;
}

/// Throws when a run starts or ends at what is no role of it, or ends before it starts, or when what is no
/// role is matched. Which roles a body has is not asked: a setting may be meant for another one. What drives
/// the chain may be said elsewhere: of the source any role will do.
void check_roles_of_chain(const std::string& chain, const ChainSettings& set, const std::string& path) {
    const auto expect = [&](const std::string& key, const std::string& of, const std::string& role) {
        const int place = place_in_chain(of, role);
        if (place >= 0) return place;
        throw FileError(path,
                        fmt::format("chain '{}': '{}' is '{}', no role{}", chain, key, role,
                                    of.empty() ? "" : " of " + of),
                        "write the name of a role of that chain");
    };
    const auto place = [&](const char* key, const std::string& of, const std::optional<std::string>& role) {
        return role && !role->empty() ? expect(key, of, *role) : -1;
    };
    const int from = place("first", chain, set.first);
    const int to = place("last", chain, set.last);
    if (from >= 0 && to >= 0 && from > to)
        throw FileError(
            path,
            fmt::format("chain '{}' starts at {} and ends at {} before it", chain, *set.first, *set.last),
            "exchange 'first' and 'last'");
    place("source_first", "", set.source_first);
    place("source_last", "", set.source_last);
    if (!set.ticks) return;
    for (const auto& [S_role, T_role] : *set.ticks) {
        expect("ticks: source", "", S_role);
        expect("ticks: target", chain, T_role);
    }
}

}  // namespace

ChainTable read_chain_table(const Json& json, const std::string& path) {
    ChainTable table;
    if (!json.is_object()) throw FileError(path, "'chains' is no object", "compare with docs/schema");
    const auto is_chain = [](const std::string& name) {
        for (const std::string& plan : body_plan_names())
            if (body_plan(plan).chain(name)) return true;
        return false;
    };
    for (const auto& [chain, set] : json.items()) {
        try {
            put_settings(table, chain, parse_chain_settings(set));
        } catch (const std::invalid_argument& error) {
            throw FileError(path, fmt::format("chain '{}': {}", chain, error.what()),
                            "compare with docs/schema/pairing.schema.json");
        }
        for (const std::string& name : {chain, settings_of(table, chain).driven_by.value_or("")})
            if (!name.empty() && !is_chain(name))
                throw FileError(path, fmt::format("'{}' is no chain", name),
                                "write for example spine or index.left");
        check_roles_of_chain(chain, settings_of(table, chain), path);
    }
    return table;
}

}  // namespace nb
