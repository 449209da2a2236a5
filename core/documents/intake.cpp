#include "core/documents/intake.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>

#include "core/intake/repair.hpp"

namespace nb {

Shape intake_shape() {
    return object_of(
        {"tree", "reference", "on_floor", "over_origin", "set_down", "give_travel", "bridge_breaks", "fps",
         "lengths", "without_meshes", "along", "sound", "things", "starts_at_s"},
        {{"lengths", table_of({})}, {"sound", object_of({})}});
}

Json intake_document(const LoadOptions& options) {
    Json intake;
    if (!options.tree.empty()) intake["tree"] = options.tree;
    if (!options.reference.empty()) intake["reference"] = options.reference;
    if (options.on_floor) intake["on_floor"] = true;
    if (options.over_origin) intake["over_origin"] = true;
    if (options.set_down) intake["set_down"] = true;
    if (options.give_travel) intake["give_travel"] = true;
    if (options.bridge_breaks) intake["bridge_breaks"] = true;
    if (options.fps) intake["fps"] = canonical(*options.fps);
    for (const auto& [part, factor] : options.lengths) intake["lengths"][part] = canonical(factor);
    if (!options.without_meshes.empty()) intake["without_meshes"] = options.without_meshes;
    for (const TakePart& part : options.along) {
        Json one{{"file", part.file}, {"what", part.what}, {"offset_s", canonical(part.offset_s)}};
        if (part.animation > 0) one["animation"] = part.animation + 1;
        intake["along"].push_back(one);
    }
    if (!options.sound.file.empty())
        intake["sound"] = {{"file", options.sound.file}, {"offset_s", canonical(options.sound.offset_s)}};
    for (const StageThing& thing : options.things) {
        Json one{{"file", thing.file},
                 {"at_m", {canonical(thing.at_m.x()), canonical(thing.at_m.y()), canonical(thing.at_m.z())}}};
        if (!thing.name.empty()) one["name"] = thing.name;
        if (thing.turn_deg != 0.0) one["turn_deg"] = canonical(thing.turn_deg);
        if (!thing.held_by.empty()) {
            one["held_by"] = thing.held_by;
            one["from_s"] = canonical(thing.from_s);
            if (thing.to_s > thing.from_s) one["to_s"] = canonical(thing.to_s);
        }
        intake["things"].push_back(one);
    }
    if (options.starts_at_s != 0.0) intake["starts_at_s"] = canonical(options.starts_at_s);
    return intake;
}

void read_intake(const Json& document, const std::string& path, LoadOptions& options) {
    if (!document.contains("intake")) return;
    const Json& intake = object_in(document, "intake", path);
    options.tree = text_in(intake, "tree", "", path);
    options.reference = text_in(intake, "reference", "", path);
    options.on_floor = flag_in(intake, "on_floor", false, path);
    options.over_origin = flag_in(intake, "over_origin", false, path);
    options.set_down = flag_in(intake, "set_down", false, path);
    options.give_travel = flag_in(intake, "give_travel", false, path);
    options.bridge_breaks = flag_in(intake, "bridge_breaks", false, path);
    options.without_meshes = texts_or_none(intake, "without_meshes", path);
    options.fps.reset();
    if (intake.contains("fps")) options.fps = number_in(intake, "fps", 0.1, 1000.0, path);
    options.along.clear();
    for (const Json& one : list_or_none(intake, "along", path)) {
        TakePart part;
        part.file = text_in(one, "file", path);
        part.what = text_in(one, "what", path);
        part.offset_s = number_in(one, "offset_s", -1e5, 1e5, 0.0, path);
        part.animation = whole_in(one, "animation", 1, 100000, 1, path) - 1;
        options.along.push_back(std::move(part));
    }
    const Json& sound = object_or_none(intake, "sound", path);
    options.sound = {text_in(sound, "file", "", path), number_in(sound, "offset_s", -1e5, 1e5, 0.0, path)};
    options.things.clear();
    for (const Json& one : list_or_none(intake, "things", path)) {
        StageThing thing;
        thing.file = text_in(one, "file", path);
        thing.name = text_in(one, "name", "", path);
        const auto at = numbers_in(one, "at_m", 3, -1e6, 1e6, path);
        thing.at_m = {at[0], at[1], at[2]};
        thing.turn_deg = number_in(one, "turn_deg", -1e4, 1e4, 0.0, path);
        thing.held_by = text_in(one, "held_by", "", path);
        thing.from_s = number_in(one, "from_s", -1e7, 1e7, 0.0, path);
        thing.to_s = number_in(one, "to_s", -1e7, 1e7, thing.from_s, path);
        options.things.push_back(std::move(thing));
    }
    options.starts_at_s = number_in(intake, "starts_at_s", -1e7, 1e7, 0.0, path);
    options.lengths.clear();
    for (const auto& [part, factor] : object_or_none(intake, "lengths", path).items()) {
        if (std::ranges::find(length_parts, part) == length_parts.end())
            throw FileError(path, fmt::format("'{}' is no part with a length", part),
                            fmt::format("write one of {}", fmt::join(length_parts, ", ")));
        options.lengths[part] = number_of(factor, part, 0.1, 10.0, path);
    }
}

void read_conventions(const Json& document, const std::string& path, LoadOptions& options) {
    const Json& conventions = object_or_none(document, "conventions", path);
    options.unit_m.reset();
    options.up.reset();
    options.facing.reset();
    if (conventions.contains("unit_m")) options.unit_m = number_in(conventions, "unit_m", 1e-9, 1e6, path);
    if (conventions.contains("up")) options.up = text_in(conventions, "up", path);
    if (conventions.contains("facing")) options.facing = text_in(conventions, "facing", path);
}

}  // namespace nb
