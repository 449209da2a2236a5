#include "core/documents/character.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <filesystem>

#include "core/documents/chains.hpp"
#include "core/documents/intake.hpp"
#include "core/documents/rest.hpp"
#include "core/documents/roles.hpp"
#include "core/documents/touch_ups.hpp"
#include "core/rest/edit.hpp"
#include "core/rest/solve.hpp"
#include "core/rig/trees.hpp"

namespace nb {

namespace {

const Shape& character_shape() {
    static const Shape shape = [] {
        const Shape rest = object_of({}, {{"dials", object_of({})},
                                          {"hinges", table_of(object_of({}))},
                                          {"alignment", table_of(object_of({"roll_from", "roll_sure"}))}});
        return object_of({"intake", "settled", "other_rests", "solved", "chains", "touches"},
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

/// True when what a document says of a role can be used on a skeleton.
bool is_given(const Json& fill, const std::string& role, const std::string& plan, const Skeleton& skeleton) {
    const auto bone = fill.find("bone");
    return bone != fill.end() && bone->is_string() && skeleton.find(bone->get<std::string>()) >= 0 &&
           is_role_of(role, plan);
}

}  // namespace

std::string own_signature(const Rig& rig) {
    if (rig.facts.along.empty()) return rig.skeleton.signature();
    const auto& along = rig.facts.along;
    const Skeleton& all = rig.skeleton;
    Skeleton own;
    std::vector<int> place(all.names.size(), -1);
    for (size_t j = 0; j < all.names.size(); ++j) {
        if (std::find(along.begin(), along.end(), all.names[j]) != along.end()) continue;
        place[j] = own.size();
        own.names.push_back(all.names[j]);
        own.parents.push_back(all.parents[j] < 0 ? -1 : place[size_t(all.parents[j])]);
        own.rest_R.push_back(all.rest_R[j]);
        own.rest_p.push_back(all.rest_p[j]);
    }
    return own.signature();
}

bool is_rig_of_document(const Json& document, const std::string& rig_path) {
    const auto rig = document.find("rig");
    return rig != document.end() && rig->is_object() && rig->contains("path") && (*rig)["path"].is_string() &&
           std::filesystem::path((*rig)["path"].get<std::string>()).filename() ==
               std::filesystem::path(rig_path).filename();
}

Json character_document(const Character& character) {
    const Rig& rig = character.rig;
    const Skeleton& skeleton = rig.skeleton;
    Json document = document_header("character", character.id);
    document["name"] = character.name;
    document["rig"]["path"] = std::filesystem::path(rig.path).filename().string();
    document["rig"]["signature"] = own_signature(rig);
    document["rig"]["bones"] = skeleton.size() - int(rig.facts.along.size());
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
    if (!character.touches.empty()) document["touches"] = touch_layers_json(character.touches);
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
    const auto& along = character.rig.facts.along;
    const bool is_same_rig = text_in(rig, "signature", path) == own_signature(character.rig);
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
    const int found_hips = character.rig.options.tree.empty() ? character.roles.joint("hips") : -1;
    for (const auto& [role, fill] : roles_read.items()) {
        const std::string bone = text_in(fill, "bone", path);
        const double confidence = number_in(fill, "confidence", 0.0, 1.0, path);
        int joint = find_in_tree(skeleton, character.rig.options.tree, bone);
        // Of several bodies none was chosen: the one that was found.
        if (joint < 0 && found_hips >= 0)
            joint = find_in_tree(skeleton, skeleton.names[size_t(found_hips)], bone);
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
    // What came along is not in the document: its roles are as they were found.
    for (const RoleFill& fill : character.roles.fills)
        if (std::find(along.begin(), along.end(), skeleton.names[size_t(fill.joint)]) != along.end() &&
            roles.joint(fill.role) < 0 && roles.role_of(fill.joint).empty() &&
            is_role_of(fill.role, roles.plan))
            roles.fills.push_back(fill);
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
    character.touches = read_touch_layers(list_or_none(document, "touches", path), path);
    character.document_text = document.dump();
    if (!is_same_rig || !along.empty()) {
        // Stored turns lead from the rest they were made for; this one's are found from the file.
        align_to_t(character, take);
        if (is_same_rig || is_rig_of_document(document, character.rig.path))
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

}  // namespace nb
