#include "app/stations/chains/chains_station.hpp"

#include "app/stations/chains/chain_ruler.hpp"
#include "app/stations/chains/chains_panel.hpp"

namespace nb {

ChainsStation::ChainsStation(const StationContext& c)
    : Station({"chains", tr("Chains"),
               tr("Which chain drives which, to one scale; what of each crosses; the bone map and what to "
                  "expect.")},
              c.window),
      ruler_(new ChainRuler(c.window)),
      panel_(new ChainsPanel(c.workspace, c.stage, *ruler_, c.undo, c.window)) {
    show_in_window(panel_, ruler_, 244);
    connect(panel_, &ChainsPanel::said, this, &Station::said);
    connect(panel_, &ChainsPanel::failed, this, &Station::failed);
}

int ChainsStation::open_points() const {
    return panel_->open_points();
}

}  // namespace nb
