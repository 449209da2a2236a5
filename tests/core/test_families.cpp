// Families and templates: one characterization for all sizes of a body; what is a member's own stays; a template fits by
// names, by shape, in part.
#include <QtTest>
#include <cstring>
#include <filesystem>
#include <sstream>

#include "core/base/fault.hpp"
#include "core/base/files.hpp"
#include "core/documents/character.hpp"
#include "core/library/changes.hpp"
#include "core/library/families.hpp"
#include "core/rest/edit.hpp"
#include "tests/support/glb_edit.hpp"
#include "tests/support/run_test.hpp"
#include "tests/support/test_rigs.hpp"

namespace test_families {

using namespace nb;
namespace fs = std::filesystem;

class FamiliesTest : public QObject {
    Q_OBJECT

    QTemporaryDir folder_;
    Library library_;

    /// A .bvh with every offset times `k`, arms by more; `prefix` before every name.
    static std::string resized(const std::string& text, double k, double arms, const std::string& prefix) {
        std::istringstream lines(text);
        std::string line, out;
        bool is_arm = false;
        while (std::getline(lines, line)) {
            std::istringstream words(line);
            std::string word;
            words >> word;
            if (word == "ROOT" || word == "JOINT") {
                std::string name;
                words >> name;
                is_arm = name.find("arm") != std::string::npos || name.find("Arm") != std::string::npos;
                line = line.substr(0, line.find(name)) + prefix + name;
            }
            if (word == "OFFSET") {
                double x = 0, y = 0, z = 0;
                words >> x >> y >> z;
                const double by = k * (is_arm ? arms : 1.0);
                line = line.substr(0, line.find("OFFSET")) +
                       QString("OFFSET %1 %2 %3").arg(by * x).arg(by * y).arg(by * z).toStdString();
            }
            out += line + "\n";
        }
        return out;
    }
    const LibraryEntry& add(const std::string& name, const std::string& text) {
        const std::string path = folder_.filePath("new.bvh").toStdString();
        write_file(path, text);
        add_character(library_, path, "", name);
        library_ = open_library(library_.folder);
        return entry(name);
    }
    const LibraryEntry& entry(const std::string& name) const {
        for (const LibraryEntry& one : library_.characters)
            if (one.name == name) return one;
        throw FileError(name, "is not in the library", "");
    }
    static Character read(const LibraryEntry& entry) {
        std::vector<std::string> notes;
        return load_character(entry.path, entry.document, notes).character;
    }
    static void write(const LibraryEntry& entry, const Character& c) {
        write_file(entry.document, format_document(character_document(c)));
    }
    static Vec3 correction(const Character& c, const char* role) {
        return correction_deg(c.rig.skeleton, c.roles, c.rest, c.solved, role, TurnAxes::world);
    }
    static void correct(Character& c, const char* role, const Vec3& deg) {
        set_correction(c.rig.skeleton, c.roles, c.rest, c.solved, role, TurnAxes::world, deg, false);
    }
    Family family() const {
        std::vector<std::string> troubles;
        const auto all = families_in(library_, troubles);
        return all.size() == 1 && troubles.empty() ? all[0] : throw FileError("families", "are not one", "");
    }
    std::map<std::string, std::string> documents() const {
        std::map<std::string, std::string> all;
        for (const LibraryEntry& one : library_.characters) all[one.name] = read_file(one.document);
        return all;
    }

  private slots:
    void init() {
        library_.folder = folder_.filePath("lib").toStdString();
        fs::remove_all(library_.folder);
        library_ = create_library(library_.folder, "sizes");
    }

    void ten_sizes_by_one_characterization() {
        const std::string rig = read_file(test::rig("performer/rig.bvh"));
        for (int i = 0; i < 10; ++i)
            add("size-" + std::to_string(i), resized(rig, 0.7 + 0.06 * i, 1.0 + 0.02 * (i % 3), ""));
        // One of them is worked on, and becomes the first of the family.
        Character first = read(entry("size-4"));
        correct(first, "upperarm.left", Vec3(0.0, 5.0, 14.0));
        first.chains["arm.left"].soften_from = 0.9;
        write(entry("size-4"), first);
        put_change(library_, founding(library_, entry("size-4"), "crew"));
        // Another has something of its own before it joins.
        Character odd = read(entry("size-7"));
        correct(odd, "upperarm.left", Vec3(0.0, 0.0, -9.0));
        write(entry("size-7"), odd);
        for (const LibraryEntry& one : library_.characters)
            if (one.name != "size-4") put_change(library_, joining(library_, family(), one));
        QCOMPARE(members_of(library_, family().id).size(), size_t(10));
        for (const LibraryEntry& one : library_.characters) {
            const Character c = read(one);
            const Vec3 wanted = one.name == "size-7" ? Vec3(0.0, 0.0, -9.0) : Vec3(0.0, 5.0, 14.0);
            QVERIFY2((correction(c, "upperarm.left") - wanted).norm() < 0.01, one.name.c_str());
            QCOMPARE(c.chains.at("arm.left").soften_from.value_or(0.0), 0.9);
            QCOMPARE(c.name, one.name);
        }

        // Years later: the family changes, and reaches all but what they have of their own.
        Character own_chain = read(entry("size-2"));
        own_chain.chains["arm.left"].soften_from = 0.8;
        own_chain.chains["leg.left"].soften_from = 0.95;
        write(entry("size-2"), own_chain);
        Character giver = read(entry("size-9"));
        correct(giver, "upperarm.left", Vec3(0.0, 5.0, 20.0));
        correct(giver, "head", Vec3(6.0, 0.0, 0.0));
        giver.rest.dials.lean_rad = 0.0;
        BodyDials dials;
        dials.lean_rad = 0.05;
        set_dials(giver.rig.skeleton, giver.roles, giver.rest, dials);
        giver.chains["arm.left"].soften_from = 0.85;
        TouchLayer layer{"usual", false, 1.0, {TouchUp()}};
        layer.touches[0].what = "head";
        layer.touches[0].turn_rad = Vec3(0.1, 0.0, 0.0);
        giver.touches.push_back(layer);
        write(entry("size-9"), giver);
        const auto before = documents();
        const FamilyChange change = giving(library_, family(), entry("size-9"), {});
        QCOMPARE(change.members.size(), size_t(10));
        put_change(library_, change);
        const Character given = read(entry("size-9"));
        for (const LibraryEntry& one : library_.characters) {
            const Character c = read(one);
            const Vec3 arm = one.name == "size-7" ? Vec3(0.0, 0.0, -9.0) : Vec3(0.0, 5.0, 20.0);
            const Vec3 off = correction(c, "upperarm.left") - arm;
            QVERIFY2(off.norm() < 0.02, qPrintable(QString("%1: %2").arg(one.name.c_str()).arg(off.norm())));
            QVERIFY((correction(c, "head") - correction(given, "head")).norm() < 0.02);
            QVERIFY(std::abs(c.rest.dials.lean_rad - 0.05) < 1e-6);
            QCOMPARE(c.chains.at("arm.left").soften_from.value_or(0.0), one.name == "size-2" ? 0.8 : 0.85);
            QCOMPARE(c.chains.contains("leg.left"), one.name == "size-2");
            QCOMPARE(c.touches.size(), size_t(1));
        }
        // A second time there is nothing to give.
        for (const FamilyChange::Member& member : giving(library_, family(), entry("size-9"), {}).members)
            QVERIFY2(member.merge.taken.empty(),
                     member.merge.taken.empty() ? "" : member.merge.taken[0].c_str());
        put_change(library_, change, true);
        QVERIFY(documents() == before);
        // Somebody else was there meanwhile: nothing is written.
        Character other = read(entry("size-0"));
        other.chains["leg.right"].soften_from = 0.9;
        write(entry("size-0"), other);
        const auto changed = documents();
        QVERIFY_THROWS_EXCEPTION(FileError, put_change(library_, change));
        QVERIFY(documents() == changed);
        // One that leaves keeps what it has.
        put_change(library_, leaving(library_, entry("size-3")));
        QCOMPARE(members_of(library_, family().id).size(), size_t(9));
        QVERIFY(documents()["size-3"] != changed.at("size-3"));
        QCOMPARE(read(entry("size-3")).chains.at("arm.left").soften_from.value_or(0.0), 0.9);
    }

    void only_the_parts_that_are_given() {
        const std::string rig = read_file(test::rig("performer/rig.bvh"));
        add("a", rig);
        add("b", resized(rig, 0.8, 1.0, ""));
        put_change(library_, founding(library_, entry("a"), "crew"));
        put_change(library_, joining(library_, family(), entry("b")));
        Character giver = read(entry("a"));
        correct(giver, "upperarm.left", Vec3(0.0, 5.0, 20.0));
        giver.chains["arm.left"].soften_from = 0.85;
        write(entry("a"), giver);
        Parts parts;
        parts.rest = false;
        put_change(library_, giving(library_, family(), entry("a"), parts));
        QVERIFY(correction(read(entry("b")), "upperarm.left").norm() < 1e-3);
        QVERIFY(read(entry("b")).chains.contains("arm.left"));
        // What the giver kept to itself is its own.
        QVERIFY(correction(read(entry("a")), "upperarm.left").norm() > 20.0);
    }

    /// What a giver's rig has not is not taken from the others.
    void a_giver_without_a_bone_takes_nothing_away() {
        const std::string rig = read_file(test::rig("performer/rig.bvh"));
        add("whole", rig);
        put_change(library_, founding(library_, entry("whole"), "crew"));
        // No word, no place and no shape of a toe.
        std::string text = rig;
        for (const char* toe : {"toe", "ball", "Toe"})
            for (size_t at = text.find(toe); at != std::string::npos; at = text.find(toe, at))
                text.replace(at, std::strlen(toe), "zzz");
        add("short", text);
        put_change(library_, joining(library_, family(), entry("short")));
        const size_t roles = read(entry("whole")).roles.fills.size();
        Character giver = read(entry("short"));
        for (const RoleFill& fill : std::vector(giver.roles.fills))
            if (fill.role.starts_with("toe")) give_role(giver.rig.skeleton, giver.roles, fill.role, -1);
        giver.chains["arm.left"].soften_from = 0.85;
        write(entry("short"), giver);
        put_change(library_, giving(library_, family(), entry("short"), {}));
        const Character whole = read(entry("whole"));
        QCOMPARE(whole.roles.fills.size(), roles);
        QVERIFY(whole.roles.joint("toe.left") >= 0 && whole.chains.contains("arm.left"));
        QCOMPARE(read_family(family().path).role_count(), int(roles));
    }

    void a_template_of_a_house_fills_its_rigs() {
        const std::string rig = read_file(test::rig("performer/rig.bvh"));
        const std::string file = folder_.filePath("house.family.json").toStdString();
        const std::string source = folder_.filePath("one.bvh").toStdString();
        write_file(source, rig);
        write_file(file, format_document(family_document(family_of(load_file(source).character, "house"))));
        std::vector<Family> families{read_family(file)};
        write_file(source, read_file(test::rig("dockhand/rig.bvh")));
        families.push_back(family_of(load_file(source).character, "other house"));
        for (int i = 0; i < 40; ++i)
            add("rig-" + std::to_string(i), resized(rig, 0.8 + 0.01 * i, 0.9 + 0.005 * i,
                                                    i % 2 == 0 ? "ns" + std::to_string(i) + ":" : ""));
        std::vector<std::string> lines;
        const FamilyChange change = filling(library_, families, lines);
        QCOMPARE(change.documents.size(), size_t(40));
        put_change(library_, change);
        const Character one = load_file(test::rig("performer/rig.bvh")).character;
        for (const LibraryEntry& entry : library_.characters) {
            const Character c = read(entry);
            QCOMPARE(c.roles.fills.size(), one.roles.fills.size());
            for (const RoleFill& fill : one.roles.fills)
                QCOMPARE(c.rig.skeleton.names[size_t(c.roles.joint(fill.role))].ends_with(
                             one.rig.skeleton.names[size_t(fill.joint)]),
                         true);
        }
        QVERIFY2(lines[0].find("'house', ") != std::string::npos, lines[0].c_str());
        qInfo("%s", lines[0].c_str());
    }

    void a_shape_without_names_data() {
        QTest::addColumn<QString>("body");
        QTest::addColumn<bool>("is_posed");
        for (const char* body : {"ferrier", "dockhand", "lamp-child", "net-mender", "performer", "quay-dog"})
            for (const bool is_posed : {false, true})
                QTest::addRow("%s%s", body, is_posed ? ", arms turned" : "") << QString(body) << is_posed;
    }
    void a_shape_without_names() {
        QFETCH(QString, body);
        QFETCH(bool, is_posed);
        const LoadedFile file = test::demo_body(body.toStdString());
        const Family family = family_of(file.character, "house");
        const std::string hidden = folder_.filePath("hidden.glb").toStdString();
        test::edit_glb(test::demo("characters/" + body.toStdString() + "/rig.glb"), hidden, [&](Json& gltf) {
            for (const char* role : {"upperarm.left", "upperarm.right"}) {
                const int joint = file.character.roles.joint(role);
                if (!is_posed || joint < 0) continue;
                Json& node = test::node_of(gltf, file.character.rig.skeleton.names[size_t(joint)]);
                const Json q = node.value("rotation", Json::array({0.0, 0.0, 0.0, 1.0}));
                const Quat turned =
                    Quat(q[3].get<double>(), q[0].get<double>(), q[1].get<double>(), q[2].get<double>()) *
                    exp_rotation(0.7 * Vec3(1.0, 0.5, 0.2).normalized());
                node["rotation"] = {turned.x(), turned.y(), turned.z(), turned.w()};
            }
            int n = 0;
            for (Json& node : gltf["nodes"]) {
                node["name"] = "n" + std::to_string((n * 37 + 11) % 1009);
                ++n;
                // Another size of it: limbs are longer.
                if (node.contains("translation") && n % 3 == 0)
                    for (Json& x : node["translation"]) x = x.get<double>() * 1.06;
            }
        });
        const LoadedFile found = load_file(hidden);
        const FamilyFit fit = fit_of(family, found.character.rig);
        QVERIFY(fit.is_by_shape);
        const Filled filled = filled_by(family, fit, found);
        int right = 0;
        // Joints keep their order in the file.
        for (const RoleFill& fill : file.character.roles.fills)
            right += filled.character.roles.joint(fill.role) == fill.joint ? 1 : 0;
        qInfo("%s; %d of %zu roles", words_of(fit).c_str(), right, file.character.roles.fills.size());
        QCOMPARE(right, int(file.character.roles.fills.size()));
    }

    void what_is_missing_is_filled_by_evidence() {
        const LoadedFile file = test::demo_body("ferrier");
        Family family = family_of(file.character, "house");
        // A partial template: nobody gave it hands.
        for (const char* role : {"hand.left", "hand.right", "head"}) family.character["roles"].erase(role);
        const LoadedFile found = load_file(test::demo("characters/ferrier/rig.glb"));
        const Filled filled = filled_by(family, fit_of(family, found.character.rig), found);
        for (const char* role : {"hand.left", "hand.right", "head"}) {
            QVERIFY(std::count(filled.by_evidence.begin(), filled.by_evidence.end(), role) == 1);
            QCOMPARE(filled.character.roles.joint(role), file.character.roles.joint(role));
        }
    }

    void another_body_is_no_member() {
        const std::string rig = read_file(test::rig("performer/rig.bvh"));
        add("a", rig);
        put_change(library_, founding(library_, entry("a"), "crew"));
        add_character(library_, test::demo("characters/quay-dog/rig.glb"),
                      test::demo("characters/quay-dog/character.json"), "dog");
        library_ = open_library(library_.folder);
        const auto before = documents();
        QVERIFY_THROWS_EXCEPTION(FileError, joining(library_, family(), entry("dog")));
        QVERIFY_THROWS_EXCEPTION(FileError, founding(library_, entry("dog"), "crew"));
        QVERIFY(documents() == before);
    }

    void broken_families_are_told() {
        const std::string rig = folder_.filePath("one.bvh").toStdString();
        write_file(rig, read_file(test::rig("performer/rig.bvh")));
        const Json good = family_document(family_of(load_file(rig).character, "house"));
        const std::string path = folder_.filePath("bad.family.json").toStdString();
        const auto is_refused = [&](const std::function<void(Json&)>& spoil) {
            Json bad = good;
            spoil(bad);
            write_file(path, bad.dump());
            try {
                read_family(path);
                return false;
            } catch (const FileError& fault) {
                return std::string(fault.what()).find("bad.family.json") != std::string::npos;
            }
        };
        write_file(path, good.dump());
        QCOMPARE(read_family(path).skeleton.size(), int(good["bones"].size()));
        QVERIFY(is_refused([](Json& j) { j.erase("character"); }));
        QVERIFY(is_refused([](Json& j) { j["bones"][1]["on"] = 5; }));
        QVERIFY(is_refused([](Json& j) { j["bones"][1]["at_m"] = "here"; }));
        QVERIFY(is_refused([](Json& j) { j["bones"][1]["at_m"][0] = "x"; }));
        QVERIFY(is_refused([](Json& j) { j["character"]["roles"].erase("hips"); }));
        QVERIFY(is_refused([](Json& j) { j["bones"] = 3; }));
        write_file(path, good.dump().substr(0, 300));
        QVERIFY_THROWS_EXCEPTION(FileError, read_family(path));
    }
};

NB_TEST(FamiliesTest)
}  // namespace test_families
#include "test_families.moc"
