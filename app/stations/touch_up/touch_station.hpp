// Touch-up: few corrections of a transfer, exactly where it is wrong.
#pragma once
#include "app/stations/station.hpp"

namespace nb {

class TouchEdits;
class TouchPanel;
class TouchSheet;

class TouchStation : public Station {
    Q_OBJECT

  public:
    explicit TouchStation(const StationContext& context);
    std::vector<StationAction> actions() override;
    void enter() override;
    void leave() override;
    void refresh_look() override;
    void go_to(const QString& role) override;
    TouchEdits& edits() { return *edits_; }

  private:
    const StationContext context_;
    TouchEdits* edits_;
    TouchSheet* sheet_;
    TouchPanel* panel_;

    void nudge(double by);
};

}  // namespace nb
