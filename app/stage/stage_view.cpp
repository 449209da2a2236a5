#include "app/stage/stage_view.hpp"

#include <QMouseEvent>
#include <QOpenGLContext>
#include <QPainter>
#include <QToolTip>
#include <cmath>

#include "app/look/look.hpp"
#include "core/body/measures.hpp"
#include "core/rest/solve.hpp"

namespace nb {

StageView::StageView(Workspace& workspace, Playback& playback, QWidget* parent)
    : QOpenGLWidget(parent), workspace_(workspace), playback_(playback) {
    setMouseTracking(true);
    setFocusPolicy(Qt::StrongFocus);
    setAccessibleName(tr("Stage"));
    nb::set_view(camera_, view_);
    aside_ = camera_.right();
    figures_ = new InsetFigures(this);
    words_ = new StageWords(this);
    still_.setSingleShot(true);
    still_.setInterval(140);
    connect(&still_, &QTimer::timeout, this, [this] {
        is_fine_ = true;
        update();
    });
    connect(&playback_, &Playback::frame_changed, this, &StageView::refresh);
    connect(&playback_, &Playback::state_changed, this, &StageView::refresh);
    for (const auto signal : {&Workspace::source_changed, &Workspace::target_changed})
        connect(&workspace_, signal, this, [this] {
            selected_joint_ = hovered_joint_ = -1;
            turning_.reset();
            refresh_stand();
        });
    connect(&workspace_, &Workspace::rest_changed, this, &StageView::refresh_stand);
    connect(&workspace_, &Workspace::settings_changed, this, &StageView::refresh);
    connect(&workspace_, &Workspace::result_changed, this, &StageView::refresh);
    connect(&workspace_, &Workspace::pin_changed, this, &StageView::refresh);
    connect(&workspace_, &Workspace::before_shown, this, &StageView::refresh);
}

StageView::~StageView() {
    makeCurrent();
    renderer_.reset();
    doneCurrent();
}

void StageView::refresh() {
    is_fine_ = false;
    still_.start();
    update();
}

void StageView::set_view(View view) {
    view_ = view;
    nb::set_view(camera_, view);
    if (!is_long_lens_) camera_.lens_rad = 0.7;
    aside_ = camera_.right();
    refresh();
    emit view_changed();
}

void StageView::set_spread(double share) {
    spread_ = std::clamp(share, 0.0, 1.0);
    refresh();
    emit view_changed();
}

void StageView::set_shown(Shown shown) {
    shown_ = shown;
    refresh();
    emit view_changed();
}

void StageView::set_long_lens(bool on) {
    is_long_lens_ = on;
    const double yaw = camera_.yaw_rad;
    const double pitch = camera_.pitch_rad;
    nb::set_view(camera_, view_);
    camera_.yaw_rad = yaw;
    camera_.pitch_rad = pitch;
    if (!on) camera_.lens_rad = 0.7;
    refresh();
    emit view_changed();
}

void StageView::set_body_look(bool of_target, BodyLook body_look) {
    (of_target ? target_look_ : source_look_) = body_look;
    refresh();
    emit view_changed();
}

void StageView::set_insets(bool on) {
    has_insets_ = on;
    refresh();
    emit view_changed();
}

void StageView::set_trail(bool on) {
    has_trail_ = on;
    refresh();
    emit view_changed();
}

void StageView::set_stand(Stand stand) {
    stand_ = stand;
    refresh_stand();
    emit view_changed();
}

/// The pictures of the rests are made once a change, not once a frame.
void StageView::refresh_stand() {
    for (const bool in_target : {false, true}) {
        Pose& pose = standing_[in_target ? 1 : 0];
        pose = {};
        const LoadedPtr loaded = workspace_.body(in_target);
        if (stand_ == Stand::take || !loaded) continue;
        const Character& c = loaded->file.character;
        if (!c.rest.is_there())
            pose = rest_pose(c.rig.skeleton);
        else
            pose = aligned_pose(stand_ == Stand::aligned ? c.rest : stored_rest(c.rig, c.roles, c.solved));
    }
    refresh();
}

void StageView::poses_at(int frame, Pose& source, Pose& target) const {
    if (stand_ == Stand::take) return workspace_.poses_at(frame, source, target);
    source = standing_[0];
    target = standing_[1];
}

void StageView::set_arcs(std::vector<GapArc> arcs) {
    arcs_ = std::move(arcs);
    refresh();
}

void StageView::set_handle(bool on, TurnAxes axes) {
    has_handle_ = on;
    handle_axes_ = axes;
    refresh();
}

Vec3 StageView::moved_m(bool in_target) const {
    if (!workspace_.source() || !workspace_.target()) return Vec3::Zero();
    return (in_target ? 0.5 : -0.5) * spread_m() * aside_;
}

QPointF StageView::seen_at(bool in_target, const Vec3& p_m) const {
    const Vec3 seen = camera_.project(p_m + moved_m(in_target), width(), height());
    return {seen.x(), seen.y()};
}

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
    handle.centre_m = pose.p[size_t(selected_joint_)] + moved_m(is_selected_in_target_);
    const Quat axes = axes_of(c.rig.skeleton, c.roles, c.rest, role, handle_axes_);
    handle.R_WA = handle_axes_ == TurnAxes::world
                      ? axes
                      : Quat(beyond_rest(is_selected_in_target_, selected_joint_) * axes);
    handle.radius_m = std::clamp(64.0 * camera_.metres_per_pixel(height()), 0.02, 1.0);
    return handle;
}

void StageView::cancel_turn() {
    if (!turning_) return;
    turning_.reset();
    emit turn_ended(false);
    refresh();
}

void StageView::select(bool in_target, int joint) {
    selected_joint_ = joint;
    is_selected_in_target_ = in_target;
    refresh();
    emit selection_changed();
}

void StageView::frame_selection() {
    pan_m_.setZero();
    is_fitted_ = selected_joint_ < 0;
    if (selected_joint_ >= 0) {
        Pose source, target;
        poses_at(playback_.frame(), source, target);
        const Pose& pose = is_selected_in_target_ ? target : source;
        if (size_t(selected_joint_) < pose.p.size()) {
            const Vec3 moved = (is_selected_in_target_ ? 0.5 : -0.5) * spread_m() * aside_;
            pan_m_ =
                pose.p[size_t(selected_joint_)] + moved - followed_point(smooth_places(playback_.frame()));
            camera_.height_m = 0.7;
        }
    }
    refresh();
}

double StageView::spread_m() const {
    double widest = 1.0;
    for (const LoadedPtr& loaded : {workspace_.source(), workspace_.target()})
        if (loaded)
            widest = std::max(
                widest, 0.8 * stature(loaded->file.character.rig.skeleton, loaded->file.character.roles));
    return spread_ * widest;
}

StageView::SmoothPlaces StageView::smooth_places(int frame) const {
    const double reach_s = 0.25;
    const int reach = std::max(1, int(reach_s / playback_.frame_time_s()));
    const int step = std::max(1, reach / 4);
    SmoothPlaces places;
    for (const bool in_target : {false, true}) {
        const LoadedPtr loaded = in_target ? workspace_.target() : workspace_.source();
        if (!loaded || shown_ == (in_target ? Shown::source : Shown::target)) continue;
        const int hips = loaded->file.character.roles.joint("hips");
        Vec3 sum = Vec3::Zero();
        int count = 0;
        Pose source;
        Pose target;
        for (int f = frame - reach; f <= frame + reach; f += step) {
            poses_at(std::clamp(f, 0, std::max(0, playback_.frames() - 1)), source, target);
            const Pose& pose = in_target ? target : source;
            if (pose.p.empty() || size_t(std::max(0, hips)) >= pose.p.size()) continue;
            sum += pose.p[size_t(std::max(0, hips))];
            ++count;
        }
        if (count == 0) continue;
        const Vec3 moved = moved_m(in_target);
        const Character& c = loaded->file.character;
        const double known = stature(c.rig.skeleton, c.roles);
        const double tall = known > 0.0 ? known : 1.75;
        places.push_back(
            {sum / count + moved, tall,
             c.rest.p_WJ0.empty() ? 0.0 : std::max(0.0, sum.y() / count - c.rest.p_WJ0[size_t(hips)].y()),
             (c.roles.is_four_legged() ? 0.8 : 0.25) * tall});
    }
    return places;
}

Vec3 StageView::followed_point(const SmoothPlaces& places) {
    if (places.empty()) return {0, 0.9, 0};
    Vec3 point = Vec3::Zero();
    double tallest = 0.0;
    double risen = 0.0;
    for (const SmoothPlace& place : places) {
        point += place.hips_m / double(places.size());
        risen += place.risen_m / double(places.size());
        tallest = std::max(tallest, place.stature_m);
    }
    point.y() = 0.5 * tallest + risen;
    return point;
}

void StageView::let_go_of_fit() {
    if (!is_fitted_) return;
    is_fitted_ = false;
    pan_m_ = camera_.focus_m - followed_point(smooth_places(playback_.frame()));
}

void StageView::place_camera() {
    const SmoothPlaces places = smooth_places(playback_.frame());
    camera_.focus_m = followed_point(places) + pan_m_;
    if (!is_fitted_) return;
    // A box around each body, seen from here, with some air; the focus moves to its middle.
    Eigen::Array2d low = Eigen::Array2d::Constant(1e9);
    Eigen::Array2d high = Eigen::Array2d::Constant(-1e9);
    for (const SmoothPlace& place : places)
        for (int corner = 0; corner < 8; ++corner) {
            const Vec3 p(place.hips_m.x() + (corner & 1 ? 1 : -1) * place.wide_m,
                         place.risen_m + (corner & 2 ? 1.07 : -0.02) * place.stature_m,
                         place.hips_m.z() + (corner & 4 ? 1 : -1) * place.wide_m);
            const Vec3 off = p - camera_.focus_m;
            const Eigen::Array2d seen(off.dot(camera_.right()), off.dot(camera_.up()));
            low = low.min(seen);
            high = high.max(seen);
        }
    if (low.x() > high.x()) return;
    const Eigen::Array2d middle = 0.5 * (low + high);
    camera_.focus_m += middle.x() * camera_.right() + middle.y() * camera_.up();
    const Eigen::Array2d span = high - low;
    // The insets' column stays free.
    const int column = has_insets_ && stand_ == Stand::take ? inset_column_px(size()) : 0;
    const int free = std::max(1, width() - column);
    camera_.height_m = std::max({0.5, 1.08 * span.y(), 1.05 * span.x() * height() / free});
    camera_.focus_m += 0.5 * column * camera_.metres_per_pixel(height()) * camera_.right();
}

Scene StageView::scene_at(int frame) const {
    const LoadedPtr source = workspace_.source();
    const LoadedPtr target = workspace_.target();
    Pose S, T;
    poses_at(frame, S, T);
    Scene scene;
    scene.theme = look().stage();
    if (!source || S.p.empty()) return scene;
    const bool has_target = target && !T.p.empty();
    const auto actor = [](const LoadedPtr& loaded, const Pose& pose, BodyLook body_look) {
        return Actor{&loaded->file.character, loaded->figure,
                     loaded->drawn ? loaded->drawn : rig_of(loaded, loaded->file.character), pose, body_look};
    };
    scene = make_scene(actor(source, S, source_look_), has_target ? actor(target, T, target_look_) : Actor{},
                       spread_m(), aside_, look().stage());
    if (source && stand_ == Stand::take) add_props(scene, source->props, S, workspace_.place_scale());
    // Lying over each other, the source is seen through.
    if (spread_ < 0.2 && scene.bodies.size() == 2) scene.bodies[0].opacity = 0.5f;
    for (size_t i = 0; i < scene.bodies.size(); ++i) {
        if ((i == 1) == is_selected_in_target_) scene.bodies[i].selected_joint = selected_joint_;
        if ((i == 1) == is_hovered_in_target_ && hovered_joint_ >= 0 && scene.bodies[i].selected_joint < 0)
            scene.bodies[i].selected_joint = hovered_joint_;
    }
    if (has_trail_ && selected_joint_ >= 0 && stand_ == Stand::take) {
        for (const bool in_target : {false, true}) {
            if (in_target != is_selected_in_target_ || scene.bodies.size() <= size_t(in_target)) continue;
            SceneTrail trail;
            trail.colour = scene.theme.mark;
            const int reach = int(1.0 / playback_.frame_time_s());
            for (int f = std::max(0, frame - reach); f <= std::min(playback_.frames() - 1, frame + reach);
                 ++f) {
                Pose a, b;
                workspace_.poses_at(f, a, b);
                const Pose& pose = in_target ? b : a;
                if (size_t(selected_joint_) >= pose.p.size()) break;
                if (f == frame) trail.now = int(trail.places_m.size());
                trail.places_m.push_back(pose.p[size_t(selected_joint_)] +
                                         scene.bodies[size_t(in_target)].moved_m);
            }
            scene.trails.push_back(std::move(trail));
        }
    }
    if (scene.bodies.size() == 2 && shown_ == Shown::source) scene.bodies.pop_back();
    if (scene.bodies.size() == 2 && shown_ == Shown::target) scene.bodies.erase(scene.bodies.begin());
    if (shown_ != Shown::both)
        for (SceneBody& body : scene.bodies) body.opacity = 1.0f;
    return scene;
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

void StageView::initializeGL() {
    try {
        renderer_ = std::make_unique<Renderer>();
    } catch (const std::exception& error) {
        trouble_ = QString::fromLocal8Bit(error.what());
        emit trouble_found(trouble_);
    }
}

void StageView::paintGL() {
    if (!renderer_) {
        QPainter painter(this);
        painter.fillRect(rect(), look().ground);
        painter.setPen(look().text);
        painter.drawText(rect(), Qt::AlignCenter | Qt::TextWordWrap, trouble_);
        return;
    }
    place_camera();
    const double ratio = devicePixelRatioF();
    const Scene scene = scene_at(playback_.frame());
    std::vector<Shot> shots{{camera_, 0, 0, int(width() * ratio), int(height() * ratio), -1, {}}};
    std::vector<Stroke2>& over = shots[0].strokes;
    if (stand_ != Stand::take && scene.bodies.size() == 2)
        for (const GapArc& arc : arcs_) {
            GapArc there = arc;
            there.centre_m += moved_m(true);
            const auto strokes = there.strokes(camera_, size());
            over.insert(over.end(), strokes.begin(), strokes.end());
        }
    if (workspace_.pinned()) {
        const auto strokes = pinned_strokes();
        over.insert(over.end(), strokes.begin(), strokes.end());
    }
    if (const auto hoops = handle()) {
        const auto strokes =
            hoops->strokes(camera_, size(), turning_ ? turning_->axis : lit_hoop_,
                           turning_ ? turning_->taken_at_rad : 0.0, turning_ ? turning_->angle_rad : 0.0);
        over.insert(over.end(), strokes.begin(), strokes.end());
    }
    for (Stroke2& stroke : over) stroke = {ratio * stroke.from, ratio * stroke.to, ratio * stroke.width_px};
    QMetaObject::invokeMethod(this, &StageView::show_words, Qt::QueuedConnection);
    std::vector<FootInset> insets;
    if (has_insets_ && stand_ == Stand::take && !scene.bodies.empty()) {
        const bool of_target = shown_ != Shown::source && workspace_.target();
        const size_t body = of_target && scene.bodies.size() == 2 ? 1 : 0;
        insets = foot_insets(workspace_, of_target, playback_.frame(), scene.bodies[body].moved_m, size());
        for (const FootInset& inset : insets) {
            Shot shot{inset.camera,
                      int(inset.place.left() * ratio),
                      int((height() - 1 - inset.place.bottom()) * ratio),
                      int(inset.place.width() * ratio),
                      int(inset.place.height() * ratio),
                      int(body),
                      inset_strokes(inset)};
            for (Stroke2& stroke : shot.strokes)
                stroke = {ratio * stroke.from, ratio * stroke.to, ratio * stroke.width_px};
            shots.push_back(std::move(shot));
        }
    }
    renderer_->draw(scene, shots, defaultFramebufferObject(), is_fine_ && !playback_.is_playing() ? 2 : 1);
    // Figures can be read only while the picture stands still, and cost a blend of their own.
    if (playback_.is_playing()) insets.clear();
    if (figures_->isVisible() != !insets.empty() || !insets.empty())
        QMetaObject::invokeMethod(
            figures_,
            [this, insets = std::move(insets)]() mutable { figures_->show_insets(std::move(insets)); },
            Qt::QueuedConnection);
    if (playback_.is_playing()) {
        if (!drawn_clock_.isValid()) drawn_clock_.start();
        ++drawn_;
        if (drawn_clock_.elapsed() >= 1000) {
            drawn_per_second_ = 1000.0 * drawn_ / double(drawn_clock_.restart());
            drawn_ = 0;
        }
    } else {
        drawn_clock_.invalidate();
        drawn_ = 0;
    }
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
            words.emplace_back(places[axis], QString("XYZ").mid(int(axis), 1));
        if (turning_) {
            const Vec3 hand =
                turning_->handle.point(turning_->axis, turning_->taken_at_rad + turning_->angle_rad);
            const Vec3 seen =
                camera_.project(hand + 0.25 * (hand - turning_->handle.centre_m), width(), height());
            words.emplace_back(QPointF(seen.x(), seen.y()),
                               tr("%1°").arg(rad_to_deg(turning_->angle_rad), 0, 'f', 1));
        }
    }
    words_->show_words(std::move(words));
}

StageWords::StageWords(QWidget* parent) : QWidget(parent) {
    setAttribute(Qt::WA_TransparentForMouseEvents);
    setFocusPolicy(Qt::NoFocus);
    hide();
}

void StageWords::show_words(std::vector<std::pair<QPointF, QString>> words) {
    if (words.empty() && words_.empty()) return;
    words_ = std::move(words);
    setVisible(!words_.empty());
    if (words_.empty()) return;
    // No larger than the words: what lies over OpenGL is blended anew each frame.
    QRectF all;
    for (const auto& [at, word] : words_) all |= QRectF(at - QPointF(34, 12), QSizeF(68, 24));
    setGeometry(all.toAlignedRect() & parentWidget()->rect());
    update();
}

void StageWords::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    painter.translate(-pos());
    QFont small = painter.font();
    small.setPixelSize(12);
    small.setBold(true);
    painter.setFont(small);
    for (const auto& [at, word] : words_) {
        const QRectF place(at - QPointF(34, 9), QSizeF(68, 18));
        const QRectF words = painter.boundingRect(place, Qt::AlignCenter, word).adjusted(-4, -1, 4, 1);
        QColor band = look().ground;
        band.setAlpha(200);
        painter.setPen(Qt::NoPen);
        painter.setBrush(band);
        painter.drawRoundedRect(words, 3, 3);
        painter.setPen(look().mark);
        painter.drawText(place, Qt::AlignCenter, word);
    }
}

int StageView::bone_at(const QPointF& at, bool& in_target) const {
    const auto bones = bones_at(at);
    if (bones.empty()) return -1;
    in_target = bones.front().first;
    return bones.front().second;
}

std::vector<std::pair<bool, int>> StageView::bones_at(const QPointF& at) const {
    const Scene scene = scene_at(playback_.frame());
    struct Hit {
        double score;
        bool in_target;
        int joint;
    };
    std::vector<Hit> hits;
    for (size_t i = 0; i < scene.bodies.size(); ++i) {
        const bool is_target = shown_ == Shown::target || i == 1;
        const LoadedPtr loaded = is_target ? workspace_.target() : workspace_.source();
        const SceneBody& body = scene.bodies[i];
        if (!loaded || body.look == BodyLook::hidden) continue;
        for (const BoneSegment& bone : loaded->segments) {
            const Vec3 start = body.pose.p[size_t(bone.joint)] + body.moved_m;
            const Vec3 end = start + body.pose.R[size_t(bone.joint)] * bone.end_m;
            const Vec3 a = camera_.project(start, width(), height());
            const Vec3 b = camera_.project(end, width(), height());
            const Eigen::Vector2d d = (b - a).head<2>();
            const Eigen::Vector2d m = Eigen::Vector2d(at.x(), at.y()) - a.head<2>();
            const double u = d.squaredNorm() > 1e-9 ? std::clamp(m.dot(d) / d.squaredNorm(), 0.0, 1.0) : 0.0;
            const double off = (m - u * d).norm();
            const double reach = std::max(5.0, 1.4 * bone.radius_m / camera_.metres_per_pixel(height()));
            const double depth = a.z() + u * (b.z() - a.z());
            if (off < reach) hits.push_back({off / reach + 0.02 * depth, is_target, bone.joint});
        }
    }
    std::sort(hits.begin(), hits.end(), [](const Hit& a, const Hit& b) { return a.score < b.score; });
    std::vector<std::pair<bool, int>> bones;
    bones.reserve(hits.size());
    for (const Hit& hit : hits) bones.emplace_back(hit.in_target, hit.joint);
    return bones;
}

void StageView::mousePressEvent(QMouseEvent* event) {
    pressed_at_ = last_at_ = event->position();
    is_dragged_ = false;
    if (event->button() != Qt::LeftButton) return;
    const auto hoops = handle();
    double taken_at = 0.0;
    const int axis = hoops ? hoops->hoop_at(camera_, size(), event->position(), taken_at) : -1;
    if (axis < 0) return;
    turning_ = Turning{*hoops, beyond_rest(is_selected_in_target_, selected_joint_), axis, taken_at, 0.0};
    emit turn_begun(is_selected_in_target_, selected_joint_);
}

void StageView::mouseMoveEvent(QMouseEvent* event) {
    const QPointF moved = event->position() - last_at_;
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
        camera_.pitch_rad =
            std::clamp(camera_.pitch_rad + 0.006 * moved.y(), deg_to_rad(-20.0), deg_to_rad(89.9));
    }
    refresh();
}

void StageView::mouseReleaseEvent(QMouseEvent* event) {
    if (turning_ && event->button() == Qt::LeftButton) {
        turning_.reset();
        emit turn_ended(true);
        return refresh();
    }
    if (is_dragged_ || event->button() != Qt::LeftButton) return;
    const auto bones = bones_at(event->position());
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
