#include "app/stations/rest/rest_edits.hpp"

#include <algorithm>

#include "core/rest/solve.hpp"

namespace nb {

const Character* RestEdits::character(bool of_target) const {
    const LoadedPtr loaded = workspace_.body(of_target);
    return loaded && loaded->file.character.rest.is_there() ? &loaded->file.character : nullptr;
}

RestAlignment RestEdits::solved_for(bool of_target, const Stance& stance) const {
    const LoadedPtr loaded = workspace_.body(of_target);
    const Character& c = loaded->file.character;
    const Take* take = loaded->file.take ? &*loaded->file.take : nullptr;
    return solve_rest(c.rig, c.roles, {take, c.rig.options.reference, stance});
}

void RestEdits::change_state(bool of_target, const RestState& state, const QString& text,
                             const QString& topic) {
    if (!character(of_target)) return;
    undo_.push(new ChangeRest(
        workspace_, {{workspace_.key(of_target), workspace_.rest_state(of_target), state}}, text, topic));
}

void RestEdits::change(bool of_target, const RestAlignment& rest, const QString& text, const QString& topic) {
    RestState state = workspace_.rest_state(of_target);
    state.rest = rest;
    change_state(of_target, state, text, topic);
}

void RestEdits::solve_both(const Stance& stance) {
    std::vector<ChangeRest::OfBody> bodies;
    for (const bool of_target : {false, true}) {
        const Character* c = character(of_target);
        if (!c) continue;
        RestState after = workspace_.rest_state(of_target);
        const BodyDials dials = after.rest.dials;
        after.rest = solved_for(of_target, stance);
        set_dials(c->rig.skeleton, c->roles, after.rest, dials);
        bodies.push_back({workspace_.key(of_target), workspace_.rest_state(of_target), after});
    }
    if (!bodies.empty()) undo_.push(new ChangeRest(workspace_, std::move(bodies), tr("solve both rests")));
}

void RestEdits::solve(bool of_target, const std::vector<std::string>& roles, bool is_whole,
                      const Stance& stance, const QString& text) {
    const Character* c = character(of_target);
    if (!c || roles.empty()) return;
    RestAlignment rest = c->rest;
    const RestAlignment solved = solved_for(of_target, stance);
    if (is_whole) {
        rest = solved;
        set_dials(c->rig.skeleton, c->roles, rest, c->rest.dials);
    } else {
        take_from_alignment(c->rig.skeleton, c->roles, rest, solved, roles);
    }
    change(of_target, rest, text);
}

void RestEdits::reset(bool of_target, const std::vector<std::string>& roles, const QString& text) {
    const Character* c = character(of_target);
    if (!c || roles.empty()) return;
    RestAlignment rest = c->rest;
    take_from_alignment(c->rig.skeleton, c->roles, rest, stored_rest(c->rig, c->roles, c->solved), roles);
    change(of_target, rest, text);
}

void RestEdits::copy_from_other(bool of_target, const std::vector<std::string>& roles, const QString& text) {
    const Character* c = character(of_target);
    const Character* other = character(!of_target);
    if (!c || !other || roles.empty()) return;
    RestAlignment rest = c->rest;
    copy_stance(c->rig.skeleton, c->roles, rest, c->solved, other->roles, other->rest, other->solved, roles);
    change(of_target, rest, text);
}

void RestEdits::add(bool of_target, RestAlignment rest, const QString& text) {
    RestState state = workspace_.rest_state(of_target);
    std::string name = rest.name;
    const auto is_taken = [&](const std::string& n) {
        return n == state.rest.name || std::any_of(state.others.begin(), state.others.end(),
                                                   [&](const auto& o) { return o.name == n; });
    };
    for (int number = 2; is_taken(name); ++number)
        name = rest.name + " " + QString::number(number).toStdString();
    rest.name = name;
    state.others.push_back(std::move(state.rest));
    state.rest = std::move(rest);
    change_state(of_target, state, text);
}

void RestEdits::keep_copy(bool of_target) {
    if (const Character* c = character(of_target)) add(of_target, c->rest, tr("keep a copy of the rest"));
}

bool RestEdits::forget_current(bool of_target) {
    RestState state = workspace_.rest_state(of_target);
    if (state.others.empty()) return false;
    state.rest = std::move(state.others.back());
    state.others.pop_back();
    change_state(of_target, state, tr("forget an alignment"));
    return true;
}

void RestEdits::choose(bool of_target, int index) {
    RestState state = workspace_.rest_state(of_target);
    if (index < 1 || size_t(index) > state.others.size()) return;
    std::swap(state.rest, state.others[size_t(index) - 1]);
    change_state(of_target, state, tr("choose the rest %1").arg(QString::fromStdString(state.rest.name)));
}

void RestEdits::rename(bool of_target, const QString& name) {
    const Character* c = character(of_target);
    const std::string wanted = name.trimmed().toStdString();
    if (!c || wanted.empty() || wanted == c->rest.name) return;
    // The name of another one: that one is meant.
    for (size_t i = 0; i < c->other_rests.size(); ++i)
        if (c->other_rests[i].name == wanted) return choose(of_target, int(i) + 1);
    RestAlignment rest = c->rest;
    rest.name = wanted;
    change(of_target, rest, tr("name the rest"));
}

}  // namespace nb
