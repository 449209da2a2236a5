#include "core/documents/change.hpp"

#include "core/documents/chains.hpp"
#include "core/documents/contacts.hpp"
#include "core/documents/intake.hpp"
#include "core/documents/rest.hpp"
#include "core/documents/roles.hpp"
#include "core/documents/touch_ups.hpp"

namespace nb {

Json change_document(const LoadedFile& file) {
    const Character& character = file.character;
    const Rig& rig = character.rig;
    Json document = document_header("unsaved", character.id);
    Json& conventions = document["conventions"] = Json::object();
    if (rig.options.unit_m) conventions["unit_m"] = canonical(*rig.options.unit_m);
    if (rig.options.up) conventions["up"] = *rig.options.up;
    if (rig.options.facing) conventions["facing"] = *rig.options.facing;
    document["intake"] = intake_document(rig.options);
    if (document["intake"].is_null()) document["intake"] = Json::object();
    document["trim"] = {{"first", rig.options.trim_first}, {"last", rig.options.trim_last}};
    put_chains(document, "chains", character.chains);
    if (!character.touches.empty()) document["touches"] = touch_layers_json(character.touches);
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
        character.touches = read_touch_layers(list_or_none(document, "touches", path), path);
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

}  // namespace nb
