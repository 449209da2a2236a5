#include "core/scene/solve.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <utility>

#include "core/base/fault.hpp"
#include "core/body/lines.hpp"
#include "core/scene/apart.hpp"
#include "core/solve/clear.hpp"

namespace nb {

namespace {

double joint_moved(const WorldMotion& a, const WorldMotion& b, int joint) {
    double most = 0.0;
    for (int f = 0; f < a.frames; ++f)
        most = std::max(most, (a.p[a.at(f, joint)] - b.p[b.at(f, joint)]).norm());
    return most;
}

/// The bodies that each cast's arms must not run into.
class Neighbours {
  public:
    /// Others as they are alone: where arms go round them does not change from round to round.
    explicit Neighbours(const SceneState& state) : casts_(state.casts) {
        for (size_t i = 0; i < casts_.size(); ++i) {
            const CastSkins& skins = state.skins[i];
            bodies_.push_back({std::make_shared<const BodySurface>(skins.S),
                               std::make_shared<const BodySurface>(skins.T),
                               std::make_shared<const WorldMotion>(skins.source),
                               std::make_shared<const WorldMotion>(state.alone[i]), 0.0});
        }
    }

    /// Goes on beside those that have hands on others, and those whose arms run into them.
    void add(const SceneState& state, SceneBeside& found) const {
        for (size_t i = 0; i < casts_.size(); ++i) {
            const Program& program = state.results[i].plan.program;
            if (!clears(program)) continue;
            Beside beside = found.of_casts[i] ? *found.of_casts[i] : Beside();
            for (size_t j = 0; j < casts_.size(); ++j)
                if (j != i && !bodies_[j].S->parts.empty() && bodies_[j].T->is_from_mesh) {
                    beside.neighbours.push_back(bodies_[j]);
                    beside.neighbours.back().ahead_s =
                        casts_[j].take_time_s(0.0) - casts_[i].take_time_s(0.0);
                }
            if (found.of_casts[i] ||
                runs_into_others(program, beside, state.results[i].source, state.alone[i]))
                found.of_casts[i] = std::make_shared<const Beside>(std::move(beside));
        }
    }

  private:
    std::span<const Cast> casts_;
    std::vector<Beside::Neighbour> bodies_;  ///< a cast each
};

/// Of what was carried the others' motions are let go.
void forget_neighbours(TransferResult& result) {
    std::shared_ptr<const Beside>& beside = result.plan.program.beside;
    if (!beside || beside->neighbours.empty()) return;
    beside = std::make_shared<const Beside>(Beside{beside->hands, beside->things, {}});
}

/// What was carried, as it is aside of there. Not where touch-ups say places.
void go_aside(TransferResult& result, const Vec3& by_m) {
    result.plan.program.map.aside += by_m;
    for (Vec3& p : result.target.p) p += by_m;
}

/// Where the hips of a cast's source are first, on the floor.
Vec3 first_place(const Cast& cast) {
    const BodyLines lines = lines_of(cast.source->roles);
    const int first = cast.take->first_motion_frame;
    if (cast.take->frames <= first || lines.thigh_left < 0 || lines.thigh_right < 0) return Vec3::Zero();
    const Vec3 o = hip_centre(pose_at(cast.source->rig.skeleton, *cast.take, first).p, lines);
    return {o.x(), 0.0, o.z()};
}

}  // namespace

std::vector<PairingSettings> scene_settings(std::span<const Cast> casts, const SceneDistances& distances) {
    std::vector<PairingSettings> settings;
    for (const Cast& cast : casts) settings.push_back(cast.settings);
    if (casts.size() < 2) return settings;
    const double k = scale_of(distances, casts);
    const Vec3 about = distances.about_m ? *distances.about_m : first_place(casts.front());
    for (PairingSettings& one : settings) {
        one.scale = k;
        one.about = {MapCentre::Kind::place, about};
    }
    return settings;
}

SceneResult solve_scene(std::span<const Cast> casts, const SceneDistances& distances,
                        const std::vector<BodyTouch>* touches, int threads, const Progress& progress) {
    SceneResult scene;
    if (casts.empty()) throw FileError("the scene", "has no cast", "add a take and a target");
    if (casts.size() == 1) {
        const Cast& only = casts.front();
        scene.k = own_scale(only);
        scene.settings = {only.settings};
        scene.results.push_back(
            transfer(*only.source, *only.take, *only.target, only.settings, threads, progress));
        return scene;
    }
    scene.k = scale_of(distances, casts);
    scene.steps = stretch_of_steps(scene.k, casts);
    const std::vector<CastSkins> skins = skins_of(casts, threads);
    std::vector<PairingSettings>& settings = scene.settings;
    settings = scene_settings(casts, distances);
    // The whole is told by frames of all casts; rounds after the first take what is left of it.
    int all = 0;
    for (const Cast& cast : casts) all += cast.take->frames;
    int before = 0;
    const auto carry = [&](size_t i, std::shared_ptr<const Beside> beside, bool is_told) {
        const Progress tell = [&](int done, int) {
            const int told = is_told ? (before + done) / 2 : (all + before + done) / 2;
            return !progress || progress(std::min(told, all), all);
        };
        TransferResult result =
            transfer_beside(*casts[i].source, *casts[i].take, *casts[i].target, settings[i],
                            {&skins[i].marks, &skins[i].T}, std::move(beside), threads, tell);
        before += casts[i].take->frames;
        return result;
    };
    for (size_t i = 0; i < casts.size(); ++i) scene.results.push_back(carry(i, nullptr, true));
    scene.touches = touches ? *touches : find_body_touches(casts, skins);
    std::vector<WorldMotion> alone;
    for (const TransferResult& result : scene.results) alone.push_back(result.target);
    const Asides asides = stand_apart(casts, skins, alone);
    // Moved for now: most are carried once more beside the others.
    std::vector<char> is_only_moved(casts.size(), 0);
    for (size_t i = 0; i < casts.size(); ++i) {
        settings[i].about.aside_m = asides.of_casts[i];
        if (asides.of_casts[i] == Vec3::Zero()) continue;
        is_only_moved[i] = scene.results[i].plan.program.touch.is_empty();
        if (is_only_moved[i])
            go_aside(scene.results[i], asides.of_casts[i]);
        else
            scene.results[i] = carry(i, nullptr, true);
        alone[i] = scene.results[i].target;
    }
    const SceneState state{casts, skins, scene.touches, scene.results, std::move(alone)};
    const Neighbours neighbours(state);
    while (scene.rounds < most_rounds) {
        SceneBeside found = beside_of(state);
        neighbours.add(state, found);
        const auto& beside = found.of_casts;
        if (std::all_of(beside.begin(), beside.end(), [](const auto& one) { return !one; })) break;
        scene.notes = asides.notes;
        scene.notes.insert(scene.notes.end(), found.notes.begin(), found.notes.end());
        ++scene.rounds;
        scene.moved_m = 0.0;
        before = 0;
        std::vector<TransferResult> next;
        for (size_t i = 0; i < casts.size(); ++i) {
            if (!beside[i]) continue;
            next.push_back(carry(i, beside[i], false));
            forget_neighbours(next.back());
            for (const auto& [cast, joint] : found.relied)
                if (cast == i)
                    scene.moved_m = std::max(scene.moved_m,
                                             joint_moved(next.back().target, scene.results[i].target, joint));
        }
        size_t at = 0;
        for (size_t i = 0; i < casts.size(); ++i) {
            if (!beside[i]) continue;
            scene.results[i] = std::move(next[at++]);
            is_only_moved[i] = 0;
        }
        if (scene.moved_m < settled_m) break;
    }
    for (size_t i = 0; i < casts.size(); ++i)
        if (is_only_moved[i]) scene.results[i] = carry(i, nullptr, false);
    return scene;
}

}  // namespace nb
