// The contact lanes of the Transfer station, driven as a person drives them: drag an end, draw, remove,
// another kind, undo, save, and a crash.
#include <QCheckBox>
#include <QMenu>
#include <QToolButton>
#include <QUndoStack>
#include <QtTest>

#include "app/stations/transfer/contact_lanes.hpp"
#include "app/stations/transfer/error_strip.hpp"
#include "app/stations/transfer/event_desk.hpp"
#include "app/stations/transfer/transfer_panel.hpp"
#include "app/stations/transfer/transfer_sheet.hpp"
#include "app/window/main_window.hpp"
#include "app/window/notice_bar.hpp"
#include "core/base/fault.hpp"
#include "core/documents/contacts.hpp"
#include "core/library/library.hpp"
#include "core/solve/hold.hpp"
#include "core/solve/program.hpp"
#include "tests/app/window_fixture.hpp"

namespace test_contacts_window {

using namespace nb;

class ContactsWindowTest : public test::WindowFixture {
    Q_OBJECT

    ContactLanes& lanes() { return w().part<ContactLanes>(); }
    const Contacts& contacts() { return w().workspace().contacts(); }
    /// The first contact of a point from a frame on.
    int index_of(const std::string& point, int from) {
        for (int i = 0; i < int(contacts().list.size()); ++i)
            if (contacts().list[size_t(i)].point == point && contacts().list[size_t(i)].first >= from)
                return i;
        return -1;
    }
    /// Documents keep 12 digits of a height.
    static bool is_same(const Contacts& a, const Contacts& b) {
        return a.is_by_hand == b.is_by_hand &&
               std::equal(a.list.begin(), a.list.end(), b.list.begin(), b.list.end(),
                          [](const Contact& x, const Contact& y) {
                              return x.point == y.point && x.first == y.first && x.last == y.last &&
                                     x.kind == y.kind && std::abs(x.level_m - y.level_m) < 1e-9;
                          });
    }
    /// How far the target's left ball is from where it is at a frame, cm.
    double moved_cm(int from, int to) {
        const auto result = w().workspace().result();
        const Sole& sole = result->plan.program.ends[0].sole;
        return 100.0 * (sole.point(FootPoint::ball, result->target, to) -
                        sole.point(FootPoint::ball, result->target, from))
                           .norm();
    }

  private slots:
    void a_click_says_what_is_held_and_why() {
        const int i = index_of("ball.left", 50);
        QVERIFY(i >= 0);
        const Contact contact = contacts().list[size_t(i)];
        QTest::mouseClick(&lanes(), Qt::LeftButton, {},
                          lanes().place_of("ball.left", (contact.first + contact.last) / 2));
        QCOMPARE(lanes().chosen(), i);
        const QString line = lanes().why(i);
        QVERIFY2(line.contains("ball L") && line.contains(QString::number(contact.first)) &&
                     line.contains("found in the take"),
                 qPrintable(line));
        QVERIFY(line.startsWith("ball L is held"));
    }
    void a_dragged_end_holds_longer_and_comes_back() {
        const int i = index_of("ball.left", 50);
        const Contact before = contacts().list[size_t(i)];
        QVERIFY(moved_cm(before.last - 2, before.last + 10) > 3.0);
        drag(lanes(), lanes().place_of("ball.left", before.last) - QPoint(1, 0),
             lanes().place_of("ball.left", before.last + 12));
        QVERIFY(settled());
        QVERIFY(contacts().is_by_hand);
        const Contact after = contacts().list[size_t(lanes().chosen())];
        QCOMPARE(after.first, before.first);
        QVERIFY2(std::abs(after.last - before.last - 12) <= 1, qPrintable(QString::number(after.last)));
        QVERIFY(moved_cm(before.last - 2, before.last + 10) < 0.1);
        // One drag is one step back.
        w().undo_stack().undo();
        QVERIFY(settled());
        QVERIFY(!contacts().is_by_hand);
        QCOMPARE(contacts().list[size_t(i)], before);
        QVERIFY(moved_cm(before.last - 2, before.last + 10) > 3.0);
        QVERIFY(!w().undo_stack().canUndo());
    }
    void one_is_drawn_given_another_kind_and_removed() {
        const int i = index_of("heel.left", 50);
        const Contact before = contacts().list[size_t(i)];
        const int count = int(contacts().list.size());
        drag(lanes(), lanes().place_of("heel.left", before.last + 8),
             lanes().place_of("heel.left", before.last + 18));
        QVERIFY(settled());
        QCOMPARE(int(contacts().list.size()), count + 1);
        const Contact drawn = contacts().list[size_t(lanes().chosen())];
        QVERIFY(std::abs(drawn.first - before.last - 8) <= 1 && std::abs(drawn.last - before.last - 18) <= 1);
        lanes().set_kind(ContactKind::pivot);
        QVERIFY(settled());
        QCOMPARE(contacts().list[size_t(lanes().chosen())].kind, ContactKind::pivot);
        QTest::keyClick(&lanes(), Qt::Key_Delete);
        QVERIFY(settled());
        QCOMPARE(int(contacts().list.size()), count);
        for (int back = 0; back < 3; ++back) w().undo_stack().undo();
        QVERIFY(settled());
        QVERIFY(!contacts().is_by_hand);
        QCOMPARE(int(contacts().list.size()), count);
    }
    void keys_do_what_the_mouse_does() {
        lanes().setFocus();
        QTest::keyClick(&lanes(), Qt::Key_Down);
        QCOMPARE(lanes().chosen(), 0);
        const Contact before = contacts().list[0];
        QTest::keyClick(&lanes(), Qt::Key_Right, Qt::ControlModifier);
        QVERIFY(settled());
        QCOMPARE(contacts().list[0].last, before.last + 1);
        lanes().find_anew();
        QVERIFY(settled());
        QVERIFY(!contacts().is_by_hand);
        QCOMPARE(contacts().list[0].last, before.last);
    }
    void kept_with_the_take_for_every_target_and_after_a_crash() {
        const int i = index_of("ball.left", 50);
        const Contact before = contacts().list[size_t(i)];
        drag(lanes(), lanes().place_of("ball.left", before.last) - QPoint(1, 0),
             lanes().place_of("ball.left", before.last + 12));
        QVERIFY(settled());
        const Contacts edited = contacts();
        w().workspace().step_target(1);
        QVERIFY(settled());
        QCOMPARE(contacts(), edited);
        // A crash: the window goes without being asked, the next one brings it back.
        window_.reset();
        window_ = std::make_unique<MainWindow>();
        w().show();
        QVERIFY(QTest::qWaitForWindowExposed(&w()));
        w().open_files({library()});
        QVERIFY(settled());
        QVERIFY(QTest::qWaitFor([&] { return contacts().is_by_hand; }, 5000));
        QVERIFY(is_same(contacts(), edited));
        QVERIFY(settled());
        w().workspace().save();
        std::vector<std::string> notes;
        const LoadedFile kept =
            load_take((library() + "/takes/quay-walk.take.json").toStdString(), "", notes);
        QVERIFY(is_same(kept.take->contacts, edited));
        QVERIFY(!w().workspace().has_unsaved_changes());
    }
    void a_trim_does_not_lose_what_was_drawn() {
        const int i = index_of("ball.left", 100);
        const Contact before = contacts().list[size_t(i)];
        drag(lanes(), lanes().place_of("ball.left", before.last) - QPoint(1, 0),
             lanes().place_of("ball.left", before.last + 12));
        QVERIFY(settled());
        const Contact drawn = contacts().list[size_t(lanes().chosen())];
        LoadOptions trimmed = w().workspace().source()->file.character.rig.options;
        trimmed.trim_first = 40;
        w().workspace().set_intake(w().workspace().key(false), trimmed);
        QVERIFY(QTest::qWaitFor([&] { return w().workspace().source()->file.take->frames < 520; }, 8000));
        QVERIFY(settled());
        QVERIFY(contacts().is_by_hand);
        const int moved = index_of("ball.left", drawn.first - 41);
        QVERIFY(moved >= 0);
        QCOMPARE(contacts().list[size_t(moved)].first, drawn.first - 40);
        QCOMPARE(contacts().list[size_t(moved)].last, drawn.last - 40);
    }
    void events_name_their_owner_and_a_remedy_is_one_click() {
        // With contacts left out the worst is a slide, owned by that setting; its remedy runs the pass again.
        PairingSettings loose = w().workspace().settings();
        loose.passes.contacts = false;
        w().workspace().set_settings(w().workspace().pairing_key(), loose);
        QVERIFY(settled());
        const auto& events = w().workspace().events();
        const auto slide = std::find_if(events.begin(), events.end(),
                                        [](const ReviewEvent& e) { return e.measure == "slide"; });
        QVERIFY(slide != events.end());
        QCOMPARE(slide->owner, Owner::setting);
        QCOMPARE(slide->setting, std::string("contacts"));
        const int frame = slide->worst_frame;
        w().part<EventDesk>().go_to(int(slide - events.begin()));
        QCOMPARE(w().playback().frame(), frame);
        w().part<EventDesk>().remedy(int(slide - events.begin()), 0);
        QVERIFY(settled());
        QVERIFY(w().workspace().settings().passes.contacts);
        // The remedy of a slide at a contact's end leads to that contact.
        const auto& now = w().workspace().events();
        const auto end = std::find_if(now.begin(), now.end(), [](const ReviewEvent& e) {
            return !e.remedies.empty() && e.remedies[0].change == "contacts";
        });
        QVERIFY(end != now.end());
        w().part<EventDesk>().remedy(int(end - now.begin()), 0);
        QVERIFY(lanes().chosen() >= 0);
        w().undo_stack().undo();
        QVERIFY(!w().workspace().settings().passes.contacts);
        QVERIFY(settled());
    }
    void the_pass_can_be_left_out_and_the_strip_says_so() {
        auto* box_of_contacts = box("contacts");
        QVERIFY(box_of_contacts && box_of_contacts->isChecked());
        const double held = w().workspace().review()->target_slide_cm_s.p95;
        QTest::mouseClick(box_of_contacts, Qt::LeftButton, {}, QPoint(8, box_of_contacts->height() / 2));
        QVERIFY(settled());
        const double loose = w().workspace().review()->target_slide_cm_s.p95;
        QVERIFY2(held < 0.01 && loose > 1.0, qPrintable(QString("%1 %2").arg(held).arg(loose)));
        w().part<TransferSheet>().strip().set_measure(ReviewMeasure::slide);
        w().undo_stack().undo();
        QVERIFY(settled());
        QVERIFY(w().workspace().review()->target_slide_cm_s.p95 < 0.01);
        for (const ReviewMeasure measure : {ReviewMeasure::height, ReviewMeasure::below, ReviewMeasure::bend,
                                            ReviewMeasure::wring, ReviewMeasure::turn_change})
            w().part<TransferSheet>().strip().set_measure(measure);
    }
    void touches_have_lanes_and_are_set_by_hand() {
        QVERIFY(choose_take("Weary watch") && choose_target("the ferrier"));
        int i = index_of("palm.left", 0);
        QVERIFY(i >= 0);
        const Contact found = contacts().list[size_t(i)];
        QCOMPARE(found.on, std::string("hips"));
        QTest::mouseClick(&lanes(), Qt::LeftButton, {},
                          lanes().place_of("palm.left", (found.first + found.last) / 2));
        QCOMPARE(lanes().chosen(), i);
        QVERIFY2(lanes().why(i).startsWith("palm L lies on the hips"), qPrintable(lanes().why(i)));
        const int hand = w().workspace().target()->file.character.roles.joint("hand.left");
        const auto at = [&](int f) {
            const auto result = w().workspace().result();
            return result->target.p[result->target.at(f, hand)];
        };
        const int middle = (found.first + found.last) / 2;
        const Vec3 held = at(middle);
        // Taken away the hand goes by angles; feet are found as before.
        QTest::keyClick(&lanes(), Qt::Key_Delete);
        QVERIFY(settled());
        QVERIFY(contacts().are_touches_by_hand && !contacts().is_by_hand);
        QVERIFY((at(middle) - held).norm() > 0.02);
        w().undo_stack().undo();
        QVERIFY(settled());
        QVERIFY(!contacts().are_touches_by_hand && at(middle) == held);
        // Proposed only, then on the thigh, and back.
        lanes().choose(index_of("palm.left", 0));
        lanes().set_touch("hips", true);
        QVERIFY(settled());
        QVERIFY((at(middle) - held).norm() > 0.02);
        lanes().set_touch("thigh.left", false);
        QVERIFY(settled());
        QCOMPARE(contacts().list[size_t(index_of("palm.left", 0))].on, std::string("thigh.left"));
        lanes().find_anew();
        QVERIFY(settled());
        QCOMPARE(contacts().list[size_t(index_of("palm.left", 0))], found);
        QVERIFY(at(middle) == held);
        // Drawn: it lies on what it is nearest to there.
        QTest::keyClick(&lanes(), Qt::Key_Delete);
        lanes().choose(index_of("palm.left", 0));
        lanes().remove_chosen();
        QVERIFY(settled());
        w().playback().go_to(middle);
        lanes().hold_here("palm.left");
        QVERIFY(settled());
        i = index_of("palm.left", 0);
        QVERIFY(i >= 0 && contacts().list[size_t(i)].on == "hips");
        // The strip tells what of it is missed.
        for (const ReviewMeasure measure : {ReviewMeasure::gap, ReviewMeasure::depth})
            w().part<TransferSheet>().strip().set_measure(measure);
        // One choice for all of the take, undone as one.
        lanes().find_anew();
        QVERIFY(settled());
        QToolButton* hands = nullptr;
        for (QToolButton* button : w().part<TransferSheet>().findChildren<QToolButton*>())
            if (button->accessibleName() == "what the hands do") hands = button;
        QVERIFY(hands && hands->isVisible());
        QCOMPARE(hands->text(), QString("hands as found"));
        hands->menu()->actions()[1]->trigger();
        QVERIFY(settled());
        QCOMPARE(hands->text(), QString("hands free"));
        QCOMPARE(index_of("palm.left", 0), -1);
        QVERIFY((at(middle) - held).norm() > 0.005);
        w().undo_stack().undo();
        QVERIFY(settled());
        QCOMPARE(hands->text(), QString("hands as found"));
        QVERIFY(at(middle) == held);
    }

    /// Hands on the rope have lanes; a crate leads where that is said; the strip has rows for slides, head and jitter.
    void hands_lie_on_the_set_and_things_may_lead() {
        QVERIFY(choose_take("Haul rope") && choose_target("the dockhand"));
        const int i = index_of("palm.left", 0);
        QVERIFY(i >= 0);
        QCOMPARE(contacts().list[size_t(i)].on, std::string("rope"));
        QVERIFY2(lanes().why(i).startsWith("palm L lies on the rope"), qPrintable(lanes().why(i)));
        QVERIFY(choose_take("Carry crate"));
        const int crate = w().workspace().source()->file.character.rig.skeleton.find("crate");
        const auto beside = [&] {
            const auto result = w().workspace().result();
            const int f = 700;
            return (thing_beside(result->plan.program, crate, frame_of(result->source, f),
                                 frame_of(result->target, f))
                        .p -
                    result->plan.program.map(result->source.p[result->source.at(f, crate)]))
                .norm();
        };
        QVERIFY(beside() > 1e-4);
        lanes().set_thing("crate", {true, false});
        QVERIFY(settled());
        QVERIFY(beside() < 1e-12);
        QVERIFY(contacts().rule_of("crate").leads && contacts().is_all_found());
        for (const ReviewMeasure measure :
             {ReviewMeasure::held, ReviewMeasure::head, ReviewMeasure::jitter}) {
            w().part<TransferSheet>().strip().set_measure(measure);
            QVERIFY(!measure_name(measure).isEmpty() && !measure_unit(measure).isEmpty());
        }
        QVERIFY(w().workspace().review()->find_series(ReviewMeasure::held, "hand.left"));
        QVERIFY(w().workspace().review()->find_series(ReviewMeasure::head, "head"));
        w().undo_stack().undo();
        QVERIFY(settled());
        QVERIFY(beside() > 1e-4 && contacts().things.empty());
    }
};

NB_TEST_WITH(nb::test::WindowApplication, ContactsWindowTest)
}  // namespace test_contacts_window
#include "test_contacts_window.moc"
