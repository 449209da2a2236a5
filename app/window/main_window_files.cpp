// What the window asks a path for: opening, export, the library, and what is written in a standard's terms.
#include "app/window/main_window.hpp"

#include <QDir>
#include <QFileDialog>
#include <QFileInfo>
#include <QSettings>

#include "app/stage/stage_view.hpp"
#include "app/window/notice_bar.hpp"
#include "core/base/fault.hpp"
#include "core/handover/export.hpp"
#include "core/handover/vrm.hpp"

namespace nb {

namespace {

/// Where files of a kind were last chosen.
QString last_folder(const QString& kind) {
    const QString folder = QSettings().value("folder/" + kind).toString();
    return QFileInfo(folder).isDir() ? folder : QString();
}

void remember_folder(const QString& kind, const QString& path) {
    QSettings().setValue("folder/" + kind, QFileInfo(path).absolutePath());
}

}  // namespace

void MainWindow::ask_open(bool as_target) {
    const QString path = QFileDialog::getOpenFileName(
        this, as_target ? tr("Open a rig as the target") : tr("Open a take"), last_folder("open"),
        tr("Skeletons and motion (*.bvh *.glb *.gltf *.vrm *.fbx *.dae *.md5mesh *.x *.smd *.take.json);;"
           "All files (*)"));
    if (path.isEmpty()) return;
    remember_folder("open", path);
    workspace_.open_file(path, as_target);
}

void MainWindow::ask_newer(int character) {
    const Choice choice = workspace_.targets()[size_t(character)];
    const QString path = QFileDialog::getOpenFileName(
        this, tr("A newer file of the rig of %1").arg(choice.name), last_folder("open"),
        tr("Skeletons (*.bvh *.glb *.gltf *.vrm *.fbx *.dae);;All files (*)"));
    if (path.isEmpty()) return;
    remember_folder("open", path);
    characters_.look_at_newer(choice, path);
}

void MainWindow::ask_template(int character, bool to_write) {
    const QString kinds = tr("Templates (*.family.json)");
    const QString path =
        to_write ? QFileDialog::getSaveFileName(this, tr("Write a template"),
                                                last_folder("template") + "/house.family.json", kinds)
                 : QFileDialog::getOpenFileName(this, tr("Take a template into the library"),
                                                last_folder("template"), kinds);
    if (path.isEmpty()) return;
    remember_folder("template", path);
    if (to_write)
        characters_.write_template(workspace_.targets()[size_t(character)], path);
    else
        characters_.read_template(path);
}

void MainWindow::change_library(ChangeLibrary::Kind kind, bool is_character, int index, const QString& name) {
    const auto& list = is_character ? workspace_.targets() : workspace_.takes();
    if (index < 0 || index >= int(list.size())) return;
    const Choice choice = list[size_t(index)];
    if (choice.is_of_library == (kind == ChangeLibrary::Kind::add)) return;
    const int before = undo_.count();
    undo_.push(new ChangeLibrary(workspace_, kind, choice, is_character, name));
    if (undo_.count() == before && !undo_.canRedo()) return;
    if (kind == ChangeLibrary::Kind::remove)
        notice_->say(tr("%1 lies in the library's trash; Ctrl+Z puts it back.").arg(choice.name));
    if (kind == ChangeLibrary::Kind::add) notice_->say(tr("%1 is in the library now.").arg(choice.name));
}

/// What plays becomes the take: a trim, as Intake makes it.
void MainWindow::trim_to_range() {
    if (!workspace_.source() || playback_.is_whole() || workspace_.is_limbering())
        return notice_->say(tr("All of the take plays: set the range with [ and ] first."));
    const FileFrames frames = workspace_.take_frames();
    LoadOptions options = workspace_.intake(workspace_.key(false));
    options.trim_first = frames.to_file(playback_.first());
    options.trim_last = frames.to_file(playback_.last());
    if (options.trim_last >= workspace_.source()->file.file_frames) options.trim_last = 0;
    undo_.push(new ChangeIntake(workspace_, false, options, tr("trim to the range")));
}

void MainWindow::ask_library(bool is_new) {
    const QString folder = QFileDialog::getExistingDirectory(
        this, is_new ? tr("An empty folder for the new library") : tr("Open a library"));
    if (folder.isEmpty()) return;
    if (is_new)
        workspace_.create_library(folder, QFileInfo(folder).fileName());
    else
        workspace_.open_library(folder);
}

void MainWindow::ask_export() {
    if (!workspace_.result()) {
        notice_->say(tr("There is nothing to export yet: choose a take and a target."), true);
        return;
    }
    const int take = workspace_.take_index();
    const int target = workspace_.target_index();
    QString name = take >= 0 && target >= 0 ? workspace_.takes()[size_t(take)].name + "_" +
                                                  workspace_.targets()[size_t(target)].name
                                            : QString("result");
    name.replace(' ', '-').replace("'", "");
    const QString usual = QString::fromStdString(usual_ending(workspace_.target()->file.character));
    const QString bvh = tr("Motion (*.bvh)");
    const QString glb = tr("glTF (*.glb)");
    QString chosen = usual == ".bvh" ? bvh : glb;
    QString path = QFileDialog::getSaveFileName(
        this, tr("Export the result"), QDir(last_folder("export")).filePath(name.toLower() + usual),
        usual == ".bvh" ? bvh + ";;" + glb : glb + ";;" + bvh, &chosen);
    if (path.isEmpty()) return;
    if (QFileInfo(path).suffix().isEmpty()) path += chosen == bvh ? ".bvh" : ".glb";
    remember_folder("export", path);
    export_to(path);
}

QString MainWindow::export_remark() const {
    return playback_.is_whole() ? QString()
                                : tr("all %1 frames: the range that plays does not count, Ctrl+] trims to it")
                                      .arg(playback_.frames());
}

void MainWindow::export_to(const QString& path) {
    const LoadedPtr target = workspace_.target();
    const auto lost =
        target ? left_behind(path.toStdString(), target->file.character) : std::vector<std::string>();
    if (lost.empty()) return workspace_.export_result(path, export_remark());
    QStringList lines;
    for (const std::string& line : lost) lines << QString::fromStdString(line);
    notice_->say(
        tr("%1 would lose something: %2.").arg(QFileInfo(path).fileName(), lines.join("; ")), true,
        {{tr("write it all the same"), [this, path] { workspace_.export_result(path, export_remark()); }}});
}

void MainWindow::ask_standard(bool is_vrm) {
    const LoadedPtr target = workspace_.target();
    if (!target) return notice_->say(tr("There is no target to write."), true);
    const QString path = QFileDialog::getSaveFileName(
        this, is_vrm ? tr("Write with the humanoid mapping") : tr("Write with standard joint names"),
        QString::fromStdString(target->file.character.name).replace(' ', '-') + ".glb",
        is_vrm ? tr("glTF (*.glb *.vrm)") : tr("glTF (*.glb);;Motion (*.bvh)"));
    if (!path.isEmpty()) write_standard(path, is_vrm);
}

void MainWindow::write_standard(const QString& path, bool is_vrm) {
    const LoadedPtr target = workspace_.target();
    try {
        if (is_vrm)
            write_vrm(path.toStdString(), target->file.character, {.name = target->file.character.name});
        else
            write_with_iso_names(path.toStdString(), target->file.character);
        notice_->say(tr("Written: %1").arg(path));
    } catch (const FileError& error) {
        notice_->say(QString::fromStdString(error.what()), true);
    }
}

void MainWindow::open_files(const QStringList& paths, const std::optional<Vec3>& dropped_m) {
    stage_->note_drop(dropped_m);
    workspace_.open_files(paths);
}

}  // namespace nb
