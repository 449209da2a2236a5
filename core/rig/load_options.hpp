// What is said by hand about a file before it is read.
#pragma once
#include <map>
#include <optional>
#include <string>
#include <vector>

#include "core/math/rotation.hpp"

namespace nb {

/// A part of the body that was captured along, in a file of its own (core/intake/along.hpp).
struct TakePart {
    std::string file;              ///< seen from the folder of the body's file
    std::string what = "fingers";  ///< or "fingers.left", "fingers.right", "face"
    int animation = 0;             ///< which, of a file that holds several; from 0
    double offset_s = 0.0;         ///< its first frame comes so long after the body's
    bool operator==(const TakePart&) const = default;
};
/// A recording of what was heard.
struct TakeSound {
    std::string file;       ///< seen from the folder of the body's file; empty: there is none
    double offset_s = 0.0;  ///< it begins so long after the body's first frame
    bool operator==(const TakeSound&) const = default;
};

/// A thing put on the take's stage by hand (core/intake/things.hpp).
struct StageThing {
    std::string file;          ///< of its mesh, seen from the folder of the body's file
    std::string name;          ///< empty: that of the file
    Vec3 at_m = Vec3::Zero();  ///< where it stands, in the take's world
    double turn_deg = 0.0;     ///< about up
    std::string held_by;       ///< "left", "right", "both"; empty: it stands still
    double from_s = 0.0;       ///< taken, on the clock of the take's file
    double to_s = 0.0;         ///< let go; not after `from_s`: never
    bool operator==(const StageThing&) const = default;
};

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
    std::vector<TakePart> along;
    TakeSound sound;
    std::vector<StageThing> things;
    double starts_at_s = 0.0;  ///< the file's first frame on the clock of the shoot
    bool is_by_hand = false;   ///< chosen now: no document speaks beside it

    bool operator==(const LoadOptions&) const = default;
};

}  // namespace nb
