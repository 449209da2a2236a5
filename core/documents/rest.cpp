#include "core/documents/rest.hpp"

#include <fmt/format.h>

#include <cmath>

namespace nb {

namespace {

Json quaternion(const Quat& R) {
    const double sign = R.w() < 0 ? -1.0 : 1.0;
    Json result = Json::array();
    // Twelve decimals: what is read back and composed anew falls on the same digits.
    for (int c = 0; c < 4; ++c) result.push_back(canonical(std::round(sign * R.coeffs()[c] * 1e12) / 1e12));
    return result;
}

Json vector(const Vec3& v) {
    return Json::array({canonical(v.x()), canonical(v.y()), canonical(v.z())});
}

Quat read_quaternion(const Json& value, const std::string& path) {
    Quat R;
    if (!value.is_array() || value.size() != 4)
        throw FileError(path, "a rotation is not four numbers", "write x y z w");
    for (size_t c = 0; c < 4; ++c)
        R.coeffs()[Eigen::Index(c)] = number_of(value[c], "turn_xyzw", -1.001, 1.001, path);
    const double error = std::abs(R.norm() - 1.0);
    if (!(error < 1e-3))
        throw FileError(path, "a rotation is not of unit length", "write a unit quaternion x y z w");
    // Digits as written by this program stay as they are.
    return error < 1e-11 ? R : R.normalized();
}

bool is_word(const Json& document, const char* key, const char* yes, const char* no, bool otherwise,
             const std::string& path) {
    const std::string word = document.value(key, otherwise ? yes : no);
    if (word != yes && word != no)
        throw FileError(path, fmt::format("'{}' is '{}'", key, word), fmt::format("write {} or {}", yes, no));
    return word == yes;
}

}  // namespace

Json rest_document(const RoleMap& roles, const RestAlignment& of) {
    const auto degrees = [](double rad) { return canonical(std::round(rad_to_deg(rad) * 1e6) / 1e6); };
    Json rest;
    rest["name"] = of.name;
    rest["stance"] = stance_text(of.stance);
    rest["fingers"] = of.stance.straight_fingers ? "straight" : "keep";
    rest["spread"] = of.stance.closed_fingers ? "closed" : "keep";
    rest["thumb_deg"] = of.stance.thumb_rad ? Json(degrees(*of.stance.thumb_rad)) : Json("keep");
    rest["clavicles"] = of.stance.level_clavicles ? "level" : "keep";
    rest["spine"] = of.stance.straight_spine ? "straight" : "keep";
    rest["reference"] = of.reference;
    if (!of.is_of_stance) rest["of_stance"] = false;
    rest["dials"]["pelvis_tilt_deg"] = degrees(of.dials.pelvis_tilt_rad);
    rest["dials"]["lean_deg"] = degrees(of.dials.lean_rad);
    rest["dials"]["gaze_deg"] = degrees(of.dials.gaze_rad);
    rest["dials"]["ground_cm"] = canonical(std::round(of.dials.ground_m * 1e8) / 1e6);
    rest["ankle_height_m"] = canonical(of.ankle_height_m);
    rest["ankle_reason"] = of.ankle_reason;
    Json& hinges = rest["hinges"] = Json::object();
    for (const auto& [limb, hinge] : of.hinges) {
        hinges[limb]["axis"] = vector(hinge.n_W);
        hinges[limb]["from"] = hinge_source_name(hinge.source);
    }
    Json& alignment = rest["alignment"] = Json::object();
    for (const RoleFill& fill : roles.fills) {
        if (fill.role == "root") continue;
        const Quat E = relative_turn(roles, of, fill.role);
        Json& turn = alignment[fill.role];
        turn["turn_xyzw"] = quaternion(E);
        turn["degrees"] = canonical(std::round(rad_to_deg(log_rotation(E).norm()) * 100.0) / 100.0);
        if (const auto at = of.found.find(fill.role); at != of.found.end()) {
            turn["roll_from"] = roll_source_name(at->second.roll);
            turn["roll_sure"] = canonical(std::round(at->second.sure * 1000.0) / 1000.0);
        }
    }
    return rest;
}

void read_rest(const Json& stored, const std::string& path, const Skeleton& skeleton, const RoleMap& roles,
               RestAlignment& rest) {
    if (!parse_stance(stored.value("stance", "t"), rest.stance))
        throw FileError(path, "'stance' is not known", "write t, a:DEGREES, down or own");
    rest.name = stored.value("name", stance_name(rest.stance));
    rest.stance.straight_fingers = is_word(stored, "fingers", "straight", "keep", true, path);
    rest.stance.closed_fingers = is_word(stored, "spread", "closed", "keep", true, path);
    rest.stance.level_clavicles = is_word(stored, "clavicles", "level", "keep", false, path);
    rest.stance.straight_spine = is_word(stored, "spine", "straight", "keep", false, path);
    const Json thumb = stored.contains("thumb_deg") ? stored.at("thumb_deg") : Json(40.0);
    if (!thumb.is_number() && thumb != "keep")
        throw FileError(path, "'thumb_deg' is neither a number nor \"keep\"",
                        "write degrees off the index, or keep");
    rest.stance.thumb_rad.reset();
    if (thumb.is_number())
        rest.stance.thumb_rad = deg_to_rad(number_of(thumb, "thumb_deg", -180.0, 180.0, path));
    const Json& dials = object_or_none(stored, "dials", path);
    const auto turn = [&](const char* key) {
        return deg_to_rad(number_in(dials, key, -180.0, 180.0, 0.0, path));
    };
    rest.dials = {turn("pelvis_tilt_deg"), turn("lean_deg"), turn("gaze_deg"),
                  0.01 * number_in(dials, "ground_cm", -1000.0, 1000.0, 0.0, path)};
    rest.reference = text_in(stored, "reference", path);
    rest.is_of_stance = flag_in(stored, "of_stance", true, path);
    rest.ankle_height_m = number_in(stored, "ankle_height_m", -1.0, 20.0, path);
    rest.ankle_reason = stored.value("ankle_reason", "");
    const Json& alignment = object_in(stored, "alignment", path);
    rest.D_W.assign(skeleton.names.size(), Quat::Identity());
    rest.found.clear();
    const int hips = roles.joint("hips");
    for (int j = 0; j < skeleton.size(); ++j) {
        const std::string role = roles.role_of(j);
        const int joint_parent = skeleton.parents[size_t(j)];
        const bool is_inside = skeleton.is_ancestor(hips, j);
        if (is_inside && joint_parent >= 0 && j != hips) rest.D_W[size_t(j)] = rest.D_W[size_t(joint_parent)];
        if (role.empty() || !alignment.contains(role)) continue;
        const int parent = roles.joint(roles.parent_role(role));
        const Quat E = read_quaternion(field(alignment[role], "turn_xyzw", path), path);
        rest.D_W[size_t(j)] = parent < 0 ? E : rest.D_W[size_t(parent)] * E;
        if (alignment[role].contains("roll_from"))
            rest.found[role] = {roll_source(text_in(alignment[role], "roll_from", path)),
                                number_in(alignment[role], "roll_sure", 0.0, 1.0, 0.0, path)};
    }
    rest.hinges.clear();
    const Json& hinges_read = object_in(stored, "hinges", path);
    for (const auto& [limb, hinge] : hinges_read.items()) {
        const auto n = numbers_in(hinge, "axis", 3, -1.001, 1.001, path);
        const Vec3 axis(n[0], n[1], n[2]);
        if (!(std::abs(axis.norm() - 1.0) < 1e-3))
            throw FileError(path, fmt::format("the hinge axis of {} is not of unit length", limb),
                            "write a direction x y z");
        rest.hinges[limb] = {axis, hinge_source(text_in(hinge, "from", path))};
    }
    for (const auto* limb : {"arm.left", "arm.right", "leg.left", "leg.right"})
        rest.hinges.try_emplace(limb, Hinge{stance_hinge(limb), HingeSource::assumed});
    apply_alignment(skeleton, roles, rest);
}

}  // namespace nb
