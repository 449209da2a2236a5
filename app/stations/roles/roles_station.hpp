// Roles: which bone plays which part of the body.
#pragma once
#include "app/stations/station.hpp"

namespace nb {

class RailsView;
class RolesPanel;

class RolesStation : public Station {
    Q_OBJECT

  public:
    explicit RolesStation(const StationContext& context);
    bool scrolls_by_itself() const override { return true; }
    int open_points() const override;

  private:
    Workspace& workspace_;
    RailsView* rails_;
    RolesPanel* panel_;
};

}  // namespace nb
