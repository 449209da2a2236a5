// A newer rig takes the place of the older: the work goes along, the older is a step away, bytes and all.
#include <QtTest>
#include <filesystem>

#include "core/base/fault.hpp"
#include "core/base/files.hpp"
#include "core/batch/batch.hpp"
#include "core/batch/coverage.hpp"
#include "core/documents/character.hpp"
#include "core/library/renewal.hpp"
#include "core/rest/edit.hpp"
#include "tests/support/glb_edit.hpp"
#include "tests/support/run_test.hpp"
#include "tests/support/test_rigs.hpp"

namespace test_renewal {

using namespace nb;
namespace fs = std::filesystem;

class RenewalTest : public QObject {
    Q_OBJECT

    QTemporaryDir folder_;
    Library library_;

    LibraryEntry entry(const std::string& name) {
        library_ = open_library(library_.folder);
        for (const LibraryEntry& one : library_.characters)
            if (one.name == name) return one;
        throw FileError(name, "is not in the library", "");
    }
    std::string newer(const std::string& body, const std::function<void(Json&)>& edit) {
        const std::string path = folder_.filePath("newer.glb").toStdString();
        test::edit_glb(entry(body).path, path, edit);
        return path;
    }
    static std::map<std::string, std::string> bytes_in(const fs::path& folder) {
        std::map<std::string, std::string> all;
        for (const fs::path& file : sorted_entries(folder.string()))
            if (fs::is_regular_file(file)) all[file.filename().string()] = read_file(file.string());
        return all;
    }
    /// Work by hand on a character of the library: a turned arm, a chain, a touch-up.
    Vec3 work_on(const std::string& name) {
        const LibraryEntry of = entry(name);
        std::vector<std::string> notes;
        LoadedFile file = load_character(of.path, of.document, notes);
        Character& c = file.character;
        set_correction(c.rig.skeleton, c.roles, c.rest, c.solved, "upperarm.left", TurnAxes::bone,
                       Vec3(0.0, 12.0, -20.0), false);
        c.chains["arm.left"].soften_from = 0.9;
        TouchLayer layer{"usual", false, 1.0, {TouchUp()}};
        layer.touches[0].what = "head";
        layer.touches[0].turn_rad = Vec3(0.1, 0.0, 0.0);
        c.touches.push_back(layer);
        write_file(of.document, format_document(character_document(c)));
        return correction(c);
    }
    static Vec3 correction(const Character& c) {
        return correction_deg(c.rig.skeleton, c.roles, c.rest, c.solved, "upperarm.left", TurnAxes::bone);
    }

  private slots:
    void init() {
        library_.folder = folder_.filePath("lib").toStdString();
        fs::remove_all(library_.folder);
        test::copy_demo(library_.folder);
    }

    void the_work_goes_along_and_comes_back_data() {
        QTest::addColumn<QString>("body");
        QTest::addColumn<QString>("arm");
        QTest::addColumn<QString>("shin");
        QTest::newRow("ferrier") << "ferrier"
                                 << "humerus.l"
                                 << "tibia.r";
        QTest::newRow("dockhand") << "dockhand"
                                  << "L_UpArm_jnt"
                                  << "R_LowLeg_jnt";
    }
    void the_work_goes_along_and_comes_back() {
        QFETCH(QString, body);
        QFETCH(QString, arm);
        QFETCH(QString, shin);
        const std::string name = body.toStdString();
        const Vec3 corrected = work_on(name);
        QVERIFY(corrected.norm() > 20.0);
        const fs::path of = fs::path(entry(name).path).parent_path();
        const auto before = bytes_in(of);
        const std::string path = newer(name, [&](Json& gltf) {
            test::node_of(gltf, arm.toStdString())["name"] = "bone_31";
            for (Json& x : test::node_of(gltf, shin.toStdString())["translation"]) x = x.get<double>() * 1.05;
        });
        const Renewal renewal = renewal_of(entry(name), path);
        QCOMPARE(renewal.comparison.roles_lost.size(), size_t(0));
        std::string aside;
        LibraryEntry now = renew_character(library_, entry(name), renewal, aside);

        std::vector<std::string> notes;
        const LoadedFile read = load_character(now.path, now.document, notes);
        QVERIFY2(notes.empty(), notes.empty() ? "" : notes[0].c_str());
        const Character& c = read.character;
        QCOMPARE(c.id, renewal.older.character.id);
        QCOMPARE(c.name, renewal.older.character.name);
        QCOMPARE(c.rig.skeleton.names[size_t(c.roles.joint("upperarm.left"))], std::string("bone_31"));
        QCOMPARE(c.roles.fills.size(), renewal.older.character.roles.fills.size());
        // The bone's own axes did not change with its name: the correction is the same one.
        QVERIFY2((correction(c) - corrected).norm() < 0.01,
                 qPrintable(QString::number(correction(c).norm())));
        QCOMPARE(c.chains.at("arm.left").soften_from.value_or(0.0), 0.9);
        QCOMPARE(c.touches.size(), size_t(1));
        // The older lies there, byte for byte, and is a version.
        const std::vector<RigVersion> versions = versions_of(entry(name));
        QCOMPARE(versions.size(), size_t(1));
        QCOMPARE(versions[0].folder, aside);
        QVERIFY(bytes_in(aside).at("rig.glb") == before.at("rig.glb"));
        QVERIFY(bytes_in(aside).at("character.json") == before.at("character.json"));

        // Undone in one step: all as it was; and done again.
        const auto renewed = bytes_in(of);
        std::string aside_again, last;
        write_file(aside + "/note.txt", "by hand");
        now = exchange_version(library_, entry(name), aside, aside_again);
        QVERIFY(bytes_in(of) == before);
        QCOMPARE(versions_of(entry(name)).size(), size_t(1));
        // What somebody put there stays.
        QCOMPARE(read_file(aside + "/note.txt"), std::string("by hand"));
        exchange_version(library_, now, aside_again, last);
        QVERIFY(bytes_in(of) == renewed);
        QVERIFY(open_library(library_.folder).leftovers.empty());
    }

    void a_role_that_is_gone_is_filled_by_a_new_bone() {
        const std::string path = newer("ferrier", [](Json& gltf) {
            Json& thumb = test::node_of(gltf, "thumb.2.l");
            thumb["name"] = "thumb_b.l";
            for (Json& x : thumb["translation"]) x = x.get<double>() + 0.06;
        });
        const Renewal renewal = renewal_of(entry("ferrier"), path);
        QVERIFY(!renewal.comparison.roles_lost.empty());
        const Character& c = renewal.file.character;
        for (const std::string& role : renewal.roles_new) QVERIFY(c.roles.joint(role) >= 0);
    }

    void what_was_tried_goes_stale() {
        Ledger ledger(library_.folder);
        const LibraryEntry of = entry("dockhand");
        const Batch batch = trial_of(library_, ledger, {"quay-walk"}, {"dockhand", "ferrier"});
        run_batch(batch, library_, ledger, {}, [](const BatchProgress&) { return true; });
        ledger.look();
        QCOMPARE(pairs_made_of(library_, ledger, "dockhand"), 1);
        QCOMPARE(coverage_of(library_, ledger).count().stale, 0);
        const std::string path = newer("dockhand", [](Json& gltf) {
            for (Json& x : test::node_of(gltf, "L_LowLeg_jnt")["translation"]) x = x.get<double>() * 1.02;
        });
        std::string aside;
        renew_character(library_, of, renewal_of(of, path), aside);
        library_ = open_library(library_.folder);
        QCOMPARE(coverage_of(library_, ledger).count().stale, 1);
        // The older back: what it made is good again.
        std::string other;
        exchange_version(library_, entry("dockhand"), aside, other);
        QCOMPARE(coverage_of(open_library(library_.folder), ledger).count().stale, 0);
    }

    void what_cannot_carry_leaves_all_as_it_was() {
        const fs::path of = fs::path(entry("ferrier").path).parent_path();
        const auto before = bytes_in(of);
        const std::string other = folder_.filePath("other.glb").toStdString();
        fs::copy_file(entry("quay-dog").path, other, fs::copy_options::overwrite_existing);
        QVERIFY_THROWS_EXCEPTION(FileError, renewal_of(entry("ferrier"), other));
        const std::string cut = folder_.filePath("cut.glb").toStdString();
        write_file(cut, read_file(entry("ferrier").path).substr(0, 5000));
        QVERIFY_THROWS_EXCEPTION(FileError, renewal_of(entry("ferrier"), cut));
        QVERIFY_THROWS_EXCEPTION(FileError, renewal_of(entry("ferrier"), "/no/where.glb"));
        QVERIFY(bytes_in(of) == before);
        // A folder that is no version.
        const LibraryEntry ferrier = entry("ferrier");
        std::string aside;
        QVERIFY_THROWS_EXCEPTION(FileError,
                                 exchange_version(library_, ferrier, folder_.path().toStdString(), aside));
        QVERIFY(bytes_in(of) == before);
    }
};

NB_TEST(RenewalTest)
}  // namespace test_renewal
#include "test_renewal.moc"
