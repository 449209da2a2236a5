#include "app/stations/transfer/transfer_station.hpp"

#include "app/stations/transfer/transfer_panel.hpp"
#include "app/stations/transfer/transfer_sheet.hpp"

namespace nb {

TransferStation::TransferStation(const StationContext& c)
    : Station({"transfer", tr("Transfer"),
               tr("Carries the take onto the target and shows how well it arrives."), 1.45},
              c.window),
      sheet_(new TransferSheet(c.workspace, c.playback, c.stage, c.undo, c.window)),
      panel_(new TransferPanel(c.workspace, c.playback, c.undo, c.window)) {
    show_in_window(panel_, sheet_);
    connect(sheet_, &TransferSheet::said, this, &Station::said);
    connect(panel_, &TransferPanel::said, this, &Station::said);
    connect(panel_, &TransferPanel::worst_wanted, sheet_, &TransferSheet::go_to_worst);
    connect(panel_, &TransferPanel::contact_wanted, sheet_, &TransferSheet::choose_contact);
    connect(panel_, &TransferPanel::rest_wanted, this,
            [this](const QString& role) { emit wanted("rest", role); });
}

std::vector<StationAction> TransferStation::actions() {
    return {{"curves",
             tr("Curves of the selected bone, or the strip"),
             {Qt::Key_C},
             [this] { sheet_->show_curves(!sheet_->has_curves()); }},
            {"pin", tr("Pin the result, or let go of it"), {Qt::Key_P}, [this] { panel_->toggle_pin(); }},
            {"worst", tr("To the next worst frame of the measure"), {Qt::Key_W}, [this] {
                 sheet_->go_to_next_worst();
             }}};
}

void TransferStation::refresh_look() {
    sheet_->refresh_look();
}

}  // namespace nb
