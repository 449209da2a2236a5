#include "core/documents/touch_ups.hpp"

#include <fmt/format.h>

#include <array>
#include <cmath>

#include "core/base/name_table.hpp"
#include "core/documents/hand_pose.hpp"

namespace nb {

namespace {

constexpr double longest_s = 1e6, most_cm = 1e5, most_deg = 720.0;
constexpr std::array<std::pair<TurnAxes, std::string_view>, 4> axes_names{{{TurnAxes::bone, "bone"},
                                                                           {TurnAxes::parent, "above"},
                                                                           {TurnAxes::body, "body"},
                                                                           {TurnAxes::world, "world"}}};

/// What is given of a kind.
struct Uses {
    bool turn, place, pose, calm, keep, damp, pace, travel;
};
Uses uses_of(TouchKind kind) {
    using K = TouchKind;
    return {kind == K::turn || kind == K::body,
            kind == K::place || kind == K::body,
            kind == K::hand,
            kind == K::calm,
            kind == K::calm || kind == K::damp || kind == K::straight,
            kind == K::damp,
            kind == K::pace,
            kind == K::loop};
}

Json numbers(const Vec3& v, double unit) {
    Json list = Json::array();
    for (const double x : v) list.push_back(canonical_in(x, unit));
    return list;
}
Vec3 vector_in(const Json& object, const char* key, double most, double unit, const std::string& path) {
    if (!object.contains(key)) return Vec3::Zero();
    const std::vector<double> n = numbers_in(object, key, 3, -most, most, path);
    return unit * Vec3(n[0], n[1], n[2]);
}

Json touch_json(const TouchUp& touch) {
    const Uses uses = uses_of(touch.kind);
    Json json;
    json["kind"] = touch_kind_name(touch.kind);
    json["stage"] = touch_stage_name(touch.stage);
    if (!touch.what.empty()) json["what"] = touch.what;
    if (touch.has_other_side) json["other_side"] = true;
    if (!touch.when.is_whole) {
        Json& when = json["when"];
        when["from_s"] = canonical(touch.when.from_s);
        when["to_s"] = canonical(touch.when.to_s);
        when["arrive_s"] = canonical(touch.when.arrive_s);
        when["release_s"] = canonical(touch.when.release_s);
    }
    if (uses.turn || uses.place) json["axes"] = name_in(axes_names, touch.axes);
    if (uses.turn) json["turn_deg"] = numbers(touch.turn_rad, deg_to_rad(1.0));
    if (uses.place) json["place_cm"] = numbers(touch.place_m, 0.01);
    if (uses.place && !touch.support.empty()) json["support"] = touch.support;
    if (uses.pose) {
        json["pose"] = touch.pose;
        if (touch.own_pose) put_hand_shape(json, *touch.own_pose);
        json["opening"] = canonical(touch.opening);
        if (touch.replaces) json["replaces"] = true;
    }
    if (uses.calm) json["cut_off_hz"] = canonical(touch.cut_off_hz);
    if (uses.keep) json["keep"] = canonical(touch.keep);
    if (uses.damp && touch.range_rad > 0.0) json["range_deg"] = canonical(rad_to_deg(touch.range_rad));
    if (uses.pace) json["percent"] = canonical(touch.percent);
    if (uses.travel) json["travel"] = touch.has_travel;
    if (touch.kind == TouchKind::body && touch.ends_stay) json["ends_stay"] = true;
    return json;
}

/// "turn, place ... or straight": the last kind of the enumeration ends the list.
std::string all_touch_kinds() {
    constexpr int last = int(TouchKind::straight);
    std::string all;
    for (int kind = 0; kind <= last; ++kind) {
        if (kind > 0) all += kind < last ? ", " : " or ";
        all += touch_kind_name(TouchKind(kind));
    }
    return all;
}

TouchUp touch_from(const Json& json, const std::string& where) {
    TouchUp touch;
    const std::string kind = text_in(json, "kind", where);
    const auto is = touch_kind(kind);
    if (!is)
        throw FileError(where, fmt::format("the kind '{}' is not known", kind), "write " + all_touch_kinds());
    touch.kind = *is;
    const std::string stage = text_in(json, "stage", std::string("angles"), where);
    const auto at = touch_stage(stage);
    if (!at)
        throw FileError(where, fmt::format("the stage '{}' is not known", stage),
                        "write source, angles or last");
    touch.stage = *at;
    touch.what = text_in(json, "what", std::string(), where);
    touch.has_other_side = flag_in(json, "other_side", false, where);
    if (json.contains("when")) {
        const Json& when = object_in(json, "when", where);
        touch.when.is_whole = false;
        touch.when.from_s = number_in(when, "from_s", -longest_s, longest_s, where);
        touch.when.to_s = number_in(when, "to_s", -longest_s, longest_s, where);
        touch.when.arrive_s = number_in(when, "arrive_s", 0.0, longest_s, TouchSpan::usual_ease_s, where);
        touch.when.release_s = number_in(when, "release_s", 0.0, longest_s, TouchSpan::usual_ease_s, where);
        if (touch.when.to_s < touch.when.from_s)
            throw FileError(
                where, fmt::format("'to_s' {} lies before 'from_s' {}", touch.when.to_s, touch.when.from_s),
                "exchange them");
    }
    if (json.contains("axes")) {
        const std::string word = text_in(json, "axes", where);
        const auto axes = value_in(axes_names, word);
        if (!axes)
            throw FileError(where, fmt::format("the axes '{}' are not known", word),
                            "write bone, above, body or world");
        touch.axes = *axes;
    }
    touch.turn_rad = vector_in(json, "turn_deg", most_deg, deg_to_rad(1.0), where);
    touch.place_m = vector_in(json, "place_cm", most_cm, 0.01, where);
    touch.support = text_in(json, "support", std::string(), where);
    touch.pose = text_in(json, "pose", std::string(), where);
    if (json.contains("fingers")) {
        touch.own_pose.emplace().name = touch.pose;
        read_hand_shape(json, *touch.own_pose, where);
    }
    touch.opening = number_in(json, "opening", 0.0, 1.0, 0.0, where);
    touch.replaces = flag_in(json, "replaces", false, where);
    touch.cut_off_hz = number_in(json, "cut_off_hz", 0.1, 500.0, touch.cut_off_hz, where);
    touch.keep = number_in(json, "keep", 0.0, 1.0, 0.0, where);
    touch.range_rad = deg_to_rad(number_in(json, "range_deg", 0.0, 360.0, 0.0, where));
    touch.percent = number_in(json, "percent", 10.0, 1000.0, 100.0, where);
    touch.has_travel = flag_in(json, "travel", true, where);
    touch.ends_stay = flag_in(json, "ends_stay", false, where);
    return touch;
}

}  // namespace

Json touch_layers_json(const TouchLayers& layers) {
    Json list = Json::array();
    for (const TouchLayer& layer : layers) {
        Json json;
        json["name"] = layer.name;
        if (layer.is_muted) json["muted"] = true;
        if (layer.weight != 1.0) json["weight"] = canonical(layer.weight);
        json["touches"] = Json::array();
        for (const TouchUp& touch : layer.touches) json["touches"].push_back(touch_json(touch));
        list.push_back(json);
    }
    return list;
}

TouchLayers read_touch_ups(const std::string& path) {
    const Json document = read_document(path, "touch-ups");
    return read_touch_layers(field(document, "layers", path), path);
}

TouchLayers read_touch_layers(const Json& list, const std::string& path) {
    TouchLayers layers;
    if (!list.is_array())
        throw FileError(path, "the touch-ups are no list of layers", "compare with docs/schema");
    return reading(path, [&] {
        for (const Json& json : list) {
            const std::string name = text_in(json, "name", path);
            const std::string where = fmt::format("{}, layer '{}'", path, name);
            TouchLayer layer;
            layer.name = name;
            layer.is_muted = flag_in(json, "muted", false, where);
            layer.weight = number_in(json, "weight", 0.0, 1.0, 1.0, where);
            for (const Json& touch : list_or_none(json, "touches", where))
                layer.touches.push_back(
                    touch_from(touch, fmt::format("{}, touch-up {}", where, layer.touches.size() + 1)));
            layers.push_back(std::move(layer));
        }
        return layers;
    });
}

}  // namespace nb
