// The window, driven as a person drives it: keys, clicks, drops, typed numbers; what shows and what lands on
// disk.
// Longer than other files: short tests of one subject, side by side.
#include <QCheckBox>
#include <QComboBox>
#include <QDoubleSpinBox>
#include <QLabel>
#include <QLineEdit>
#include <QListWidget>
#include <QSignalSpy>
#include <QSpinBox>
#include <QtTest>

#include "app/dock/library_panel.hpp"
#include "app/look/look.hpp"
#include "app/stage/stage_view.hpp"
#include "app/stations/transfer/error_strip.hpp"
#include "app/stations/transfer/transfer_panel.hpp"
#include "app/stations/transfer/transfer_sheet.hpp"
#include "app/window/finder.hpp"
#include "app/window/main_window.hpp"
#include "app/window/notice_bar.hpp"
#include "app/window/sentence_bar.hpp"
#include "app/window/station_line.hpp"
#include "app/window/top_bar.hpp"
#include "app/window/transport.hpp"
#include "app/window/unsaved_list.hpp"
#include "core/base/files.hpp"
#include "core/motion/kinematics.hpp"
#include "tests/app/dummy_station/dummy_station.hpp"
#include "tests/app/window_fixture.hpp"
#include "tests/support/test_rigs.hpp"

namespace test_window {

using namespace nb;

namespace {

/// Pixels of a picture that are near to a colour.
int count_like(const QImage& image, const QColor& colour) {
    // The tone, not the light on it: compare hue.
    int count = 0;
    for (int y = 0; y < image.height(); y += 2)
        for (int x = 0; x < image.width(); x += 2) {
            const QColor c = image.pixelColor(x, y);
            const int off = std::abs(c.hsvHue() - colour.hsvHue());
            if (c.hsvSaturation() > 100 && c.value() > 50 && std::min(off, 360 - off) < 9) ++count;
        }
    return count;
}

}  // namespace

class WindowTest : public test::WindowFixture {
    Q_OBJECT

  private slots:
    void the_sentence_says_who_drives_whom() {
        QCOMPARE(w().sentence().sentence(),
                 QString("Quay walk, moved by the performer, carried onto the ferrier."));
    }
    void both_bodies_are_drawn_in_their_colours() {
        QVERIFY2(w().stage().trouble().isEmpty(), qPrintable(w().stage().trouble()));
        // The skin has colours of its own and a teal edge; bones are all teal.
        const int edge = count_like(stage_picture(), look().target);
        QVERIFY2(edge > 40 && edge < 1500, qPrintable(QString::number(edge)));
        QTest::keyClick(&w(), Qt::Key_M);  // x-ray: teal bones through the skin
        const int xray = count_like(stage_picture(), look().target);
        QVERIFY2(xray > 3 * edge, qPrintable(QString::number(xray)));
        QTest::keyClick(&w(), Qt::Key_M);  // bones
        const QImage both = stage_picture();
        const int amber = count_like(both, look().source);
        const int teal = count_like(both, look().target);
        QVERIFY2(amber > 1500 && teal > 1500, qPrintable(QString("%1 %2").arg(amber).arg(teal)));
        QTest::keyClick(&w(), Qt::Key_B);  // the source alone
        QVERIFY(count_like(stage_picture(), look().target) < 50);
        QTest::keyClick(&w(), Qt::Key_B);  // the target alone
        QVERIFY(count_like(stage_picture(), look().source) < 50);
        QTest::keyClick(&w(), Qt::Key_B);
        QVERIFY(count_like(stage_picture(), look().source) > 1500);
    }
    void a_further_click_picks_what_lies_behind() {
        stage_picture();
        for (int x = 100; x < w().stage().width() - 100; x += 5)
            for (int y = 60; y < w().stage().height() - 10; y += 5) {
                const auto bones = w().stage().bones_at(QPointF(x, y));
                if (bones.size() < 3) continue;
                for (size_t i = 0; i < 3; ++i) {
                    QTest::mouseClick(&w().stage(), Qt::LeftButton, {}, QPoint(x, y));
                    QCOMPARE(w().stage().selected_joint(), bones[i].second);
                    QCOMPARE(w().stage().is_selected_in_target(), bones[i].first);
                }
                return;
            }
        QFAIL("no place with three bones");
    }
    void arrows_step_frames_and_alt_arrows_step_targets() {
        w().stage().setFocus();
        w().playback().go_to(100);
        QTest::keyClick(&w(), Qt::Key_Right);
        QCOMPARE(w().playback().frame(), 101);
        QTest::keyClick(&w(), Qt::Key_Left);
        QTest::keyClick(&w(), Qt::Key_Left);
        QCOMPARE(w().playback().frame(), 99);
        QTest::keyClick(&w(), Qt::Key_Right, Qt::AltModifier);
        QVERIFY(settled());
        QVERIFY(w().sentence().sentence().contains("the lamp-lighter's child"));
        QTest::keyClick(w().sentence().target_word(), Qt::Key_Left);
        QVERIFY(settled());
        QVERIFY(w().sentence().sentence().contains("the ferrier"));
        QCOMPARE(w().playback().frame(), 99);
    }
    void plays_at_true_speed_loops_and_scrubs() {
        w().playback().set_range(10, 40);
        QTest::keyClick(&w(), Qt::Key_Space);
        QVERIFY(w().playback().is_playing());
        int least = 1000, most = -1, wraps = 0, before = -1;
        connect(&w().playback(), &Playback::frame_changed, this, [&](int f) {
            least = std::min(least, f);
            most = std::max(most, f);
            if (f < before) ++wraps;
            before = f;
        });
        QTest::qWait(1500);  // 30 frames at 60 a second: about three rounds
        QTest::keyClick(&w(), Qt::Key_Space);
        QVERIFY(!w().playback().is_playing());
        w().playback().disconnect(this);
        QVERIFY(least >= 10 && most < 40);
        QVERIFY2(wraps >= 1 && wraps <= 4, qPrintable(QString::number(wraps)));
        QTest::keyClick(&w(), Qt::Key_Home);
        QCOMPARE(w().playback().frame(), 10);
        QTest::keyClick(&w(), Qt::Key_End);
        QCOMPARE(w().playback().frame(), 39);
        TimeLine* line = w().transport().time_line();
        QTest::mouseClick(line, Qt::LeftButton, {}, QPoint(int(line->x_of(300)), 6));
        QVERIFY(std::abs(w().playback().frame() - 300) <= 1);
        named<QSpinBox>("frame")->setValue(77);
        QCOMPARE(w().playback().frame(), 77);
    }
    void drawing_while_playing_is_told() {
        QTest::keyClick(&w(), Qt::Key_Space);
        QTest::qWait(2600);
        QTest::keyClick(&w(), Qt::Key_Space);
        qInfo("drawn at 1280 x 800: %.1f frames a second", w().stage().drawn_per_second());
        QVERIFY(w().stage().drawn_per_second() > 0.0);
    }
    void views_lens_and_spread() {
        QCOMPARE(int(w().stage().view()), int(View::three_quarter));
        for (const View view : {View::front, View::side, View::top, View::three_quarter}) {
            QTest::keyClick(&w(), Qt::Key_V);
            QCOMPARE(int(w().stage().view()), int(view));
        }
        QTest::keyClick(&w(), Qt::Key_3);
        QCOMPARE(int(w().stage().view()), int(View::side));
        const QImage long_lens = stage_picture();
        QTest::keyClick(&w(), Qt::Key_N);
        QVERIFY(!w().stage().is_long_lens());
        QVERIFY(stage_picture() != long_lens);
        QTest::keyClick(&w(), Qt::Key_S);
        QCOMPARE(w().stage().spread(), 0.0);
        auto* slider = named<QSlider>("spread");
        slider->setValue(100);
        QCOMPARE(w().stage().spread(), 1.0);
    }
    void orbit_pan_zoom() {
        const Camera before = w().stage().camera();
        const auto drag = [this](Qt::KeyboardModifiers keys) {
            QTest::mousePress(&w().stage(), Qt::LeftButton, keys, QPoint(60, 60));
            QMouseEvent move(QEvent::MouseMove, QPointF(160, 90), w().stage().mapToGlobal(QPointF(160, 90)),
                             Qt::NoButton, Qt::LeftButton, keys);
            QApplication::sendEvent(&w().stage(), &move);
            QTest::mouseRelease(&w().stage(), Qt::LeftButton, keys, QPoint(160, 90));
        };
        drag({});
        QVERIFY(std::abs(w().stage().camera().yaw_rad - before.yaw_rad) > 0.1);
        drag(Qt::ShiftModifier);
        QTest::qWait(60);
        QVERIFY((w().stage().camera().focus_m - before.focus_m).norm() > 0.05);
        const double height = w().stage().camera().height_m;
        QWheelEvent wheel(QPointF(300, 200), w().stage().mapToGlobal(QPointF(300, 200)), {}, QPoint(0, 240),
                          Qt::NoButton, {}, Qt::NoScrollPhase, false);
        QApplication::sendEvent(&w().stage(), &wheel);
        QVERIFY(w().stage().camera().height_m < height);
        QTest::keyClick(&w(), Qt::Key_F);
        stage_picture();
        QVERIFY(w().stage().camera().height_m > 1.0);
    }
    void a_bone_is_picked_on_the_body() {
        stage_picture();
        Pose source, target;
        w().workspace().poses_at(w().playback().frame(), source, target);
        // Somewhere on the picture there are bones of both bodies, and none in the corner.
        bool found_source = false, found_target = false;
        for (int x = 100; x < w().stage().width() - 100; x += 6)
            for (int y = 60; y < w().stage().height() - 10; y += 6) {
                bool in_target = false;
                if (w().stage().bone_at(QPointF(x, y), in_target) >= 0)
                    (in_target ? found_target : found_source) = true;
            }
        QVERIFY(found_source && found_target);
        bool in_target = false;
        QCOMPARE(w().stage().bone_at(QPointF(3, 3), in_target), -1);
        // Clicking where the head is selects it; Escape lets go.
        const int head = w().workspace().target()->file.character.roles.joint("head");
        bool picked = false;
        for (int x = 100; x < w().stage().width() - 100 && !picked; x += 4)
            for (int y = 20; y < w().stage().height() - 10 && !picked; y += 4) {
                if (w().stage().bone_at(QPointF(x, y), in_target) != head || !in_target) continue;
                QTest::mouseClick(&w().stage(), Qt::LeftButton, {}, QPoint(x, y));
                picked = w().stage().selected_joint() == head && w().stage().is_selected_in_target();
            }
        QVERIFY(picked);
        QTest::keyClick(&w(), Qt::Key_Escape);
        QCOMPARE(w().stage().selected_joint(), -1);
    }

    void a_pass_left_out_is_seen_undone_and_redone() {
        const auto hips_place = [this] {
            Pose source, target;
            w().workspace().poses_at(300, source, target);
            return target.p[size_t(w().workspace().target()->file.character.roles.joint("hips"))];
        };
        const Vec3 before = hips_place();
        QTest::mouseClick(box("root"), Qt::LeftButton, {}, QPoint(6, box("root")->height() / 2));
        QVERIFY(!w().workspace().settings().passes.root);
        QVERIFY((hips_place() - before).norm() > 1.0);  // at once, before the whole take is solved
        QVERIFY(settled());
        QVERIFY((hips_place() - before).norm() > 1.0);
        QVERIFY(w().windowTitle().contains("not saved"));
        QTest::keyClick(&w(), Qt::Key_Z, Qt::ControlModifier);
        QVERIFY(w().workspace().settings().passes.root && box("root")->isChecked());
        QVERIFY(settled());
        QVERIFY((hips_place() - before).norm() < 1e-12);
        QTest::keyClick(&w(), Qt::Key_Z, Qt::ControlModifier | Qt::ShiftModifier);
        QVERIFY(!w().workspace().settings().passes.root);
        QTest::keyClick(&w(), Qt::Key_Z, Qt::ControlModifier);
        QVERIFY(settled());
        QVERIFY(!w().windowTitle().contains("not saved"));
    }
    void every_setting_can_be_undone() {
        const PairingSettings before = w().workspace().settings();
        box("as the legs")->click();
        auto* scale = named<QDoubleSpinBox>("travel factor");
        QVERIFY(scale->isEnabled());
        scale->setValue(0.9);
        scale->setValue(0.8);
        QCOMPARE(*w().workspace().settings().scale, 0.8);
        QCOMPARE(w().undo_stack().count(), 2);  // the two numbers typed in a row are one
        for (int i = 0; i < 2; ++i) QTest::keyClick(&w(), Qt::Key_Z, Qt::ControlModifier);
        QVERIFY(w().workspace().settings() == before);
        QVERIFY(settled());
    }
    void undo_reaches_another_pair() {
        box("reach")->click();
        const DocumentKey first = w().workspace().pairing_key();
        w().workspace().step_target(1);
        QVERIFY(settled());
        QVERIFY(w().workspace().pairing_key() != first);
        QVERIFY(w().workspace().settings().passes.reach);
        QTest::keyClick(&w(), Qt::Key_Z, Qt::ControlModifier);
        w().workspace().step_target(-1);
        QVERIFY(settled());
        QVERIFY(w().workspace().settings().passes.reach);
    }
    void saved_and_there_again_next_time() {
        // The pair has a document: it stays the only one.
        const QStringList before = QDir(library() + "/pairings").entryList({"*.json"});
        box("reach")->click();
        QVERIFY(settled());
        QTest::keyClick(&w(), Qt::Key_S, Qt::ControlModifier);
        QVERIFY(w().notice().line().startsWith("Saved"));
        QCOMPARE(QDir(library() + "/pairings").entryList({"*.json"}), before);
        window_.reset();
        window_ = std::make_unique<MainWindow>();
        w().show();
        w().open_files({library()});
        QVERIFY(settled());
        QVERIFY(!w().workspace().settings().passes.reach);
        QVERIFY(!box("reach")->isChecked());
    }
    void a_crash_loses_nothing() {
        box("angles")->click();
        QVERIFY(settled());
        // Gone without saving or closing; the next start has the change.
        window_.reset();
        window_ = std::make_unique<MainWindow>();
        w().show();
        w().open_files({library()});
        QVERIFY(settled());
        QVERIFY(!w().workspace().settings().passes.angles);
        QVERIFY(w().workspace().has_unsaved_changes());
    }
    void what_others_changed_is_not_overwritten() {
        box("reach")->click();
        QTest::keyClick(&w(), Qt::Key_S, Qt::ControlModifier);
        const QString path = library() + "/pairings/performer-ferrier.json";
        std::string text = read_file(path.toStdString());
        text.replace(text.find("\"legs\""), 6, "1.25");
        write_file(path.toStdString(), text);
        box("reach")->click();
        QTest::keyClick(&w(), Qt::Key_S, Qt::ControlModifier);
        QVERIFY2(w().notice().line().contains("changed by somebody else"), qPrintable(w().notice().line()));
        QCOMPARE(read_file(path.toStdString()), text);
        w().notice().choose("save mine over it");
        QVERIFY(read_file(path.toStdString()) != text);
    }
    void a_folder_that_cannot_be_written_loses_nothing() {
        // A file stands where the folder of pairings would be: root may write anywhere else.
        QDir(library() + "/pairings").removeRecursively();
        write_file((library() + "/pairings").toStdString(), "in the way");
        box("reach")->click();
        QTest::keyClick(&w(), Qt::Key_S, Qt::ControlModifier);
        QVERIFY2(w().notice().line().startsWith("Not saved, and kept"), qPrintable(w().notice().line()));
        QVERIFY(!w().workspace().settings().passes.reach);
        QVERIFY(w().workspace().has_unsaved_changes());
    }
    /// What is unsaved is shown at the top; a click lists whose it is, and saves one or all.
    void what_is_unsaved_is_listed_and_saved() {
        auto* shown = &w().top().button("unsaved");
        QVERIFY(!shown->isVisible());
        box("reach")->click();
        QVERIFY(shown->isVisible());
        QCOMPARE(shown->text(), QString("1 not saved"));
        ChainTable marked;
        marked["arm.left"].length_share = 0.5;
        w().workspace().set_chains(w().workspace().key(true), marked);
        QCOMPARE(shown->text(), QString("2 not saved"));
        shown->click();
        const auto list = [&]() -> UnsavedList* { return w().findChild<UnsavedList*>(); };
        QVERIFY(list() && list()->isVisible());
        const auto button = [&](const QString& name) -> QPushButton* {
            for (auto* one : list()->findChildren<QPushButton*>())
                if (one->isVisible() && one->accessibleName() == name) return one;
            return nullptr;
        };
        QTRY_VERIFY(button("save the ferrier"));
        button("save the ferrier")->click();
        QTRY_COMPARE(w().workspace().unsaved().size(), 1u);
        QTRY_VERIFY(!button("save the ferrier"));
        QVERIFY(read_file((library() + "/characters/ferrier/character.json").toStdString())
                    .find("\"give\": 0.5") != std::string::npos);
        QTRY_VERIFY(button("save all"));
        button("save all")->click();
        QVERIFY(!w().workspace().has_unsaved_changes());
        QTRY_VERIFY(!shown->isVisible());
    }
    /// A drop of several files: what is broken is told with its name, the rest comes onto the stage.
    void a_drop_goes_on_past_what_is_broken() {
        write_file(folder_.filePath("page.glb").toStdString(), "<!DOCTYPE html><html>");
        write_file(folder_.filePath("cut.fbx").toStdString(), "; FBX 7.4.0 project file\n");
        const QString rig = QString::fromStdString(test::rig("dockhand/rig.bvh"));
        drop({folder_.filePath("page.glb"), folder_.filePath("cut.fbx"), rig});
        QVERIFY(QTest::qWaitFor([this] { return w().notice().line().contains("page.glb"); }, 10000));
        QVERIFY2(w().notice().line().contains("a web page") && w().notice().line().contains("cut.fbx"),
                 qPrintable(w().notice().line()));
        QVERIFY(settled());
        QCOMPARE(w().workspace().targets()[size_t(w().workspace().target_index())].path, rig);
    }
    void closing_with_changes_asks_in_the_line() {
        box("reach")->click();
        w().close();
        QVERIFY(w().isVisible());
        QVERIFY(w().notice().line().contains("not saved"));
        w().notice().choose("leave without saving");
        QVERIFY(!w().isVisible());
    }

    void a_capture_dropped_on_the_window_moves_the_target() {
        drop({QString::fromStdString(test::capture("01_01.bvh"))});
        QVERIFY(QTest::qWaitFor(
            [this] { return w().sentence().sentence().startsWith("01_01, moved by 01_01"); }, 20000));
        QVERIFY(settled());
        QCOMPARE(w().playback().frames(), 2752);
        QCOMPARE(w().playback().frame() >= 1, true);
        QVERIFY(w().workspace().review()->target_slide_cm_s.count > 1000);
        w().stage().set_body_look(true, BodyLook::bones);
        QVERIFY(count_like(stage_picture(), look().target) > 1000);
    }
    void a_rig_dropped_becomes_the_target() {
        drop({QString::fromStdString(test::rig("dockhand/rig.bvh"))});
        QVERIFY(
            QTest::qWaitFor([this] { return w().notice().line().contains("It is the target now"); }, 20000));
        QVERIFY(settled());
        QVERIFY(w().sentence().sentence().endsWith("carried onto the dockhand."));
    }
    void broken_files_give_one_line_and_change_nothing() {
        const QString before = w().sentence().sentence();
        const QString path = folder_.filePath("broken.bvh");
        write_file(path.toStdString(), "HIERARCHY\nROOT a\n{\nOFFSET 0 nan 0\n");
        drop({path});
        QVERIFY(QTest::qWaitFor([this] { return w().notice().line().contains("broken.bvh:4:10"); }, 10000));
        QVERIFY(!w().notice().line().contains('\n'));
        QCOMPARE(w().sentence().sentence(), before);
        drop({folder_.path()});  // a folder that is no library
        QTRY_VERIFY(w().notice().line().contains("library.json"));
        QVERIFY(w().workspace().result());
    }
    void exported_bvh_is_what_was_shown() {
        const QString path = folder_.filePath("out.bvh");
        QFile::remove(path);
        // C5: the ferrier has a skin, which a .bvh does not hold.
        w().export_to(path);
        QVERIFY2(w().notice().line().contains("mesh and materials stay behind"),
                 qPrintable(w().notice().line()));
        QVERIFY(!QFile::exists(path));
        w().notice().choose("write it all the same");
        QVERIFY(QTest::qWaitFor([this] { return w().notice().line().startsWith("Written"); }, 20000));
        LoadOptions options;
        options.unit_m = 1.0;
        options.up = "+Y";
        options.facing = "+Z";
        const LoadedFile again = load_file(path.toStdString(), options);
        QCOMPARE(again.take->frames, w().workspace().result()->target.frames);
        const auto world = forward_kinematics(again.character.rig.skeleton, *again.take);
        const auto& result = *w().workspace().result();
        const Skeleton& skeleton = w().workspace().target()->file.character.rig.skeleton;
        double largest = 0;
        for (int j = 0; j < skeleton.size(); ++j) {
            const int k = again.character.rig.skeleton.find(skeleton.names[size_t(j)]);
            for (int f = 0; f < world.frames; f += 11)
                largest = std::max(
                    largest, (world.p[world.at(f, k)] - result.target.p[result.target.at(f, j)]).norm());
        }
        QVERIFY2(largest < 2e-5, qPrintable(QString::number(largest)));
        w().export_to(folder_.filePath("no/folder/out.glb"));  // of a .glb: nothing is lost
        QVERIFY(QTest::qWaitFor([this] { return w().notice().line().contains("is not there"); }, 20000));
    }

    void anything_is_found() {
        QTest::keyClick(&w(), Qt::Key_K, Qt::ControlModifier);
        auto* finder = w().findChild<Finder*>();
        QVERIFY(finder && finder->isVisible());
        QTest::keyClicks(finder->field(), "thigh.left ferrier");
        QVERIFY(finder->list()->item(0)->text().startsWith("thigh.left"));
        QTest::keyClick(finder->field(), Qt::Key_Return);
        QCOMPARE(w().stage().selected_joint(),
                 w().workspace().target()->file.character.roles.joint("thigh.left"));
        QTest::qWait(20);
        QTest::keyClick(&w(), Qt::Key_K, Qt::ControlModifier);
        finder = w().findChildren<Finder*>().last();
        QTest::keyClicks(finder->field(), "dockhand");
        QTest::keyClick(finder->field(), Qt::Key_Return);
        QVERIFY(settled());
        QVERIFY(w().sentence().sentence().contains("the dockhand"));
    }
    void the_library_shows_everybody_on_one_scale() {
        QTest::keyClick(&w(), Qt::Key_D);
        QVERIFY(w().library().isVisible());
        LineUp* line = w().library().line_up();
        QCOMPARE(line->shown().size(), size_t(6));
        QVERIFY(QTest::qWaitFor(
            [line] {
                for (const int i : line->shown())
                    if (!line->has_portrait(i)) return false;
                return true;
            },
            30000));
        w().library().search()->setText("dock");
        QCOMPARE(line->shown().size(), size_t(1));
        QCOMPARE(w().library().takes()->model()->rowCount(), 0);
        QTest::mouseClick(line, Qt::LeftButton, {}, line->place_of(line->shown()[0]));
        QVERIFY(settled());
        QVERIFY(w().sentence().sentence().endsWith("carried onto the dockhand."));
        w().library().search()->clear();
        QCOMPARE(w().library().takes()->model()->rowCount(), 11);
        QTRY_VERIFY(w().library().takes()->model()->index(0, 0).data().toString().contains("performer · "));
        QTest::keyClick(&w(), Qt::Key_D);
        QVERIFY(w().part<TransferPanel>().isVisible());
    }
    void every_station_has_its_panel() {
        for (const char* id :
             {"intake", "roles", "rest", "chains", "transfer", "touch up", "hand over", "live"}) {
            QTest::mouseClick(&w().stations(), Qt::LeftButton, {}, w().stations().place_of(id));
            QCOMPARE(w().stations().station().about().id, QString(id));
            QVERIFY(w().stations().station().panel() && w().stations().station().panel()->isVisible());
        }
        QTest::keyClick(&w(), Qt::Key_F5);
        QCOMPARE(w().stations().station().about().id, QString("transfer"));
        QVERIFY(w().part<TransferPanel>().isVisible());
    }
    /// A folder and a line: the window shows a station it has never heard of.
    void a_station_is_a_folder_and_a_line() {
        test::DummyStation* dummy = nullptr;
        MainWindow window(nullptr, [&](const StationContext& context) {
            StationList list = make_stations(context);
            list.push_back(dummy = new test::DummyStation(context));
            return list;
        });
        window.show();
        QVERIFY(QTest::qWaitForWindowExposed(&window));
        QTest::mouseClick(&window.stations(), Qt::LeftButton, {}, window.stations().place_of("dummy"));
        QVERIFY(dummy->panel()->isVisible());
        QCOMPARE(dummy->entered, 1);
        window.action("station 1")->trigger();
        QCOMPARE(dummy->left, 1);
        QVERIFY(!dummy->panel()->isVisible());
        QCOMPARE(window.action("station 10")->shortcut(), QKeySequence(Qt::Key_F10));
        window.action("station 10")->trigger();
        QVERIFY(dummy->panel()->isVisible());
        window.action("dummy")->trigger();
        QCOMPARE(window.notice().line(), QString("The dummy has worked."));
        emit window.stations().station().wanted("dummy", "somewhere");
        QCOMPARE(dummy->went_to, QString("somewhere"));
    }
    void the_strip_goes_to_the_frame_and_says_why() {
        QTest::keyClick(&w(), Qt::Key_W);
        const int worst = w().playback().frame();
        const auto* left = w().workspace().review()->find_series(ReviewMeasure::slide, "foot.left");
        const auto* right = w().workspace().review()->find_series(ReviewMeasure::slide, "foot.right");
        const float here = std::max(left->values[size_t(worst)], right->values[size_t(worst)]);
        for (const auto* row : {left, right})
            QVERIFY(here >= *std::max_element(row->values.begin(), row->values.end()) - 1e-3f);
        QVERIFY2(w().notice().line().contains("cm/s in frame"), qPrintable(w().notice().line()));
        QTest::mouseClick(&w().part<TransferSheet>().strip(), Qt::LeftButton, {},
                          QPoint(ErrorStrip::left_px + 50, 30));
        QVERIFY(w().notice().line().contains("frame " + QString::number(w().playback().frame())));
    }
    void both_looks_keep_the_two_colours_apart() {
        w().set_look("paper");
        w().stage().set_body_look(true, BodyLook::bones);
        QVERIFY(count_like(stage_picture(), look().source) > 1500);
        QVERIFY(count_like(stage_picture(), look().target) > 1500);
        QTest::keyClick(&w(), Qt::Key_I, Qt::ControlModifier);
        QVERIFY(!look().is_paper);
    }
    void everything_has_a_tip_and_a_name() {
        for (auto* button : w().findChildren<QAbstractButton*>())
            if (button->isVisible() && button->inherits("QToolButton"))
                QVERIFY2(!button->toolTip().isEmpty(), qPrintable(button->text() + button->objectName()));
        for (QAction* action : w().actions())
            QVERIFY2(!action->text().isEmpty() && !action->toolTip().isEmpty(),
                     qPrintable(action->objectName()));
    }
};

NB_TEST_WITH(nb::test::WindowApplication, WindowTest)
}  // namespace test_window
#include "test_window.moc"
