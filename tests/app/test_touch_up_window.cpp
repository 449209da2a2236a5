// The station Touch-up as a person uses it: a bone turned on the stage about a frame, its span dragged in the lane,
// a hand posed, a walk looped; muted, moved to another level, undone, saved and found again.
#include <QComboBox>
#include <QDir>
#include <QDoubleSpinBox>
#include <QLabel>
#include <QLineEdit>
#include <QListWidget>
#include <QToolButton>

#include "app/stations/touch_up/touch_lanes.hpp"
#include "app/stations/touch_up/touch_panel.hpp"
#include "app/stations/touch_up/touch_sheet.hpp"
#include "app/stations/transfer/event_desk.hpp"
#include "app/window/notice_bar.hpp"
#include "app/window/station_line.hpp"
#include "app/window/transport.hpp"
#include "core/rest/edit.hpp"
#include "tests/app/window_fixture.hpp"

namespace test_touch_up_window {

using namespace nb;
using namespace nb::test;

class TouchUpWindowTest : public WindowFixture {
    Q_OBJECT

    const Character& body() { return w().workspace().target()->file.character; }
    TouchPanel& panel() { return w().part<TouchPanel>(); }
    TouchEdits& edits() { return w().part<TouchEdits>(); }
    TouchLanes& lanes() { return w().part<TouchLanes>(); }
    void click(const QString& word) {
        for (auto* button : panel().findChildren<QToolButton*>())
            if (button->text() == word) return QTest::mouseClick(button, Qt::LeftButton);
        QFAIL(qPrintable("no button " + word));
    }
    QToolButton* box_of(const QString& word) {
        for (auto* button : panel().findChildren<QToolButton*>())
            if (button->text() == word) return button;
        return nullptr;
    }
    Pose target_at(int frame) {
        Pose source, target;
        w().workspace().poses_at(frame, source, target);
        return target;
    }
    void undo_all() {
        while (w().undo_stack().canUndo()) w().undo_stack().undo();
        QVERIFY(settled());
    }
    /// Takes hold of some hoop of the bone in hand and drags it.
    QPoint a_hoop() {
        const auto handle = w().stage().handle();
        if (!handle) return {};
        const QSize view = w().stage().size();
        for (int i = 0; i < 72; ++i) {
            const Vec3 seen =
                w().stage().camera().project(handle->point(i % 3, i * 0.37), view.width(), view.height());
            double angle = 0.0;
            const QPoint at = QPointF(seen.x(), seen.y()).toPoint();
            if (handle->hoop_at(w().stage().camera(), view, at, angle) >= 0) return at;
        }
        return {};
    }

    void to_touch_up() {
        w().resize(1280, 800);
        QVERIFY(settled());
        w().stations().set_station("touch up");
        w().stage().set_spread(0.75);
        w().playback().play(false);
    }

  private slots:
    void a_bone_turned_on_the_stage_arrives_holds_and_goes() {
        to_touch_up();
        w().playback().go_to(180);
        panel().pick("upperarm.right");
        QTest::qWait(50);
        const QPoint at = a_hoop();
        QVERIFY(!at.isNull());
        const Pose before = target_at(180);
        const Pose far_before = target_at(60);
        const size_t arm = size_t(body().roles.joint("upperarm.right"));
        const size_t foot = size_t(body().roles.joint("foot.left"));
        QTest::mousePress(&w().stage(), Qt::LeftButton, {}, at);
        QVERIFY(w().stage().is_turning());
        for (const QPoint& step : {QPoint(8, 6), QPoint(22, 18)}) QTest::mouseMove(&w().stage(), at + step);
        // At once, before the hand lets go and the take is carried.
        const double shown = rad_to_deg(angle_between(before.R[arm], target_at(180).R[arm]));
        QVERIFY2(shown > 2.0 && shown < 120.0, qPrintable(QString::number(shown)));
        QTest::mouseRelease(&w().stage(), Qt::LeftButton, {}, at + QPoint(22, 18));
        QVERIFY(settled());
        QCOMPARE(int(edits().all().size()), 1);
        QVERIFY(edits().touch_in_hand() && edits().touch_in_hand()->what == "upperarm.right");
        const Pose after = target_at(180);
        QVERIFY(std::abs(rad_to_deg(angle_between(before.R[arm], after.R[arm])) - shown) < 0.5);
        QVERIFY((after.p[foot] - before.p[foot]).norm() < 1e-6);
        // Nowhere else, to the bit.
        const Pose far = target_at(60);
        for (size_t j = 0; j < far.R.size(); ++j) QVERIFY(far.R[j].coeffs() == far_before.R[j].coeffs());
        QVERIFY(!w().part<TouchSheet>().findChild<QLabel*>("cost")->text().isEmpty());
        // The same hoop again goes on with the same touch-up; one step back undoes one drag.
        const QPoint again = a_hoop();
        drag(w().stage(), again, again + QPoint(-14, 9));
        QCOMPARE(int(edits().all().size()), 1);
        w().undo_stack().undo();
        QCOMPARE(int(edits().all().size()), 1);
        // Escape takes a drag back.
        const Vec3 turn = edits().touch_in_hand()->turn_rad;
        QTest::mousePress(&w().stage(), Qt::LeftButton, {}, again);
        QTest::mouseMove(&w().stage(), again + QPoint(20, 10), 10);
        QTest::keyClick(&w(), Qt::Key_Escape);
        QTest::mouseRelease(&w().stage(), Qt::LeftButton, {}, again);
        QVERIFY((edits().touch_in_hand()->turn_rad - turn).norm() < 1e-12);
        w().undo_stack().undo();
        QVERIFY(edits().all().empty());
        QVERIFY(settled());
        QVERIFY(target_at(180).R[arm].coeffs() == before.R[arm].coeffs());
        QVERIFY(!w().workspace().has_unsaved_changes());
    }

    void a_hand_is_brought_to_the_brow_by_its_arms() {
        to_touch_up();
        w().playback().go_to(180);
        panel().pick("hand.right");
        click("move it");
        QTest::qWait(50);
        const auto arms = w().stage().place_handle();
        QVERIFY(arms.has_value() && !w().stage().handle());
        const size_t hand = size_t(body().roles.joint("hand.right"));
        const size_t foot = size_t(body().roles.joint("foot.left"));
        const Pose before = target_at(180);
        const QPoint up = arms->grip(w().stage().camera(), w().stage().size(), 1).toPoint();
        QTest::mousePress(&w().stage(), Qt::LeftButton, {}, up);
        QVERIFY(w().stage().is_placing());
        QTest::mouseMove(&w().stage(), up - QPoint(0, 12));
        QTest::mouseMove(&w().stage(), up - QPoint(0, 30));
        const Vec3 shown = target_at(180).p[hand] - before.p[hand];
        QVERIFY2(shown.y() > 0.05 && std::hypot(shown.x(), shown.z()) < 0.02,
                 qPrintable(QString("%1 %2 %3").arg(shown.x()).arg(shown.y()).arg(shown.z())));
        QTest::mouseRelease(&w().stage(), Qt::LeftButton, {}, up - QPoint(0, 30));
        QVERIFY(settled());
        const Pose after = target_at(180);
        QVERIFY((after.p[hand] - before.p[hand] - shown).norm() < 1e-3);
        QVERIFY(angle_between(after.R[hand], before.R[hand]) < 1e-9);
        QVERIFY((after.p[foot] - before.p[foot]).norm() < 1e-9);
        // A shoulder cannot be moved: hoops again, and it is said.
        panel().pick("upperarm.right");
        QVERIFY(!w().stage().place_handle() && w().stage().handle());
        undo_all();
        QVERIFY((target_at(180).p[hand] - before.p[hand]).norm() < 1e-12);
    }

    /// The task of a newcomer: the hand to the cheek for a second, the walk made a loop, saved, found again. Counted: what
    /// the hand does on mouse and keys.
    void a_hand_to_the_cheek_and_a_looping_walk() {
        to_touch_up();
        int counted = 0;
        auto* line = w().findChild<TimeLine*>();
        const auto on_line = [&](int frame) { return QPoint(int(line->x_of(frame)), 8); };
        // Where the hand is seen is found by taking it up once, uncounted.
        w().playback().go_to(200);
        panel().pick("hand.right");
        box_of("move it")->click();
        QTest::qWait(50);
        const Pose at_200 = target_at(200);
        const auto place = [&](const char* role) { return at_200.p[size_t(body().roles.joint(role))]; };
        const Vec3 palm = 0.6 * (place("middle.1.right") - place("hand.right"));
        const Vec3 seen_at = w().stage().camera().project(w().stage().place_handle()->centre_m + palm,
                                                          w().stage().width(), w().stage().height());
        w().stage().select(true, -1);
        box_of("turn it")->click();
        w().playback().go_to(0);

        QTest::mouseClick(line, Qt::LeftButton, {}, on_line(200)), ++counted;
        QCOMPARE(w().playback().frame(), 200);
        QTest::mouseClick(&w().stage(), Qt::LeftButton, {}, QPoint(int(seen_at.x()), int(seen_at.y()))),
            ++counted;
        QVERIFY(w().stage().is_selected_in_target() && w().stage().selected_joint() >= 0);
        const std::string picked = body().roles.role_of(w().stage().selected_joint());
        QVERIFY2(picked == "hand.right", picked.c_str());
        box_of("move it")->click(), ++counted;
        QTest::qWait(50);
        // Along the arms: up, ahead, to the face.
        const int hand = body().roles.joint("hand.right");
        const auto goal = [&](const Pose& pose) {
            const size_t head = size_t(body().roles.joint("head"));
            const Quat turned = pose.R[head] * body().rest.R_WJ0[head].conjugate();
            return Vec3(pose.p[head] + turned * Vec3(-0.11, 0.02, 0.10));
        };
        for (int round = 0; round < 2; ++round)
            for (const int arm : {1, 2, 0}) {
                const auto arms = w().stage().place_handle();
                QVERIFY(arms.has_value());
                const Pose now = target_at(200);
                const Vec3 axis = arms->R_WA * Vec3(Vec3::Unit(arm));
                const double way = (goal(now) - now.p[size_t(hand)]).dot(axis);
                if (std::abs(way) < 0.03) continue;
                const QPoint grip = arms->grip(w().stage().camera(), w().stage().size(), arm).toPoint();
                const auto pixel = [&](const Vec3& p) {
                    const Vec3 at =
                        w().stage().camera().project(p, w().stage().width(), w().stage().height());
                    return QPointF(at.x(), at.y());
                };
                const QPointF by = pixel(arms->centre_m + way * axis) - pixel(arms->centre_m);
                drag(w().stage(), grip, grip + by.toPoint()), ++counted;
                QVERIFY(settled());
            }
        const Pose there = target_at(200);
        const double miss = (goal(there) - there.p[size_t(hand)]).norm();
        QVERIFY2(miss < 0.12, qPrintable(QString::number(miss)));
        // For a second: its end in the lane.
        QCOMPARE(int(edits().all().size()), 1);
        using Grip = TouchLanes::Grip;
        const TouchSpan when = edits().touch_in_hand()->when;
        const double px_per_s = (lanes().place_of(0, Grip::end) - lanes().place_of(0, Grip::begin)).x() /
                                (when.end_s() - when.begin_s());
        const QPoint to = lanes().place_of(0, Grip::to);
        drag(lanes(), to, to + QPoint(int(px_per_s * (1.0 - when.to_s + when.from_s)), 0)), ++counted;
        const TouchSpan longer = edits().touch_in_hand()->when;
        QVERIFY(std::abs(longer.to_s - longer.from_s - 1.0) < 0.1);
        // The walk from one step to the next but one, again and again.
        const auto ring = [&](int frame, int side) { return QPoint(int(line->x_of(frame)) + side * 4, 19); };
        drag(*line, ring(0, -1), QPoint(int(line->x_of(150)), 19)), ++counted;
        drag(*line, ring(w().playback().last() - 1, 1), QPoint(int(line->x_of(284)), 19)), ++counted;
        const auto range = QString("%1 to %2").arg(w().playback().first()).arg(w().playback().last());
        QVERIFY2(std::abs(w().playback().first() - 150) < 5 && std::abs(w().playback().last() - 285) < 5,
                 qPrintable(range));
        click("loop"), ++counted;
        QVERIFY(settled());
        QTest::keyClick(&w(), Qt::Key_S, Qt::ControlModifier), ++counted;
        QVERIFY2(w().notice().line().startsWith("Saved"), qPrintable(w().notice().line()));
        qInfo("clicks, drags and keys: %d; the hand is %.1f cm from the cheek", counted, 100 * miss);
        QVERIFY2(counted <= 12, qPrintable(QString::number(counted)));
        MainWindow tomorrow;
        tomorrow.open_files({library()});
        QVERIFY(QTest::qWaitFor(
            [&] { return !tomorrow.workspace().is_busy() && tomorrow.workspace().review() != nullptr; },
            20000));
        QCOMPARE(int(tomorrow.part<TouchEdits>().all().size()), 2);
    }
    void ends_and_eases_are_dragged_in_the_lane() {
        to_touch_up();
        w().playback().go_to(180);
        panel().pick("hand.left");
        click("hand pose");
        QCOMPARE(int(edits().all().size()), 1);
        const TouchSpan before = edits().touch_in_hand()->when;
        using Grip = TouchLanes::Grip;
        QTest::qWait(50);
        const QPoint to = lanes().place_of(0, Grip::to);
        drag(lanes(), to, to + QPoint(60, 0));
        TouchSpan now = edits().touch_in_hand()->when;
        QVERIFY(now.to_s > before.to_s + 0.1 && now.from_s == before.from_s);
        const QPoint begin = lanes().place_of(0, Grip::begin);
        drag(lanes(), begin, begin - QPoint(40, 0));
        QVERIFY(edits().touch_in_hand()->when.arrive_s > before.arrive_s + 0.05);
        now = edits().touch_in_hand()->when;
        const QPoint whole = lanes().place_of(0, Grip::whole);
        drag(lanes(), whole, whole + QPoint(50, 0));
        const TouchSpan moved = edits().touch_in_hand()->when;
        QVERIFY(std::abs((moved.to_s - moved.from_s) - (now.to_s - now.from_s)) < 1e-9);
        QVERIFY(moved.from_s > now.from_s + 0.1);
        // A drag is one step back.
        w().undo_stack().undo();
        QCOMPARE(edits().touch_in_hand()->when.from_s, now.from_s);
        // Typed.
        named<QDoubleSpinBox>("to")->setValue(6.5);
        QCOMPARE(edits().touch_in_hand()->when.to_s, 6.5);
        // To the next places where it changes.
        w().playback().go_to(0);
        panel().step_key(1);
        const int first = w().playback().frame();
        panel().step_key(1);
        QVERIFY(first > 0 && w().playback().frame() > first);
        panel().step_key(-1);
        QCOMPARE(w().playback().frame(), first);
        // Copied, pasted at another frame, mirrored.
        edits().copy(edits().in_hand());
        edits().paste(8.0);
        QCOMPARE(int(edits().all().size()), 2);
        QCOMPARE(edits().touch_in_hand()->when.from_s, 8.0);
        edits().mirror(edits().in_hand());
        QVERIFY(edits().touch_in_hand()->what == "hand.right");
        undo_all();
        QVERIFY(edits().all().empty());
    }

    void the_other_side_and_nudges_are_each_a_step() {
        to_touch_up();
        const RestAlignment& rest = body().rest;
        // About its own bone and about the world: on the other side the body turns to the mirror image.
        for (const TurnAxes axes : {TurnAxes::bone, TurnAxes::world}) {
            TouchUp turn;
            turn.what = "upperarm.left";
            turn.axes = axes;
            turn.turn_rad = {0.2, -0.1, 0.3};
            edits().add(turn, "Turn");
            edits().mirror(edits().in_hand());
            const TouchUp* other = edits().touch_in_hand();
            QVERIFY(other && other->what == "upperarm.right");
            const auto in_world = [&](const TouchUp& touch) -> Vec3 {
                return axes == TurnAxes::world
                           ? touch.turn_rad
                           : Vec3(axes_of(body().rig.skeleton, body().roles, rest, touch.what, axes) *
                                  touch.turn_rad);
            };
            const Vec3 left = in_world(turn), right = in_world(*other);
            QVERIFY((right - Vec3(left.x(), -left.y(), -left.z())).norm() < 1e-9);
        }
        undo_all();
        // Nudges of one touch-up in a row are one step; of another one a step of their own.
        TouchUp arm;
        arm.what = "forearm.left";
        arm.turn_rad = {0.1, 0, 0};
        edits().add(arm, "Turn");
        const TouchAt first = edits().in_hand();
        edits().add(arm, "Turn");
        const TouchAt second = edits().in_hand();
        const int steps = w().undo_stack().index();
        const auto nudge = [&](const TouchAt& at) {
            edits().take_in_hand(at);
            edits().change(at, "Nudge", edits().topic_of(&arm),
                           [](TouchUp& touch) { touch.turn_rad.x() += 0.1; });
        };
        nudge(first);
        nudge(first);
        QCOMPARE(w().undo_stack().index(), steps + 1);
        nudge(second);
        QCOMPARE(w().undo_stack().index(), steps + 2);
        undo_all();
    }

    void layers_are_muted_weighed_moved_and_found_again() {
        to_touch_up();
        w().playback().go_to(200);
        panel().pick("upperarm.left");
        const size_t arm = size_t(body().roles.joint("upperarm.left"));
        const Pose plain = target_at(200);
        click("turn");
        QVERIFY(settled());
        const double whole = angle_between(plain.R[arm], target_at(200).R[arm]);
        QVERIFY(std::abs(rad_to_deg(whole) - 10.0) < 1e-6);
        named<QDoubleSpinBox>("weight of the layer")->setValue(50);
        QVERIFY(settled());
        QVERIFY(std::abs(angle_between(plain.R[arm], target_at(200).R[arm]) - 0.5 * whole) < 1e-9);
        auto* list = named<QListWidget>("layers");
        QCOMPARE(list->count(), 1);
        list->item(0)->setCheckState(Qt::Unchecked);
        QVERIFY(settled());
        QVERIFY(target_at(200).R[arm].coeffs() == plain.R[arm].coeffs());
        w().undo_stack().undo();
        edits().move_to(edits().in_hand(), SettingLevel::character);
        QVERIFY(settled());
        QCOMPARE(int(body().touches.size()), 1);
        QVERIFY(edits().layers(SettingLevel::take).empty());
        QVERIFY(std::abs(angle_between(plain.R[arm], target_at(200).R[arm]) - 0.5 * whole) < 1e-9);
        w().undo_stack().undo();
        QVERIFY(body().touches.empty());
        QCOMPARE(int(edits().layers(SettingLevel::take).size()), 1);
        w().workspace().save();
        QVERIFY(!w().workspace().has_unsaved_changes());
        // Tomorrow.
        MainWindow tomorrow;
        tomorrow.open_files({library()});
        QVERIFY(QTest::qWaitFor(
            [&] { return !tomorrow.workspace().is_busy() && tomorrow.workspace().review() != nullptr; },
            20000));
        const TouchLayers& found = tomorrow.part<TouchEdits>().layers(SettingLevel::take);
        QCOMPARE(int(found.size()), 1);
        QCOMPARE(found.front().weight, 0.5);
        QVERIFY(found.front().touches.front().what == "upperarm.left");
    }

    void a_hand_of_ones_own_goes_into_the_library() {
        to_touch_up();
        w().playback().go_to(150);
        panel().pick("hand.left");
        click("hand pose");
        QVERIFY(settled());
        edits().change(edits().in_hand(), "half open", -1, [](TouchUp& touch) { touch.opening = 0.5; });
        QVERIFY(settled());
        const size_t finger = size_t(body().roles.joint("middle.2.left"));
        const Pose half = target_at(150);
        // Seen: a take without fingers, and yet they close.
        const Quat on_hand = half.R[size_t(body().roles.joint("hand.left"))].conjugate() * half.R[finger];
        const Quat at_rest = body().rest.R_WJ0[size_t(body().roles.joint("hand.left"))].conjugate() *
                             body().rest.R_WJ0[finger];
        QVERIFY(rad_to_deg(angle_between(on_hand, at_rest)) > 40.0);
        auto* name = named<QLineEdit>("name of the shown hand");
        QVERIFY(name && name->isVisible());
        // Without a name nothing is kept.
        click("keep it");
        QVERIFY(!QDir(library() + "/hands").exists());
        QTest::keyClicks(name, "half a fist");
        QTest::keyClick(name, Qt::Key_Return);
        QVERIFY(QFile::exists(library() + "/hands/half-a-fist.json"));
        QVERIFY(edits().touch_in_hand()->own_pose && edits().touch_in_hand()->pose == "half a fist");
        QVERIFY(settled());
        QVERIFY(angle_between(half.R[finger], target_at(150).R[finger]) < 1e-6);
        auto* poses = named<QComboBox>("pose");
        QCOMPARE(poses->currentText(), QString("half a fist"));
        // The same name once more is told, and nothing changes.
        const int steps = w().undo_stack().index();
        QTest::keyClicks(name, "half a fist");
        QTest::keyClick(name, Qt::Key_Return);
        QVERIFY2(w().notice().line().contains("is there already"), qPrintable(w().notice().line()));
        QCOMPARE(w().undo_stack().index(), steps);
        w().undo_stack().undo();
        QVERIFY(!edits().touch_in_hand()->own_pose && edits().touch_in_hand()->pose == "fist");
        // It is offered for other hands and bodies.
        w().workspace().step_target(1);
        QVERIFY(settled());
        panel().pick("hand.right");
        click("hand pose");
        const int at = named<QComboBox>("pose")->findText("half a fist");
        QVERIFY(at >= 0);
        named<QComboBox>("pose")->setCurrentIndex(at);
        emit named<QComboBox>("pose")->activated(at);
        QVERIFY(edits().touch_in_hand()->own_pose.has_value());
        QVERIFY(settled());
    }

    void what_three_takes_need_is_offered_for_the_body() {
        to_touch_up();
        auto* offer = panel().findChild<QLabel*>("habit");
        for (int take = 0; take < 3; ++take) {
            w().workspace().choose_take(take);
            QVERIFY(settled());
            QVERIFY(offer->isHidden());
            TouchUp thumb;
            thumb.what = "thumb.1.left";
            thumb.turn_rad = {0, 0, 0.2};
            edits().add(thumb, "Turn");
            QVERIFY(settled());
        }
        QVERIFY(!offer->isHidden());
        QVERIFY2(offer->text().contains("on 3 takes"), qPrintable(offer->text()));
        const Pose before = target_at(30);
        emit offer->linkActivated("keep");
        QVERIFY(settled());
        QCOMPARE(int(body().touches.size()), 1);
        QCOMPARE(body().touches[0].name, std::string("always"));
        QVERIFY(edits().layers(SettingLevel::take).empty());
        QVERIFY(offer->isHidden());
        const Pose after = target_at(30);
        for (size_t j = 0; j < after.R.size(); ++j) QVERIFY(angle_between(before.R[j], after.R[j]) < 1e-9);
        w().undo_stack().undo();
        QVERIFY(body().touches.empty());
        QVERIFY(!offer->isHidden());
        undo_all();
    }

    void a_body_is_raised_and_its_ends_stay() {
        to_touch_up();
        w().playback().go_to(180);
        click("whole body");
        QVERIFY(settled());
        const size_t hand = size_t(body().roles.joint("hand.left"));
        const Pose gone = target_at(180);
        box("hands and feet stay")->click();
        QVERIFY(edits().touch_in_hand()->ends_stay);
        QVERIFY(settled());
        QVERIFY((target_at(180).p[hand] - gone.p[hand]).norm() > 0.05);
        undo_all();
    }

    void a_swing_is_held_inside_a_range() {
        to_touch_up();
        panel().pick("upperarm.left");
        click("damp");
        QVERIFY(edits().touch_in_hand()->range_rad == 0.0);
        emit named<QComboBox>("damps")->activated(1);
        QVERIFY(edits().touch_in_hand()->range_rad > 0.0);
        QVERIFY2(touch_words(*edits().touch_in_hand()).startsWith("inside"),
                 qPrintable(touch_words(*edits().touch_in_hand())));
        QVERIFY(settled());
        undo_all();
    }

    void a_walk_loops_on_the_spot_and_slows_down() {
        to_touch_up();
        const int frames = w().playback().frames();
        w().playback().set_range(120, 300);
        click("loop");
        QVERIFY(edits().touch_in_hand() && !edits().touch_in_hand()->when.is_whole);
        box("keeps its travel")->click();
        QVERIFY(!edits().touch_in_hand()->has_travel);
        QVERIFY(settled());
        const auto result = w().workspace().finished();
        QVERIFY(result != nullptr);
        const int hips = body().roles.joint("hips");
        const Vec3 first = result->target.p[result->target.at(120, hips)];
        const Vec3 last = result->target.p[result->target.at(299, hips)];
        QVERIFY2(std::hypot(first.x() - last.x(), first.z() - last.z()) < 0.1,
                 qPrintable(QString("%1 %2").arg(first.x() - last.x()).arg(first.z() - last.z())));
        undo_all();
        click("pace");
        named<QDoubleSpinBox>("pace")->setValue(50);
        QVERIFY(settled());
        QVERIFY(w().playback().frames() > frames + 100);
        w().playback().go_to(w().playback().frames() - 1);
        QVERIFY(!target_at(w().playback().frame()).R.empty());
        undo_all();
        QCOMPARE(w().playback().frames(), frames);
    }

    void a_fault_leads_to_its_touch_up() {
        to_touch_up();
        // A hand that is not where the source's is: its remedy leads here, with the bone in hand.
        w().stations().set_station("transfer");
        EventDesk& desk = w().part<EventDesk>();
        int event = -1;
        int remedy = -1;
        const auto look_for = [&] {
            for (int i = 0; i < int(desk.events().size()) && event < 0; ++i)
                for (int r = 0; r < int(desk.events()[size_t(i)].remedies.size()); ++r)
                    if (desk.events()[size_t(i)].remedies[size_t(r)].change.starts_with("touch=")) {
                        event = i;
                        remedy = r;
                    }
        };
        for (size_t take = 0; take < w().workspace().takes().size() && event < 0; ++take)
            for (size_t target = 0; target < w().workspace().targets().size() && event < 0; ++target) {
                w().workspace().choose_take(int(take));
                w().workspace().choose_target(int(target));
                QVERIFY(settled());
                look_for();
            }
        QVERIFY2(event >= 0, "some hand of the crew is off the source's");
        const std::string what = desk.events()[size_t(event)].remedies[size_t(remedy)].change.substr(6);
        desk.remedy(event, remedy);
        QCOMPARE(w().stations().station().about().id, QString("touch up"));
        QCOMPARE(w().stage().selected_joint(), body().roles.joint(what));
        QCOMPARE(w().playback().frame(), desk.events()[size_t(event)].worst_frame);
    }
};

NB_TEST_WITH(nb::test::WindowApplication, TouchUpWindowTest)
}  // namespace test_touch_up_window
#include "test_touch_up_window.moc"
