#include "app/stations/touch_up/touch_station.hpp"

#include <algorithm>

#include "app/stations/touch_up/touch_lanes.hpp"
#include "app/stations/touch_up/touch_panel.hpp"
#include "app/stations/touch_up/touch_sheet.hpp"

namespace nb {

TouchStation::TouchStation(const StationContext& c)
    : Station(
          {"touch up", tr("Touch-up"),
           tr("Small corrections over the transfer, each just where it is wrong; the take stays as it is."),
           1.3},
          c.window),
      context_(c),
      edits_(new TouchEdits(c.workspace, c.undo, this)),
      sheet_(new TouchSheet(c.workspace, c.playback, c.stage, *edits_, c.window)),
      panel_(new TouchPanel(c.workspace, c.stage, c.playback, *edits_, c.undo, c.window)) {
    show_in_window(panel_, sheet_, 268);
    connect(panel_, &TouchPanel::said, this, &Station::said);
    connect(sheet_, &TouchSheet::said, this, &Station::said);
}

std::vector<StationAction> TouchStation::actions() {
    const auto alt = [](int key) { return QList<QKeySequence>{QKeySequence(Qt::ALT | Qt::Key(key))}; };
    return {
        {"next key",
         tr("To the next place where a touch-up changes"),
         {Qt::Key_Period},
         [this] { panel_->step_key(1); }},
        {"key before",
         tr("To the place before where a touch-up changes"),
         {Qt::Key_Comma},
         [this] { panel_->step_key(-1); }},
        {"touch here", tr("A turn of the picked bone about this frame"), alt(Qt::Key_T),
         [this] { panel_->add(TouchKind::turn); }},
        {"nudge more",
         tr("The touch-up in hand by one degree, centimetre or percent more"),
         {Qt::Key_Plus},
         [this] { nudge(1.0); }},
        {"nudge less",
         tr("The touch-up in hand by one degree, centimetre or percent less"),
         {Qt::Key_Minus},
         [this] { nudge(-1.0); }},
        {"mute layer", tr("Mute the layer in hand, or let it act again"), alt(Qt::Key_M),
         [this] {
             if (const TouchLayer* layer = edits_->layer(edits_->in_hand()))
                 edits_->mute(edits_->in_hand(), !layer->is_muted);
         }},
        {"solo layer", tr("The layer in hand alone, or all again"), alt(Qt::Key_O),
         [this] { edits_->solo(edits_->in_hand()); }},
    };
}

/// Along the largest part of what it does.
void TouchStation::nudge(double by) {
    const auto longer = [](Vec3& v, double step) {
        const double size = v.norm();
        v = size < 1e-9 ? Vec3(0, step, 0) : Vec3(v * ((size + step) / size));
    };
    edits_->change(edits_->in_hand(), tr("nudge"), edits_->topic_of(this), [&](TouchUp& touch) {
        switch (touch.kind) {
            case TouchKind::turn:
                longer(touch.turn_rad, by * deg_to_rad(1.0));
                break;
            case TouchKind::place:
            case TouchKind::body:
                longer(touch.place_m, by * 0.01);
                break;
            case TouchKind::hand:
                touch.opening = std::clamp(touch.opening + 0.01 * by, 0.0, 1.0);
                break;
            case TouchKind::calm:
                touch.cut_off_hz = std::max(0.5, touch.cut_off_hz + by);
                break;
            case TouchKind::damp:
            case TouchKind::straight:
                touch.keep = std::clamp(touch.keep + 0.01 * by, 0.0, 1.0);
                break;
            case TouchKind::pace:
                touch.percent = std::clamp(touch.percent + by, 10.0, 1000.0);
                break;
            case TouchKind::settle:
            case TouchKind::loop:
                break;
        }
    });
}

void TouchStation::enter() {
    panel_->enter();
}

void TouchStation::leave() {
    panel_->leave();
}

void TouchStation::refresh_look() {
    sheet_->refresh_look();
}

void TouchStation::go_to(const QString& role) {
    panel_->pick(role);
}

}  // namespace nb
