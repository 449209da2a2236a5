#include "app/stations/intake/intake_station.hpp"

#include "app/stations/intake/intake_panel.hpp"
#include "app/stations/intake/intake_sheet.hpp"

namespace nb {

IntakeStation::IntakeStation(const StationContext& c)
    : Station(c.window),
      sheet_(new IntakeSheet(c.workspace, c.playback, c.window)),
      panel_(new IntakePanel(c.workspace, c.stage, c.playback, c.undo, c.window)) {
    sheet_->set_panel(panel_);
    connect(panel_, &IntakePanel::body_shown, sheet_, qOverload<>(&QWidget::update));
}

QString IntakeStation::promise() const {
    return tr("What is in the files of take and target, what is odd about them, and how to repair it.");
}

QWidget* IntakeStation::panel() {
    return panel_;
}

QWidget* IntakeStation::sheet() {
    return sheet_;
}

int IntakeStation::open_points() const {
    return panel_->open_points();
}

}  // namespace nb
