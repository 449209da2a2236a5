// What is open follows files that are renamed or moved.
#include <filesystem>

#include "app/work/workspace.hpp"
#include "core/base/files.hpp"

namespace nb {

/// The new name of a character in everything that is open and was read from its document.
void Workspace::follow_name(const std::string& document, const std::string& text, const std::string& name) {
    std::set<DocumentKey> renamed;
    open_.edit_all([&](Opened& open) {
        if (!open.body || open.body->file.character_document.path != document) return;
        auto loaded = copy_for_change(open.body);
        loaded->file.character.name = name;
        loaded->file.character.document_text = text;
        loaded->file.character_document.text = text;
        open.body = loaded;
        drafts_.change_file(open.key, file_of(open.body));
        renamed.insert(open.key);
    });
    if (renamed.contains(key(true))) emit target_changed();
    if (renamed.contains(key(false))) emit source_changed();
}

void Workspace::follow_moves(const std::vector<std::pair<std::string, std::string>>& moves) {
    const auto keys = drafts_.moved(moves);
    open_.edit_all([&](Opened& open) {
        const std::string path = moved_path(open.key.path, moves);
        if (path.empty() || !open.body) return;
        open.key.path = path;
        open.choice.path = QString::fromStdString(path);
        if (const std::string document = moved_path(open.choice.document.toStdString(), moves);
            !document.empty())
            open.choice.document = QString::fromStdString(document);
        auto loaded = copy_for_change(open.body);
        LoadedFile& file = loaded->file;
        file.character.rig.path = path;
        file.character.rig.name = std::filesystem::path(path).stem().string();
        for (ReadDocument* read : {&file.character_document, &file.take_document})
            if (const std::string to = moved_path(read->path, moves); !to.empty()) {
                read->path = to;
                std::error_code error;
                if (std::filesystem::exists(to, error)) read->text = read_file(to);
            }
        open.body = loaded;
        drafts_.change_file(open.key, file_of(open.body));
    });
    if (const std::string path = moved_path(shown_take_.path, moves); !path.empty()) shown_take_.path = path;
    for (const auto& [from, to] : keys) {
        recovery_.drop(from);
        to_recover_.erase(from);
        changed_draft(to);
    }
    follow_moves_while_reading(moves);
    std::vector<std::pair<DocumentKey, DocumentKey>> left;
    for (const auto& [key, content] : recovery_.left())
        if (const std::string path = moved_path(key.path, moves); !path.empty()) {
            DocumentKey to = key;
            to.path = path;
            left.emplace_back(key, to);
        }
    for (const auto& [from, to] : left) recovery_.move(from, to);
}

/// What is being read goes on under its new name.
void Workspace::follow_moves_while_reading(const std::vector<std::pair<std::string, std::string>>& moves) {
    for (const auto& [key, reading] : std::map(reading_again_)) {
        DocumentKey to = key;
        to.path = moved_path(key.path, moves);
        if (to.path.empty()) continue;
        nb::cancel(reading.cancelled);
        reading_again_.erase(key);
        read_again(to, reading.options);
    }
    for (const bool as_target : {false, true}) {
        if (!reading_[as_target].choice) continue;
        Choice again = *reading_[as_target].choice;
        const std::string path = moved_path(again.path.toStdString(), moves);
        if (path.empty()) continue;
        again.path = QString::fromStdString(path);
        if (const std::string document = moved_path(again.document.toStdString(), moves); !document.empty())
            again.document = QString::fromStdString(document);
        load(again, as_target);
    }
}

}  // namespace nb
