#include "core/batch/inputs.hpp"

#include <fmt/format.h>
#include <sys/stat.h>

#include <algorithm>
#include <array>
#include <filesystem>

#include "core/base/files.hpp"
#include "core/base/hash.hpp"
#include "core/base/json_fields.hpp"
#include "core/base/tab_fields.hpp"
#include "core/base/version.hpp"
#include "core/documents/format.hpp"
#include "core/library/beside.hpp"

namespace nb {

namespace fs = std::filesystem;

namespace {

/// Parts of documents by which nothing is carried.
constexpr std::array<std::string_view, 11> idle_parts{
    "format", "version", "id", "name", "notes", "tags", "terms", "judged", "source", "target", "family"};
constexpr std::string_view part_mark = " · ";

Json parsed(const std::string& text) {
    Json document = Json::parse(text, nullptr, false);
    return document.is_object() ? document : Json();
}

/// Whatever stands as a text under "path" or "file".
void collect_references(const Json& value, std::vector<std::string>& found) {
    if (value.is_object())
        for (const auto& [key, below] : value.items()) {
            if (below.is_string() && (key == "path" || key == "file"))
                found.push_back(below.get<std::string>());
            collect_references(below, found);
        }
    else if (value.is_array())
        for (const Json& below : value) collect_references(below, found);
}

std::string text_of(const Json& document, const char* key) {
    const auto found = document.find(key);
    return found != document.end() && found->is_string() ? found->get<std::string>() : std::string();
}

/// "characters/ferrier/rig.glb" is of ferrier, "takes/quay-walk.bvh" of quay-walk.
std::string owner_of(const std::string& path) {
    const fs::path file(path);
    if (path.starts_with("characters/")) {
        auto part = file.begin();
        return (++part)->string();
    }
    std::string name = file.filename().string();
    return name.substr(0, name.find('.'));
}

}  // namespace

std::string word_of(const Inputs& inputs) {
    std::string all;
    for (const auto& [what, hash] : inputs) all += fmt::format("{}={}\n", what, hash);
    return hash_word(all);
}

bool plans_agree(const std::string& of, const std::string& onto) {
    return of.empty() || onto.empty() || of == onto;
}

std::string what_changed(const Inputs& then, const Inputs& now) {
    const auto words = [](const std::string& what, const char* how) {
        if (what == "program") return std::string("it was made by another version of the program");
        if (what == "library") return std::string("the library's own body plans or hands have changed");
        const size_t at = what.find(part_mark);
        const std::string path = what.substr(0, at);
        if (path.starts_with("pairings/"))
            return fmt::format("the pair's {} {}",
                               at == std::string::npos ? "document" : what.substr(at + part_mark.size()),
                               how);
        if (at == std::string::npos)
            return fmt::format("{} of {} {}", fs::path(path).filename().string(), owner_of(path), how);
        return fmt::format("the {} of {} {}", what.substr(at + part_mark.size()), owner_of(path), how);
    };
    for (const auto& [what, hash] : now) {
        const auto before = then.find(what);
        if (before == then.end()) return words(what, "is new");
        if (before->second != hash) return words(what, hash == "gone" ? "is gone" : "has changed");
    }
    for (const auto& [what, hash] : then)
        if (!now.contains(what)) return words(what, "is gone");
    return {};
}

FileStamp stamp_of(const std::string& path) {
    struct stat about {};
    if (::stat(path.c_str(), &about) != 0) return {};
    return {std::uint64_t(about.st_size),
            std::int64_t(about.st_mtim.tv_sec) * 1000000000 + about.st_mtim.tv_nsec};
}

const FileHashes::Known& FileHashes::look(const std::string& path, bool is_document) {
    Known& known = known_[path];
    const FileStamp now = stamp_of(path);
    if (!known.hash.empty() && known.stamp == now) return known;
    has_news_ = true;
    known = {};
    known.stamp = now;
    known.hash = "gone";
    if (now.changed_ns < 0) return known;
    std::string text;
    try {
        text = read_file(path);
    } catch (const std::exception&) {
        known.hash = "unreadable";
        known.parts["as a whole"] = known.hash;
        return known;
    }
    known.hash = hash_word(text);
    if (!is_document) return known;
    const Json document = parsed(text);
    if (document.is_null()) {
        known.parts["as a whole"] = known.hash;
        return known;
    }
    known.id = text_of(document, "id");
    known.name = text_of(document, "name");
    known.plan = text_of(document, "plan");
    for (const Json& tag : document.value("tags", Json::array()))
        if (tag.is_string()) known.tags += (known.tags.empty() ? "" : ", ") + tag.get<std::string>();
    if (const auto family = document.find("family"); family != document.end() && family->is_object())
        known.family = family->value("name", "");
    // Of a pairing: whose it is.
    for (const char* side : {"source", "target"})
        if (const auto of = document.find(side); of != document.end() && of->is_object())
            if (const std::string id = text_of(*of, "id"); !id.empty())
                known.parts[fmt::format("{} id", side)] = id;
    collect_references(document, known.refers);
    for (const auto& [key, value] : document.items()) {
        if (std::find(idle_parts.begin(), idle_parts.end(), key) != idle_parts.end()) continue;
        // What a pair says of single takes is theirs alone.
        if ((key == "takes" || key == "take_touches") && value.is_object()) {
            for (const auto& [take, own] : value.items())
                known.parts[fmt::format("{}/{}", key, take)] = hash_word(own.dump());
            continue;
        }
        known.parts[key] = hash_word(value.dump());
    }
    return known;
}

const std::string& FileHashes::of_file(const std::string& path) {
    return look(path, false).hash;
}

const FileHashes::Known& FileHashes::of_document(const std::string& path) {
    return look(path, true);
}

// path, size, time, hash, id, name, plan, tags, family, part, hash, part, hash ..., an empty field, references
std::string FileHashes::text() const {
    std::vector<const std::pair<const std::string, Known>*> sorted;
    for (const auto& one : known_) sorted.push_back(&one);
    std::sort(sorted.begin(), sorted.end(), [](auto* a, auto* b) { return a->first < b->first; });
    std::string text;
    const auto is_plain = [](const std::string& field) {
        return field.find_first_of("\t\n") == std::string::npos;
    };
    for (const auto* one : sorted) {
        const Known& known = one->second;
        std::string line = fmt::format("{}\t{}\t{}\t{}\t{}\t{}\t{}\t{}\t{}", one->first, known.stamp.size,
                                       known.stamp.changed_ns, known.hash, known.id, known.name, known.plan,
                                       known.tags, known.family);
        bool is_told = is_plain(one->first) && is_plain(known.id) && is_plain(known.name) &&
                       is_plain(known.plan) && is_plain(known.tags) && is_plain(known.family);
        for (const auto& [part, hash] : known.parts) {
            line += fmt::format("\t{}\t{}", part, hash);
            is_told = is_told && is_plain(part) && !part.empty();
        }
        line += '\t';
        for (const std::string& path : known.refers) {
            line += '\t' + path;
            is_told = is_told && is_plain(path);
        }
        if (is_told && known.stamp.changed_ns >= 0) text += line + '\n';
    }
    return text;
}

void FileHashes::read(std::string_view text) {
    while (!text.empty()) {
        const std::vector<std::string_view> fields = tab_fields(take_line(text));
        if (fields.size() < 10) continue;
        Known known;
        if (!read_number(fields[1], known.stamp.size) || !read_number(fields[2], known.stamp.changed_ns))
            continue;
        known.hash = fields[3];
        known.id = fields[4];
        known.name = fields[5];
        known.plan = fields[6];
        known.tags = fields[7];
        known.family = fields[8];
        size_t at = 9;
        for (; at + 1 < fields.size() && !fields[at].empty(); at += 2)
            known.parts[std::string(fields[at])] = fields[at + 1];
        for (++at; at < fields.size(); ++at) known.refers.emplace_back(fields[at]);
        known_[std::string(fields[0])] = std::move(known);
    }
}

LibraryInputs::LibraryInputs(const Library& library, FileHashes& hashes)
    : library_(library),
      hashes_(hashes),
      takes_(library.takes.size()),
      characters_(library.characters.size()) {
    common_["program"] = version();
    Inputs own;
    for (const char* part : {"plans", "hands"})
        for (const fs::path& entry : sorted_entries((fs::path(library.folder) / part).string()))
            if (entry.extension() == ".json") add_file(own, entry.string());
    if (!own.empty()) common_["library"] = word_of(own);
    common_word_ = word_of(common_);
    for (const fs::path& entry : sorted_entries((fs::path(library.folder) / "pairings").string())) {
        if (entry.extension() != ".json" || entry.filename().string().starts_with(".")) continue;
        // Whose it is, only the whole document says; those of one pair count by the pair's own name first.
        const FileHashes::Known& known = hashes_.of_document(entry.string());
        const auto source = known.parts.find("source id"), target = known.parts.find("target id");
        if (source == known.parts.end() || target == known.parts.end()) continue;
        auto& place = pairings_[{source->second, target->second}];
        if (place.empty() || entry.stem() == pairing_id(source->second, target->second))
            place = entry.string();
    }
}

std::string LibraryInputs::seen_from_library(const std::string& path) const {
    return fs::path(path)
        .lexically_normal()
        .lexically_relative(fs::path(library_.folder).lexically_normal())
        .generic_string();
}

void LibraryInputs::add_file(Inputs& inputs, const std::string& path) {
    if (!path.empty()) inputs[seen_from_library(path)] = hashes_.of_file(path);
}

const FileHashes::Known& LibraryInputs::add_document(Inputs& inputs, const std::string& path) {
    const FileHashes::Known& known = hashes_.of_document(path);
    const std::string name = seen_from_library(path);
    if (known.stamp.changed_ns < 0) inputs[name] = "gone";
    for (const auto& [part, hash] : known.parts) inputs[fmt::format("{}{}{}", name, part_mark, part)] = hash;
    return known;
}

const LibraryInputs::Side& LibraryInputs::take(size_t at) {
    Side& side = takes_[at];
    if (std::exchange(side.is_read, true)) return side;
    const LibraryEntry& entry = library_.takes[at];
    add_file(side.inputs, entry.path);
    side.key = entry.name;
    if (!entry.document.empty()) {
        const FileHashes::Known document = add_document(side.inputs, entry.document);
        if (!document.id.empty()) side.key = document.id;
        side.name = document.name;
        side.tags = document.tags;
        side.family = document.family;
        for (const std::string& refers : document.refers) {
            const fs::path file = (fs::path(entry.document).parent_path() / refers).lexically_normal();
            if (file == fs::path(entry.path).lexically_normal()) continue;
            if (file.extension() != ".json") {
                add_file(side.inputs, file.string());
                continue;
            }
            // The character it was captured on, and what that stands on.
            const FileHashes::Known body = add_document(side.inputs, file.string());
            side.id = body.id;
            side.plan = body.plan;
            for (const std::string& below : body.refers)
                add_file(side.inputs, (file.parent_path() / below).lexically_normal().string());
        }
    }
    side.word = word_of(side.inputs);
    return side;
}

const LibraryInputs::Side& LibraryInputs::character(size_t at) {
    Side& side = characters_[at];
    if (std::exchange(side.is_read, true)) return side;
    const LibraryEntry& entry = library_.characters[at];
    add_file(side.inputs, entry.path);
    if (!entry.document.empty()) {
        const FileHashes::Known document = add_document(side.inputs, entry.document);
        side.id = document.id;
        side.plan = document.plan;
        side.name = document.name;
        side.tags = document.tags;
        side.family = document.family;
        for (const std::string& refers : document.refers)
            add_file(side.inputs,
                     (fs::path(entry.document).parent_path() / refers).lexically_normal().string());
    }
    side.word = word_of(side.inputs);
    return side;
}

const std::string* LibraryInputs::pairing_of(const Side& take, const Side& character) const {
    if (take.id.empty() || character.id.empty()) return nullptr;
    const auto found = pairings_.find({take.id, character.id});
    return found == pairings_.end() ? nullptr : &found->second;
}

Inputs LibraryInputs::of_pairing(const std::string& path, const std::string& take_key) {
    Inputs inputs;
    const std::string name = seen_from_library(path);
    for (const auto& [part, hash] : hashes_.of_document(path).parts) {
        if (part == "source id" || part == "target id") continue;
        const bool is_of_take = part.starts_with("takes/") || part.starts_with("take_touches/");
        if (is_of_take && part.substr(part.find('/') + 1) != take_key) continue;
        inputs[fmt::format("{}{}{}", name, part_mark, part)] = hash;
    }
    return inputs;
}

Inputs LibraryInputs::of_pair(size_t of_take, size_t onto) {
    const Side &S = take(of_take), &T = character(onto);
    Inputs all = common_;
    all.insert(S.inputs.begin(), S.inputs.end());
    all.insert(T.inputs.begin(), T.inputs.end());
    if (const std::string* pairing = pairing_of(S, T)) all.merge(of_pairing(*pairing, S.key));
    return all;
}

std::string LibraryInputs::word_of_pair(size_t of_take, size_t onto) {
    const Side &S = take(of_take), &T = character(onto);
    std::string words = S.word + T.word + common_word_;
    if (const std::string* pairing = pairing_of(S, T)) words += word_of(of_pairing(*pairing, S.key));
    return hash_word(words);
}

}  // namespace nb
