// The list of events, driven as a person drives it: stepped through, accepted with a note, opened again; a
// verdict and marked frames; counts that fall.
#include <QLineEdit>
#include <QTableWidget>
#include <QToolButton>
#include <QUndoStack>
#include <QtTest>

#include "app/stations/transfer/event_desk.hpp"
#include "app/stations/transfer/events_page.hpp"
#include "app/stations/transfer/transfer_sheet.hpp"
#include "app/window/main_window.hpp"
#include "app/window/station_line.hpp"
#include "tests/app/window_fixture.hpp"

namespace test_events_window {

using namespace nb;

class EventsWindowTest : public test::WindowFixture {
    Q_OBJECT

    EventDesk& desk() { return w().part<EventDesk>(); }
    QTableWidget& table() { return w().part<EventsPage>().table(); }
    QToolButton* tool(const QString& words) {
        for (auto* one : w().part<EventsPage>().findChildren<QToolButton*>())
            if (one->text().startsWith(words)) return one;
        return nullptr;
    }

  private slots:
    void every_event_is_in_the_list_and_counts_fall() {
        w().stations().set_station("transfer");
        PairingSettings loose = w().workspace().settings();
        loose.passes.contacts = false;  // much falls short
        w().workspace().set_settings(w().workspace().pairing_key(), loose);
        QVERIFY(settled());
        w().part<TransferSheet>().show_page(TransferSheet::Page::events);
        const int all = int(desk().events().size());
        QVERIFY(all > 3);
        QTRY_COMPARE(table().rowCount(), all);
        QCOMPARE(desk().open_count(), all);
        QTRY_COMPARE(w().stations().open_points("transfer"), all);
        // Stepped through in order of time, and accepted with a note by one key.
        QTest::keyClick(&w(), Qt::Key_E);
        const int first = desk().current();
        QVERIFY(first >= 0);
        QCOMPARE(w().playback().frame(), desk().events()[size_t(first)].worst_frame);
        named<QLineEdit>("note")->setText("the deck moves");
        w().action("accept event")->trigger();
        QVERIFY(desk().said_of(first));
        QCOMPARE(desk().said_of(first)->note, std::string("the deck moves"));
        QCOMPARE(desk().open_count(), all - 1);
        QTRY_COMPARE(w().stations().open_points("transfer"), all - 1);
        QTest::keyClick(&w(), Qt::Key_E);
        QVERIFY(desk().current() != first);
        w().action("event done")->trigger();
        QCOMPARE(desk().open_count(), all - 2);
        tool("accepted")->click();
        QCOMPARE(table().rowCount(), 1);
        QVERIFY(table().item(0, 4)->text().contains("the deck moves"));
        tool("open")->click();
        QCOMPARE(table().rowCount(), all - 2);
        tool("all")->click();
        // The next solve knows them again; undone they are open.
        w().workspace().set_settings(w().workspace().pairing_key(), loose);
        QVERIFY(settled());
        QCOMPARE(desk().open_count(), all - 2);
        w().undo_stack().undo();
        w().undo_stack().undo();
        QCOMPARE(desk().open_count(), all);
    }
    void a_verdict_and_marked_frames_are_kept_with_the_pair() {
        w().playback().go_to(77);
        w().action("mark frame")->trigger();
        QCOMPARE(desk().marks().size(), size_t(1));
        desk().mark_frame(77, "the hand leaves the rope");
        desk().set_verdict(Verdict::polish);
        desk().set_note("after the storm take");
        QVERIFY(w().workspace().has_unsaved_changes());
        w().workspace().save();
        QVERIFY(!w().workspace().has_unsaved_changes());
        // Another take has none of it; back it is there.
        QVERIFY(choose_take("Haul rope"));
        QVERIFY(w().workspace().judgement().is_empty() && desk().marks().empty());
        QVERIFY(choose_take("Quay walk"));
        QCOMPARE(w().workspace().judgement().verdict, Verdict::polish);
        QCOMPARE(desk().marks().front().frame, 77);
        // A trim leaves the mark at its place in the file.
        LoadOptions options = w().workspace().intake(w().workspace().key(false));
        options.trim_first = 50;
        w().workspace().set_intake(w().workspace().key(false), options);
        QVERIFY(QTest::qWaitFor([&] { return !desk().marks().empty() && desk().marks().front().frame == 27; },
                                10000));
        QVERIFY(settled());
    }
};

NB_TEST_WITH(nb::test::WindowApplication, EventsWindowTest)
}  // namespace test_events_window
#include "test_events_window.moc"
