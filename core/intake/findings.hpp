// What a file holds that somebody who carries motion should know, each with its evidence, and the repair
// where there is one. A repair is a change of the file's LoadOptions: nothing in the file changes, and the
// former options undo it.
#pragma once
#include <string>
#include <vector>

#include "core/intake/load.hpp"

namespace nb {

struct Finding {
    enum class State {
        done,  ///< set right on load; `undo` gives it back where that can be
        open,  ///< a repair is offered
        told,  ///< nothing is to be done here
    };
    std::string kind;      ///< "unit", "up axis", "rest pose" ...: the same word for the same fault
    std::string what;      ///< one sentence
    std::string evidence;  ///< what it was seen by
    State state = State::told;
    std::string repair;    ///< what the repair does; empty: there is none
    LoadOptions repaired;  ///< with the repair (or, when done, without it)
    /// Other values that may be right, each with the options that have it: units, axes, trees, reference
    /// poses.
    std::vector<std::pair<std::string, LoadOptions>> choices;
    std::string cure;              ///< a touch-up that heals it, in a word; empty: there is none
    std::vector<TouchUp> cure_by;  ///< the same, as one makes it by hand
    std::vector<int> joints;       ///< concerned
    std::vector<int> frames;       ///< of the loaded take, first of each place
};

/// Of rig and take. Open ones first, then done, then told; within these in the order of the job. `partner` is
/// the take's character when the rig is a target (may be null): what the take moves and the rig lacks.
std::vector<Finding> find_in(const LoadedFile& file, const Character* partner = nullptr);

/// Degrees between bind pose and rest pose, a joint; empty when the file has no bind pose of its own.
std::vector<double> bind_differences_deg(const Skeleton& skeleton);

}  // namespace nb
