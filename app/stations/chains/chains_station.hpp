// Chains: which chain drives which, and what of it crosses.
#pragma once
#include "app/stations/station.hpp"

namespace nb {

class ChainRuler;
class ChainsPanel;

class ChainsStation : public Station {
    Q_OBJECT

  public:
    explicit ChainsStation(const StationContext& context);
    int open_points() const override;

  private:
    ChainRuler* ruler_;
    ChainsPanel* panel_;
};

}  // namespace nb
