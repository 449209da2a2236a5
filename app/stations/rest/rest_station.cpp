#include "app/stations/rest/rest_station.hpp"

#include "app/stations/rest/rest_panel.hpp"
#include "app/stations/rest/rest_sheet.hpp"

namespace nb {

RestStation::RestStation(const StationContext& c)
    : Station({"rest", tr("Rest"),
               tr("How far apart the two bodies stand at rest; one stance for both, solved at once, "
                  "corrected by the "
                  "degree."),
               0.9},
              c.window),
      sheet_(new RestSheet(c.window)),
      panel_(new RestPanel(c.workspace, c.stage, *sheet_, c.playback, c.undo, c.window)) {
    show_in_window(panel_, sheet_, 244);
    connect(panel_, &RestPanel::said, this, &Station::said);
    connect(panel_, &RestPanel::failed, this, &Station::failed);
}

int RestStation::open_points() const {
    return panel_->open_points();
}

void RestStation::enter() {
    panel_->enter();
}

void RestStation::leave() {
    panel_->leave();
}

void RestStation::go_to(const QString& role) {
    panel_->pick(role);
}

}  // namespace nb
