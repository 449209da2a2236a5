#include "core/library/controls.hpp"

#include <fmt/format.h>

#include <filesystem>

namespace nb {

namespace fs = std::filesystem;

Json controls_document(const ControlRig& rig, const std::string& id) {
    Json document = document_header("controls", id);
    document["rig"] = fs::path(rig.path).filename().string();
    document["controls"] = Json::array();
    for (const Control& control : rig.controls)
        document["controls"].push_back({{"node", control.node},
                                        {"goal", control.goal},
                                        {"place", control.has_place},
                                        {"turn", control.has_turn}});
    document["limbs"] = Json::object();
    for (const auto& [limb, mode] : rig.limbs) document["limbs"][limb] = std::string(limb_mode_name(mode));
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
        for (const auto& [limb, mode] : object_or_none(document, "limbs", path).items()) {
            const auto known = limb_mode(mode.get<std::string>());
            if (!known)
                throw FileError(path, fmt::format("'{}' is no way to key {}", mode.get<std::string>(), limb),
                                "write \"goal and pole\", \"angles\" or \"both\"");
            rig.limbs[limb] = *known;
        }
        return rig;
    });
}

std::optional<ControlRig> controls_beside(const std::string& rig_path) {
    const std::string path = (fs::path(rig_path).parent_path() / "controls.json").string();
    std::error_code error;
    if (!fs::exists(path, error)) return {};
    return read_controls(path);
}

}  // namespace nb
