// The pairing of take and target: found, brought back, changed; what of the pair is set by levels.
#include <QFileInfo>

#include "app/work/workspace.hpp"
#include "core/documents/pairing.hpp"
#include "core/library/beside.hpp"

namespace nb {

namespace {

std::string pair_name(const LoadedPtr& source, const LoadedPtr& target) {
    return source->file.character.name + " onto " + target->file.character.name;
}

const PairingSettings default_settings;
const TakeJudgement nothing_said;

/// What was set for a take before it had a document is found by its name.
template <typename ByTake>
void name_by_id(ByTake& table, const Take& take) {
    const auto named = table.find(take.name);
    if (take.id.empty() || named == table.end() || table.contains(take.id)) return;
    table[take.id] = named->second;
    table.erase(take.name);
}
void name_takes_by_id(Pairing& pairing, const Take& take) {
    name_by_id(pairing.settings.takes, take);
    name_by_id(pairing.judged, take);
}

}  // namespace

DocumentKey Workspace::pairing_key() const {
    return pairing_key(source(), target(), this->key(true).path);
}

DocumentKey Workspace::pairing_key(const LoadedPtr& of, const LoadedPtr& onto,
                                   const std::string& target_path) const {
    if (!of || !onto) return {};
    // What is set while the target limbers is for the eye alone: it has no folder.
    return {DocumentKey::Kind::pairing,
            is_limbering() ? std::string() : pairing_folder(library(), target_path),
            0,
            of->file.character.id,
            onto->file.character.id,
            {}};
}

const PairingSettings& Workspace::settings() const {
    const Pairing* pairing = drafts_.pairing(pairing_key());
    return pairing ? pairing->settings : default_settings;
}

const TakeJudgement& Workspace::judgement() const {
    const Pairing* pairing = drafts_.pairing(pairing_key());
    if (!pairing) return nothing_said;
    const auto said = pairing->judged.find(take_key());
    return said == pairing->judged.end() ? nothing_said : said->second;
}

FileFrames Workspace::take_frames() const {
    return source() ? frames_in_file(source()->file) : FileFrames();
}

std::vector<MarkedFrame> Workspace::marked_frames() const {
    std::vector<MarkedFrame> marks = judgement().frames;
    if (source())
        for (const StreamMark& mark : source()->file.marks) marks.push_back({mark.frame, mark.word});
    std::stable_sort(marks.begin(), marks.end(),
                     [](const MarkedFrame& a, const MarkedFrame& b) { return a.frame < b.frame; });
    for (MarkedFrame& mark : marks) mark.frame = take_frames().from_file(mark.frame);
    const int frames = source() && source()->file.take ? source()->file.take->frames : 0;
    std::erase_if(marks, [&](const MarkedFrame& mark) { return mark.frame < 0 || mark.frame >= frames; });
    return marks;
}

int Workspace::pinned_frame(int frame) const {
    if (!pinned()) return -1;
    const int there = pinned()->frames.from_file(take_frames().to_file(frame));
    return there >= 0 && there < pinned()->result->target.frames ? there : -1;
}

bool Workspace::set_judgement(const DocumentKey& key, const std::string& take,
                              const TakeJudgement& judgement) {
    const Pairing* pairing = drafts_.pairing(key);
    if (!pairing) {
        emit failed(tr("Not done: that pair is not open any more."));
        return false;
    }
    Judgements all = pairing->judged;
    if (judgement.is_empty())
        all.erase(take);
    else
        all[take] = judgement;
    drafts_.change_judged(key, all);
    changed_draft(key);
    emit judged();
    return true;
}

void Workspace::open_pairing(const LoadedPtr& of, const DocumentKey& target) {
    const LoadedPtr onto = body(target);
    const DocumentKey key = pairing_key(of, onto, target.path);
    if (key.is_empty()) return;
    if (drafts_.has(key) && (drafts_.is_changed(key) || key.path.empty() || drafts_.is_as_on_disk(key)))
        return;
    Pairing pairing;
    const auto hint = [](const Character& c) {
        return QFileInfo(QString::fromStdString(c.rig.path)).fileName().toStdString();
    };
    pairing.source_id = key.source_id;
    pairing.target_id = key.target_id;
    pairing.id = pairing_id(key.source_id, key.target_id);
    pairing.source_path = hint(of->file.character);
    pairing.target_path = hint(onto->file.character);
    if (key.path.empty()) return drafts_.open_pairing(key, pair_name(of, onto), pairing, {}, false);
    ReadDocument read{pairing_place(library(), target.path, key.source_id, key.target_id), {}};
    std::vector<std::string> troubles;
    find_pairing(library(), target.path, key.source_id, key.target_id, pairing, read, troubles);
    say_troubles(troubles);
    name_takes_by_id(pairing, *of->file.take);
    drafts_.open_pairing(key, pair_name(of, onto), pairing, read);
    bring_pairing_back(key, of);
}

/// What a session that ended left of it.
void Workspace::bring_pairing_back(const DocumentKey& key, const LoadedPtr& of) {
    const auto left = recovery_.left().find(key);
    if (left == recovery_.left().end()) return;
    const Json content = left->second;
    try {
        Pairing left_behind = read_pairing(object_in(content, "pairing", "unsaved"), "unsaved");
        name_takes_by_id(left_behind, *of->file.take);
        drafts_.change_pairing(key, left_behind.settings);
        drafts_.change_judged(key, left_behind.judged);
        drafts_.set_base(key, text_in(content, "base", "", "unsaved"));
        changed_draft(key);
        if (drafts_.is_changed(key))
            emit said(tr("Settings that were not saved last time are back; Ctrl+S keeps them."));
    } catch (const std::exception& fault) {
        emit failed(tr("What was not saved last time of %1 does not fit any more; it lies in %2. %3")
                        .arg(QString::fromStdString(drafts_.name(key)),
                             QString::fromStdString(recovery_.put_aside(key)),
                             QString::fromStdString(fault.what())));
    }
}

bool Workspace::set_settings(const DocumentKey& key, const PairingSettings& settings) {
    if (!drafts_.pairing(key)) {
        emit failed(tr("Not done: that pair is not open any more."));
        return false;
    }
    drafts_.change_pairing(key, settings);
    changed_draft(key);
    if (key != pairing_key()) {
        emit said(tr("Changed in a pair that is not on the stage."));
        return true;
    }
    follow();
    emit settings_changed();
    solve();
    return true;
}

ChainLevels Workspace::levels(const std::string& chain) const {
    return target() ? levels_of(chain, target()->file.character, settings(), take_key()) : ChainLevels();
}

std::string Workspace::take_key() const {
    return source() && source()->file.take ? source()->file.take->key() : std::string();
}

}  // namespace nb
