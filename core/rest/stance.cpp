#include "core/rest/stance.hpp"

#include <fmt/format.h>

#include <charconv>
#include <cmath>

namespace nb {

std::string stance_name(const Stance& stance) {
    if (stance.kind == Stance::Kind::own) return "own";
    const double down = rad_to_deg(stance.arms_down_rad);
    if (std::abs(down) < 0.05) return "T";
    if (std::abs(down - 90.0) < 0.05) return "along the body";
    return fmt::format("A {:.4g}°", down);
}

std::string stance_text(const Stance& stance) {
    if (stance.kind == Stance::Kind::own) return "own";
    const double down = rad_to_deg(stance.arms_down_rad);
    if (std::abs(down) < 1e-9) return "t";
    if (std::abs(down - 90.0) < 1e-9) return "down";
    return fmt::format("a:{:.12g}", down);
}

bool parse_stance(std::string_view text, Stance& stance) {
    double degrees = 0.0;
    if (text == "own") {
        stance.kind = Stance::Kind::own;
        return true;
    }
    if (text == "a") {
        degrees = 45.0;
    } else if (text == "down") {
        degrees = 90.0;
    } else if (text.starts_with("a:")) {
        const char* end = text.data() + text.size();
        const auto read = std::from_chars(text.data() + 2, end, degrees);
        if (read.ec != std::errc() || read.ptr != end || !(degrees >= -90.0 && degrees <= 120.0))
            return false;
    } else if (text != "t") {
        return false;
    }
    stance.kind = Stance::Kind::arms;
    stance.arms_down_rad = deg_to_rad(degrees);
    return true;
}

Vec3 stance_direction(std::string_view role, double thumb_rad) {
    const double out = role_side(role) == Side::right ? -1.0 : 1.0;
    const std::string part = role_part(role);
    if (part == "thigh" || part == "shin") return -Vec3::UnitY();
    if (part == "thumb") return {out * std::cos(thumb_rad), 0.0, std::sin(thumb_rad)};
    return out * Vec3::UnitX();
}

Vec3 stance_hinge(std::string_view limb) {
    if (limb.starts_with("leg")) return Vec3::UnitX();
    return role_side(limb) == Side::right ? Vec3::UnitY() : Vec3(-Vec3::UnitY());
}

Quat stance_turn(const Stance& stance, std::string_view role) {
    const std::string part = role_part(role);
    if (part != "upperarm" && part != "forearm" && part != "hand" && !is_finger_role(role))
        return Quat::Identity();
    const double out = role_side(role) == Side::right ? 1.0 : -1.0;
    return exp_rotation(out * stance.arms_down_rad * Vec3::UnitZ());
}

}  // namespace nb
