#include "app/stations/intake/intake_station.hpp"

#include <QFileInfo>

#include "app/stage/stage_view.hpp"
#include "app/stations/intake/intake_panel.hpp"
#include "app/stations/intake/intake_sheet.hpp"

namespace nb {

IntakeStation::IntakeStation(const StationContext& c)
    : Station({"intake", tr("Intake"),
               tr("What is in the files of take and target, what is odd about them, and how to repair it."),
               0.65},
              c.window),
      sheet_(new IntakeSheet(c.workspace, c.playback, c.window)),
      panel_(new IntakePanel(c.workspace, c.stage, c.playback, c.undo, c.window)) {
    show_in_window(panel_, sheet_);
    sheet_->set_panel(panel_);
    connect(panel_, &IntakePanel::body_shown, sheet_, qOverload<>(&QWidget::update));
    connect(&c.workspace, &Workspace::thing_opened, this, [this, &stage = c.stage](const QString& path) {
        emit wanted(about().id, {});
        panel_->put_thing(path, stage.take_drop());
        emit said(tr("%1 stands on the take's stage: drag it by its arms, say which hand takes it and when.")
                      .arg(QFileInfo(path).fileName()));
    });
}

void IntakeStation::enter() {
    panel_->set_entered(true);
}

void IntakeStation::leave() {
    panel_->set_entered(false);
}

int IntakeStation::open_points() const {
    return panel_->open_points();
}

}  // namespace nb
