#include "app/stations/chains/chains_station.hpp"

#include "app/stations/chains/chains_panel.hpp"
#include "app/stations/chains/chains_sheet.hpp"

namespace nb {

ChainsStation::ChainsStation(const StationContext& c)
    : Station({"chains", tr("Chains"),
               tr("Which chain drives which, to one scale; what of each crosses; the bone map and what to "
                  "expect.")},
              c.window),
      edits_(c.workspace, c.undo),
      sheet_(new ChainsSheet(c.workspace, edits_, c.window)),
      panel_(new ChainsPanel(c.workspace, c.stage, *sheet_, edits_, c.window)) {
    show_in_window(panel_, sheet_, 276);
    connect(sheet_, &ChainsSheet::page_shown, this,
            [this](bool is_map) { turn_page(is_map ? "/map" : "", is_map ? 330 : 276); });
    connect(panel_, &ChainsPanel::said, this, &Station::said);
    connect(&sheet_->map(), &MapPage::said, this, &Station::said);
    connect(&sheet_->map(), &MapPage::failed, this, &Station::failed);
    connect(&sheet_->map(), &MapPage::role_wanted, this,
            [this](const QString& role) { emit wanted("roles", role); });
}

int ChainsStation::open_points() const {
    return panel_->open_points();
}

std::vector<StationAction> ChainsStation::actions() {
    return {{"bone map", tr("The bone map: what moves each bone"), {}, [this] {
                 emit wanted("chains", {});
                 sheet_->show_map(true);
             }}};
}

void ChainsStation::refresh_look() {
    panel_->refresh_look();
}

}  // namespace nb
