#include "app/work/catalogue.hpp"

#include <QCoreApplication>
#include <QDir>
#include <QFileInfo>
#include <algorithm>

#include "core/base/files.hpp"
#include "core/documents/roles.hpp"
#include "core/library/beside.hpp"
#include "core/library/families.hpp"

namespace nb {

QString Catalogue::shown_name(const std::string& file_name) {
    QString name = QString::fromStdString(file_name).replace('-', ' ').replace('_', ' ');
    if (!name.isEmpty()) name[0] = name[0].toUpper();
    return name;
}

QString whole_path(const QString& path) {
    return QDir::cleanPath(QFileInfo(path).absoluteFilePath());
}

int Catalogue::index_of(bool as_target, const DocumentKey& key) const {
    const std::vector<Choice>& list = lists_[as_target];
    auto& places = places_[as_target];
    if (places.empty())
        for (size_t i = 0; i < list.size(); ++i)
            places.emplace(std::hash<std::string>()(key_of(list[i], as_target).path), int(i));
    int first = -1;
    const auto [from, to] = places.equal_range(std::hash<std::string>()(key.path));
    for (auto at = from; at != to; ++at)
        if ((first < 0 || at->second < first) && key_of(list[size_t(at->second)], as_target) == key)
            first = at->second;
    return first;
}

int Catalogue::first(bool of_targets) const {
    if (lists_[of_targets].empty()) return -1;
    const QString wanted =
        QString::fromStdString(of_targets ? library_.opens_character : library_.opens_take);
    const auto& list = lists_[of_targets];
    for (size_t i = 0; i < list.size(); ++i)
        if (list[i].is_of_library && list[i].entry == wanted) return int(i);
    return 0;
}

std::vector<std::string> Catalogue::open(const QString& folder) {
    library_ = open_library(whole_path(folder).toStdString());
    has_library_ = true;
    for (const bool is_character : {false, true}) {
        lists_[is_character].clear();
        places_[is_character].clear();
    }
    std::vector<std::string> troubles = library_.troubles;
    for (std::string& trouble : list_library()) troubles.push_back(std::move(trouble));
    return troubles;
}

std::vector<std::string> Catalogue::read_again() {
    library_ = open_library(library_.folder);
    return list_library();
}

Choice Catalogue::choice_of(const LibraryEntry& entry, bool is_character,
                            std::vector<std::string>& troubles) {
    QString name = shown_name(entry.name);
    QString family;
    if (is_character) {
        name = name.toLower();
        if (!entry.document.empty()) try {
                const std::string text = read_file(entry.document);
                name = QString::fromStdString(text_in(parse_document(text, entry.document, "character"),
                                                      "name", entry.name, entry.document));
                family = QString::fromStdString(family_named(text).name);
            } catch (const std::exception& error) {
                troubles.emplace_back(error.what());
            }
    }
    // Which of a file's animations a take is, its document says when it is loaded.
    return {name,
            QString::fromStdString(entry.path),
            QString::fromStdString(entry.document),
            {},
            true,
            0,
            {},
            QString::fromStdString(entry.name),
            {},
            family};
}

/// The library's entries before what was opened beside it.
std::vector<std::string> Catalogue::list_library() {
    std::vector<std::string> troubles;
    for (const bool is_character : {false, true}) {
        const auto& entries = is_character ? library_.characters : library_.takes;
        std::vector<Choice>& choices = lists_[is_character];
        std::vector<Choice> renewed;
        renewed.reserve(entries.size() + choices.size());
        for (const LibraryEntry& entry : entries) renewed.push_back(choice_of(entry, is_character, troubles));
        for (const Choice& choice : choices)
            if (!choice.is_of_library) renewed.push_back(choice);
        choices = std::move(renewed);
        places_[is_character].clear();
    }
    return troubles;
}

QStringList Catalogue::folders() const {
    QStringList folders;
    for (const auto* part : {"", "/characters", "/takes", "/pairings", "/scenes"}) {
        const QString inside = folder() + part;
        if (QFileInfo(inside).isDir()) folders << inside;
    }
    for (const LibraryEntry& entry : library_.characters)
        folders << QFileInfo(QString::fromStdString(entry.path)).path();
    return folders;
}

int Catalogue::add(const Choice& choice, bool is_rig) {
    if (const int there = index_of(is_rig, key_of(choice, is_rig)); there >= 0) return there;
    lists_[is_rig].push_back(choice);
    places_[is_rig].clear();
    return int(lists_[is_rig].size()) - 1;
}

int Catalogue::add(const SortedFile& file, bool is_rig) {
    // A document stands for the file it is of.
    const QString motion = whole_path(QString::fromStdString(file.motion.empty() ? file.path : file.motion));
    Choice choice{QFileInfo(motion).completeBaseName(),
                  motion,
                  {},
                  QString::fromStdString(file.character),
                  false,
                  0,
                  QString::fromStdString(file.holds),
                  {},
                  {},
                  {}};
    const bool is_document = file.path.ends_with(".take.json");
    choice.animation = is_document ? file.animation : 0;
    if (const int there = index_of(is_rig, key_of(choice, is_rig)); there >= 0) return there;
    if (is_rig) {
        choice.document = QString::fromStdString(character_document_beside(motion.toStdString()));
        return add(choice, true);
    }
    const int first = int(takes().size());
    const QString name = choice.name;
    const int count = is_document ? 1 : std::max(1, int(file.animations.size()));
    for (int i = 0; i < count; ++i) {
        if (!is_document) choice.animation = i;
        if (file.animations.size() > 1)
            choice.name = QCoreApplication::translate("nb::Catalogue", "%1 · %2")
                              .arg(name, QString::fromStdString(file.animations[size_t(choice.animation)]));
        choice.document =
            is_document
                ? QString::fromStdString(file.path)
                : QString::fromStdString(take_document_beside(motion.toStdString(), choice.animation));
        // Whose motion it is, its document says, if only by saying nothing.
        choice.character = choice.document.isEmpty() ? QString::fromStdString(file.character) : QString();
        lists_[0].push_back(choice);
        places_[0].clear();
    }
    return first;
}

void Catalogue::replace(const DocumentKey& key, bool is_rig, const Choice& by) {
    for (Choice& choice : lists_[is_rig])
        if (key_of(choice, is_rig) == key) choice = by;
    places_[is_rig].clear();
}

void Catalogue::set_document(const DocumentKey& key, const QString& document) {
    const bool is_rig = key.kind == DocumentKey::Kind::character;
    if (const int index = index_of(is_rig, key); index >= 0)
        lists_[is_rig][size_t(index)].document = document;
}

std::vector<Catalogue::Kin> Catalogue::kin_of(const Rig& rig) const {
    std::vector<Kin> kin;
    for (const LibraryEntry& entry : library_.characters) {
        if (entry.document.empty() || entry.path == rig.path) continue;
        try {
            const KnownRoles known =
                read_known_roles(read_document(entry.document, "character"), entry.document);
            kin.push_back({QString::fromStdString(known.name), share_of_bones(known, rig.skeleton),
                           QString::fromStdString(entry.document)});
        } catch (const std::exception&) {  // one that cannot be read is no kin
        }
    }
    std::stable_sort(kin.begin(), kin.end(), [](const Kin& a, const Kin& b) { return a.share > b.share; });
    return kin;
}

}  // namespace nb
