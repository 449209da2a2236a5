#include "core/documents/scene.hpp"

#include <fmt/format.h>

#include <algorithm>

namespace nb {

namespace {

constexpr double far_m = 1e5;
constexpr double long_s = 1e5;

const Shape& scene_shape() {
    static const Shape shape = object_of(
        {"touches", "centre_m"}, {{"casts", list_of(object_of({"body"}), {"name"})},
                                  {"touches", list_of(object_of({"unsure"}), {"cast", "point", "first"})}});
    return shape;
}

Json distances_json(const SceneDistances& distances) {
    if (distances.by == SceneDistances::By::number) return canonical(distances.k);
    if (distances.by == SceneDistances::By::mean) return "mean";
    return Json{{"cast", distances.cast}};
}

SceneDistances read_distances(const Json& document, const std::string& path) {
    SceneDistances distances;
    if (document.contains("centre_m")) {
        const auto at = numbers_in(document, "centre_m", 2, -far_m, far_m, path);
        distances.about_m = Vec3(at[0], 0.0, at[1]);
    }
    const auto found = document.find("distances");
    if (found == document.end()) return distances;
    if (found->is_number()) {
        distances.by = SceneDistances::By::number;
        distances.k = number_in(document, "distances", 0.05, 20.0, path);
    } else if (found->is_object()) {
        distances.by = SceneDistances::By::cast;
        distances.cast = text_in(*found, "cast", path);
    } else if (!found->is_string() || *found != "mean") {
        throw FileError(path, "'distances' is none of its words",
                        R"(write "mean", a number, or {"cast": "its name"})");
    }
    return distances;
}

BodyTouch read_body_touch(const Json& one, const SceneDocument& scene, const std::string& path) {
    BodyTouch touch;
    const auto cast = [&](const char* key) {
        const std::string named = text_in(one, key, path);
        const int index = scene.cast(named);
        if (index < 0)
            throw FileError(path, fmt::format("a touch names '{}', which is no cast", named),
                            "name one of the scene's casts");
        return size_t(index);
    };
    touch.cast = cast("cast");
    touch.other = cast("with");
    touch.point = text_in(one, "point", path);
    touch.on = text_in(one, "on", path);
    touch.first = whole_in(one, "first", 0, frame_limit, path);
    touch.last = whole_in(one, "last", 0, frame_limit, path);
    touch.is_unsure = flag_in(one, "unsure", false, path);
    if (touch.cast == touch.other || !is_hand_point(touch.point) || !is_of_hand(touch.point) ||
        touch.last <= touch.first)
        throw FileError(
            path, fmt::format("a touch of '{}' on '{}' is none", touch.point, scene.casts[touch.other].name),
            "write palm, tips or back with a side, another cast, and first < last");
    const std::string kind = text_in(one, "kind", "stay", path);
    if (kind != "stay" && kind != "slide")
        throw FileError(path, fmt::format("a touch is of the kind '{}'", kind), "write stay or slide");
    touch.kind = contact_kind(kind);
    return touch;
}

}  // namespace

int SceneDocument::cast(const std::string& named) const {
    for (size_t i = 0; i < casts.size(); ++i)
        if (casts[i].name == named) return int(i);
    return -1;
}

void remove_cast(SceneDocument& scene, size_t cast) {
    if (cast >= scene.casts.size()) return;
    SceneDistances& distances = scene.distances;
    if (distances.by == SceneDistances::By::cast && distances.cast == scene.casts[cast].name)
        distances.by = SceneDistances::By::mean;
    scene.casts.erase(scene.casts.begin() + std::ptrdiff_t(cast));
    if (!scene.touches) return;
    std::erase_if(*scene.touches,
                  [&](const BodyTouch& touch) { return touch.cast == cast || touch.other == cast; });
    for (BodyTouch& touch : *scene.touches)
        for (size_t* of : {&touch.cast, &touch.other})
            if (*of > cast) --*of;
}

void move_cast(SceneDocument& scene, size_t cast, int by) {
    for (; by != 0; by += by > 0 ? -1 : 1) {
        const size_t to = by > 0 ? cast + 1 : cast - 1;
        if (cast >= scene.casts.size() || to >= scene.casts.size()) return;
        std::swap(scene.casts[cast], scene.casts[to]);
        if (scene.touches)
            for (BodyTouch& touch : *scene.touches)
                for (size_t* of : {&touch.cast, &touch.other}) {
                    if (*of == cast)
                        *of = to;
                    else if (*of == to)
                        *of = cast;
                }
        cast = to;
    }
}

void rename_cast(SceneDocument& scene, size_t cast, const std::string& name) {
    SceneDistances& distances = scene.distances;
    if (distances.by == SceneDistances::By::cast && distances.cast == scene.casts[cast].name)
        distances.cast = name;
    scene.casts[cast].name = name;
}

std::string free_cast_name(const SceneDocument& scene, const std::string& wanted) {
    // "giver 3" after "giver 2".
    std::string stem = wanted.empty() ? "cast" : wanted;
    if (const size_t space = stem.rfind(' ');
        space != std::string::npos && space > 0 && space + 1 < stem.size() &&
        stem.find_first_not_of("0123456789", space + 1) == std::string::npos)
        stem = stem.substr(0, space);
    std::string name = stem;
    for (int n = 2; scene.cast(name) >= 0; ++n) name = fmt::format("{} {}", stem, n);
    return name;
}

bool SceneDocument::operator==(const SceneDocument& o) const {
    return name == o.name && casts == o.casts && distances == o.distances && touches == o.touches;
}

Json scene_document(const SceneDocument& scene) {
    Json document = document_header("scene", scene.id);
    document["name"] = scene.name;
    document["distances"] = distances_json(scene.distances);
    if (const auto& about = scene.distances.about_m)
        document["centre_m"] = {canonical(about->x()), canonical(about->z())};
    document["casts"] = Json::array();
    for (const SceneDocument::CastEntry& cast : scene.casts) {
        Json one{{"name", cast.name}, {"take", cast.take}};
        if (!cast.body.empty()) one["body"] = cast.body;
        one["target"] = cast.target;
        one["start_s"] = canonical(cast.start_s);
        one["at_m"] = {canonical(cast.at_m.x()), canonical(cast.at_m.z())};
        one["turn_deg"] = canonical(cast.turn_deg);
        document["casts"].push_back(one);
    }
    if (scene.touches) {
        document["touches"] = Json::array();
        for (const BodyTouch& touch : *scene.touches) {
            Json one{{"cast", scene.casts[touch.cast].name},
                     {"point", touch.point},
                     {"with", scene.casts[touch.other].name},
                     {"on", touch.on},
                     {"first", touch.first},
                     {"last", touch.last},
                     {"kind", std::string(contact_kind_name(touch.kind))}};
            if (touch.is_unsure) one["unsure"] = true;
            document["touches"].push_back(one);
        }
    }
    keep_unknown(scene.other, document, scene_shape());
    return document;
}

SceneDocument read_scene(const Json& document, const std::string& path) {
    return reading(path, [&] {
        SceneDocument scene;
        scene.id = text_in(document, "id", path);
        scene.name = text_in(document, "name", path);
        scene.distances = read_distances(document, path);
        for (const Json& one : list_or_none(document, "casts", path)) {
            SceneDocument::CastEntry cast;
            cast.name = text_in(one, "name", path);
            cast.take = text_in(one, "take", path);
            cast.body = text_in(one, "body", "", path);
            cast.target = text_in(one, "target", path);
            cast.start_s = number_in(one, "start_s", -long_s, long_s, 0.0, path);
            if (one.contains("at_m")) {
                const auto at = numbers_in(one, "at_m", 2, -far_m, far_m, path);
                cast.at_m = {at[0], 0.0, at[1]};
            }
            cast.turn_deg = number_in(one, "turn_deg", -3600.0, 3600.0, 0.0, path);
            if (cast.name.empty() || scene.cast(cast.name) >= 0)
                throw FileError(path, fmt::format("two casts are called '{}'", cast.name),
                                "give each a name of its own");
            scene.casts.push_back(std::move(cast));
        }
        if (scene.casts.empty() || scene.casts.size() > SceneDocument::most_casts)
            throw FileError(path, fmt::format("has {} casts", scene.casts.size()),
                            fmt::format("give it one to {}", SceneDocument::most_casts));
        if (document.contains("touches")) {
            scene.touches.emplace();
            for (const Json& one : list_or_none(document, "touches", path))
                scene.touches->push_back(read_body_touch(one, scene, path));
        }
        scene.other = document;
        return scene;
    });
}

}  // namespace nb
