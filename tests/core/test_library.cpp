// The library on disk: made, added to, renamed, laid aside and put back; what others or the disk refuse
// leaves it as it was. And dropped files sorted: what each holds, and whose motion it is.
#include <unistd.h>
#include <QDir>
#include <QFile>
#include <QTemporaryDir>
#include <QtTest>

#include "core/base/fault.hpp"
#include "core/base/files.hpp"
#include "core/files/gltf/gltf.hpp"
#include "core/handover/export.hpp"
#include "core/handover/glb_animation.hpp"
#include "core/library/changes.hpp"
#include "core/library/classify.hpp"
#include "core/touchup/hand_pose.hpp"
#include "tests/support/run_test.hpp"
#include "tests/support/test_rigs.hpp"

namespace test_library {

using namespace nb;

class LibraryTest : public QObject {
    Q_OBJECT
    std::unique_ptr<QTemporaryDir> folder_;

    std::string at(const char* name) const { return folder_->filePath(name).toStdString(); }
    /// Every file of the library with its size, as one text.
    QStringList contents() const {
        QStringList all;
        QDirIterator it(folder_->filePath("lib"), QDir::Files | QDir::Hidden, QDirIterator::Subdirectories);
        while (it.hasNext()) {
            it.next();
            all << it.filePath() + " " + QString::number(it.fileInfo().size());
        }
        all.sort();
        return all;
    }
    static QString error_of(const std::function<void()>& call) {
        try {
            call();
        } catch (const FileError& error) {
            return error.what();
        }
        return {};
    }

  private slots:
    void init() { folder_ = std::make_unique<QTemporaryDir>(); }

    void a_new_library_takes_rigs_and_takes() {
        const Library empty = create_library(at("lib"), "Two");
        QCOMPARE(empty.characters.size(), 0u);
        const LibraryEntry body =
            add_character(empty, test::demo("characters/dockhand/rig.glb"), "", "The Second Dockhand");
        QCOMPARE(body.name, std::string("the-second-dockhand"));
        const LibraryEntry take = add_take(empty, test::capture("01_01.bvh"), "", "Up the rocks");
        const Library library = open_library(at("lib"));
        QCOMPARE(library.characters.size(), 1u);
        QCOMPARE(library.takes.size(), 1u);
        // What was taken in is the same file, and loads with its document.
        QCOMPARE(read_file(body.path), read_file(test::demo("characters/dockhand/rig.glb")));
        std::vector<std::string> notes;
        QCOMPARE(load_character(body.path, body.document, notes).character.name,
                 std::string("The Second Dockhand"));
        QCOMPARE(load_take(take.document, "", notes).take->frames, 2752);
        // The same name once more gets a place of its own.
        QCOMPARE(add_character(library, body.path, body.document, "The second dockhand").name,
                 std::string("the-second-dockhand-2"));
        QVERIFY(error_of([&] { create_library(at("lib"), "Three"); }).contains("is not empty"));
    }

    void hands_of_ones_own_are_kept() {
        const Library library = create_library(at("lib"), "One");
        HandPose hook = *shipped_hand_pose("grip");
        hook.name = "Boat hook!";
        keep_hand_pose(library, hook);
        QVERIFY(
            error_of([&] { keep_hand_pose(library, hook); }).contains("boat-hook.json: is there already"));
        write_file(at("lib/hands/torn.json"), "{\"format\": \"nimble-bone/hand-pose\", \"version\": 1, \"na");
        const Library again = open_library(at("lib"));
        QCOMPARE(again.hands.size(), 1u);
        QCOMPARE(again.hands[0].name, hook.name);
        for (size_t d = 0; d < digits.size(); ++d)
            for (size_t i = 0; i < 3; ++i)
                QVERIFY(std::abs(again.hands[0].of[d].bend_rad[i] - hook.of[d].bend_rad[i]) < 1e-10);
        // One that is broken is told, and the others are there.
        QCOMPARE(again.troubles.size(), 1u);
        QVERIFY(again.troubles[0].find("torn.json") != std::string::npos);
    }

    void a_gltf_brings_the_files_it_refers_to() {
        const std::string source = "/usr/share/assimp/models/glTF2/simple_skin/simple_skin.gltf";
        QVERIFY(QFile::exists(QString::fromStdString(source)));
        const Library library = create_library(at("lib"), "One");
        const LibraryEntry entry = add_character(library, source, "", "stem");
        // Read from its new place it holds the same skeleton.
        QCOMPARE(load_file(entry.path).character.rig.skeleton.signature(),
                 load_file(source).character.rig.skeleton.signature());
    }

    void renaming_keeps_references() {
        const Library library = create_library(at("lib"), "One");
        const LibraryEntry body =
            add_character(library, test::demo("characters/performer/rig.glb"),
                          test::demo("characters/performer/character.json"), "performer");
        const LibraryEntry take = add_take(library, test::demo("takes/quay-walk.bvh"), body.document, "walk");
        rename_character(body, "the tall one");
        std::vector<std::string> notes;
        QCOMPARE(load_take(take.document, "", notes).character.name, std::string("the tall one"));
        Trashed moved;
        const LibraryEntry renamed = rename_take(library, take, "Long Walk", moved);
        QCOMPARE(renamed.name, std::string("long-walk"));
        QVERIFY(!QFile::exists(QString::fromStdString(take.path)));
        const LoadedFile loaded = load_take(renamed.document, "", notes);
        QCOMPARE(loaded.character.name, std::string("the tall one"));
        QVERIFY2(notes.empty(), notes.empty() ? "" : notes[0].c_str());
        // A name that is taken is refused, and nothing has moved.
        const LibraryEntry other = add_take(library, test::capture("01_03.bvh"), "", "other");
        const QStringList before = contents();
        QVERIFY(
            error_of([&] { rename_take(library, other, "long walk", moved); }).contains("is there already"));
        QCOMPARE(contents(), before);
    }

    void what_is_laid_aside_comes_back_whole() {
        Library library = create_library(at("lib"), "One");
        const LibraryEntry body =
            add_character(library, test::demo("characters/ferrier/rig.glb"), "", "ferrier");
        const LibraryEntry take = add_take(library, test::capture("01_01.bvh"), "", "walk");
        const QStringList before = contents();
        const Trashed gone = lay_aside(library, body, true);
        const Trashed gone_take = lay_aside(library, take, false);
        library = open_library(library.folder);
        QCOMPARE(library.characters.size(), 0u);
        QCOMPARE(library.takes.size(), 0u);
        QCOMPARE(contents().size(), before.size());  // nothing is deleted
        // Meanwhile the place is taken by somebody else: the way back is refused and both stay.
        add_character(library, test::demo("characters/dockhand/rig.glb"), "", "ferrier");
        QVERIFY(error_of([&] { put_back(library, gone); }).contains("is there already"));
        lay_aside(library, open_library(library.folder).characters[0], true);
        put_back(library, gone);
        put_back(library, gone_take);
        QStringList now = contents();
        now.removeIf([](const QString& line) { return line.contains("/.trash/"); });
        QCOMPARE(now, before);
    }

    void a_folder_that_cannot_be_written_stays_as_it_was() {
        if (::geteuid() == 0) {
            // Root writes anywhere: a file where a folder must be stands in for the refusal.
            const Library library = create_library(at("lib"), "One");
            QVERIFY(QDir(folder_->filePath("lib/characters")).removeRecursively());
            QFile block(folder_->filePath("lib/characters"));
            QVERIFY(block.open(QIODevice::WriteOnly));
            block.close();
            const QStringList before = contents();
            QVERIFY(!error_of([&] {
                         add_character(library, test::demo("characters/ferrier/rig.glb"), "", "f");
                     }).isEmpty());
            QCOMPARE(contents(), before);
            return;
        }
        const Library library = create_library(at("lib"), "One");
        QFile::setPermissions(folder_->filePath("lib/characters"), QFile::ReadOwner | QFile::ExeOwner);
        const QStringList before = contents();
        const QString error =
            error_of([&] { add_character(library, test::demo("characters/ferrier/rig.glb"), "", "f"); });
        QFile::setPermissions(folder_->filePath("lib/characters"),
                              QFile::ReadOwner | QFile::WriteOwner | QFile::ExeOwner);
        QVERIFY2(error.contains("choose a folder"), qPrintable(error));
        QCOMPARE(contents(), before);
    }

    void a_broken_file_is_not_taken_in() {
        const Library library = create_library(at("lib"), "One");
        QFile broken(folder_->filePath("broken.glb"));
        QVERIFY(broken.open(QIODevice::WriteOnly));
        broken.write("glTF nonsense");
        broken.close();
        const QStringList before = contents();
        QVERIFY(!error_of([&] { add_character(library, at("broken.glb"), "", "broken"); }).isEmpty());
        QVERIFY(!error_of([&] {
                     add_take(library, test::demo("characters/ferrier/rig.glb"), "", "no motion");
                 }).isEmpty());
        QCOMPARE(contents(), before);
    }

    /// A file with two animations: each is a take of its own; one that is not there is refused.
    void a_file_may_hold_several_takes() {
        std::vector<std::string> notes;
        LoadedFile rig = load_file(test::demo("characters/performer/rig.glb"));
        const LoadedFile walk = load_take(test::demo("takes/quay-walk.take.json"), "", notes);
        const LoadedFile sit = load_take(test::demo("takes/bollard-sit.take.json"), "", notes);
        export_take(at("one.glb"), rig.character, test::carry(walk, rig).take);
        rig = load_file(at("one.glb"));
        export_take(at("two.glb"), rig.character, test::carry(sit, rig).take);
        const auto sorted = sort_files({at("two.glb")}, {});
        QCOMPARE(sorted[0].as, Taken::take);
        QCOMPARE(sorted[0].animations.size(), 2u);
        QVERIFY2(sorted[0].holds.find("2 animations") != std::string::npos, sorted[0].holds.c_str());
        QCOMPARE(load_take(at("two.glb"), "", notes, 0).take->frames, walk.take->frames);
        QCOMPARE(load_take(at("two.glb"), "", notes, 1).take->frames, sit.take->frames);
        const QString error = error_of([&] { load_take(at("two.glb"), "", notes, 2); });
        QVERIFY2(error.contains("no number 3"), qPrintable(error));
    }

    void files_that_come_together_sort_themselves_out() {
        QFile broken(folder_->filePath("broken.bvh"));
        QVERIFY(broken.open(QIODevice::WriteOnly));
        broken.write("HIERARCHY\nROOT\n");
        broken.close();
        const auto sorted =
            sort_files({test::demo("characters/lamp-child/rig.glb"), test::capture("01_03.bvh"),
                        test::demo(""), at("broken.bvh"), at("nowhere.glb")},
                       {});
        QCOMPARE(sorted.size(), 5u);
        QCOMPARE(sorted[0].as, Taken::rig);
        QVERIFY2(sorted[0].holds.find("mesh of") != std::string::npos, sorted[0].holds.c_str());
        QCOMPARE(sorted[1].as, Taken::take);
        QVERIFY2(sorted[1].holds.find("frames at 120/s") != std::string::npos, sorted[1].holds.c_str());
        QCOMPARE(sorted[2].as, Taken::library);
        QCOMPARE(sorted[3].as, Taken::nothing);
        QVERIFY2(sorted[3].holds.find("broken.bvh") == std::string::npos, "the path is not said twice");
        QCOMPARE(sorted[4].as, Taken::nothing);
    }

    /// A motion-only file whose bones tell nothing finds its character in the library: by the signature, and
    /// by the names when it holds fewer bones.
    void motion_alone_finds_whose_it_is() {
        const Library library = open_library(test::demo(""));
        std::vector<std::string> notes;
        const std::string rig = test::demo("characters/net-mender/rig.glb");
        const LoadedFile body =
            load_character(rig, test::demo("characters/net-mender/character.json"), notes);
        Take take;
        take.name = "idle";
        take.frames = 12;
        take.joints = body.character.rig.skeleton.size();
        take.frame_time_text = "0.0166667";
        for (int f = 0; f < take.frames; ++f)
            take.R.edit().insert(take.R.end(), body.character.rig.skeleton.rest_R.begin(),
                                 body.character.rig.skeleton.rest_R.end());
        write_glb(at("idle.glb"), body.character.rig.skeleton, take);
        const auto sorted = sort_files({at("idle.glb")}, library);
        QCOMPARE(sorted[0].as, Taken::take);
        QVERIFY2(sorted[0].character.ends_with("net-mender/character.json"), sorted[0].character.c_str());
        const LoadedFile loaded = load_take(at("idle.glb"), sorted[0].character, notes);
        QCOMPARE(loaded.character.roles.missing.size(), 0u);
        QCOMPARE(loaded.character.id, body.character.id);

        // Without the fingers of one hand it is still hers, by name.
        SkeletonFile fewer;
        const Skeleton& all = body.character.rig.skeleton;
        std::vector<int> kept(all.names.size(), -1);
        const int hand = body.character.roles.joint("index.3.left");
        for (int j = 0; j < all.size(); ++j) {
            if (all.is_ancestor(hand, j)) continue;
            kept[size_t(j)] = fewer.skeleton.size();
            fewer.skeleton.names.push_back(all.names[size_t(j)]);
            fewer.skeleton.parents.push_back(
                all.parents[size_t(j)] < 0 ? -1 : kept[size_t(all.parents[size_t(j)])]);
            fewer.skeleton.rest_R.push_back(all.rest_R[size_t(j)]);
            fewer.skeleton.rest_p.push_back(all.rest_p[size_t(j)]);
        }
        std::string why;
        std::vector<std::string> documents;
        for (const LibraryEntry& c : library.characters) documents.push_back(c.document);
        QVERIFY(find_character_for(fewer.skeleton, documents, why).ends_with("net-mender/character.json"));
        QVERIFY2(why.find("by name") != std::string::npos, why.c_str());
        // A stranger belongs to nobody.
        QVERIFY(find_character_for(test::random_body(5).skeleton, documents, why).empty());
        QVERIFY(
            find_character_for(load_file(test::capture("01_01.bvh")).character.rig.skeleton, documents, why)
                .empty());
    }
};

NB_TEST(LibraryTest)
}  // namespace test_library
#include "test_library.moc"
