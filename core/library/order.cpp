#include "core/library/order.hpp"

#include <fmt/format.h>

#include <array>
#include <filesystem>

#include "core/base/files.hpp"
#include "core/base/name_table.hpp"
#include "core/library/kept.hpp"

namespace nb {

namespace {

namespace fs = std::filesystem;

constexpr std::array<std::pair<Clash, const char*>, 3> clash_names{
    {{Clash::skip, "skip"}, {Clash::number, "number"}, {Clash::replace, "replace"}}};

const Shape& order_shape() {
    static const Shape shape =
        object_of({"fps", "reduce", "placement", "goals"}, {{"span", object_of({})},
                                                            {"travel", object_of({})},
                                                            {"placement", object_of({})},
                                                            {"reduce", object_of({"may_curve"})},
                                                            {"goals", object_of({"names"})}});
    return shape;
}

HandOverOrder order_from(const Json& document, const std::string& path) {
    HandOverOrder order;
    order.id = text_in(document, "id", "", path);
    order.name = text_in(document, "name", path);
    for (const Json& pair : list_or_none(document, "pairs", path))
        order.pairs.push_back({text_in(pair, "take", path), text_in(pair, "character", path)});
    const Json& span = object_or_none(document, "span", path);
    order.first = whole_in(span, "first", 0, frame_limit, 0, path);
    order.last = whole_in(span, "last", 0, frame_limit, 0, path);
    if (order.last != 0 && order.last <= order.first)
        throw FileError(path, "the span ends before it begins",
                        "give 'last' beyond 'first', or 0 for the end");
    if (document.contains("fps")) order.fps = number_in(document, "fps", 0.1, 1000.0, path);
    order.has_stance_first = flag_in(document, "stance_first", false, path);
    order.is_motion_alone = flag_in(document, "motion_alone", false, path);
    order.has_props = flag_in(document, "props", false, path);
    order.has_sound = flag_in(document, "sound", false, path);
    order.is_together = flag_in(document, "together", false, path);
    const Json& place = object_or_none(document, "placement", path);
    order.placement.starts_at_origin = flag_in(place, "at_origin", false, path);
    if (place.contains("move_cm")) {
        const auto cm = numbers_in(place, "move_cm", 3, -1e6, 1e6, path);
        order.placement.move_m = 0.01 * Vec3(cm[0], cm[1], cm[2]);
    }
    order.placement.turn_rad = deg_to_rad(number_in(place, "turn_deg", -360.0, 360.0, 0.0, path));
    const Json& travel = object_or_none(document, "travel", path);
    const std::string kind = text_in(travel, "kind", "in hips", path);
    const auto known = travel_kind(kind);
    if (!known)
        throw FileError(path, fmt::format("the travel '{}' is not known", kind),
                        "write \"in hips\", \"on root\" or \"in place\"");
    order.travel.kind = *known;
    order.travel.has_heading = flag_in(travel, "heading", true, path);
    order.travel.has_height = flag_in(travel, "height", false, path);
    order.travel.cut_off_hz = number_in(travel, "cut_off_hz", 0.0, 100.0, 0.0, path);
    order.has_track_file = flag_in(travel, "track_file", false, path);
    if (document.contains("reduce")) {
        const Json& reduce = object_in(document, "reduce", path);
        order.reduce = KeyTolerance{1e-3 * number_in(reduce, "place_mm", 0.001, 1000.0, 0.5, path),
                                    deg_to_rad(number_in(reduce, "turn_deg", 0.001, 90.0, 0.2, path)),
                                    flag_in(reduce, "may_curve", false, path)};
    }
    if (document.contains("goals")) {
        const Json& goals = object_in(document, "goals", path);
        order.goals = GoalOptions{};
        order.goals->goals = texts_or_none(goals, "names", path);
        const std::string space = text_in(goals, "space", "world", path);
        const auto seen_from = goal_space(space);
        if (!seen_from)
            throw FileError(path, fmt::format("there is no space '{}'", space),
                            "write \"world\", \"root\", \"hips\" or \"chest\"");
        order.goals->space = *seen_from;
        order.goals->pole_share = number_in(goals, "pole_share", 0.01, 10.0, 0.5, path);
        order.goals->pattern = text_in(goals, "pattern", order.goals->pattern, path);
        if (order.goals->pattern.find("{goal}") == std::string::npos)
            throw FileError(path, "the names of goals would all be one", "put {goal} into their pattern");
    }
    order.has_controls = flag_in(document, "controls", false, path);
    if (document.contains("formats")) order.formats = texts_or_none(document, "formats", path);
    for (const std::string& format : order.formats)
        if (!is_file_format(format))
            throw FileError(path, fmt::format("'{}' is no format that is written", format),
                            "choose of .glb, .bvh, .vrma, .fbx, .dae, .csv");
    if (order.formats.empty()) throw FileError(path, "it names no format", "give one, \".glb\"");
    order.folder = text_in(document, "folder", order.folder, path);
    order.pattern = text_in(document, "pattern", order.pattern, path);
    order.version = text_in(document, "version_word", order.version, path);
    const std::string clash = text_in(document, "clash", "skip", path);
    if (const auto it = clash_of(clash))
        order.clash = *it;
    else
        throw FileError(path, fmt::format("'{}' says not what to do where a file is there", clash),
                        "write skip, number or replace");
    order.other = document;
    return order;
}

}  // namespace

std::string_view clash_name(Clash clash) {
    return name_in(clash_names, clash);
}
std::optional<Clash> clash_of(std::string_view name) {
    return value_in(clash_names, name);
}

Json order_document(const HandOverOrder& order) {
    Json document = document_header("order", order.id);
    document["name"] = order.name;
    document["pairs"] = Json::array();
    for (const OrderedPair& pair : order.pairs)
        document["pairs"].push_back({{"take", pair.take}, {"character", pair.character}});
    document["span"]["first"] = order.first;
    document["span"]["last"] = order.last;
    if (order.fps) document["fps"] = canonical(*order.fps);
    document["stance_first"] = order.has_stance_first;
    document["motion_alone"] = order.is_motion_alone;
    if (order.has_props) document["props"] = true;
    if (order.has_sound) document["sound"] = true;
    if (order.is_together) document["together"] = true;
    if (!order.placement.is_none()) {
        Json& place = document["placement"];
        place["at_origin"] = order.placement.starts_at_origin;
        place["move_cm"] = Json::array();
        for (const double m : order.placement.move_m) place["move_cm"].push_back(canonical_in(m, 0.01));
        place["turn_deg"] = canonical_in(order.placement.turn_rad, deg_to_rad(1.0));
    }
    Json& travel = document["travel"];
    travel["kind"] = std::string(travel_kind_name(order.travel.kind));
    travel["heading"] = order.travel.has_heading;
    travel["height"] = order.travel.has_height;
    travel["cut_off_hz"] = canonical(order.travel.cut_off_hz);
    travel["track_file"] = order.has_track_file;
    if (order.reduce) {
        document["reduce"]["place_mm"] = canonical_in(order.reduce->place_m, 1e-3);
        document["reduce"]["turn_deg"] = canonical_in(order.reduce->turn_rad, deg_to_rad(1.0));
        if (order.reduce->may_curve) document["reduce"]["may_curve"] = true;
    }
    if (order.goals) {
        Json& goals = document["goals"];
        if (!order.goals->goals.empty()) goals["names"] = order.goals->goals;
        goals["space"] = std::string(goal_space_name(order.goals->space));
        goals["pole_share"] = canonical(order.goals->pole_share);
        goals["pattern"] = order.goals->pattern;
    }
    document["controls"] = order.has_controls;
    document["formats"] = order.formats;
    document["folder"] = order.folder;
    document["pattern"] = order.pattern;
    document["version_word"] = order.version;
    document["clash"] = std::string(clash_name(order.clash));
    keep_unknown(order.other, document, order_shape());
    return document;
}

HandOverOrder read_order(const Json& document, const std::string& path) {
    return reading(path, [&] { return order_from(document, path); });
}

std::vector<KeptOrder> orders_of(const Library& library, std::vector<std::string>& troubles) {
    return kept_documents<KeptOrder>(library, "orders", troubles, [](const std::string& path) {
        return read_order(read_document(path, "order"), path);
    });
}

std::string order_place(const Library& library, const std::string& name) {
    return kept_place(library, "orders", name);
}

}  // namespace nb
