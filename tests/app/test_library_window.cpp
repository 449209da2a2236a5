// The library in the window: taking in, renaming, removing with the way back; several files dropped at once;
// folders that vanish or change under us; the foot insets and what stands beside the bodies.
#include <QContextMenuEvent>
#include <QLineEdit>
#include <QListView>
#include <QMenu>
#include <QProcess>

#include "app/dock/library_panel.hpp"
#include "app/dock/set_up_list.hpp"
#include "app/dock/take_preview.hpp"
#include "app/dock/takes_model.hpp"
#include "app/stage/foot_insets.hpp"
#include "app/window/notice_bar.hpp"
#include "app/window/sentence_bar.hpp"
#include "tests/app/window_fixture.hpp"

namespace test_library_window {

using namespace nb;

class LibraryWindowTest : public test::WindowFixture {
    Q_OBJECT

    int index_of(const std::vector<Choice>& list, const QString& name) {
        for (size_t i = 0; i < list.size(); ++i)
            if (list[i].name == name) return int(i);
        return -1;
    }
    int take(const QString& name) { return index_of(w().workspace().takes(), name); }
    int target(const QString& name) { return index_of(w().workspace().targets(), name); }

  private slots:
    void a_character_is_renamed_in_its_place_and_back() {
        w().show_library(true);
        LibraryPanel& panel = w().library();
        const int ferrier = target("the ferrier");
        panel.start_rename(true, ferrier);
        QVERIFY(panel.rename_field()->hasFocus());
        panel.rename_field()->selectAll();
        QTest::keyClicks(panel.rename_field(), "the long ferrier");
        QTest::keyClick(panel.rename_field(), Qt::Key_Return);
        QVERIFY(target("the long ferrier") >= 0);
        const QString document = library() + "/characters/ferrier/character.json";
        const auto says = [&](const QByteArray& text) {
            QFile file(document);
            return file.open(QIODevice::ReadOnly) && file.readAll().contains(text);
        };
        QVERIFY(says("the long ferrier"));
        w().action("undo")->trigger();
        QVERIFY(says("\"the ferrier\""));
        QVERIFY(target("the ferrier") >= 0);
    }

    void a_take_is_renamed_by_its_files() {
        w().show_library(true);
        const int crate = take("Carry crate");
        w().library().start_rename(false, crate);
        w().library().rename_field()->selectAll();
        QTest::keyClicks(w().library().rename_field(), "Move the crate");
        QTest::keyClick(w().library().rename_field(), Qt::Key_Return);
        QVERIFY(QFile::exists(library() + "/takes/move-the-crate.bvh"));
        QVERIFY(QFile::exists(library() + "/takes/move-the-crate.labels.json"));
        QVERIFY(choose_take("Move the crate"));
        w().action("undo")->trigger();
        QVERIFY(QFile::exists(library() + "/takes/carry-crate.take.json"));
        QVERIFY(choose_take("Carry crate"));
    }

    /// Tags and notes are kept with the document, found by the search, and are no change of anything else.
    void tags_and_notes_are_kept_and_found() {
        w().show_library(true);
        LibraryPanel& panel = w().library();
        const auto field = [&](const char* name) {
            for (QLineEdit* one : panel.findChildren<QLineEdit*>())
                if (one->accessibleName() == name) return one;
            return static_cast<QLineEdit*>(nullptr);
        };
        const auto* rows = panel.takes()->model();
        const int all = rows->rowCount();
        panel.start_words(false, take("Quay walk"));
        QVERIFY(field("tags")->isVisible());
        field("tags")->setText("gait, , evening ,gait");
        field("notes")->setText("the second try");
        field("terms")->setText("for the harbour alone");
        QTest::keyClick(field("notes"), Qt::Key_Return);
        QVERIFY(!field("tags")->isVisible());
        const auto document = [&] {
            QFile file(library() + "/takes/quay-walk.take.json");
            return file.open(QIODevice::ReadOnly) ? QString(file.readAll()) : QString();
        };
        QVERIFY(document().contains("\"evening\""));
        QCOMPARE(document().count("\"gait\""), 1);
        QCOMPARE(w().workspace().unsaved().size(), size_t(0));
        panel.search()->setText("evening second");
        QTRY_COMPARE(rows->rowCount(), 1);
        QVERIFY(rows->index(0, 0).data().toString().contains("evening"));
        panel.search()->setText("evening elsewhere");
        QTRY_COMPARE(rows->rowCount(), 0);
        panel.search()->clear();
        QTRY_COMPARE(rows->rowCount(), all);
        // What is saved of the take keeps them; undo takes them back.
        QVERIFY(choose_take("Quay walk"));
        w().action("undo")->trigger();
        QVERIFY(!document().contains("evening"));
        w().action("redo")->trigger();
        QVERIFY(document().contains("evening"));
        // Of a character, too.
        panel.start_words(true, target("the ferrier"));
        field("tags")->setText("tall");
        QTest::keyClick(field("tags"), Qt::Key_Return);
        QFile file(library() + "/characters/ferrier/character.json");
        QVERIFY(file.open(QIODevice::ReadOnly) && file.readAll().contains("\"tall\""));
        QCOMPARE(w().workspace().unsaved().size(), size_t(0));
        panel.start_words(false, take("Quay walk"));
        QTest::keyClick(field("tags"), Qt::Key_Escape);
    }

    void removing_goes_to_the_trash_and_undo_brings_it_back() {
        w().show_library(true);
        const int count = int(w().workspace().targets().size());
        QTest::keyClick(&w().library(), Qt::Key_Delete);  // the target in use
        QCOMPARE(int(w().workspace().targets().size()), count - 1);
        QVERIFY(!QFile::exists(library() + "/characters/ferrier"));
        QVERIFY(QFile::exists(library() + "/.trash/ferrier/rig.glb"));
        QVERIFY(w().notice().line().contains("trash"));
        // Somebody else stands on the stage meanwhile.
        QVERIFY(settled());
        QVERIFY(!w().sentence().sentence().contains("the ferrier"));
        w().action("undo")->trigger();
        QCOMPARE(int(w().workspace().targets().size()), count);
        QVERIFY(QFile::exists(library() + "/characters/ferrier/rig.glb"));
        w().action("redo")->trigger();
        QCOMPARE(int(w().workspace().targets().size()), count - 1);
    }

    void an_own_rig_is_taken_in() {
        const QString own = folder_.filePath("second.bvh");
        QFile::remove(own);
        QVERIFY(QFile::copy(QString::fromStdString(test::rig("dockhand/rig.bvh")), own));
        drop({own});
        QTRY_VERIFY(w().notice().line().contains("second.bvh"));
        QVERIFY(settled());
        w().action("add target")->trigger();
        QVERIFY2(QFile::exists(library() + "/characters/second/rig.bvh"), qPrintable(w().notice().line()));
        QVERIFY(QFile::exists(library() + "/characters/second/character.json"));
        QCOMPARE(int(std::count_if(w().workspace().targets().begin(), w().workspace().targets().end(),
                                   [](const Choice& c) { return c.name == "second"; })),
                 1);
        QVERIFY(w().workspace().targets()[size_t(w().workspace().target_index())].is_of_library);
        w().action("undo")->trigger();
        QVERIFY(!QFile::exists(library() + "/characters/second"));
        QVERIFY(QFile::exists(own));
        QVERIFY(settled());
        QCOMPARE(w().workspace().targets()[size_t(w().workspace().target_index())].path, own);
    }

    void a_new_library_begins_empty_and_takes_what_is_open() {
        const QString folder = folder_.filePath("new");
        QDir(folder).removeRecursively();
        QVERIFY(w().workspace().create_library(folder, "Second quay"));
        QVERIFY(QFile::exists(folder + "/library.json"));
        QCOMPARE(w().workspace().targets().size(), 0u);
        drop({QString::fromStdString(test::rig("ferrier/rig.glb"))});
        QTRY_COMPARE(w().workspace().targets().size(), 1u);
        QTRY_VERIFY(!w().workspace().is_busy());
        w().action("add target")->trigger();
        QTRY_VERIFY(QFile::exists(folder + "/characters/rig/rig.glb"));
        // A folder with something in it is refused, in one line.
        QVERIFY(!w().workspace().create_library(folder, "again"));
        QVERIFY2(w().notice().line().contains("not empty"), qPrintable(w().notice().line()));
    }

    void several_files_sort_themselves_out() {
        QFile broken(folder_.filePath("broken.glb"));
        QVERIFY(broken.open(QIODevice::WriteOnly));
        broken.write("glTF");
        broken.close();
        drop({QString::fromStdString(test::rig("lamp-child/rig.bvh")),
              QString::fromStdString(test::capture("01_03.bvh")), broken.fileName()});
        QTRY_VERIFY(w().notice().line().contains("01_03.bvh"));
        const QString said = w().notice().line();
        QVERIFY2(said.contains("rig.bvh: 18 bones") || said.contains("a target"), qPrintable(said));
        QVERIFY2(said.contains("frames at 120/s"), qPrintable(said));
        QVERIFY2(said.contains("broken.glb:"), qPrintable(said));
        QVERIFY(settled());
        QCOMPARE(w().workspace().takes()[size_t(w().workspace().take_index())].name, QString("01_03"));
        QCOMPARE(w().workspace().targets()[size_t(w().workspace().target_index())].name, QString("rig"));
    }

    void every_animation_of_a_file_is_a_take() {
        const QString one = folder_.filePath("one.glb");
        const QString two = folder_.filePath("two.glb");
        w().workspace().export_result(one);
        QTRY_VERIFY(QFile::exists(one));
        QTRY_VERIFY(!w().workspace().is_busy());
        // The exported file is itself a rig; onto it a second take is written.
        w().workspace().open_file(one, true);
        QTRY_VERIFY(w().sentence().sentence().endsWith("carried onto one."));
        QVERIFY(choose_take("Weary watch"));
        w().workspace().export_result(two);
        QTRY_VERIFY(QFile::exists(two));
        QTRY_VERIFY(!w().workspace().is_busy());
        const size_t before = w().workspace().takes().size();
        drop({two});
        QTRY_COMPARE(w().workspace().takes().size(), before + 2);
        QVERIFY(settled());
        const int frames = w().workspace().source()->file.take->frames;
        w().workspace().choose_take(int(before) + 1);
        QVERIFY(settled());
        QVERIFY(w().workspace().source()->file.take->frames != frames);
    }

    /// Characters and takes are dragged as their files; a take that is dropped is taken up by its document.
    void takes_are_dragged_from_the_dock() {
        w().show_library(true);
        QListView* list = w().library().takes();
        QVERIFY(list->dragEnabled());
        const auto* model = list->model();
        std::unique_ptr<QMimeData> mime(model->mimeData({model->index(take("Carry crate"), 0)}));
        QVERIFY(mime->hasUrls());
        const QString path = mime->urls()[0].toLocalFile();
        QVERIFY2(path.endsWith("carry-crate.bvh"), qPrintable(path));
        drop({path});
        QTRY_VERIFY(w().sentence().sentence().startsWith("Carry crate, moved by the performer"));
        QVERIFY(settled());
        QCOMPARE(w().workspace().source()->props.size(), 1u);
    }

    void a_library_that_vanishes_loses_nothing() {
        QVERIFY(QDir().rename(library(), folder_.filePath("elsewhere")));
        w().workspace().step_target(1);
        QTRY_VERIFY2(!w().notice().line().isEmpty(), "it must be said");
        // What was open stays and plays.
        QVERIFY(w().workspace().result() != nullptr);
        w().action("remove target")->trigger();
        QVERIFY(w().workspace().result() != nullptr);
        QVERIFY(QDir().rename(folder_.filePath("elsewhere"), library()));
        w().workspace().read_library_again();
        w().workspace().choose_target(target("the dockhand"));
        QVERIFY(settled());
        QVERIFY(w().sentence().sentence().contains("the dockhand"));
    }

    /// Two programs on one folder: what one does shows in the other, and neither loses what it works on.
    void two_windows_share_a_folder() {
        MainWindow other;
        other.show();
        other.open_files({library()});
        QVERIFY(QTest::qWaitFor([&] { return !other.workspace().is_busy() && other.workspace().review(); },
                                20000));
        const size_t count = w().workspace().targets().size();
        const int child = index_of(other.workspace().targets(), "the lamp-lighter's child");
        other.workspace().choose_target(child);
        QVERIFY(QTest::qWaitFor([&] { return !other.workspace().is_busy() && other.workspace().review(); },
                                20000));
        other.action("remove target")->trigger();
        QTRY_COMPARE_WITH_TIMEOUT(w().workspace().targets().size(), count - 1, 5000);
        QVERIFY(w().sentence().sentence().contains("the ferrier"));
        other.action("undo")->trigger();
        QTRY_COMPARE_WITH_TIMEOUT(w().workspace().targets().size(), count, 5000);
    }

    void portraits_are_kept_beside_the_rig() {
        const QString kept = library() + "/characters/dockhand/portrait.png";
        QTRY_VERIFY_WITH_TIMEOUT(w().library().line_up()->has_portrait(target("the dockhand")), 30000);
        QVERIFY(QFile::exists(kept));
        const QImage image(kept);
        QVERIFY(!image.text("made-from").isEmpty());
        QVERIFY(std::abs(image.text("height-cm").toDouble() - 166) < 8);
    }

    /// The insets: both feet, one above the other's floor, and a resting foot stays near its mark.
    void foot_insets_show_the_held_point() {
        const auto insets = [&](int frame) {
            return foot_insets(w().workspace(), true, frame, Vec3::Zero(), QSize(900, 500));
        };
        // Standing at the start both rest.
        for (const FootInset& inset : insets(20)) {
            QVERIFY(inset.held_m.has_value());
            QVERIFY((inset.point_m - *inset.held_m).norm() < 0.02);
            QVERIFY(std::abs(inset.above_cm) < 2.0);
        }
        // The labels of the simulator say which foot swings in the middle of the walk.
        QFile labels(library() + "/takes/quay-walk.labels.json");
        QVERIFY(labels.open(QIODevice::ReadOnly));
        const auto spans = QJsonDocument::fromJson(labels.readAll()).array();
        int swings = 0;
        for (int frame = 150; frame < 350; frame += 5) {
            bool stands = false;
            for (const QJsonValue& span : spans)
                stands |= span["limb"].toString() == "left" && span["first"].toInt() <= frame &&
                          frame < span["last"].toInt();
            const auto both = insets(frame);
            QCOMPARE(both.size(), 2u);
            if (!stands && both[1].above_cm > 4.0) {
                QVERIFY(both[1].is_left);
                QVERIFY(!both[1].held_m);
                ++swings;
            }
        }
        QVERIFY(swings > 5);
        // Shown in the picture: switching them off changes the lower right corner.
        w().playback().go_to(20);
        const QImage with = stage_picture();
        QTest::keyClick(&w(), Qt::Key_I);
        QVERIFY(!w().stage().has_insets());
        const QImage without = stage_picture();
        const QRect corner(with.width() - 150, with.height() - 110, 120, 80);
        QVERIFY(with.copy(corner) != without.copy(corner));
    }

    void a_hidden_body_is_not_drawn_and_not_picked() {
        w().stage().set_insets(false);
        w().stage().set_body_look(true, BodyLook::hidden);
        w().stage().set_body_look(false, BodyLook::hidden);
        const QImage empty = stage_picture();
        bool in_target = false;
        for (int x = 50; x < w().stage().width(); x += 25)
            QCOMPARE(w().stage().bone_at(QPointF(x, w().stage().height() / 2.0), in_target), -1);
        w().stage().set_body_look(true, BodyLook::mesh);
        QVERIFY(stage_picture() != empty);
    }

    /// A crate that is carried is there beside the source and the target, and follows the hands.
    void props_move_with_their_take() {
        QVERIFY(choose_take("Carry crate"));
        const auto source = w().workspace().source();
        QCOMPARE(source->props.size(), 1u);
        const int crate = source->props[0].joint;
        QVERIFY(crate >= 0);
        const int hand = source->file.character.roles.joint("hand.left");
        Pose at_start, carried, target;
        w().workspace().poses_at(0, at_start, target);
        w().workspace().poses_at(700, carried, target);
        QVERIFY(at_start.p[size_t(crate)].y() < 0.01);
        QVERIFY(carried.p[size_t(crate)].y() > 0.6);
        // Held: the hand stays at the crate's handle (made so by the simulator: 25 cm out, 25 cm up).
        QVERIFY((carried.p[size_t(hand)] - carried.p[size_t(crate)]).norm() < 0.40);
    }

    /// What happens in them is looked up when a filter asks for it, and stays known.
    void takes_are_found_by_what_happens_in_them() {
        auto* panel = w().findChild<LibraryPanel*>();
        w().show_library(true);
        const auto shown = [&] {
            QStringList names;
            for (int i = 0; i < panel->takes_model().rowCount(); ++i)
                names << w().workspace()
                             .takes()[size_t(panel->takes_model().take_at(panel->takes_model().index(i)))]
                             .name;
            return names;
        };
        const auto choose = [&](const QString& group, const QString& value) {
            QMenu* menu = panel->filter_menu();
            for (QAction* action : menu->actions())
                if (action->text() == group)
                    for (QAction* one : action->menu()->actions())
                        if (one->text() == value) one->trigger();
            delete menu;
        };
        choose("the body", "climbs");
        QCOMPARE(panel->search()->text(), QString("does:climbs"));
        QTRY_COMPARE(shown(), QStringList{"Mole steps"});
        // Everybody is still in the line-up: filters are of takes.
        QCOMPARE(panel->line_up()->shown().size(), w().workspace().targets().size());
        choose("the body", "crouches");
        QTRY_VERIFY(shown().contains("Carry crate") && !shown().contains("Mole steps"));
        choose("touches with or on", "things");
        QTRY_COMPARE(shown(), QStringList{"Carry crate"});
        choose("captured on", "quay-dog");
        QTRY_COMPARE(shown(), QStringList());
        choose("captured on", "quay-dog");
        QTRY_COMPARE(shown(), QStringList{"Carry crate"});
        QVERIFY(QFile::exists(library() + "/accounts/carry-crate.json"));
        panel->search()->setText("does:flies");
        QVERIFY(w().notice().line().contains("write one of walks"));
        panel->search()->setText("tried:ferrier");
        QTRY_COMPARE(shown(), QStringList());
        QCOMPARE(QProcess::execute(QApplication::applicationDirPath() + "/../nbone",
                                   {"batch", library(), "--take", "quay-walk", "--character", "ferrier"}),
                 0);
        panel->search()->setText("");
        QCOMPARE(shown().size(), w().workspace().takes().size());
        panel->search()->setText("tried:ferrier");
        QTRY_COMPARE(shown(), QStringList{"Quay walk"});
        panel->search()->setText("");
    }

    void a_take_is_seen_on_the_target_before_it_is_opened() {
        auto* panel = w().findChild<LibraryPanel*>();
        w().show_library(true);
        QVERIFY(choose_target("the lamp-lighter's child"));
        const QString on_stage = w().sentence().sentence();
        int row = -1;
        for (int i = 0; i < panel->takes_model().rowCount(); ++i)
            if (w().workspace()
                    .takes()[size_t(panel->takes_model().take_at(panel->takes_model().index(i)))]
                    .name == "Boat leap")
                row = i;
        panel->takes()->scrollTo(panel->takes_model().index(row));
        const QRect at = panel->takes()->visualRect(panel->takes_model().index(row));
        QTest::mouseMove(panel->takes()->viewport(), at.center());
        QTRY_VERIFY(panel->preview()->clip() != nullptr);
        QVERIFY(panel->preview()->isVisible());
        QCOMPARE(panel->preview()->clip()->take, QString("Boat leap"));
        QCOMPARE(panel->preview()->clip()->target, QString("the lamp-lighter's child"));
        // It moves, at true speed as near as a picture.
        const auto& clip = *panel->preview()->clip();
        QVERIFY(std::abs(double(clip.pictures.size()) / 30.0 - 4.6) < 0.1);
        const int first = panel->preview()->picture();
        QTRY_VERIFY(panel->preview()->picture() != first);
        // Of the child's height, and the stage is as it was.
        QVERIFY(clip.height_m > 0.8 && clip.height_m < 1.6);
        QCOMPARE(w().sentence().sentence(), on_stage);
        QEvent leave(QEvent::Leave);
        QApplication::sendEvent(panel->takes()->viewport(), &leave);
        QVERIFY(!panel->preview()->isVisible());
    }

    void set_ups_are_listed_by_both_names() {
        auto* panel = w().findChild<LibraryPanel*>();
        w().show_library(true);
        // The pointer may still be over a take, from before.
        QTest::mouseMove(&w().stage(), QPoint(50, 50));
        QEvent leave(QEvent::Leave);
        QApplication::sendEvent(panel->takes()->viewport(), &leave);
        panel->show_set_ups(true);
        QTRY_COMPARE(panel->set_ups()->count(), 2);
        QStringList names;
        for (int i = 0; i < 2; ++i) names << panel->set_ups()->item(i)->text().section('\n', 0, 0);
        QVERIFY2(names.contains("the performer drives the ferrier"), qPrintable(names.join(" | ")));
        for (int i = 0; i < 2; ++i)
            if (names[i].contains("child")) emit panel->set_ups()->itemClicked(panel->set_ups()->item(i));
        QVERIFY(settled());
        QVERIFY(w().sentence().sentence().contains(
            "moved by the performer, carried onto the lamp-lighter's child"));
        panel->show_set_ups(false);
    }

    void a_dog_moves_by_a_dogs_take() {
        w().workspace().choose_target(target("the quay dog"));
        QVERIFY(choose_take("Dog trot"));
        QCOMPARE(w().sentence().sentence(),
                 QString("Dog trot, moved by the quay dog, carried onto the quay dog."));
        // The same body: it arrives as it was (property 1), but for what its paws slide while they stand.
        Pose source, result;
        w().workspace().poses_at(100, source, result);
        const auto& S = w().workspace().source()->file.character;
        const auto& T = w().workspace().target()->file.character;
        for (const auto* role : {"hips", "head", "hand.left", "foot.right", "toe.left"}) {
            const double off =
                (source.p[size_t(S.roles.joint(role))] - result.p[size_t(T.roles.joint(role))]).norm();
            QVERIFY2(off < 5e-3, qPrintable(QString("%1 %2 m").arg(role).arg(off)));
        }
    }
};

NB_TEST_WITH(nb::test::WindowApplication, LibraryWindowTest)
}  // namespace test_library_window
#include "test_library_window.moc"
