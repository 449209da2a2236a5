#include <QTableWidget>
// Takes the pictures of docs/screenshots from the real window with the demo library. Usage: take_screenshots
// FOLDER [NAME...]   (needs a display with OpenGL; tools/with-display gives one). In other looks and sizes:
// NB_LOOK=paper, NB_TEXT=150 (percent), NB_SIZE=1000x640.
#include <QApplication>
#include <QCheckBox>
#include <QComboBox>
#include <QDir>
#include <QElapsedTimer>
#include <QLineEdit>
#include <QListWidget>
#include <QPainter>
#include <QProcess>
#include <QScrollArea>
#include <QScrollBar>
#include <QStandardPaths>
#include <QTemporaryDir>
#include <QTest>
#include <QToolButton>
#include <cstdio>
#include <filesystem>
#include <map>

#include <QListView>
#include "app/change/change_page.hpp"
#include "app/coverage/coverage_page.hpp"
#include "app/dock/library_panel.hpp"
#include "app/dock/takes_model.hpp"
#include "app/stage/stage_view.hpp"
#include "app/stations/chains/chain_ruler.hpp"
#include "app/stations/chains/chains_panel.hpp"
#include "app/stations/chains/chains_sheet.hpp"
#include "app/stations/hand_over/controls_view.hpp"
#include "app/stations/hand_over/hand_over_station.hpp"
#include "app/stations/hand_over/join_page.hpp"
#include "app/stations/hand_over/join_strip.hpp"
#include "app/stations/intake/along_form.hpp"
#include "app/stations/intake/intake_panel.hpp"
#include "app/stations/intake/things_form.hpp"
#include "app/stations/rest/rest_panel.hpp"
#include "app/stations/rest/rest_sheet.hpp"
#include "app/stations/roles/rails_view.hpp"
#include "app/stations/scene/scene_panel.hpp"
#include "app/stations/touch_up/touch_panel.hpp"
#include "app/stations/touch_up/touch_sheet.hpp"
#include "app/stations/transfer/contact_lanes.hpp"
#include "app/stations/transfer/curves_view.hpp"
#include "app/stations/transfer/error_strip.hpp"
#include "app/stations/transfer/event_desk.hpp"
#include "app/stations/transfer/transfer_panel.hpp"
#include "app/stations/transfer/transfer_sheet.hpp"
#include "app/window/finder.hpp"
#include "app/window/main_window.hpp"
#include "app/window/notice_bar.hpp"
#include "app/window/station_line.hpp"
#include "app/window/unsaved_list.hpp"
#include "app/work/commands.hpp"
#include "app/work/hand_over_desk.hpp"
#include "app/work/join_desk.hpp"
#include "core/base/files.hpp"
#include "core/documents/format.hpp"
#include "core/touchup/hand_pose.hpp"
#include "draw/renderer.hpp"
#include "tests/support/glb_edit.hpp"

using namespace nb;

namespace {

void settle_down(MainWindow& window) {
    QElapsedTimer timer;
    timer.start();
    while (timer.elapsed() < 8000 &&
           (window.workspace().is_busy() || !window.workspace().review() || timer.elapsed() < 600))
        QTest::qWait(30);
    QTest::qWait(400);
}

}  // namespace

int main(int argc, char** argv) {
    QSurfaceFormat format;
    format.setVersion(3, 3);
    format.setProfile(QSurfaceFormat::CoreProfile);
    QSurfaceFormat::setDefaultFormat(format);
    QStandardPaths::setTestModeEnabled(true);
    QApplication app(argc, argv);
    QApplication::setApplicationName("nimble-bone-pictures");
    // What an earlier run left unsaved shall not be in the pictures.
    QDir(QStandardPaths::writableLocation(QStandardPaths::AppDataLocation)).removeRecursively();
    const QDir folder(argc > 1 ? argv[1] : "docs/screenshots");
    const QStringList wanted = app.arguments().mid(2);
    MainWindow window;
    window.set_look(qEnvironmentVariable("NB_LOOK", "ink"));
    window.set_text_size(qEnvironmentVariable("NB_TEXT", "100").toInt());
    window.notice().say({});
    const QStringList size = qEnvironmentVariable("NB_SIZE", "1280x800").split('x');
    window.resize(size.value(0).toInt(), size.value(1).toInt());
    window.show();
    window.open_files({NB_SOURCE_DIR "/demo-library"});
    settle_down(window);
    const auto put_on_stage = [&](const QString& take, const QString& body) {
        const auto index_of = [](const auto& list, const QString& name) {
            for (size_t i = 0; i < list.size(); ++i)
                if (list[i].name == name) return int(i);
            return -1;
        };
        window.workspace().choose_take(index_of(window.workspace().takes(), take));
        window.workspace().choose_target(index_of(window.workspace().targets(), body));
    };
    const auto shoot = [&](const QString& name) {
        settle_down(window);
        window.grab().save(folder.filePath(name + ".png"));
        std::printf("%s\n", qPrintable(name));
    };
    const std::vector<std::pair<QString, std::function<void()>>> shots{
        {"transfer",
         [&] {
             window.playback().go_to(250);
             shoot("transfer");
         }},
        {"events",
         [&] {
             PairingSettings settings = window.workspace().settings();
             settings.passes.contacts = false;
             window.undo_stack().push(
                 new ChangeSettings(window.workspace(), settings, "leave out the pass contacts"));
             settle_down(window);
             window.part<TransferSheet>().show_page(TransferSheet::Page::events);
             window.part<EventDesk>().judge(1, JudgedEvent::State::accepted, "the deck moves there");
             window.part<EventDesk>().mark_frame(300, "hat comes off?");
             window.part<EventDesk>().set_verdict(Verdict::polish);
             window.part<EventDesk>().go_to(3);
             shoot("events");
             while (window.undo_stack().canUndo()) window.undo_stack().undo();
             window.part<TransferSheet>().show_page(TransferSheet::Page::strip);
             window.notice().say({});
         }},
        {"touch-up",
         [&] {
             window.stations().set_station("touch up");
             auto& panel = window.part<TouchPanel>();
             settle_down(window);
             window.playback().go_to(250);
             panel.pick("hand.left");
             panel.add(TouchKind::hand);
             window.playback().go_to(420);
             panel.pick("hand.right");
             panel.add(TouchKind::calm);
             window.playback().go_to(330);
             panel.pick("head");
             panel.add(TouchKind::place);
             settle_down(window);
             window.playback().go_to(180);
             panel.pick("upperarm.right");
             panel.add(TouchKind::turn);
             shoot("touch-up");
             while (window.undo_stack().canUndo()) window.undo_stack().undo();
             window.stage().select(true, -1);
             window.stations().set_station("transfer");
             window.notice().say({});
         }},
        {"coverage",
         [&] {
             // A copy: the demo has no ledger. One body's rest has changed since, a take is broken, a cell was accepted.
             QTemporaryDir copy;
             const QString library = copy.filePath("library");
             std::filesystem::copy(NB_SOURCE_DIR "/demo-library", library.toStdString(),
                                   std::filesystem::copy_options::recursive);
             const auto batch = [&](const QStringList& more) {
                 QProcess::execute(QApplication::applicationDirPath() + "/../nbone",
                                   QStringList{"batch", library, "--jobs", "2"} + more);
             };
             write_file((library + "/takes/boat-leap.bvh").toStdString(), "HIERARCHY\nROOT hips\n");
             batch({});
             const std::string document = (library + "/characters/lamp-child/character.json").toStdString();
             Json child = read_document(document, "character");
             child["rest"]["name"] = "another";
             write_file(document, format_document(child));
             batch({"--take", "quay-walk"});
             window.workspace().open_library(library);
             settle_down(window);
             window.show_coverage(true);
             auto& page = window.coverage();
             const auto cell_of = [&](const char* take, const char* character) {
                 const Coverage& table = page.desk().table();
                 CoverageTable::Cell cell;
                 for (size_t t = 0; t < table.takes.size(); ++t)
                     if (table.takes[t].name == take) cell.take = t;
                 for (size_t c = 0; c < table.characters.size(); ++c)
                     if (table.characters[c].name == character) cell.character = c;
                 return cell;
             };
             QTest::qWait(1500);
             const auto dog = cell_of("dog-trot", "quay-dog");
             page.desk().accept(dog.take, dog.character, "the paws are out of the picture");
             QTest::qWait(1500);
             page.table().pick(cell_of("carry-crate", "ferrier"));
             window.notice().say({});
             QTest::qWait(600);
             shoot("coverage");
             window.show_coverage(false);
             window.undo_stack().clear();
             window.open_files({NB_SOURCE_DIR "/demo-library"});
             settle_down(window);
             window.notice().say({});
         }},
        {"newer-rig",
         [&] {
             // A newer file of the ferrier: longer shins, a bone by another name, a thumb gone.
             const std::string newer = QDir::temp().filePath("ferrier-newer.glb").toStdString();
             test::edit_glb(NB_SOURCE_DIR "/demo-library/characters/ferrier/rig.glb", newer, [](Json& gltf) {
                 test::node_of(gltf, "collarbone.l")["name"] = "clavicle.l";
                 test::node_of(gltf, "index.3.r")["name"] = "spare";
                 for (Json& x : test::node_of(gltf, "spare")["translation"]) x = x.get<double>() + 0.08;
                 for (const char* shin : {"tibia.l", "tibia.r"})
                     for (Json& x : test::node_of(gltf, shin)["translation"]) x = x.get<double>() * 1.12;
             });
             put_on_stage("Quay walk", "the ferrier");
             const auto& all = window.workspace().targets();
             for (const Choice& one : all)
                 if (one.name == "the ferrier")
                     window.characters().look_at_newer(one, QString::fromStdString(newer));
             QTest::qWait(2500);
             window.change().lines()->setCurrentRow(2);
             QTest::qWait(200);
             shoot("newer-rig");
             window.characters().let_go();
         }},
        {"scene",
         [&] {
             // One helps another up a step: each onto another body of the crew.
             window.workspace().open_scene(window.workspace().library_folder() +
                                           "/scenes/help-up.scene.json");
             window.stations().set_station("scene");
             settle_down(window);
             window.playback().go_to(360);
             window.part<ScenePanel>().pick_touch(0);
             shoot("scene");
             window.workspace().close_scene();
             window.stations().set_station("transfer");
             put_on_stage("Quay walk", "the ferrier");
             settle_down(window);
             window.notice().say({});
         }},
        {"hand-poses",
         [&] {
             // Close up, a row a body, a column a pose; on request alone.
             if (!wanted.contains("hand-poses")) return;
             const QSize cell(300, 260);
             QImage sheet(cell.width() * 6, cell.height() * 3, QImage::Format_RGB32);
             QPainter painter(&sheet);
             const auto& targets = window.workspace().targets();
             int row = 0;
             for (const QString body : {"the ferrier", "the dockhand", "the net-mender"}) {
                 for (size_t i = 0; i < targets.size(); ++i)
                     if (targets[i].name == body) window.workspace().choose_target(int(i));
                 settle_down(window);
                 int column = 0;
                 for (const HandPose& pose : shipped_hand_poses()) {
                     TouchUp hand;
                     hand.kind = TouchKind::hand;
                     hand.what = "hand.left";
                     hand.pose = pose.name;
                     hand.replaces = true;
                     window.part<TouchEdits>().add(hand, "pose");
                     settle_down(window);
                     window.playback().go_to(30);
                     window.stage().select(
                         true, window.workspace().target()->file.character.roles.joint("middle.1.left"));
                     window.stage().frame_selection();
                     window.stage().select(true, -1);
                     QTest::qWait(600);
                     const QImage seen = window.stage().grabFramebuffer();
                     const QSize from(std::min(seen.width(), 600), std::min(seen.height(), 520));
                     painter.drawImage(
                         QRect({column * cell.width(), row * cell.height()}, cell), seen,
                         QRect(QPoint((seen.width() - from.width()) / 2, (seen.height() - from.height()) / 2),
                               from));
                     painter.setPen(Qt::white);
                     painter.drawText(column * cell.width() + 8, row * cell.height() + 16,
                                      QString::fromStdString(pose.name));
                     window.undo_stack().undo();
                     ++column;
                 }
                 ++row;
             }
             painter.end();
             sheet.save(folder.filePath("hand-poses.png"));
         }},
        {"transfer-over",
         [&] {
             window.stage().set_spread(0);
             window.stage().set_view(View::side);
             window.playback().go_to(120);
             window.stage().select(true, window.workspace().target()->file.character.roles.joint("toe.left"));
             if (!wanted.isEmpty()) shoot("transfer-over");
             window.stage().select(true, -1);
             window.stage().set_spread(0.75);
             window.stage().set_view(View::three_quarter);
         }},
        {"transfer-paper",
         [&] {
             window.set_look("paper");
             window.workspace().step_target(1);
             window.playback().go_to(210);
             shoot("transfer-paper");
             window.set_look("ink");
             window.workspace().step_target(-1);
         }},
        {"library",
         [&] {
             window.show_library(true);
             QElapsedTimer timer;
             timer.start();
             const auto all = window.library().line_up()->shown();
             const auto are_drawn = [&] {
                 for (const int i : all)
                     if (!window.library().line_up()->has_portrait(i)) return false;
                 return true;
             };
             while (timer.elapsed() < 20000 && !are_drawn()) QTest::qWait(50);
             // Sought by what happens in it, seen on the target.
             auto& panel = window.library();
             panel.search()->setText("does:crouches");
             QTest::qWait(1500);
             const QModelIndex row = panel.takes_model().index(2);
             panel.takes()->scrollTo(row);
             QTest::mouseMove(panel.takes()->viewport(), panel.takes()->visualRect(row).center());
             QTest::qWait(3500);
             window.notice().say({});
             shoot("library");
             panel.search()->clear();
             QTest::mouseMove(&window.stage(), QPoint(50, 50));
             window.show_library(false);
         }},
        {"touching",  // hands on the own body, skins as rings: on request
         [&] {
             if (wanted.isEmpty()) return;
             for (const auto& [take, body, frame] :
                  {std::tuple{"Weary watch", "the ferrier", 320},
                   std::tuple{"Bollard sit", "the lamp-lighter's child", 300}}) {
                 put_on_stage(take, body);
                 settle_down(window);
                 window.playback().go_to(frame);
                 auto& lanes = window.part<ContactLanes>();
                 const auto& list = window.workspace().contacts().list;
                 for (size_t i = 0; i < list.size(); ++i)
                     if (list[i].point == "palm.left") lanes.choose(int(i));
                 const bool is_first = frame == 320;
                 shoot(is_first ? "touching" : "touching-child");
                 window.stage().set_rings(true);
                 shoot(is_first ? "touching-rings" : "touching-child-rings");
                 window.stage().set_rings(false);
                 lanes.choose(-1);
             }
             put_on_stage("Quay walk", "the ferrier");
             settle_down(window);
         }},
        {"capture",
         [&] {
             window.workspace().open_file("/usr/share/assimp/models/BVH/01_01.bvh");
             settle_down(window);
             window.playback().go_to(1200);
             shoot("capture");
         }},
        {"intake",
         [&] {
             window.stations().set_station("intake");
             window.workspace().open_file("/usr/share/assimp/models/BVH/01_01.bvh");
             settle_down(window);
             window.playback().go_to(1200);
             shoot("intake");
             if (!wanted.isEmpty()) {
                 window.part<IntakePanel>().show_body(true);
                 shoot("intake-target");
                 window.part<IntakePanel>().show_body(false);
                 const auto& takes = window.workspace().takes();
                 for (size_t i = 0; i < takes.size(); ++i)
                     if (takes[i].name == "Quay walk") window.workspace().choose_take(int(i));
                 settle_down(window);
                 auto& along = window.part<AlongForm>();
                 along.add_part(window.workspace().library_folder() + "/takes/limbering.bvh");
                 QTest::qWait(400);
                 settle_down(window);
                 shoot("intake-along");
                 while (window.undo_stack().canUndo()) window.undo_stack().undo();
                 settle_down(window);
                 window.playback().go_to(150);
                 window.open_files({window.workspace().library_folder() + "/set/crate.glb"});
                 QTest::qWait(400);
                 settle_down(window);
                 auto* who = window.part<ThingsForm>().findChild<QComboBox*>();
                 who->setCurrentIndex(2);
                 emit who->activated(2);
                 QTest::qWait(400);
                 settle_down(window);
                 for (auto* button : window.part<ThingsForm>().findChildren<QToolButton*>())
                     if (button->text() == "into the hand here" && button->isVisible()) button->click();
                 QTest::qWait(400);
                 settle_down(window);
                 shoot("intake-things");
                 while (window.undo_stack().canUndo()) window.undo_stack().undo();
                 settle_down(window);
             }
             window.stations().set_station("transfer");
         }},
        {"roles",
         [&] {
             window.stations().set_station("roles");
             window.stage().set_spread(0.75);
             window.part<RailsView>().pick("forearm.left", false);
             shoot("roles");
             if (!wanted.isEmpty()) {
                 window.part<RailsView>().pick_chain("arm.left");
                 shoot("roles-chain");
                 window.part<RailsView>().show_hands(true);
                 window.part<RailsView>().pick("index.2.left", false);
                 shoot("roles-hands");
                 window.part<RailsView>().show_hands(false);
                 window.workspace().open_file(
                     QString::fromStdString(std::string(NB_SOURCE_DIR) +
                                            "/demo-library/characters/quay-dog/rig.glb"),
                     true);
                 settle_down(window);
                 shoot("roles-dog");
             }
             window.stations().set_station("transfer");
         }},
        {"rest",
         [&] {
             const auto& targets = window.workspace().targets();
             for (size_t i = 0; i < targets.size(); ++i)
                 if (targets[i].name == "the net-mender") window.workspace().choose_target(int(i));
             const auto& takes = window.workspace().takes();
             for (size_t i = 0; i < takes.size(); ++i)
                 if (takes[i].name == "Quay walk") window.workspace().choose_take(int(i));
             settle_down(window);
             window.stations().set_station("rest");
             if (!wanted.isEmpty()) shoot("rest-solved");
             window.part<RestPanel>().pick("upperarm.left");
             window.part<RestPanel>().set_correction_of_picked({0, 0, 14});
             shoot("rest");
             if (!wanted.isEmpty()) {
                 window.part<RestPanel>().show_stand(StageView::Stand::stored);
                 window.part<RestPanel>().show_body(true);
                 shoot("rest-files");
             }
             window.part<RestPanel>().show_stand(StageView::Stand::take);
             window.stage().set_view(View::three_quarter);
             window.stage().set_spread(0.75);
             window.playback().go_to(200);
             if (!wanted.isEmpty()) shoot("rest-take");
             window.undo_stack().undo();
             window.stations().set_station("transfer");
         }},
        {"chains",
         [&] {
             const auto& targets = window.workspace().targets();
             for (size_t i = 0; i < targets.size(); ++i)
                 if (targets[i].name == "the net-mender") window.workspace().choose_target(int(i));
             settle_down(window);
             window.stations().set_station("chains");
             window.stage().set_view(View::three_quarter);
             window.stage().set_spread(0.75);
             window.playback().go_to(120);
             if (!wanted.isEmpty()) shoot("chains-proposed");
             window.part<ChainsPanel>().move_tick("spine", 1, 0);
             shoot("chains");
             window.part<ChainsSheet>().show_map(true);
             window.part<ChainsSheet>().map().table().selectRow(14);
             shoot("map");
             window.part<ChainsSheet>().show_map(false);
             window.undo_stack().undo();
             window.stations().set_station("transfer");
         }},
        {"faces",  // of the crew, from near: on request
         [&] {
             if (wanted.isEmpty()) return;
             QImage faces(1200, 1200, QImage::Format_RGB32);
             QPainter painter(&faces);
             for (int i = 0; i < std::min(4, int(window.workspace().targets().size())); ++i) {
                 window.workspace().choose_target(i);
                 settle_down(window);
                 window.stage().set_shown(StageView::Shown::target);
                 window.stage().set_view(View::front);
                 window.stage().set_trail(false);
                 window.playback().go_to(0);
                 window.stage().select(true, window.workspace().target()->file.character.roles.joint("head"));
                 window.stage().frame_selection();
                 QTest::qWait(700);
                 const QImage stage = window.stage().grabFramebuffer();
                 const int wide = std::min(stage.width(), stage.height());
                 painter.drawImage(QRect(i % 2 * 600, i / 2 * 600, 600, 600), stage,
                                   QRect((stage.width() - wide) / 2, 0, wide, wide));
             }
             faces.save(folder.filePath("faces.png"));
             std::printf("faces\n");
             window.stage().set_shown(StageView::Shown::both);
             window.stage().set_view(View::three_quarter);
         }},
        {"views",
         [&] {
             if (wanted.isEmpty()) return;
             window.stage().set_names(true);
             window.stage().set_links(true);
             window.stage().set_source_sized(true);
             window.playback().go_to(250);
             shoot("views-names");
             window.stage().set_names(false);
             window.stage().set_links(false);
             window.stage().set_view(View::below);
             shoot("views-below");
             window.stage().set_view(View::back);
             shoot("views-back");
             window.stage().set_source_sized(false);
             window.stage().set_view(View::three_quarter);
         }},
        {"curves",
         [&] {
             for (size_t i = 0; i < window.workspace().targets().size(); ++i)
                 if (window.workspace().targets()[i].name == "the net-mender")
                     window.workspace().choose_target(int(i));
             settle_down(window);
             window.stations().set_station("transfer");
             window.stage().set_view(View::three_quarter);
             window.stage().set_spread(0.75);
             window.part<TransferPanel>().toggle_pin();
             PairingSettings settings = window.workspace().settings();
             settings.passes.contacts = settings.passes.reach = false;
             window.undo_stack().push(
                 new ChangeSettings(window.workspace(), settings, "leave out the pass reach"));
             settle_down(window);
             window.stage().select(true,
                                   window.workspace().target()->file.character.roles.joint("foot.left"));
             window.playback().go_to(166);
             window.part<TransferSheet>().show_page(TransferSheet::Page::curves);
             shoot("curves");
             window.part<TransferSheet>().show_page(TransferSheet::Page::strip);
             window.undo_stack().undo();
             window.part<TransferPanel>().toggle_pin();
             window.stage().select(true, -1);
         }},
        {"chains-more",
         [&] {
             if (wanted.isEmpty()) return;  // for a look, not for the folder
             const auto target = [&](const char* name) {
                 const auto& targets = window.workspace().targets();
                 for (size_t i = 0; i < targets.size(); ++i)
                     if (targets[i].name == name) window.workspace().choose_target(int(i));
             };
             const auto take = [&](const char* name) {
                 const auto& takes = window.workspace().takes();
                 for (size_t i = 0; i < takes.size(); ++i)
                     if (takes[i].name == name) window.workspace().choose_take(int(i));
             };
             target("the ferrier");
             settle_down(window);
             window.stations().set_station("chains");
             PairingSettings settings = window.workspace().settings();
             settings.chains["arm.left"].carry = Carry::limb;
             settings.takes[window.workspace().take_key()]["arm.left"].pole_rad = 0.3;
             window.workspace().set_settings(window.workspace().pairing_key(), settings);
             window.part<ChainRuler>().choose("arm.left");
             emit window.part<ChainRuler>().chain_chosen("arm.left");
             shoot("chains-arm");
             take("Dog walk");
             target("the quay dog");
             settle_down(window);
             window.playback().go_to(60);
             shoot("chains-dog");
             window.stations().set_station("transfer");
             shoot("transfer-dog");
             take("Quay walk");
             settle_down(window);
             shoot("transfer-biped-on-dog");
             take("Bollard sit");
             target("the dockhand");
             settle_down(window);
             window.playback().go_to(200);
             window.part<ContactLanes>().hold_here("seat");
             window.part<ContactLanes>().hold_here("wrist.left");
             settle_down(window);
             for (auto* on : window.part<TransferPanel>().findChildren<QCheckBox*>())
                 if (on->text() == "travel on the root bone") on->click();
             settle_down(window);
             if (auto* area = window.part<TransferPanel>().parentWidget()
                                  ? qobject_cast<QScrollArea*>(
                                        window.part<TransferPanel>().parentWidget()->parentWidget())
                                  : nullptr)
                 area->verticalScrollBar()->setValue(10000);
             shoot("transfer-held");
         }},
        {"rest-more",
         [&] {
             if (wanted.isEmpty()) return;  // for a look, not for the folder
             window.workspace().open_file("/usr/share/assimp/models/BVH/01_01.bvh");
             settle_down(window);
             window.stations().set_station("rest");
             window.set_look("paper");
             window.part<RestPanel>().show_stand(StageView::Stand::stored);
             window.part<RestPanel>().pick("hand.left");
             shoot("rest-capture-paper");
             window.set_look("ink");
             window.part<RestPanel>().show_stand(StageView::Stand::aligned);
             window.part<RestPanel>().take_from_frame();
             shoot("rest-frame");
             for (size_t i = 0; i < window.workspace().takes().size(); ++i)
                 if (window.workspace().takes()[i].name == "Dog trot") window.workspace().choose_take(int(i));
             for (size_t i = 0; i < window.workspace().targets().size(); ++i)
                 if (window.workspace().targets()[i].name == "the quay dog")
                     window.workspace().choose_target(int(i));
             settle_down(window);
             shoot("rest-dog");
             window.stations().set_station("transfer");
         }},
        {"hand-over",
         [&] {
             window.stations().set_station("hand over");
             QTest::qWait(900);
             shoot("hand-over");
             if (!wanted.isEmpty()) {
                 HandOverDesk& desk = window.part<HandOverDesk>();
                 desk.change("folder", -1,
                             [](HandOverOrder& order) { order.folder = "/tmp/handed-over-pictures"; });
                 QTest::qWait(900);
                 desk.hand_over();
                 QTest::qWait(1500);
                 shoot("hand-over-running");
                 desk.wait();
                 QTest::qWait(1500);
                 shoot("hand-over-done");
                 while (window.undo_stack().canUndo()) window.undo_stack().undo();
             }
             auto& station = window.part<HandOverStation>();
             station.show_page(HandOverStation::Page::joining);
             QTest::qWait(300);
             if (!wanted.isEmpty()) shoot("joining-empty");
             station.join_desk().take_up(0);
             QTest::qWait(400);
             station.join_desk().wait();
             QTest::qWait(300);
             station.join_page().strip().select(1);
             QTest::qWait(300);
             shoot("joining");
             if (!wanted.isEmpty()) {
                 station.join_page().strip().select(2);
                 QTest::qWait(300);
                 shoot("joining-clip");
             }
             if (!wanted.isEmpty()) {
                 station.show_page(HandOverStation::Page::controls);
                 window.part<ControlsView>().select("hand_L_ctl");
                 QTest::qWait(300);
                 shoot("controls");
                 window.part<ControlsView>().select("leg_R_share");
                 QTest::qWait(300);
                 shoot("controls-share");
             }
             while (window.undo_stack().canUndo()) window.undo_stack().undo();
             station.show_page(HandOverStation::Page::files);
             window.stations().set_station("transfer");
             window.notice().say({});
         }},
        {"unsaved",
         [&] {
             if (!wanted.contains("unsaved")) return;
             Workspace& workspace = window.workspace();
             PairingSettings settings = workspace.settings();
             settings.scale = 1.1;
             workspace.set_settings(workspace.pairing_key(), settings);
             ChainTable chains = workspace.target()->file.character.chains;
             chains["arm.left"].length_share = 0.2;
             workspace.set_chains(workspace.key(true), chains);
             Contacts contacts;
             contacts.is_by_hand = true;
             contacts.list = {{"ball.left", 10, 20, ContactKind::stay, 0.0}};
             workspace.set_contacts(workspace.key(false), contacts);
             settle_down(window);
             window.action("unsaved")->trigger();
             QTest::qWait(200);
             auto* list = window.findChild<UnsavedList*>();
             const QPixmap own = list->grab();
             QPixmap all = window.grab();
             QPainter painter(&all);
             painter.drawPixmap(window.mapFromGlobal(list->pos()), own);
             all.save(folder.filePath("unsaved.png"));
             list->close();
             workspace.set_settings(workspace.pairing_key(), {});
             chains.erase("arm.left");
             workspace.set_chains(workspace.key(true), chains);
             workspace.set_contacts(workspace.key(false), {});
             settle_down(window);
         }},
        {"live",
         [&] {
             // A copy: what is recorded becomes a take of the library.
             QTemporaryDir copy;
             const QString library = copy.filePath("library");
             std::filesystem::copy(NB_SOURCE_DIR "/demo-library", library.toStdString(),
                                   std::filesystem::copy_options::recursive);
             window.open_files({library});
             settle_down(window);
             put_on_stage("quay-walk", "ferrier");
             settle_down(window);
             window.stations().set_station("live");
             LiveDesk& desk = window.live();
             const auto grab = [&](const QString& name) {
                 window.grab().save(folder.filePath(name + ".png"));
                 std::printf("%s\n", qPrintable(name));
             };
             const bool has_states = wanted.contains("live-states");
             if (has_states) grab("live-closed");
             desk.listen("127.0.0.1:7300");
             QTest::qWait(600);
             if (has_states) grab("live-waiting");
             desk.start_device(OutSettings::Way::bvh, 120.0);
             QTest::qWait(1500);
             window.playback().go_to(0);
             window.playback().play(true);
             desk.record();
             QTest::qWait(2600);
             desk.mark();
             DeviceFaults faults;
             faults.lost = 0.03;
             faults.late = 0.04;
             desk.set_faults(faults);
             QTest::qWait(3600);
             desk.mark();
             QTest::qWait(1200);
             grab("live");
             if (has_states) {
                 faults = {};
                 faults.has_wrong_name = true;
                 desk.follow("the-performer");
                 desk.set_faults(faults);
                 QTest::qWait(1500);
                 grab("live-other-performer");
                 faults = {};
                 faults.has_other_skeleton = true;
                 desk.set_faults(faults);
                 QTest::qWait(1500);
                 grab("live-other-skeleton");
                 desk.set_faults({});
                 QTest::qWait(2500);
                 grab("live-comes");
                 desk.device()->stop();
                 QTest::qWait(1200);
                 grab("live-stopped");
             }
             window.playback().play(false);
             desk.stop_device();
             desk.stop_listening();
             settle_down(window);
             if (has_states) grab("live-recorded");
             window.open_files({NB_SOURCE_DIR "/demo-library"});
             settle_down(window);
             put_on_stage("quay-walk", "ferrier");
             settle_down(window);
             window.stations().set_station("transfer");
         }},
        {"handbook",
         [&] {
             window.stations().set_station("chains");
             window.show_handbook(true);
             shoot("handbook");
             window.show_handbook(false);
             window.stations().set_station("transfer");
         }},
        {"finder",
         [&] {
             if (!wanted.contains("finder")) return;  // on request alone
             window.find_anything();
             QTest::qWait(200);
             auto* finder = window.findChild<Finder*>();
             QTest::keyClicks(finder->field(), "left");
             QTest::qWait(200);
             const QPixmap own = finder->grab();
             QPixmap all = window.grab();
             QPainter painter(&all);
             painter.drawPixmap(window.mapFromGlobal(finder->pos()), own);
             all.save(folder.filePath("finder.png"));
             finder->reject();
         }},
    };
    for (const auto& [name, take] : shots)
        if (wanted.isEmpty() || wanted.contains(name)) take();
    window.workspace().drop_recovery();
    return 0;
}
