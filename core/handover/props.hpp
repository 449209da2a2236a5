// Things that go through a take, handed over with the body: each a root of its own behind the body's joints, where the
// stage shows it. What they look like stays behind.
#pragma once
#include <string>
#include <vector>

#include "core/handover/handed.hpp"
#include "core/intake/load.hpp"
#include "core/motion/place_map.hpp"

namespace nb {

struct PropTrack {
    std::string name;
    std::vector<Rigid> X_W;  ///< a frame, world of the target
};
/// The props a take's document names, by the place map: turned as in the source, p = M(p_S).
std::vector<PropTrack> prop_tracks(const LoadedFile& take, const WorldMotion& source, const PlaceMap& map);

/// Props with as many frames as the motion become the last joints; a name the body has gets "_prop" behind it.
void add_props(Handed& handed, const std::vector<PropTrack>& props);
/// The body alone, for formats that hold nothing else.
Handed without_props(const Handed& handed);
/// .glb, .bvh and .csv hold more than a body.
bool holds_props(const std::string& ending);

}  // namespace nb
