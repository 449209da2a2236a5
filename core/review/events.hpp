// Events of a review: places where a transfer falls short, worst first, each with its owner and what can be
// done.
#pragma once
#include <string>
#include <vector>

#include "core/review/bars.hpp"

namespace nb {

/// Whose fault it is: the take's own, unlike proportions, a setting that can be changed, the skin: bones
/// stand right, but what hangs on them looks wrong.
enum class Owner { take, proportions, setting, skin };
std::string_view owner_name(Owner owner);

/// Something that can be done about it.
struct Remedy {
    std::string what;  ///< for people: "carry the tip"
    /// "carry=CHAIN:limb|angles", "pass=NAME", "rest=ROLE", "contacts", "calm=ROLE", "touch=ROLE" (by hand, there)
    std::string change;
};

struct ReviewEvent {
    std::string
        measure;  ///< "reach", "slide", "below floor", "pop", "tip", "direction", "wring", "gap", "depth", "range"
    std::string row;          ///< a foot, limb or role
    int first = 0, last = 0;  ///< frames, the last not included
    int worst_frame = 0;
    double size = 0.0;  ///< in `unit`
    std::string unit;
    double weight = 0.0;  ///< size by what is let pass of its measure
    Owner owner = Owner::proportions;
    std::string setting;  ///< the one that owns it, else empty
    std::string text;     ///< one sentence with the solver's own numbers
    std::vector<Remedy> remedies;
};

/// What is let pass: 0.5 cm/s of slide (of held feet also the source's own), 0.2 cm below the floor, 3 cm of
/// an arm's tip, 2 degrees of direction (of limbs carried by angles), 100 degrees of
/// roll between bones without a twist bone, 1.5 cm between a hand and what it touches, 2 cm of hand or forearm in the own
/// body, 10 degrees beyond what people's joints do (core/review/ranges.hpp), any reach deficit of 0.1 cm and any
/// pop. One event a run of frames over it; runs of one row and measure within 0.25 s are one. Ordered by
/// weight, then frame.
std::vector<ReviewEvent> find_events(const Review& review, const TransferResult& result,
                                     const PairingSettings& settings);

}  // namespace nb
