#include "core/scene/events.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <functional>

#include "core/body/measures.hpp"
#include "core/review/touching.hpp"

namespace nb {

namespace {

constexpr double joined_s = 0.25;
constexpr double as_the_take = 0.8;  // a share of the gap that is the take's own
constexpr double short_arm = 0.97;   // beside the scene's distances

struct Run {
    int first = 0, last = 0, worst = 0;  ///< looks, all included
};

/// Runs of looks that are over their bar; `over` tells by how much.
std::vector<Run> runs_over(int first, int count, double step_s, const std::function<double(int)>& over) {
    std::vector<Run> runs;
    for (int look = first; look < first + count; ++look) {
        if (over(look) <= 0.0) continue;
        if (runs.empty() || (look - runs.back().last) * step_s > joined_s) runs.push_back({look, look, look});
        runs.back().last = look;
        if (over(look) > over(runs.back().worst)) runs.back().worst = look;
    }
    return runs;
}

double arm_beside(const Cast& cast, double k) {
    const double S = arm_length(cast.source->rig.skeleton, cast.source->roles);
    const double T = arm_length(cast.target->rig.skeleton, cast.target->roles);
    return S > 0.0 && k > 0.0 ? T / (S * k) : 1.0;
}

std::string side_word(std::string_view point) {
    return role_side(point) == Side::left ? "left" : "right";
}

}  // namespace

std::vector<SceneEvent> find_scene_events(std::span<const Cast> casts, const SceneResult& result,
                                          const SceneReview& review) {
    std::vector<SceneEvent> events;
    std::vector<BodySurface> skins(casts.size());
    const auto skin = [&](size_t cast) -> const BodySurface& {
        if (skins[cast].parts.empty()) skins[cast] = surface_of(*casts[cast].source);
        return skins[cast];
    };
    for (const TouchKept& kept : review.touches) {
        const BodyTouch& touch = result.touches[kept.touch];
        const auto beyond = [&](int look) {
            const double gap = kept.gap_mm[size_t(look - kept.first_look)];
            return gap > 0.0 ? gap - TouchReview::kept_gap_mm : -gap - TouchReview::kept_depth_mm;
        };
        for (const Run& run : runs_over(kept.first_look, int(kept.gap_mm.size()), review.step_s, beyond)) {
            const double gap = kept.gap_mm[size_t(run.worst - kept.first_look)];
            SceneEvent event{kept.touch,
                             true,
                             review.look_s(run.first),
                             review.look_s(run.last),
                             review.look_s(run.worst),
                             std::abs(gap),
                             Owner::skin,
                             {}};
            const Cast &of = casts[touch.cast], &on = casts[touch.other];
            const auto in_take =
                hand_height(*of.source, skin(touch.cast),
                            pose_between(result.results[touch.cast].source, of.take_time_s(event.worst_s)),
                            role_side(touch.point), skin(touch.other),
                            pose_between(result.results[touch.other].source, on.take_time_s(event.worst_s)));
            const double arm = arm_beside(of, result.k);
            const std::string where = fmt::format("the {} {} hand and the {} of {}", of.name + "'s",
                                                  side_word(touch.point), role_part(touch.on), on.name);
            if (gap > 0.0 && in_take && 1000.0 * *in_take > as_the_take * gap) {
                event.owner = Owner::take;
                event.text = fmt::format("{} are {:.0f} mm apart; in the takes {:.0f} mm", where, gap,
                                         1000.0 * *in_take);
            } else if (gap > 0.0) {
                event.owner = arm < short_arm ? Owner::proportions : Owner::skin;
                event.text = fmt::format("{} are {:.0f} mm apart{}", where, gap,
                                         arm < short_arm
                                             ? fmt::format(": beside the scene's distances its arm is {:.0f} "
                                                           "% as long as the take's",
                                                           100.0 * arm)
                                             : std::string());
            } else {
                event.text = fmt::format("{}: {:.0f} mm in", where, -gap);
            }
            events.push_back(std::move(event));
        }
    }
    for (const PairDepth& pair : review.pairs) {
        const auto beyond = [&](int look) { return pair.depth_mm[size_t(look)] - TouchReview::deep_mm; };
        for (const Run& run : runs_over(0, int(pair.depth_mm.size()), review.step_s, beyond)) {
            const double mm = pair.depth_mm[size_t(run.worst)];
            events.push_back({size_t(&pair - review.pairs.data()), false, review.look_s(run.first),
                              review.look_s(run.last), review.look_s(run.worst), mm, Owner::proportions,
                              fmt::format("{} and {} are {:.0f} mm in each other", casts[pair.a].name,
                                          casts[pair.b].name, mm)});
        }
    }
    std::stable_sort(events.begin(), events.end(),
                     [](const SceneEvent& a, const SceneEvent& b) { return a.mm > b.mm; });
    return events;
}

}  // namespace nb
