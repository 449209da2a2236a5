#include "core/review/asked.hpp"

#include <algorithm>

#include "core/solve/near.hpp"

namespace nb {

std::string limb_of(const std::string& role) {
    const std::string part = role_part(role);
    const bool is_leg = part == "leg" || part == "thigh" || part == "shin" || part == "foot" || part == "toe";
    return (is_leg ? "leg" : "arm") + std::string(side_suffix(role_side(role)));
}

bool is_turned_aside(const ChainTable& chains, const std::string& limb) {
    const ChainSettings& set = settings_of(chains, limb);
    return set.pole_rad.value_or(0.0) != 0.0 || set.shoulder_share.value_or(0.0) > 0.0;
}

bool goes_by_tip(const TransferResult& result, const PairingSettings& settings, const std::string& limb) {
    return settings.passes.reach &&
           settings_of(result.plan.report.chains, limb).carry.value_or(Carry::angles) != Carry::angles;
}

std::vector<char> held_frames(const TransferResult& result, const std::string& limb) {
    std::vector<char> held(size_t(result.target.frames), 0);
    for (size_t i = 0; i < limb_count; ++i)
        if (limb == limb_names[i]) {
            const auto& hold = result.corrections.limbs[i].hold;
            const auto& clear = result.corrections.clear[i];
            for (size_t f = 0; f < held.size(); ++f)
                held[f] = (f < hold.size() && hold[f] > 0.0) ||
                          holds_thing(result.plan.program, i, result.target.time_s(int(f))) ||
                          on_set_led(result.plan.program, i, result.target.time_s(int(f))) > 0.0 ||
                          touches_skin(result.plan.program, i, result.target.time_s(int(f))) ||
                          (f < clear.size() && !clear[f].is_none());
        }
    return held;
}

std::vector<char> touched_frames(const TransferResult& result, const std::string& row) {
    std::vector<char> touched(size_t(result.target.frames), 0);
    for (const AskedTouch& asked : result.plan.program.touch.asked) {
        if (std::find(asked.rows.begin(), asked.rows.end(), row) == asked.rows.end()) continue;
        for (int f = 0; f < result.target.frames; ++f)
            if (asked.when.weight(result.target.time_s(f)) > 0.0) touched[size_t(f)] = 1;
    }
    return touched;
}

bool has_following_lengths(const TransferResult& result) {
    return std::any_of(result.plan.report.chains.begin(), result.plan.report.chains.end(),
                       [](const auto& chain) { return chain.second.length_share.value_or(0.0) > 0.0; });
}

}  // namespace nb
