#include "core/library/renewal.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <filesystem>

#include "core/base/fault.hpp"
#include "core/base/files.hpp"
#include "core/base/uuid.hpp"
#include "core/documents/character.hpp"
#include "core/documents/intake.hpp"
#include "core/library/folder_work.hpp"
#include "core/library/hand_over.hpp"
#include "core/library/moves.hpp"

namespace nb {

namespace fs = std::filesystem;

namespace {

constexpr const char* versions_folder = "versions";

/// The document of the older, for the newer file: bones by their names of now, and roles that new bones play.
Json document_for(const Renewal& renewal, const LoadedFile& found, const std::string& newer_rig,
                  std::vector<std::string>& roles_new) {
    Json document = parse_document(renewal.older.character_document.text,
                                   renewal.older.character_document.path, "character");
    document["rig"]["path"] = fs::path(newer_rig).filename().string();
    const Skeleton &before = renewal.older.character.rig.skeleton, &now = found.character.rig.skeleton;
    std::vector<bool> is_known(now.names.size(), false);
    for (const int joint : renewal.comparison.new_of_old)
        if (joint >= 0) is_known[size_t(joint)] = true;
    Json& roles = document["roles"];
    for (const RoleFill& fill : renewal.older.character.roles.fills)
        if (const int joint = renewal.comparison.new_of_old[size_t(fill.joint)];
            joint >= 0 && now.names[size_t(joint)] != before.names[size_t(fill.joint)] &&
            roles.contains(fill.role))
            roles[fill.role]["bone"] = now.names[size_t(joint)];
    if (found.character.roles.plan == renewal.older.character.roles.plan)
        for (const RoleFill& fill : found.character.roles.fills) {
            if (is_known[size_t(fill.joint)] || renewal.older.character.roles.joint(fill.role) >= 0) continue;
            Json& role = roles[fill.role] = Json::object();
            role["bone"] = now.names[size_t(fill.joint)];
            role["confidence"] = fill.confidence;
            role["by_hand"] = false;
            role["evidence"] = fill.evidence;
            roles_new.push_back(fill.role);
        }
    return document;
}

/// The newer file, read in the older's unit and axes, or in those the file itself suggests, whichever brings it nearer to the
/// older in size, then in turn. Leaves the comparison.
LoadedFile nearer_reading(Renewal& renewal, const std::string& newer_rig, LoadOptions& options) {
    const auto distance = [](const RigComparison& found) {
        return std::pair(std::round(100.0 * std::abs(std::log(found.size))), found.turned_deg);
    };
    options = renewal.older.character.rig.options;
    LoadedFile as_older = load_file(newer_rig, options);
    renewal.comparison = compare_rigs(renewal.older.character, as_older.character.rig);
    if (distance(renewal.comparison) == std::pair(0.0, 0.0)) return as_older;
    LoadOptions own = options;
    own.unit_m.reset();
    own.up.reset();
    own.facing.reset();
    LoadedFile as_itself = load_file(newer_rig, own);
    RigComparison second = compare_rigs(renewal.older.character, as_itself.character.rig);
    if (!(distance(second) < distance(renewal.comparison))) return as_older;
    renewal.comparison = std::move(second);
    options = own;
    return as_itself;
}

/// The files of a character that are in force, by their names in its folder.
std::vector<std::string> files_in_force(const LibraryEntry& character) {
    std::vector<std::string> files{fs::path(character.path).filename().string()};
    if (!character.document.empty()) files.push_back(fs::path(character.document).filename().string());
    for (const std::string& beside : files_beside(character.path)) files.push_back(beside);
    return files;
}

/// Folders that are empty go; what somebody put there stays.
void remove_empty(const fs::path& folder) {
    for (const fs::path& entry : sorted_entries(folder.string()))
        if (std::error_code error; fs::is_directory(entry, error)) remove_empty(entry);
    std::error_code error;
    fs::remove(folder, error);
}

LibraryEntry entry_of_folder(const std::string& name, const fs::path& folder) {
    for (const fs::path& file : sorted_entries(folder.string())) {
        if (file.stem() != "rig") continue;
        const fs::path document = folder / "character.json";
        std::error_code error;
        return {name, file.string(), fs::exists(document, error) ? document.string() : std::string()};
    }
    throw FileError(folder.string(), "holds no rig", "choose another version");
}

}  // namespace

Renewal renewal_of(const LibraryEntry& character, const std::string& newer_rig) {
    if (character.document.empty())
        throw FileError(character.path, "has no character.json: there is no work to carry over",
                        "take the newer file in as a character of its own");
    Renewal renewal;
    std::vector<std::string> none;
    renewal.older = load_character(character.path, character.document, none);
    LoadOptions options;
    const LoadedFile found = nearer_reading(renewal, newer_rig, options);
    const Json document = document_for(renewal, found, newer_rig, renewal.roles_new);
    options.is_by_hand = true;
    renewal.file = load_character(newer_rig, ReadDocument{character.document, format_document(document)},
                                  renewal.notes, options);
    // What is said of unit and axes is the older's word, or as the newer file has it; nobody said it by hand now.
    Rig& rig = renewal.file.character.rig;
    const Rig& said = options.unit_m ? renewal.older.character.rig : found.character.rig;
    rig.conventions.is_unit_guessed = said.conventions.is_unit_guessed;
    rig.conventions.unit_reason = said.conventions.unit_reason;
    rig.options.is_by_hand = false;
    // That the rig is another is what all of this says.
    std::erase_if(renewal.notes, [](const std::string& note) {
        return note.find("another state of the rig") != std::string::npos;
    });
    return renewal;
}

std::vector<RigVersion> versions_of(const LibraryEntry& character) {
    std::vector<RigVersion> versions;
    const fs::path folder = fs::path(character.path).parent_path() / versions_folder;
    for (const fs::path& entry : sorted_entries(folder.string())) {
        if (entry.filename().string().starts_with(unfinished_prefix)) continue;
        try {
            versions.push_back({entry.string(), entry.filename().string(),
                                entry_of_folder(entry.filename().string(), entry).path});
        } catch (const FileError&) {  // an empty folder is no version
        }
    }
    return versions;
}

LibraryEntry exchange_version(const Library& library, const LibraryEntry& character,
                              const std::string& version_folder, std::string& laid_aside) {
    need_folder(library);
    const FolderLock lock(library.folder);
    const fs::path folder = fs::path(character.path).parent_path();
    const fs::path versions = folder / versions_folder;
    const LibraryEntry version = entry_of_folder(character.name, version_folder);
    make_folder(versions);
    const fs::path aside = versions / free_name(versions, today());
    make_folder(aside);
    const std::vector<std::string> out = files_in_force(character), in = files_in_force(version);
    Moves moves;
    for (const std::string& file : out) {
        make_folder((aside / file).parent_path());
        moves.emplace_back((folder / file).string(), (aside / file).string());
    }
    for (const std::string& file : in) {
        make_folder((folder / file).parent_path());
        moves.emplace_back((fs::path(version_folder) / file).string(), (folder / file).string());
    }
    JournalledMoves moved(library, moves);
    LibraryEntry now = entry_of_folder(character.name, folder);
    moved.done();
    laid_aside = aside.string();
    remove_empty(version_folder);
    return now;
}

LibraryEntry renew_character(const Library& library, const LibraryEntry& character, const Renewal& renewal,
                             std::string& laid_aside) {
    need_folder(library);
    const fs::path versions = fs::path(character.path).parent_path() / versions_folder;
    make_folder(versions);
    const std::string& newer = renewal.file.character.rig.path;
    const fs::path made = versions / (unfinished_prefix + make_uuid());
    Undone undone(made);
    make_folder(made);
    const std::string rig = "rig" + fs::path(newer).extension().string();
    write_file((made / rig).string(), read_file(newer));
    copy_beside(newer, made);
    Character now = renewal.file.character;
    now.rig.path = rig;
    write_file((made / "character.json").string(), format_document(character_document(now)));
    return exchange_version(library, character, made.string(), laid_aside);
}

}  // namespace nb
