// Rest: both bodies in one stance.
#pragma once
#include "app/stations/station.hpp"

namespace nb {

class RestPanel;
class RestSheet;

class RestStation : public Station {
    Q_OBJECT

  public:
    explicit RestStation(const StationContext& context);
    int open_points() const override;
    void enter() override;
    void leave() override;
    /// Picks a role.
    void go_to(const QString& role) override;

  private:
    RestSheet* sheet_;
    RestPanel* panel_;
};

}  // namespace nb
