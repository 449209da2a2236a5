#include "core/library/classify.hpp"

#include <fmt/format.h>

#include <cmath>
#include <filesystem>

#include "core/base/fault.hpp"
#include "core/base/watch.hpp"
#include "core/body/measures.hpp"
#include "core/documents/format.hpp"
#include "core/library/beside.hpp"

namespace nb {

namespace fs = std::filesystem;

namespace {

std::string what_it_holds(const LoadedFile& file) {
    const Rig& rig = file.character.rig;
    std::string text = fmt::format("{} bones", rig.skeleton.size());
    size_t vertices = 0;
    for (const Mesh& mesh : rig.meshes) vertices += mesh.positions.size();
    text += vertices ? fmt::format(", a mesh of {} vertices", vertices) : ", no mesh";
    if (file.take && file.take->frames > 1)
        text += fmt::format(", {} frames at {:.4g}/s", file.take->frames, file.take->nominal_fps());
    else
        text += ", no motion";
    if (const double height = body_height(rig.skeleton, file.character.roles); height > 0)
        text += fmt::format(", a body of {:.0f} cm", 100.0 * height);
    return text;
}

SortedFile look_at(const std::string& path, const std::vector<std::string>& documents) {
    SortedFile sorted{path, Taken::nothing, "", "", "", {}, "", 0, ""};
    std::error_code error;
    if (fs::is_directory(path, error)) {
        const bool is_library = fs::exists(fs::path(path) / "library.json", error);
        sorted.as = is_library ? Taken::library : Taken::nothing;
        sorted.holds = is_library ? "a library" : "a folder without a library.json";
        if (!is_library)
            sorted.trouble = path + ": is a folder without a library.json; give files, or a library";
        return sorted;
    }
    try {
        std::vector<std::string> notes;
        const bool is_document = path.ends_with(".take.json");
        const LoadedFile file = is_document ? load_take(path, "", notes) : load_file(path);
        sorted.holds = what_it_holds(file);
        if (file.animations.size() > 1) {
            sorted.animations = file.animations;
            sorted.holds += fmt::format(", {} animations", file.animations.size());
        }
        if (is_document) sorted.motion = file.character.rig.path;
        sorted.animation = file.character.rig.options.animation;
        constexpr int fewest_of_body = 7;  // hips and two legs
        const Rig& rig = file.character.rig;
        sorted.as = file.take && file.take->frames > 1                            ? Taken::take
                    : !rig.meshes.empty() && rig.skeleton.size() < fewest_of_body ? Taken::thing
                                                                                  : Taken::rig;
        if (sorted.as == Taken::thing) sorted.holds = "a mesh without a body";
        if (sorted.as == Taken::take && !is_document)
            sorted.character = find_character_for(file.character.rig.skeleton, documents, sorted.why);
    } catch (const std::exception& fault) {
        sorted.holds = sorted.trouble = fault.what();
        if (sorted.holds.starts_with(path)) sorted.holds.erase(0, path.size());
        sorted.holds.erase(0, sorted.holds.find_first_not_of(": "));
    }
    return sorted;
}

}  // namespace

std::string find_character_for(const Skeleton& skeleton, const std::vector<std::string>& documents,
                               std::string& why) {
    const std::string signature = skeleton.signature();
    std::string best;
    double best_share = 0.9;
    why.clear();
    for (const std::string& path : documents) {
        Json document;
        try {
            document = read_document(path, "character");
            const std::string name = document.value("name", "");
            if (document["rig"].value("signature", "") == signature) {
                why = fmt::format("the skeleton of {}, bone for bone", name);
                return path;
            }
            // A bone counts when it is there by name and hangs below the bone of its parent role.
            size_t found = 0;
            bool has_needed = true;
            RoleMap map;
            const Json& roles = document["roles"];
            for (const auto& [role, fill] : roles.items())
                map.fills.push_back({role, skeleton.find(fill.value("bone", "")), 1.0, {}, false});
            for (const RoleFill& fill : map.fills) {
                const int parent = map.joint(map.parent_role(fill.role));
                const bool is_there =
                    fill.joint >= 0 && (fill.role == "hips" || fill.role == "root" ||
                                        (parent >= 0 && skeleton.is_ancestor(parent, fill.joint)));
                found += is_there;
                if (!is_there &&
                    (fill.role == "hips" || fill.role.starts_with("thigh") || fill.role.starts_with("shin")))
                    has_needed = false;
            }
            const double share = roles.empty() ? 0.0 : double(found) / double(roles.size());
            if (!has_needed || share < best_share || (share == best_share && !best.empty())) continue;
            best_share = share;
            best = path;
            why = fmt::format("the bones of {} by name, {} of {}", name, found, roles.size());
        } catch (
            const std::exception&) {  // A document that cannot be read fits nothing; opening it says why.
        }
    }
    return best;
}

std::vector<SortedFile> sort_files(const std::vector<std::string>& paths, const Library& library) {
    std::vector<std::string> documents;
    for (const std::string& path : paths) {
        if (const std::string beside = character_document_beside(path); !beside.empty())
            documents.push_back(beside);
    }
    for (const LibraryEntry& character : library.characters)
        if (!character.document.empty()) documents.push_back(character.document);
    std::vector<SortedFile> sorted;
    sorted.reserve(paths.size());
    for (const std::string& path : paths) {
        look_up(double(sorted.size()) / double(paths.size()));
        sorted.push_back(look_at(path, documents));
    }
    return sorted;
}

}  // namespace nb
