// What lies over the bodies on the stage: the turn handle, the pinned result, lines between bones, words.
#include <algorithm>
#include <cmath>

#include "app/stage/stage_view.hpp"
#include "app/stage/stage_words.hpp"

namespace nb {

/// From the aligned rest to the picture: what the take has turned a joint by.
Quat StageView::beyond_rest(bool in_target, int joint) const {
    Pose source, target;
    poses_at(playback_.frame(), source, target);
    const Pose& pose = in_target ? target : source;
    const auto& rest = workspace_.body(in_target)->file.character.rest;
    return pose.R[size_t(joint)] * rest.R_WJ0[size_t(joint)].conjugate();
}

std::optional<TurnHandle> StageView::handle() const {
    if (turning_) return turning_->handle;
    const LoadedPtr loaded = workspace_.body(is_selected_in_target_);
    if (!has_handle_ || !loaded || selected_joint_ < 0 || stand_ == Stand::stored) return {};
    const Character& c = loaded->file.character;
    const std::string role = c.roles.role_of(selected_joint_);
    Pose source, target;
    poses_at(playback_.frame(), source, target);
    const Pose& pose = is_selected_in_target_ ? target : source;
    if (role.empty() || !c.rest.is_there() || size_t(selected_joint_) >= pose.p.size() ||
        shown_ == (is_selected_in_target_ ? Shown::source : Shown::target))
        return {};
    TurnHandle handle;
    handle.centre_m = shown_at(is_selected_in_target_, pose.p[size_t(selected_joint_)]);
    const Quat axes = axes_of(c.rig.skeleton, c.roles, c.rest, role, handle_axes_);
    handle.R_WA = handle_axes_ == TurnAxes::world
                      ? axes
                      : Quat(beyond_rest(is_selected_in_target_, selected_joint_) * axes);
    handle.radius_m = std::clamp(64.0 * camera_.metres_per_pixel(height()), 0.02, 1.0);
    return handle;
}

std::optional<PlaceHandle> StageView::place_handle() const {
    if (placing_) {
        PlaceHandle moved = placing_->handle;
        moved.centre_m += placing_->by_m;
        return moved;
    }
    if (!has_arms_ || is_selected_in_target_ != are_arms_of_target_ || selected_joint_ < 0 ||
        stand_ != Stand::take || shown_ == (are_arms_of_target_ ? Shown::source : Shown::target))
        return {};
    Pose source, target;
    poses_at(playback_.frame(), source, target);
    const Pose& its = are_arms_of_target_ ? target : source;
    if (size_t(selected_joint_) >= its.p.size()) return {};
    return PlaceHandle{shown_at(are_arms_of_target_, its.p[size_t(selected_joint_)]), arms_axes_,
                       std::clamp(74.0 * camera_.metres_per_pixel(height()), 0.02, 1.5)};
}

std::vector<Stroke2> StageView::pinned_strokes() const {
    std::vector<Stroke2> strokes;
    const auto& pinned = workspace_.pinned();
    const int frame = workspace_.pinned_frame(playback_.frame());
    if (!pinned || stand_ != Stand::take || shown_ == Shown::source || frame < 0) return strokes;
    const Pose pose = pose_of(pinned->result->target, frame);
    const Vec3 moved = moved_m(true);
    strokes.reserve(pinned->target->segments.size());
    for (const BoneSegment& bone : pinned->target->segments) {
        const size_t j = size_t(bone.joint);
        const auto seen = [&](const Vec3& p) -> Eigen::Vector2d {
            return camera_.project(p + moved, width(), height()).head<2>();
        };
        strokes.push_back({seen(pose.p[j]), seen(pose.p[j] + pose.R[j] * bone.end_m), 1.4});
    }
    return strokes;
}

/// From each joint of the source to the one of the target it drives alone.
std::vector<Stroke2> StageView::link_strokes(const Scene& scene) const {
    std::vector<Stroke2> strokes;
    const Plan* plan = workspace_.plan();
    if (!plan) return strokes;
    const auto seen = [&](const SceneBody& body, int joint) -> Eigen::Vector2d {
        return camera_.project(body.pose.p[size_t(joint)] + body.moved_m, width(), height()).head<2>();
    };
    const RoleMap& roles = workspace_.target()->file.character.roles;
    for (size_t j = 0; j < plan->program.angles.size() && j < scene.bodies[1].pose.p.size(); ++j) {
        const AngleOp& op = plan->program.angles[j];
        if (op.kind != AngleOp::Kind::direct || is_finger_role(roles.role_of(int(j)))) continue;
        strokes.push_back({seen(scene.bodies[0], op.a), seen(scene.bodies[1], int(j)), 0.8});
    }
    return strokes;
}

/// Rings about the parts of the shown bodies.
std::vector<Stroke2> StageView::ring_strokes(const Scene& scene) const {
    constexpr int corners = 24;
    constexpr double apart_share = 0.035;  // of the body's height
    std::vector<Stroke2> strokes;
    for (size_t i = 0; i < scene.bodies.size(); ++i) {
        const bool is_target = shown_ == Shown::target || i == 1;
        const LoadedPtr loaded = workspace_.body(is_target);
        const SceneBody& body = scene.bodies[i];
        if (!loaded || body.look == BodyLook::hidden || body.pose.p.empty()) continue;
        auto& [whose, skin] = skins_[is_target ? 1 : 0];
        if (whose != loaded) skin = surface_of(loaded->file.character);
        whose = loaded;
        for (const PartSurface& part : skin.parts) {
            const size_t j = size_t(part.joint);
            if (j >= body.pose.p.size()) continue;
            const auto seen = [&](double s, int corner) -> Eigen::Vector2d {
                const Vec3 on_J = part.X_JF * part.point({s, 2.0 * pi * corner / corners, 0.0, 0.0});
                const Vec3 p = body.pose.p[j] + body.size * (body.pose.R[j] * on_J) + body.moved_m;
                return camera_.project(p, width(), height()).head<2>();
            };
            const double apart = std::max(1e-3, apart_share * skin.stature_m);
            const int rings = std::clamp(int(std::lround(part.length_m / apart)), 1, 12);
            for (int ring = 0; ring < rings; ++ring)
                for (int corner = 0; corner < corners; ++corner) {
                    const double s = (ring + 0.5) / rings;
                    strokes.push_back({seen(s, corner), seen(s, corner + 1), 0.7});
                }
        }
    }
    return strokes;
}

/// Names of bones with a role, and of the one in hand; fingers once they are seen large.
std::vector<std::pair<QPointF, QString>> StageView::bone_names() const {
    std::vector<std::pair<QPointF, QString>> names;
    const Scene scene = scene_at(playback_.frame());
    const bool is_close = camera_.height_m < 1.0;
    for (size_t i = 0; i < scene.bodies.size(); ++i) {
        const bool is_target = shown_ == Shown::target || i == 1;
        const LoadedPtr loaded = workspace_.body(is_target);
        const SceneBody& body = scene.bodies[i];
        if (!loaded || body.look == BodyLook::hidden) continue;
        const Character& c = loaded->file.character;
        for (const BoneSegment& bone : loaded->segments) {
            const std::string role = c.roles.role_of(bone.joint);
            if (role.empty() || (is_finger_role(role) && !is_close)) continue;
            const Vec3 middle =
                body.pose.p[size_t(bone.joint)] + body.moved_m +
                (role == "hips" ? 0.0 : 0.5) * body.size * (body.pose.R[size_t(bone.joint)] * bone.end_m);
            const Vec3 seen = camera_.project(middle, width(), height());
            names.emplace_back(QPointF(seen.x(), seen.y()),
                               QString::fromStdString(c.rig.skeleton.names[size_t(bone.joint)]));
        }
    }
    return names;
}

void StageView::show_words() {
    std::vector<std::pair<QPointF, QString>> words;
    if (stand_ != Stand::take && workspace_.source() && workspace_.target() && shown_ == Shown::both)
        for (const GapArc& arc : arcs_) {
            GapArc there = arc;
            there.centre_m += moved_m(true);
            if (!arc.label.isEmpty()) words.emplace_back(there.label_at(camera_, size()), arc.label);
        }
    if (const auto hoops = handle()) {
        const auto places = hoops->letters(camera_, size());
        for (size_t axis = 0; axis < 3; ++axis)
            words.emplace_back(QPointF(std::clamp(places[axis].x(), 10.0, width() - 10.0),
                                       std::clamp(places[axis].y(), 10.0, height() - 10.0)),
                               QString("XYZ").mid(int(axis), 1));
        if (turning_) {
            const Vec3 hand =
                turning_->handle.point(turning_->axis, turning_->taken_at_rad + turning_->angle_rad);
            const Vec3 seen =
                camera_.project(hand + 0.25 * (hand - turning_->handle.centre_m), width(), height());
            words.emplace_back(QPointF(seen.x(), seen.y()),
                               tr("%1°").arg(rad_to_deg(turning_->angle_rad), 0, 'f', 1));
        }
    }
    if (const auto arms = place_handle()) {
        for (int axis = 0; axis < 3; ++axis) {
            const QPointF centre = arms->grip(camera_, size(), PlaceHandle::knob);
            words.emplace_back(centre + 1.3 * (arms->grip(camera_, size(), axis) - centre),
                               QString("XYZ").mid(axis, 1));
        }
        if (placing_)
            words.emplace_back(arms->grip(camera_, size(), PlaceHandle::knob) + QPointF(0, 22),
                               tr("%1 cm").arg(100.0 * placing_->by_m.norm(), 0, 'f', 1));
    }
    for (auto& word : scene_words()) words.push_back(std::move(word));
    if (has_names_)
        for (auto& name : bone_names()) words.push_back(std::move(name));
    words_->show_words(words);
}

}  // namespace nb
