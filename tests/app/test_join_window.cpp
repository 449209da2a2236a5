// Joining in the real window: takes put in a row on one body, a seam set and dragged, a take made of it, taken back.
#include <QCheckBox>
#include <QComboBox>
#include <QLineEdit>
#include <QPushButton>
#include <QToolButton>
#include <cmath>

#include "app/stations/hand_over/hand_over_station.hpp"
#include "app/stations/hand_over/join_page.hpp"
#include "app/stations/hand_over/join_strip.hpp"
#include "app/window/station_line.hpp"
#include "app/work/join_desk.hpp"
#include "tests/app/window_fixture.hpp"

namespace test_join_window {

using namespace nb;

class JoinWindowTest : public test::WindowFixture {
    Q_OBJECT

    JoinDesk& desk() { return w().part<JoinDesk>(); }
    JoinStrip& strip() { return w().part<JoinStrip>(); }
    QPushButton* make() { return w().part<JoinPage>().findChild<QPushButton*>("make it a take"); }
    QToolButton* word(const QString& text) {
        for (auto* one : w().findChildren<QToolButton*>())
            if (one->text() == text && one->isVisible()) return one;
        return nullptr;
    }
    /// Joined, and nothing waits to be.
    bool joined(int clips) {
        QTest::qWait(250);
        return QTest::qWaitFor(
            [&] {
                return !desk().is_joining() && desk().joined() && int(desk().spans().size()) == clips &&
                       desk().plan().clips.size() == size_t(clips);
            },
            60000);
    }
    void type(QDoubleSpinBox* box, const QString& text) {
        box->setFocus();
        box->selectAll();
        QTest::keyClicks(box, text);
        QTest::keyClick(box, Qt::Key_Return);
    }
    void put_in_row(const QString& take) {
        QVERIFY(choose_take(take));
        QVERIFY(settled());
        QTest::mouseClick(word("put the shown take in the row"), Qt::LeftButton);
    }
    void two_in_a_row() {
        QTest::mouseClick(&w().stations(), Qt::LeftButton, {}, w().stations().place_of("hand over"));
        QTest::mouseClick(word("joining"), Qt::LeftButton);
        QVERIFY(!make()->isEnabled());
        put_in_row("Lantern signal");
        put_in_row("Quay walk");
        QVERIFY(joined(2));
        QVERIFY2(desk().trouble().isEmpty(), qPrintable(desk().trouble()));
    }

  private slots:
    void clips_are_put_in_a_row_and_made_a_take() {
        two_in_a_row();
        QCOMPARE(desk().plan().character, std::string("ferrier"));
        const auto& spans = desk().spans();
        QCOMPARE(spans[0].first, 0);
        QVERIFY(spans[1].first < spans[0].second);  // they overlap
        QCOMPARE(spans[1].second, desk().joined()->motion.motion.frames);
        auto* name = named<QLineEdit>("name of the joined take");
        name->setFocus();
        name->selectAll();
        QTest::keyClicks(name, "signal and go");
        QVERIFY(joined(2));
        QVERIFY(make()->isEnabled());
        QTest::mouseClick(word("keep the plan"), Qt::LeftButton);
        QVERIFY(QFile::exists(library() + "/joins/signal-and-go.json"));
        QVERIFY(!word("keep the plan")->isEnabled());

        const size_t takes = w().workspace().takes().size();
        const int frames = desk().joined()->motion.motion.frames;
        QTest::mouseClick(make(), Qt::LeftButton);
        QVERIFY(QTest::qWaitFor([&] { return w().workspace().takes().size() == takes + 1; }, 30000));
        QVERIFY(settled());
        QVERIFY(w().workspace().source());
        QCOMPARE(w().workspace().source()->file.take->frames, frames);
        // Out of the library again, and in.
        w().undo_stack().undo();
        QCOMPARE(w().workspace().takes().size(), takes);
        w().undo_stack().redo();
        QCOMPARE(w().workspace().takes().size(), takes + 1);
    }

    void a_seam_is_set_by_number_and_by_hand() {
        two_in_a_row();
        QTest::mouseClick(&strip(), Qt::LeftButton, {}, strip().middle_of(1));
        QCOMPARE(strip().seam(), 0);
        auto* meets = named<QComboBox>("what meets at the seam");
        QVERIFY(meets->isVisible());
        const int left = meets->findData("foot.left");
        meets->setCurrentIndex(left);
        emit meets->activated(left);
        type(named<QDoubleSpinBox>("length of the overlap"), "0.50");
        QVERIFY(joined(2));
        QCOMPARE(desk().plan().seams[0].point, std::string("foot.left"));
        QCOMPARE(desk().joined()->seams[0].overlap, 31);
        QVERIFY(desk().joined()->seams[0].place_error_m < 0.3);

        // The end of the overlap is dragged: longer, in one step of undo.
        const QPoint from = strip().place_of(JoinStrip::Grip::overlap, 0);
        QTest::mousePress(&strip(), Qt::LeftButton, {}, from);
        for (const int by : {4, 9, 15}) QTest::mouseMove(&strip(), from + QPoint(by, 0));
        QTest::mouseRelease(&strip(), Qt::LeftButton, {}, from + QPoint(15, 0));
        QVERIFY(joined(2));
        const double longer = desk().plan().seams[0].overlap_s;
        QVERIFY2(longer > 0.55, qPrintable(QString::number(longer)));
        w().undo_stack().undo();
        QVERIFY(std::abs(desk().plan().seams[0].overlap_s - 0.5) < 1e-9);
        QVERIFY(joined(2));

        // The row's last end, too.
        const int before = desk().joined()->motion.motion.frames;
        const QPoint end = strip().place_of(JoinStrip::Grip::last);
        QTest::mousePress(&strip(), Qt::LeftButton, {}, end);
        QTest::mouseMove(&strip(), end - QPoint(40, 0));
        QTest::mouseRelease(&strip(), Qt::LeftButton, {}, end - QPoint(40, 0));
        QVERIFY(joined(2));
        QVERIFY(desk().joined()->motion.motion.frames < before);
        QCOMPARE(strip().clip(), 1);

        // Held at its end: longer by that.
        const int now = desk().joined()->motion.motion.frames;
        type(named<QDoubleSpinBox>("last pose held"), "1.00");
        QVERIFY(joined(2));
        QCOMPARE(desk().joined()->motion.motion.frames, now + 60);
    }

    void clips_are_moved_and_taken_out() {
        two_in_a_row();
        strip().setFocus();
        QTest::keyClick(&strip(), Qt::Key_Right);
        QCOMPARE(strip().clip(), 0);
        QTest::mouseClick(word("later"), Qt::LeftButton);
        QVERIFY(joined(2));
        QCOMPARE(desk().plan().clips[0].take, std::string("quay-walk"));
        QTest::keyClick(&strip(), Qt::Key_Delete);
        QVERIFY(joined(1));
        QVERIFY(!make()->isEnabled());
        w().undo_stack().undo();
        QVERIFY(joined(2));
        // A plan of the library is taken up as it is kept.
        desk().take_up(0);
        QVERIFY(joined(2));
        QVERIFY(desk().is_as_kept());
        QCOMPARE(desk().joined()->seams[0].step_m > 0.5, true);
    }

    void what_cannot_be_joined_says_why() {
        two_in_a_row();
        QTest::mouseClick(&strip(), Qt::LeftButton, {}, strip().middle_of(1));
        type(named<QDoubleSpinBox>("length of the overlap"), "10.00");
        QVERIFY(
            QTest::qWaitFor([this] { return !desk().is_joining() && !desk().trouble().isEmpty(); }, 30000));
        QVERIFY2(desk().trouble().contains("shorter than the overlap"), qPrintable(desk().trouble()));
        QVERIFY(!make()->isEnabled());
        w().undo_stack().undo();
        QVERIFY(joined(2));
        QVERIFY(desk().trouble().isEmpty());
        // Another body's clip does not go in the row.
        w().workspace().step_target(1);
        QVERIFY(settled());
        QTest::mouseClick(word("put the shown take in the row"), Qt::LeftButton);
        QCOMPARE(desk().plan().clips.size(), size_t(2));
    }
};

NB_TEST_WITH(nb::test::WindowApplication, JoinWindowTest)
}  // namespace test_join_window
#include "test_join_window.moc"
