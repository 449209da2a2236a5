#include "core/library/beside.hpp"

#include <fmt/format.h>
#include <cctype>

#include <algorithm>
#include <array>
#include <cstdint>
#include <filesystem>

#include "core/base/fault.hpp"
#include "core/base/files.hpp"
#include "core/base/hash.hpp"
#include "core/documents/character.hpp"
#include "core/documents/take.hpp"

namespace nb {

namespace fs = std::filesystem;

namespace {

const std::string own_body = ".character.json";
const std::string takes_body = ".take.character.json";

bool is_there(const fs::path& path) {
    std::error_code error;
    return fs::is_regular_file(path, error);
}

/// True for a document of that kind that says of itself that it is of the file; one that cannot be read is
/// taken for it, so that it is told and never written over.
template <typename IsOf>
bool is_document_of(const fs::path& document, const char* kind, IsOf&& is_of) {
    if (!is_there(document)) return false;
    try {
        return is_of(read_document(document.string(), kind));
    } catch (const std::exception&) {
        return true;
    }
}

fs::path sibling(const fs::path& file, const std::string& name) {
    return file.parent_path() / name;
}

/// `NAME` with the ending, else, where that is another file's, `FILE` with it.
std::string new_document(const fs::path& file, const std::string& ending) {
    const fs::path usual = sibling(file, file.stem().string() + ending);
    return (is_there(usual) ? sibling(file, file.filename().string() + ending) : usual).string();
}

bool is_character_of(const fs::path& document, const fs::path& rig) {
    return is_document_of(document, "character",
                          [&](const Json& json) { return is_rig_of_document(json, rig.string()); });
}

bool is_take_of(const fs::path& document, const fs::path& motion, int animation) {
    return is_document_of(document, "take", [&](const Json& json) {
        const TakeDocument take = read_take_document(json, document.string());
        return fs::path(take.file).filename() == motion.filename() &&
               std::max(take.animation, 1) == animation + 1;
    });
}

/// Names of a take's document, the usual one first.
std::array<fs::path, 3> take_documents(const fs::path& motion, int animation) {
    const std::string stem = motion.stem().string();
    return {sibling(motion, stem + ".take.json"),
            sibling(motion, fmt::format("{}.{}.take.json", stem, animation + 1)),
            sibling(motion, fmt::format("{}.{}.take.json", motion.filename().string(), animation + 1))};
}

/// FNV-1a over two texts, 128 bits as a UUID of version 8 (RFC 9562: of one's own making).
std::string uuid_of(const std::string& a, const std::string& b) {
    std::array<std::uint64_t, 2> half{fnv1a(fmt::format("{}\n{}", a, b)),
                                      fnv1a(fmt::format("{}\n\n{}", b, a), 0x6c62272e07bb0142ull)};
    half[0] = (half[0] & ~0xF000ull) | 0x8000ull;
    half[1] = (half[1] & ~(3ull << 62)) | (2ull << 62);
    return fmt::format("{:08x}-{:04x}-{:04x}-{:04x}-{:012x}", half[0] >> 32, (half[0] >> 16) & 0xFFFF,
                       half[0] & 0xFFFF, half[1] >> 48, half[1] & 0xFFFFFFFFFFFFull);
}

bool is_of_library(const Library* library, const std::string& path) {
    if (!library || library->folder.empty()) return false;
    const fs::path relative =
        fs::path(path).lexically_normal().lexically_relative(fs::path(library->folder).lexically_normal());
    return !relative.empty() && *relative.begin() != ".." && relative != ".";
}

}  // namespace

std::string character_document_beside(const std::string& rig_path) {
    const fs::path rig(rig_path);
    const std::string stem = rig.stem().string();
    const std::string file = rig.filename().string();
    for (const std::string& name : {stem + own_body, file + own_body, std::string("character.json"),
                                    stem + takes_body, file + takes_body})
        if (const fs::path document = sibling(rig, name); is_character_of(document, rig))
            return document.string();
    return {};
}

bool is_body_of_take(const std::string& character_document, const std::string& rig_path) {
    const fs::path rig(rig_path);
    const std::string name = fs::path(character_document).filename().string();
    return name == rig.stem().string() + takes_body || name == rig.filename().string() + takes_body;
}

std::string new_character_document(const std::string& rig_path) {
    return new_document(rig_path, own_body);
}

std::string take_document_beside(const std::string& motion_path, int animation) {
    for (const fs::path& document : take_documents(motion_path, animation))
        if (is_take_of(document, motion_path, animation)) return document.string();
    return {};
}

std::string new_take_document(const std::string& motion_path, int animation, size_t animations) {
    const auto names = take_documents(motion_path, animation);
    for (size_t i = animations > 1 ? 1 : 0; i < names.size(); ++i)
        if (!is_there(names[i])) return names[i].string();
    return names.back().string();
}

std::string take_document_of_body(const std::string& take_document, const std::string& body) {
    constexpr std::string_view ending = ".take.json";
    std::string of = body;
    for (char& c : of)
        if (!std::isalnum(static_cast<unsigned char>(c)) && c != '_' && c != '-') c = '-';
    const std::string own = "." + of + std::string(ending);
    if (take_document.ends_with(own)) return take_document;
    return take_document.substr(0, take_document.size() - ending.size()) + own;
}

std::string new_body_document(const std::string& motion_path) {
    return new_document(motion_path, takes_body);
}

std::string pairing_folder(const Library* library, const std::string& target_path) {
    if (is_of_library(library, target_path)) return (fs::path(library->folder) / "pairings").string();
    return fs::path(target_path).parent_path().string();
}

std::string pairing_id(const std::string& source_id, const std::string& target_id) {
    return uuid_of(source_id, target_id);
}

std::string pairing_place(const Library* library, const std::string& target_path,
                          const std::string& source_id, const std::string& target_id) {
    const fs::path folder = pairing_folder(library, target_path);
    const std::string id = pairing_id(source_id, target_id);
    if (is_of_library(library, target_path)) return (folder / (id + ".json")).string();
    return (folder /
            fmt::format("{}.{}.pairing.json", fs::path(target_path).stem().string(), id.substr(0, 8)))
        .string();
}

bool find_pairing(const Library* library, const std::string& target_path, const std::string& source_id,
                  const std::string& target_id, Pairing& pairing, ReadDocument& read,
                  std::vector<std::string>& troubles) {
    const bool in_library = is_of_library(library, target_path);
    const fs::path place = pairing_place(library, target_path, source_id, target_id);
    std::vector<fs::path> files;
    for (const fs::path& file : sorted_entries(place.parent_path().string())) {
        const std::string name = file.filename().string();
        if (name.ends_with(in_library ? ".json" : ".pairing.json") && !name.starts_with("."))
            files.push_back(file);
    }
    // The one under the pair's own name counts before any other.
    std::stable_partition(files.begin(), files.end(),
                          [&](const fs::path& file) { return file.filename() == place.filename(); });
    bool is_found = false;
    for (const fs::path& file : files) {
        try {
            const std::string text = read_file(file.string());
            Pairing candidate = read_pairing(parse_document(text, file.string(), "pairing"), file.string());
            if (candidate.source_id != source_id || candidate.target_id != target_id) continue;
            if (is_found) {
                troubles.push_back(fmt::format(
                    "{}: is a further pairing of the same two bodies, and does not count; {} does",
                    file.string(), fs::path(read.path).filename().string()));
                continue;
            }
            pairing = std::move(candidate);
            read = {file.string(), text};
            is_found = true;
            if (file.filename() == place.filename()) break;
        } catch (const std::exception& fault) {
            troubles.emplace_back(fault.what());
        }
    }
    return is_found;
}

}  // namespace nb
