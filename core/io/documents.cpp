#include "core/io/documents.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <cstdlib>
#include <filesystem>
#include <stdexcept>

#include "core/io/contact_documents.hpp"
#include "core/io/file_error.hpp"
#include "core/rest/edit.hpp"
#include "core/rest/solve.hpp"

namespace nb {

namespace {

constexpr int current_version = 1;

Json header(const char* kind, const std::string& id) {
    Json document;
    document["format"] = fmt::format("nimble-bone/{}", kind);
    document["version"] = current_version;
    document["id"] = id;
    return document;
}

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

/// Keys of `read` that `written` does not have are added at the end, so that nothing is lost.
/// Keys of `own` are this program's: what is not in `written` of them is gone.
void keep_unknown(const Json& read, Json& written, std::initializer_list<std::string_view> own = {}) {
    if (!read.is_object()) return;
    for (const auto& [key, value] : read.items())
        if (!written.contains(key) && std::find(own.begin(), own.end(), key) == own.end())
            written[key] = value;
}

template <typename Value>
Value get(const Json& object, const char* key, const std::string& path) {
    try {
        return object.at(key).get<Value>();
    } catch (const Json::exception&) {
        throw FileError(path, fmt::format("'{}' is missing or of the wrong kind", key),
                        "compare with docs/schema");
    }
}

Quat read_quaternion(const Json& value, const std::string& path) {
    Quat R;
    if (!value.is_array() || value.size() != 4)
        throw FileError(path, "a rotation is not four numbers", "write x y z w");
    for (size_t c = 0; c < 4; ++c) {
        if (!value[c].is_number())
            throw FileError(path, "a rotation holds something that is no number", "write x y z w");
        R.coeffs()[Eigen::Index(c)] = value[c].get<double>();
    }
    const double error = std::abs(R.norm() - 1.0);
    if (!(error < 1e-3))
        throw FileError(path, "a rotation is not of unit length", "write a unit quaternion x y z w");
    // Digits as written by this program stay as they are.
    return error < 1e-11 ? R : R.normalized();
}

/// Whatever else is wrong in the shape of a document becomes one line as well.
template <typename Read>
auto reading(const std::string& path, Read&& read) {
    try {
        return read();
    } catch (const Json::exception&) {
        throw FileError(path, "a value is missing or of the wrong kind", "compare with docs/schema");
    }
}

}  // namespace

std::string format_document(const Json& document) {
    return document.dump(2, ' ', false, Json::error_handler_t::replace) + "\n";
}

Json read_document(const std::string& path, const std::string& kind) {
    const std::string text = read_file(path);
    Json document;
    const auto limit_depth = [&path](int depth, Json::parse_event_t, Json&) {
        if (depth > 64) throw FileError(path, "is nested more than 64 deep", "restore it from a copy");
        return true;
    };
    try {
        document = Json::parse(text, limit_depth);
    } catch (const Json::parse_error& error) {
        const size_t at = std::min(error.byte > 0 ? error.byte - 1 : 0, text.size());
        const int line = 1 + int(std::count(text.begin(), text.begin() + std::ptrdiff_t(at), '\n'));
        const size_t line_start = text.rfind('\n', at == 0 ? 0 : at - 1);
        throw FileError(path, line, int(line_start == std::string::npos ? at + 1 : at - line_start),
                        "is no valid JSON here", "restore it from a copy");
    } catch (const Json::exception&) {
        throw FileError(path, "holds a number beyond any range", "restore it from a copy");
    }
    const std::string format =
        document.is_object() && document.contains("format") && document["format"].is_string()
            ? document["format"].get<std::string>()
            : "";
    if (format != "nimble-bone/" + kind)
        throw FileError(path, fmt::format("is no {} document", kind),
                        fmt::format("expected \"format\": \"nimble-bone/{}\"", kind));
    const int version = get<int>(document, "version", path);
    if (version > current_version)
        throw FileError(path,
                        fmt::format("is version {}, newer than this program's {}", version, current_version),
                        "use a newer Nimble Bone");
    return document;
}

bool is_rig_of_document(const Json& document, const std::string& rig_path) {
    const auto rig = document.find("rig");
    return rig != document.end() && rig->is_object() && rig->contains("path") && (*rig)["path"].is_string() &&
           std::filesystem::path((*rig)["path"].get<std::string>()).filename() ==
               std::filesystem::path(rig_path).filename();
}

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

namespace {

bool is_word(const Json& document, const char* key, const char* yes, const char* no, bool otherwise,
             const std::string& path) {
    const std::string word = document.value(key, otherwise ? yes : no);
    if (word != yes && word != no)
        throw FileError(path, fmt::format("'{}' is '{}'", key, word), fmt::format("write {} or {}", yes, no));
    return word == yes;
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
    const Json thumb = stored.value("thumb_deg", Json(40.0));
    if (!thumb.is_number() && thumb != "keep")
        throw FileError(path, "'thumb_deg' is neither a number nor \"keep\"",
                        "write degrees off the index, or keep");
    rest.stance.thumb_rad.reset();
    if (thumb.is_number()) rest.stance.thumb_rad = deg_to_rad(thumb.get<double>());
    const Json dials = stored.value("dials", Json::object());
    rest.dials = {deg_to_rad(dials.value("pelvis_tilt_deg", 0.0)), deg_to_rad(dials.value("lean_deg", 0.0)),
                  deg_to_rad(dials.value("gaze_deg", 0.0)), 0.01 * dials.value("ground_cm", 0.0)};
    for (const double turn : {rest.dials.pelvis_tilt_rad, rest.dials.lean_rad, rest.dials.gaze_rad})
        if (!(std::abs(turn) <= pi))
            throw FileError(path, "'dials' turn beyond 180 degrees", "write degrees");
    if (!(std::abs(rest.dials.ground_m) <= 10.0))
        throw FileError(path, "'ground_cm' is beyond any body", "write centimetres, at most 1000");
    rest.reference = get<std::string>(stored, "reference", path);
    rest.ankle_height_m = get<double>(stored, "ankle_height_m", path);
    rest.ankle_reason = stored.value("ankle_reason", "");
    const Json alignment = get<Json>(stored, "alignment", path);
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
        const Quat E = read_quaternion(get<Json>(alignment[role], "turn_xyzw", path), path);
        rest.D_W[size_t(j)] = parent < 0 ? E : rest.D_W[size_t(parent)] * E;
        if (alignment[role].contains("roll_from"))
            rest.found[role] = {roll_source(get<std::string>(alignment[role], "roll_from", path)),
                                alignment[role].value("roll_sure", 0.0)};
    }
    rest.hinges.clear();
    const Json hinges_read = get<Json>(stored, "hinges", path);
    for (const auto& [limb, hinge] : hinges_read.items()) {
        const auto n = get<std::vector<double>>(hinge, "axis", path);
        if (n.size() != 3)
            throw FileError(path, fmt::format("the hinge of {} is not three numbers", limb), "write x y z");
        rest.hinges[limb] = {Vec3(n[0], n[1], n[2]), hinge_source(get<std::string>(hinge, "from", path))};
    }
    for (const auto* limb : {"arm.left", "arm.right", "leg.left", "leg.right"})
        rest.hinges.try_emplace(limb, Hinge{stance_hinge(limb), HingeSource::assumed});
    apply_alignment(skeleton, roles, rest);
}

}  // namespace

namespace {

/// Writes a table under `key`; nothing when there is nothing in it.
void put_chains(Json& document, const std::string& key, const ChainTable& table) {
    for (const auto& [chain, set] : table)
        if (!set.is_empty()) document[key][chain] = chain_settings_json(set);
}

}  // namespace

ChainTable read_chain_table(const Json& json, const std::string& path) {
    ChainTable table;
    if (!json.is_object()) throw FileError(path, "'chains' is no object", "compare with docs/schema");
    const auto is_chain = [](const std::string& name) {
        for (const std::string& plan : body_plan_names())
            if (body_plan(plan).chain(name)) return true;
        return false;
    };
    for (const auto& [chain, set] : json.items()) {
        try {
            put_settings(table, chain, parse_chain_settings(set));
        } catch (const std::invalid_argument& error) {
            throw FileError(path, fmt::format("chain '{}': {}", chain, error.what()),
                            "compare with docs/schema/pairing.schema.json");
        }
        for (const std::string& name : {chain, settings_of(table, chain).driven_by.value_or("")})
            if (!name.empty() && !is_chain(name))
                throw FileError(path, fmt::format("'{}' is no chain", name),
                                "write for example spine or index.left");
    }
    return table;
}

Json character_document(const Character& character) {
    const Rig& rig = character.rig;
    const Skeleton& skeleton = rig.skeleton;
    Json document = header("character", character.id);
    document["name"] = character.name;
    document["rig"]["path"] = std::filesystem::path(rig.path).filename().string();
    document["rig"]["signature"] = skeleton.signature();
    document["rig"]["bones"] = skeleton.size();
    Json& conventions = document["conventions"];
    conventions["unit_m"] = canonical(rig.conventions.unit_m);
    conventions["unit_is_guessed"] = rig.conventions.is_unit_guessed;
    conventions["unit_reason"] = rig.conventions.unit_reason;
    conventions["up"] = rig.conventions.up;
    conventions["facing"] = rig.conventions.facing;
    if (const Json intake = intake_document(rig.options); !intake.is_null()) document["intake"] = intake;
    document["plan"] = character.roles.plan;
    if (character.roles.is_settled) document["settled"] = true;
    Json& roles = document["roles"] = Json::object();
    for (const RoleFill& fill : character.roles.fills) {
        Json& role = roles[fill.role];
        role["bone"] = skeleton.names[size_t(fill.joint)];
        role["confidence"] = canonical(std::round(fill.confidence * 1000.0) / 1000.0);
        role["by_hand"] = fill.is_by_hand;
        role["evidence"] = fill.evidence;
    }
    if (character.rest.is_there()) document["rest"] = rest_document(character.roles, character.rest);
    for (const RestAlignment& rest : character.other_rests)
        document["other_rests"].push_back(rest_document(character.roles, rest));
    if (character.solved.is_there() && !is_same_alignment(character.solved, character.rest))
        document["solved"] = rest_document(character.roles, character.solved);
    put_chains(document, "chains", character.chains);
    if (!character.document_text.empty()) {
        keep_unknown(Json::parse(character.document_text), document,
                     {"intake", "settled", "other_rests", "solved", "chains"});
    }
    return document;
}

namespace {

std::string read_plan(const Json& document, const std::string& path) {
    std::string plan = document.value("plan", "biped");
    if (!find_body_plan(plan))
        throw FileError(path, fmt::format("'{}' is no body plan", plan),
                        fmt::format("write one of {}", fmt::join(body_plan_names(), ", ")));
    return plan;
}

void apply_character(const Json& document, const std::string& path, Character& character, const Take* take,
                     std::vector<std::string>& notes) {
    const Skeleton& skeleton = character.rig.skeleton;
    character.id = get<std::string>(document, "id", path);
    character.name = get<std::string>(document, "name", path);
    const Json rig = get<Json>(document, "rig", path);
    const bool is_same_rig = get<std::string>(rig, "signature", path) == skeleton.signature();
    // A take is another file than its body's rig; only the rig itself is told to have changed.
    if (!is_same_rig && is_rig_of_document(document, character.rig.path))
        notes.push_back(fmt::format(
            "{} was made for another state of the rig: bones are found by name, the rest anew", path));
    RoleMap roles;
    roles.notes = character.roles.notes;
    roles.plan = read_plan(document, path);
    roles.is_settled = document.value("settled", false);
    const Json roles_read = get<Json>(document, "roles", path);
    for (const auto& [role, fill] : roles_read.items()) {
        const std::string bone = get<std::string>(fill, "bone", path);
        const int joint = skeleton.find(bone);
        if (joint < 0)
            throw FileError(path,
                            fmt::format("the bone '{}' for {} is not in {}", bone, role, character.rig.path),
                            "give the character file of this rig");
        roles.fills.push_back({role, joint, get<double>(fill, "confidence", path),
                               fill.value("evidence", std::vector<std::string>{}),
                               fill.value("by_hand", false)});
    }
    roles.followers = character.roles.followers;
    update_role_lists(skeleton, roles);
    std::string why;
    if (!can_be_transferred(roles, why)) throw FileError(path, why, "name these bones in the character file");
    character.roles = roles;

    if (document.contains("chains")) character.chains = read_chain_table(document.at("chains"), path);
    character.document_text = document.dump();
    if (!is_same_rig) {
        // Stored turns lead from the rest they were made for; this one's are found from the file.
        align_to_t(character, take);
        return;
    }
    read_rest(get<Json>(document, "rest", path), path, skeleton, roles, character.rest);
    // A T without corrections is its own zero.
    const RestAlignment& rest = character.rest;
    const bool is_corrected = rest.stance != Stance() || rest.dials != BodyDials() ||
                              std::any_of(rest.found.begin(), rest.found.end(), [](const auto& found) {
                                  return found.second.roll == RollSource::by_hand;
                              });
    if (document.contains("solved"))
        read_rest(document.at("solved"), path, skeleton, roles, character.solved);
    else
        character.solved = is_corrected
                               ? solve_rest(character.rig, roles, {take, character.rig.options.reference, {}})
                               : rest;
    character.other_rests.clear();
    const Json others = document.value("other_rests", Json::array());
    for (const Json& other : others)
        read_rest(other, path, skeleton, roles, character.other_rests.emplace_back());

    FileConventions& conventions = character.rig.conventions;
    const Json stated = document.value("conventions", Json::object());
    conventions.is_unit_guessed = stated.value("unit_is_guessed", conventions.is_unit_guessed);
    conventions.unit_reason = stated.value("unit_reason", conventions.unit_reason);
}

}  // namespace

void apply_character_document(const Json& document, const std::string& path, Character& character,
                              const Take* take, std::vector<std::string>& notes) {
    reading(path, [&] { apply_character(document, path, character, take, notes); });
}

Json intake_document(const LoadOptions& options) {
    Json intake;
    if (!options.tree.empty()) intake["tree"] = options.tree;
    if (!options.reference.empty()) intake["reference"] = options.reference;
    if (options.on_floor) intake["on_floor"] = true;
    if (options.over_origin) intake["over_origin"] = true;
    if (options.bridge_breaks) intake["bridge_breaks"] = true;
    if (options.fps) intake["fps"] = canonical(*options.fps);
    for (const auto& [part, factor] : options.lengths) intake["lengths"][part] = canonical(factor);
    return intake;
}

void read_intake(const Json& document, const std::string& path, LoadOptions& options) {
    const auto at = document.find("intake");
    if (at == document.end()) return;
    reading(path, [&] {
        const Json& intake = *at;
        options.tree = intake.value("tree", std::string());
        options.reference = intake.value("reference", std::string());
        options.on_floor = intake.value("on_floor", false);
        options.over_origin = intake.value("over_origin", false);
        options.bridge_breaks = intake.value("bridge_breaks", false);
        if (intake.contains("fps")) options.fps = intake["fps"].get<double>();
        const Json lengths = intake.value("lengths", Json::object());
        for (const auto& [part, factor] : lengths.items()) {
            const double k = factor.get<double>();
            if (!(k >= 0.1 && k <= 10.0))
                throw FileError(path, fmt::format("the length factor of '{}' is {}", part, k),
                                "give 0.1 to 10");
            if (part != "legs" && part != "arms" && part != "trunk" && part != "neck")
                throw FileError(path, fmt::format("'{}' is no part with a length", part),
                                "write legs, arms, trunk or neck");
            options.lengths[part] = k;
        }
        return 0;
    });
}

Json change_document(const LoadedFile& file) {
    const Character& character = file.character;
    const Rig& rig = character.rig;
    Json document = header("unsaved", character.id);
    Json& conventions = document["conventions"] = Json::object();
    if (rig.options.unit_m) conventions["unit_m"] = canonical(*rig.options.unit_m);
    if (rig.options.up) conventions["up"] = *rig.options.up;
    if (rig.options.facing) conventions["facing"] = *rig.options.facing;
    document["intake"] = intake_document(rig.options);
    if (document["intake"].is_null()) document["intake"] = Json::object();
    document["trim"] = {{"first", rig.options.trim_first}, {"last", rig.options.trim_last}};
    put_chains(document, "chains", character.chains);
    document["plan"] = character.roles.plan;
    document["settled"] = character.roles.is_settled;
    document["roles"] = Json::object();
    for (const RoleFill& fill : character.roles.fills)
        document["roles"][fill.role] = rig.skeleton.names[size_t(fill.joint)];
    if (character.rest.is_there()) {
        document["signature"] = rig.skeleton.signature();
        document["rest"] = rest_document(character.roles, character.rest);
        for (const RestAlignment& other : character.other_rests)
            document["other_rests"].push_back(rest_document(character.roles, other));
    }
    write_contacts(document, file);
    return document;
}

bool read_rest_change(const Json& document, const std::string& path, const Character& character,
                      RestAlignment& rest, std::vector<RestAlignment>& others) {
    if (!document.contains("rest")) return false;
    return reading(path, [&] {
        RoleMap roles = read_given_roles(document, path, character.rig.skeleton);
        if (document.value("signature", "") != character.rig.skeleton.signature()) return false;
        read_rest(document.at("rest"), path, character.rig.skeleton, roles, rest);
        others.clear();
        const Json list = document.value("other_rests", Json::array());
        for (const Json& other : list)
            read_rest(other, path, character.rig.skeleton, roles, others.emplace_back());
        return true;
    });
}

void read_change(const Json& document, const std::string& path, LoadOptions& options) {
    reading(path, [&] {
        const Json conventions = document.value("conventions", Json::object());
        options.unit_m.reset();
        options.up.reset();
        options.facing.reset();
        if (conventions.contains("unit_m")) options.unit_m = conventions["unit_m"].get<double>();
        if (conventions.contains("up")) options.up = conventions["up"].get<std::string>();
        if (conventions.contains("facing")) options.facing = conventions["facing"].get<std::string>();
        options.fps.reset();
        options.lengths.clear();
        read_intake(document, path, options);
        options.trim_first = document.value("trim", Json::object()).value("first", 0);
        options.trim_last = document.value("trim", Json::object()).value("last", 0);
        return 0;
    });
}

Json changed_take_document(const LoadedFile& file, const std::string& path) {
    const Rig& rig = file.character.rig;
    TakeDocument take;
    if (std::filesystem::exists(path)) {
        take = read_take_document(read_document(path, "take"), path);
    } else {
        take.id = make_uuid();
        take.file = std::filesystem::path(rig.path).filename().string();
        take.frames = file.file_frames;
        take.first_motion_frame =
            rig.options.trim_first == 0 && file.take ? file.take->first_motion_frame : 0;
        take.frame_time_text = file.take ? file.take->frame_time_text : "0.0333333";
        take.other = Json::object();
    }
    take.trim_first = rig.options.trim_first;
    take.trim_last = rig.options.trim_last > 0 ? rig.options.trim_last : file.file_frames;
    Json& conventions = take.other["conventions"];
    conventions = Json::object();
    if (rig.options.unit_m) conventions["unit_m"] = canonical(*rig.options.unit_m);
    if (rig.options.up) conventions["up"] = *rig.options.up;
    if (rig.options.facing) conventions["facing"] = *rig.options.facing;
    if (conventions.empty()) take.other.erase("conventions");
    const Json intake = intake_document(rig.options);
    if (intake.is_null())
        take.other.erase("intake");
    else
        take.other["intake"] = intake;
    write_contacts(take.other, file);
    return take_document(take);
}

KnownRoles read_known_roles(const Json& document, const std::string& path) {
    return reading(path, [&] {
        KnownRoles known;
        known.name = get<std::string>(document, "name", path);
        known.plan = read_plan(document, path);
        const Json roles = get<Json>(document, "roles", path);
        for (const auto& [role, fill] : roles.items()) {
            known.bones[role] = get<std::string>(fill, "bone", path);
            if (fill.value("by_hand", false)) known.by_hand.push_back(role);
        }
        return known;
    });
}

std::string load_body_plan(const std::string& path) {
    try {
        BodyPlan plan = parse_body_plan(read_file(path));
        std::string name = plan.name;
        if (!add_body_plan(std::move(plan)))
            throw FileError(path, fmt::format("another plan of the name '{}' is known already", name),
                            "give it another name");
        return name;
    } catch (const std::invalid_argument& error) {
        throw FileError(path, error.what(), "compare with docs/body-plans.md");
    }
}

RoleMap read_given_roles(const Json& document, const std::string& path, const Skeleton& skeleton) {
    return reading(path, [&] {
        RoleMap roles;
        roles.plan = read_plan(document, path);
        const Json given = get<Json>(document, "roles", path);
        for (const auto& [role, name] : given.items()) {
            const int joint = skeleton.find(name.get<std::string>());
            if (joint < 0)
                throw FileError(path,
                                fmt::format("the rig has no bone '{}' for {}", name.get<std::string>(), role),
                                "write a bone's name as nbone inspect shows it");
            if (const std::string taken = roles.role_of(joint); !taken.empty())
                throw FileError(
                    path, fmt::format("'{}' is given to {} and to {}", name.get<std::string>(), taken, role),
                    "give a bone one role");
            roles.fills.push_back({role, joint, 1.0, {"given by hand"}, true});
        }
        update_role_lists(skeleton, roles);
        return roles;
    });
}

Json pairing_document(const Pairing& pairing) {
    Json document = header("pairing", pairing.id);
    document["source"]["id"] = pairing.source_id;
    document["source"]["path"] = pairing.source_path;
    document["target"]["id"] = pairing.target_id;
    document["target"]["path"] = pairing.target_path;
    document["scale"] = pairing.settings.scale ? Json(canonical(*pairing.settings.scale)) : Json("legs");
    for (const PassName& pass : pass_table)
        document["passes"][pass.name] = pairing.settings.passes.*pass.is_on;
    if (pairing.settings.has_root_track) document["root_track"] = true;
    put_chains(document, "chains", pairing.settings.chains);
    Json takes = Json::object();
    for (const auto& [take, table] : pairing.settings.takes) put_chains(takes, take, table);
    if (!takes.empty()) document["takes"] = takes;
    // `carry`: where older documents had what crosses of a limb.
    keep_unknown(pairing.other, document, {"chains", "takes", "root_track", "carry"});
    return document;
}

namespace {

Pairing pairing_from(const Json& document, const std::string& path) {
    Pairing pairing;
    pairing.id = get<std::string>(document, "id", path);
    const Json source = get<Json>(document, "source", path);
    const Json target = get<Json>(document, "target", path);
    pairing.source_id = get<std::string>(source, "id", path);
    pairing.source_path = get<std::string>(source, "path", path);
    pairing.target_id = get<std::string>(target, "id", path);
    pairing.target_path = get<std::string>(target, "path", path);
    const Json scale = get<Json>(document, "scale", path);
    if (scale.is_number()) {
        pairing.settings.scale = scale.get<double>();
        if (!(*pairing.settings.scale > 1e-3 && *pairing.settings.scale < 1e3))
            throw FileError(path, "'scale' is beyond any body", "write \"legs\" or a factor such as 1.2");
    } else if (scale != "legs") {
        throw FileError(path, "'scale' is neither a number nor \"legs\"", "compare with docs/schema");
    }
    const Json passes = get<Json>(document, "passes", path);
    pairing.settings.passes = {passes.value("gather", true),      get<bool>(passes, "root", path),
                               get<bool>(passes, "angles", path), get<bool>(passes, "reach", path),
                               passes.value("contacts", true),    passes.value("twist", true)};
    pairing.settings.has_root_track = document.value("root_track", false);
    pairing.settings.chains = read_chain_table(document.value("chains", Json::object()), path);
    // As documents had it before chains had levels: every limb's carry, usual or not.
    const Json carry_read = document.value("carry", Json::object());
    for (const auto& [limb, carry] : carry_read.items()) {
        const ChainPlan* chain = body_plan("biped").chain(limb);
        if (!chain || !chain->is_limb || (carry != "limb" && carry != "angles"))
            throw FileError(path, fmt::format("the carry of '{}' is not known", limb),
                            "limbs are arm and leg, .left and .right; carry is angles or limb");
        const Carry is = carry == "limb" ? Carry::limb : Carry::angles;
        if (is != chain->usual.carry.value_or(Carry::angles)) pairing.settings.chains[limb].carry = is;
    }
    const Json takes = document.value("takes", Json::object());
    for (const auto& [take, table] : takes.items())
        pairing.settings.takes[take] = read_chain_table(table, path);
    pairing.other = document;
    return pairing;
}

}  // namespace

Pairing read_pairing(const Json& document, const std::string& path) {
    return reading(path, [&] { return pairing_from(document, path); });
}

Json take_document(const TakeDocument& take) {
    Json document = header("take", take.id);
    document["file"] = take.file;
    document["character"]["id"] = take.character_id;
    document["character"]["path"] = take.character_path;
    if (take.other.is_object() && take.other.contains("conventions"))
        document["conventions"] = take.other["conventions"];
    document["frame_time_s"] = take.frame_time_text;
    document["frames"] = take.frames;
    document["first_motion_frame"] = take.first_motion_frame;
    document["trim"]["first"] = take.trim_first;
    document["trim"]["last"] = take.trim_last;
    document["contacts"] = Json::array();
    document["props"] = Json::array();
    if (take.other.is_object() && take.other.contains("set")) document["set"] = take.other["set"];
    document["notes"] = take.notes;
    keep_unknown(take.other, document);
    for (const auto* list : {"contacts", "props"})
        if (take.other.is_object() && take.other.contains(list)) document[list] = take.other[list];
    return document;
}

TakeDocument read_take_document(const Json& document, const std::string& path) {
    TakeDocument take;
    take.id = get<std::string>(document, "id", path);
    take.file = get<std::string>(document, "file", path);
    const Json character = get<Json>(document, "character", path);
    take.character_id = get<std::string>(character, "id", path);
    take.character_path = get<std::string>(character, "path", path);
    take.frame_time_text = get<std::string>(document, "frame_time_s", path);
    take.frames = get<int>(document, "frames", path);
    take.first_motion_frame = get<int>(document, "first_motion_frame", path);
    const Json trim = get<Json>(document, "trim", path);
    take.trim_first = get<int>(trim, "first", path);
    take.trim_last = get<int>(trim, "last", path);
    reading(path, [&] {
        take.notes = document.value("notes", "");
        if (const Json stated = document.value("conventions", Json::object()); !stated.empty()) {
            take.unit_m = stated.value("unit_m", 0.0);
            if (take.unit_m != 0.0 && !(take.unit_m > 1e-9 && take.unit_m < 1e6))
                throw FileError(path, "'unit_m' is no length",
                                "write the metres of one unit, for example 0.01");
            take.up = stated.value("up", "");
            take.facing = stated.value("facing", "");
        }
        for (const Json& prop : document.value("props", Json::array()))
            if (prop.contains("file"))
                take.pieces.push_back({get<std::string>(prop, "file", path),
                                       get<std::string>(prop, "joint", path), Vec3::Zero(), false});
        for (const Json& piece : document.value("set", Json::array())) {
            const auto at = piece.value("at_m", std::vector<double>{0, 0, 0});
            if (at.size() != 3) throw FileError(path, "'at_m' is not three numbers", "write x y z");
            take.pieces.push_back({get<std::string>(piece, "file", path), "", Vec3(at[0], at[1], at[2]),
                                   piece.value("is_ground", false)});
        }
        return 0;
    });
    take.other = document;
    return take;
}

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
    Json document = header("certificate", character.id);
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
    document["version"] = current_version;
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
