// Transfer: carries the take onto the target and shows how well it arrives.
#pragma once
#include "app/stations/station.hpp"

namespace nb {

class TransferPanel;
class TransferSheet;

class TransferStation : public Station {
    Q_OBJECT

  public:
    explicit TransferStation(const StationContext& context);
    std::vector<StationAction> actions() override;
    void refresh_look() override;

  private:
    TransferSheet* sheet_;
    TransferPanel* panel_;
};

}  // namespace nb
