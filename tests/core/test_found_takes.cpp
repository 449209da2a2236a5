// Takes found by what happens in them: the accounts of the demo (its labels say what was simulated) and of open captures,
// and the words that look for them.
#include <QtTest>
#include <filesystem>

#include "core/base/files.hpp"
#include "core/batch/take_query.hpp"
#include "core/documents/format.hpp"
#include "core/library/changes.hpp"
#include "tests/support/run_test.hpp"
#include "tests/support/test_rigs.hpp"

namespace test_found_takes {

using namespace nb;
namespace fs = std::filesystem;

class FoundTakesTest : public QObject {
    Q_OBJECT

    QTemporaryDir folder_;
    Library library_;

  private slots:
    void initTestCase() {
        const std::string folder = folder_.filePath("lib").toStdString();
        test::copy_demo(folder);
        library_ = open_library(folder);
    }

    void what_happens_data() {
        QTest::addColumn<QString>("take");
        QTest::addColumn<QString>("does");
        QTest::addColumn<QString>("not_does");
        QTest::newRow("walk") << "quay-walk"
                              << "walks feet"
                              << "runs jumps climbs crouches hands";
        QTest::newRow("steps") << "mole-steps"
                               << "walks climbs feet"
                               << "runs jumps crouches";
        QTest::newRow("leap") << "boat-leap"
                              << "jumps feet"
                              << "runs climbs";
        QTest::newRow("sit") << "bollard-sit"
                             << "crouches hands body"
                             << "jumps runs climbs";
        QTest::newRow("crate") << "carry-crate"
                               << "walks crouches hands things"
                               << "jumps runs climbs";
        QTest::newRow("rope") << "haul-rope"
                              << "stands hands things"
                              << "walks jumps runs climbs";
        QTest::newRow("lantern") << "lantern-signal"
                                 << "stands things"
                                 << "walks jumps runs climbs crouches";
        QTest::newRow("trot") << "dog-trot"
                              << "runs"
                              << "climbs jumps hands";
        QTest::newRow("dog's walk") << "dog-walk"
                                    << "walks"
                                    << "runs climbs jumps hands";
    }
    void what_happens() {
        QFETCH(QString, take);
        QFETCH(QString, does);
        QFETCH(QString, not_does);
        const TakeAccount account = account_of(test::demo_take(take.toStdString()));
        QVERIFY2(account.why.empty(), account.why.c_str());
        for (const QString& word : does.split(' '))
            QVERIFY2(account.has(word.toStdString()), qPrintable(word));
        for (const QString& word : not_does.split(' '))
            QVERIFY2(!account.has(word.toStdString()), qPrintable(word));
    }

    // Debian's assimp-testmodels, BVH/01_01.bvh and 01_03.bvh: nobody tuned by them.
    void open_captures_data() {
        QTest::addColumn<QString>("file");
        QTest::newRow("01_01") << "01_01.bvh";
        QTest::newRow("01_03") << "01_03.bvh";
    }
    void open_captures() {
        QFETCH(QString, file);
        const LoadedFile loaded = load_file(test::capture(file.toStdString()));
        const TakeAccount account = account_of(loaded);
        QVERIFY(account.why.empty());
        QVERIFY(account.has("walks") && account.has("feet"));
        QVERIFY(std::abs(account.seconds - loaded.take->frames * loaded.take->frame_time_s) < 1e-9);
        // The same at half the rate.
        LoadOptions half;
        half.fps = 60.0;
        const TakeAccount slower = account_of(load_file(test::capture(file.toStdString()), half));
        QCOMPARE(slower.moves, account.moves);
        QVERIFY(std::abs(slower.travel_m - account.travel_m) < 0.05 * account.travel_m);
    }

    void accounts_are_kept_and_never_trusted_over_the_files() {
        const LibraryEntry take = library_.takes.front();
        const std::string kept = library_.folder + "/accounts/" + take.name + ".json";
        TakeAccount account;
        QVERIFY(!find_account(library_, take, account));
        const TakeAccount made = account_in(library_, take);
        QVERIFY(find_account(library_, take, account));
        QCOMPARE(account.moves, made.moves);
        // Not one, or of other files: made anew.
        write_file(kept, "{");
        QVERIFY(!find_account(library_, take, account));
        account_in(library_, take);
        QVERIFY(find_account(library_, take, account));
        write_file(take.document, read_file(take.document) + "\n");
        QVERIFY(!find_account(library_, take, account));
        QCOMPARE(account_in(library_, take).moves, made.moves);
        // A take that cannot be read says why.
        LibraryEntry broken = take;
        broken.name = "broken";
        broken.path = folder_.filePath("broken.bvh").toStdString();
        broken.document.clear();
        write_file(broken.path, "HIERARCHY\nROOT a\n");
        QVERIFY(account_in(library_, broken).why.find("broken.bvh") != std::string::npos);
    }

    void words_and_filters() {
        TakeAccount account;
        account.moves = {"walks", "turns"};
        account.touches = {"hands", "things"};
        account.things = {"crate"};
        account.travel_m = 4.0;
        const TakeKnown take{"carry-crate  Carry crate  performer  for the quay  work, heavy",
                             "performer",
                             12.0,
                             &account,
                             {"ferrier", "dockhand"},
                             {"dockhand"}};
        const auto fits = [&](const char* text) { return TakeQuery(text).fits(take); };
        for (const char* yes :
             {"", "crate", "CRATE quay", "on:performer", "on:perf longer:10", "shorter:12",
              "does:walks does:turns", "touches:hands", "touches:crate", "travels:3", "tried:ferrier",
              "untried:child", "outside:dockhand", "heavy does:Walks", "does:"})
            QVERIFY2(fits(yes), yes);
        for (const char* no : {"rope", "crate rope", "on:dog", "longer:13", "shorter:5", "does:runs",
                               "does:walks does:runs", "touches:feet", "touches:rope", "travels:5",
                               "tried:child", "untried:ferrier", "outside:ferrier"})
            QVERIFY2(!fits(no), no);
        TakeKnown unknown = take;
        unknown.account = nullptr;
        QVERIFY(TakeQuery("crate").fits(unknown) && !TakeQuery("does:walks").fits(unknown));
        QVERIFY(TakeQuery("does:walks").asks_account() && !TakeQuery("on:a crate").asks_account());
        QVERIFY(TakeQuery("untried:a").asks_ledger());
        QCOMPARE(TakeQuery("does:flies").troubles().size(), size_t(1));
        QCOMPARE(TakeQuery("longer:soon").troubles().size(), size_t(1));
        QCOMPARE(TakeQuery("longer:nan").troubles().size(), size_t(1));
        QCOMPARE(TakeQuery("at:noon crate").words(), std::string("at:noon crate"));
    }

    void a_filter_is_put_and_taken() {
        QCOMPARE(with_filter("crate", "does", "walks"), std::string("crate does:walks"));
        QCOMPARE(with_filter("crate does:walks on:a", "does", "runs"), std::string("crate on:a does:runs"));
        QCOMPARE(with_filter("crate does:walks", "does", "walks"), std::string("crate"));
    }

    void terms_stay_with_the_item() {
        const LibraryEntry take = library_.takes.back();
        ItemWords words = words_of(take, false);
        QVERIFY(words.terms.empty());
        words.terms = "for the harbour alone, until 2030";
        set_words(take, false, words);
        QCOMPARE(words_of(take, false).terms, words.terms);
        QVERIFY(words_of(take, false) == words);
        words.terms.clear();
        set_words(take, false, words);
        QVERIFY(!read_document(take.document, "take").contains("terms"));
        QCOMPARE(body_of_take(library_, take), std::string("performer"));
    }
};

NB_TEST(FoundTakesTest)
}  // namespace test_found_takes
#include "test_found_takes.moc"
