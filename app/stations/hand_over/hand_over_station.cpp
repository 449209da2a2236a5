#include "app/stations/hand_over/hand_over_station.hpp"

#include "app/stations/hand_over/hand_over_panel.hpp"
#include "app/stations/hand_over/hand_over_sheet.hpp"
#include "app/work/hand_over_desk.hpp"

namespace nb {

HandOverStation::HandOverStation(const StationContext& c)
    : Station({"hand over", tr("Hand over"),
               tr("An order says what leaves, how, and under which names; every file is listed before it is "
                  "written and read back after."),
               1.5},
              c.window),
      desk_(new HandOverDesk(c.workspace, c.undo, this)),
      sheet_(new HandOverSheet(*desk_, c.window)),
      panel_(new HandOverPanel(c.workspace, c.playback, *desk_, c.window)) {
    show_in_window(panel_, sheet_, 268);
    connect(desk_, &HandOverDesk::said, this, &Station::said);
    connect(desk_, &HandOverDesk::failed, this, &Station::failed);
}

std::vector<StationAction> HandOverStation::actions() {
    return {
        {"order this pair",
         tr("Put the shown take on the shown target into the order"),
         {},
         [this] {
             if (const auto pair = desk_->shown_pair()) desk_->add_pairs({*pair});
         }},
        {"hand over now", tr("Write every file of the order"), {}, [this] { desk_->hand_over(); }},
        {"keep order", tr("Keep the order with the library"), {}, [this] { desk_->keep(); }},
    };
}

void HandOverStation::refresh_look() {
    sheet_->refresh();
}

}  // namespace nb
