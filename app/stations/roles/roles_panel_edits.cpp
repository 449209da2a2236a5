// What a person does to the roles of a body: gives, takes away, confirms, solves anew. Each is one undo.
#include <QCheckBox>
#include <QListWidget>
#include <QUndoStack>
#include <algorithm>
#include "app/stage/stage_view.hpp"
#include "app/stations/body_switch.hpp"
#include "app/stations/roles/rails_view.hpp"
#include "app/stations/roles/roles_panel.hpp"

#include "app/work/commands.hpp"
#include "core/base/fault.hpp"
#include "core/body/check.hpp"
#include "core/body/propose.hpp"
#include "core/documents/roles.hpp"

namespace nb {

void RolesPanel::change(const RoleMap& roles, const QString& text) {
    undo_.push(new ChangeRoles(workspace_, rails_.is_of_target(), roles, text));
}

/// Settled roles are left alone, and it is said.
bool RolesPanel::is_kept_settled() {
    const LoadedPtr body = rails_.body();
    if (!body || !body->file.character.roles.is_settled) return false;
    emit said(tr("The roles of %1 are settled; take the mark off to change them.")
                  .arg(QString::fromStdString(body->file.character.name)));
    return true;
}

void RolesPanel::give(int joint) {
    const LoadedPtr body = rails_.body();
    if (!body || joint < 0) return;
    const QString role = rails_.picked();
    const QString chain = rails_.picked_chain();
    if ((role.isEmpty() && chain.isEmpty()) || is_kept_settled()) return;
    const Character& c = body->file.character;
    const Skeleton& skeleton = c.rig.skeleton;
    RoleMap roles = c.roles;
    const std::string name = (chain.isEmpty() ? role : chain).toStdString();
    const std::string other = mirrored_role(name);
    const int mirror = mirror_->isChecked() && other != name ? mirrored_joint(c, joint) : -1;
    const QString bone = QString::fromStdString(skeleton.names[size_t(joint)]);
    const QString alone = mirror_->isChecked() && other != name && mirror < 0
                              ? tr("No bone mirrors %1: the other side stays as it is.").arg(bone)
                              : QString();
    // What a change of roles brings about is said over; this is said last.
    const auto say_last = [&](QStringList lines) {
        lines.removeAll(QString());
        if (!lines.isEmpty()) emit said(lines.join(' '));
    };
    if (chain.isEmpty()) {
        std::vector<std::pair<std::string, int>> given{{name, joint}};
        if (mirror >= 0) given.emplace_back(other, mirror);
        const RoleMap before = roles;
        roles = give_and_follow(skeleton, roles, request_of(body->file), given, mirror_->isChecked());
        int followed = 0;
        for (const RoleFill& fill : roles.fills)
            followed += !fill.is_by_hand && before.joint(fill.role) != fill.joint;
        change(roles, tr("give %1 to %2").arg(role, bone));
        say_last({alone, followed > 0
                             ? tr("%1 other roles followed; C on a rung keeps one as it is.").arg(followed)
                             : QString()});
        if (!rails_.pick_next_open()) rails_.pick(role, false);
        return;
    }
    for (const auto& [of, through] : {std::pair{name, joint}, std::pair{other, mirror}}) {
        if (through < 0) continue;
        const auto found = roles_of_chain(skeleton, roles, of, through);
        if (found.empty()) {
            emit said(tr("%1 does not hang where %2 begins.").arg(bone, QString::fromStdString(of)));
            if (of == name) return;
            continue;
        }
        if (const ChainPlan* plan = body_plan(roles.plan).chain(of))
            for (const std::string& gone : plan->roles) give_role(skeleton, roles, gone, -1);
        for (const auto& [given, j] : found) give_role(skeleton, roles, given, j);
    }
    change(roles, tr("give the whole %1 through %2").arg(chain, bone));
    say_last({alone});
    rails_.pick_chain({});
}

RoleRequest RolesPanel::request_of(const LoadedFile& file) const {
    RoleRequest request;
    const Rig& rig = file.character.rig;
    request.ignore_names = rig.options.ignore_names;
    request.plan = file.character.roles.plan;
    request.skin = measure_skin(rig.skeleton, rig.meshes);
    if (file.take) request.motion = measure_motion(rig.skeleton, *file.take);
    return request;
}

std::vector<int> RolesPanel::selected_in_tray() const {
    std::vector<int> joints;
    for (const QListWidgetItem* item : tray_->selectedItems())
        joints.push_back(item->data(Qt::UserRole).toInt());
    std::sort(joints.begin(), joints.end());
    return joints;
}

void RolesPanel::give_several(std::vector<int> joints) {
    const LoadedPtr body = rails_.body();
    if (!body || joints.empty() || is_kept_settled()) return;
    const Character& c = body->file.character;
    const BodyPlan& plan = body_plan(c.roles.plan);
    const std::string picked = rails_.picked().toStdString();
    const ChainPlan* chain = rails_.picked_chain().isEmpty()
                                 ? plan.chain_of(picked)
                                 : plan.chain(rails_.picked_chain().toStdString());
    if (!chain) return;
    // From the body outward.
    std::sort(joints.begin(), joints.end(), [&](int a, int b) {
        return c.rig.skeleton.is_ancestor(a, b) || (a < b && !c.rig.skeleton.is_ancestor(b, a));
    });
    auto role = std::find(chain->roles.begin(), chain->roles.end(), picked);
    if (role == chain->roles.end()) {
        role = chain->roles.begin();
        // A finger's palm bone is given by itself.
        if (is_finger_role(*role) && role->find(".palm") != std::string::npos && joints.size() < 4) ++role;
    }
    RoleMap roles = c.roles;
    size_t without_mirror = 0;
    for (size_t i = 0; i < joints.size() && role != chain->roles.end(); ++i, ++role) {
        give_role(c.rig.skeleton, roles, *role, joints[i]);
        const std::string other = mirrored_role(*role);
        if (!mirror_->isChecked() || other == *role) continue;
        const int mirror = mirrored_joint(c, joints[i]);
        if (mirror >= 0)
            give_role(c.rig.skeleton, roles, other, mirror);
        else
            ++without_mirror;
    }
    change(roles, tr("give %1 bones to the %2").arg(joints.size()).arg(QString::fromStdString(chain->name)));
    if (without_mirror > 0) emit said(tr("%1 of them have no bone that mirrors them.").arg(without_mirror));
}

void RolesPanel::take_away_selected() {
    const LoadedPtr body = rails_.body();
    if (!body || is_kept_settled()) return;
    RoleMap roles = body->file.character.roles;
    int gone = 0;
    for (const int joint : selected_in_tray())
        if (const std::string role = roles.role_of(joint); !role.empty()) {
            give_role(body->file.character.rig.skeleton, roles, role, -1);
            ++gone;
        }
    if (gone > 0) change(roles, tr("take %1 roles away").arg(gone));
}

void RolesPanel::confirm(const QString& role, const QString& chain) {
    const LoadedPtr body = rails_.body();
    if (!body || is_kept_settled()) return;
    RoleMap roles = body->file.character.roles;
    std::vector<std::string> wanted{role.toStdString()};
    if (const ChainPlan* whole = body_plan(roles.plan).chain(chain.toStdString())) wanted = whole->roles;
    int kept = 0;
    for (const std::string& name : wanted)
        for (const std::string& own : {name, mirror_->isChecked() ? mirrored_role(name) : name})
            for (RoleFill& fill : roles.fills)
                if (fill.role == own && !fill.is_by_hand) {
                    fill.is_by_hand = true;
                    fill.confidence = 1.0;
                    fill.evidence.emplace_back("confirmed by hand");
                    ++kept;
                }
    if (kept == 0) return;
    change(roles, chain.isEmpty() ? tr("confirm %1").arg(role) : tr("confirm the whole %1").arg(chain));
    if (chain.isEmpty() && !rails_.pick_next_open()) rails_.pick(role, false);
}

void RolesPanel::solve_again() {
    const LoadedPtr body = rails_.body();
    if (!body || is_kept_settled()) return;
    const RoleMap& before = body->file.character.roles;
    const RoleMap roles = propose_again(body->file.character.rig.skeleton, before, request_of(body->file));
    int changed = 0;
    for (const RoleFill& fill : roles.fills) changed += before.joint(fill.role) != fill.joint;
    for (const RoleFill& fill : before.fills) changed += roles.joint(fill.role) < 0;
    const auto by_hand =
        std::count_if(roles.fills.begin(), roles.fills.end(), [](const RoleFill& f) { return f.is_by_hand; });
    if (changed == 0)
        return said(tr("Nothing changes: all roles fit what was given (%1 by hand).").arg(by_hand));
    change(roles, tr("solve the roles again"));
    emit said(tr("%1 roles changed; %2 stand by hand.").arg(changed).arg(by_hand));
}

void RolesPanel::take_away(const QString& role) {
    const LoadedPtr body = rails_.body();
    if (!body || body->file.character.roles.joint(role.toStdString()) < 0 || is_kept_settled()) return;
    RoleMap roles = body->file.character.roles;
    give_role(body->file.character.rig.skeleton, roles, role.toStdString(), -1);
    change(roles, tr("take %1 away").arg(role));
}

void RolesPanel::take_from(const QString& document) {
    const LoadedPtr body = rails_.body();
    if (!body || is_kept_settled()) return;
    try {
        const std::string path = document.toStdString();
        const Reuse reuse = reuse_roles(read_known_roles(read_document(path, "character"), path),
                                        body->file.character.rig.skeleton);
        change(reuse.roles, tr("take the roles from another character"));
        QString line = reuse.is_exact
                           ? tr("All %1 bones are here by their very names.").arg(reuse.exact)
                           : tr("%1 bones by their very names, %2 by names like them, %3 roles by evidence.")
                                 .arg(reuse.exact)
                                 .arg(reuse.alike)
                                 .arg(reuse.proposed);
        for (size_t i = 0; i < std::min<size_t>(3, reuse.differences.size()); ++i)
            line += "\n" + QString::fromStdString(reuse.differences[i]);
        if (reuse.differences.size() > 3) line += tr("\nand %1 more").arg(reuse.differences.size() - 3);
        emit said(line);
    } catch (const FileError& error) {
        emit said(QString::fromStdString(error.what()));
    }
}

void RolesPanel::set_plan(const QString& plan) {
    const LoadedPtr body = rails_.body();
    if (!body || is_kept_settled()) return;
    RoleRequest request = request_of(body->file);
    request.plan = plan.toStdString();
    change(propose_roles(body->file.character.rig.skeleton, request), tr("read the body as a %1").arg(plan));
}

}  // namespace nb
