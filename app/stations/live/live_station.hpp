// Live: a stream is a take that is still coming in.
#pragma once
#include "app/stations/station.hpp"

namespace nb {

class LiveLane;
class LivePanel;

class LiveStation : public Station {
    Q_OBJECT

  public:
    explicit LiveStation(const StationContext& context);
    std::vector<StationAction> actions() override;

  private:
    LiveDesk& desk_;
    LivePanel* panel_;
    LiveLane* lane_;
};

}  // namespace nb
