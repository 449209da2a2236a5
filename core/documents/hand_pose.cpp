#include "core/documents/hand_pose.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <utility>

#include "core/math/rotation.hpp"

namespace nb {

namespace {

using Turns = std::array<double, 3> HandPose::Digit::*;
constexpr std::array<std::pair<const char*, Turns>, 3> turns{{{"bend_deg", &HandPose::Digit::bend_rad},
                                                              {"spread_deg", &HandPose::Digit::spread_rad},
                                                              {"roll_deg", &HandPose::Digit::roll_rad}}};

double rounded_deg(double rad) {
    return canonical_in(rad, deg_to_rad(1.0));
}

}  // namespace

void put_hand_shape(Json& json, const HandPose& pose) {
    Json& fingers = json["fingers"] = Json::object();
    for (size_t d = 0; d < digits.size(); ++d) {
        Json finger = Json::object();
        for (const auto& [key, member] : turns) {
            const auto& three = pose.of[d].*member;
            if (std::ranges::all_of(three, [](double rad) { return rad == 0.0; })) continue;
            for (const double rad : three) finger[key].push_back(rounded_deg(rad));
        }
        if (!finger.empty()) fingers[digits[d]] = finger;
    }
    if (pose.oppose_rad != 0.0) json["oppose_deg"] = rounded_deg(pose.oppose_rad);
}

void read_hand_shape(const Json& json, HandPose& pose, const std::string& where) {
    for (const auto& [name, finger] : object_in(json, "fingers", where).items()) {
        const auto digit = std::ranges::find(digits, name);
        if (digit == digits.end())
            throw FileError(where, fmt::format("the finger '{}' is not known", name),
                            "write thumb, index, middle, ring or little");
        if (!finger.is_object())
            throw FileError(where, fmt::format("'{}' is no object", name), "compare with docs/schema");
        for (const auto& [key, member] : turns) {
            if (!finger.contains(key)) continue;
            const std::vector<double> deg = numbers_in(finger, key, 3, -180.0, 180.0, where);
            for (size_t i = 0; i < 3; ++i)
                (pose.of[size_t(digit - digits.begin())].*member)[i] = deg_to_rad(deg[i]);
        }
    }
    pose.oppose_rad = deg_to_rad(number_in(json, "oppose_deg", -180.0, 180.0, 0.0, where));
}

Json hand_pose_document(const HandPose& pose, const std::string& id) {
    Json document = document_header("hand-pose", id);
    document["name"] = pose.name;
    put_hand_shape(document, pose);
    return document;
}

HandPose read_hand_pose(const std::string& path) {
    const Json document = read_document(path, "hand-pose");
    return reading(path, [&] {
        HandPose pose;
        pose.name = text_in(document, "name", path);
        if (pose.name.empty()) throw FileError(path, "'name' is empty", "give the hand a name");
        read_hand_shape(document, pose, path);
        return pose;
    });
}

}  // namespace nb
