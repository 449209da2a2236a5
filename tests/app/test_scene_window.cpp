// Scenes as a person uses them: opened from the library, another body taken in hand on the stage, a target swapped, a cast
// shifted by frames, placed and turned; touches between bodies said by hand; undone, saved, handed over.
#include <QComboBox>
#include <QDir>
#include <QDoubleSpinBox>
#include <QLabel>
#include <QLineEdit>
#include <QListWidget>
#include <QSpinBox>
#include <QToolButton>

#include "app/dock/library_panel.hpp"
#include "app/look/labels.hpp"
#include "app/stations/scene/scene_lanes.hpp"
#include "app/stations/scene/scene_panel.hpp"
#include "app/stations/scene/scene_station.hpp"
#include "app/window/finder.hpp"
#include "app/window/notice_bar.hpp"
#include "app/window/sentence_bar.hpp"
#include "app/window/station_line.hpp"
#include "app/window/transport.hpp"
#include "core/library/scenes.hpp"
#include "tests/app/window_fixture.hpp"

namespace test_scene_window {

using namespace nb;
using namespace nb::test;

class SceneWindowTest : public WindowFixture {
    Q_OBJECT

    const SceneWork& scene() { return w().workspace().scene(); }
    const SceneDocument& document() { return w().workspace().scene_document(); }
    ScenePanel& panel() { return w().part<ScenePanel>(); }
    SceneLanes& lanes() { return w().part<SceneLanes>(); }
    bool carried() {
        return QTest::qWaitFor(
            [this] {
                return !w().workspace().is_busy() && scene().finished() && scene().review() &&
                       w().workspace().finished() && w().workspace().review();
            },
            60000);
    }
    void open_help_up() {
        w().resize(1280, 800);
        w().stations().set_station("scene");
        w().workspace().open_scene(library() + "/scenes/help-up.scene.json");
        QVERIFY(carried());
        w().playback().play(false);
    }
    void undo_all() {
        while (w().undo_stack().canUndo()) w().undo_stack().undo();
        QVERIFY(carried());
    }
    QToolButton* word(const QString& text) {
        for (auto* one : panel().findChildren<QToolButton*>())
            if (one->text() == text) return one;
        return nullptr;
    }
    /// Where the hips of a cast's target are seen.
    QPoint seen_on(size_t cast) {
        const Pose pose = scene().pose_at(cast, scene().scene_s(w().playback().frame()), true);
        const int chest = scene().casts()[cast].body->file.character.roles.joint("chest");
        const QSize view = w().stage().size();
        const Vec3 seen = w().stage().camera().project(pose.p[size_t(chest)], view.width(), view.height());
        return QPointF(seen.x(), seen.y()).toPoint();
    }

  private slots:
    void the_library_opens_one_and_the_sentence_tells_of_all() {
        w().resize(1280, 800);
        w().show_library(true);
        QListWidget* list = w().library().scenes();
        QVERIFY(list->isVisible());
        QCOMPARE(list->count(), 1);
        QTest::mouseClick(list->viewport(), Qt::LeftButton, {}, list->visualItemRect(list->item(0)).center());
        QVERIFY(carried());
        QCOMPARE(w().sentence().sentence(),
                 QString("help-up: giver, moved by the performer, carried onto the dockhand; taker onto the "
                         "ferrier."));
        QCOMPARE(w().workspace().unsaved().size(), size_t(0));
        // The result on the stage is the scene's, and is not that of the pair alone.
        QCOMPARE(w().workspace().result().get(), &scene().result()->results[0]);
        QCOMPARE(scene().touches().size(), size_t(3));
    }

    void a_click_on_a_body_takes_it_in_hand_at_the_same_time() {
        open_help_up();
        w().stage().set_view(View::side);
        w().playback().go_to(60);  // the two stand apart
        stage_picture();
        const double scene_s = scene().scene_s(60);
        QTest::mouseMove(&w().stage(), seen_on(1));
        QTest::mouseClick(&w().stage(), Qt::LeftButton, {}, seen_on(1));
        QVERIFY(carried());
        QCOMPARE(scene().in_hand(), size_t(1));
        QCOMPARE(text_of(w().workspace().target()->file.character.name), QString("the ferrier"));
        QVERIFY(std::abs(scene().scene_s(w().playback().frame()) - scene_s) < 1e-6);
        QVERIFY(w().sentence().sentence().startsWith("help-up: taker"));
        QVERIFY(w().sentence().sentence().contains("; giver onto the dockhand"));
        // A key, and a word of the sentence, do it, too.
        w().action("next cast")->trigger();
        QVERIFY(carried());
        QCOMPARE(scene().in_hand(), size_t(0));
        QTest::mouseClick(w().sentence().cast_words().at(0), Qt::LeftButton);
        QVERIFY(carried());
        QCOMPARE(scene().in_hand(), size_t(1));
    }

    void the_bodies_not_in_hand_are_drawn_in_the_tone_of_the_floor() {
        open_help_up();
        w().stage().set_insets(false);
        w().stage().set_view(View::side);
        w().playback().go_to(60);
        const auto tone_at = [&](size_t cast) {
            const QImage picture = stage_picture();
            const QPoint at = seen_on(cast) * picture.devicePixelRatio();
            return picture.pixelColor(at);
        };
        // The dockhand's red shirt: in colour in hand, blue as the floor when another is.
        const QColor in_hand = tone_at(0);
        QVERIFY(in_hand.red() > in_hand.blue() + 20);
        w().workspace().take_in_hand(1, 60);
        QVERIFY(carried());
        const QColor beside = tone_at(0);
        QVERIFY(beside.blue() > beside.red());
    }

    void a_target_is_swapped_and_the_touches_stay() {
        open_help_up();
        w().workspace().take_in_hand(1, 0);
        QVERIFY(carried());
        const auto kept_before = scene().review()->kept_share();
        const auto& targets = w().workspace().targets();
        for (size_t i = 0; i < targets.size(); ++i)
            if (targets[i].name == "the performer") w().workspace().choose_target(int(i));
        QVERIFY(carried());
        QCOMPARE(document().casts[1].target, std::string("performer"));
        QCOMPARE(scene().in_hand(), size_t(1));
        QVERIFY(w().sentence().sentence().contains("carried onto the performer"));
        QVERIFY(scene().review()->kept_share() > 0.95);
        QCOMPARE(w().workspace().unsaved().size(), size_t(1));
        w().undo_stack().undo();
        QVERIFY(carried());
        QCOMPARE(document().casts[1].target, std::string("ferrier"));
        QCOMPARE(scene().review()->kept_share(), kept_before);
        QCOMPARE(w().workspace().unsaved().size(), size_t(0));
    }

    void a_cast_is_shifted_by_frames_and_the_gap_is_told_meanwhile() {
        open_help_up();
        w().workspace().take_in_hand(1, 0);
        QVERIFY(carried());
        // In the middle of the handed coil: hands on each other.
        w().playback().go_to(380);
        const QString together = lanes().figure_of(0);
        QVERIFY2(together.endsWith(" mm") && together.split(' ')[0].toInt() < 20, qPrintable(together));
        const BodyTouch touch = scene().touches()[0];
        const double touch_s = 380.0 / 60.0;
        const QPoint from = lanes().place_of_cast(1, 4.0);
        const QPoint to = lanes().place_of_cast(1, 8.0);
        drag(lanes(), from, to);
        const double start = document().casts[1].start_s;
        QVERIFY2(std::abs(start - 4.0) < 0.05, qPrintable(QString::number(start)));
        // Whole frames of its take, one step of undo, and told by the form.
        QVERIFY(std::abs(start * 60.0 - std::round(start * 60.0)) < 1e-3);
        QCOMPARE(w().undo_stack().count(), 1);
        QCOMPARE(named<QSpinBox>("starts at frame")->value(), int(std::lround(start * 60.0)));
        QVERIFY(carried());
        // Four seconds later the taker is elsewhere then: the hand is off, and the figure says by how much.
        const auto apart = scene().gap_mm(touch, touch_s);
        QVERIFY(!apart || *apart > 30.0);
        // The transport tells the scene's time.
        w().playback().go_to(60);
        QString clock;
        for (auto* label : w().transport().findChildren<QLabel*>())
            if (label->text().startsWith("scene ")) clock = label->text();
        QVERIFY2(clock.startsWith(QString("scene %1 s").arg(start + 1.0, 0, 'f', 2)), qPrintable(clock));
        w().playback().go_to(380);
        w().action("cast earlier")->trigger();
        w().action("cast earlier")->trigger();
        QVERIFY(carried());
        QVERIFY(std::abs(document().casts[1].start_s - (start - 2.0 / 60.0)) < 1e-4);
        named<QSpinBox>("starts at frame")->setValue(0);
        QVERIFY(carried());
        QCOMPARE(document().casts[1].start_s, 0.0);
        undo_all();
        QCOMPARE(document().casts[1].start_s, 0.0);
        QVERIFY(lanes().figure_of(0) == together);
    }

    void a_cast_is_placed_and_turned_by_number_and_handle() {
        open_help_up();
        const auto hips = [&] {
            const Pose pose = scene().pose_at(0, scene().scene_s(w().playback().frame()), false);
            return pose.p[size_t(scene().casts()[0].source->file.character.roles.joint("hips"))];
        };
        w().playback().go_to(30);
        const Vec3 before = hips();
        named<QDoubleSpinBox>("stands along X")->setValue(-80.0);
        QVERIFY(carried());
        QVERIFY((hips() - before - Vec3(-0.8, 0, 0)).norm() < 1e-6);
        // About where it stands.
        named<QDoubleSpinBox>("turned")->setValue(90.0);
        QVERIFY(carried());
        QVERIFY((hips() - before - Vec3(-0.8, 0, 0)).norm() < 1e-4);
        QCOMPARE(document().casts[0].turn_deg, 90.0);
        // The body follows: its target stands so much aside as distances are scaled.
        undo_all();
        const int root = w().workspace().target()->file.character.roles.joint("hips");
        const auto place = [&] { return *w().workspace().place_of(true, root, 30); };
        const Vec3 stood = place();
        QTest::mouseClick(word("move"), Qt::LeftButton);
        stage_picture();
        const auto arms = w().stage().place_handle();
        QVERIFY(arms.has_value());
        const QPoint grip = arms->grip(w().stage().camera(), w().stage().size(), 0).toPoint();
        const QPoint knob = arms->grip(w().stage().camera(), w().stage().size(), PlaceHandle::knob).toPoint();
        drag(w().stage(), grip, grip + (grip - knob));
        QVERIFY(carried());
        const Vec3 at = document().casts[0].at_m;
        QVERIFY2(std::abs(at.x()) > 0.05, qPrintable(QString::number(at.x())));
        QVERIFY(std::abs(place().x() - stood.x() - at.x() * scene().scale()) < 0.02);
        QCOMPARE(w().undo_stack().count(), 1);
        undo_all();
        QVERIFY((place() - stood).norm() < 1e-9);
        QTest::mouseClick(word("move"), Qt::LeftButton);
    }

    void a_touch_is_said_by_hand_and_taken_back() {
        open_help_up();
        w().playback().go_to(620);
        const size_t found = scene().touches().size();
        QTest::mouseClick(word("add one here"), Qt::LeftButton);
        QVERIFY(carried());
        QCOMPARE(scene().touches().size(), found + 1);
        QCOMPARE(lanes().touch_in_hand(), int(found));
        QVERIFY(document().touches.has_value());
        named<QComboBox>("hand of the touch")->setCurrentIndex(1);
        emit named<QComboBox>("hand of the touch")->activated(1);
        QVERIFY(carried());
        QCOMPARE(scene().touches().back().point, std::string("palm.right"));
        // Its end is dragged in its lane.
        const int last = scene().touches().back().last;
        const QPoint end = lanes().place_of_touch(found, true);
        drag(lanes(), end, end + QPoint(30, 0));
        QVERIFY(carried());
        QVERIFY(scene().touches().back().last > last + 5);
        QTest::mouseClick(word("remove it"), Qt::LeftButton);
        QVERIFY(carried());
        QCOMPARE(scene().touches().size(), found);
        QTest::mouseClick(word("as found"), Qt::LeftButton);
        QVERIFY(carried());
        QVERIFY(!document().touches.has_value());
        undo_all();
        QVERIFY(!document().touches.has_value());
        QCOMPARE(w().workspace().unsaved().size(), size_t(0));
    }

    void distances_are_chosen_and_their_cost_is_told() {
        open_help_up();
        auto* by = named<QComboBox>("distances by");
        by->setCurrentIndex(1);
        emit by->activated(1);
        QVERIFY(carried());
        QCOMPARE(document().distances.cast, std::string("giver"));
        QString cost;
        for (auto* label : panel().findChildren<QLabel*>())
            if (label->text().contains("steps")) cost = label->text();
        QVERIFY2(cost.startsWith("giver's steps are its own; taker's steps are "), qPrintable(cost));
        undo_all();
        QCOMPARE(document().distances, SceneDistances());
    }

    void two_takes_of_the_library_become_a_scene_that_is_saved_and_found_again() {
        QVERIFY(choose_take("Quay walk"));
        QVERIFY(choose_target("the ferrier"));
        w().stations().set_station("scene");
        w().action("make scene")->trigger();
        QVERIFY(carried());
        QCOMPARE(scene().casts().size(), size_t(1));
        // One cast alone is its transfer.
        QCOMPARE(document().casts[0].take, std::string("quay-walk"));
        QTest::mouseClick(word("add a cast"), Qt::LeftButton);
        QVERIFY(carried());
        QCOMPARE(scene().casts().size(), size_t(2));
        QCOMPARE(scene().in_hand(), size_t(1));
        auto* take = named<QComboBox>("take of the cast");
        const int at = take->findText("Weary watch");
        QVERIFY(at >= 0);
        take->setCurrentIndex(at);
        emit take->activated(at);
        QVERIFY(carried());
        QCOMPARE(document().casts[1].take, std::string("weary-watch"));
        auto* target = named<QComboBox>("target of the cast");
        target->setCurrentIndex(target->findText("the dockhand"));
        emit target->activated(target->currentIndex());
        QVERIFY(carried());
        named<QDoubleSpinBox>("stands along X")->setValue(150.0);
        QVERIFY(carried());
        w().action("save")->trigger();
        QCOMPARE(w().workspace().unsaved().size(), size_t(0));
        const std::string path = (library() + "/scenes/scene.scene.json").toStdString();
        const SceneDocument saved = read_scene(read_document(path, "scene"), path);
        QVERIFY(saved == document());
        QCOMPARE(saved.casts[1].at_m.x(), 1.5);
        w().workspace().close_scene();
        QVERIFY(!scene().is_open());
        QTRY_COMPARE(w().workspace().scenes().size(), size_t(2));
        w().workspace().open_scene(QString::fromStdString(path));
        QVERIFY(carried());
        QCOMPARE(text_of(scene().casts()[1].body->file.character.name), QString("the dockhand"));
        // Order and removal.
        w().workspace().take_in_hand(1, 0);
        QVERIFY(carried());
        QTest::mouseClick(word("move up"), Qt::LeftButton);
        QVERIFY(carried());
        QCOMPARE(document().casts[0].take, std::string("weary-watch"));
        QTest::mouseClick(word("remove"), Qt::LeftButton);
        QVERIFY(carried());
        QCOMPARE(scene().casts().size(), size_t(1));
        w().undo_stack().undo();
        QVERIFY(carried());
        QCOMPARE(scene().casts().size(), size_t(2));
    }

    void a_cast_that_begins_late_is_padded_with_an_idle_take() {
        QVERIFY(choose_take("Quay walk"));
        QVERIFY(choose_target("the ferrier"));
        w().stations().set_station("scene");
        w().action("make scene")->trigger();
        QVERIFY(carried());
        QTest::mouseClick(word("add a cast"), Qt::LeftButton);
        QVERIFY(carried());
        named<QSpinBox>("starts at frame")->setValue(150);
        QVERIFY(carried());
        const double dt = scene().scene().casts[1].take->frame_time_s;
        const int frames = scene().scene().casts[1].take->frames;
        const Pose began = scene().pose_at(1, 3.0 + 150 * dt, false);
        auto* idle = named<QComboBox>("before and after");
        const int at = idle->findText("idles: Weary watch");
        QVERIFY(at > 0);
        idle->setCurrentIndex(at);
        emit idle->activated(at);
        QVERIFY2(QTest::qWaitFor([&] { return document().casts[1].take == "quay-walk-padded"; }, 20000),
                 qPrintable(w().notice().line()));
        QVERIFY(carried());
        QVERIFY(std::abs(document().casts[1].start_s) < 1e-4);
        QCOMPARE(scene().scene().casts[1].take->frames, frames + 150);
        // It moves meanwhile, and then does what it did, where it did it.
        const Pose first = scene().pose_at(1, 0.2, false), later = scene().pose_at(1, 1.2, false);
        const size_t head = size_t(scene().casts()[1].source->file.character.roles.joint("head"));
        QVERIFY((first.p[head] - later.p[head]).norm() > 1e-3);
        const Pose now = scene().pose_at(1, 3.0 + 150 * dt, false);
        const double off = (now.p[head] - began.p[head]).norm();
        QVERIFY2(off < 0.01, qPrintable(QString::number(off)));
        w().undo_stack().undo();
        QVERIFY(carried());
        QCOMPARE(document().casts[1].take, std::string("quay-walk"));
        QVERIFY(std::abs(document().casts[1].start_s - 150 * dt) < 1e-4);
    }

    /// On the software renderer; what is drawn a second is told, not judged (times of this machine are noisy).
    void four_casts_play() {
        open_help_up();
        for (int i = 0; i < 2; ++i) {
            QTest::mouseClick(word("add a cast"), Qt::LeftButton);
            QVERIFY(carried());
            named<QDoubleSpinBox>("stands along X")->setValue(150.0 * (i + 1));
            QVERIFY(carried());
        }
        QVERIFY2(scene().casts().size() == 4, qPrintable(w().notice().line()));
        QVERIFY(!word("add a cast")->isEnabled());
        w().stage().setFocus();
        w().playback().play(true);
        QTest::qWait(4500);
        const double drawn = w().stage().drawn_per_second();
        w().playback().play(false);
        qInfo("four casts: %.1f pictures a second", drawn);
        QVERIFY(drawn > 0.0);
        // None of them lies in another's picture: all four are named in the sentence.
        QCOMPARE(w().sentence().cast_words().size(), size_t(3));
        stage_picture();
        if (qEnvironmentVariableIsSet("NB_SHOT")) w().grab().save(qEnvironmentVariable("NB_SHOT"));
        undo_all();
        QCOMPARE(scene().casts().size(), size_t(2));
    }

    void a_station_works_on_the_cast_in_hand() {
        open_help_up();
        PairingSettings settings = w().workspace().settings();
        settings.passes.contacts = false;
        w().undo_stack().push(new ChangeSettings(w().workspace(), settings, "without contacts"));
        QVERIFY(carried());
        QVERIFY(!scene().result()->settings[0].passes.contacts);
        QVERIFY(scene().result()->settings[1].passes.contacts);
        // The scene's distances stay, whatever the pair says.
        QVERIFY(scene().result()->settings[0].scale == scene().result()->settings[1].scale);
        undo_all();
        QVERIFY(scene().result()->settings[0].passes.contacts);
    }

    void all_casts_are_handed_over_with_one_order() {
        open_help_up();
        const QString out = folder_.filePath("out");
        QDir(out).removeRecursively();
        w().workspace().hand_scene_over(out);
        QVERIFY(QTest::qWaitFor([&] { return !w().workspace().is_busy(); }, 30000));
        QCOMPARE(QDir(out).entryList({"*.glb"}, QDir::Files, QDir::Name),
                 (QStringList{"giver.glb", "taker.glb"}));
        QVERIFY(w().notice().line().startsWith("Written: 2 casts"));
        const LoadedFile written = load_file((out + "/taker.glb").toStdString());
        QCOMPARE(written.take->frames, 792);
        // Nothing is written over.
        w().workspace().hand_scene_over(out);
        QVERIFY(w().notice().line().contains("is there already"));
    }

    void a_take_of_the_library_leaves_the_scene_and_its_changes_are_kept() {
        open_help_up();
        named<QDoubleSpinBox>("stands along Z")->setValue(12.5);
        QVERIFY(carried());
        QVERIFY(choose_take("Quay walk"));
        QVERIFY(!scene().is_open());
        QCOMPARE(w().workspace().unsaved().size(), size_t(1));
        // Undo reaches it where it lies.
        w().undo_stack().undo();
        QCOMPARE(w().workspace().unsaved().size(), size_t(0));
        w().undo_stack().redo();
        w().workspace().open_scene(library() + "/scenes/help-up.scene.json");
        QVERIFY(carried());
        QCOMPARE(document().casts[0].at_m.z(), 0.125);
        w().workspace().save();
        QCOMPARE(w().workspace().unsaved().size(), size_t(0));
    }

    void the_finder_knows_scenes_and_casts() {
        open_help_up();
        w().find_anything();
        auto& finder = w().part<Finder>();
        finder.field()->setText("taker");
        QTest::keyClick(finder.field(), Qt::Key_Return);
        QVERIFY(carried());
        QCOMPARE(scene().in_hand(), size_t(1));
    }

    void broken_scenes_are_told_and_nothing_changes() {
        const auto write = [&](const QString& name, const QByteArray& text) {
            QFile file(folder_.filePath(name));
            QVERIFY(file.open(QIODevice::WriteOnly));
            file.write(text);
        };
        write("cut.scene.json", "{\"format\": \"nimble-bone/scene\", \"vers");
        write("gone.scene.json",
              R"({"format":"nimble-bone/scene","version":1,"id":"x","name":"gone",
                  "casts":[{"name":"a","take":"nobody","target":"ferrier"}]})");
        for (const QString name : {"cut.scene.json", "gone.scene.json", "none.scene.json"}) {
            w().open_files({folder_.filePath(name)});
            QVERIFY(QTest::qWaitFor([&] { return !w().workspace().is_busy(); }, 10000));
            QVERIFY(!scene().is_open());
            QVERIFY2(w().notice().line().contains(name), qPrintable(w().notice().line()));
            QVERIFY(w().workspace().target());
            QCOMPARE(w().workspace().unsaved().size(), size_t(0));
        }
    }
};

NB_TEST_WITH(nb::test::WindowApplication, SceneWindowTest)
}  // namespace test_scene_window
#include "test_scene_window.moc"
