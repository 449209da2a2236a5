// nbone family: families of characters and templates of a house's rigs.
#include <fmt/format.h>

#include <filesystem>
#include <map>

#include "cli/commands.hpp"
#include "core/base/fault.hpp"
#include "core/base/files.hpp"
#include "core/base/text_encoding.hpp"
#include "core/base/uuid.hpp"
#include "core/documents/character.hpp"
#include "core/library/beside.hpp"
#include "core/library/families.hpp"

namespace nb::cli {

namespace fs = std::filesystem;

namespace {

bool is_library(const std::string& path) {
    std::error_code error;
    return fs::exists(fs::path(path) / "library.json", error);
}

/// The files and libraries of --by. Throws WrongUse when there is none.
std::vector<Family> families_of(const Options& options) {
    std::vector<Family> families;
    for (const std::string& by : options.by) {
        if (!is_library(by)) {
            families.push_back(read_family(by));
            continue;
        }
        std::vector<std::string> troubles;
        for (Family& family : families_in(open_library(by), troubles)) families.push_back(std::move(family));
        for (const std::string& trouble : troubles) fmt::print(stderr, "nbone: {}\n", shown_text(trouble));
    }
    if (families.empty()) throw WrongUse("--by: give a .family.json, or a library that has one");
    return families;
}

LoadedFile as_the_file_has_it(const std::string& rig, const std::string& document) {
    if (document.empty()) return load_file(rig);
    std::vector<std::string> notes;
    return load_file(rig, load_character(rig, document, notes).character.rig.options);
}

void tell(const FamilyChange& change) {
    for (const FamilyChange::Member& member : change.members) {
        std::string line = member.name + ": ";
        if (!member.trouble.empty())
            line += "left as it is: " + member.trouble;
        else if (member.merge.taken.empty())
            line += "nothing new";
        else
            line += fmt::format("takes {}", fmt::join(member.merge.taken, ", "));
        if (!member.merge.own.empty())
            line += fmt::format("; its own: {}", fmt::join(member.merge.own, ", "));
        fmt::print("{}\n", shown_text(line));
    }
}

int make(const Options& options) {
    if (options.name.empty()) throw WrongUse("family make: --name says what it is called");
    const std::string rig = options.files.at(0);
    if (options.out.empty()) {
        const auto of = character_of_library(rig);
        if (!of)
            throw WrongUse(
                "family make: give --out FILE.family.json, or the rig of a character of a library");
        put_change(of->first, founding(of->first, of->second, options.name));
        fmt::print("'{}' is a family of {}\n", shown_text(options.name), shown_text(of->first.folder));
        return exit_done;
    }
    std::string document = options.target_character;
    if (document.empty()) document = character_document_beside(rig);
    std::vector<std::string> notes;
    const Family family = family_of(load_character(rig, document, notes).character, options.name);
    if (!options.is_forced && fs::exists(options.out))
        throw WrongUse(
            fmt::format("--out: {} is there already; --force writes over it", shown_text(options.out)));
    write_file(options.out, format_document(family_document(family)));
    fmt::print("{} bones, {} roles: {}\n", family.skeleton.size(), family.role_count(),
               shown_text(options.out));
    return exit_done;
}

int list(const Options& options) {
    const Library library = open_library(options.files.at(0));
    std::vector<std::string> troubles;
    for (const Family& family : families_in(library, troubles)) {
        std::vector<std::string> names;
        for (const LibraryEntry& member : members_of(library, family.id)) names.push_back(member.name);
        fmt::print("{}: {} bones, {} roles, {}\n", shown_text(family.name), family.skeleton.size(),
                   family.role_count(),
                   names.empty() ? "no members" : shown_text(fmt::format("{}", fmt::join(names, ", "))));
    }
    for (const std::string& trouble : troubles) fmt::print(stderr, "nbone: {}\n", shown_text(trouble));
    return exit_done;
}

/// Each rig by the best of the families; written unless `is_dry`.
int fill(const Options& options, bool is_dry) {
    const std::vector<Family> families = families_of(options);
    int left = 0;
    for (const std::string& file : options.files) {
        if (is_library(file)) {
            const Library library = open_library(file);
            std::vector<std::string> lines;
            const FamilyChange change = filling(library, families, lines);
            for (const std::string& line : lines) fmt::print("{}\n", shown_text(line));
            if (!is_dry) put_change(library, change);
            continue;
        }
        const std::string document = character_document_beside(file);
        const LoadedFile found = as_the_file_has_it(file, document);
        const BestFit best = best_fit(families, found.character.rig);
        const std::string name = shown_text(fs::path(file).filename().string());
        if (best.best < 0) {
            ++left;
            fmt::print("{}: none fits", name);
            for (size_t i = 0; i < families.size(); ++i)
                fmt::print("{} '{}' {}", i == 0 ? ";" : ",", shown_text(families[i].name),
                           words_of(best.fits[i]));
            fmt::print("\n");
            continue;
        }
        const Family& family = families[size_t(best.best)];
        fmt::print("{}: '{}', {}", name, shown_text(family.name), words_of(best.fits[size_t(best.best)]));
        if (best.next >= 0)
            fmt::print("; next '{}', {}", shown_text(families[size_t(best.next)].name),
                       words_of(best.fits[size_t(best.next)]));
        const Filled filled = filled_by(family, best.fits[size_t(best.best)], found);
        if (!filled.by_evidence.empty()) fmt::print("; by evidence: {}", fmt::join(filled.by_evidence, ", "));
        if (!is_dry) {
            if (!document.empty() && !options.is_forced) {
                fmt::print("; it has {} already, --force writes over it", shown_text(document));
            } else {
                Character made = filled.character;
                if (made.id.empty()) made.id = make_uuid();
                if (made.name.empty()) made.name = fs::path(file).stem().string();
                const std::string place = document.empty() ? new_character_document(file) : document;
                write_file(place, format_document(character_document(made)));
                fmt::print("; written to {}", shown_text(place));
            }
        }
        fmt::print("\n");
    }
    return left > 0 ? exit_unsure_roles : exit_done;
}

/// join, leave, give: of a character of a library.
int change_member(const Options& options) {
    const auto of = character_of_library(options.files.at(0));
    if (!of) throw WrongUse("give the rig of a character of a library");
    const auto& [library, character] = *of;
    FamilyChange change;
    if (options.verb == "leave") {
        change = leaving(library, character);
    } else if (options.verb == "join") {
        std::vector<std::string> troubles;
        const std::vector<Family> families = families_in(library, troubles);
        const auto family = std::find_if(families.begin(), families.end(),
                                         [&](const Family& one) { return one.name == options.name; });
        if (family == families.end())
            throw WrongUse("family join: --name is that of a family of the library");
        change = joining(library, *family, character);
    } else {
        const std::string id =
            character.document.empty() ? "" : family_named(read_file(character.document)).id;
        std::vector<std::string> troubles;
        const std::vector<Family> families = families_in(library, troubles);
        const auto family =
            std::find_if(families.begin(), families.end(), [&](const Family& one) { return one.id == id; });
        if (family == families.end())
            throw WrongUse("family give: the character is of no family of the library");
        Parts parts;
        if (!options.parts.empty()) {
            parts = {false, false, false, false};
            const std::map<std::string, bool Parts::*> all{{"roles", &Parts::roles},
                                                           {"rest", &Parts::rest},
                                                           {"chains", &Parts::chains},
                                                           {"touch-ups", &Parts::touches}};
            for (const std::string& part : options.parts) {
                if (!all.contains(part)) throw WrongUse("--part: roles, rest, chains or touch-ups");
                parts.*all.at(part) = true;
            }
        }
        change = giving(library, *family, character, parts);
    }
    tell(change);
    if (!options.is_dry) put_change(library, change);
    return exit_done;
}

}  // namespace

std::optional<std::pair<Library, LibraryEntry>> character_of_library(const std::string& rig) {
    const fs::path root = fs::absolute(rig).lexically_normal().parent_path().parent_path().parent_path();
    if (!is_library(root.string())) return std::nullopt;
    Library library = open_library(root.string());
    std::error_code error;
    for (const LibraryEntry& entry : library.characters)
        if (fs::equivalent(entry.path, rig, error)) return std::pair(library, entry);
    return std::nullopt;
}

int family(const Options& options) {
    if (options.verb == "make") return make(options);
    if (options.verb == "list") return list(options);
    if (options.verb == "fit") return fill(options, true);
    if (options.verb == "fill") return fill(options, options.is_dry);
    return change_member(options);
}

}  // namespace nb::cli
