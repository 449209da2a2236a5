#include "core/solve/settings.hpp"

#include <algorithm>

namespace nb {

namespace {
constexpr std::array<std::string_view, 3> bone_positions{"kept", "scaled", "taken"};
}

std::string_view bone_position_name(BonePosition position) {
    return bone_positions[size_t(position)];
}

std::optional<BonePosition> bone_position(std::string_view name) {
    const auto at = std::find(bone_positions.begin(), bone_positions.end(), name);
    if (at == bone_positions.end()) return {};
    return BonePosition(at - bone_positions.begin());
}

ChainLevels levels_of(const std::string& chain, const Character& target, const PairingSettings& settings,
                      const std::string& take_key) {
    ChainLevels levels;
    if (const ChainPlan* plan = body_plan(target.roles.plan).chain(chain))
        levels[size_t(SettingLevel::plan)] = plan->usual;
    levels[size_t(SettingLevel::character)] = settings_of(target.chains, chain);
    levels[size_t(SettingLevel::pairing)] = settings_of(settings.chains, chain);
    if (const auto at = settings.takes.find(take_key); at != settings.takes.end())
        levels[size_t(SettingLevel::take)] = settings_of(at->second, chain);
    return levels;
}

ChainTable chains_in_force(const Character& target, const PairingSettings& settings,
                           const std::string& take_key) {
    ChainTable table;
    for (const ChainPlan& chain : body_plan(target.roles.plan).chains) {
        ChainSettings all;
        for (const ChainSettings& level : levels_of(chain.name, target, settings, take_key))
            all = merged(all, level);
        put_settings(table, chain.name, all);
    }
    return table;
}

TouchLayers touches_in_force(const Character& target, const PairingSettings& settings,
                             const std::string& take_key) {
    TouchLayers layers = target.touches;
    layers.insert(layers.end(), settings.touches.begin(), settings.touches.end());
    if (const auto own = settings.take_touches.find(take_key); own != settings.take_touches.end())
        layers.insert(layers.end(), own->second.begin(), own->second.end());
    return layers;
}

}  // namespace nb
