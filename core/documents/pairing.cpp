#include "core/documents/pairing.hpp"

#include <fmt/format.h>

#include "core/body/plan.hpp"
#include "core/documents/chains.hpp"
#include "core/documents/judgement.hpp"
#include "core/documents/touch_ups.hpp"
#include "core/solve/passes.hpp"

namespace nb {

namespace {

const Shape& pairing_shape() {
    // `carry`: where older documents had what crosses of a limb.
    static const Shape shape = object_of(
        {"about", "chains", "takes", "root_track", "carry", "touches", "take_touches", "bones", "lost"},
        {{"source", object_of({})},
         {"target", object_of({})},
         {"passes", object_of({})},
         {"chains", chain_table_shape()},
         {"takes", table_of(chain_table_shape())},
         {"judged", judgements_shape()}});
    return shape;
}

}  // namespace

Json map_centre_json(const MapCentre& about) {
    if (about.kind == MapCentre::Kind::first_place) return "first place";
    if (about.kind == MapCentre::Kind::origin) return "origin";
    return Json::array({canonical(about.at_m.x()), canonical(about.at_m.z())});
}

Json pairing_document(const Pairing& pairing) {
    Json document = document_header("pairing", pairing.id);
    document["source"]["id"] = pairing.source_id;
    document["source"]["path"] = pairing.source_path;
    document["target"]["id"] = pairing.target_id;
    document["target"]["path"] = pairing.target_path;
    document["scale"] = pairing.settings.scale ? Json(canonical(*pairing.settings.scale)) : Json("legs");
    document["about"] = map_centre_json(pairing.settings.about);
    for (const PassRow& pass : pass_table)
        document["passes"][pass.name] = pairing.settings.passes.*pass.is_on;
    if (pairing.settings.has_root_track) document["root_track"] = true;
    for (const auto& [bone, rule] : pairing.settings.bones) {
        if (rule.is_usual()) continue;
        Json& own = document["bones"][bone];
        if (!rule.follows.empty()) own["follows"] = rule.follows;
        own["position"] = bone_position_name(rule.position);
    }
    if (!pairing.settings.lost.empty()) document["lost"] = pairing.settings.lost;
    put_chains(document, "chains", pairing.settings.chains);
    Json takes = Json::object();
    for (const auto& [take, table] : pairing.settings.takes) put_chains(takes, take, table);
    if (!takes.empty()) document["takes"] = takes;
    if (!pairing.settings.touches.empty()) document["touches"] = touch_layers_json(pairing.settings.touches);
    for (const auto& [take, layers] : pairing.settings.take_touches)
        if (!layers.empty()) document["take_touches"][take] = touch_layers_json(layers);
    if (Json judged = judgements_json(pairing.judged); !judged.empty())
        document["judged"] = std::move(judged);
    // `carry`: where older documents had what crosses of a limb.
    keep_unknown(pairing.other, document, pairing_shape());
    return document;
}

namespace {

/// Documents that do not say are of a time when all was scaled about the origin: what they made stays.
MapCentre map_centre_in(const Json& document, const std::string& path) {
    if (!document.contains("about")) return {MapCentre::Kind::origin};
    const Json& about = document["about"];
    if (about == "first place") return {};
    if (about == "origin") return {MapCentre::Kind::origin};
    if (!about.is_array())
        throw FileError(path, "'about' is neither \"first place\", \"origin\" nor a place of two numbers",
                        "compare with docs/schema");
    const auto at = numbers_in(document, "about", 2, -1e4, 1e4, path);
    return {MapCentre::Kind::place, Vec3(at[0], 0.0, at[1])};
}

std::map<std::string, BoneRule> bone_rules_in(const Json& document, const std::string& path) {
    std::map<std::string, BoneRule> rules;
    const Json& bones = object_or_none(document, "bones", path);
    for (const auto& [bone, own] : bones.items()) {
        BoneRule rule;
        if (!own.is_object())
            throw FileError(path, fmt::format("the rule of bone '{}' is no object", bone),
                            "compare with docs/schema");
        rule.follows = text_in(own, "follows", "", path);
        const std::string word = text_in(own, "position", "kept", path);
        const auto position = bone_position(word);
        if (!position)
            throw FileError(path, fmt::format("the position of bone '{}' is '{}'", bone, word),
                            "write kept, scaled or taken");
        rule.position = *position;
        rules[bone] = rule;
    }
    return rules;
}

Pairing pairing_from(const Json& document, const std::string& path) {
    Pairing pairing;
    pairing.id = text_in(document, "id", path);
    const Json& source = object_in(document, "source", path);
    const Json& target = object_in(document, "target", path);
    pairing.source_id = text_in(source, "id", path);
    pairing.source_path = text_in(source, "path", path);
    pairing.target_id = text_in(target, "id", path);
    pairing.target_path = text_in(target, "path", path);
    const Json& scale = field(document, "scale", path);
    if (scale.is_number()) {
        pairing.settings.scale = number_of(scale, "scale", 1e-3, 1e3, path);
    } else if (scale != "legs") {
        throw FileError(path, "'scale' is neither a number nor \"legs\"", "compare with docs/schema");
    }
    pairing.settings.about = map_centre_in(document, path);
    const Json& passes = object_in(document, "passes", path);
    for (const PassRow& pass : pass_table) {
        const bool is_needed = std::string_view(pass.name) == "root" ||
                               std::string_view(pass.name) == "angles" ||
                               std::string_view(pass.name) == "reach";
        pairing.settings.passes.*pass.is_on = is_needed
                                                  ? flag_in(passes, pass.name, path)
                                                  : flag_in(passes, pass.name, Passes().*pass.is_on, path);
    }
    pairing.settings.has_root_track = flag_in(document, "root_track", false, path);
    pairing.settings.bones = bone_rules_in(document, path);
    for (const Json& role : list_or_none(document, "lost", path)) {
        if (!role.is_string())
            throw FileError(path, "'lost' has something that is no word", "write roles of the source");
        pairing.settings.lost.insert(role.get<std::string>());
    }
    pairing.settings.chains = read_chain_table(object_or_none(document, "chains", path), path);
    // As documents had it before chains had levels: every limb's carry, usual or not.
    const Json& carry_read = object_or_none(document, "carry", path);
    for (const auto& [limb, carry] : carry_read.items()) {
        const ChainPlan* chain = body_plan("biped").chain(limb);
        if (!chain || !chain->is_limb || (carry != "limb" && carry != "angles"))
            throw FileError(path, fmt::format("the carry of '{}' is not known", limb),
                            "limbs are arm and leg, .left and .right; carry is angles or limb");
        const Carry is = carry == "limb" ? Carry::limb : Carry::angles;
        if (is != chain->usual.carry.value_or(Carry::angles)) pairing.settings.chains[limb].carry = is;
    }
    const Json& takes = object_or_none(document, "takes", path);
    for (const auto& [take, table] : takes.items())
        pairing.settings.takes[take] = read_chain_table(table, path);
    pairing.settings.touches = read_touch_layers(list_or_none(document, "touches", path), path);
    const Json& take_touches = object_or_none(document, "take_touches", path);
    for (const auto& [take, layers] : take_touches.items())
        pairing.settings.take_touches[take] = read_touch_layers(layers, path);
    pairing.judged = read_judgements(object_or_none(document, "judged", path), path);
    pairing.other = document;
    return pairing;
}

}  // namespace

Pairing read_pairing(const Json& document, const std::string& path) {
    return reading(path, [&] { return pairing_from(document, path); });
}

}  // namespace nb
