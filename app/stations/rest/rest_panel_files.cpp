// Rests from elsewhere, and to elsewhere: a frame of the take, a file of a rest.
#include <QFileDialog>
#include <QMenu>
#include "app/stations/body_switch.hpp"
#include "app/stations/rest/bone_form.hpp"
#include "app/stations/rest/rest_panel.hpp"
#include "app/stations/rest/rest_sheet.hpp"
#include "app/stations/rest/stance_form.hpp"
#include "app/stations/roles/rails_view.hpp"
#include "app/work/commands.hpp"
#include "app/work/playback.hpp"
#include "core/base/fault.hpp"
#include "core/handover/gltf_rest.hpp"
#include "core/intake/rest_from_file.hpp"
#include "core/rest/compare.hpp"
#include "core/rest/solve.hpp"

namespace nb {

void RestPanel::take_from_frame() {
    const LoadedPtr loaded = workspace_.body(is_of_target_);
    if (!character(is_of_target_)) return;
    Pose source, target;
    workspace_.poses_at(playback_.frame(), source, target);
    const Pose& pose = is_of_target_ ? target : source;
    const Character& c = loaded->file.character;
    if (pose.R.size() != c.rig.skeleton.names.size()) return;
    RestAlignment rest = rest_of_pose(c.rig, c.roles, pose, c.solved);
    rest.name = tr("frame %1 of %2").arg(playback_.frame()).arg(workspace_.take_name()).toStdString();
    edits_.add(is_of_target_, std::move(rest), tr("take the rest from a frame"));
}

void RestPanel::take_from_file(const QString& path) {
    const LoadedPtr loaded = workspace_.body(is_of_target_);
    if (!character(is_of_target_)) return;
    try {
        edits_.add(is_of_target_, rest_from_file(path.toStdString(), loaded->file.character),
                   tr("take the rest from a file"));
    } catch (const FileError& error) {
        emit failed(QString::fromStdString(error.what()));
    }
}

void RestPanel::write_rest(const QString& path) {
    const Character* c = character(is_of_target_);
    if (!c) return;
    try {
        write_as_rest(path.toStdString(), *c);
        emit said(
            tr("Written: %1. Its own rest is the aligned one; the mesh stands as it was posed.").arg(path));
    } catch (const FileError& error) {
        emit failed(QString::fromStdString(error.what()));
    }
}

void RestPanel::fill_menu(QMenu* menu) {
    menu->clear();
    const bool has_body = character(is_of_target_) != nullptr;
    const auto add = [&](const QString& text, auto run) {
        QAction* action = menu->addAction(text);
        action->setEnabled(has_body);
        connect(action, &QAction::triggered, this, run);
    };
    add(tr("a copy of this one"), [this] { edits_.keep_copy(is_of_target_); });
    add(tr("from the shown frame %1").arg(playback_.frame()), [this] { take_from_frame(); });
    add(tr("from a file…"), [this] {
        const QString path = QFileDialog::getOpenFileName(
            this, tr("A body that stands as wanted"), {},
            tr("Skeletons and motion (*.bvh *.glb *.gltf *.vrm *.fbx);;All files (*)"));
        if (!path.isEmpty()) take_from_file(path);
    });
    add(tr("forget this one"), [this] { forget_current(); });
    menu->addSeparator();
    add(tr("make it the rig's own rest…"), [this] {
        const Character* c = character(is_of_target_);
        const QString path = QFileDialog::getSaveFileName(
            this, tr("A copy of the rig whose own rest is the aligned one"),
            QString::fromStdString(c->name).replace(' ', '-') + "-rest.glb", tr("glTF (*.glb)"));
        if (!path.isEmpty()) write_rest(path);
    });
}

}  // namespace nb
