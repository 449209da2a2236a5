// Intake: what is in the files, and how to repair it.
#pragma once
#include "app/stations/station.hpp"

namespace nb {

class IntakePanel;
class IntakeSheet;

class IntakeStation : public Station {
    Q_OBJECT

  public:
    explicit IntakeStation(const StationContext& context);
    int open_points() const override;
    void enter() override;
    void leave() override;

  private:
    IntakeSheet* sheet_;
    IntakePanel* panel_;
};

}  // namespace nb
