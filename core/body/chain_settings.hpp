// What can be set for one chain. Settings have levels: body plan < character < pairing < take on target; of
// each one the highest level that says something speaks.
#pragma once
#include <array>
#include <map>
#include <nlohmann/json_fwd.hpp>
#include <optional>
#include <string>
#include <string_view>
#include <tuple>
#include <utility>
#include <vector>

namespace nb {

/// What of a chain crosses: its angles only; the place of its tip relative to its start, in its own scale; or
/// the place of its tip in the world, by the place map.
enum class Carry { angles, limb, place };
std::string_view carry_name(Carry carry);

/// What one level says of a chain; an empty one says nothing.
struct ChainSettings {
    std::optional<bool> is_left_out;       ///< on purpose: the target's bones keep their rest on their parent
    std::optional<std::string> driven_by;  ///< another chain of the source
    /// Roles of source and target whose bones' far ends are matched, from the body outward. Between them
    /// length decides; the ends of both chains are matched anyway.
    std::optional<std::vector<std::pair<std::string, std::string>>> ticks;
    /// Of a run: the roles it starts and ends at, of the target and of the source; an empty word is the
    /// plan's own. Bones beyond them keep their rest, and their motion is not taken.
    std::optional<std::string> first, last, source_first, source_last;
    std::optional<Carry> carry;
    std::optional<double> tip_share;       ///< how much of its tip's place crosses, 0 angles .. 1 tip
    std::optional<double> soften_from;     ///< stretch beyond which the reach is eased, 0.5 .. 1
    std::optional<double> pole_rad;        ///< of a limb: its middle joint turned about start -> tip
    std::optional<double> start_gives;     ///< share of what is missing by which clavicle or hips give way
    std::optional<double> length_share;    ///< share of the source bones' change in length that crosses
    std::optional<double> shoulder_share;  ///< of an arm's elevation above 30 degrees, to the clavicle
    /// Of a run: 0 bends where the source does, 1 bends in its first joint alone, as a rod; its last bone points as
    /// the source's either way.
    std::optional<double> stiffness;
    /// Of a limb or the neck: of what its joints go beyond people's ranges, the share that is kept from crossing, 0 .. 1.
    std::optional<double> keep_within;
    /// Of a limb: the height over the own skin that it keeps where it has it in the source, m; negative: it may sink in.
    std::optional<double> margin_m;
    /// Of a limb: what of the body it may lie in (`touchable_groups`).
    std::optional<std::vector<std::string>> may_touch;
    /// Of an arm: of what clavicle and elbow cannot reach of a touch or a thing, the share by which the trunk leans, 0 .. 1.
    std::optional<double> trunk_gives;
    std::optional<bool>
        folds_hand;            ///< of an arm without a hand: the source's hand is folded into the forearm
    bool is_proposed = false;  ///< by the program, and nobody has confirmed it

    bool operator==(const ChainSettings&) const = default;
    bool is_empty() const { return *this == ChainSettings(); }
};

inline constexpr double usual_soften_from = 0.97;
/// How much of what an arm lacks its clavicle gives by itself. Legs have all of it from the hips.
inline constexpr double usual_clavicle_gives = 0.3;

/// The words of `ChainSettings::may_touch`: of an arm all, "arms" the other one; of a leg "legs".
inline constexpr std::array<std::string_view, 4> touchable_groups{"trunk", "head", "legs", "arms"};

/// All fields, for what goes over each of them.
inline constexpr auto chain_fields =
    std::tuple{&ChainSettings::is_left_out,  &ChainSettings::driven_by,      &ChainSettings::ticks,
               &ChainSettings::first,        &ChainSettings::last,           &ChainSettings::source_first,
               &ChainSettings::source_last,  &ChainSettings::carry,          &ChainSettings::tip_share,
               &ChainSettings::soften_from,  &ChainSettings::pole_rad,       &ChainSettings::start_gives,
               &ChainSettings::length_share, &ChainSettings::shoulder_share, &ChainSettings::stiffness,
               &ChainSettings::keep_within,  &ChainSettings::margin_m,       &ChainSettings::may_touch,
               &ChainSettings::trunk_gives,  &ChainSettings::folds_hand};

/// What holds for a chain where no level says anything: angles, nothing turned, no lengths.
ChainSettings usual_settings(const std::string& chain);
/// Takes out of `settings` what `below` says anyway.
void drop_what_is_said(ChainSettings& settings, const ChainSettings& below);

/// `above` where it says something, else `below`.
ChainSettings merged(const ChainSettings& below, const ChainSettings& above);

/// Settings by the target's chain.
using ChainTable = std::map<std::string, ChainSettings>;
/// Those of a chain; an empty one when there are none.
const ChainSettings& settings_of(const ChainTable& table, const std::string& chain);
/// Puts them in the table; empty ones are taken out.
void put_settings(ChainTable& table, const std::string& chain, const ChainSettings& settings);

enum class SettingLevel { plan, character, pairing, take };
inline constexpr std::array<SettingLevel, 4> setting_levels{SettingLevel::plan, SettingLevel::character,
                                                            SettingLevel::pairing, SettingLevel::take};

/// Settings as a JSON object, in the order above, without what says nothing.
nlohmann::ordered_json chain_settings_json(const ChainSettings& settings);
/// Throws std::invalid_argument: which key, the value met, what is expected. Other keys are let be.
ChainSettings parse_chain_settings(const nlohmann::ordered_json& json);

}  // namespace nb
