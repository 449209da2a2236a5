// Scenes in the workspace: opened, made, changed, taken in hand cast by cast, handed over.
#include <QDir>
#include <QFileInfo>
#include <algorithm>

#include "app/work/workspace.hpp"
#include "core/base/files.hpp"
#include "core/base/uuid.hpp"
#include "core/library/beside.hpp"
#include "core/library/joined.hpp"
#include "core/library/scenes.hpp"

namespace nb {

namespace {

QString file_name(const std::string& path) {
    return QFileInfo(QString::fromStdString(path)).fileName();
}

}  // namespace

std::vector<std::pair<QString, QString>> Workspace::scenes() const {
    std::vector<std::pair<QString, QString>> list;
    const auto add = [&](const std::string& path, const QString& name) {
        const QString at = whole_path(QString::fromStdString(path));
        for (const auto& [known, there] : list)
            if (there == at) return;
        list.emplace_back(name, at);
    };
    for (const Drafts::Unsaved& unsaved : drafts_.unsaved())
        if (unsaved.key.kind == DocumentKey::Kind::scene)
            add(unsaved.key.path, QString::fromStdString(unsaved.name));
    if (scene_.is_open()) add(scene_.key().path, QString::fromStdString(scene_.document().name));
    if (library())
        for (const LibraryEntry& scene : library()->scenes)
            add(scene.path, Catalogue::shown_name(scene.name));
    std::sort(list.begin(), list.end());
    return list;
}

void Workspace::open_scene(const QString& given) {
    const std::string path = whole_path(given).toStdString();
    const DocumentKey key = scene_key(path);
    try {
        if (!drafts_.is_changed(key)) {
            const ReadDocument read{path, read_file(path)};
            drafts_.open_scene(key, read_scene(parse_document(read.text, path, "scene"), path), read);
        }
        bring_scene_back(key);
        cast_scene(key, *drafts_.scene(key), 0);
    } catch (const std::exception& fault) {
        emit failed(QString::fromStdString(fault.what()));
    }
}

/// What a session that ended left of it.
void Workspace::bring_scene_back(const DocumentKey& key) {
    const std::optional<Json> left = left_of(key);
    if (!left || drafts_.is_changed(key)) return;
    try {
        drafts_.change_scene(key, read_scene(object_in(*left, "scene", "unsaved"), "unsaved"));
        drafts_.set_base(key, text_in(*left, "base", "", "unsaved"));
        changed_draft(key);
        emit said(tr("Changes that were not saved last time are back; Ctrl+S keeps them."));
    } catch (const std::exception& fault) {
        emit failed(
            tr("What was not saved last time of %1 does not fit any more; it lies in %2. %3")
                .arg(file_name(key.path), QString::fromStdString(recovery_.put_aside(key)), fault.what()));
    }
}

void Workspace::make_scene(const QString& name) {
    if (!source() || !target() || is_limbering()) {
        emit failed(tr("A scene is made of what is on the stage: choose a take and a target first."));
        return;
    }
    if (open_.on_stage(false).is_made) {
        emit failed(tr("Not done: the take is a result, not a file; export it and open that."));
        return;
    }
    const QDir folder(has_library() ? library_folder() + "/scenes"
                                    : QFileInfo(open_.on_stage(false).choice.path).absolutePath());
    QString stem = name;
    for (int n = 2; folder.exists(stem + ".scene.json") ||
                    drafts_.has(scene_key(folder.filePath(stem + ".scene.json").toStdString()));
         ++n)
        stem = QString("%1-%2").arg(name).arg(n);
    const std::string path = whole_path(folder.filePath(stem + ".scene.json")).toStdString();
    SceneDocument document;
    document.id = make_uuid();
    document.name = stem.toStdString();
    SceneDocument::CastEntry& first = document.casts.emplace_back();
    const Choice& take = open_.on_stage(false).choice;
    first.name = tr("first").toStdString();
    first.take = named_in_scene(take, false, path).toStdString();
    first.body = take.body.toStdString();
    first.target = named_in_scene(open_.on_stage(true).choice, true, path).toStdString();
    const DocumentKey key = scene_key(path);
    drafts_.open_scene(key, document, {path, {}});
    changed_draft(key);
    cast_scene(key, document, 0);
}

QString Workspace::named_in_scene(const Choice& choice, bool as_target, const std::string& scene_path) {
    if (!choice.entry.isEmpty()) return choice.entry;
    const QString& file = as_target || choice.document.isEmpty() ? choice.path : choice.document;
    return QFileInfo(QString::fromStdString(scene_path)).dir().relativeFilePath(whole_path(file));
}

/// Reads what its casts name and is not open yet; then the cast is taken in hand.
void Workspace::cast_scene(const DocumentKey& key, const SceneDocument& document, size_t in_hand) {
    nb::cancel(casting_);
    casting_ = not_cancelled();
    struct Wanted {
        Choice choice;
        bool as_target = false;
        std::optional<Json> unsaved;
        LoadedPtr held;
    };
    std::vector<CastBodies> casts;
    std::map<DocumentKey, Wanted> wanted;
    const std::optional<Library> above = library() ? std::nullopt : library_above(key.path);
    const Library* used = library() ? library() : above ? &*above : nullptr;
    std::vector<std::string> troubles;
    for (const SceneDocument::CastEntry& entry : document.casts) {
        const CastFiles files = cast_files(entry, key.path, used);
        CastBodies cast;
        cast.take = Catalogue::choice_of(files.take, false, troubles);
        cast.take.body = QString::fromStdString(entry.body);
        if (files.take.name.empty()) cast.take.name = Catalogue::shown_name(entry.name);
        cast.target = Catalogue::choice_of(files.target, true, troubles);
        cast.take.is_of_library = !files.take.name.empty();
        cast.target.is_of_library = !files.target.name.empty();
        for (const bool as_target : {false, true}) {
            Choice& choice = as_target ? cast.target : cast.take;
            const DocumentKey body = key_of(choice, as_target);
            // As it is listed, and named there.
            if (const int index = catalogue_.index_of(as_target, body); index >= 0)
                choice = catalogue_.list(as_target)[size_t(index)];
            wanted[body] = {choice, as_target, left_of(body), this->body(body)};
        }
        casts.push_back(std::move(cast));
    }
    say_troubles(troubles);
    struct Read {
        std::map<DocumentKey, ReadChoice> files;
        std::map<DocumentKey, std::shared_ptr<const BodySurface>> skins;
    };
    jobs_.run(
        tr("Reading %1").arg(file_name(key.path)), casting_,
        [wanted](const Progress&) {
            Read read;
            for (const auto& [body, one] : wanted) {
                if (!one.held) read.files[body] = read_choice(one.choice, one.as_target, one.unsaved);
                const LoadedPtr loaded = one.held ? one.held : read.files[body].now;
                if (one.as_target && loaded->file.character.rest.is_there())
                    read.skins[body] =
                        std::make_shared<const BodySurface>(surface_of(loaded->file.character));
            }
            return read;
        },
        [this, key, document, in_hand, cast_as = std::move(casts), wanted](const Read& read) {
            for (const auto& [body, files] : read.files) {
                const Wanted& one = wanted.at(body);
                if (!open_.find(body)) open_.put(opened_of(one.choice, one.as_target, files, one.unsaved));
            }
            std::set<DocumentKey> held;
            for (const auto& [body, one] : wanted) held.insert(body);
            std::vector<CastBodies> on_stage = cast_as;
            for (CastBodies& cast : on_stage) {
                const auto skin = read.skins.find(key_of(cast.target, true));
                if (skin != read.skins.end()) cast.skin = skin->second;
            }
            const bool is_same = scene_.is_open() && scene_.key() == key;
            open_.hold(std::move(held));
            scene_.open(key, key.path, document, std::move(on_stage));
            for (const CastBodies& cast : scene_.casts())
                open_pairing(body(key_of(cast.take, false)), key_of(cast.target, true));
            show_cast(std::min(in_hand, document.casts.size() - 1));
            if (!is_same)
                emit said(document.casts.size() == 1
                              ? tr("%1: one cast. Add another beside the stage.")
                                    .arg(QString::fromStdString(document.name))
                              : tr("%1: %2 casts on one floor. A click on a body takes it in hand.")
                                    .arg(QString::fromStdString(document.name))
                                    .arg(document.casts.size()));
        },
        [this, key, flag = casting_] {
            if (casting_ != flag || *flag || !scene_.is_open() || scene_.key() != key) return;
            // What cannot be read does not stay in the document.
            drafts_.change_scene(key, scene_.document());
            changed_draft(key);
            emit scene_changed();
        });
}

/// Its pair comes onto the stage.
void Workspace::show_cast(size_t cast) {
    scene_.take_in_hand(cast);
    const CastBodies& of = scene_.casts()[cast];
    const bool was_limbering = is_limbering();
    if (was_limbering) drafts_.forget(pairing_key());
    for (Reading& reading : reading_) {
        nb::cancel(reading.cancelled);
        reading.choice.reset();
    }
    for (const bool as_target : {false, true})
        if (const Opened* opened = open_.find(key_of(as_target ? of.target : of.take, as_target)))
            open_.show(Opened(*opened), as_target);
    const bool is_other_take = std::exchange(shown_take_, key(false)) != key(false);
    solver_.start_anew(source(), true, is_other_take);
    follow();
    emit source_changed();
    emit target_changed();
    emit settings_changed();
    if (was_limbering) emit limbering_changed();
    emit scene_changed();
    solve();
}

const SceneDocument& Workspace::scene_document() const {
    const SceneDocument* draft = scene_.is_open() ? drafts_.scene(scene_.key()) : nullptr;
    return draft ? *draft : scene_.document();
}

void Workspace::take_in_hand(size_t cast, int frame) {
    if (!scene_.is_open() || cast >= scene_.casts().size() || cast == scene_.in_hand()) return;
    const double scene_s = scene_.scene_s(frame);
    show_cast(cast);
    emit frame_wanted(scene_.frame_in_hand(scene_s));
}

bool Workspace::set_scene(const DocumentKey& key, const SceneDocument& document) {
    const SceneDocument* before = drafts_.scene(key);
    if (!before) {
        emit failed(tr("Not done: that scene is not open any more."));
        return false;
    }
    const SceneDocument was = *before;
    drafts_.change_scene(key, document);
    changed_draft(key);
    if (!scene_.is_open() || key != scene_.key()) {
        emit said(tr("Changed in a scene that is not open."));
        return true;
    }
    const auto is_same_body = [](const SceneDocument::CastEntry& a, const SceneDocument::CastEntry& b) {
        return a.take == b.take && a.body == b.body && a.target == b.target;
    };
    if (std::equal(document.casts.begin(), document.casts.end(), scene_.document().casts.begin(),
                   scene_.document().casts.end(), is_same_body)) {
        nb::cancel(casting_);
        scene_.set_document(document);
        follow();
        emit settings_changed();
        emit scene_changed();
        solve();
        return true;
    }
    // The one in hand stays so, unless it went; a new one comes into it.
    const size_t now = scene_.in_hand();
    const int kept = document.cast(was.casts[std::min(now, was.casts.size() - 1)].name);
    const size_t in_hand = document.casts.size() > was.casts.size() ? document.casts.size() - 1
                           : kept >= 0                              ? size_t(kept)
                                                                    : now;
    try {
        cast_scene(key, document, in_hand);
    } catch (const std::exception& fault) {
        drafts_.change_scene(key, scene_.document());
        emit failed(QString::fromStdString(fault.what()));
        emit scene_changed();
    }
    return true;
}

void Workspace::close_scene() {
    if (!scene_.is_open()) return;
    const DocumentKey key = scene_.key();
    const QString name = QString::fromStdString(scene_.document().name);
    nb::cancel(casting_);
    scene_.close();
    open_.hold({});
    if (drafts_.is_changed(key))
        emit said(tr("The scene %1 is laid by; what of it is not saved is kept.").arg(name));
    else
        drafts_.forget(key);
    emit scene_changed();
}

void Workspace::pad_cast(size_t cast, const QString& idle) {
    if (!scene_.is_open() || cast >= scene_.casts().size()) return;
    const Cast& of = scene_.scene().casts[cast];
    const SceneDocument::CastEntry entry = scene_document().casts[cast];
    const double frame_time_s = of.take->frame_time_s;
    const double before_s = std::max(0.0, of.start_s - scene_.first_s());
    const double after_s = std::max(0.0, scene_.last_s() - of.end_s());
    if (std::max(before_s, after_s) < frame_time_s) {
        emit said(tr("%1 goes on through the whole scene: there is nothing to pad.")
                      .arg(QString::fromStdString(entry.name)));
        return;
    }
    std::string character;
    if (library())
        for (const LibraryEntry& one : library()->characters)
            if (const std::string& own = scene_.casts()[cast].source->file.character_document.path;
                !own.empty() &&
                whole_path(QString::fromStdString(one.document)) == whole_path(QString::fromStdString(own)))
                character = one.name;
    if (character.empty() || !scene_.casts()[cast].take.is_of_library || !entry.body.empty()) {
        emit failed(
            tr("Not done: only takes of the library, of a body of the library, can be padded; take %1 "
               "into it first.")
                .arg(QString::fromStdString(entry.take)));
        return;
    }
    export_cancel_ = not_cancelled();
    struct Made {
        LibraryEntry entry;
        int before = 0;
    };
    jobs_.run(
        tr("Padding %1").arg(QString::fromStdString(entry.name)), export_cancel_,
        [folder = library_folder().toStdString(), take = entry.take, idle = idle.toStdString(), character,
         before_s, after_s](const Progress&) {
            LibraryFiles files(nb::open_library(folder));
            const Padded padded = pad_take(take, idle, character, before_s, after_s, files);
            return Made{keep_joined(files.library(), padded.plan, padded.joined, files), padded.before};
        },
        [this, cast, entry, frame_time_s](const Made& made) {
            read_library_again();
            emit said(
                tr("%1 is a new take of the library: %2 with an idle stance about it, blended over 0.3 s.")
                    .arg(QString::fromStdString(made.entry.name), QString::fromStdString(entry.take)));
            emit cast_padded(int(cast), QString::fromStdString(made.entry.name),
                             entry.start_s - made.before * frame_time_s);
        });
}

void Workspace::hand_scene_over(const QString& folder) {
    const auto result = scene_.finished();
    if (!result) {
        emit failed(tr("The scene is not carried yet."));
        return;
    }
    try {
        for (const std::string& file : scene_files(scene_.scene(), folder.toStdString()))
            if (QFileInfo::exists(QString::fromStdString(file))) {
                emit failed(tr("Nothing written: %1 is there already; choose another folder.")
                                .arg(QString::fromStdString(file)));
                return;
            }
    } catch (const std::exception& fault) {
        emit failed(QString::fromStdString(fault.what()));
        return;
    }
    export_cancel_ = not_cancelled();
    jobs_.run(
        tr("Writing the casts"), export_cancel_,
        [scene = scene_.scene(), result, folder](const Progress& progress) {
            return write_scene(scene, *result, folder.toStdString(), progress);
        },
        [this, folder, count = int(scene_.casts().size())](const std::vector<std::string>& notes) {
            QString line = tr("Written: %1 casts in %2").arg(count).arg(folder);
            for (const std::string& note : notes) line += tr(" · %1").arg(QString::fromStdString(note));
            emit said(line);
        });
}

}  // namespace nb
