// What is set for one pairing of a source and a target character.
#pragma once
#include <map>
#include <optional>
#include <string>

#include "core/chain/chain_settings.hpp"

namespace nb {

/// What of a limb crosses: its angles only, or also the place of its tip relative to the limb's start.
enum class Carry { angles, limb };

/// Which passes of the solve run.
struct Passes {
    bool root = true;
    bool angles = true;
    bool reach = true;
    bool contacts = true;
    bool twist = true;
    bool operator==(const Passes&) const = default;
};

struct PairingSettings {
    Passes passes;
    std::map<std::string, Carry> carry = {{"arm.left", Carry::angles},
                                          {"arm.right", Carry::angles},
                                          {"leg.left", Carry::limb},
                                          {"leg.right", Carry::limb}};
    std::map<std::string, ChainSettings> chains;  ///< what is set by hand, by the target's chain
    std::optional<double> scale;                  ///< k of the place map; else leg length of target by source
    bool operator==(const PairingSettings&) const = default;
};

}  // namespace nb
