// nbone align: a rig into a stance, in degrees a role before and after.
#include <fmt/format.h>

#include <charconv>
#include <cmath>
#include <filesystem>

#include "cli/commands.hpp"
#include "core/base/fault.hpp"
#include "core/base/files.hpp"
#include "core/documents/character.hpp"
#include "core/handover/gltf_rest.hpp"
#include "core/intake/rest_from_file.hpp"
#include "core/library/library.hpp"
#include "core/library/shipped.hpp"
#include "core/rest/compare.hpp"
#include "core/rest/edit.hpp"
#include "core/rest/solve.hpp"
#include "core/solve/engine.hpp"

namespace nb::cli {

namespace {

Stance stance_of(const Options& options) {
    Stance stance;
    if (!options.stance.empty()) parse_stance(options.stance, stance);
    stance.straight_fingers = options.fingers != "keep";
    stance.closed_fingers = options.spread_fingers != "keep";
    stance.level_clavicles = options.clavicles == "level";
    stance.straight_spine = options.spine == "straight";
    if (options.thumb == "keep") {
        stance.thumb_rad.reset();
    } else if (!options.thumb.empty()) {
        double degrees = 0.0;
        const char* end = options.thumb.data() + options.thumb.size();
        const auto read = std::from_chars(options.thumb.data(), end, degrees);
        if (read.ec != std::errc() || read.ptr != end || !(degrees >= -45.0 && degrees <= 120.0))
            throw WrongUse(
                fmt::format("--thumb: '{}' is no angle; write degrees off the index, -45 to 120, or keep",
                            options.thumb));
        stance.thumb_rad = deg_to_rad(degrees);
    }
    return stance;
}

double rounded(double degrees) {
    return canonical(std::round(degrees * 1e4) / 1e4 + 0.0);  // no minus before a zero
}

/// How far a re-bound skin moves over the limbering take on the rig.
double change_over_limbering_m(const Character& character, const std::string& path) {
    std::vector<std::string> notes;
    const LoadedFile source = load_take(limbering_document(), "", notes);
    const TransferResult result =
        nb::transfer(source.character, *source.take, character, PairingSettings(), 0, {});
    const LoadedFile written = load_file(path);
    return rebind_change_m(character.rig, written.character.rig, result.target, 10);
}

double largest_vertex_move_m(const Character& character, const std::string& path) {
    const LoadedFile written = load_file(path);
    double largest = 0.0;
    const Pose at_rest = rest_pose(written.character.rig.skeleton);
    const Pose posed = aligned_pose(character.rest);
    for (size_t m = 0; m < std::min(character.rig.meshes.size(), written.character.rig.meshes.size()); ++m) {
        const auto a = skin_vertices(character.rig.meshes[m], posed);
        const auto b = skin_vertices(written.character.rig.meshes[m], at_rest);
        for (size_t v = 0; v < std::min(a.size(), b.size()); ++v)
            largest = std::max(largest, (a[v] - b[v]).norm());
    }
    return largest;
}

}  // namespace

int align(const Options& options) {
    Stance parsed;
    const bool is_file = !options.stance.empty() && !parse_stance(options.stance, parsed);
    if (is_file && !std::filesystem::exists(options.stance))
        throw WrongUse(fmt::format(
            "--stance: '{}' is neither t, a:DEGREES, down, own nor a file that is there", options.stance));
    std::vector<std::string> notes;
    LoadedFile loaded = load_character(options.file, options.target_character, notes);
    Character& c = loaded.character;
    std::string why;
    if (!can_be_transferred(c.roles, why))
        throw FileError(options.file, why, "give roles with nbone characterize --roles, then --character");
    RestRequest request{loaded.take ? &*loaded.take : nullptr, c.rig.options.reference, stance_of(options)};
    const RestAlignment stored = stored_rest(c.rig, c.roles, c.solved);
    const RestAlignment solved = solve_rest(c.rig, c.roles, request);
    c.rest = is_file ? rest_from_file(options.stance, c) : solved;

    // Before: the rig as it is stored. After: as aligned. Both against the stance that was asked for.
    struct Row {
        std::string role;
        double before_deg, after_deg, turn_deg;
        RoleRest found;
    };
    std::vector<Row> rows;
    for (const std::string& role : roles_in_order(c.roles)) {
        if (role == "root" || role == "hips") continue;
        const Vec3 wanted = aligned_direction(c.rig.skeleton, c.roles, c.rest, role);
        Row row{role, 0.0, 0.0, 0.0, {}};
        if (rest_rule(role, body_plan(c.roles.plan)) == RestRule::match &&
            c.rest.stance.kind == Stance::Kind::arms) {
            const Vec3 asked = stance_turn(c.rest.stance, role) *
                               stance_direction(role, c.rest.stance.thumb_rad.value_or(0.0));
            const bool is_asked =
                !is_finger_role(role) || (c.rest.stance.straight_fingers && c.rest.stance.closed_fingers &&
                                          (role_part(role) != "thumb" || c.rest.stance.thumb_rad));
            row.after_deg = is_asked && !wanted.isZero() ? rad_to_deg(angle_between(wanted, asked)) : 0.0;
        }
        const Vec3 before = aligned_direction(c.rig.skeleton, c.roles, stored, role);
        row.before_deg = rad_to_deg(angle_between(before, wanted));
        row.turn_deg = rad_to_deg(log_rotation(relative_turn(c.roles, c.rest, role)).norm());
        if (const auto at = c.rest.found.find(role); at != c.rest.found.end()) row.found = at->second;
        rows.push_back(std::move(row));
    }

    if (!options.out.empty()) write_file(options.out, format_document(character_document(c)));
    double moved_m = 0.0;
    double change_m = 0.0;
    if (!options.as_rest.empty()) {
        write_as_rest(options.as_rest, c);
        moved_m = largest_vertex_move_m(c, options.as_rest);
        change_m = change_over_limbering_m(c, options.as_rest);
    }
    std::vector<RestRow> gaps;
    if (!options.against.empty()) {
        LoadedFile other = options.against.ends_with(".take.json")
                               ? load_take(options.against, "", notes)
                               : load_character(options.against, options.source_character, notes);
        if (!can_be_transferred(other.character.roles, why))
            throw FileError(options.against, why, "give a body whose hips and legs are found");
        gaps = compare_rests(other.character, c);
    }
    if (options.as_json) {
        Json document;
        document["rig"] = options.file;
        document["stance"] = is_file ? options.stance : stance_text(c.rest.stance);
        document["reference"] = c.rest.reference;
        document["ankle_height_cm"] = canonical(std::round(1e4 * c.rest.ankle_height_m) / 100.0);
        document["ankle_reason"] = c.rest.ankle_reason;
        for (const Row& row : rows)
            document["roles"][row.role] = {{"before_deg", rounded(row.before_deg)},
                                           {"after_deg", rounded(row.after_deg)},
                                           {"turn_deg", rounded(row.turn_deg)},
                                           {"roll_from", roll_source_name(row.found.roll)},
                                           {"roll_sure", canonical(std::round(1e3 * row.found.sure) / 1e3)}};
        for (const RestRow& row : gaps)
            document["against"].push_back(
                {{"role", row.role},
                 {"direction_in_files_deg", rounded(row.stored.direction_deg)},
                 {"roll_in_files_deg", rounded(row.stored.roll_deg)},
                 {"direction_deg", rounded(row.now.direction_deg)},
                 {"roll_deg", rounded(row.now.roll_deg)},
                 {"roll_known", row.is_roll_known},
                 {"roll_from", {roll_source_name(row.source_roll), roll_source_name(row.target_roll)}}});
        if (!options.as_rest.empty()) {
            document["as_rest"]["file"] = options.as_rest;
            document["as_rest"]["largest_vertex_move_m"] = canonical(moved_m);
            document["as_rest"]["largest_change_over_limbering_m"] = canonical(change_m);
        }
        document["notes"] = notes;
        fmt::print("{}", format_document(document));
        return exit_done;
    }
    fmt::print("{}: {}, from the {}; ankle {:.1f} cm over the floor ({})\n", c.name,
               is_file ? "as " + options.stance : stance_name(c.rest.stance), c.rest.reference,
               100.0 * c.rest.ankle_height_m, c.rest.ankle_reason);
    fmt::print("{:18} {:>9} {:>9} {:>9}  {}\n", "role", "before", "after", "turned", "roll from");
    for (const Row& row : rows)
        fmt::print("{:18} {:8.2f}° {:8.2f}° {:8.2f}°  {}\n", row.role, row.before_deg, row.after_deg,
                   row.turn_deg, roll_source_name(row.found.roll));
    if (!gaps.empty())
        fmt::print("against {}:\n{:18} {:>22} {:>22}  roll from\n", options.against, "role",
                   "direction, files -> now", "roll, files -> now");
    for (const RestRow& row : gaps)
        fmt::print("{:18} {:11.2f}° -> {:6.2f}° {:11.2f}° -> {:6.2f}°  {} · {}{}\n", row.role,
                   rounded(row.stored.direction_deg), rounded(row.now.direction_deg),
                   rounded(row.stored.roll_deg), rounded(row.now.roll_deg), roll_source_name(row.source_roll),
                   roll_source_name(row.target_roll), row.is_roll_known ? "" : " (unknown)");
    if (!options.as_rest.empty())
        fmt::print(
            "written: {}\n  largest vertex move {:.2g} m; over the limbering take the new skin lies within "
            "{:.1f} mm of the old one\n",
            options.as_rest, moved_m, 1000.0 * change_m);
    for (const std::string& note : notes) fmt::print("  note: {}\n", note);
    return exit_done;
}

}  // namespace nb::cli
