#include "app/work/character_desk.hpp"

#include <QFileInfo>
#include <QUndoCommand>
#include <QUndoStack>
#include <filesystem>
#include <functional>

#include "core/base/files.hpp"
#include "core/base/uuid.hpp"
#include "core/batch/coverage.hpp"
#include "core/documents/format.hpp"
#include "core/library/folder_work.hpp"

namespace nb {

namespace fs = std::filesystem;

namespace {

/// A step of the library that may be refused: then it drops out of the history, and the library is as it was.
class LibraryStep : public QUndoCommand {
  public:
    LibraryStep(const QString& text, std::function<bool(bool is_done)> run)
        : QUndoCommand(text), run_(std::move(run)) {}
    void redo() override { setObsolete(!run_(true)); }
    void undo() override { setObsolete(!run_(false)); }

  private:
    std::function<bool(bool)> run_;
};

}  // namespace

CharacterDesk::CharacterDesk(Workspace& workspace, QUndoStack& undo, QObject* parent)
    : LibraryDesk(workspace, undo, parent) {
    connect(&jobs_, &Jobs::failed, this, &CharacterDesk::failed);
    connect(&jobs_, &Jobs::progressed, this, &CharacterDesk::progressed);
    // Of another library nothing is looked at.
    connect(&workspace_, &Workspace::choices_changed, this, [this] {
        if (is_another_library() && looked_) let_go();
    });
}

LibraryEntry CharacterDesk::entry_of(const Choice& choice) {
    return {choice.entry.toStdString(), choice.path.toStdString(), choice.document.toStdString()};
}

Library CharacterDesk::library_now() const {
    return open_library(workspace_.library_folder().toStdString());
}

void CharacterDesk::show(Looked looked) {
    looked_ = std::move(looked);
    emit looked_at();
}

void CharacterDesk::let_go() {
    nb::cancel(looking_);
    looked_.reset();
    emit looked_at();
}

void CharacterDesk::look_at_newer(const Choice& character, const QString& file) {
    nb::cancel(looking_);
    looking_ = not_cancelled();
    jobs_.run(
        tr("Comparing %1").arg(QFileInfo(file).fileName()), looking_,
        [character, file, folder = workspace_.library_folder().toStdString()](const auto&) {
            Looked looked;
            looked.character = character;
            looked.renewal =
                std::make_shared<const Renewal>(renewal_of(entry_of(character), file.toStdString()));
            Ledger ledger(folder);
            ledger.look();
            looked.stale = pairs_made_of(open_library(folder), ledger, character.entry.toStdString());
            return looked;
        },
        [this](Looked looked) { show(std::move(looked)); });
}

void CharacterDesk::look_at_change(Looked looked) {
    nb::cancel(looking_);
    looking_ = not_cancelled();
    const bool is_giving = looked.kind == Looked::Kind::giving;
    jobs_.run(
        is_giving ? tr("What of %1 reaches its family").arg(looked.character.name)
                  : tr("Which template fits which rig"),
        looking_,
        [looked, is_giving, folder = workspace_.library_folder().toStdString()](const auto& tell) mutable {
            const Library library = open_library(folder);
            FamilyChange change;
            if (is_giving) {
                change = giving(library, looked.family, entry_of(looked.character), looked.parts, tell);
            } else {
                std::vector<std::string> troubles;
                looked.lines.clear();
                change = filling(library, families_in(library, troubles), looked.lines, tell);
                looked.lines.insert(looked.lines.end(), troubles.begin(), troubles.end());
            }
            looked.change = std::make_shared<const FamilyChange>(std::move(change));
            return looked;
        },
        [this](Looked done) { show(std::move(done)); });
}

void CharacterDesk::look_at_giving(const Choice& character) {
    const std::string id = family_of(character).id;
    for (const Family& family : families())
        if (family.id == id) {
            Looked looked;
            looked.kind = Looked::Kind::giving;
            looked.character = character;
            looked.family = family;
            return look_at_change(std::move(looked));
        }
    emit failed(tr("%1 is of no family of this library.").arg(character.name));
}

void CharacterDesk::set_parts(const Parts& parts) {
    if (!looked_ || looked_->kind != Looked::Kind::giving) return;
    Looked looked = *looked_;
    looked.parts = parts;
    look_at_change(std::move(looked));
}

void CharacterDesk::look_at_filling() {
    Looked looked;
    looked.kind = Looked::Kind::filling;
    look_at_change(std::move(looked));
}

void CharacterDesk::take_in() {
    if (!looked_) return;
    const Looked looked = *std::exchange(looked_, {});
    emit looked_at();
    if (looked.kind != Looked::Kind::newer) {
        push(*looked.change, looked.kind == Looked::Kind::giving
                                 ? tr("%1 gives its family").arg(looked.character.name)
                                 : tr("rigs filled by templates"));
        return;
    }
    // The folder of what is not in force: of the older after it was done, of the newer after it was undone.
    const auto other = std::make_shared<std::string>();
    const auto character = std::make_shared<Choice>(looked.character);
    undo_.push(new LibraryStep(
        tr("newer rig of %1").arg(looked.character.name), [this, looked, other, character](bool) {
            return workspace_.change_rig(
                *character,
                [&](const Library& library, const LibraryEntry& entry) {
                    if (other->empty()) return renew_character(library, entry, *looked.renewal, *other);
                    return exchange_version(library, entry, std::string(*other), *other);
                },
                *character);
        }));
}

std::vector<RigVersion> CharacterDesk::versions(const Choice& character) const {
    return versions_of(entry_of(character));
}

void CharacterDesk::put_version(const Choice& choice, const RigVersion& version) {
    const auto other = std::make_shared<std::string>(version.folder);
    const auto character = std::make_shared<Choice>(choice);
    undo_.push(
        new LibraryStep(tr("rig of %1 as of %2").arg(choice.name, QString::fromStdString(version.name)),
                        [this, other, character](bool) {
                            return workspace_.change_rig(
                                *character,
                                [&](const Library& library, const LibraryEntry& entry) {
                                    return exchange_version(library, entry, std::string(*other), *other);
                                },
                                *character);
                        }));
}

std::vector<Family> CharacterDesk::families() const {
    std::vector<std::string> troubles;
    return workspace_.has_library() ? families_in(library(), troubles) : std::vector<Family>();
}

FamilyName CharacterDesk::family_of(const Choice& character) const {
    try {
        return character.document.isEmpty() ? FamilyName()
                                            : family_named(read_file(character.document.toStdString()));
    } catch (const std::exception&) {  // told where it is opened
        return {};
    }
}

void CharacterDesk::push(const FamilyChange& change, const QString& text) {
    if (change.documents.empty()) {
        emit said(tr("Nothing is another by it."));
        return;
    }
    const auto kept = std::make_shared<const FamilyChange>(change);
    undo_.push(new LibraryStep(text, [this, kept](bool is_done) {
        std::vector<std::string> documents;
        for (const DocumentChange& one : kept->documents) documents.push_back(one.path);
        return workspace_.change_documents(
            documents, [&](const Library& library) { put_change(library, *kept, !is_done); });
    }));
}

template <typename Make>
void CharacterDesk::push_made(const QString& text, Make make) {
    try {
        push(make(library_now()), text);
    } catch (const std::exception& fault) {
        emit failed(QString::fromStdString(fault.what()));
    }
}

void CharacterDesk::found(const Choice& character, const QString& name) {
    push_made(tr("family '%1'").arg(name), [&](const Library& library) {
        return founding(library, entry_of(character), name.toStdString());
    });
}

void CharacterDesk::join(const Choice& character, const Family& family) {
    push_made(tr("%1 joins '%2'").arg(character.name, QString::fromStdString(family.name)),
              [&](const Library& library) { return joining(library, family, entry_of(character)); });
}

void CharacterDesk::leave(const Choice& character) {
    push_made(tr("%1 leaves its family").arg(character.name),
              [&](const Library& library) { return leaving(library, entry_of(character)); });
}

void CharacterDesk::write_template(const Choice& character, const QString& path) {
    try {
        std::vector<std::string> notes;
        const LoadedFile file =
            load_character(character.path.toStdString(), character.document.toStdString(), notes);
        const Family made = nb::family_of(file.character, QFileInfo(path).baseName().toStdString());
        write_file(path.toStdString(), format_document(family_document(made)));
        emit said(tr("%1 bones and %2 roles of %3 are a template: %4")
                      .arg(made.skeleton.size())
                      .arg(made.role_count())
                      .arg(character.name, path));
    } catch (const std::exception& fault) {
        emit failed(QString::fromStdString(fault.what()));
    }
}

void CharacterDesk::read_template(const QString& path) {
    push_made(tr("template '%1'").arg(QFileInfo(path).baseName()), [&](const Library& library) {
        Family family = read_family(path.toStdString());
        family.id = make_uuid();
        const fs::path folder = fs::path(library.folder) / "families";
        const std::string place = (folder / (folder_name(family.name) + ".family.json")).string();
        std::error_code error;
        if (fs::exists(place, error))
            throw FileError(place, "is there already", "rename the template's 'name'");
        FamilyChange change;
        change.documents.push_back({place, {}, format_document(family_document(family))});
        return change;
    });
}

}  // namespace nb
