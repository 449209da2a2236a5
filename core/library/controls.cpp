#include "core/library/controls.hpp"

#include <fmt/format.h>

#include <filesystem>

namespace nb {

namespace fs = std::filesystem;

namespace {

const Shape& controls_shape() {
    static const Shape shape =
        object_of({}, {{"controls", list_of(object_of({"goal", "place", "turn"}), {"node"})},
                       {"limbs", table_of(object_of({"keyed", "share", "share_node", "way_cm"}))}});
    return shape;
}

}  // namespace

Json controls_document(const ControlRig& rig, const std::string& id, const Json& read) {
    Json document = document_header("controls", id);
    document["rig"] = fs::path(rig.path).filename().string();
    document["controls"] = Json::array();
    for (const Control& control : rig.controls)
        document["controls"].push_back({{"node", control.node},
                                        {"goal", control.goal},
                                        {"place", control.has_place},
                                        {"turn", control.has_turn}});
    document["limbs"] = Json::object();
    for (const auto& [limb, keys] : rig.limbs) {
        Json& one = document["limbs"][limb];
        one["keyed"] = std::string(limb_mode_name(keys.mode));
        if (keys.mode == LimbMode::both) one["share"] = canonical(keys.share);
        if (keys.node.empty()) continue;
        one["share_node"] = keys.node;
        one["way_cm"] = canonical_in(keys.way_m, 0.01);
    }
    keep_unknown(read, document, controls_shape());
    return document;
}

ControlRig read_controls(const std::string& path) {
    return reading(path, [&] {
        const Json document = read_document(path, "controls");
        ControlRig rig;
        rig.path = (fs::path(path).parent_path() / text_in(document, "rig", path)).string();
        for (const Json& one : list_or_none(document, "controls", path))
            rig.controls.push_back({text_in(one, "node", path), text_in(one, "goal", "", path),
                                    flag_in(one, "place", true, path), flag_in(one, "turn", true, path)});
        for (const auto& [limb, one] : object_or_none(document, "limbs", path).items()) {
            // Before shares were kept there was the word alone.
            const std::string word = one.is_string() ? one.get<std::string>() : text_in(one, "keyed", path);
            const auto known = limb_mode(word);
            if (!known)
                throw FileError(path, fmt::format("'{}' is no way to key {}", word, limb),
                                "write \"goal and pole\", \"angles\" or \"both\"");
            LimbKeys& keys = rig.limbs[limb];
            keys.mode = *known;
            if (one.is_string()) continue;
            keys.share = number_in(one, "share", 0.0, 1.0, 1.0, path);
            keys.node = text_in(one, "share_node", "", path);
            keys.way_m = 0.01 * number_in(one, "way_cm", 0.1, 1000.0, 10.0, path);
        }
        return rig;
    });
}

std::string controls_place(const std::string& rig_path) {
    return (fs::path(rig_path).parent_path() / "controls.json").string();
}

std::optional<ControlRig> controls_beside(const std::string& rig_path) {
    const std::string path = controls_place(rig_path);
    std::error_code error;
    if (!fs::exists(path, error)) return {};
    return read_controls(path);
}

}  // namespace nb
