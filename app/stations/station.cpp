#include "app/stations/station.hpp"

#include <QWidget>

#include "app/stations/chains/chains_station.hpp"
#include "app/stations/hand_over/hand_over_station.hpp"
#include "app/stations/intake/intake_station.hpp"
#include "app/stations/live/live_station.hpp"
#include "app/stations/rest/rest_station.hpp"
#include "app/stations/roles/roles_station.hpp"
#include "app/stations/scene/scene_station.hpp"
#include "app/stations/touch_up/touch_station.hpp"
#include "app/stations/transfer/transfer_station.hpp"

namespace nb {

StationList make_stations(const StationContext& context) {
    return {
        new IntakeStation(context), new RolesStation(context),    new RestStation(context),
        new ChainsStation(context), new TransferStation(context), new TouchStation(context),
        new SceneStation(context),  new HandOverStation(context), new LiveStation(context),
    };
}

}  // namespace nb
