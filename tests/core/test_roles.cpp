// Roles from names, order and lengths: the captures, the demo rigs in three naming conventions, and what must
// be marked unsure. Expected roles are what a person reads in the files (common practice, no source).
#include <QtTest>

#include "core/body/measures.hpp"
#include "core/body/names.hpp"
#include "core/body/propose.hpp"
#include "core/intake/load.hpp"
#include "tests/support/run_test.hpp"
#include "tests/support/test_rigs.hpp"

namespace test_roles {

using namespace nb;

namespace {

std::string bone(const LoadedFile& file, const char* role) {
    const int joint = file.character.roles.joint(role);
    return joint < 0 ? "-" : file.character.rig.skeleton.names[size_t(joint)];
}

}  // namespace

class RolesTest : public QObject {
    Q_OBJECT

  private slots:
    void captures() {
        for (const auto* name : {"01_01.bvh", "01_03.bvh"}) {
            const LoadedFile file = load_file(test::capture(name));
            for (const auto& [role, expected] :
                 std::vector<std::pair<const char*, const char*>>{{"hips", "Hips"},
                                                                  {"thigh.left", "LeftUpLeg"},
                                                                  {"shin.left", "LeftLeg"},
                                                                  {"foot.left", "LeftFoot"},
                                                                  {"toe.left", "LeftToeBase"},
                                                                  {"thigh.right", "RightUpLeg"},
                                                                  {"foot.right", "RightFoot"},
                                                                  {"clavicle.left", "LeftShoulder"},
                                                                  {"upperarm.left", "LeftArm"},
                                                                  {"forearm.left", "LeftForeArm"},
                                                                  {"hand.left", "LeftHand"},
                                                                  {"upperarm.right", "RightArm"},
                                                                  {"hand.right", "RightHand"},
                                                                  {"chest", "Spine1"},
                                                                  {"head", "Head"}})
                QCOMPARE(bone(file, role), std::string(expected));
            QVERIFY(file.character.roles.missing.empty());
            QVERIFY(file.character.roles.unsure().empty());
        }
    }

    void demo_rigs_in_their_own_names() {
        const LoadedFile dockhand = load_file(test::rig("dockhand/rig.bvh"));
        QCOMPARE(bone(dockhand, "thigh.left"), std::string("L_UpLeg_jnt"));
        QCOMPARE(bone(dockhand, "clavicle.right"), std::string("R_Collar_jnt"));
        QCOMPARE(bone(dockhand, "hand.right"), std::string("R_Wrist_jnt"));
        QCOMPARE(bone(dockhand, "toe.left"), std::string("L_Ball_jnt"));
        const LoadedFile ferrier = load_file(test::rig("ferrier/rig.glb"));
        QCOMPARE(bone(ferrier, "upperarm.left"), std::string("humerus.l"));
        QCOMPARE(bone(ferrier, "shin.right"), std::string("tibia.r"));
        QCOMPARE(bone(ferrier, "chest"), std::string("thorax"));
        QCOMPARE(bone(ferrier, "neck.2"), std::string("neck.2"));
        const LoadedFile child = load_file(test::rig("lamp-child/rig.bvh"));
        // "Hip" is the thigh here and "Shoulder" the collarbone.
        QCOMPARE(bone(child, "thigh.left"), std::string("lamp:LeftHip"));
        QCOMPARE(bone(child, "clavicle.left"), std::string("lamp:LeftShoulder"));
        QCOMPARE(bone(child, "forearm.right"), std::string("lamp:RightElbow"));
        QCOMPARE(bone(child, "hips"), std::string("lamp:Hips"));
        for (const LoadedFile* file : {&dockhand, &ferrier, &child}) {
            QVERIFY(file->character.roles.missing.empty());
            QVERIFY(file->character.roles.unsure().empty());
        }
    }

    void side_marks_in_any_place_data() {
        QTest::addColumn<QString>("name");
        QTest::addColumn<int>("side");
        const int L = int(Side::left);
        const int R = int(Side::right);
        const int none = int(Side::none);
        for (const auto* name : {"LeftArm", "arm_l", "l_arm", "arm.L", "Arm-Left", "LArm", "bip lf arm",
                                 "armLeft", "x:left_arm_03", "upperarm_l", "lfemur"})
            QTest::newRow(name) << QString(name) << L;
        for (const auto* name : {"RightArm", "arm_r", "R.arm", "arm.R", "rfemur", "RUpArm", "thigh_rt"})
            QTest::newRow(name) << QString(name) << R;
        for (const auto* name : {"Pelvis", "lumbar", "root", "collar", "lower_back", "roll", "Spine"})
            QTest::newRow(name) << QString(name) << none;
    }
    void side_marks_in_any_place() {
        QFETCH(QString, name);
        QFETCH(int, side);
        QCOMPARE(int(read_bone_name(name.toStdString()).side), side);
    }

    void helpers_stay_without_a_role() {
        for (const auto* name :
             {"upperarm_twist_l", "LeftForeArmRoll", "foot_ik_r", "elbow_ctrl", "head_end"})
            QVERIFY2(!helper_reason(read_bone_name(name)).empty(), name);
        for (const auto* name : {"upperarm_l", "Head", "pelvis", "RightHand"})
            QVERIFY2(helper_reason(read_bone_name(name)).empty(), name);
    }

    void what_names_do_not_say_is_unsure() {
        // Bones whose names say nothing are placed by their shape, and that is the reason given.
        SkeletonFile body = test::random_body(4);
        for (auto& name : body.skeleton.names) {
            if (name == "shin_left") name = "limb2_left";
            if (name == "forearm_right") name = "limb2b_right";
        }
        const LoadedFile file = load_parsed(body, "odd", "glb");
        QCOMPARE(bone(file, "shin.left"), std::string("limb2_left"));
        QCOMPARE(bone(file, "forearm.right"), std::string("limb2b_right"));
        const RoleFill* placed = file.character.roles.fill("shin.left");
        QVERIFY2(placed->evidence.front().find("says nothing") != std::string::npos,
                 placed->evidence.front().c_str());
        QVERIFY(file.character.roles.fill("shin.right")->evidence.front().find("says shin") !=
                std::string::npos);
        for (const RoleFill& fill : file.character.roles.fills) QVERIFY(!fill.evidence.empty());
    }

    void names_on_the_wrong_side_are_unsure() {
        const LoadedFile file = load_parsed(test::crossed_legs(test::random_body(4)), "crossed", "glb");
        const auto unsure = file.character.roles.unsure();
        for (const auto* role : {"thigh.left", "shin.right"})
            QVERIFY2(std::find(unsure.begin(), unsure.end(), role) != unsure.end(), role);
        QVERIFY(std::find(unsure.begin(), unsure.end(), "forearm.left") == unsure.end());
    }

    void missing_roles_are_listed() {
        SkeletonFile body = test::random_body(4);
        for (auto& name : body.skeleton.names)
            if (name.starts_with("upperarm") || name.starts_with("forearm") || name.starts_with("hand") ||
                name.starts_with("clavicle"))
                name = "strut" + name.substr(name.size() - 1);
        const std::vector<std::string> told = test::random_body(4).skeleton.names;
        const LoadedFile file = load_parsed(body, "bare arms", "glb");
        // What no name says, shape does, and says so.
        for (const std::string role : {"hand.left", "forearm.right"}) {
            const RoleFill* fill = file.character.roles.fill(role);
            QVERIFY(fill);
            std::string name = told[size_t(fill->joint)];
            std::replace(name.begin(), name.end(), '_', '.');
            QCOMPARE(name, role);
            QVERIFY(fill->evidence.front().find("says nothing") != std::string::npos);
        }
        // What is not there at all is missing.
        SkeletonFile armless;
        std::vector<int> kept;
        for (int j = 0; j < body.skeleton.size(); ++j) {
            const std::string& name = told[size_t(j)];
            const bool is_arm = name.starts_with("upperarm") || name.starts_with("forearm") ||
                                name.starts_with("hand") || name.starts_with("clavicle");
            kept.push_back(is_arm ? -1 : armless.skeleton.size());
            if (is_arm) continue;
            armless.skeleton.names.push_back(name);
            const int parent = body.skeleton.parents[size_t(j)];
            armless.skeleton.parents.push_back(parent < 0 ? -1 : kept[size_t(parent)]);
            armless.skeleton.rest_R.push_back(body.skeleton.rest_R[size_t(j)]);
            armless.skeleton.rest_p.push_back(body.skeleton.rest_p[size_t(j)]);
        }
        const LoadedFile rest = load_parsed(armless, "armless", "glb");
        const auto& missing = rest.character.roles.missing;
        QVERIFY(std::find(missing.begin(), missing.end(), "hand.left") != missing.end());
    }

    void random_bodies_are_whole() {
        for (std::uint64_t seed = 1; seed <= 60; ++seed) {
            test::BodyOptions options;
            options.rest_off_deg = 30;
            options.random_axes = true;
            options.has_clavicles = seed % 3 != 0;
            options.has_toes = seed % 4 != 0;
            const SkeletonFile body = test::random_body(seed, options);
            const RoleMap roles = propose_roles(body.skeleton);
            QVERIFY(roles.missing.empty());
            for (const RoleFill& fill : roles.fills) {
                std::string expected = fill.role;
                std::replace(expected.begin(), expected.end(), '.', '_');
                for (const auto* series : {"spine_", "neck_"})
                    if (expected.starts_with(series)) expected.erase(expected.find('_'), 1);
                QCOMPARE(body.skeleton.names[size_t(fill.joint)], expected);
            }
        }
    }

    void the_performer_has_published_proportions() {
        // Shares of stature after Drillis & Contini, in Winter, Biomechanics and Motor Control of Human
        // Movement (from memory): thigh .245, shank .246, upper arm .186, forearm .146. Stature 175 cm.
        const LoadedFile file = load_file(test::rig("performer/rig.bvh"));
        const auto share = [&](const char* from, const char* to) {
            return length_between(file.character.rig.skeleton, file.character.roles, from, to) / 1.75;
        };
        for (const std::string side : {".left", ".right"}) {
            QVERIFY(std::abs(share(("thigh" + side).c_str(), ("shin" + side).c_str()) - 0.245) < 5e-4);
            QVERIFY(std::abs(share(("shin" + side).c_str(), ("foot" + side).c_str()) - 0.246) < 5e-4);
            QVERIFY(std::abs(share(("upperarm" + side).c_str(), ("forearm" + side).c_str()) - 0.186) < 5e-4);
            QVERIFY(std::abs(share(("forearm" + side).c_str(), ("hand" + side).c_str()) - 0.146) < 5e-4);
        }
        QVERIFY(std::abs(stature(file.character.rig.skeleton, file.character.roles) - 1.75) < 0.01);
    }
};

NB_TEST(RolesTest)
}  // namespace test_roles
#include "test_roles.moc"
