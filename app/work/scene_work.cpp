#include "app/work/scene_work.hpp"

#include <algorithm>
#include <cmath>
#include <utility>

namespace nb {

SceneWork::SceneWork(Jobs& jobs, Solver& solver, QObject* parent)
    : QObject(parent), jobs_(jobs), solver_(solver) {}

void SceneWork::open(const DocumentKey& key, const std::string& path, const SceneDocument& document,
                     std::vector<CastBodies> casts) {
    close();
    key_ = key;
    scene_.path = path;
    scene_.document = document;
    casts_ = std::move(casts);
    in_hand_ = 0;
}

void SceneWork::close() {
    cancel();
    scene_ = {};
    casts_.clear();
    key_ = {};
    in_hand_ = 0;
    result_.reset();
    review_.reset();
    events_.clear();
    is_current_ = false;
}

void SceneWork::set_document(const SceneDocument& document) {
    // What was measured counts touches as they were.
    const size_t touches_before = touches().size();
    scene_.document = document;
    is_current_ = false;
    if (touches().size() == touches_before) return;
    review_.reset();
    events_.clear();
}

/// Casts of the core as bodies, settings and document are now.
void SceneWork::place() {
    scene_.casts.clear();
    scene_.takes.clear();
    scene_.targets.clear();
    for (size_t i = 0; i < casts_.size(); ++i) {
        const CastBodies& of = casts_[i];
        const SceneDocument::CastEntry& entry = scene_.document.casts[i];
        scene_.takes.push_back(file_of(of.source));
        scene_.targets.push_back(file_of(of.body));
        Cast cast;
        cast.name = entry.name;
        cast.source = {of.source, &of.source->file.character};
        cast.target = {of.body, &of.body->file.character};
        cast.settings = of.settings;
        cast.start_s = entry.start_s;
        scene_.casts.push_back(std::move(cast));
    }
    place_casts(scene_);
}

void SceneWork::follow(const std::function<void(CastBodies&)>& renew, const std::string& take_key) {
    for (CastBodies& cast : casts_) renew(cast);
    is_current_ = false;
    place();
    std::vector<PairingSettings> settings = scene_settings(scene_.casts, scene_.document.distances);
    // How far aside it stands is known when all is carried; until then as it was.
    if (result_ && result_->settings.size() == settings.size())
        settings[in_hand_].about.aside_m = result_->settings[in_hand_].about.aside_m;
    const CastBodies& now = casts_[in_hand_];
    const SceneDocument::CastEntry& entry = scene_.document.casts[in_hand_];
    const bool is_as_in_file = entry.turn_deg == 0.0 && entry.at_m == Vec3::Zero();
    solver_.follow(now.source, now.body, settings[in_hand_], take_key,
                   is_as_in_file ? nullptr : scene_.casts[in_hand_].take);
}

void SceneWork::give(const std::function<void(const Review&)>& then) {
    solver_.put_result({result_, &result_->results[in_hand_]}, then);
}

void SceneWork::solve(const std::function<void(const Review&)>& then) {
    if (is_current_) return give(then);
    cancel();
    cancelled_ = not_cancelled();
    jobs_.run(
        tr("Carrying the scene"), cancelled_,
        [scene = scene_](const Progress& progress) {
            return std::make_shared<const SceneResult>(carry_scene(scene, 0, progress));
        },
        [this, then](std::shared_ptr<const SceneResult> result) {
            result_ = std::move(result);
            is_current_ = true;
            give(then);
            emit result_changed();
            measure();
        });
}

void SceneWork::measure() {
    jobs_.run(
        tr("Measuring between bodies"), cancelled_,
        [scene = scene_, result = result_](const Progress&) {
            auto review = std::make_shared<const SceneReview>(review_scene(scene.casts, *result));
            return std::pair(review, find_scene_events(scene.casts, *result, *review));
        },
        [this](std::pair<std::shared_ptr<const SceneReview>, std::vector<SceneEvent>> measured) {
            review_ = std::move(measured.first);
            events_ = std::move(measured.second);
            emit review_changed();
        });
}

const std::vector<BodyTouch>& SceneWork::touches() const {
    static const std::vector<BodyTouch> none;
    if (scene_.document.touches) return *scene_.document.touches;
    return result_ ? result_->touches : none;
}

double SceneWork::scene_s(int frame_in_hand) const {
    return scene_.casts.empty() ? 0.0 : scene_.casts[in_hand_].scene_time_s(frame_in_hand);
}

int SceneWork::frame_in_hand(double scene_s) const {
    if (scene_.casts.empty()) return 0;
    return int(scene_.casts[in_hand_].frame_near(scene_s));
}

double SceneWork::first_s() const {
    double first = scene_.casts.empty() ? 0.0 : 1e30;
    for (const Cast& cast : scene_.casts) first = std::min(first, cast.start_s);
    return first;
}

double SceneWork::last_s() const {
    double last = scene_.casts.empty() ? 0.0 : -1e30;
    for (const Cast& cast : scene_.casts) last = std::max(last, cast.end_s());
    return last;
}

Pose SceneWork::pose_at(size_t cast, double scene_s, bool of_target) const {
    if (cast >= scene_.casts.size()) return {};
    const Cast& of = scene_.casts[cast];
    if (cast == in_hand_) {
        Pose source, target;
        const int frame = std::clamp(frame_in_hand(scene_s), 0, std::max(0, solver_.frames() - 1));
        solver_.poses_at(frame, source, target);
        return of_target ? target : source;
    }
    if (!result_ || cast >= result_->results.size()) return {};
    const TransferResult& result = result_->results[cast];
    const WorldMotion& motion = of_target ? result.target : result.source;
    const Character& body = of_target ? *of.target : *of.source;
    if (motion.joints != body.rig.skeleton.size()) return {};
    return pose_between(motion, of.take_time_s(scene_s));
}

std::optional<double> SceneWork::gap_mm(const BodyTouch& touch, double scene_s) const {
    if (touch.cast >= casts_.size() || touch.other >= casts_.size()) return {};
    const CastBodies &of = casts_[touch.cast], &on = casts_[touch.other];
    if (!of.skin || !on.skin) return {};
    const auto height = hand_height(of.body->file.character, *of.skin, pose_at(touch.cast, scene_s, true),
                                    role_side(touch.point), *on.skin, pose_at(touch.other, scene_s, true));
    return height ? std::optional(1000.0 * *height) : std::nullopt;
}

bool SceneWork::is_at(const BodyTouch& touch, double scene_s) const {
    if (touch.cast >= scene_.casts.size()) return false;
    const Cast& cast = scene_.casts[touch.cast];
    return scene_s >= cast.scene_time_s(touch.first) - 1e-6 &&
           scene_s <= cast.scene_time_s(touch.last - 1) + 1e-6;
}

double SceneWork::scale() const {
    return scene_.casts.size() == 1   ? own_scale(scene_.casts.front())
           : scene_.casts.size() >= 2 ? scale_of(scene_.document.distances, scene_.casts)
                                      : 1.0;
}

std::optional<Vec3> SceneWork::centre_m() const {
    if (scene_.casts.size() < 2) return {};
    return scene_settings(scene_.casts, scene_.document.distances).front().about.at_m;
}

std::vector<double> SceneWork::steps() const {
    if (scene_.casts.size() < 2) return {};
    return stretch_of_steps(scale_of(scene_.document.distances, scene_.casts), scene_.casts);
}

}  // namespace nb
