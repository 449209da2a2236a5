#include "core/library/drafts.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <filesystem>

#include "core/base/fault.hpp"
#include "core/base/files.hpp"
#include "core/base/hash.hpp"
#include "core/base/text_encoding.hpp"
#include "core/documents/change.hpp"
#include "core/documents/character.hpp"
#include "core/documents/take.hpp"
#include "core/library/beside.hpp"
#include "core/rest/edit.hpp"

namespace nb {

namespace fs = std::filesystem;

namespace {

/// Somebody else has written the document since it was read.
struct ChangedByOthers : std::runtime_error {
    using std::runtime_error::runtime_error;
};

bool is_same_rest(const BodyState& a, const BodyState& b) {
    return is_same_alignment(a.rest, b.rest) && are_same_alignments(a.other_rests, b.other_rests);
}

std::string text_on_disk(const std::string& path) {
    std::error_code error;
    return fs::exists(path, error) ? read_file(path) : std::string();
}

/// A library whose folder of pairings or scenes is not there yet gets one; a library that is gone gets nothing.
void make_folder_of_library(const fs::path& folder) {
    std::error_code error;
    if (!fs::exists(folder, error) && fs::exists(folder.parent_path() / "library.json", error))
        fs::create_directory(folder, error);
}

/// Writes a document that is as it was read. The folder's lock keeps others from writing in between.
void write_checked(ReadDocument& read, const std::string& text, bool over_others, bool is_behind) {
    const fs::path folder = fs::path(read.path).parent_path();
    const FolderLock lock(folder.string());
    std::error_code error;
    // Where the folder itself is gone, writing says so.
    if (!over_others && fs::exists(folder, error) && (is_behind || text_on_disk(read.path) != read.text))
        throw ChangedByOthers(read.path);
    write_file(read.path, text);
    read.text = text;
}

}  // namespace

std::string moved_path(const std::string& path,
                       const std::vector<std::pair<std::string, std::string>>& moves) {
    for (const auto& [from, to] : moves) {
        if (path == from) return to;
        if (path.starts_with(from + "/")) return to + path.substr(from.size());
    }
    return {};
}

BodyState state_of(const LoadedFile& file) {
    const Character& c = file.character;
    return {c.rig.options, c.roles, c.rest, c.other_rests, c.chains, c.touches, file.contacts_in_file};
}

std::vector<std::string> differences(const BodyState& a, const BodyState& b) {
    std::vector<std::string> what;
    LoadOptions options = a.options;
    options.is_by_hand = b.options.is_by_hand;
    if (!(options == b.options)) what.emplace_back("intake");
    if (!(a.roles == b.roles)) what.emplace_back("roles");
    if (!is_same_rest(a, b)) what.emplace_back("rest");
    if (!(a.chains == b.chains)) what.emplace_back("chains");
    if (!(a.touches == b.touches)) what.emplace_back("touch-ups");
    if (!(a.contacts == b.contacts)) what.emplace_back("contacts");
    return what;
}

void Drafts::open_file(const DocumentKey& key, const std::string& name,
                       std::shared_ptr<const LoadedFile> file) {
    Draft draft;
    draft.name = name;
    draft.saved = state_of(*file);
    const LoadedFile& read = *file;
    if (key.kind == DocumentKey::Kind::character) {
        draft.document = read.character_document;
        if (draft.document.path.empty() || is_body_of_take(draft.document.path, key.path))
            draft.document = {new_character_document(key.path), {}};
    } else {
        draft.document = read.take_document;
        draft.body_document = read.character_document;
        if (draft.document.path.empty())
            draft.document.path = new_take_document(key.path, key.animation, read.animations.size());
    }
    draft.file = std::move(file);
    drafts_[key] = std::move(draft);
}

void Drafts::change_file(const DocumentKey& key, std::shared_ptr<const LoadedFile> file) {
    const auto at = drafts_.find(key);
    if (at != drafts_.end()) at->second.file = std::move(file);
}

void Drafts::open_pairing(const DocumentKey& key, const std::string& name, const Pairing& pairing,
                          const ReadDocument& read, bool is_kept) {
    Draft draft;
    draft.name = name;
    draft.pairing = pairing;
    draft.saved_settings = pairing.settings;
    draft.saved_judged = pairing.judged;
    draft.document = read;
    draft.is_kept = is_kept;
    drafts_[key] = std::move(draft);
}

void Drafts::open_scene(const DocumentKey& key, const SceneDocument& scene, const ReadDocument& read) {
    Draft draft;
    draft.name = scene.name;
    draft.scene = draft.saved_scene = scene;
    draft.document = read;
    drafts_[key] = std::move(draft);
}

void Drafts::change_scene(const DocumentKey& key, const SceneDocument& scene) {
    const auto at = drafts_.find(key);
    if (at != drafts_.end()) at->second.scene = scene;
}

void Drafts::change_pairing(const DocumentKey& key, const PairingSettings& settings) {
    const auto at = drafts_.find(key);
    if (at != drafts_.end()) at->second.pairing.settings = settings;
}

void Drafts::change_judged(const DocumentKey& key, const Judgements& judged) {
    const auto at = drafts_.find(key);
    if (at != drafts_.end()) at->second.pairing.judged = judged;
}

void Drafts::set_base(const DocumentKey& key, const std::string& base) {
    const auto at = drafts_.find(key);
    if (at != drafts_.end()) at->second.is_behind = base != hash_word(at->second.document.text);
}

std::string Drafts::base(const DocumentKey& key) const {
    const auto at = drafts_.find(key);
    return at == drafts_.end() ? std::string() : hash_word(at->second.document.text);
}

std::string Drafts::name(const DocumentKey& key) const {
    const auto at = drafts_.find(key);
    return at == drafts_.end() ? std::string() : at->second.name;
}

void Drafts::set_kept(const DocumentKey& key, bool is_kept) {
    const auto at = drafts_.find(key);
    if (at != drafts_.end()) at->second.is_kept = is_kept;
}

std::vector<DocumentKey> Drafts::files() const {
    std::vector<DocumentKey> keys;
    for (const auto& [key, draft] : drafts_)
        if (draft.file) keys.push_back(key);
    return keys;
}

std::vector<std::string> Drafts::documents(const DocumentKey& key) const {
    const auto at = drafts_.find(key);
    if (at == drafts_.end()) return {};
    return {at->second.document.path, at->second.body_document.path};
}

const Pairing* Drafts::pairing(const DocumentKey& key) const {
    const auto at = drafts_.find(key);
    return at == drafts_.end() ? nullptr : &at->second.pairing;
}

const SceneDocument* Drafts::scene(const DocumentKey& key) const {
    const auto at = drafts_.find(key);
    return at == drafts_.end() ? nullptr : &at->second.scene;
}

std::vector<std::string> Drafts::changed(const DocumentKey& key, const Draft& draft) {
    if (!draft.is_kept) return {};
    if (key.kind == DocumentKey::Kind::pairing) {
        std::vector<std::string> what;
        if (!(draft.pairing.settings == draft.saved_settings)) what.emplace_back("settings");
        if (draft.pairing.judged != draft.saved_judged) what.emplace_back("judgement");
        return what;
    }
    if (key.kind == DocumentKey::Kind::scene) {
        // One that was made here is nowhere yet.
        const bool is_new = draft.document.text.empty();
        if (!is_new && draft.scene == draft.saved_scene) return {};
        return {is_new ? "new" : "scene"};
    }
    return differences(draft.saved, state_of(*draft.file));
}

bool Drafts::is_changed(const DocumentKey& key) const {
    const auto at = drafts_.find(key);
    return at != drafts_.end() && !changed(key, at->second).empty();
}

bool Drafts::is_as_on_disk(const DocumentKey& key) const {
    const auto at = drafts_.find(key);
    if (at == drafts_.end()) return false;
    for (const ReadDocument* read : {&at->second.document, &at->second.body_document}) {
        if (read->path.empty()) continue;
        try {
            if (text_on_disk(read->path) != read->text) return false;
        } catch (const FileError&) {
            return false;
        }
    }
    return true;
}

std::vector<Drafts::Unsaved> Drafts::unsaved() const {
    std::vector<Unsaved> result;
    for (const auto& [key, draft] : drafts_)
        if (auto what = changed(key, draft); !what.empty())
            result.push_back({key, draft.name, std::move(what), draft.document.path});
    return result;
}

Json Drafts::changes(const DocumentKey& key) const {
    const Draft& draft = drafts_.at(key);
    Json content;
    if (key.kind == DocumentKey::Kind::pairing) {
        content["format"] = "nimble-bone/unsaved";
        content["version"] = 1;
        content["id"] = draft.pairing.id;
        content["pairing"] = pairing_document(draft.pairing);
    } else if (key.kind == DocumentKey::Kind::scene) {
        content["format"] = "nimble-bone/unsaved";
        content["version"] = 1;
        content["id"] = draft.scene.id;
        content["scene"] = scene_document(draft.scene);
    } else {
        content = change_document(*draft.file);
    }
    content["name"] = draft.name;
    content["base"] = base(key);
    return content;
}

void Drafts::save_character(Draft& draft, bool over_others) {
    Character character = draft.file->character;
    // What others wrote beside our own keys, as it was last read or written.
    character.document_text = draft.document.text;
    write_checked(draft.document, format_document(character_document(character)), over_others,
                  draft.is_behind);
}

void Drafts::save_take(const DocumentKey& key, Draft& draft, bool over_others) {
    LoadedFile file = *draft.file;
    file.take_document = draft.document;
    Json take = changed_take_document(file, draft.document.path);
    const BodyState now = state_of(file);
    const fs::path folder = fs::path(draft.document.path).parent_path();
    Character& body = file.character;
    if (!(now.roles == draft.saved.roles) || !is_same_rest(now, draft.saved)) {
        // Roles and rest of a take's body go to its own character document when that was made for this
        // skeleton, else to one beside the take.
        ReadDocument& document = draft.body_document;
        Json there;
        if (!document.text.empty()) there = parse_document(document.text, document.path, "character");
        const bool is_of_skeleton = text_in(object_or_none(there, "rig", document.path), "signature", "",
                                            document.path) == body.rig.skeleton.signature();
        if (!is_of_skeleton) {
            document = {new_body_document(key.path), {}};
            body.chains.clear();  // what is set for the body it was matched with is that one's
            body.touches.clear();
        }
        body.document_text = document.text;
        Json written = character_document(body);
        // Its file, unit and axes are the rig's own, not the take's.
        if (is_of_skeleton)
            for (const auto* own : {"rig", "conventions", "intake"}) {
                if (there.contains(own))
                    written[own] = there.at(own);
                else
                    written.erase(own);
            }
        write_checked(document, format_document(written), over_others, false);
        take["character"]["id"] = body.id;
        take["character"]["path"] = fs::path(document.path).lexically_relative(folder).string();
    }
    if (!draft.body_document.path.empty() && take["character"].value("path", "").empty()) {
        // The character its motion was matched with when it was opened.
        take["character"]["id"] = body.id;
        take["character"]["path"] = fs::path(draft.body_document.path).lexically_relative(folder).string();
    }
    write_checked(draft.document, format_document(take), over_others, draft.is_behind);
}

void Drafts::save_pairing(const DocumentKey& key, Draft& draft, bool over_others) {
    make_folder_of_library(key.path);
    write_checked(draft.document, format_document(pairing_document(draft.pairing)), over_others,
                  draft.is_behind);
}

void Drafts::save_scene(Draft& draft, bool over_others) {
    make_folder_of_library(fs::path(draft.document.path).parent_path());
    write_checked(draft.document, format_document(scene_document(draft.scene)), over_others, draft.is_behind);
}

Drafts::Outcome Drafts::save(const DocumentKey& key, bool over_others) {
    const auto at = drafts_.find(key);
    if (at == drafts_.end()) return {key, {}, Result::failed, {}, "is not open any more"};
    Draft& draft = at->second;
    Outcome outcome{key, draft.name, Result::done, draft.document.path, {}};
    try {
        if (over_others) {
            // What they wrote that this program does not know stays.
            const char* kind = key.kind == DocumentKey::Kind::character ? "character"
                               : key.kind == DocumentKey::Kind::take    ? "take"
                               : key.kind == DocumentKey::Kind::scene   ? "scene"
                                                                        : "pairing";
            const std::string theirs = text_on_disk(draft.document.path);
            if (!theirs.empty()) {
                const Json document = parse_document(theirs, draft.document.path, kind);
                draft.document.text = theirs;
                if (key.kind == DocumentKey::Kind::pairing) draft.pairing.other = document;
                if (key.kind == DocumentKey::Kind::scene) draft.scene.other = document;
            }
        }
        switch (key.kind) {
            case DocumentKey::Kind::character:
                save_character(draft, over_others);
                break;
            case DocumentKey::Kind::take:
                save_take(key, draft, over_others);
                break;
            case DocumentKey::Kind::pairing:
                save_pairing(key, draft, over_others);
                break;
            case DocumentKey::Kind::scene:
                save_scene(draft, over_others);
                break;
        }
        if (key.kind == DocumentKey::Kind::pairing) {
            draft.saved_settings = draft.pairing.settings;
            draft.saved_judged = draft.pairing.judged;
        } else if (key.kind == DocumentKey::Kind::scene) {
            draft.saved_scene = draft.scene;
        } else {
            draft.saved = state_of(*draft.file);
        }
        draft.is_behind = false;
        outcome.document = draft.document.path;
    } catch (const ChangedByOthers& changed) {
        outcome.result = Result::changed_by_others;
        outcome.document = changed.what();
        outcome.line = fmt::format("{} was changed by somebody else since it was read",
                                   shown_text(fs::path(changed.what()).filename().string()));
    } catch (const std::exception& fault) {
        outcome.result = Result::failed;
        outcome.line = fault.what();
    }
    return outcome;
}

std::vector<std::pair<DocumentKey, DocumentKey>> Drafts::moved(
    const std::vector<std::pair<std::string, std::string>>& moves) {
    std::vector<std::pair<DocumentKey, DocumentKey>> keys;
    std::map<DocumentKey, Draft> renewed;
    for (auto& [key, draft] : drafts_) {
        DocumentKey now = key;
        if (const std::string path = moved_path(key.path, moves); !path.empty()) {
            now.path = path;
            keys.emplace_back(key, now);
        }
        for (ReadDocument* read : {&draft.document, &draft.body_document})
            if (const std::string path = moved_path(read->path, moves); !path.empty()) {
                read->path = path;
                // Who moved it may have written the new name into it.
                try {
                    read->text = text_on_disk(path);
                } catch (const FileError&) {  // Saving tells of it.
                }
            }
        renewed[now] = std::move(draft);
    }
    drafts_ = std::move(renewed);
    return keys;
}

void Drafts::wrote(const std::string& document, const std::string& text, const std::string& name) {
    for (auto& [key, draft] : drafts_)
        for (ReadDocument* read : {&draft.document, &draft.body_document})
            if (read->path == document) {
                read->text = text;
                if (read == &draft.document && key.kind == DocumentKey::Kind::character) draft.name = name;
            }
}

}  // namespace nb
