#include "core/documents/review.hpp"

#include <algorithm>

#include <fmt/format.h>

namespace nb {

namespace {

Json stat_document(const Stat& stat) {
    Json result;
    result["median"] = canonical(stat.median);
    result["p95"] = canonical(stat.p95);
    result["max"] = canonical(stat.max);
    result["worst_frame"] = stat.worst_frame;
    result["samples"] = stat.count;
    return result;
}

Json stats_document(const std::vector<NamedStat>& stats) {
    Json result = Json::object();
    for (const NamedStat& named : stats) result[named.name] = stat_document(named.stat);
    return result;
}

}  // namespace

Json certificate_document(const Character& character, const Review& review) {
    Json document = document_header("certificate", character.id);
    document["name"] = character.name;
    document["rig"]["signature"] = character.rig.skeleton.signature();
    document["roles"] = Json::object();
    for (const RoleFill& fill : character.roles.fills)
        document["roles"][fill.role] = character.rig.skeleton.names[size_t(fill.joint)];
    document["take"] = "limbering";
    Json measured = review_document(review);
    for (const auto* own : {"format", "version", "windows", "turning"}) measured.erase(own);
    document["review"] = measured;
    return document;
}

Json events_document(const std::vector<ReviewEvent>& events) {
    Json list = Json::array();
    for (const ReviewEvent& event : events) {
        Json json;
        json["measure"] = event.measure;
        json["row"] = event.row;
        json["first"] = event.first;
        json["last"] = event.last;
        json["worst_frame"] = event.worst_frame;
        json["size"] = canonical(event.size);
        json["unit"] = event.unit;
        json["owner"] = owner_name(event.owner);
        if (!event.setting.empty()) json["setting"] = event.setting;
        json["text"] = event.text;
        list.push_back(json);
    }
    return list;
}

Json review_document(const Review& review) {
    Json document;
    document["format"] = "nimble-bone/review";
    document["version"] = document_version;
    document["frames"] = review.frames;
    document["fps"] = canonical(review.fps);
    document["source_stature_m"] = canonical(review.source_stature_m);
    document["target_stature_m"] = canonical(review.target_stature_m);
    document["foot_slide_cm_s_at_175cm"]["source"] = stat_document(review.source_slide_cm_s);
    document["foot_slide_cm_s_at_175cm"]["target"] = stat_document(review.target_slide_cm_s);
    document["foot_slide_cm_s_at_175cm"]["target_by_point"] = stats_document(review.slide_cm_s);
    document["foot_slide_cm_s_at_175cm"]["source_at_ends"] = stat_document(review.source_edge_cm_s);
    document["foot_slide_cm_s_at_175cm"]["target_at_ends"] = stat_document(review.target_edge_cm_s);
    document["drift_mm"] = stat_document(review.drift_mm);
    document["height_over_support_mm"] = stat_document(review.height_mm);
    document["below_floor_mm"] = stat_document(review.below_mm);
    document["frames_without_floor"] = review.frames_without_floor;
    document["tip_error_cm"] = stats_document(review.tip_cm);
    document["direction_error_deg"] = stats_document(review.direction_deg);
    document["bend_plane_deg"] = stats_document(review.bend_deg);
    document["wring_deg"] = stats_document(review.wring_deg);
    document["turning"] = Json::object();
    for (const RoleSmoothness& role : review.smoothness) {
        Json& json = document["turning"][role.role];
        json["source_speed_p95_deg_s"] = canonical(role.source_speed_deg_s);
        json["target_speed_p95_deg_s"] = canonical(role.target_speed_deg_s);
        json["source_acceleration_p99_rad_s2"] = canonical(role.source_acceleration_rad_s2);
        json["target_acceleration_p99_rad_s2"] = canonical(role.target_acceleration_rad_s2);
    }
    document["pops"] = Json::array();
    for (const RoleSmoothness& role : review.smoothness)
        for (const Pop& pop : role.pops)
            document["pops"].push_back(
                {{"role", pop.role}, {"frame", pop.frame}, {"change_deg_s", canonical(pop.change_deg_s)}});
    document["bone_length_change"] = canonical(review.bone_length_change);
    document["hip_path_by_leg_length"] = canonical(review.hip_path);
    if (const HoldReview& hold = review.holding; hold.holds > 0) {
        Json& json = document["holding"];
        json["holds"] = hold.holds;
        json["slide_mm"] = stat_document(hold.slide_mm);
        json["source_slide_mm"] = stat_document(hold.source_slide_mm);
        json["off_mm"] = stat_document(hold.off_mm);
    }
    document["head_travel_cm"] = stat_document(review.head_cm);
    if (const TouchReview& touch = review.touching; touch.looked_at > 0) {
        Json& json = document["touching"];
        json["gap_mm"] = stat_document(touch.gap_mm);
        json["sunk_mm"] = stat_document(touch.sunk_mm);
        json["kept_share"] = canonical(touch.kept_share());
        json["depth_of_arms_mm"] = stat_document(touch.depth_mm);
        json["deeper_than_2_cm_share"] = canonical(touch.deep_share());
    }
    document["beyond_peoples_ranges"] = Json::array();
    for (const RangeExcess& over : review.over_range) {
        const auto worst = std::max_element(over.over_deg.begin(), over.over_deg.end());
        document["beyond_peoples_ranges"].push_back(
            {{"role", over.role},
             {"way", joint_ranges[over.range].way},
             {"range_deg", joint_ranges[over.range].most_deg},
             {"over_deg", canonical(double(*worst))},
             {"frames", int(std::count_if(over.over_deg.begin(), over.over_deg.end(),
                                          [](float v) { return v > 0.0F; }))},
             {"worst_frame", int(worst - over.over_deg.begin())}});
    }
    document["held_frames"] = review.held_frames;
    document["deficits"] = Json::array();
    for (const ReachDeficit& deficit : review.deficits)
        document["deficits"].push_back({{"point", deficit.point},
                                        {"first", deficit.first},
                                        {"last", deficit.last},
                                        {"worst_frame", deficit.worst_frame},
                                        {"missing_cm", canonical(deficit.missing_cm)}});
    document["windows"] = Json::array();
    for (const ReviewWindow& window : review.windows)
        document["windows"].push_back({{"point", window.point},
                                       {"first", window.first},
                                       {"last", window.last},
                                       {"level_m", canonical(window.level_m)}});
    return document;
}

}  // namespace nb
