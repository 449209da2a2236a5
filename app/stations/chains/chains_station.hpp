// Chains: which chain drives which, and what of it crosses.
#pragma once
#include "app/stations/station.hpp"
#include "app/work/chain_edits.hpp"

namespace nb {

class ChainsPanel;
class ChainsSheet;

class ChainsStation : public Station {
    Q_OBJECT

  public:
    explicit ChainsStation(const StationContext& context);
    int open_points() const override;
    std::vector<StationAction> actions() override;
    void refresh_look() override;

  private:
    ChainEdits edits_;
    ChainsSheet* sheet_;
    ChainsPanel* panel_;
};

}  // namespace nb
