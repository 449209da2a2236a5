#include "core/body/chain_settings.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <nlohmann/json.hpp>
#include <stdexcept>

#include "core/math/canonical.hpp"
#include "core/math/rotation.hpp"

namespace nb {

namespace {

using Json = nlohmann::ordered_json;

constexpr std::array<std::pair<Carry, std::string_view>, 3> carries{
    {{Carry::angles, "angles"}, {Carry::limb, "limb"}, {Carry::place, "place"}}};

/// The numbers, with their keys and what they may be; the pole in degrees.
struct NumberField {
    const char* key;
    std::optional<double> ChainSettings::*field;
    double least, most;
};
constexpr std::array<NumberField, 10> numbers{{{"tip_share", &ChainSettings::tip_share, 0.0, 1.0},
                                               {"soften_from", &ChainSettings::soften_from, 0.5, 1.0},
                                               {"pole_deg", &ChainSettings::pole_rad, -180.0, 180.0},
                                               {"start_gives", &ChainSettings::start_gives, 0.0, 1.0},
                                               {"give", &ChainSettings::length_share, 0.0, 1.0},
                                               {"shoulder_share", &ChainSettings::shoulder_share, 0.0, 1.0},
                                               {"stiffness", &ChainSettings::stiffness, 0.0, 1.0},
                                               {"keep_within", &ChainSettings::keep_within, 0.0, 1.0},
                                               {"margin_m", &ChainSettings::margin_m, -0.1, 0.2},
                                               {"trunk_gives", &ChainSettings::trunk_gives, 0.0, 1.0}}};

/// The roles a run starts and ends at.
constexpr std::array<std::pair<const char*, std::optional<std::string> ChainSettings::*>, 4> ends{
    {{"first", &ChainSettings::first},
     {"last", &ChainSettings::last},
     {"source_first", &ChainSettings::source_first},
     {"source_last", &ChainSettings::source_last}}};

bool is_angle(const NumberField& number) {
    return number.field == &ChainSettings::pole_rad;
}

}  // namespace

std::string_view carry_name(Carry carry) {
    for (const auto& [value, name] : carries)
        if (value == carry) return name;
    return {};
}

ChainSettings merged(const ChainSettings& below, const ChainSettings& above) {
    ChainSettings result = below;
    const auto take = [&](auto field) {
        if (above.*field) result.*field = above.*field;
    };
    std::apply([&](auto... field) { (take(field), ...); }, chain_fields);
    if (above.ticks || above.driven_by) result.is_proposed = above.is_proposed;
    return result;
}

ChainSettings usual_settings(const std::string& chain) {
    ChainSettings usual;
    usual.is_left_out = false;
    usual.driven_by = "";
    usual.first = usual.last = usual.source_first = usual.source_last = "";
    usual.ticks.emplace();
    usual.carry = Carry::angles;
    usual.tip_share = 1.0;
    usual.soften_from = usual_soften_from;
    usual.pole_rad = usual.length_share = usual.shoulder_share = usual.stiffness = 0.0;
    usual.keep_within = usual.margin_m = usual.trunk_gives = 0.0;
    usual.folds_hand = false;
    usual.may_touch.emplace();
    usual.start_gives = chain.starts_with("arm") ? usual_clavicle_gives : 1.0;
    return usual;
}

void drop_what_is_said(ChainSettings& settings, const ChainSettings& below) {
    const auto drop = [&](auto field) {
        if (settings.*field == below.*field) (settings.*field).reset();
    };
    std::apply([&](auto... field) { (drop(field), ...); }, chain_fields);
}

const ChainSettings& settings_of(const ChainTable& table, const std::string& chain) {
    static const ChainSettings none;
    const auto at = table.find(chain);
    return at == table.end() ? none : at->second;
}

void put_settings(ChainTable& table, const std::string& chain, const ChainSettings& settings) {
    if (settings.is_empty())
        table.erase(chain);
    else
        table[chain] = settings;
}

Json chain_settings_json(const ChainSettings& set) {
    Json json = Json::object();
    if (set.is_left_out) json["left_out"] = *set.is_left_out;
    if (set.driven_by) json["driven_by"] = *set.driven_by;
    if (set.ticks) {
        json["ticks"] = Json::array();
        for (const auto& tick : *set.ticks)
            json["ticks"].push_back({{"source", tick.first}, {"target", tick.second}});
    }
    for (const auto& [key, end] : ends)
        if (set.*end) json[key] = *(set.*end);
    if (set.carry) json["carry"] = carry_name(*set.carry);
    for (const NumberField& number : numbers)
        if (const auto& value = set.*number.field)
            json[number.key] = canonical(is_angle(number) ? rad_to_deg(*value) : *value);
    if (set.folds_hand) json["folds_hand"] = *set.folds_hand;
    if (set.may_touch) json["may_touch"] = *set.may_touch;
    if (set.is_proposed) json["proposed"] = true;
    return json;
}

ChainSettings parse_chain_settings(const Json& json) {
    ChainSettings set;
    try {
        if (json.contains("left_out")) set.is_left_out = json.at("left_out").get<bool>();
        if (json.contains("folds_hand")) set.folds_hand = json.at("folds_hand").get<bool>();
        if (json.contains("driven_by")) set.driven_by = json.at("driven_by").get<std::string>();
        if (json.contains("ticks")) {
            set.ticks.emplace();
            for (const Json& tick : json.at("ticks"))
                set.ticks->emplace_back(tick.at("source").get<std::string>(),
                                        tick.at("target").get<std::string>());
        }
        for (const auto& [key, end] : ends)
            if (json.contains(key)) set.*end = json.at(key).get<std::string>();
        if (json.contains("carry")) {
            const auto word = json.at("carry").get<std::string>();
            for (const auto& [value, name] : carries)
                if (name == word) set.carry = value;
            if (!set.carry)
                throw std::invalid_argument(
                    fmt::format("'carry' is '{}': write angles, limb or place", word));
        }
        for (const NumberField& number : numbers) {
            if (!json.contains(number.key)) continue;
            const double value = json.at(number.key).get<double>();
            if (!(value >= number.least && value <= number.most))
                throw std::invalid_argument(
                    fmt::format("'{}' is {}: write {} to {}", number.key, value, number.least, number.most));
            set.*number.field = is_angle(number) ? deg_to_rad(value) : value;
        }
        if (json.contains("may_touch")) {
            set.may_touch = json.at("may_touch").get<std::vector<std::string>>();
            for (const std::string& word : *set.may_touch)
                if (std::find(touchable_groups.begin(), touchable_groups.end(), word) ==
                    touchable_groups.end())
                    throw std::invalid_argument(fmt::format("'may_touch' has '{}': write some of {}", word,
                                                            fmt::join(touchable_groups, ", ")));
        }
        set.is_proposed = json.value("proposed", false);
    } catch (const Json::exception&) {
        throw std::invalid_argument("a setting is of the wrong kind: compare with docs/schema");
    }
    return set;
}

}  // namespace nb
