#include "app/stations/live/live_station.hpp"

#include "app/stage/stage_view.hpp"
#include "app/stations/live/live_lane.hpp"
#include "app/stations/live/live_panel.hpp"
#include "app/work/live_desk.hpp"

namespace nb {

namespace {

constexpr int lane_px = 190;

}  // namespace

LiveStation::LiveStation(const StationContext& c)
    : Station(
          {"live", tr("Live"),
           tr("A stream is a take that is still coming in: it is followed, carried, recorded and sent on."),
           1.5},
          c.window),
      desk_(c.live),
      panel_(new LivePanel(c.workspace, c.live, c.window)),
      lane_(new LiveLane(c.live, c.window)) {
    show_in_window(panel_, lane_, lane_px);
    connect(&desk_, &LiveDesk::said, this, &Station::said);
    connect(&desk_, &LiveDesk::failed, this, &Station::failed);
    connect(&c.stage, &QOpenGLWidget::frameSwapped, &desk_, &LiveDesk::painted);
}

std::vector<StationAction> LiveStation::actions() {
    return {
        {"listen", tr("Listen for a stream, or no more"), {}, [this] { panel_->listen_or_not(); }},
        {"record stream",
         tr("Record what comes; once more: stop"),
         {QKeySequence(Qt::CTRL | Qt::Key_R)},
         [this] { desk_.is_recording() ? desk_.stop_recording() : desk_.record(); }},
        {"mark stream", tr("A mark in the recording, now"), {Qt::Key_Y}, [this] { desk_.mark(); }},
    };
}

}  // namespace nb
