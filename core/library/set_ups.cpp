#include "core/library/set_ups.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <filesystem>
#include <map>
#include <tuple>

#include "core/base/fault.hpp"
#include "core/base/files.hpp"
#include "core/documents/format.hpp"

namespace nb {

namespace fs = std::filesystem;

namespace {

/// What a pairing says beyond the usual, in words.
std::vector<std::string> said_in(const Json& document) {
    std::vector<std::string> what;
    const auto some = [&](const char* key) {
        return document.contains(key) && document[key].is_structured() && !document[key].empty();
    };
    if (document.contains("scale") && document["scale"].is_number()) what.emplace_back("scale");
    if (some("chains")) what.emplace_back("chains");
    if (some("bones")) what.emplace_back("bones");
    if (some("touches")) what.emplace_back("touch-ups");
    for (const auto& [key, word] : {std::pair("takes", "set by itself"),
                                    std::pair("take_touches", "touched up"), std::pair("judged", "judged")})
        if (some(key))
            what.push_back(fmt::format("{} take{} {}", document[key].size(),
                                       document[key].size() == 1 ? "" : "s", word));
    return what;
}

}  // namespace

std::vector<SetUp> set_ups_of(const Library& library, std::vector<std::string>& troubles) {
    struct Known {
        std::string name, entry;
    };
    std::map<std::string, Known> characters;   // by id
    std::map<std::string, std::string> takes;  // a take by the id of its body
    for (const LibraryEntry& entry : library.characters) {
        if (entry.document.empty()) continue;
        try {
            const Json document = read_document(entry.document, "character");
            characters[text_in(document, "id", "", entry.document)] = {
                text_in(document, "name", entry.name, entry.document), entry.name};
        } catch (const FileError& fault) {
            troubles.emplace_back(fault.what());
        }
    }
    for (const LibraryEntry& entry : library.takes) {
        if (entry.document.empty()) continue;
        try {
            const Json document = read_document(entry.document, "take");
            takes.try_emplace(
                text_in(object_or_none(document, "character", entry.document), "id", "", entry.document),
                entry.name);
        } catch (const FileError&) {  // told where it is opened
        }
    }
    std::vector<SetUp> set_ups;
    for (const fs::path& file : sorted_entries((fs::path(library.folder) / "pairings").string())) {
        if (file.extension() != ".json") continue;
        const std::string path = file.string();
        try {
            const Json document = read_document(path, "pairing");
            const std::string source = text_in(object_or_none(document, "source", path), "id", "", path);
            const std::string target = text_in(object_or_none(document, "target", path), "id", "", path);
            SetUp set_up{path, source, target, {}, {}, said_in(document)};
            if (const auto known = characters.find(source); known != characters.end())
                set_up.source = known->second.name;
            if (const auto known = characters.find(target); known != characters.end()) {
                set_up.target = known->second.name;
                set_up.target_entry = known->second.entry;
            }
            if (const auto take = takes.find(source); take != takes.end()) {
                set_up.take_entry = take->second;
                // A body of a take's own has the take's name.
                if (set_up.source == source) set_up.source = "the body of " + take->second;
            }
            set_ups.push_back(std::move(set_up));
        } catch (const FileError& fault) {
            troubles.emplace_back(fault.what());
        }
    }
    std::sort(set_ups.begin(), set_ups.end(), [](const SetUp& a, const SetUp& b) {
        return std::tie(a.target, a.source, a.path) < std::tie(b.target, b.source, b.path);
    });
    return set_ups;
}

}  // namespace nb
