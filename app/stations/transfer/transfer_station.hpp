// Transfer: carries the take onto the target and shows how well it arrives.
#pragma once
#include "app/stations/station.hpp"

namespace nb {

class EventDesk;
class TransferPanel;
class TransferSheet;

class TransferStation : public Station {
    Q_OBJECT

  public:
    explicit TransferStation(const StationContext& context);
    int open_points() const override;
    std::vector<StationAction> actions() override;
    EventDesk& desk() { return *desk_; }
    void refresh_look() override;

  private:
    EventDesk* desk_;
    TransferSheet* sheet_;
    TransferPanel* panel_;
};

}  // namespace nb
