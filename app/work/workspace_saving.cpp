// What is not saved: kept beside the documents for a crash, brought back, saved each by itself, given up.
#include <QFileInfo>
#include <algorithm>
#include <utility>

#include "app/work/workspace.hpp"

namespace nb {

void Workspace::changed_draft(const DocumentKey& key) {
    to_recover_.insert(key);
    if (!recover_.isActive()) recover_.start();
    emit unsaved_changed();
}

void Workspace::flush_recovery() {
    recover_.stop();
    if (is_leaving_) return;
    for (const DocumentKey& key : std::exchange(to_recover_, {})) {
        if (!drafts_.is_changed(key)) {
            // One of the last session that is not open stays until it is.
            if (!recovery_.left().contains(key)) recovery_.drop(key);
            continue;
        }
        try {
            recovery_.keep(key, drafts_.changes(key));
        } catch (const std::exception& fault) {
            // The change itself still holds.
            if (!std::exchange(is_recovery_told_, true))
                emit failed(tr("%1. What is not saved would not survive a crash.")
                                .arg(QString::fromStdString(fault.what())));
        }
    }
}

std::vector<std::pair<DocumentKey, QString>> Workspace::left_unsaved() const {
    std::vector<std::pair<DocumentKey, QString>> result;
    for (const auto& [key, content] : recovery_.left()) {
        if (drafts_.has(key)) continue;  // it is back
        const auto name = content.find("name");
        result.emplace_back(key, name != content.end() && name->is_string()
                                     ? QString::fromStdString(name->get<std::string>())
                                     : QFileInfo(QString::fromStdString(key.path)).fileName());
    }
    return result;
}

void Workspace::open_left(const DocumentKey& key) {
    if (key.kind == DocumentKey::Kind::pairing) {
        emit said(tr("It comes back when that pair is chosen."));
        return;
    }
    if (key.kind == DocumentKey::Kind::scene) return open_scene(QString::fromStdString(key.path));
    const bool as_target = key.kind == DocumentKey::Kind::character;
    if (const int index = catalogue_.index_of(as_target, key); index >= 0) return choose(index, as_target);
    open_file(QString::fromStdString(key.path), as_target);
}

bool Workspace::save_all(const std::vector<DocumentKey>& keys, bool over_others) {
    int written = 0;
    QStringList documents;
    QStringList lines;
    for (const DocumentKey& key : keys) {
        const Drafts::Outcome outcome = drafts_.save(key, over_others);
        const QString name = QString::fromStdString(outcome.name);
        if (outcome.result == Drafts::Result::done) {
            ++written;
            recovery_.drop(key);
            to_recover_.erase(key);
            const QString document = QString::fromStdString(outcome.document);
            catalogue_.set_document(key, document);
            if (key.kind == DocumentKey::Kind::scene) changed_.start();  // a new one is listed
            if (const Opened* open = open_.find(key)) {
                Opened saved = *open;
                saved.choice.document = document;
                open_.put(std::move(saved));
            }
            continue;
        }
        if (outcome.result == Drafts::Result::changed_by_others)
            documents << QString::fromStdString(outcome.document);
        lines << tr("%1: %2").arg(name, QString::fromStdString(outcome.line));
    }
    emit unsaved_changed();
    emit settings_changed();
    if (lines.isEmpty()) {
        emit said(written ? tr("Saved.") : tr("Nothing to save: all is as on disk."));
        read_clean_again();
        return true;
    }
    const QString line = (written ? tr("%n saved. ", nullptr, written) : QString()) +
                         tr("Not saved, and kept: %1").arg(lines.join(tr(" · ")));
    if (documents.isEmpty())
        emit failed(line);
    else
        emit changed_by_others(documents, line);
    return false;
}

void Workspace::save(bool over_others) {
    std::vector<DocumentKey> keys;
    for (const Drafts::Unsaved& unsaved : drafts_.unsaved()) keys.push_back(unsaved.key);
    save_all(keys, over_others);
}

bool Workspace::save_one(const DocumentKey& key, bool over_others) {
    return save_all({key}, over_others);
}

void Workspace::take_theirs(const QString& document) {
    for (const Drafts::Unsaved& unsaved : drafts_.unsaved()) {
        const auto documents = drafts_.documents(unsaved.key);
        if (std::find(documents.begin(), documents.end(), document.toStdString()) == documents.end())
            continue;
        const DocumentKey key = unsaved.key;
        drafts_.forget(key);
        open_.untouch(key);
        recovery_.drop(key);
        to_recover_.erase(key);
        if (key == pairing_key()) {
            open_pairing(source(), this->key(true));
            follow();
            solve();
        }
        if (scene_.is_open() && key == scene_.key()) open_scene(QString::fromStdString(key.path));
        for (const bool as_target : {false, true})
            if (open_.is_on_stage(key, as_target)) load(open_.on_stage(as_target).choice, as_target);
    }
    emit unsaved_changed();
    emit settings_changed();
}

void Workspace::drop_recovery() {
    is_leaving_ = true;
    for (const DocumentKey& key : to_recover_) recovery_.drop(key);
    for (const Drafts::Unsaved& unsaved : drafts_.unsaved()) recovery_.drop(unsaved.key);
}

}  // namespace nb
