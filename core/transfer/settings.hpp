// What is set for one pairing of a source and a target character.
#pragma once
#include <array>
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

/// All passes by name, in the order of the solve.
struct PassName {
    const char* name;
    bool Passes::*is_on;
};
inline constexpr std::array<PassName, 5> pass_table{{{"root", &Passes::root},
                                                     {"angles", &Passes::angles},
                                                     {"reach", &Passes::reach},
                                                     {"contacts", &Passes::contacts},
                                                     {"twist", &Passes::twist}}};

struct PairingSettings {
    Passes passes;
    std::map<std::string, Carry> carry = {{"arm.left", Carry::angles},
                                          {"arm.right", Carry::angles},
                                          {"leg.left", Carry::limb},
                                          {"leg.right", Carry::limb}};
    std::map<std::string, ChainSettings> chains;  ///< what is set by hand, by the target's chain
    /// What is set for a chain; all as usual where nothing is.
    const ChainSettings& chain(const std::string& name) const {
        static const ChainSettings usual;
        const auto at = chains.find(name);
        return at == chains.end() ? usual : at->second;
    }
    std::optional<double> scale;  ///< k of the place map; else leg length of target by source
    bool operator==(const PairingSettings&) const = default;
};

}  // namespace nb
