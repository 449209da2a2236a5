// Things that go through a take, handed over with the body: each a root of its own behind the body's joints, where the
// stage shows it. What they look like stays behind.
#pragma once
#include <string>
#include <vector>

#include "core/handover/handed.hpp"

namespace nb {

struct PropTrack {
    std::string name;
    std::vector<Rigid> X_W;  ///< a frame, world of the target
    double scale = 1.0;      ///< of what is shown there, told
};

/// Props with as many frames as the motion become the last joints; a name the body has gets "_prop" behind it.
void add_props(Handed& handed, const std::vector<PropTrack>& props);
Rig rig_without_props(const Handed& handed);
/// The body alone, for formats that hold nothing else.
Handed without_props(const Handed& handed);
/// .glb, .bvh and .csv hold more than a body.
bool holds_props(const std::string& ending);

}  // namespace nb
