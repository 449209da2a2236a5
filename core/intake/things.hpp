// Things that are put on a take's stage by hand and given to a hand: a crate the performer only mimed.
//
// Each becomes a root joint beside the body, as things are that were captured along, so that grips are found on it, hands
// hold it, and it is handed over. It stands where it was put,
//   X_WT = (at, turn about +Y),
// is taken at `from_s` where it stands then, goes with its holder
//   X_WT(t) = X_WH(t) X_WH(from)^T X_WT
// and stays where it is let go at `to_s`. H: the hand; of both hands the middle between them, x from the left to the right
// hand, y as near to up as that allows.
#pragma once
#include <string>
#include <vector>

#include "core/intake/load.hpp"

namespace nb {

/// The words for `StageThing::held_by`, in the order they are offered; the first: nobody.
const std::vector<std::string>& thing_holders();

/// The frame of a take that is nearest to a time on its clock.
int frame_at(const Take& take, double t_s);

/// Their joints, at the end of skeleton and take, at rest at the origin. Names in use get "_2" behind them.
void add_things(Rig& rig, Take& take, const std::vector<StageThing>& things);
/// Their motion over the take, by the hands as roles have them, and the pieces the stage shows. Once more where roles have
/// changed. A file that is not there: the thing is not shown, which is told in `facts.away`; with `is_strict` FileError.
void carry_things(LoadedFile& file, bool is_strict);

/// Where a thing lies so that its middle is in the palms of its holder at a time on the take's clock, its turn kept; as
/// it is for a holder the body lacks. `middle_m`: in the thing's frame.
StageThing brought_to_hand(const LoadedFile& file, const StageThing& thing, const Vec3& middle_m,
                           double at_s);

}  // namespace nb
