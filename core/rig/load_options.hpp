// What is said by hand about a file before it is read.
#pragma once
#include <map>
#include <optional>
#include <string>
#include <vector>

namespace nb {

/// What is said by hand about a file, where it is silent or wrong; the repairs of the intake. The file itself
/// is never changed.
struct LoadOptions {
    std::optional<double> unit_m;   ///< one unit of the file in metres
    std::optional<std::string> up;  ///< "+Y", "-Z" ...
    std::optional<std::string> facing;
    int animation = 0;          ///< which, of a file that holds several; from 0
    bool ignore_names = false;  ///< roles from shape and tree alone
    std::string plan;           ///< body plan; empty: as the shape says
    std::string tree;           ///< the bone at whose tree the body is; empty: the likeliest
    std::string reference;      ///< "rest pose", "bind pose", "first frame"; empty: the nearest to the stance
    bool on_floor = false;      ///< the rest pose is lifted or lowered until its soles stand on the floor
    bool over_origin = false;   ///< the rest pose is moved until its hip centre stands over the origin
    bool set_down = false;      ///< the take goes down until its feet rest on the floor
    bool give_travel = false;   ///< a cycle that treads on the spot gets its travel
    bool bridge_breaks = false;  ///< a joint that leaves for one frame and comes back is led straight through
    std::optional<double> fps;   ///< resampled to that rate, duration kept
    int trim_first = 0;          ///< frames of the file (at its own rate); what is cut off stays in the file
    int trim_last = 0;           ///< not included; 0: to the end
    /// Length factors of "legs", "arms", "trunk", "neck"; rotations stay, the hips' path goes with the legs.
    std::map<std::string, double> lengths;
    std::vector<std::string> without_meshes;  ///< meshes of these names are left out
    bool is_by_hand = false;                  ///< chosen now: no document speaks beside it

    bool operator==(const LoadOptions&) const = default;
};

}  // namespace nb
