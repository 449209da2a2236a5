#include "app/stations/station.hpp"

#include <QWidget>

#include "app/stations/chains/chains_station.hpp"
#include "app/stations/intake/intake_station.hpp"
#include "app/stations/rest/rest_station.hpp"
#include "app/stations/roles/roles_station.hpp"
#include "app/stations/touch_up/touch_station.hpp"
#include "app/stations/transfer/transfer_station.hpp"

namespace nb {

StationList make_stations(const StationContext& context) {
    return {
        new IntakeStation(context),
        new RolesStation(context),
        new RestStation(context),
        new ChainsStation(context),
        new TransferStation(context),
        new TouchStation(context),
        new Station(
            {"hand over", QObject::tr("Hand over"),
             QObject::tr("Here results will be baked, named and written; until then Ctrl+E writes this "
                         "transfer."),
             1.5},
            context.window),
    };
}

}  // namespace nb
