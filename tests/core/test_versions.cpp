// A newer file of a known rig: what is another is found, each by itself and all together, and what carries over.
#include <QtTest>
#include <numbers>

#include "core/library/versions.hpp"
#include "tests/support/run_test.hpp"
#include "tests/support/test_rigs.hpp"

namespace test_versions {

using namespace nb;

class VersionsTest : public QObject {
    Q_OBJECT

    static std::vector<RigChange> of(const RigComparison& found, RigChange::Is is) {
        std::vector<RigChange> some;
        for (const RigChange& change : found.changes)
            if (change.is == is) some.push_back(change);
        return some;
    }
    static int joint(const Character& body, const char* role) { return body.roles.joint(role); }
    static void rename(Rig& rig, const std::string& bone, const std::string& name) {
        const int at = rig.skeleton.find(bone);
        if (at >= 0) rig.skeleton.names[size_t(at)] = name;
    }
    /// Turns a joint's own axes; it and all below stay where they are.
    static void roll(Rig& rig, int joint, const Quat& by) {
        Skeleton& s = rig.skeleton;
        s.rest_R[size_t(joint)] = s.rest_R[size_t(joint)] * by;
        for (int j = 0; j < s.size(); ++j)
            if (s.parents[size_t(j)] == joint) {
                s.rest_p[size_t(j)] = by.conjugate() * s.rest_p[size_t(j)];
                s.rest_R[size_t(j)] = by.conjugate() * s.rest_R[size_t(j)];
            }
    }

  private slots:
    void the_same_file_is_the_same_data() {
        QTest::addColumn<QString>("body");
        for (const char* body : {"ferrier", "dockhand", "lamp-child", "net-mender", "performer", "quay-dog"})
            QTest::newRow(body) << body;
    }
    void the_same_file_is_the_same() {
        QFETCH(QString, body);
        const LoadedFile file = test::demo_body(body.toStdString());
        const RigComparison found = compare_rigs(file.character, file.character.rig);
        QVERIFY(found.is_same());
        QVERIFY(found.roles_lost.empty());
        QCOMPARE(found.roles_kept.size(), file.character.roles.fills.size());
        QCOMPARE(found.rests.size(), file.character.other_rests.size() + 1);
    }

    void names_alone_are_no_other_bones() {
        const LoadedFile file = test::demo_body("ferrier");
        Rig newer = file.character.rig;
        for (std::string& name : newer.skeleton.names) name = "rig2:" + name;
        const RigComparison found = compare_rigs(file.character, newer);
        QCOMPARE(int(of(found, RigChange::Is::renamed).size()), newer.skeleton.size());
        QCOMPARE(int(found.changes.size()), newer.skeleton.size());
        for (size_t j = 0; j < found.new_of_old.size(); ++j) QCOMPARE(found.new_of_old[j], int(j));
        QVERIFY(found.roles_lost.empty() && found.skin.empty());
    }

    void size_and_turn_are_told_once() {
        const LoadedFile file = test::demo_body("dockhand");
        Rig newer = file.character.rig;
        const Quat turn = exp_rotation(0.5 * std::numbers::pi * Vec3::UnitX());
        for (int j = 0; j < newer.skeleton.size(); ++j) {
            newer.skeleton.rest_p[size_t(j)] *= 2.54;
            if (newer.skeleton.parents[size_t(j)] < 0) {
                newer.skeleton.rest_p[size_t(j)] = turn * newer.skeleton.rest_p[size_t(j)];
                newer.skeleton.rest_R[size_t(j)] = turn * newer.skeleton.rest_R[size_t(j)];
            }
        }
        newer.meshes.edit().clear();
        const RigComparison found = compare_rigs(file.character, newer);
        QVERIFY(std::abs(found.size - 2.54) < 1e-6);
        QVERIFY(found.is_unit);
        QVERIFY(std::abs(found.turned_deg - 90.0) < 1e-4);
        QVERIFY2(found.changes.empty(), found.changes.empty() ? "" : found.changes.front().text.c_str());
        QVERIFY(QString::fromStdString(found.skin).contains("0 vertices"));
    }

    /// As a new file of a house has it: several at once.
    void each_change_is_told_by_itself() {
        const LoadedFile file = test::demo_body("ferrier");
        const Character& body = file.character;
        const Skeleton& s = body.rig.skeleton;
        Rig newer = body.rig;
        const std::string hand = s.names[size_t(joint(body, "hand.left"))],
                          knee = s.names[size_t(joint(body, "shin.left"))],
                          elbow = s.names[size_t(joint(body, "forearm.right"))];
        rename(newer, hand, "paw_l");
        roll(newer, s.find(elbow), exp_rotation(0.3 * Vec3::UnitX()));
        newer.skeleton.rest_p[size_t(s.find(knee))] *= 1.1;
        newer.skeleton.names.push_back("satchel");
        newer.skeleton.parents.push_back(joint(body, "hips"));
        newer.skeleton.rest_R.push_back(Quat::Identity());
        newer.skeleton.rest_p.push_back(Vec3(0.2, 0.0, 0.0));
        const RigComparison found = compare_rigs(body, newer);
        const auto renamed = of(found, RigChange::Is::renamed), turned = of(found, RigChange::Is::turned),
                   added = of(found, RigChange::Is::added), moved = of(found, RigChange::Is::moved);
        QCOMPARE(renamed.size(), size_t(1));
        QCOMPARE(renamed.front().now, std::string("paw_l"));
        QCOMPARE(turned.size(), size_t(1));
        QCOMPARE(turned.front().bone, elbow);
        QVERIFY(std::abs(turned.front().size - rad_to_deg(0.3)) < 1e-4);
        QCOMPARE(added.size(), size_t(1));
        QCOMPARE(added.front().bone, std::string("satchel"));
        // The knee by a tenth of the thigh; what hangs on it goes along and is not told.
        const double tenth_cm = 10.0 * s.rest_p[size_t(s.find(knee))].norm();
        QCOMPARE(moved.size(), size_t(1));
        QCOMPARE(moved.front().bone, knee);
        QVERIFY(std::abs(moved.front().size - tenth_cm) < 0.05);
        QVERIFY(of(found, RigChange::Is::posed).empty());
        QVERIFY(of(found, RigChange::Is::gone).empty() && of(found, RigChange::Is::hung_elsewhere).empty());
        QCOMPARE(found.size, 1.0);
        QVERIFY(found.roles_lost.empty());
    }

    /// The file's rest is another: arms that hang, by any names. The shoulders alone are told, and every bone is found.
    void another_rest_is_told_once_data() {
        QTest::addColumn<QString>("body");
        QTest::addColumn<bool>("renamed");
        for (const char* body : {"ferrier", "dockhand", "net-mender", "performer"})
            for (const bool renamed : {false, true})
                QTest::addRow("%s%s", body, renamed ? ", other names" : "") << QString(body) << renamed;
    }
    void another_rest_is_told_once() {
        QFETCH(QString, body);
        QFETCH(bool, renamed);
        const LoadedFile file = test::demo_body(body.toStdString());
        const Character& c = file.character;
        Rig newer = c.rig;
        const Pose pose = rest_pose(newer.skeleton);
        for (const auto& [role, deg] :
             {std::pair("upperarm.left", -50.0), std::pair("upperarm.right", 50.0)}) {
            // About the world's Z, in the joint's own parent.
            const size_t j = size_t(joint(c, role));
            const Quat above = pose.R[size_t(newer.skeleton.parents[j])];
            newer.skeleton.rest_R[j] = above.conjugate() * exp_rotation(deg_to_rad(deg) * Vec3::UnitZ()) *
                                       above * newer.skeleton.rest_R[j];
        }
        if (renamed) {
            // And in another unit.
            for (std::string& name : newer.skeleton.names) name = "b_" + name + "_2";
            for (Vec3& p : newer.skeleton.rest_p) p *= 100.0;
        }
        const RigComparison found = compare_rigs(c, newer);
        QVERIFY2(of(found, RigChange::Is::gone).empty() && of(found, RigChange::Is::added).empty() &&
                     of(found, RigChange::Is::moved).empty() && of(found, RigChange::Is::turned).empty(),
                 qPrintable(QString::fromStdString(rig_comparison_json(found).dump(1))));
        for (size_t j = 0; j < found.new_of_old.size(); ++j) QCOMPARE(found.new_of_old[j], int(j));
        const auto posed = of(found, RigChange::Is::posed);
        QCOMPARE(posed.size(), size_t(2));
        for (const RigChange& change : posed) QVERIFY(std::abs(change.size - 50.0) < 0.5);
        QVERIFY(std::abs(found.size - (renamed ? 100.0 : 1.0)) < 1e-6);
        QCOMPARE(found.is_unit, renamed);
        QCOMPARE(found.turned_deg, 0.0);
    }

    void what_is_gone_takes_its_role_along() {
        const LoadedFile file = test::demo_body("ferrier");
        const Character& body = file.character;
        Rig newer = body.rig;
        // Without the left toes: what hangs there hangs on the foot.
        const int toe = joint(body, "toe.left"), foot = newer.skeleton.parents[size_t(toe)];
        Skeleton without;
        std::vector<int> now(size_t(newer.skeleton.size()), -1);
        for (int j = 0; j < newer.skeleton.size(); ++j) {
            if (j == toe) continue;
            now[size_t(j)] = without.size();
            const int parent = newer.skeleton.parents[size_t(j)];
            without.names.push_back(newer.skeleton.names[size_t(j)]);
            without.parents.push_back(parent < 0 ? -1 : now[size_t(parent == toe ? foot : parent)]);
            without.rest_R.push_back(newer.skeleton.rest_R[size_t(j)]);
            without.rest_p.push_back(newer.skeleton.rest_p[size_t(j)]);
        }
        newer.skeleton = without;
        newer.meshes.edit().clear();
        Character with_ticks = body;
        with_ticks.chains["leg.left"].ticks.emplace(
            1, std::pair(std::string("toe.left"), body.rig.skeleton.names[size_t(toe)]));
        with_ticks.chains["spine"].ticks.emplace(1, std::pair(std::string("chest"), std::string("chest")));
        const RigComparison found = compare_rigs(with_ticks, newer);
        QCOMPARE(found.roles_lost, std::vector<std::string>{"toe.left"});
        const auto gone = of(found, RigChange::Is::gone);
        QCOMPARE(gone.size(), size_t(1));
        QVERIFY(QString::fromStdString(gone.front().text).contains("it was the toe.left"));
        QCOMPARE(found.chains_lost, std::vector<std::string>{"leg.left"});
        QVERIFY(std::count(found.chains.begin(), found.chains.end(), "spine") == 1);
        const Json json = rig_comparison_json(found);
        QCOMPARE(json["lost"]["roles"][0].get<std::string>(), std::string("toe.left"));
    }

    void the_skin_is_compared_by_the_bones_that_are_the_same() {
        const LoadedFile file = test::demo_body("dockhand");
        Rig newer = file.character.rig;
        for (std::string& name : newer.skeleton.names) name += "_v2";
        QVERIFY(compare_rigs(file.character, newer).skin.empty());
        Mesh& mesh = newer.meshes.edit().front();
        for (size_t v = 0; v < 7; ++v) mesh.positions[v].x() += 0.05F;
        for (size_t v = 20; v < 23; ++v) {
            mesh.skin[v].weight.fill(0.0F);
            mesh.skin[v].weight[0] = 1.0F;
            mesh.skin[v].palette[0] = std::uint16_t((mesh.skin[v].palette[0] + 9) % mesh.palette.size());
        }
        const QString skin = QString::fromStdString(compare_rigs(file.character, newer).skin);
        QVERIFY2(skin.startsWith("7 of "), qPrintable(skin));
        QVERIFY2(skin.contains("3 of "), qPrintable(skin));
    }
};

NB_TEST(VersionsTest)
}  // namespace test_versions
#include "test_versions.moc"
