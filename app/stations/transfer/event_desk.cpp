#include "app/stations/transfer/event_desk.hpp"

#include <algorithm>

#include "app/look/labels.hpp"

namespace nb {

EventDesk::EventDesk(Workspace& workspace, Playback& playback, QUndoStack& undo, QObject* parent)
    : QObject(parent), workspace_(workspace), playback_(playback), undo_(undo) {
    const auto renew = [this] {
        current_ = -1;
        emit changed();
        emit current_changed();
    };
    connect(&workspace_, &Workspace::review_changed, this, renew);
    connect(&workspace_, &Workspace::source_changed, this, renew);
    connect(&workspace_, &Workspace::target_changed, this, renew);
    connect(&workspace_, &Workspace::judged, this, &EventDesk::changed);
}

const std::vector<ReviewEvent>& EventDesk::events() const {
    return workspace_.events();
}

const JudgedEvent* EventDesk::said_of(int event) const {
    return has(event) ? nb::judged(workspace_.judgement(), events()[size_t(event)], workspace_.take_frames())
                      : nullptr;
}

int EventDesk::open_count() const {
    return nb::open_count(workspace_.judgement(), events(), workspace_.take_frames());
}

void EventDesk::choose(int event) {
    if (!has(event) || event == current_) return;
    current_ = event;
    emit current_changed();
}

void EventDesk::go_to(int index) {
    if (!has(index)) return;
    choose(index);
    const ReviewEvent event = events()[size_t(index)];
    playback_.play(false);
    playback_.go_to(event.worst_frame);
    emit said(tr("Frame %1: %2; owner: %3.")
                  .arg(event.worst_frame)
                  .arg(QString::fromStdString(event.text),
                       event.setting.empty()
                           ? text_of(owner_name(event.owner))
                           : tr("the setting %1").arg(QString::fromStdString(event.setting))));
}

void EventDesk::step(int by) {
    const auto& all = events();
    if (all.empty()) return emit said(tr("Nothing falls short."));
    std::vector<int> order(all.size());
    for (size_t i = 0; i < order.size(); ++i) order[i] = int(i);
    std::stable_sort(order.begin(), order.end(),
                     [&](int a, int b) { return all[size_t(a)].worst_frame < all[size_t(b)].worst_frame; });
    // Those that are open; when none is, all.
    const bool has_open = open_count() > 0;
    const auto counts = [&](int i) { return !has_open || !said_of(i); };
    const int n = int(order.size());
    int at = int(std::find(order.begin(), order.end(), current_) - order.begin());
    if (at == n) {
        // From the frame that is shown.
        at = int(std::find_if(order.begin(), order.end(),
                              [&](int i) { return all[size_t(i)].worst_frame >= playback_.frame(); }) -
                 order.begin());
        at -= by > 0 ? 1 : 0;
    }
    for (int tried = 0; tried < n; ++tried) {
        at = ((at + by) % n + n) % n;
        if (counts(order[size_t(at)])) return go_to(order[size_t(at)]);
    }
}

void EventDesk::remedy(int index, int remedy) {
    if (!has(index) || remedy < 0 || remedy >= int(events()[size_t(index)].remedies.size())) return;
    choose(index);
    const ReviewEvent event = events()[size_t(index)];
    playback_.play(false);
    playback_.go_to(event.worst_frame);
    const QString text = QString::fromStdString(event.remedies[size_t(remedy)].what);
    const std::string what = event.remedies[size_t(remedy)].change;
    if (what.starts_with("rest=")) {
        emit rest_wanted(QString::fromStdString(what.substr(5)));
    } else if (what.starts_with("touch=")) {
        emit touch_wanted(QString::fromStdString(what.substr(6)));
    } else if (what.starts_with("calm=")) {
        // What the person could add by hand: in a layer of its own for this take.
        const double around_s = 0.1;
        TouchUp calm;
        calm.kind = TouchKind::calm;
        calm.stage = TouchStage::last;
        calm.what = what.substr(5);
        calm.when = {false, workspace_.time_s(event.first) - around_s,
                     workspace_.time_s(event.last - 1) + around_s, 2 * around_s, 2 * around_s};
        add_cure(workspace_, undo_, text, calm);
        emit said(tr("%1: a touch-up of this take; the station Touch-up shows its lane.").arg(text));
    } else if (what == "contacts") {
        emit contact_wanted(QString::fromStdString(event.row), event.worst_frame);
    } else if (what.starts_with("carry=")) {
        const size_t colon = what.find(':');
        const std::string limb = what.substr(6, colon - 6);
        const Carry to = what.substr(colon + 1) == "limb" ? Carry::limb : Carry::angles;
        change_settings(workspace_, undo_, text, -1, [&](PairingSettings& s) { s.chains[limb].carry = to; });
    } else if (what == "pass=contacts") {
        change_settings(workspace_, undo_, text, -1,
                        [](PairingSettings& s) { s.passes.contacts = s.passes.reach = true; });
    } else if (what == "pass=angles") {
        change_settings(workspace_, undo_, text, -1, [](PairingSettings& s) { s.passes.angles = true; });
    }
}

void EventDesk::say(const QString& text, const std::function<void(TakeJudgement&)>& edit) {
    if (workspace_.pairing_key().is_empty() || workspace_.is_limbering()) return;
    TakeJudgement judgement = workspace_.judgement();
    edit(judgement);
    if (judgement == workspace_.judgement()) return;
    undo_.push(new ChangeJudgement(workspace_, judgement, text));
}

void EventDesk::judge(int event, JudgedEvent::State state, const QString& note) {
    if (!has(event)) return;
    say(state == JudgedEvent::State::accepted ? tr("accept an event") : tr("an event is done"),
        [&](TakeJudgement& said) {
            nb::judge(said, events()[size_t(event)], workspace_.take_frames(), state, note.toStdString());
        });
}

void EventDesk::judge_no_more(int event) {
    if (!has(event)) return;
    say(tr("open an event again"), [&](TakeJudgement& said) {
        nb::judge_no_more(said, events()[size_t(event)], workspace_.take_frames());
    });
}

void EventDesk::set_verdict(Verdict verdict) {
    say(tr("verdict"), [&](TakeJudgement& said) { said.verdict = verdict; });
}

void EventDesk::set_note(const QString& note) {
    say(tr("a note on the take"), [&](TakeJudgement& said) { said.note = note.toStdString(); });
}

void EventDesk::mark_frame(int frame, const QString& note) {
    say(tr("mark a frame"), [&](TakeJudgement& said) {
        nb::mark_frame(said, workspace_.take_frames().to_file(frame), note.toStdString());
    });
}

void EventDesk::unmark_frame(int frame) {
    say(tr("mark a frame no more"),
        [&](TakeJudgement& said) { nb::unmark_frame(said, workspace_.take_frames().to_file(frame)); });
}

}  // namespace nb
