// What is open, changed and saved, driven without a window: every edit is in the document it belongs to, is
// saved there alone, and is offered again when the program was ended. Longer than other files: a
// fault a test, by number.
#include "core/base/files.hpp"
#include "core/documents/take.hpp"
#include "core/files/gltf/gltf.hpp"
#include "core/handover/export.hpp"
#include "core/library/shipped.hpp"
#include "core/rest/edit.hpp"
#include "tests/work/work_fixture.hpp"

using namespace nb;
using namespace nb::test;

class WorkTest : public WorkFixture {
    Q_OBJECT

    std::string take_document(const char* name) {
        return in(QString("library/takes/%1.take.json").arg(name));
    }
    std::string character(const char* name) {
        return in(QString("library/characters/%1/character.json").arg(name));
    }
    static bool has_contacts(const std::string& path) {
        return !read_document(path, "take").at("contacts").empty();
    }
    QStringList documents(const QString& folder, const QString& pattern) {
        return QDir(folder).entryList({pattern}, QDir::Files);
    }

  private slots:
    // A1
    void what_fails_to_open_is_not_what_is_edited() {
        open();
        write_file(in("legless.bvh"),
                   "HIERARCHY\nROOT a\n{\nOFFSET 0 0 0\nCHANNELS 3 Xrotation Yrotation "
                   "Zrotation\nEnd Site\n{\nOFFSET 0 1 0\n}\n}\nMOTION\nFrames: 2\nFrame Time: "
                   "0.03\n0 0 0\n1 1 1\n");
        w().open_file(root_ + "/legless.bvh");
        QVERIFY(idle(w()));
        QVERIFY(!failed_.isEmpty());
        QCOMPARE(w().take_name(), QString("Take 1"));
        mark_take(2);
        QVERIFY(idle(w()));
        w().save();
        QVERIFY(has_contacts(take_document("take-1")));
        QVERIFY(!QFile::exists(root_ + "/legless.take.json"));
        // Cancelled while it is read: the same.
        take("take 2");
        w().cancel();
        mark_take(4);
        QVERIFY(idle(w()));
        w().save();
        QVERIFY(!has_contacts(take_document("take-2")));
        QCOMPARE(read(take_document("take-1"), "take").at("contacts")[0].at("first").get<int>(), 4);
    }

    // A2
    void nothing_of_the_limbering_take_is_kept() {
        open();
        w().start_limbering();
        QVERIFY(idle(w(), 60000));
        QVERIFY(w().is_limbering());
        QVERIFY(!w().set_contacts(w().key(false), marked_contacts(1, 0.0)));
        QVERIFY(failed_.last().contains("limbering take is the program's own"));
        mark_pair(1.5);  // for the eye alone
        QVERIFY(idle(w(), 60000));
        QVERIFY(!w().has_unsaved_changes());
        w().end_limbering();
        QVERIFY(idle(w()));
        QVERIFY(!w().settings().scale);
        w().save();
        QVERIFY(!has_contacts(take_document("take-1")));
        QVERIFY(QFile::exists(library() + "/characters/body-2/certificate.json"));
        // A take that comes while it limbers ends it: what it shows is nobody's certificate.
        const QString certificate = library() + "/characters/body-3/certificate.json";
        target("body 3");
        QVERIFY(idle(w()));
        w().start_limbering();
        take("take 2");
        QVERIFY(idle(w(), 60000));
        take("take 3");
        QVERIFY(idle(w(), 60000));
        QVERIFY(!w().is_limbering());
        if (QFile::exists(certificate))
            QCOMPARE(read(certificate.toStdString(), "certificate").at("review").at("frames").get<int>(),
                     load_take(limbering_document(), "", *std::make_unique<std::vector<std::string>>())
                         .take->frames);
    }

    // A3
    void each_animation_of_a_file_has_a_document_of_its_own() {
        open();
        LoadedFile rig = load_file(demo("characters/performer/rig.glb"));
        Take still;
        still.frames = 4;
        still.joints = rig.character.rig.skeleton.size();
        still.frame_time_text = "0.0333333";
        still.frame_time_s = 1.0 / 30.0;
        for (int f = 0; f < still.frames; ++f) {
            auto R = rig.character.rig.skeleton.rest_R;
            for (Quat& turn : R) turn = turn * Quat(Eigen::AngleAxisd(0.02 * (f + 1), Vec3::UnitX()));
            still.R.edit().insert(still.R.end(), R.begin(), R.end());
        }
        std::string file = in("three.glb");
        for (const char* name : {"stand", "sway", "nod"}) {
            still.name = name;
            export_take(file, rig.character, still);
            rig = load_file(file);
            still.frames += 2;
            const auto first = std::vector(still.R.begin(), still.R.begin() + 2 * still.joints);
            still.R.edit().insert(still.R.end(), first.begin(), first.end());
        }
        w().open_file(root_ + "/three.glb");
        QVERIFY(idle(w()));
        const int first = index_of(w().takes(), "three · stand");
        QVERIFY(first >= 0);
        w().choose_take(first + 1);
        QVERIFY(idle(w()));
        mark_take(1, 0.125);
        w().choose_take(first + 2);
        QVERIFY(idle(w()));
        mark_take(2, 0.25);
        QVERIFY(idle(w()));
        QCOMPARE(w().unsaved().size(), 2u);
        w().read_library_again();  // a change of the folder does not jump to the first
        QCOMPARE(w().take_index(), first + 2);
        w().save();
        QVERIFY2(failed_.isEmpty(), qPrintable(failed_.join('\n')));
        const Json two = read(in("three.2.take.json"), "take");
        const Json three = read(in("three.3.take.json"), "take");
        QCOMPARE(two.at("animation").get<int>(), 2);
        QCOMPARE(two.at("contacts")[0].at("first").get<int>(), 1);
        QCOMPARE(three.at("contacts")[0].at("first").get<int>(), 2);
        // Taken in: the one that is meant, with what was set.
        undo_.push(
            new ChangeLibrary(w(), ChangeLibrary::Kind::add, w().takes()[size_t(first + 2)], false, {}));
        QVERIFY2(failed_.isEmpty(), qPrintable(failed_.join('\n')));
        const Json taken = read(take_document("three-nod"), "take");
        QCOMPARE(taken.at("animation").get<int>(), 3);
        QCOMPARE(taken.at("contacts")[0].at("first").get<int>(), 2);
        // Found again with the file.
        start();
        w().open_file(root_ + "/three.glb");
        QVERIFY(idle(w()));
        w().choose_take(index_of(w().takes(), "three · sway"));
        QVERIFY(idle(w()));
        QCOMPARE(w().source()->file.take->contacts.list.size(), 1u);
    }

    // A4
    void undo_reaches_a_body_that_is_not_on_the_stage() {
        open();
        mark_target(0.25);
        target("body 3");
        QVERIFY(idle(w()));
        undo_.undo();
        QVERIFY(said_.last().contains("not on the stage"));
        QVERIFY(!w().has_unsaved_changes());
        target("body 2");
        QVERIFY(idle(w()));
        QVERIFY(w().target()->file.character.chains.empty());
        target("body 3");
        QVERIFY(idle(w()));
        undo_.redo();
        w().save();
        QCOMPARE(mark_of(character("body-2")), 0.25);
        QCOMPARE(mark_of(character("body-3")), 0.0);
    }

    // A5
    void contacts_outlive_trims_rates_units_and_lengths() {
        open();
        Contacts contacts;
        contacts.is_by_hand = true;
        contacts.floor.levels_m = {0.2};
        contacts.list = {{"ball.left", 0, 2, ContactKind::stay, 0.2},
                         {"ball.left", 3, 7, ContactKind::pivot, 0.2},
                         {"heel.left", 9, 12, ContactKind::stay, 0.2}};
        undo_.push(new ChangeContacts(w(), contacts, "draw"));
        const Contacts whole = w().source()->file.take->contacts;
        LoadOptions trimmed = w().intake(w().key(false));
        trimmed.trim_first = 5;
        trimmed.trim_last = 8;
        trimmed.lengths["legs"] = 0.5;
        undo_.push(new ChangeIntake(w(), false, trimmed, "trim"));
        QVERIFY(idle(w()));
        const Contacts cut = w().source()->file.take->contacts;
        QCOMPARE(cut.list.size(), 1u);
        QCOMPARE(cut.list[0].last, 2);
        QVERIFY(std::abs(cut.list[0].level_m - 0.1) < 1e-9);  // the floor of legs half as long
        QVERIFY(std::abs(cut.floor.levels_m[0] - 0.1) < 1e-9);
        // One is changed within the trim; undone, all is as it was drawn.
        Contacts edited = cut;
        edited.list[0].kind = ContactKind::slide;
        undo_.push(new ChangeContacts(w(), edited, "kind"));
        QCOMPARE(w().source()->file.contacts_in_file.list.size(), 3u);
        QCOMPARE(w().source()->file.contacts_in_file.list[1].first, 3);
        undo_.undo();
        undo_.undo();
        QVERIFY(idle(w()));
        QVERIFY(w().source()->file.take->contacts == whole);
        LoadOptions faster = w().intake(w().key(false));
        faster.fps = 12.0;
        undo_.push(new ChangeIntake(w(), false, faster, "rate"));
        QVERIFY(idle(w()));
        undo_.undo();
        QVERIFY(idle(w()));
        QVERIFY(w().source()->file.take->contacts == whole);
    }

    // A6
    void contacts_found_stay_when_one_is_drawn() {
        w().open_library(QString::fromStdString(demo("")));
        QVERIFY(idle(w(), 60000));
        w().choose_take(index_of(w().takes(), "quay walk"));
        QVERIFY(idle(w(), 60000));
        const size_t found = w().contacts().list.size();
        QVERIFY(found > 4);
        PairingSettings loose = w().settings();
        loose.passes.contacts = false;
        w().set_settings(w().pairing_key(), loose);
        QVERIFY(idle(w(), 60000));
        QCOMPARE(w().contacts().list.size(), found);  // the pass left out, they are there to be edited
        target("the dockhand");
        QVERIFY(QTest::qWaitFor([&] { return w().target()->file.character.name == "the dockhand"; }, 20000));
        QCOMPARE(w().contacts().list.size(), found);  // before anything is solved
        QVERIFY(idle(w(), 60000));
        w().drop_recovery();
    }

    // A7
    void what_others_wrote_is_not_written_over() {
        open();
        mark_target(0.25);
        mark_take(2);
        mark_pair(1.25);
        w().save();
        for (const std::string& path : {character("body-2"), take_document("take-1")}) {
            std::string text = read_file(path);
            text.insert(text.rfind('}'), ",\n  \"theirs\": true\n");
            write_file(path, text);
        }
        const std::string theirs = read_file(character("body-2"));
        mark_target(0.5);
        mark_take(3);
        mark_pair(1.5);
        failed_.clear();
        w().save();
        QVERIFY2(failed_.last().contains("changed by somebody else"), qPrintable(failed_.join('\n')));
        QCOMPARE(read_file(character("body-2")), theirs);
        QCOMPARE(w().unsaved().size(), 2u);  // the pairing was saved
        // Mine over it: what they wrote that is not ours stays.
        w().save(true);
        QVERIFY(!w().has_unsaved_changes());
        QCOMPARE(mark_of(character("body-2")), 0.5);
        QVERIFY(read(character("body-2"), "character").value("theirs", false));
        // Or theirs: mine goes.
        mark_target(0.75);
        std::string text = read_file(character("body-2"));
        text.replace(text.find("0.5"), 3, "0.1");
        write_file(character("body-2"), text);
        w().save();
        w().take_theirs(QString::fromStdString(character("body-2")));
        QVERIFY(idle(w()));
        QVERIFY(!w().has_unsaved_changes());
        QCOMPARE(*w().target()->file.character.chains.at("arm.left").tip_share, 0.1);
        // What is edited while theirs is being read is not lost.
        mark_target(0.75);
        text.replace(text.find("0.1"), 3, "0.2");
        write_file(character("body-2"), text);
        w().save();
        w().take_theirs(QString::fromStdString(character("body-2")));
        mark_target(0.8);
        QVERIFY(idle(w()));
        QCOMPARE(w().unsaved().size(), 1u);
        QCOMPARE(*w().target()->file.character.chains.at("arm.left").tip_share, 0.8);
    }

    // A8
    void one_that_cannot_be_saved_blocks_no_other() {
        open();
        mark_target(0.25);
        undo_.push(new ChangeLibrary(w(), ChangeLibrary::Kind::remove,
                                     w().targets()[size_t(w().target_index())], true, {}));
        QVERIFY(idle(w()));
        mark_take(2);
        w().save();
        QVERIFY2(failed_.isEmpty(), qPrintable(failed_.join('\n')));
        QVERIFY(has_contacts(take_document("take-1")));
        QCOMPARE(mark_of(in("library/.trash/body-2/character.json")), 0.25);
        undo_.undo();  // the contact
        undo_.undo();  // put back, with the edit
        QCOMPARE(mark_of(character("body-2")), 0.25);
        // A document whose place is blocked is told; the others are written.
        mark_pair(1.25);
        target("body 3");
        QVERIFY(idle(w()));
        mark_target(0.5);
        QVERIFY(QDir(library() + "/characters/body-3").removeRecursively());
        w().save();
        QVERIFY2(failed_.last().contains("body 3") && failed_.last().contains("is not there"),
                 qPrintable(failed_.join('\n')));
        QCOMPARE(documents(library() + "/pairings", "*.json").size(), 1);
        QCOMPARE(w().unsaved().size(), 1u);
        QVERIFY(!QFile::exists(library() + "/characters/body-3"));
    }

    // A9
    void renaming_takes_unsaved_edits_along() {
        open();
        const std::string id = read(take_document("take-1"), "take").at("id").get<std::string>();
        mark_take(2);
        undo_.push(new ChangeLibrary(w(), ChangeLibrary::Kind::rename, w().takes()[size_t(w().take_index())],
                                     false, "long walk"));
        w().save();
        QVERIFY2(failed_.isEmpty(), qPrintable(failed_.join('\n')));
        QCOMPARE(documents(library() + "/takes", "*.take.json").size(), 3);
        const Json document = read(take_document("long-walk"), "take");
        QCOMPARE(document.at("id").get<std::string>(), id);
        QCOMPARE(document.at("contacts").size(), 1u);
        undo_.undo();
        undo_.undo();
        w().save();
        QVERIFY(!has_contacts(take_document("take-1")));
        QVERIFY(QFile::exists(library() + "/takes/take-1.bvh"));
        // What is being read when it is renamed, or read with another repair, goes on under its new name.
        take("take 2");
        undo_.push(new ChangeLibrary(w(), ChangeLibrary::Kind::rename,
                                     w().takes()[size_t(index_of(w().takes(), "take 2"))], false, "second"));
        QVERIFY(idle(w()));
        QCOMPARE(w().take_name(), QString("Second"));
        mark_take(1);
        LoadOptions trimmed = w().intake(w().key(false));
        trimmed.trim_last = 9;
        undo_.push(new ChangeIntake(w(), false, trimmed, "trim"));
        undo_.push(new ChangeLibrary(w(), ChangeLibrary::Kind::rename, w().takes()[size_t(w().take_index())],
                                     false, "third"));
        QVERIFY(idle(w()));
        w().save();
        QVERIFY2(failed_.isEmpty(), qPrintable(failed_.join('\n')));
        QCOMPARE(read(take_document("third"), "take").at("trim").at("last").get<int>(), 9);
        QCOMPARE(read(take_document("third"), "take").at("contacts").size(), 1u);
        // A character under its new name is saved under it.
        mark_target(0.5);
        undo_.push(new ChangeLibrary(w(), ChangeLibrary::Kind::rename,
                                     w().targets()[size_t(w().target_index())], true, "the long one"));
        w().save();
        QVERIFY2(failed_.isEmpty(), qPrintable(failed_.join('\n')));
        QCOMPARE(read(character("body-2"), "character").at("name").get<std::string>(),
                 std::string("the long one"));
        QCOMPARE(mark_of(character("body-2")), 0.5);
    }

    // A10
    void pairings_stay_in_their_library() {
        open();
        mark_pair(1.25);
        w().save();
        mark_pair(1.5);
        copy_tree(library().toStdString(), in("copy"));
        w().open_library(root_ + "/copy");
        QVERIFY(idle(w()));
        take("take 1");
        target("body 2");
        QVERIFY(idle(w()));
        QCOMPARE(*w().settings().scale, 1.25);  // the copy's own, as it is on its disk
        mark_pair(1.75);
        w().save();
        const auto scale = [&](const QString& folder) {
            const std::string file =
                (folder + "/pairings/" + documents(folder + "/pairings", "*.json").at(0)).toStdString();
            return read(file, "pairing").at("scale").get<double>();
        };
        QCOMPARE(scale(root_ + "/copy"), 1.75);
        QCOMPARE(scale(library()), 1.5);
    }

    // A11, E4
    void an_unreadable_pairing_hides_no_other_and_a_pair_has_one() {
        open();
        mark_pair(1.25);
        w().save();
        const QString folder = library() + "/pairings";
        const std::string good = (folder + "/" + documents(folder, "*.json").at(0)).toStdString();
        write_file((folder + "/0.json").toStdString(), "{ broken");
        // As older programs named it, after the one that cannot be read.
        std::filesystem::rename(good, (folder + "/zz.json").toStdString());
        start();
        open();
        QCOMPARE(*w().settings().scale, 1.25);
        QVERIFY2(failed_.join('\n').contains("0.json"), qPrintable(failed_.join('\n')));
        // Two that save the same pair write the same document; the second is told.
        std::filesystem::remove((folder + "/zz.json").toStdString());
        std::filesystem::remove((folder + "/0.json").toStdString());
        start();
        open();
        Workspace other;
        other.open_library(library());
        QVERIFY(idle(other));
        other.choose_take(index_of(other.takes(), "take 1"));
        other.choose_target(index_of(other.targets(), "body 2"));
        QVERIFY(idle(other));
        PairingSettings settings;
        settings.scale = 2.0;
        QVERIFY(other.set_settings(other.pairing_key(), settings));
        mark_pair(1.5);
        other.save();
        w().save();
        QCOMPARE(documents(folder, "*.json").size(), 1);
        QVERIFY(failed_.last().contains("changed by somebody else"));
    }

    // A12, A21
    void a_crash_loses_nothing_of_any_kind() {
        open();
        LoadOptions repaired = w().intake(w().key(false));
        repaired.trim_first = 1;
        undo_.push(new ChangeIntake(w(), false, repaired, "trim"));
        QVERIFY(idle(w()));
        mark_take(2);
        LoadOptions lower = w().intake(w().key(true));
        lower.lengths["legs"] = 0.9;
        undo_.push(new ChangeIntake(w(), true, lower, "legs"));
        QVERIFY(idle(w()));
        mark_target(0.25);
        mark_pair(1.25);
        // Nothing is written while a number is being turned.
        const QString unsaved =
            QStandardPaths::writableLocation(QStandardPaths::AppDataLocation) + "/unsaved";
        const auto written = [&] {
            int files = 0;
            for (const QString& session : QDir(unsaved).entryList(QDir::Dirs | QDir::NoDotAndDotDot))
                files += int(documents(unsaved + "/" + session, "*.json").size());
            return files;
        };
        w().flush_recovery();
        QCOMPARE(written(), 3);
        crash();
        start();
        QCOMPARE(w().left_unsaved().size(), 3u);
        open();
        QVERIFY(said_.join('\n').contains("are back"));
        QCOMPARE(w().unsaved().size(), 3u);
        QCOMPARE(w().source()->file.character.rig.options.trim_first, 1);
        QCOMPARE(w().source()->file.take->contacts.list.at(0).first, 2);
        QCOMPARE(w().target()->file.character.rig.options.lengths.at("legs"), 0.9);
        QCOMPARE(*w().target()->file.character.chains.at("arm.left").tip_share, 0.25);
        QCOMPARE(*w().settings().scale, 1.25);
        QVERIFY(w().left_unsaved().empty());
        w().save();
        QVERIFY(!w().has_unsaved_changes());
        crash();
        start();
        QVERIFY(w().left_unsaved().empty());
        open();
        QVERIFY(!w().has_unsaved_changes());
        QCOMPARE(w().source()->file.take->contacts.list.at(0).first, 2);
    }
    void recovery_is_written_from_a_timer() {
        open();
        const QString unsaved =
            QStandardPaths::writableLocation(QStandardPaths::AppDataLocation) + "/unsaved";
        const auto files = [&] {
            QStringList all;
            for (const QString& session : QDir(unsaved).entryList(QDir::Dirs | QDir::NoDotAndDotDot))
                all += documents(unsaved + "/" + session, "*.json");
            return all.size();
        };
        PairingSettings settings;
        for (int step = 0; step < 50; ++step) {
            settings.scale = 1.0 + 0.01 * step;
            w().set_settings(w().pairing_key(), settings);
        }
        QCOMPARE(files(), 0);
        QVERIFY(QTest::qWaitFor([&] { return files() == 1; }, 2000));
    }

    // A13
    void what_is_edited_while_a_file_is_read_again_stays() {
        open();
        LoadOptions repaired = w().intake(w().key(true));
        repaired.on_floor = true;
        undo_.push(new ChangeIntake(w(), true, repaired, "floor"));
        mark_target(0.25);  // before it is there
        LoadOptions further = w().target()->file.character.rig.options;
        further.lengths["arms"] = 1.1;
        undo_.push(new ChangeIntake(w(), true, further, "arms"));  // from what is shown: without the floor
        mark_target(0.5);
        QVERIFY(idle(w()));
        const Character& now = w().target()->file.character;
        QVERIFY(now.rig.options.on_floor);
        QCOMPARE(now.rig.options.lengths.at("arms"), 1.1);
        QCOMPARE(*now.chains.at("arm.left").tip_share, 0.5);
        // Chosen again while it stands there, edited and saved before it is read: what was saved is what
        // shows.
        w().save();
        target("body 2");
        mark_target(0.625);
        w().save();
        QVERIFY(idle(w()));
        QCOMPARE(*w().target()->file.character.chains.at("arm.left").tip_share, 0.625);
        mark_target(0.5);
        w().save();
        QVERIFY2(failed_.isEmpty(), qPrintable(failed_.join('\n')));
        // Another body comes onto the stage meanwhile: the repair is the first one's all the same.
        LoadOptions off = w().target()->file.character.rig.options;
        off.on_floor = false;
        undo_.push(new ChangeIntake(w(), true, off, "no floor"));
        target("body 3");
        QVERIFY(idle(w()));
        QCOMPARE(w().unsaved().size(), 1u);
        target("body 2");
        QVERIFY(idle(w()));
        QVERIFY(!w().target()->file.character.rig.options.on_floor);
        QCOMPARE(*w().target()->file.character.chains.at("arm.left").tip_share, 0.5);
    }

    // A16, E8
    void a_number_where_a_text_belongs_is_told() {
        std::string text = read_file(in("library/library.json"));
        const size_t at = text.find("\"id\": \"");
        text.replace(at, text.find('\n', at) - at, "\"id\": 7,");
        write_file(in("library/library.json"), text);
        w().open_library(library());
        QVERIFY(idle(w()));
        QVERIFY2(failed_.join('\n').contains("'id' is no text"), qPrintable(failed_.join('\n')));
        // A damaged recovery file is told, kept aside, and stands in nobody's way.
        copy_tree(folder_.filePath("small").toStdString(), in("good"));
        std::filesystem::remove_all(library().toStdString());
        std::filesystem::rename(in("good"), library().toStdString());
        start();
        open();
        mark_target(0.25);
        w().flush_recovery();
        const QString unsaved =
            QStandardPaths::writableLocation(QStandardPaths::AppDataLocation) + "/unsaved";
        crash();
        for (const QString& session : QDir(unsaved).entryList(QDir::Dirs | QDir::NoDotAndDotDot))
            for (const QString& name : documents(unsaved + "/" + session, "*.json")) {
                QFile file(unsaved + "/" + session + "/" + name);
                QVERIFY(file.open(QFile::ReadWrite));
                QVERIFY(file.resize(file.size() / 2));
            }
        start();
        QVERIFY(QTest::qWaitFor([&] { return failed_.join('\n').contains("unreadable"); }, 2000));
        QCOMPARE(documents(unsaved + "/unreadable", "*").size(), 1);
        open();
        QVERIFY(w().target());
    }

    // A17, A18
    void two_rigs_of_one_folder_do_not_meet_and_all_is_there_tomorrow() {
        QDir().mkpath(root_ + "/own");
        write_file(in("own/tall.bvh"), small_take(21, 1));
        write_file(in("own/short.bvh"), small_take(22, 1));
        write_file(in("own/walk.bvh"), small_take(23, 9));
        w().open_files({root_ + "/own/tall.bvh", root_ + "/own/walk.bvh"});
        QVERIFY(idle(w()));
        mark_target(0.25);
        mark_take(2);
        mark_pair(1.25);
        w().open_file(root_ + "/own/short.bvh", true);
        QVERIFY(idle(w()));
        mark_target(0.5);
        mark_pair(1.5);
        QVERIFY(idle(w()));
        QCOMPARE(w().unsaved().size(), 5u);
        w().save();
        QVERIFY2(failed_.isEmpty(), qPrintable(failed_.join('\n')));
        QCOMPARE(mark_of(in("own/tall.character.json")), 0.25);
        QCOMPARE(mark_of(in("own/short.character.json")), 0.5);
        QCOMPARE(documents(root_ + "/own", "*.pairing.json").size(), 2);
        crash();
        start();
        w().open_files({root_ + "/own/tall.bvh", root_ + "/own/walk.bvh"});
        QVERIFY(idle(w()));
        QCOMPARE(*w().target()->file.character.chains.at("arm.left").tip_share, 0.25);
        QCOMPARE(w().source()->file.take->contacts.list.at(0).first, 2);
        QCOMPARE(*w().settings().scale, 1.25);
        QVERIFY(!w().has_unsaved_changes());
        // A14: taken in as it is, unsaved edits, pairing and all; undone, it is what it was.
        w().open_library(library());
        QVERIFY(idle(w()));
        w().open_files({root_ + "/own/tall.bvh", root_ + "/own/walk.bvh"});
        QVERIFY(idle(w()));
        mark_target(0.75);
        mark_take(3);
        LoadOptions trimmed = w().intake(w().key(false));
        trimmed.trim_last = 8;
        undo_.push(new ChangeIntake(w(), false, trimmed, "trim"));
        QVERIFY(idle(w()));
        undo_.push(new ChangeLibrary(w(), ChangeLibrary::Kind::add, w().targets()[size_t(w().target_index())],
                                     true, {}));
        undo_.push(new ChangeLibrary(w(), ChangeLibrary::Kind::add, w().takes()[size_t(w().take_index())],
                                     false, {}));
        QVERIFY2(failed_.isEmpty(), qPrintable(failed_.join('\n')));
        QCOMPARE(mark_of(character("tall")), 0.75);
        const Json taken = read(take_document("walk"), "take");
        QCOMPARE(taken.at("contacts")[0].at("first").get<int>(), 3);
        QCOMPARE(taken.at("trim").at("last").get<int>(), 8);
        QCOMPARE(*w().settings().scale, 1.25);
        QCOMPARE(documents(library() + "/pairings", "*.json").size(), 1);
        QVERIFY2(!w().has_unsaved_changes(), "what was taken in is saved");
        undo_.undo();
        undo_.undo();
        QVERIFY(idle(w()));
        QCOMPARE(mark_of(in("own/tall.character.json")), 0.25);  // its own was never written
        QCOMPARE(*w().target()->file.character.chains.at("arm.left").tip_share, 0.75);
        QVERIFY(w().has_unsaved_changes());
    }

    /// One file open as rig and as take: what is saved of the take's body is not written into the rig's
    /// document.
    void a_rig_and_the_body_of_its_own_take_keep_apart() {
        QDir().mkpath(root_ + "/own");
        write_file(in("own/both.bvh"), small_take(24, 9));
        w().open_file(root_ + "/own/both.bvh");
        QVERIFY(idle(w()));
        w().open_file(root_ + "/own/both.bvh", true);
        QVERIFY(idle(w()));
        mark_target(0.25);
        w().save();
        const std::string rig = read_file(in("own/both.character.json"));
        RestState state = w().rest_state(false);
        turn_bone(w().source()->file.character.rig.skeleton, w().source()->file.character.roles, state.rest,
                  "forearm.left", Quat(Eigen::AngleAxisd(0.2, Vec3::UnitY())), false);
        undo_.push(new ChangeRest(w(), {{w().key(false), w().rest_state(false), state}}, "bend"));
        w().save();
        QVERIFY2(failed_.isEmpty(), qPrintable(failed_.join('\n')));
        QCOMPARE(read_file(in("own/both.character.json")), rig);
        QCOMPARE(read(in("own/both.take.json"), "take").at("character").at("path").get<std::string>(),
                 std::string("both.take.character.json"));
        // Found again, and written there the next time.
        crash();
        start();
        w().open_file(root_ + "/own/both.bvh");
        QVERIFY(idle(w()));
        QVERIFY(w().rest_state(false).is_same(state));
        turn_bone(w().source()->file.character.rig.skeleton, w().source()->file.character.roles, state.rest,
                  "forearm.left", Quat(Eigen::AngleAxisd(0.1, Vec3::UnitY())), false);
        undo_.push(new ChangeRest(w(), {{w().key(false), w().rest_state(false), state}}, "bend"));
        w().save();
        QVERIFY2(failed_.isEmpty(), qPrintable(failed_.join('\n')));
        QCOMPARE(documents(root_ + "/own", "*.character.json").size(), 2);
    }
    void a_rig_is_read_by_what_its_take_says_and_written_to_its_own() {
        QDir().mkpath(root_ + "/own");
        write_file(in("own/both.bvh"), small_take(24, 9));
        w().open_file(root_ + "/own/both.bvh");
        QVERIFY(idle(w()));
        w().open_file(root_ + "/own/both.bvh", true);
        QVERIFY(idle(w()));
        // The take is first to have a document; the rig is changed only then.
        RestState state = w().rest_state(false);
        turn_bone(w().source()->file.character.rig.skeleton, w().source()->file.character.roles, state.rest,
                  "forearm.left", Quat(Eigen::AngleAxisd(0.2, Vec3::UnitY())), false);
        undo_.push(new ChangeRest(w(), {{w().key(false), w().rest_state(false), state}}, "bend"));
        w().save();
        QCOMPARE(documents(root_ + "/own", "*.character.json").size(), 1);
        const std::string of_take = read_file(in("own/both.take.character.json"));
        mark_target(0.25);
        w().save();
        QCOMPARE(mark_of(in("own/both.character.json")), 0.25);
        QCOMPARE(read_file(in("own/both.take.character.json")), of_take);
        for (const char* first : {"both.take.character.json", "both.character.json"}) {
            crash();
            if (first == std::string("both.take.character.json"))
                std::filesystem::remove(in("own/both.character.json"));
            start();
            w().open_file(root_ + "/own/both.bvh", true);
            QVERIFY(idle(w()));
            QCOMPARE(QFileInfo(QString::fromStdString(w().target()->file.character_document.path)).fileName(),
                     QString(first));
            mark_target(0.5);
            w().save();
            QVERIFY2(failed_.isEmpty(), qPrintable(failed_.join('\n')));
            QCOMPARE(mark_of(in("own/both.character.json")), 0.5);
            QCOMPARE(read_file(in("own/both.take.character.json")), of_take);
        }
    }

    void what_is_set_of_a_body_stays_out_of_the_takes_it_was_matched_with() {
        open();
        QDir().mkpath(root_ + "/own");
        write_file(in("own/one.bvh"), small_take(31, 6));
        w().open_file(root_ + "/own/one.bvh");
        QVERIFY(idle(w()));
        const QString matched = QFileInfo(w().takes()[size_t(w().take_index())].character).fileName();
        QCOMPARE(matched, QString("character.json"));
        const QString of_whom = w().takes()[size_t(w().take_index())].character;
        for (size_t i = 0; i < w().targets().size(); ++i)
            if (w().targets()[i].document == of_whom) w().choose_target(int(i));
        QVERIFY(idle(w()));
        mark_target(0.25);
        w().save();
        QVERIFY(read(of_whom.toStdString(), "character").contains("chains"));
        LoadOptions trimmed = w().intake(w().key(false));
        trimmed.trim_first = 1;
        undo_.push(new ChangeIntake(w(), false, trimmed, "trim"));
        QVERIFY(idle(w()));
        RestState state = w().rest_state(false);
        turn_bone(w().source()->file.character.rig.skeleton, w().source()->file.character.roles, state.rest,
                  "forearm.left", Quat(Eigen::AngleAxisd(0.2, Vec3::UnitY())), false);
        undo_.push(new ChangeRest(w(), {{w().key(false), w().rest_state(false), state}}, "bend"));
        w().save();
        QVERIFY2(failed_.isEmpty(), qPrintable(failed_.join('\n')));
        QVERIFY(!read(in("own/one.take.character.json"), "character").contains("chains"));
    }

    // A20
    void a_take_of_nearly_the_same_body_is_carried() {
        open();
        // A motion file of body 1 without its left hand's last joints, under other names for one bone.
        std::string text = read_file(in("library/takes/take-2.bvh"));
        const LoadedFile whole = load_file(in("library/takes/take-2.bvh"));
        const int toe = whole.character.roles.joint("toe.left");
        QVERIFY(toe >= 0);
        const std::string name = whole.character.rig.skeleton.names[size_t(toe)];
        for (size_t at = text.find(name); at != std::string::npos; at = text.find(name, at + 3))
            text.replace(at, name.size(), "Xq7");
        write_file(in("nearly.bvh"), text);
        w().open_file(root_ + "/nearly.bvh");
        QVERIFY(idle(w()));
        QVERIFY2(failed_.isEmpty(), qPrintable(failed_.join('\n')));
        QCOMPARE(w().take_name(), QString("nearly"));
        QVERIFY(w().result() != nullptr);
    }
    void a_renamed_bone_loses_no_work() {
        const std::string rig = in("library/characters/body-2/rig.bvh");
        open();
        RestState state = w().rest_state(true);
        turn_bone(w().target()->file.character.rig.skeleton, w().target()->file.character.roles, state.rest,
                  "forearm.left", Quat(Eigen::AngleAxisd(0.2, Vec3::UnitY())), false);
        state.others.push_back(state.rest);
        state.others.back().name = "bent";
        undo_.push(new ChangeRest(w(), {{w().key(true), w().rest_state(true), state}}, "bend"));
        w().save();
        const Quat bent = relative_turn(w().target()->file.character.roles, state.rest, "forearm.left");
        const std::string toe = w().target()->file.character.rig.skeleton.names[size_t(
            w().target()->file.character.roles.joint("toe.left"))];
        std::string text = read_file(rig);
        text.replace(text.find(toe), toe.size(), "renamed_bone");
        write_file(rig, text);
        start();
        open();
        QVERIFY2(said_.join('\n').contains(QString::fromStdString(toe)), qPrintable(said_.join('\n')));
        const Character& now = w().target()->file.character;
        QCOMPARE(now.other_rests.size(), 1u);
        QVERIFY(angle_between(relative_turn(now.roles, now.rest, "forearm.left"), bent) < 1e-6);
        QCOMPARE(now.roles.joint("toe.left"), -1);
        mark_target(0.5);
        w().save();
        const Json document = read(character("body-2"), "character");
        QCOMPARE(document.at("roles").at("toe.left").at("bone").get<std::string>(),
                 toe);  // kept for its return
        QCOMPARE(document.at("other_rests").size(), 1u);
    }

    // E2
    void a_library_that_vanished_is_told_and_nothing_is_made() {
        open();
        mark_target(0.25);
        mark_pair(1.25);
        std::filesystem::rename(library().toStdString(), in("moved"));
        w().save();
        QVERIFY2(failed_.last().contains("is not there"), qPrintable(failed_.join('\n')));
        QVERIFY(!QFile::exists(library()));
        QCOMPARE(w().unsaved().size(), 2u);
        crash();
        start();
        QCOMPARE(w().left_unsaved().size(), 2u);
        std::filesystem::rename(in("moved"), library().toStdString());
        open();
        QCOMPARE(w().unsaved().size(), 2u);
        w().save();
        QCOMPARE(mark_of(character("body-2")), 0.25);
    }

    // E4
    void two_sittings_do_not_share_what_is_unsaved() {
        open();
        mark_target(0.25);
        w().flush_recovery();
        Workspace other;  // while the first one lives
        QVERIFY(other.left_unsaved().empty());
        other.open_library(library());
        QVERIFY(idle(other));
        other.choose_target(index_of(other.targets(), "body 2"));
        QVERIFY(idle(other));
        QVERIFY(!other.has_unsaved_changes());
        other.flush_recovery();
        crash();
        start();
        QCOMPARE(w().left_unsaved().size(), 1u);
        other.drop_recovery();
    }
};

QTEST_GUILESS_MAIN(WorkTest)
#include "test_work.moc"
