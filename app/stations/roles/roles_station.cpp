#include "app/stations/roles/roles_station.hpp"

#include "app/stations/roles/rails_view.hpp"
#include "app/stations/roles/roles_panel.hpp"
#include "app/work/workspace.hpp"

namespace nb {

RolesStation::RolesStation(const StationContext& c)
    : Station({"roles", tr("Roles"),
               tr("Which bone plays which part of the body, how sure, and why; and to give it by hand.")},
              c.window),
      workspace_(c.workspace),
      rails_(new RailsView(c.workspace, c.window)),
      panel_(new RolesPanel(c.workspace, c.stage, *rails_, c.undo, c.window)) {
    show_in_window(panel_, rails_, 244);
    connect(panel_, &RolesPanel::said, this, &Station::said);
}

int RolesStation::open_points() const {
    int open = 0;
    for (const bool of_target : {true, false})
        if (const LoadedPtr body = workspace_.body(of_target)) {
            const RoleMap& roles = body->file.character.roles;
            open += int(roles.unsure().size() + roles.missing.size());
        }
    return open;
}

}  // namespace nb
