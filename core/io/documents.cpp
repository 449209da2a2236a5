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
/// Frames of a file, joints of a rig: beyond what any file holds.
constexpr int frame_limit = 100000000;

// What this program writes, for keeping what it does not know (Shape, core/io/json_fields.hpp).

Shape table_of(Shape entry) {
    Shape table;
    table.is_table = true;
    table.below = {"*"};
    table.shapes = {std::move(entry)};
    return table;
}

Shape list_of(Shape item, std::vector<std::string_view> same_by) {
    Shape list;
    list.below = {"*"};
    list.shapes = {std::move(item)};
    list.same_by = std::move(same_by);
    return list;
}

/// An entry of object_of: a key and the shape of what stands there.
struct Below {
    std::string_view key;
    Shape shape;
};

Shape object_of(std::vector<std::string_view> own, std::vector<Below> below = {}) {
    Shape shape;
    shape.own = std::move(own);
    for (Below& entry : below) {
        shape.below.push_back(entry.key);
        shape.shapes.push_back(std::move(entry.shape));
    }
    return shape;
}

Shape chain_table_shape() {
    return table_of(object_of(
        {"left_out", "driven_by", "ticks", "first", "last", "source_first", "source_last", "carry",
         "tip_share", "soften_from", "pole_deg", "start_gives", "give", "shoulder_share", "proposed"},
        {{"ticks", list_of(object_of({}), {"source", "target"})}}));
}

Shape intake_shape() {
    return object_of({"tree", "reference", "on_floor", "over_origin", "bridge_breaks", "fps", "lengths"},
                     {{"lengths", table_of({})}});
}

const Shape& character_shape() {
    static const Shape shape = [] {
        const Shape rest = object_of({}, {{"dials", object_of({})},
                                          {"hinges", table_of(object_of({}))},
                                          {"alignment", table_of(object_of({"roll_from", "roll_sure"}))}});
        return object_of({"intake", "settled", "other_rests", "solved", "chains"},
                         {{"rig", object_of({})},
                          {"conventions", object_of({})},
                          {"intake", intake_shape()},
                          {"roles", table_of(object_of({}))},
                          {"rest", rest},
                          {"solved", rest},
                          {"other_rests", list_of(rest, {"name"})},
                          {"chains", chain_table_shape()}});
    }();
    return shape;
}

const Shape& pairing_shape() {
    // `carry`: where older documents had what crosses of a limb.
    static const Shape shape =
        object_of({"chains", "takes", "root_track", "carry"}, {{"source", object_of({})},
                                                               {"target", object_of({})},
                                                               {"passes", object_of({})},
                                                               {"chains", chain_table_shape()},
                                                               {"takes", table_of(chain_table_shape())}});
    return shape;
}

const Shape& take_shape() {
    static const Shape shape =
        object_of({"conventions", "intake", "contacts_by_hand", "floor_levels_m", "animation"},
                  {{"character", object_of({})},
                   {"conventions", object_of({"unit_m", "up", "facing"})},
                   {"trim", object_of({})},
                   {"intake", intake_shape()},
                   {"contacts", list_of(object_of({}), {"point", "first", "last"})}});
    return shape;
}

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
    if (const std::string where = not_finite_in(document); !where.empty())
        throw FileError("the document", fmt::format("'{}' is no finite number", where),
                        "nothing was written; look at the body this is of");
    return document.dump(2, ' ', false, Json::error_handler_t::replace) + "\n";
}

Json read_document(const std::string& path, const std::string& kind) {
    return parse_document(read_file(path), path, kind);
}

Json parse_json(const std::string& text, const std::string& path) {
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
    return document;
}

Json parse_document(const std::string& text, const std::string& path, const std::string& kind) {
    if (text.find_first_not_of(" \t\r\n") == std::string::npos)
        throw FileError(path, "is empty", "restore it from a copy");
    Json document = parse_json(text, path);
    const std::string format =
        document.is_object() && document.contains("format") && document["format"].is_string()
            ? document["format"].get<std::string>()
            : "";
    if (format != "nimble-bone/" + kind)
        throw FileError(path, fmt::format("is no {} document", kind),
                        fmt::format("expected \"format\": \"nimble-bone/{}\"", kind));
    const int version = whole_in(document, "version", 1, 1000000, path);
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

}  // namespace

namespace {

/// Writes a table under `key`; nothing when there is nothing in it.
void put_chains(Json& document, const std::string& key, const ChainTable& table) {
    for (const auto& [chain, set] : table)
        if (!set.is_empty()) document[key][chain] = chain_settings_json(set);
}

/// Place of a role in a chain of that name in a body plan that has it; -1 when none has. Of no chain: any.
int place_in_chain(const std::string& chain, const std::string& role) {
    for (const std::string& name : body_plan_names()) {
        const BodyPlan& plan = body_plan(name);
        const ChainPlan* of = chain.empty() ? plan.chain_of(role) : plan.chain(chain);
        if (!of) continue;
        const auto at = std::find(of->roles.begin(), of->roles.end(), role);
        if (at != of->roles.end()) return int(at - of->roles.begin());
    }
    return -1;
}

/// Throws when a run starts or ends at what is no role of it, or ends before it starts, or when what is no
/// role is matched. Which roles a body has is not asked: a setting may be meant for another one. What drives
/// the chain may be said elsewhere: of the source any role will do.
void check_roles_of_chain(const std::string& chain, const ChainSettings& set, const std::string& path) {
    const auto expect = [&](const std::string& key, const std::string& of, const std::string& role) {
        const int place = place_in_chain(of, role);
        if (place >= 0) return place;
        throw FileError(path,
                        fmt::format("chain '{}': '{}' is '{}', no role{}", chain, key, role,
                                    of.empty() ? "" : " of " + of),
                        "write the name of a role of that chain");
    };
    const auto place = [&](const char* key, const std::string& of, const std::optional<std::string>& role) {
        return role && !role->empty() ? expect(key, of, *role) : -1;
    };
    const int from = place("first", chain, set.first);
    const int to = place("last", chain, set.last);
    if (from >= 0 && to >= 0 && from > to)
        throw FileError(
            path,
            fmt::format("chain '{}' starts at {} and ends at {} before it", chain, *set.first, *set.last),
            "exchange 'first' and 'last'");
    place("source_first", "", set.source_first);
    place("source_last", "", set.source_last);
    if (!set.ticks) return;
    for (const auto& [S_role, T_role] : *set.ticks) {
        expect("ticks: source", "", S_role);
        expect("ticks: target", chain, T_role);
    }
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
        check_roles_of_chain(chain, settings_of(table, chain), path);
    }
    return table;
}

namespace {

bool is_role_of(const std::string& role, const std::string& plan) {
    const std::string part = role_part(role);
    return part == "hips" || part == "root" || part == "eye" || part == "jaw" ||
           body_plan(plan).chain_of(role);
}

/// True when what a document says of a role can be used on a skeleton.
bool is_given(const Json& fill, const std::string& role, const std::string& plan, const Skeleton& skeleton) {
    const auto bone = fill.find("bone");
    return bone != fill.end() && bone->is_string() && skeleton.find(bone->get<std::string>()) >= 0 &&
           is_role_of(role, plan);
}

}  // namespace

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
        const Json read = Json::parse(character.document_text);
        // What does not fit this state of the rig stays for one that it fits.
        Json& kept_roles = document["roles"];
        const auto read_roles = read.find("roles");
        if (read_roles != read.end() && read_roles->is_object())
            for (const auto& [role, fill] : read_roles->items())
                if (!kept_roles.contains(role) && !is_given(fill, role, character.roles.plan, skeleton))
                    kept_roles[role] = fill;
        keep_unknown(read, document, character_shape());
    }
    return document;
}

namespace {

std::string read_plan(const Json& document, const std::string& path) {
    std::string plan = text_in(document, "plan", "biped", path);
    if (!find_body_plan(plan))
        throw FileError(path, fmt::format("'{}' is no body plan", plan),
                        fmt::format("write one of {}", fmt::join(body_plan_names(), ", ")));
    return plan;
}

/// A T without corrections is its own zero.
bool is_corrected(const RestAlignment& rest) {
    return rest.stance != Stance() || rest.dials != BodyDials() ||
           std::any_of(rest.found.begin(), rest.found.end(),
                       [](const auto& found) { return found.second.roll == RollSource::by_hand; });
}

/// Corrections and named rests that were made for another state of the rig, on top of what is found for this
/// one. Only what stands beyond the T as found then crosses: it says how the body was turned, not how its
/// bones lay.
void carry_rests(const Json& document, const std::string& path, const Json& roles_read, Character& character,
                 const Take* take) {
    const Skeleton& skeleton = character.rig.skeleton;
    // The roles as the document had them, so that a turn relative to a missing parent is not misread.
    RoleMap fitting = character.roles;
    std::erase_if(fitting.fills, [&](const RoleFill& fill) { return !roles_read.contains(fill.role); });
    const auto carry = [&](const Json& stored) {
        RestAlignment old;
        read_rest(stored, path, skeleton, fitting, old);
        RestAlignment zero;
        if (document.contains("solved")) {
            read_rest(document.at("solved"), path, skeleton, fitting, zero);
        } else if (!is_corrected(old)) {
            zero = old;
        } else {
            // Only stance and settings are known to be beyond the T.
            RestAlignment renewed = solve_rest(character.rig, character.roles,
                                               {take, character.rig.options.reference, old.stance});
            renewed.name = old.name;
            set_dials(skeleton, character.roles, renewed, old.dials);
            return renewed;
        }
        return carried_over(fitting, old, zero, skeleton, character.roles, character.solved);
    };
    if (document.contains("rest")) character.rest = carry(object_in(document, "rest", path));
    character.other_rests.clear();
    for (const Json& other : list_or_none(document, "other_rests", path))
        character.other_rests.push_back(carry(other));
}

void apply_character(const Json& document, const std::string& path, Character& character, const Take* take,
                     std::vector<std::string>& notes) {
    const Skeleton& skeleton = character.rig.skeleton;
    character.id = text_in(document, "id", path);
    character.name = text_in(document, "name", path);
    const Json& rig = object_in(document, "rig", path);
    const bool is_same_rig = text_in(rig, "signature", path) == skeleton.signature();
    // A take is another file than its body's rig; only the rig itself is told to have changed.
    if (!is_same_rig && is_rig_of_document(document, character.rig.path))
        notes.push_back(fmt::format(
            "{} was made for another state of the rig: bones are found by name, the rest anew", path));
    RoleMap roles;
    roles.notes = character.roles.notes;
    roles.plan = read_plan(document, path);
    roles.is_settled = flag_in(document, "settled", false, path);
    const Json& roles_read = object_in(document, "roles", path);
    std::vector<std::string> unfit;
    for (const auto& [role, fill] : roles_read.items()) {
        const std::string bone = text_in(fill, "bone", path);
        const double confidence = number_in(fill, "confidence", 0.0, 1.0, path);
        const int joint = skeleton.find(bone);
        if (joint < 0 || !is_role_of(role, roles.plan)) {
            unfit.push_back(joint < 0 ? fmt::format("{} ('{}')", role, bone) : role);
            continue;
        }
        if (const std::string taken = roles.role_of(joint); !taken.empty())
            throw FileError(path, fmt::format("'{}' is given to {} and to {}", bone, taken, role),
                            "give a bone one role");
        roles.fills.push_back({role, joint, confidence, texts_or_none(fill, "evidence", path),
                               flag_in(fill, "by_hand", false, path)});
    }
    // The motion file of a take may well have fewer bones than its body's rig.
    if (!unfit.empty() && is_rig_of_document(document, character.rig.path))
        notes.push_back(fmt::format("{}: not in {}, and kept in the document for a rig that has them: {}",
                                    path, std::filesystem::path(character.rig.path).filename().string(),
                                    fmt::join(unfit, ", ")));
    roles.followers = character.roles.followers;
    update_role_lists(skeleton, roles);
    std::string why;
    if (!can_be_transferred(roles, why)) {
        if (unfit.empty()) throw FileError(path, why, "name these bones in the character file");
        throw FileError(path,
                        fmt::format("{}: {} is not in {}", why, fmt::join(unfit, ", "), character.rig.path),
                        "give the character file of this rig");
    }
    character.roles = roles;

    if (document.contains("chains")) character.chains = read_chain_table(document.at("chains"), path);
    character.document_text = document.dump();
    if (!is_same_rig) {
        // Stored turns lead from the rest they were made for; this one's are found from the file.
        align_to_t(character, take);
        if (is_rig_of_document(document, character.rig.path))
            carry_rests(document, path, roles_read, character, take);
        return;
    }
    read_rest(object_in(document, "rest", path), path, skeleton, roles, character.rest);
    if (document.contains("solved"))
        read_rest(document.at("solved"), path, skeleton, roles, character.solved);
    else
        character.solved = is_corrected(character.rest)
                               ? solve_rest(character.rig, roles, {take, character.rig.options.reference, {}})
                               : character.rest;
    character.other_rests.clear();
    for (const Json& other : list_or_none(document, "other_rests", path))
        read_rest(other, path, skeleton, roles, character.other_rests.emplace_back());

    FileConventions& conventions = character.rig.conventions;
    const Json& stated = object_or_none(document, "conventions", path);
    conventions.is_unit_guessed = flag_in(stated, "unit_is_guessed", conventions.is_unit_guessed, path);
    conventions.unit_reason = text_in(stated, "unit_reason", conventions.unit_reason, path);
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
    if (!document.contains("intake")) return;
    const Json& intake = object_in(document, "intake", path);
    options.tree = text_in(intake, "tree", "", path);
    options.reference = text_in(intake, "reference", "", path);
    options.on_floor = flag_in(intake, "on_floor", false, path);
    options.over_origin = flag_in(intake, "over_origin", false, path);
    options.bridge_breaks = flag_in(intake, "bridge_breaks", false, path);
    options.fps.reset();
    if (intake.contains("fps")) options.fps = number_in(intake, "fps", 0.1, 1000.0, path);
    options.lengths.clear();
    for (const auto& [part, factor] : object_or_none(intake, "lengths", path).items()) {
        if (part != "legs" && part != "arms" && part != "trunk" && part != "neck")
            throw FileError(path, fmt::format("'{}' is no part with a length", part),
                            "write legs, arms, trunk or neck");
        options.lengths[part] = number_of(factor, part, 0.1, 10.0, path);
    }
}

void read_conventions(const Json& document, const std::string& path, LoadOptions& options) {
    const Json& conventions = object_or_none(document, "conventions", path);
    options.unit_m.reset();
    options.up.reset();
    options.facing.reset();
    if (conventions.contains("unit_m")) options.unit_m = number_in(conventions, "unit_m", 1e-9, 1e6, path);
    if (conventions.contains("up")) options.up = text_in(conventions, "up", path);
    if (conventions.contains("facing")) options.facing = text_in(conventions, "facing", path);
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

void apply_change(const Json& document, const std::string& path, LoadedFile& file) {
    reading(path, [&] {
        Character& character = file.character;
        const Skeleton& skeleton = character.rig.skeleton;
        const RoleMap found = character.roles;
        RoleMap roles = read_given_roles(document, path, skeleton);
        // Confidence and evidence of what was not given by hand are as found.
        for (RoleFill& fill : roles.fills)
            if (const RoleFill* as_found = found.fill(fill.role); as_found && as_found->joint == fill.joint)
                fill = *as_found;
        roles.is_settled = flag_in(document, "settled", false, path);
        roles.notes = found.notes;
        roles.followers = found.followers;
        update_role_lists(skeleton, roles);
        const bool is_other_body = !(roles == found);
        character.roles = roles;
        std::string why;
        if (is_other_body && can_be_transferred(roles, why))
            align_to_t(character, file.take ? &*file.take : nullptr);
        if (document.contains("rest") && text_in(document, "signature", "", path) == skeleton.signature()) {
            read_rest(document.at("rest"), path, skeleton, roles, character.rest);
            character.other_rests.clear();
            for (const Json& other : list_or_none(document, "other_rests", path))
                read_rest(other, path, skeleton, roles, character.other_rests.emplace_back());
        }
        character.chains = read_chain_table(object_or_none(document, "chains", path), path);
        if (file.take) set_contacts_in_file(file, read_contacts(document, path, file));
        return 0;
    });
}

void read_change(const Json& document, const std::string& path, LoadOptions& options) {
    read_conventions(document, path, options);
    read_intake(document, path, options);
    const Json& trim = object_or_none(document, "trim", path);
    options.trim_first = whole_in(trim, "first", 0, frame_limit, 0, path);
    options.trim_last = whole_in(trim, "last", 0, frame_limit, 0, path);
    options.is_by_hand = true;
}

Json changed_take_document(const LoadedFile& file, const std::string& path) {
    const Rig& rig = file.character.rig;
    TakeDocument take;
    if (!file.take_document.text.empty()) {
        take = read_take_document(parse_document(file.take_document.text, path, "take"), path);
    } else {
        take.id = file.take && !file.take->id.empty() ? file.take->id : make_uuid();
        take.file = std::filesystem::path(rig.path).filename().string();
        take.frames = file.file_frames;
        take.first_motion_frame =
            rig.options.trim_first == 0 && file.take ? file.take->first_motion_frame : 0;
        take.frame_time_text = file.take ? file.take->frame_time_text : "0.0333333";
        take.other = Json::object();
    }
    const Json read = take.other;
    if (file.animations.size() > 1) take.animation = rig.options.animation + 1;
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
    Json document = take_document(take);
    keep_unknown(read, document, take_shape());
    return document;
}

KnownRoles read_known_roles(const Json& document, const std::string& path) {
    return reading(path, [&] {
        KnownRoles known;
        known.name = text_in(document, "name", path);
        known.plan = read_plan(document, path);
        const Json& roles = object_in(document, "roles", path);
        for (const auto& [role, fill] : roles.items()) {
            known.bones[role] = text_in(fill, "bone", path);
            if (flag_in(fill, "by_hand", false, path)) known.by_hand.push_back(role);
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
        const Json& given = object_in(document, "roles", path);
        for (const auto& [role, name] : given.items()) {
            const int joint = skeleton.find(name.get<std::string>());
            if (!is_role_of(role, roles.plan))
                throw FileError(path, fmt::format("'{}' is no role of the plan {}", role, roles.plan),
                                "write for example thigh.left; docs/body-plans.md lists them");
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
    keep_unknown(pairing.other, document, pairing_shape());
    return document;
}

namespace {

Pairing pairing_from(const Json& document, const std::string& path) {
    Pairing pairing;
    pairing.id = text_in(document, "id", path);
    const Json& source = object_in(document, "source", path);
    const Json& target = object_in(document, "target", path);
    pairing.source_id = text_in(source, "id", path);
    pairing.source_path = text_in(source, "path", path);
    pairing.target_id = text_in(target, "id", path);
    pairing.target_path = text_in(target, "path", path);
    const Json& scale = field(document, "scale", path);
    if (scale.is_number()) {
        pairing.settings.scale = number_of(scale, "scale", 1e-3, 1e3, path);
    } else if (scale != "legs") {
        throw FileError(path, "'scale' is neither a number nor \"legs\"", "compare with docs/schema");
    }
    const Json& passes = object_in(document, "passes", path);
    for (const PassName& pass : pass_table) {
        const bool is_needed = std::string_view(pass.name) == "root" ||
                               std::string_view(pass.name) == "angles" ||
                               std::string_view(pass.name) == "reach";
        pairing.settings.passes.*pass.is_on =
            is_needed ? flag_in(passes, pass.name, path) : flag_in(passes, pass.name, true, path);
    }
    pairing.settings.has_root_track = flag_in(document, "root_track", false, path);
    pairing.settings.chains = read_chain_table(object_or_none(document, "chains", path), path);
    // As documents had it before chains had levels: every limb's carry, usual or not.
    const Json& carry_read = object_or_none(document, "carry", path);
    for (const auto& [limb, carry] : carry_read.items()) {
        const ChainPlan* chain = body_plan("biped").chain(limb);
        if (!chain || !chain->is_limb || (carry != "limb" && carry != "angles"))
            throw FileError(path, fmt::format("the carry of '{}' is not known", limb),
                            "limbs are arm and leg, .left and .right; carry is angles or limb");
        const Carry is = carry == "limb" ? Carry::limb : Carry::angles;
        if (is != chain->usual.carry.value_or(Carry::angles)) pairing.settings.chains[limb].carry = is;
    }
    const Json& takes = object_or_none(document, "takes", path);
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
    if (take.animation > 0) document["animation"] = take.animation;
    document["contacts"] = Json::array();
    document["props"] = Json::array();
    if (take.other.is_object() && take.other.contains("set")) document["set"] = take.other["set"];
    document["notes"] = take.notes;
    keep_unknown(take.other, document, object_of({"animation"}));
    for (const auto* list : {"contacts", "props"})
        if (take.other.is_object() && take.other.contains(list)) document[list] = take.other[list];
    return document;
}

TakeDocument read_take_document(const Json& document, const std::string& path) {
    TakeDocument take;
    take.id = text_in(document, "id", path);
    take.file = text_in(document, "file", path);
    const Json& character = object_in(document, "character", path);
    take.character_id = text_in(character, "id", path);
    take.character_path = text_in(character, "path", path);
    take.frame_time_text = text_in(document, "frame_time_s", path);
    take.frames = whole_in(document, "frames", 0, frame_limit, path);
    take.first_motion_frame = whole_in(document, "first_motion_frame", 0, frame_limit, path);
    take.animation = whole_in(document, "animation", 1, 100000, 0, path);
    const Json& trim = object_in(document, "trim", path);
    take.trim_first = whole_in(trim, "first", 0, frame_limit, path);
    take.trim_last = whole_in(trim, "last", 0, frame_limit, path);
    if (take.trim_first > 0 && take.trim_first >= take.trim_last)
        throw FileError(path, fmt::format("'trim' runs from {} to {}", take.trim_first, take.trim_last),
                        "write first < last in frames of the file");
    take.notes = text_in(document, "notes", "", path);
    LoadOptions stated;
    read_conventions(document, path, stated);
    take.unit_m = stated.unit_m.value_or(0.0);
    take.up = stated.up.value_or("");
    take.facing = stated.facing.value_or("");
    for (const Json& prop : list_or_none(document, "props", path))
        if (prop.contains("file"))
            take.pieces.push_back(
                {text_in(prop, "file", path), text_in(prop, "joint", path), Vec3::Zero(), false});
    for (const Json& piece : list_or_none(document, "set", path)) {
        Vec3 at_m = Vec3::Zero();
        if (piece.contains("at_m")) {
            const auto at = numbers_in(piece, "at_m", 3, -1e6, 1e6, path);
            at_m = {at[0], at[1], at[2]};
        }
        take.pieces.push_back(
            {text_in(piece, "file", path), "", at_m, flag_in(piece, "is_ground", false, path)});
    }
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
