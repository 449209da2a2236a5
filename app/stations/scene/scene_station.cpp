#include "app/stations/scene/scene_station.hpp"

#include <QUndoStack>
#include <algorithm>
#include <cmath>

#include "app/stage/stage_view.hpp"
#include "app/stations/scene/scene_lanes.hpp"
#include "app/stations/scene/scene_panel.hpp"
#include "app/work/scene_edits.hpp"

namespace nb {

SceneStation::SceneStation(const StationContext& c)
    : Station(
          {"scene", tr("Scene"),
           tr("Several bodies on one clock and one floor: hands on each other, what goes from hand to hand."),
           1.3},
          c.window),
      context_(c),
      edits_(new SceneEdits(c.workspace, c.undo, this)),
      panel_(new ScenePanel(c.workspace, c.playback, *edits_, c.window)),
      lanes_(new SceneLanes(c.workspace, c.playback, *edits_, c.window)) {
    show_in_window(panel_, lanes_, 216);
    connect(edits_, &SceneEdits::failed, this, &Station::failed);
    connect(panel_, &ScenePanel::said, this, &Station::said);
    connect(lanes_, &SceneLanes::explained, this, &Station::said);
    connect(lanes_, &SceneLanes::touch_picked, panel_, &ScenePanel::pick_touch);
    connect(panel_, &ScenePanel::touch_picked, lanes_, &SceneLanes::pick_touch);
    connect(panel_, &ScenePanel::handle_wanted, this, [this](bool moves, bool turns) {
        set_handle(moves ? Handle::move : turns ? Handle::turn : Handle::none);
    });
    connect(&c.stage, &StageView::cast_picked, this,
            [this](int cast) { context_.workspace.take_in_hand(size_t(cast), context_.playback.frame()); });
    connect(&c.workspace, &Workspace::scene_changed, this, [this] {
        show_handle();
        emit open_points_changed();
    });
    connect(&c.workspace.scene(), &SceneWork::review_changed, this, &Station::open_points_changed);
    connect(&c.workspace, &Workspace::frame_wanted, this, [this](int frame) {
        context_.playback.go_to(std::clamp(frame, 0, std::max(0, context_.playback.frames() - 1)));
    });
    const auto is_ours = [this] {
        return is_entered_ && handle_ != Handle::none && context_.workspace.scene().is_open();
    };
    const auto begin = [this, is_ours] {
        if (!is_ours()) return;
        const SceneWork& work = context_.workspace.scene();
        const auto& entry = context_.workspace.scene_document().casts[work.in_hand()];
        at_before_m_ = entry.at_m;
        turn_before_deg_ = entry.turn_deg;
        topic_ = edits_->new_topic();
    };
    connect(&c.stage, &StageView::place_begun, this, begin);
    connect(&c.stage, &StageView::placed, this, [this, is_ours](int, const Vec3& by_m) {
        if (!is_ours()) return;
        // The floor of the targets is that of the takes by the scene's distances.
        const SceneWork& work = context_.workspace.scene();
        edits_->set_place(work.in_hand(), at_before_m_ + by_m / work.scale(), topic_);
    });
    connect(&c.stage, &StageView::turn_begun, this, begin);
    connect(&c.stage, &StageView::turned, this, [this, is_ours](bool, int, const Quat& turn_W) {
        if (!is_ours()) return;
        const SceneWork& work = context_.workspace.scene();
        // About the upright alone.
        const double about_up = 2.0 * std::atan2(turn_W.y(), turn_W.w());
        edits_->set_turn(work.in_hand(), std::remainder(turn_before_deg_ + rad_to_deg(about_up), 360.0),
                         work.scene_s(context_.playback.frame()), topic_);
    });
    for (const auto signal : {&StageView::place_ended, &StageView::turn_ended})
        connect(&c.stage, signal, this, [this, is_ours](bool is_kept) {
            if (is_ours() && !is_kept) context_.undo.undo();
        });
}

int SceneStation::open_points() const {
    return context_.workspace.scene().is_open() ? int(context_.workspace.scene().events().size()) : 0;
}

std::vector<StationAction> SceneStation::actions() {
    const auto shift = [this](int frames) {
        const SceneWork& work = context_.workspace.scene();
        if (!work.is_open()) return;
        edits_->shift(work.in_hand(), frames, int(work.in_hand()) + (1 << 20));
    };
    return {
        {"next cast", tr("The next cast of the scene in hand"), {Qt::Key_Q}, [this] { next_cast(); }},
        {"cast later",
         tr("The cast in hand begins a frame later"),
         {QKeySequence(Qt::ALT | Qt::Key_Period)},
         [shift] { shift(1); }},
        {"cast earlier",
         tr("The cast in hand begins a frame earlier"),
         {QKeySequence(Qt::ALT | Qt::Key_Comma)},
         [shift] { shift(-1); }},
        {"make scene",
         tr("Make a scene of what is on the stage"),
         {},
         [this] { context_.workspace.make_scene("scene"); }},
        {"close scene",
         tr("Lay the scene by, what is not saved is kept"),
         {},
         [this] { context_.workspace.close_scene(); }},
        {"hand scene over", tr("Write all casts of the scene"), {}, [this] { panel_->ask_hand_over(); }},
    };
}

void SceneStation::next_cast() {
    const SceneWork& work = context_.workspace.scene();
    if (!work.is_open()) return;
    context_.workspace.take_in_hand((work.in_hand() + 1) % work.casts().size(), context_.playback.frame());
}

void SceneStation::set_handle(Handle handle) {
    handle_ = handle;
    show_handle();
}

void SceneStation::show_handle() {
    if (!is_entered_) return;
    const bool is_open = context_.workspace.scene().is_open() && context_.workspace.target();
    if (is_open && handle_ != Handle::none)
        context_.stage.select(true, context_.workspace.target()->file.character.roles.joint("hips"));
    context_.stage.set_place_handle(is_open && handle_ == Handle::move);
    context_.stage.set_handle(is_open && handle_ == Handle::turn, TurnAxes::world);
}

void SceneStation::enter() {
    is_entered_ = true;
    show_handle();
}

void SceneStation::leave() {
    is_entered_ = false;
    context_.stage.set_place_handle(false);
    context_.stage.set_handle(false, TurnAxes::bone);
}

}  // namespace nb
