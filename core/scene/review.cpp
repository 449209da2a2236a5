#include "core/scene/review.hpp"

#include <algorithm>
#include <cmath>
#include <utility>

#include "core/base/parallel.hpp"
#include "core/review/skin_between.hpp"

namespace nb {

namespace {

constexpr double reach_between_m = 0.06;
constexpr double most_looks = 20000.0;

/// The scene from its first to its last frame.
std::pair<double, double> span_of_scene(std::span<const Cast> casts) {
    double first = 1e30, last = -1e30;
    for (const Cast& cast : casts) {
        first = std::min(first, cast.start_s);
        last = std::max(last, cast.end_s());
    }
    return {first, last};
}

}  // namespace

SceneReview review_scene(std::span<const Cast> casts, const std::vector<const Character*>& bodies,
                         const std::vector<const WorldMotion*>& motions,
                         const std::vector<BodyTouch>& touches) {
    SceneReview review;
    for (size_t i = 0; i < touches.size(); ++i)
        if (!touches[i].is_unsure) review.touches.push_back({i});
    const std::pair<double, double> span = span_of_scene(casts);
    const double first_s = span.first, last_s = span.second;
    review.first_s = first_s;
    review.step_s = std::max(1.0 / TouchReview::looks_a_second, (last_s - first_s) / most_looks);
    const int looks = int(std::floor((last_s - first_s) / review.step_s)) + 1;
    std::vector<std::vector<SkinBetween>> between(casts.size());
    for (size_t a = 0; a < casts.size(); ++a)
        for (size_t b = 0; b < casts.size(); ++b) between[a].emplace_back(*bodies[a], *bodies[b]);
    std::vector<std::vector<std::vector<SkinBetween::Reading>>> readings(
        size_t(looks), std::vector<std::vector<SkinBetween::Reading>>(casts.size()));
    const auto at_s = [&](int look) { return review.look_s(look); };
    for_each_frame(looks, 0, [&](int from, int to) {
        for (int look = from; look < to; ++look) {
            std::vector<BodySkin> skins;
            for (size_t i = 0; i < casts.size(); ++i)
                skins.push_back(
                    skin_of(*bodies[i], pose_between(*motions[i], casts[i].take_time_s(at_s(look)))));
            for (size_t a = 0; a < casts.size(); ++a)
                for (size_t b = 0; b < casts.size(); ++b)
                    readings[size_t(look)][a].push_back(
                        a == b ? SkinBetween::Reading()
                               : between[a][b].read(skins[a], skins[b], reach_between_m));
        }
    });
    for (TouchKept& kept : review.touches) {
        const BodyTouch& touch = touches[kept.touch];
        const size_t hand = role_side(touch.point) == Side::left ? 0 : 1;
        const Cast& cast = casts[touch.cast];
        if (between[touch.cast][touch.other].is_empty()) continue;
        for (int look = 0; look < looks; ++look) {
            if (at_s(look) < cast.scene_time_s(touch.first) || at_s(look) > cast.scene_time_s(touch.last - 1))
                continue;
            const double gap_mm = 1000.0 * readings[size_t(look)][touch.cast][touch.other].gap_m[hand];
            if (kept.looks == 0) kept.first_look = look;
            kept.gap_mm.push_back(gap_mm);
            ++kept.looks;
            kept.kept += gap_mm <= TouchReview::kept_gap_mm && gap_mm >= -TouchReview::kept_depth_mm;
            kept.largest_gap_mm = std::max(kept.largest_gap_mm, gap_mm);
            kept.largest_sunk_mm = std::max(kept.largest_sunk_mm, -gap_mm);
        }
        review.looks += kept.looks;
        review.kept += kept.kept;
    }
    for (size_t a = 0; a < casts.size(); ++a)
        for (size_t b = a + 1; b < casts.size(); ++b) {
            if (between[a][b].is_empty() || between[b][a].is_empty()) continue;
            PairDepth pair{a, b};
            for (int look = 0; look < looks; ++look) {
                const double deepest_mm = 1000.0 * std::max(readings[size_t(look)][a][b].deepest_m,
                                                            readings[size_t(look)][b][a].deepest_m);
                pair.depth_mm.push_back(deepest_mm);
                ++pair.looks;
                pair.deep += deepest_mm > TouchReview::deep_mm;
                if (deepest_mm <= pair.deepest_mm) continue;
                pair.deepest_mm = deepest_mm;
                pair.deepest_at_s = at_s(look);
            }
            review.pairs.push_back(pair);
        }
    return review;
}

SceneReview review_scene(std::span<const Cast> casts, const SceneResult& result) {
    std::vector<const Character*> bodies;
    std::vector<const WorldMotion*> motions;
    for (size_t i = 0; i < casts.size(); ++i) {
        bodies.push_back(casts[i].target.get());
        motions.push_back(&result.results[i].target);
    }
    return review_scene(casts, bodies, motions, result.touches);
}

}  // namespace nb
