// What the window says of its state: the line under the sentence, what is open; a result that becomes the next
// take; views from all sides; the playing range through a repair.
#include <QListWidget>
#include <QUndoStack>
#include <QtTest>

#include "app/dock/open_list.hpp"
#include "app/window/main_window.hpp"
#include "app/window/sentence_bar.hpp"
#include "app/window/state_line.hpp"
#include "tests/app/window_fixture.hpp"

namespace test_state_window {

using namespace nb;

class StateWindowTest : public test::WindowFixture {
    Q_OBJECT

    QString state() { return w().part<StateLine>().words(); }
    bool choose_target(const QString& name) {
        const auto& targets = w().workspace().targets();
        for (size_t i = 0; i < targets.size(); ++i)
            if (targets[i].name == name) w().workspace().choose_target(int(i));
        return settled();
    }

  private slots:
    void the_line_says_what_it_is_carried_with_and_whether_what_was_written_holds() {
        QTRY_VERIFY2(state().startsWith("rests: T and T · the usual passes"), qPrintable(state()));
        QVERIFY(state().contains("not written yet"));
        w().export_to(folder_.filePath("walk.glb"));
        QVERIFY(settled());
        QTRY_VERIFY2(state().contains("written as walk.glb, still so"), qPrintable(state()));
        PairingSettings settings = w().workspace().settings();
        settings.passes.contacts = false;
        w().undo_stack().push(new ChangeSettings(w().workspace(), settings, "leave out"));
        QVERIFY(settled());
        QTRY_VERIFY2(state().contains("without contacts") && state().contains("changed since it was written"),
                     qPrintable(state()));
        // Undone it is the same motion again.
        w().undo_stack().undo();
        QVERIFY(settled());
        QTRY_VERIFY2(state().contains("still so"), qPrintable(state()));
        QVERIFY(QFile::remove(folder_.filePath("walk.glb")));
        emit w().workspace().written_changed();
        QTRY_VERIFY2(state().contains("which is gone"), qPrintable(state()));
    }
    void a_result_is_the_take_of_another_target() {
        QVERIFY(choose_target("the ferrier"));
        const auto first = w().workspace().finished();
        QVERIFY(first);
        w().action("go on from result")->trigger();
        QVERIFY(choose_target("the net-mender"));
        QCOMPARE(w().workspace().source()->file.character.name, std::string("the ferrier"));
        QVERIFY(w().sentence().sentence().contains("moved by the ferrier, carried onto the net-mender"));
        // The source's motion is what the ferrier did.
        const auto second = w().workspace().finished();
        QVERIFY(second && second->source.frames == first->target.frames);
        double largest = 0.0;
        for (int f = 0; f < first->target.frames; f += 50)
            for (int j = 0; j < first->target.joints; ++j)
                largest = std::max(largest, (second->source.p[second->source.at(f, j)] -
                                             first->target.p[first->target.at(f, j)])
                                                .norm());
        QVERIFY2(largest < 1e-6, qPrintable(QString::number(largest)));
        // It has no file: nothing of it is unsaved, and how it is read cannot be changed.
        QVERIFY(!w().workspace().has_unsaved_changes());
        QVERIFY(!w().workspace().set_intake(w().workspace().key(false), {}));
        QVERIFY(choose_take("Quay walk"));
        QCOMPARE(w().workspace().source()->file.character.name, std::string("the performer"));
        // And back, without reading anything.
        for (const OpenState& open : w().workspace().open_now())
            if (open.name.contains("the ferrier") && open.key.kind == DocumentKey::Kind::take)
                w().workspace().open_again(open.key);
        QVERIFY(settled());
        QCOMPARE(w().workspace().source()->file.character.name, std::string("the ferrier"));
        QVERIFY(choose_take("Quay walk"));
    }
    void what_is_open_is_listed_with_its_state() {
        QVERIFY(choose_target("the dockhand"));
        RoleMap roles = w().workspace().target()->file.character.roles;
        roles.is_settled = !roles.is_settled;
        w().workspace().set_roles(w().workspace().key(true), roles);
        QVERIFY(settled());
        QVERIFY(choose_target("the ferrier"));
        w().show_library(true);
        auto& list = w().part<OpenList>();
        QVERIFY(list.isVisible());
        int dockhand = -1;
        for (int row = 0; row < list.count(); ++row)
            if (list.item(row)->text().startsWith("the dockhand")) dockhand = row;
        QVERIFY(dockhand >= 0);
        QVERIFY2(list.item(dockhand)->text().contains("not saved: roles"),
                 qPrintable(list.item(dockhand)->text()));
        const QRect place = list.visualItemRect(list.item(dockhand));
        list.scrollToItem(list.item(dockhand));
        QTest::mouseClick(list.viewport(), Qt::LeftButton, {},
                          list.visualItemRect(list.item(dockhand)).center());
        QVERIFY(place.isValid() && settled());
        QCOMPARE(w().workspace().target()->file.character.name, std::string("the dockhand"));
        w().show_library(false);
    }
    void views_come_from_all_sides() {
        w().stage().set_view(View::front);
        const Vec3 ahead = w().stage().camera().forward();
        w().action("opposite view")->trigger();
        QCOMPARE(w().stage().view(), View::back);
        QVERIFY(w().stage().camera().forward().dot(ahead) < -0.99);
        w().action("view from below")->trigger();
        QVERIFY(w().stage().camera().forward().y() > 0.99);
        w().action("opposite view")->trigger();
        QCOMPARE(w().stage().view(), View::top);
        const QImage plain = stage_picture();
        w().action("links")->trigger();
        QVERIFY(w().stage().has_links() && stage_picture() != plain);
        w().action("links")->trigger();
        w().action("source size")->trigger();
        QVERIFY(w().stage().is_source_sized());
        w().action("source size")->trigger();
        w().stage().set_view(View::three_quarter);
    }
    void the_range_and_the_pin_outlive_a_repair() {
        QVERIFY(choose_target("the ferrier"));
        w().playback().set_range(120, 240);
        w().playback().go_to(150);
        w().workspace().pin("before");
        QVERIFY(w().workspace().pinned());
        const Pose before = pose_of(w().workspace().pinned()->result->target, 150);
        LoadOptions options = w().workspace().intake(w().workspace().key(false));
        options.trim_first = 100;
        w().undo_stack().push(new ChangeIntake(w().workspace(), false, options, "trim"));
        QVERIFY(QTest::qWaitFor([&] { return w().playback().first() == 20; }, 10000));
        QVERIFY(settled());
        QCOMPARE(w().playback().last(), 140);
        QCOMPARE(w().playback().frame(), 50);
        // The pinned figure stands where it stood in the file.
        QVERIFY(w().workspace().pinned());
        QCOMPARE(w().workspace().pinned_frame(50), 150);
        QVERIFY((pose_of(w().workspace().pinned()->result->target, 150).p[0] - before.p[0]).norm() < 1e-12);
        // The range becomes the take.
        w().action("trim to range")->trigger();
        QVERIFY(QTest::qWaitFor([&] { return w().playback().frames() == 120; }, 10000));
        QVERIFY(settled());
        QVERIFY(w().playback().is_whole());
        QVERIFY(choose_take("Haul rope"));
        QVERIFY(!w().workspace().pinned());
        QVERIFY(choose_take("Quay walk"));
    }
};

NB_TEST_WITH(nb::test::WindowApplication, StateWindowTest)
}  // namespace test_state_window
#include "test_state_window.moc"
