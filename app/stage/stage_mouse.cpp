// The mouse on the stage: picking, turning by the handle, orbit, pan, zoom.
#include <QMouseEvent>
#include <QToolTip>
#include <algorithm>
#include <cmath>

#include "app/stage/picking.hpp"
#include "app/stage/stage_view.hpp"

namespace nb {

int StageView::bone_at(const QPointF& at, bool& in_target) const {
    const auto bones = bones_at(at);
    if (bones.empty()) return -1;
    in_target = bones.front().first;
    return bones.front().second;
}

std::vector<std::pair<bool, int>> StageView::bones_at(const QPointF& at) const {
    const Scene scene = scene_at(playback_.frame());
    std::vector<Pickable> bodies;
    for (size_t i = 0; i < scene.bodies.size(); ++i) {
        const bool is_target = shown_ == Shown::target || i == 1;
        bodies.push_back({&scene.bodies[i], workspace_.body(is_target), is_target});
    }
    return bones_under(bodies, camera_, size(), at);
}

int StageView::cast_at(const QPointF& at) const {
    Scene scene = scene_at(playback_.frame());
    const size_t own = scene.bodies.size();
    const std::vector<size_t> others = add_others(scene, playback_.frame());
    for (size_t i = 0; i < others.size(); ++i) {
        const LoadedPtr body = workspace_.scene().casts()[others[i]].body;
        if (!bones_under({{&scene.bodies[own + i], body, true}}, camera_, size(), at).empty())
            return int(others[i]);
    }
    return -1;
}

void StageView::mousePressEvent(QMouseEvent* event) {
    pressed_at_ = last_at_ = event->position();
    is_dragged_ = false;
    if (event->button() != Qt::LeftButton) return;
    const auto arms = place_handle();
    if (const int part = arms ? arms->part_at(camera_, size(), event->position()) : -1; part >= 0) {
        placing_ = Placing{*arms, part, Vec3::Zero()};
        emit place_begun(selected_joint_);
        return;
    }
    const auto hoops = handle();
    double taken_at = 0.0;
    const int axis = hoops ? hoops->hoop_at(camera_, size(), event->position(), taken_at) : -1;
    if (axis < 0) return;
    turning_ = Turning{*hoops, beyond_rest(is_selected_in_target_, selected_joint_), axis, taken_at, 0.0};
    emit turn_begun(is_selected_in_target_, selected_joint_);
}

void StageView::mouseMoveEvent(QMouseEvent* event) {
    const QPointF moved = event->position() - last_at_;
    if (placing_) {
        placing_->by_m =
            placing_->handle.way_of_drag(camera_, size(), placing_->part, event->position() - pressed_at_);
        emit placed(selected_joint_, placing_->by_m);
        return refresh();
    }
    if (turning_) {
        turning_->angle_rad = turning_->handle.turn_of_drag(
            camera_, size(), turning_->axis, turning_->taken_at_rad, event->position() - pressed_at_);
        if (event->modifiers() & Qt::ControlModifier) {
            const double step = deg_to_rad(5.0);
            turning_->angle_rad = step * std::round(turning_->angle_rad / step);
        }
        const Quat seen =
            exp_rotation(turning_->handle.R_WA * Vec3(turning_->angle_rad * Vec3::Unit(turning_->axis)));
        emit turned(is_selected_in_target_, selected_joint_,
                    (turning_->beyond.conjugate() * seen * turning_->beyond).normalized());
        refresh();
        return;
    }
    if (event->buttons() == Qt::NoButton) {
        const auto arms = place_handle();
        const int arm = arms ? arms->part_at(camera_, size(), event->position()) : -1;
        if (arm != lit_arm_) {
            lit_arm_ = arm;
            setCursor(arm >= 0 ? Qt::OpenHandCursor : Qt::ArrowCursor);
            refresh();
        }
        if (arm >= 0) return;
        double angle = 0.0;
        const auto hoops = handle();
        const int hoop = hoops ? hoops->hoop_at(camera_, size(), event->position(), angle) : -1;
        if (hoop != lit_hoop_) {
            lit_hoop_ = hoop;
            setCursor(hoop >= 0 ? Qt::OpenHandCursor : Qt::ArrowCursor);
            refresh();
        }
        if (hoop >= 0) return;
        bool in_target = true;
        const int joint = bone_at(event->position(), in_target);
        const int cast = joint < 0 && is_scene() ? cast_at(event->position()) : -1;
        if (cast != hovered_cast_) {
            hovered_cast_ = cast;
            setCursor(cast >= 0 ? Qt::PointingHandCursor : Qt::ArrowCursor);
            if (cast >= 0)
                QToolTip::showText(
                    event->globalPosition().toPoint() + QPoint(12, 12),
                    tr("%1: a click takes it in hand")
                        .arg(QString::fromStdString(workspace_.scene().document().casts[size_t(cast)].name)),
                    this);
            else
                QToolTip::hideText();
        }
        if (joint != hovered_joint_ || in_target != is_hovered_in_target_) {
            hovered_joint_ = joint;
            is_hovered_in_target_ = in_target;
            refresh();
            const LoadedPtr loaded = in_target ? workspace_.target() : workspace_.source();
            if (joint >= 0 && loaded) {
                const Character& c = loaded->file.character;
                const std::string role = c.roles.role_of(joint);
                const RoleFill* fill = c.roles.fill(role);
                QString text = QString::fromStdString(c.rig.skeleton.names[size_t(joint)]);
                if (fill)
                    text += tr(" · %1, %2 % sure")
                                .arg(QString::fromStdString(role))
                                .arg(int(std::round(100 * fill->confidence)));
                QToolTip::showText(event->globalPosition().toPoint() + QPoint(12, 12), text, this);
            } else {
                QToolTip::hideText();
            }
        }
        return;
    }
    if ((event->position() - pressed_at_).manhattanLength() > 4) is_dragged_ = true;
    if (!is_dragged_) return;
    last_at_ = event->position();
    const bool pans = event->buttons() & Qt::MiddleButton || event->modifiers() & Qt::ShiftModifier;
    if (pans) {
        let_go_of_fit();
        const double scale = camera_.metres_per_pixel(height());
        pan_m_ += scale * (-moved.x() * camera_.right() + moved.y() * camera_.up());
    } else {
        camera_.yaw_rad -= 0.008 * moved.x();
        // A hand does not lead below the floor; from below it can go on turning there.
        const double lowest = std::min(deg_to_rad(-20.0), camera_.pitch_rad);
        camera_.pitch_rad = std::clamp(camera_.pitch_rad + 0.006 * moved.y(), lowest, deg_to_rad(89.9));
    }
    refresh();
}

void StageView::mouseReleaseEvent(QMouseEvent* event) {
    if (placing_ && event->button() == Qt::LeftButton) {
        placing_.reset();
        emit place_ended(true);
        return refresh();
    }
    if (turning_ && event->button() == Qt::LeftButton) {
        turning_.reset();
        emit turn_ended(true);
        return refresh();
    }
    if (is_dragged_ || event->button() != Qt::LeftButton) return;
    const auto bones = bones_at(event->position());
    if (const int cast = bones.empty() ? cast_at(event->position()) : -1; cast >= 0)
        return emit cast_picked(cast);
    if (bones.empty()) return select(true, -1);
    // A further click on the same place goes to what lies behind.
    const auto here =
        std::find(bones.begin(), bones.end(), std::pair(is_selected_in_target_, selected_joint_));
    const bool is_again = (event->position() - picked_at_).manhattanLength() < 5 && here != bones.end();
    const auto& next = is_again && here + 1 != bones.end() ? *(here + 1) : bones.front();
    picked_at_ = event->position();
    select(next.first, next.second);
}

void StageView::leaveEvent(QEvent*) {
    if (hovered_joint_ < 0) return;
    hovered_joint_ = -1;
    refresh();
}

void StageView::wheelEvent(QWheelEvent* event) {
    const double factor = std::pow(0.9985, event->angleDelta().y());
    let_go_of_fit();
    const double height_before = camera_.height_m;
    camera_.height_m = std::clamp(camera_.height_m * factor, 0.05, 40.0);
    // What lies under the pointer stays there.
    const QPointF off = event->position() - QPointF(0.5 * width(), 0.5 * height());
    const double change = (height_before - camera_.height_m) / height();
    pan_m_ += change * (off.x() * camera_.right() - off.y() * camera_.up());
    refresh();
}

}  // namespace nb
