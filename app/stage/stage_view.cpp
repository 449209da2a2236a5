#include "app/stage/stage_view.hpp"

#include <QMouseEvent>
#include <QOpenGLContext>
#include <QPainter>
#include <QToolTip>
#include <algorithm>
#include <cmath>

#include "app/look/look.hpp"
#include "app/stage/picking.hpp"
#include "app/stage/stage_words.hpp"
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
        // Tests ask for no fine picture each time something has moved: it costs four.
        if (property("is_coarse").toBool()) return;
        is_fine_ = true;
        update();
    });
    connect(&playback_, &Playback::frame_changed, this, &StageView::refresh);
    connect(&playback_, &Playback::state_changed, this, &StageView::refresh);
    for (const auto signal : {&Workspace::source_changed, &Workspace::target_changed})
        connect(&workspace_, signal, this, [this] {
            selected_joint_ = hovered_joint_ = -1;
            turning_.reset();
            placing_.reset();
            refresh_stand();
        });
    connect(&workspace_, &Workspace::rest_changed, this, &StageView::refresh_stand);
    connect(&workspace_, &Workspace::settings_changed, this, &StageView::refresh);
    connect(&workspace_, &Workspace::result_changed, this, &StageView::refresh);
    connect(&workspace_, &Workspace::scene_changed, this, &StageView::refresh);
    connect(&workspace_.scene(), &SceneWork::result_changed, this, &StageView::refresh);
    connect(&workspace_, &Workspace::pin_changed, this, &StageView::refresh);
    connect(&workspace_, &Workspace::before_shown, this, &StageView::refresh);
    connect(&workspace_, &Workspace::live_shown, this, &StageView::refresh);
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

void StageView::set_names(bool on) {
    has_names_ = on;
    refresh();
    emit view_changed();
}

void StageView::set_rings(bool on) {
    has_rings_ = on;
    refresh();
}

void StageView::set_links(bool on) {
    has_links_ = on;
    refresh();
    emit view_changed();
}

void StageView::set_source_sized(bool on) {
    is_source_sized_ = on;
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
    if (stand_ == Stand::take) {
        workspace_.poses_at(frame, source, target);
        // A thing goes with the hand that drags it.
        if (placing_ && !are_arms_of_target_ && size_t(selected_joint_) < source.p.size())
            source.p[size_t(selected_joint_)] += placing_->by_m;
        return;
    }
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

void StageView::set_place_handle(bool on, const Quat& R_WA, bool of_target) {
    has_arms_ = on;
    arms_axes_ = R_WA;
    are_arms_of_target_ = of_target;
    refresh();
}

std::optional<Vec3> StageView::floor_of_source_at(const QPointF& at) const {
    if (!QRectF(rect()).contains(at)) return {};
    const auto shown = camera_.floor_at(at.x(), at.y(), width(), height());
    if (!shown) return {};
    const PlaceMap map = source_map();
    Vec3 in_take = map.inverse(*shown - moved_m(false));
    in_take.y() = 0.0;
    return in_take;
}

Vec3 StageView::moved_m(bool in_target) const {
    if (!workspace_.source() || !workspace_.target()) return Vec3::Zero();
    // In a scene targets stand where they are, and the source beside them.
    if (is_scene()) return in_target ? Vec3(Vec3::Zero()) : Vec3(-spread_ * source_aside_m() * aside_);
    return (in_target ? 0.5 : -0.5) * spread_m() * aside_;
}

QPointF StageView::seen_at(bool in_target, const Vec3& p_m) const {
    const Vec3 seen = camera_.project(shown_at(in_target, p_m), width(), height());
    return {seen.x(), seen.y()};
}

void StageView::cancel_turn() {
    if (placing_) {
        placing_.reset();
        emit place_ended(false);
        refresh();
    }
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
            pan_m_ = shown_at(is_selected_in_target_, pose.p[size_t(selected_joint_)]) -
                     followed_point(followed_bodies(playback_.frame()));
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

/// Hips over half a second; while a result is stale the one before stands for it.
std::vector<FollowedBody> StageView::followed_bodies(int frame) const {
    const double reach_s = 0.25;
    const int reach = std::max(1, int(reach_s / playback_.frame_time_s()));
    const int step = std::max(1, reach / 4);
    std::vector<FollowedBody> bodies;
    for (const bool in_target : {false, true}) {
        const LoadedPtr loaded = workspace_.body(in_target);
        if (!loaded || shown_ == (in_target ? Shown::source : Shown::target)) continue;
        const Character& c = loaded->file.character;
        const int hips = std::max(0, c.roles.joint("hips"));
        Vec3 sum = Vec3::Zero();
        int count = 0;
        for (int f = frame - reach; f <= frame + reach; f += step) {
            const int there = std::clamp(f, 0, std::max(0, playback_.frames() - 1));
            if (const auto place = place_of(in_target, hips, there)) {
                sum += *place;
                ++count;
            }
        }
        if (count == 0) {
            Pose source, target;
            poses_at(frame, source, target);
            const Pose& pose = in_target ? target : source;
            if (size_t(hips) >= pose.p.size()) continue;
            sum = pose.p[size_t(hips)];
            count = 1;
        }
        const double size = in_target ? 1.0 : source_map().k;
        const double known = stature(c.rig.skeleton, c.roles);
        const double tall = known > 0.0 ? known : 1.75;
        const Vec3 mean = sum / count;
        bodies.push_back(
            {shown_at(in_target, mean), size * tall,
             c.rest.p_WJ0.empty() ? 0.0 : size * std::max(0.0, mean.y() - c.rest.p_WJ0[size_t(hips)].y()),
             (c.roles.is_four_legged() ? 0.8 : 0.25) * size * tall});
    }
    if (is_scene() && stand_ == Stand::take && shown_ != Shown::source) {
        const SceneWork& work = workspace_.scene();
        for (size_t i = 0; i < work.casts().size(); ++i) {
            const Pose pose = i == work.in_hand() ? Pose() : work.pose_at(i, work.scene_s(frame), true);
            const Character& c = work.casts()[i].body->file.character;
            const int hips = std::max(0, c.roles.joint("hips"));
            if (size_t(hips) >= pose.p.size()) continue;
            const double known = stature(c.rig.skeleton, c.roles);
            const double tall = known > 0.0 ? known : 1.75;
            bodies.push_back({pose.p[size_t(hips)], tall, 0.0, 0.25 * tall});
        }
    }
    return bodies;
}

std::optional<Vec3> StageView::place_of(bool in_target, int joint, int frame) const {
    if (stand_ == Stand::take) return workspace_.place_of(in_target, joint, frame);
    const Pose& pose = standing_[in_target];
    return size_t(joint) < pose.p.size() ? std::optional(pose.p[size_t(joint)]) : std::nullopt;
}

PlaceMap StageView::source_map() const {
    return is_source_sized_ && workspace_.target() && shown_ == Shown::both ? workspace_.place_map()
                                                                            : PlaceMap();
}

Vec3 StageView::shown_at(bool in_target, const Vec3& p_m) const {
    return (in_target ? p_m : source_map()(p_m)) + moved_m(in_target);
}

void StageView::let_go_of_fit() {
    if (!is_fitted_) return;
    is_fitted_ = false;
    pan_m_ = camera_.focus_m - followed_point(followed_bodies(playback_.frame()));
}

void StageView::place_camera() {
    const auto bodies = followed_bodies(playback_.frame());
    camera_.focus_m = followed_point(bodies) + pan_m_;
    // The insets' column stays free.
    const int column =
        has_insets_ && !workspace_.live() && stand_ == Stand::take ? inset_column_px(size()) : 0;
    if (is_fitted_) fit_bodies(camera_, bodies, size(), column);
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
    for (size_t i = 0; i < scene.bodies.size(); ++i) scene.bodies[i].moved_m = moved_m(i == 1);
    if (source && stand_ == Stand::take) {
        const Plan* plan = has_target ? workspace_.plan() : nullptr;
        add_props(scene, source->props, {S.R, S.p, workspace_.time_s(frame)}, plan ? &plan->program : nullptr,
                  T);
    }
    // For the eye alone: the source as large as the place map makes it.
    if (const PlaceMap map = source_map(); map.k != 1.0) {
        SceneBody& body = scene.bodies[0];
        body.size = map.k;
        for (Vec3& p : body.pose.p) p = map(p);
    }
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
                const auto place = place_of(in_target, selected_joint_, f);
                if (!place) continue;
                if (f == frame) trail.now = int(trail.places_m.size());
                trail.places_m.push_back(shown_at(in_target, *place));
            }
            scene.trails.push_back(std::move(trail));
        }
    }
    // From below the ground is in the way.
    if (camera_.pitch_rad < deg_to_rad(-25.0)) {
        scene.has_floor = false;
        std::erase_if(scene.pieces, [](const ScenePiece& piece) { return piece.is_ground; });
    }
    if (scene.bodies.size() == 2 && shown_ == Shown::source) scene.bodies.pop_back();
    if (scene.bodies.size() == 2 && shown_ == Shown::target) scene.bodies.erase(scene.bodies.begin());
    if (shown_ != Shown::both)
        for (SceneBody& body : scene.bodies) body.opacity = 1.0f;
    return scene;
}

bool StageView::is_scene() const {
    return workspace_.scene().is_open() && !workspace_.is_limbering();
}

double StageView::source_aside_m() const {
    constexpr double least_m = 1.4, apart_m = 0.9, every_s = 0.5;
    const SceneWork& work = workspace_.scene();
    const auto result = work.result();
    if (source_aside_.result == result && source_aside_.in_hand == work.in_hand() &&
        source_aside_.aside == aside_)
        return source_aside_.m;
    double most = least_m;
    const auto along = [&](size_t cast, double scene_s, bool of_target) -> std::optional<double> {
        const CastBodies& of = work.casts()[cast];
        const Character& body = (of_target ? of.body : of.source)->file.character;
        const Pose pose = work.pose_at(cast, scene_s, of_target);
        const size_t hips = size_t(std::max(0, body.roles.joint("hips")));
        return hips < pose.p.size() ? std::optional(pose.p[hips].dot(aside_)) : std::nullopt;
    };
    for (double scene_s = work.first_s(); result && scene_s <= work.last_s(); scene_s += every_s) {
        const auto source = along(work.in_hand(), scene_s, false);
        for (size_t i = 0; i < work.casts().size() && source; ++i)
            if (const auto there = along(i, scene_s, true))
                most = std::max(most, (*source - *there + apart_m) / 0.75);
    }
    source_aside_ = {result, work.in_hand(), aside_, most};
    return most;
}

std::vector<size_t> StageView::add_others(Scene& scene, int frame) const {
    std::vector<size_t> others;
    if (!is_scene() || stand_ != Stand::take || shown_ == Shown::source || scene.bodies.empty())
        return others;
    const SceneWork& work = workspace_.scene();
    const double scene_s = work.scene_s(frame);
    std::vector<size_t> shown{work.in_hand()};
    for (size_t i = 0; i < work.casts().size(); ++i) {
        if (i == work.in_hand()) continue;
        const Pose target = work.pose_at(i, scene_s, true);
        const Pose source = work.pose_at(i, scene_s, false);
        const LoadedPtr body = work.casts()[i].body;
        if (target.p.empty() || source.p.empty() || !body) continue;
        add_body(scene,
                 {&body->file.character, body->figure,
                  body->drawn ? body->drawn : rig_of(body, body->file.character), target,
                  target_look_ == BodyLook::hidden ? BodyLook::mesh : target_look_},
                 scene.theme.grid);
        scene.bodies.back().paled = 0.85f;
        others.push_back(i);
        // Two bodies of one file go through one set.
        std::vector<Prop> props = work.casts()[i].source->props;
        std::erase_if(props, [&](const Prop& prop) {
            return std::any_of(shown.begin(), shown.end(),
                               [&](size_t with) { return is_shown_with(work.scene(), with, i, prop.piece); });
        });
        shown.push_back(i);
        if (const auto result = work.result())
            add_cast_props(scene, props, {source.R, source.p, work.scene().casts[i].take_time_s(scene_s)},
                           result->results[i].plan.program, target, true);
    }
    return others;
}

/// Gaps of touches at the shown frame, by the hands.
std::vector<std::pair<QPointF, QString>> StageView::scene_words() const {
    std::vector<std::pair<QPointF, QString>> words;
    if (!is_scene() || stand_ != Stand::take || shown_ == Shown::source) return words;
    const SceneWork& work = workspace_.scene();
    const double scene_s = work.scene_s(playback_.frame());
    for (const BodyTouch& touch : work.touches()) {
        if (touch.is_unsure || !work.is_at(touch, scene_s)) continue;
        const auto gap = work.gap_mm(touch, scene_s);
        const Character& of = work.casts()[touch.cast].body->file.character;
        const int hand = of.roles.joint(role_side(touch.point) == Side::left ? "hand.left" : "hand.right");
        const Pose pose = work.pose_at(touch.cast, scene_s, true);
        if (!gap || hand < 0 || size_t(hand) >= pose.p.size()) continue;
        const Vec3 seen = camera_.project(pose.p[size_t(hand)], width(), height());
        words.emplace_back(QPointF(seen.x(), seen.y() - 16), tr("%1 mm").arg(*gap, 0, 'f', 0));
    }
    return words;
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
    Scene scene = scene_at(playback_.frame());
    std::vector<Shot> shots{{camera_, 0, 0, int(width() * ratio), int(height() * ratio), -1, {}}};
    std::vector<Stroke2>& over = shots[0].strokes;
    if (stand_ != Stand::take && scene.bodies.size() == 2)
        for (const GapArc& arc : arcs_) {
            GapArc there = arc;
            there.centre_m += moved_m(true);
            const auto strokes = there.strokes(camera_, size());
            over.insert(over.end(), strokes.begin(), strokes.end());
        }
    if (has_links_ && scene.bodies.size() == 2) {
        const auto strokes = link_strokes(scene);
        over.insert(over.end(), strokes.begin(), strokes.end());
    }
    if (has_rings_) {
        const auto strokes = ring_strokes(scene);
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
    if (const auto arms = place_handle()) {
        const auto strokes = arms->strokes(camera_, size(), placing_ ? placing_->part : lit_arm_);
        over.insert(over.end(), strokes.begin(), strokes.end());
    }
    for (Stroke2& stroke : over) stroke = {ratio * stroke.from, ratio * stroke.to, ratio * stroke.width_px};
    QMetaObject::invokeMethod(this, &StageView::show_words, Qt::QueuedConnection);
    std::vector<FootInset> insets;
    if (has_insets_ && !workspace_.live() && stand_ == Stand::take && !scene.bodies.empty()) {
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
    add_others(scene, playback_.frame());
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

}  // namespace nb
