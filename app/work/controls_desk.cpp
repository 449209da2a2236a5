#include "app/work/controls_desk.hpp"

#include <QUndoStack>
#include <algorithm>
#include <filesystem>

#include "app/work/value_change.hpp"
#include "core/base/files.hpp"
#include "core/base/uuid.hpp"
#include "core/files/gltf/gltf.hpp"
#include "core/handover/goals.hpp"
#include "core/library/controls.hpp"
#include "core/motion/kinematics.hpp"

namespace nb {

namespace fs = std::filesystem;

namespace {

void put(ControlRig& rig, const Control& control) {
    const auto at = std::find_if(rig.controls.begin(), rig.controls.end(),
                                 [&](const Control& one) { return one.node == control.node; });
    if (at != rig.controls.end())
        *at = control;
    else
        rig.controls.push_back(control);
}

}  // namespace

ControlsDesk::ControlsDesk(Workspace& workspace, QUndoStack& undo, QObject* parent)
    : LibraryDesk(workspace, undo, parent) {
    const auto look = [this] {
        if (is_followed_) look_at_target();
    };
    connect(&workspace_, &Workspace::target_changed, this, look);
    connect(&workspace_, &Workspace::choices_changed, this, look);
}

void ControlsDesk::follow(bool on) {
    is_followed_ = on;
    if (on) look_at_target();
}

const ControlsDesk::InHand* ControlsDesk::current() const {
    const auto at = in_hand_.find(place_);
    return at == in_hand_.end() ? nullptr : &at->second;
}

const ControlRig* ControlsDesk::rig() const {
    const InHand* now = current();
    return now && !now->rig.path.empty() ? &now->rig : nullptr;
}

const Control* ControlsDesk::control(const std::string& node) const {
    const ControlRig* of = rig();
    if (!of) return nullptr;
    const auto at = std::find_if(of->controls.begin(), of->controls.end(),
                                 [&](const Control& one) { return one.node == node; });
    return at == of->controls.end() || at->goal.empty() ? nullptr : &*at;
}

std::vector<std::string> ControlsDesk::goals() const {
    const auto body = workspace_.target();
    if (!body) return {};
    const RoleMap& roles = body->file.character.roles;
    std::vector<std::string> all = usual_goals(roles);
    for (const RoleFill& fill : roles.fills)
        if (std::find(all.begin(), all.end(), fill.role) == all.end()) all.push_back(fill.role);
    return all;
}

QString ControlsDesk::trouble() const {
    if (!trouble_.isEmpty()) return trouble_;
    if (place_.empty())
        return tr(
            "Controls are kept with a character of the library: show one as target, or take this one in.");
    if (!rig())
        return tr(
            "An animator's rig, driven by what this body does: choose the .glb whose nodes are the "
            "controls.\n"
            "Each node then takes a place, a turn or both from hips, hands, feet, poles or bones.");
    return {};
}

void ControlsDesk::look_at_target() {
    place_.clear();
    trouble_.clear();
    const int at = workspace_.target_index();
    const auto body = workspace_.target();
    if (at >= 0 && body && workspace_.has_library() && workspace_.targets()[size_t(at)].is_of_library) {
        place_ = controls_place(body->file.character.rig.path);
        std::error_code error;
        if (!in_hand_.contains(place_)) {
            InHand fresh;
            fresh.id = make_uuid();
            if (fs::exists(place_, error)) try {
                    fresh.kept_text = read_file(place_);
                    fresh.id = text_in(read_document(place_, "controls"), "id", fresh.id, place_);
                    fresh.kept = fresh.rig = read_controls(place_);
                } catch (const std::exception& fault) {
                    trouble_ = QString::fromUtf8(fault.what());
                }
            in_hand_[place_] = std::move(fresh);
        }
    }
    read_nodes();
    emit changed();
}

void ControlsDesk::read_nodes() {
    const ControlRig* of = rig();
    const std::string path = of ? of->path : std::string();
    if (path == read_path_ && !path.empty()) return;
    read_path_ = path;
    nodes_.clear();
    places_.clear();
    if (path.empty()) return;
    try {
        const SkeletonFile file = read_gltf(path);
        const Pose rest = rest_pose(file.skeleton);
        for (size_t n = 0; n < rest.p.size(); ++n) {
            const std::string& name = file.skeleton.names[n];
            if (is_beside_control(name) && !control(name)) continue;
            nodes_.push_back(name);
            places_.push_back(rest.p[n]);
        }
    } catch (const std::exception& fault) {
        trouble_ = QString::fromUtf8(fault.what());
    }
}

void ControlsDesk::change(const QString& text, int topic, const std::function<void(ControlRig&)>& edit) {
    const InHand* now = current();
    if (!now) return;
    ControlRig after = now->rig;
    edit(after);
    if (after == now->rig) return;
    undo_.push(new ValueChange<ControlRig>(
        [this, place = place_](const ControlRig& rig) {
            in_hand_[place].rig = rig;
            read_nodes();
            emit changed();
        },
        now->rig, std::move(after), text, topic));
}

void ControlsDesk::choose(const QString& path) {
    const auto body = workspace_.target();
    if (!current() || !body) {
        emit failed(trouble());
        return;
    }
    try {
        const std::string chosen = fs::absolute(path.toStdString()).string();
        const std::vector<std::string> nodes = read_gltf(chosen).skeleton.names;
        change(tr("choose a control rig"), -1, [&](ControlRig& rig) {
            rig.path = chosen;
            rig.controls = propose_controls(nodes, body->file.character.roles);
            rig.limbs = propose_limbs(nodes);
        });
        emit said(tr("%1 of %2 nodes take something by their names; give the others by hand.")
                      .arg(rig()->controls.size())
                      .arg(nodes_.size()));
    } catch (const std::exception& fault) {
        emit failed(QString::fromUtf8(fault.what()));
    }
}

void ControlsDesk::fill_by_names() {
    const auto body = workspace_.target();
    if (!rig() || !body) return;
    change(tr("fill controls by names"), -1, [&](ControlRig& rig) {
        rig.controls = propose_controls(nodes_, body->file.character.roles);
        rig.limbs = propose_limbs(nodes_);
    });
}

std::string ControlsDesk::other_side(const std::string& node) const {
    return mirrored_control({node, "hips"}, nodes_).node;
}

void ControlsDesk::give(const std::string& node, const std::string& goal, bool is_pair) {
    change(tr("what %1 takes").arg(QString::fromStdString(node)), -1, [&](ControlRig& rig) {
        Control control{node, goal};
        control.has_place = !goal.empty();
        control.has_turn = !goal.empty() && !is_pole(goal) && goal != "look";
        const auto all = propose_controls({node}, workspace_.target()->file.character.roles);
        // Of the parts what its name says, when it says the same.
        if (!all.empty() && all[0].goal == goal) control = all[0];
        put(rig, control);
        if (const Control other = mirrored_control(control, nodes_); is_pair && !other.node.empty())
            put(rig, other);
    });
}

void ControlsDesk::set_parts(const std::string& node, bool has_place, bool has_turn, bool is_pair) {
    change(tr("place and turn of %1").arg(QString::fromStdString(node)), -1, [&](ControlRig& rig) {
        for (Control& one : rig.controls)
            if (one.node == node || (is_pair && one.node == other_side(node))) {
                one.has_place = has_place;
                one.has_turn = has_turn;
            }
    });
}

void ControlsDesk::set_limb(const std::string& limb, const LimbKeys& keys, bool is_pair, int topic) {
    change(tr("how limbs are keyed"), topic, [&](ControlRig& rig) {
        rig.limbs[limb] = keys;
        if (!is_pair) return;
        LimbKeys& other = rig.limbs[mirrored_role(limb)];
        std::string node = keys.node.empty() ? std::string() : other_side(keys.node);
        if (!keys.node.empty() && node.empty()) node = other.node;
        other = keys;
        other.node = std::move(node);
    });
}

bool ControlsDesk::is_as_kept() const {
    const InHand* now = current();
    return !now || now->rig == now->kept;
}

void ControlsDesk::keep() {
    if (!rig()) return;
    InHand& now = in_hand_.at(place_);
    try {
        std::error_code error;
        if ((fs::exists(place_, error) ? read_file(place_) : std::string()) != now.kept_text) {
            emit failed(tr("%1 was changed by somebody else since it was read: it is left as it is. Open the "
                           "library again to take theirs.")
                            .arg(QString::fromStdString(place_)));
            return;
        }
        const fs::path folder = fs::path(place_).parent_path();
        if (fs::path(now.rig.path).parent_path() != folder) {
            // A copy beside the body's rig, under a name that is free.
            const std::string bytes = read_file(now.rig.path);
            fs::path own = folder / "controls.glb";
            for (int n = 2; fs::exists(own, error) && read_file(own.string()) != bytes; ++n)
                own = folder / ("controls-" + std::to_string(n) + ".glb");
            write_file(own.string(), bytes);
            now.rig.path = own.string();
        }
        const std::string text = format_document(controls_document(
            now.rig, now.id,
            now.kept_text.empty() ? Json() : parse_document(now.kept_text, place_, "controls")));
        write_file(place_, text);
        now.kept_text = text;
        now.kept = now.rig;
        read_nodes();
        emit said(
            tr("The controls are kept beside the character's rig; 'controls' in the order hands them over."));
        emit changed();
    } catch (const std::exception& fault) {
        emit failed(QString::fromUtf8(fault.what()));
    }
}

}  // namespace nb
