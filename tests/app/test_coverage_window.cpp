// Coverage in the window: the table of the ledger, why a cell is as it is, to a pair's worst frame and back, what a person
// accepts, batches in a program of their own, and what is shown of a hundred thousand cells.
#include <QComboBox>
#include <QElapsedTimer>
#include <QFile>
#include <QLabel>
#include <QLineEdit>
#include <QProcess>
#include <QScrollBar>
#include <QToolButton>

#include "app/coverage/coverage_page.hpp"
#include "app/dock/library_panel.hpp"
#include "app/window/notice_bar.hpp"
#include "app/window/sentence_bar.hpp"
#include "app/window/station_line.hpp"
#include "core/base/files.hpp"
#include "tests/app/window_fixture.hpp"

namespace test_coverage_window {

using namespace nb;

class CoverageWindowTest : public test::WindowFixture {
    Q_OBJECT

    CoveragePage& page() { return w().coverage(); }
    const Coverage& cells() { return page().desk().table(); }
    CoverageTable::Cell cell_of(const char* take, const char* character) {
        CoverageTable::Cell cell;
        for (size_t t = 0; t < cells().takes.size(); ++t)
            if (cells().takes[t].name == take) cell.take = t;
        for (size_t c = 0; c < cells().characters.size(); ++c)
            if (cells().characters[c].name == character) cell.character = c;
        return cell;
    }
    const CoverageCell& at(const CoverageTable::Cell& cell) {
        static const CoverageCell none;
        return cells().cells.empty() ? none : cells().at(cell.take, cell.character);
    }
    /// By the command line, beforehand.
    void tried(const QStringList& more) {
        QCOMPARE(QProcess::execute(QApplication::applicationDirPath() + "/../nbone",
                                   QStringList{"batch", library(), "--jobs", "2"} + more),
                 0);
    }
    template <typename Part>
    Part* part(const QString& name) {
        for (Part* one : page().findChildren<Part*>())
            if (one->accessibleName() == name) return one;
        return nullptr;
    }
    QToolButton* word(const QString& text) {
        for (QToolButton* one : page().findChildren<QToolButton*>())
            if (one->text() == text) return one;
        return nullptr;
    }
    bool says(const QString& text) {
        for (const QLabel* label : page().findChildren<QLabel*>())
            if (label->isVisible() && label->text().contains(text)) return true;
        return false;
    }
    void edit_rest(const char* character) {
        const std::string path = (library() + "/characters/" + character + "/character.json").toStdString();
        Json document = parse_json(read_file(path), path);
        document["rest"]["name"] = "another";
        write_file(path, format_document(document));
    }

  private slots:
    void a_click_opens_the_pair_at_its_worst_frame_and_back() {
        tried({"--take", "carry-crate"});
        w().show_library(true);
        w().action("coverage")->trigger();
        QVERIFY(page().isVisible());
        QVERIFY(!w().stage().isVisible());
        QTRY_VERIFY(at(cell_of("carry-crate", "ferrier")).state == CoverageCell::State::carried);
        QVERIFY(at(cell_of("quay-walk", "ferrier")).state == CoverageCell::State::not_tried);
        const auto cell = cell_of("carry-crate", "net-mender");
        const QRect place = page().table().rect_of(cell);
        QVERIFY(place.isValid());
        // Under the pointer it says why.
        QTest::mouseMove(page().table().viewport(), place.center());
        QTRY_VERIFY(says("% of the bar in"));
        QTest::mouseClick(page().table().viewport(), Qt::LeftButton, {}, place.center());
        QVERIFY(!page().isVisible());
        QVERIFY(settled());
        QCOMPARE(w().stations().station().about().id, QString("transfer"));
        QVERIFY(w().sentence().sentence().contains("the net-mender"));
        QTRY_COMPARE(w().playback().frame(), at(cell).worst_frame);
        w().action("coverage")->trigger();
        QVERIFY(page().isVisible());
        QVERIFY(page().table().picked() == cell);
        // By keys: the neighbour, and to it.
        QTest::keyClick(&page().table(), Qt::Key_Left);
        QVERIFY(page().table().picked() == cell_of("carry-crate", "lamp-child"));
        QTest::keyClick(&page().table(), Qt::Key_Return);
        QVERIFY(!page().isVisible());
        QVERIFY(settled());
        QVERIFY(w().sentence().sentence().contains("child"));
        // D is the library, and leaves the table.
        w().action("coverage")->trigger();
        w().action("library")->trigger();
        QVERIFY(!page().isVisible());
        QVERIFY(w().stage().isVisible());
    }

    void what_is_stale_says_why_and_what_is_accepted_stays_until_then() {
        tried({"--take", "lantern-signal"});
        w().show_coverage(true);
        const auto ferrier = [&] { return cell_of("lantern-signal", "ferrier"); };
        QTRY_VERIFY(!cells().cells.empty() && at(ferrier()).state == CoverageCell::State::carried);
        page().table().pick(ferrier());
        auto* note = part<QLineEdit>("note on what is accepted");
        QVERIFY(note->isEnabled());
        note->setText("the lantern hides it");
        QTest::mouseClick(word("accept"), Qt::LeftButton);
        QTRY_VERIFY(at(ferrier()).is_accepted);
        QVERIFY(QFile::exists(library() + "/ledger/accepted"));
        QVERIFY(says("the lantern hides it"));
        QCOMPARE(word("accept no more") != nullptr, true);
        w().action("undo")->trigger();
        QTRY_VERIFY(!at(ferrier()).is_accepted);
        w().action("redo")->trigger();
        QTRY_VERIFY(at(ferrier()).is_accepted);
        // Somebody changes the body: seen by itself, with its why.
        edit_rest("ferrier");
        page().set_shown(true);
        QTRY_VERIFY(at(ferrier()).is_stale);
        QVERIFY(!at(ferrier()).is_accepted);
        page().table().pick(ferrier());
        QTRY_VERIFY(says("the rest of ferrier has changed"));
        QVERIFY(!at(cell_of("lantern-signal", "dockhand")).is_stale);
    }

    void a_batch_runs_in_a_program_of_its_own() {
        w().show_coverage(true);
        QTRY_VERIFY(!cells().cells.empty());
        const auto cell = cell_of("lantern-signal", "dockhand");
        QVERIFY(!word("try it")->isEnabled());
        page().table().pick(cell);
        QTest::mouseClick(word("try it"), Qt::LeftButton);
        QTRY_VERIFY_WITH_TIMEOUT(at(cell).state == CoverageCell::State::carried, 30000);
        QTRY_VERIFY_WITH_TIMEOUT(says("1 of 1"), 30000);
        QVERIFY(says("ended"));
        // All of it, and ended half-way: what is done stays.
        QTest::mouseClick(word("try what is not tried or stale"), Qt::LeftButton);
        QTRY_VERIFY_WITH_TIMEOUT(word("end it") != nullptr, 30000);
        QTest::mouseClick(word("end it"), Qt::LeftButton);
        QTRY_VERIFY_WITH_TIMEOUT(word("end it") == nullptr, 60000);
        QTRY_VERIFY(says("cancelled") || says("ended"));
        QVERIFY(cells().count().not_tried < int(cells().cells.size()) - 1);
    }

    void rows_are_found_sorted_and_grouped() {
        tried({"--take", "lantern-signal", "--take", "carry-crate"});
        const std::string take = (library() + "/takes/carry-crate.take.json").toStdString();
        Json document = parse_json(read_file(take), take);
        document["tags"] = {"load"};
        write_file(take, format_document(document));
        w().show_coverage(true);
        QTRY_VERIFY(!cells().cells.empty());
        CoverageTable& table = page().table();
        const size_t all = table.rows().size();
        auto* filter = part<QLineEdit>("filter the table");
        filter->setText("load");
        QCOMPARE(table.rows().size(), size_t(1));
        QCOMPARE(table.columns().size(), cells().characters.size());
        filter->setText("ferrier");
        QCOMPARE(table.columns().size(), size_t(1));
        QCOMPARE(table.rows().size(), all);
        filter->setText("no such thing");
        QVERIFY(table.rows().empty());
        filter->clear();
        table.set_sort(CoverageTable::Sort::worst_first);
        QCOMPARE(cells().takes[size_t(table.rows().front())].name, std::string("carry-crate"));
        table.set_group(CoverageTable::Group::tags);
        QCOMPARE(table.group_names().size(), size_t(2));
        QCOMPARE(table.rows().size(), all + 2);
        table.set_group(CoverageTable::Group::plan);
        QVERIFY(table.group_names().size() >= 2);
        table.set_group(CoverageTable::Group::none);
        table.set_only(CoverageTable::Only::stale);
        QCOMPARE(table.rows().size(), size_t(0));
        table.set_only(CoverageTable::Only::not_tried);
        QCOMPARE(table.rows().size(), all - 2);
    }

    /// Only what is seen is drawn.
    void a_hundred_thousand_cells_scroll() {
        Coverage large;
        for (int t = 0; t < 1000; ++t)
            large.takes.push_back({"take " + std::to_string(t), "take " + std::to_string(t), "biped", ""});
        for (int c = 0; c < 100; ++c)
            large.characters.push_back(
                {"body " + std::to_string(c), "body " + std::to_string(c), "biped", ""});
        large.cells.resize(100000);
        for (size_t i = 0; i < large.cells.size(); ++i) {
            large.cells[i].state = CoverageCell::State::carried;
            large.cells[i].share = float(i % 97) / 60.0F;
        }
        CoverageTable table;
        table.resize(1200, 600);
        table.show();
        QElapsedTimer timer;
        timer.start();
        table.set_table(&large);
        table.viewport()->grab();
        const qint64 first_ms = timer.restart();
        int frames = 0;
        for (int y = 0; y <= table.verticalScrollBar()->maximum() && frames < 200; y += 97) {
            table.verticalScrollBar()->setValue(y);
            table.horizontalScrollBar()->setValue(y / 13);
            table.viewport()->grab();
            ++frames;
        }
        qInfo("100,000 cells: first picture %lld ms, then %.1f pictures a second", first_ms,
              1000.0 * frames / double(std::max<qint64>(1, timer.elapsed())));
        QCOMPARE(frames, 200);
        table.pick(CoverageTable::Cell{999, 99});
        QVERIFY(table.viewport()->rect().contains(table.rect_of({999, 99}).center()));
        QTest::keyClick(&table, Qt::Key_PageUp);
        QVERIFY(table.picked()->take < 999);
    }

    void without_a_library_it_says_so() {
        QDir(library()).removeRecursively();
        w().show_coverage(true);
        QTest::qWait(300);
        QVERIFY(page().isVisible());
        w().show_coverage(false);
        QVERIFY(!page().isVisible());
    }
};

NB_TEST_WITH(nb::test::WindowApplication, CoverageWindowTest)
}  // namespace test_coverage_window
#include "test_coverage_window.moc"
