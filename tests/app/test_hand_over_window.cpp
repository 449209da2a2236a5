// The station Hand over in the real window: an order is set up, listed, written, found stale, taken back.
#include <QComboBox>
#include <QLineEdit>
#include <QPushButton>
#include <QTableWidget>
#include <QToolButton>

#include "app/stations/hand_over/hand_over_panel.hpp"
#include "app/stations/hand_over/hand_over_sheet.hpp"
#include "app/window/station_line.hpp"
#include "app/work/hand_over_desk.hpp"
#include "core/base/files.hpp"
#include "core/handover/write.hpp"
#include "tests/app/window_fixture.hpp"

namespace test_hand_over_window {

using namespace nb;

class HandOverWindowTest : public test::WindowFixture {
    Q_OBJECT

    void before_window() override { QSettings().remove("hand over"); }
    HandOverDesk& desk() { return w().part<HandOverDesk>(); }
    QTableWidget& rows() { return w().part<HandOverSheet>().table(); }
    QPushButton* run() { return w().part<HandOverPanel>().findChild<QPushButton*>("hand over"); }
    QToolButton* word(const QString& text) {
        for (auto* one : w().part<HandOverPanel>().findChildren<QToolButton*>())
            if (one->text() == text) return one;
        return nullptr;
    }
    bool listed(int count) {
        return QTest::qWaitFor([&] { return !desk().is_planning() && rows().rowCount() == count; }, 20000);
    }
    QString state(int row) { return rows().item(row, 4)->text(); }
    void enter() {
        QTest::mouseClick(&w().stations(), Qt::LeftButton, {}, w().stations().place_of("hand over"));
        QCOMPARE(w().stations().station().about().id, QString("hand over"));
        QVERIFY(listed(10));
    }
    /// One small file in the order, into the library's own folder.
    void make_small() {
        enter();
        rows().selectAll();
        QTest::keyClick(&rows(), Qt::Key_Delete);
        QVERIFY(listed(0));
        QVERIFY(!run()->isEnabled());
        QTest::mouseClick(word("this pair"), Qt::LeftButton);
        QVERIFY(listed(1));
        auto* last = named<QDoubleSpinBox>("last frame");
        last->setFocus();
        last->selectAll();
        QTest::keyClicks(last, "60");
        QTest::keyClick(last, Qt::Key_Return);
        QVERIFY(QTest::qWaitFor([this] { return rows().item(0, 1)->text().startsWith("60 "); }, 10000));
    }
    void hand_over_now() {
        QVERIFY(run()->isEnabled());
        QTest::mouseClick(run(), Qt::LeftButton);
        QVERIFY(QTest::qWaitFor([this] { return !desk().is_running() && !desk().is_planning(); }, 60000));
        QTest::qWait(50);
    }

  private slots:
    void the_order_in_hand_comes_back() {
        enter();
        auto* pattern = named<QLineEdit>("name pattern");
        pattern->setFocus();
        pattern->selectAll();
        QTest::keyClicks(pattern, "{take}-of-{character}");
        QVERIFY(QTest::qWaitFor([this] { return rows().item(0, 0)->text() == "quay-walk-of-ferrier.glb"; },
                                10000));
        // The program ends without being asked.
        window_ = std::make_unique<MainWindow>();
        w().show();
        QVERIFY(QTest::qWaitForWindowExposed(&w()));
        w().open_files({library()});
        QVERIFY(settled());
        enter();
        QCOMPARE(rows().item(0, 0)->text(), QString("quay-walk-of-ferrier.glb"));
    }
    void the_librarys_order_is_listed_file_by_file() {
        enter();
        QCOMPARE(rows().item(0, 0)->text(), QString("quay-walk_ferrier_60.glb"));
        QCOMPARE(state(0), QString("new"));
        QVERIFY(run()->text().contains("10 files"));
        // The pattern shows at once what files will be called; a wrong word says so.
        auto* pattern = named<QLineEdit>("name pattern");
        pattern->setFocus();
        pattern->selectAll();
        QTest::keyClicks(pattern, "{character}-{take}");
        QVERIFY(
            QTest::qWaitFor([this] { return rows().item(0, 0)->text() == "ferrier-quay-walk.glb"; }, 10000));
        pattern->selectAll();
        QTest::keyClicks(pattern, "{take}{when}");
        auto* example = w().part<HandOverPanel>().findChild<QLabel*>("example");
        QVERIFY(QTest::qWaitFor([&] { return example->text().contains("when"); }, 10000));
        QVERIFY(!run()->isEnabled());
        // All of it is undone, step by step, also what was typed.
        while (w().undo_stack().canUndo()) w().undo_stack().undo();
        QVERIFY(QTest::qWaitFor([this] { return rows().item(0, 0)->text() == "quay-walk_ferrier_60.glb"; },
                                10000));
    }

    void a_result_is_handed_over_and_found_stale() {
        make_small();
        for (QCheckBox* one : w().part<HandOverPanel>().findChildren<QCheckBox*>())
            if (one->text() == "bvh")
                QTest::mouseClick(one, Qt::LeftButton, {}, QPoint(6, one->height() / 2));
        QVERIFY(listed(2));
        QVERIFY(rows().item(1, 3)->text().contains("mesh"));  // what stays behind
        hand_over_now();
        const QString glb = library() + "/handed-over/quay-walk_ferrier_60.glb";
        QVERIFY2(QFile::exists(glb), qPrintable(state(0)));
        QVERIFY(QFile::exists(library() + "/handed-over/quay-walk_ferrier_60.bvh"));
        QVERIFY2(state(0).contains("written") && state(0).contains("mm"), qPrintable(state(0)));
        QVERIFY(QFile::exists(desk().report_page()));
        // Nothing more to do; what is there is not touched.
        QVERIFY(!run()->isEnabled());
        // Somebody changes the take: the file is stale, and says why.
        QFile take(library() + "/takes/quay-walk.take.json");
        QVERIFY(take.open(QIODevice::Append));
        take.write("\n");
        take.close();
        w().workspace().read_library_again();
        QVERIFY(QTest::qWaitFor([this] { return state(0).contains("stale"); }, 20000));
        QVERIFY2(state(0).contains("quay-walk.take.json"), qPrintable(state(0)));
    }

    void what_is_not_saved_is_not_handed_over() {
        make_small();
        PairingSettings settings = w().workspace().settings();
        settings.scale = 1.05;
        w().workspace().set_settings(w().workspace().pairing_key(), settings);
        QVERIFY(listed(1));
        QTest::mouseClick(run(), Qt::LeftButton);
        QVERIFY(!desk().is_running());
        QVERIFY(!QFile::exists(library() + "/handed-over/quay-walk_ferrier_60.glb"));
        w().workspace().save();
        QVERIFY(listed(1));
        hand_over_now();
        QVERIFY(QFile::exists(library() + "/handed-over/quay-walk_ferrier_60.glb"));
        // What leaves is what was seen.
        const auto result = w().workspace().finished();
        QVERIFY(result);
        const Character& body = w().workspace().target()->file.character;
        Handed shown = handed_of(body, *result);
        take_steps(desk().order(), shown);
        QVERIFY(prove((library() + "/handed-over/quay-walk_ferrier_60.glb").toStdString(), shown).place_m <
                0.6e-3);
    }

    void an_order_is_kept_with_the_library() {
        make_small();
        auto* name = named<QLineEdit>("name of the order");
        name->setFocus();
        name->selectAll();
        QTest::keyClicks(name, "one walk");
        QVERIFY(word("keep")->isEnabled());
        QTest::mouseClick(word("keep"), Qt::LeftButton);
        QVERIFY(QFile::exists(library() + "/orders/one-walk.json"));
        QVERIFY(!word("keep")->isEnabled());
        auto* kept = named<QComboBox>("kept orders");
        QCOMPARE(kept->count(), 3);
        // Another one is taken up, and undone.
        desk().take_up(1);
        QVERIFY(listed(10));
        w().undo_stack().undo();
        QVERIFY(listed(1));
    }

    void many_at_once() {
        make_small();
        QTest::mouseClick(word("all bodies"), Qt::LeftButton);
        QVERIFY(listed(6));
        w().undo_stack().undo();
        QVERIFY(listed(1));
        QTest::mouseClick(word("all takes"), Qt::LeftButton);
        QVERIFY(listed(11));
    }
};

NB_TEST_WITH(nb::test::WindowApplication, HandOverWindowTest)
}  // namespace test_hand_over_window
#include "test_hand_over_window.moc"
