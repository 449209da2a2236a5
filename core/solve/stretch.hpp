// How far a limb of two bones may stretch.
#pragma once
#include "core/body/chain_settings.hpp"
#include "core/math/rotation.hpp"
#include "core/math/two_bones.hpp"

namespace nb {

/// Stretch (distance start to tip by limb length) that the target takes when `wanted` is asked for. The
/// target may always stretch as far as the source does; beyond max(source, from) the rest of the way to 1 is
/// eased, continuous in value and slope, and never passes 1.
double soften_stretch(double wanted, double source, double from = usual_soften_from);
/// The same beyond a stretch of one's own.
double soften_beyond(double wanted, double free);
/// The stretch a limb takes that stands at `now` and is asked to move on: what it has, and up to 0.95, is free.
double soften_moved(double wanted, double now);
/// How far a held limb may stretch before the hips give way: as the source's, within 0.98 and 0.995. Just
/// short of straight it still bends one way, and a tremble of the hips does not turn the knee much. With a
/// hock between, knee and elbow are bent anyway, and it may go to 0.9999.
double held_stretch(double source, bool has_hock);
/// How far from its start a limb's tip may be asked before the hips give way, m: `held_stretch` of its length; one that is
/// being led to a hold, `weight` 0..1, may lack something of its length at first.
double led_reach_m(double length_m, double source, bool has_hock, double weight);

}  // namespace nb
