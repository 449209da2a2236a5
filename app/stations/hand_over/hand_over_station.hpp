// Hand over: what leaves is what was seen. An order says which results, how, where and under which names; every file
// is listed before it is written, and read back afterwards.
#pragma once
#include "app/stations/station.hpp"

namespace nb {

class HandOverDesk;
class HandOverPanel;
class HandOverSheet;

class HandOverStation : public Station {
    Q_OBJECT

  public:
    explicit HandOverStation(const StationContext& context);
    std::vector<StationAction> actions() override;
    void refresh_look() override;
    HandOverDesk& desk() { return *desk_; }

  private:
    HandOverDesk* desk_;
    HandOverSheet* sheet_;
    HandOverPanel* panel_;
};

}  // namespace nb
