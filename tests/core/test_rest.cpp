// The rest solver and corrections by hand: stated poses are found again, what is known travels with the bone,
// sides agree, stances do not change the transfer, a degree off is a degree off, and a rig whose own rest is
// the aligned one stands as it was posed.
// Longer than other files: short tests of one subject, side by side.
#include <QTemporaryDir>
#include <QtTest>

#include "core/base/fault.hpp"
#include "core/base/files.hpp"
#include "core/documents/character.hpp"
#include "core/documents/rest.hpp"
#include "core/files/bvh.hpp"
#include "core/files/gltf/access.hpp"
#include "core/files/gltf/glb_parts.hpp"
#include "core/handover/export.hpp"
#include "core/handover/gltf_rest.hpp"
#include "core/handover/scene_write.hpp"
#include "core/intake/findings.hpp"
#include "core/intake/rest_from_file.hpp"
#include "core/library/library.hpp"
#include "core/motion/kinematics.hpp"
#include "core/rest/compare.hpp"
#include "core/rest/edit.hpp"
#include "core/rest/solve.hpp"
#include "tests/support/other_programs.hpp"
#include "tests/support/run_test.hpp"
#include "tests/support/test_rigs.hpp"

namespace test_rest {

using namespace nb;
using namespace nb::test;

namespace {

LoadedFile crew(const std::string& name) {
    std::vector<std::string> notes;
    const std::string folder = demo("characters/" + name);
    return load_character(folder + "/rig.glb", folder + "/character.json", notes);
}

double turn_deg(const Character& c, const RestAlignment& rest, const std::string& role) {
    return rad_to_deg(log_rotation(relative_turn(c.roles, rest, role)).norm());
}

double largest_gap_deg(const Character& a, const Character& b) {
    double largest = 0.0;
    for (const RestRow& row : compare_rests(a, b)) largest = std::max(largest, row.now.worst_deg());
    return largest;
}

const RestRow& row_of(const std::vector<RestRow>& rows, const std::string& role) {
    return *std::find_if(rows.begin(), rows.end(), [&](const RestRow& row) { return row.role == role; });
}

/// Turns a bone of the stored rest about an axis of the world, with all that hangs on it.
void pose_rest(Skeleton& skeleton, int joint, const Quat& turn_W) {
    const Pose pose = rest_pose(skeleton);
    const int parent = skeleton.parents[size_t(joint)];
    const Quat P = parent < 0 ? Quat::Identity() : pose.R[size_t(parent)];
    skeleton.rest_R[size_t(joint)] =
        (P.conjugate() * turn_W * P * skeleton.rest_R[size_t(joint)]).normalized();
}

struct StatedRest {
    const char* name;
    std::vector<std::pair<const char*, Vec3>> turns;  // part, degrees about world x, y, z on the left side
};
/// Common rests; the right side is the mirror.
const std::vector<StatedRest> stated_rests{
    {"T", {}},
    {"A", {{"upperarm", {0, 0, -45}}}},
    {"relaxed", {{"upperarm", {0, 0, -70}}, {"forearm", {0, -20, 0}}, {"thigh", {0, 0, 4}}}},
    {"crouched",
     {{"upperarm", {0, 0, -50}}, {"thigh", {-55, 0, 0}}, {"shin", {80, 0, 0}}, {"foot", {-25, 0, 0}}}},
    {"arms ahead", {{"upperarm", {0, -80, 0}}, {"forearm", {0, -15, 0}}}},
    {"legs apart", {{"thigh", {0, 0, 20}}, {"upperarm", {0, 0, 25}}}}};

void pose_as(Character& c, const StatedRest& stated) {
    for (const Side side : {Side::left, Side::right})
        for (const auto& [part, degrees] : stated.turns) {
            const Quat turn = exp_rotation(degrees * deg_to_rad(1.0));
            const int joint = c.roles.joint(part + std::string(side_suffix(side)));
            if (joint >= 0) pose_rest(c.rig.skeleton, joint, side == Side::left ? turn : mirrored_turn(turn));
        }
}

}  // namespace

class RestTest : public QObject {
    Q_OBJECT
    QTemporaryDir folder_;
    std::string in(const char* name) const { return folder_.filePath(name).toStdString(); }

  private slots:
    void stated_turns_are_found() {
        // From a T: clavicle 10, upper arm 70, elbow 20, wrist 20 degrees in the frontal plane (common
        // practice).
        Stance stance;
        stance.level_clavicles = true;
        for (const auto* name : {"net-mender", "ferrier", "performer"}) {
            Character c = crew(name).character;
            // A T-pose to start from: the solved one.
            const RestAlignment t = solve_rest(c.rig, c.roles, {nullptr, "rest pose", stance});
            for (size_t j = 0; j < t.R_WJ0.size(); ++j) {
                const int parent = c.rig.skeleton.parents[j];
                c.rig.skeleton.rest_R[j] =
                    parent < 0 ? t.R_WJ0[j] : Quat(t.R_WJ0[size_t(parent)].conjugate() * t.R_WJ0[j]);
            }
            const std::array<std::pair<const char*, double>, 4> stated{
                {{"clavicle", 10}, {"upperarm", 70}, {"forearm", 20}, {"hand", 20}}};
            for (const Side side : {Side::left, Side::right})
                for (const auto& [part, degrees] : stated)
                    pose_rest(c.rig.skeleton, c.roles.joint(part + std::string(side_suffix(side))),
                              axis_rotation(2, deg_to_rad(side == Side::left ? -degrees : degrees)));
            c.rig.skeleton.bind_R.clear();
            c.rig.meshes.edit().clear();
            const RestAlignment found = solve_rest(c.rig, c.roles, {nullptr, "rest pose", stance});
            for (const auto& [part, degrees] : stated)
                for (const auto* side : {".left", ".right"}) {
                    const double deg = turn_deg(c, found, std::string(part) + side);
                    QVERIFY2(std::abs(deg - degrees) < 0.5,
                             qPrintable(QString("%1 %2%3: %4").arg(name, part, side).arg(deg)));
                }
        }
    }

    void first_frame_of_a_capture_is_its_stance_nearly() {
        // 01_01, frame 0: arms 5 degrees down, legs 3 out (measured in the file by hand).
        const LoadedFile file = load_file(capture("01_01.bvh"));
        const Character& c = file.character;
        for (const StanceDeviation& d : c.rest.deviations) {
            const double deg = rad_to_deg(d.direction_rad);
            const double expected = d.role.find("arm") != std::string::npos ? 5.0 : 3.0;
            QVERIFY2(std::abs(deg - expected) < 1.5,
                     qPrintable(QString("%1 %2").arg(d.role.c_str()).arg(deg)));
        }
    }

    void stored_rest_changes_nothing_that_is_known_data() {
        QTest::addColumn<QString>("file");
        QTest::addColumn<int>("rest");
        for (const auto* file : {"01_01.bvh", "01_03.bvh"})
            for (int rest = 0; rest < int(stated_rests.size()); ++rest)
                QTest::newRow(qPrintable(QString("%1 %2").arg(file, stated_rests[size_t(rest)].name)))
                    << QString(file) << rest;
    }
    void stored_rest_changes_nothing_that_is_known() {  // properties 4a and 4b
        QFETCH(QString, file);
        QFETCH(int, rest);
        const LoadedFile before = load_file(capture(file.toStdString()));
        LoadedFile after = before;
        Character& c = after.character;
        // The solved T as the stored rest, then re-posed; the recorded motion stays.
        for (size_t j = 0; j < c.rest.R_WJ0.size(); ++j) {
            const int parent = c.rig.skeleton.parents[j];
            c.rig.skeleton.rest_R[j] = parent < 0
                                           ? c.rest.R_WJ0[j]
                                           : Quat(c.rest.R_WJ0[size_t(parent)].conjugate() * c.rest.R_WJ0[j]);
        }
        pose_as(c, stated_rests[size_t(rest)]);
        align_to_t(c, &*after.take);
        PairingSettings angles;
        angles.passes.reach = false;
        for (const auto* name : {"performer", "dockhand", "ferrier", "lamp-child"}) {
            const LoadedFile target = crew(name);
            const TransferResult a = carry(before, target, angles);
            const TransferResult b = carry(after, target, angles);
            const RoleMap& roles = target.character.roles;
            double directions = 0.0;
            double rolls = 0.0;
            for (int f = before.take->first_motion_frame; f < a.target.frames; f += 37)
                for (const std::string& role : roles_in_order(roles)) {
                    if (rest_rule(role, body_plan(c.roles.plan)) != RestRule::match ||
                        c.roles.joint(role) < 0)
                        continue;
                    const size_t at = a.target.at(f, roles.joint(role));
                    Vec3 end;
                    if (!find_bone_end(target.character.rig.skeleton, roles, role,
                                       aligned_pose(target.character.rest), end))
                        continue;
                    const size_t j = size_t(roles.joint(role));
                    const Vec3 own =
                        target.character.rest.R_WJ0[j].conjugate() * (end - target.character.rest.p_WJ0[j]);
                    directions = std::max(
                        directions, angle_between(Vec3(a.target.R[at] * own), Vec3(b.target.R[at] * own)));
                    const RollSource from = c.rest.found.at(role).roll;
                    if (from == RollSource::take || from == RollSource::finger_fan)
                        rolls = std::max(rolls, angle_between(a.target.R[at], b.target.R[at]));
                }
            QVERIFY2(rad_to_deg(directions) < 0.05,
                     qPrintable(QString("%1: %2").arg(name).arg(rad_to_deg(directions))));
            QVERIFY2(rad_to_deg(rolls) < 0.05,
                     qPrintable(QString("%1: %2").arg(name).arg(rad_to_deg(rolls))));
        }
    }

    void stored_rest_of_a_modelled_rig_changes_nothing() {  // 4a and 4b, the target's side, by its mesh
        for (const auto* name : {"ferrier", "net-mender", "dockhand", "lamp-child"}) {
            const Character before = crew(name).character;
            for (const StatedRest& stated : stated_rests) {
                Character after = before;
                if (after.rig.skeleton.bind_R.empty()) after.rig.skeleton.bind_R = after.rig.skeleton.rest_R;
                pose_as(after, stated);
                align_to_t(after, nullptr);
                Character zero = before;
                align_to_t(zero, nullptr);
                for (const std::string& role : roles_in_order(before.roles)) {
                    if (rest_rule(role, body_plan("biped")) != RestRule::match) continue;
                    const size_t j = size_t(before.roles.joint(role));
                    const double deg = rad_to_deg(angle_between(zero.rest.R_WJ0[j], after.rest.R_WJ0[j]));
                    QVERIFY2(deg < 0.05,
                             qPrintable(
                                 QString("%1, %2: %3 by %4").arg(name, stated.name, role.c_str()).arg(deg)));
                }
            }
        }
    }

    void turned_bone_axes_change_nothing() {  // property 5, with the roll from every kind of evidence
        for (std::uint64_t seed = 1; seed <= 6; ++seed) {
            const SkeletonFile file = read_bvh(capture(seed % 2 ? "01_01.bvh" : "01_03.bvh"));
            const LoadedFile plain = load_parsed(file, "capture.bvh", "bvh");
            const LoadedFile rolled = load_parsed(re_rolled(file, seed), "capture.bvh", "bvh");
            const LoadedFile target = crew("ferrier");
            const Difference d = difference(carry(plain, target).target, carry(rolled, target).target);
            QVERIFY2(d.place_m < 1e-6 && d.turn_deg < 1e-5,
                     qPrintable(QString("%1 m %2").arg(d.place_m).arg(d.turn_deg)));
        }
    }

    void sides_of_a_symmetric_rig_agree() {
        for (const auto* name : {"dockhand/rig.bvh", "ferrier/rig.glb", "performer/rig.bvh"}) {
            const Character c = load_file(rig(name)).character;
            for (const std::string& role : roles_in_order(c.roles)) {
                if (role_side(role) != Side::left) continue;
                const Quat left = c.rest.D_W[size_t(c.roles.joint(role))];
                const Quat right = c.rest.D_W[size_t(c.roles.joint(mirrored_role(role)))];
                const double deg = rad_to_deg(angle_between(mirrored_turn(left), right));
                QVERIFY2(deg < 1e-4, qPrintable(QString("%1 %2: %3").arg(name, role.c_str()).arg(deg)));
            }
        }
    }

    void crew_stands_alike() {
        for (const auto* a : {"performer", "ferrier"})
            for (const auto* b : {"dockhand", "lamp-child", "net-mender", "ferrier"}) {
                const Character A = crew(a).character;
                const Character B = crew(b).character;
                QVERIFY2(largest_gap_deg(A, B) < 0.01,
                         qPrintable(QString("%1 %2: %3").arg(a, b).arg(largest_gap_deg(A, B))));
            }
        // And in the files they do not: the lamp-lighter's child hangs its arms 68 degrees (its own maker
        // says so).
        const Character A = crew("performer").character;
        const auto rows = compare_rests(A, crew("lamp-child").character);
        QVERIFY(std::abs(row_of(rows, "upperarm.left").stored.direction_deg - 68.0) < 0.5);
    }

    void any_stance_gives_the_same_transfer() {
        const LoadedFile source = load_file(capture("01_01.bvh"));
        const LoadedFile target = crew("net-mender");
        const TransferResult t = carry(source, target);
        for (const auto* text : {"a:45", "down", "a:-20"}) {
            LoadedFile S = source;
            LoadedFile T = target;
            RestRequest request;
            QVERIFY(parse_stance(text, request.stance));
            QCOMPARE(stance_text(request.stance), std::string(text));
            T.character.rest = solve_rest(T.character.rig, T.character.roles, request);
            request.take = &*S.take;
            S.character.rest = solve_rest(S.character.rig, S.character.roles, request);
            const Vec3 arm = aligned_direction(T.character.rig.skeleton, T.character.roles, T.character.rest,
                                               "forearm.left");
            QVERIFY(std::abs(rad_to_deg(std::asin(-arm.y())) - rad_to_deg(request.stance.arms_down_rad)) <
                    1e-6);
            const Difference d = difference(t.target, carry(S, T).target);
            QVERIFY2(d.place_m < 1e-7 && d.turn_deg < 1e-5,
                     qPrintable(QString("%1 m %2").arg(d.place_m).arg(d.turn_deg)));
        }
        Stance stance;
        for (const auto* wrong : {"", "b", "a:", "a:200", "a:x", "t pose"})
            QVERIFY(!parse_stance(wrong, stance));
    }

    void fingers_are_straight_and_thumbs_at_their_angle() {
        Character c = crew("net-mender").character;
        RestRequest request;
        request.stance.thumb_rad = deg_to_rad(25.0);
        const auto direction = [&](const RestAlignment& rest, const char* role) {
            return aligned_direction(c.rig.skeleton, c.roles, rest, role);
        };
        const RestAlignment rest = solve_rest(c.rig, c.roles, request);
        for (const auto* role : {"index.1.left", "index.2.left", "index.3.left", "little.2.left"})
            QVERIFY(angle_between(direction(rest, role), Vec3(Vec3::UnitX())) < 1e-9);
        QVERIFY(std::abs(rad_to_deg(angle_between(direction(rest, "thumb.2.right"),
                                                  direction(rest, "index.1.right"))) -
                         25.0) < 1e-6);
        // Kept: as in the reference pose, relative to the hand.
        request.stance.straight_fingers = false;
        request.stance.thumb_rad.reset();
        const RestAlignment kept = solve_rest(c.rig, c.roles, request);
        QVERIFY(turn_deg(c, kept, "index.2.left") < 1e-9 && turn_deg(c, kept, "thumb.1.left") < 1e-9);
        request.stance.straight_fingers = true;
        request.stance.closed_fingers = false;
        const RestAlignment spread = solve_rest(c.rig, c.roles, request);
        const Vec3 first = direction(spread, "little.1.left");
        QVERIFY(std::abs(first.y()) < 1e-9);
        QVERIFY(angle_between(first, direction(spread, "little.3.left")) < 1e-6);
    }

    void soles_stand_on_the_floor_by_the_mesh() {
        for (const auto* name : {"performer", "dockhand", "ferrier", "lamp-child", "net-mender"}) {
            const Character c = crew(name).character;
            const Pose pose = aligned_pose(c.rest);
            double low = 1e30;
            for (const Mesh& mesh : c.rig.meshes)
                for (const Vec3& p : skin_vertices(mesh, pose)) low = std::min(low, p.y());
            QVERIFY2(std::abs(low) < 0.004, qPrintable(QString("%1 %2").arg(name).arg(low)));
        }
    }

    void missing_parts_are_no_trouble() {
        for (std::uint64_t seed = 1; seed <= 12; ++seed) {
            BodyOptions options;
            options.has_toes = seed & 1;
            options.has_clavicles = seed & 2;
            options.spine_count = 1 + int(seed % 3);
            options.rest_off_deg = 25;
            const Character c = load_parsed(random_body(seed, options), "random", "glb").character;
            QVERIFY(c.rest.is_there());
            for (const auto& [role, found] : c.rest.found)
                if (found.roll == RollSource::unknown) QVERIFY(found.sure < 0.5);
            for (const auto* role : {"upperarm.left", "shin.right"})
                QVERIFY(angle_between(aligned_direction(c.rig.skeleton, c.roles, c.rest, role),
                                      stance_direction(role)) < 1e-6);
        }
    }

    void a_degree_off_is_a_degree_off_and_nothing_after_solving() {
        const LoadedFile source = load_file(capture("01_01.bvh"));
        LoadedFile target = crew("ferrier");
        PairingSettings angles;
        angles.passes.reach = false;
        const TransferResult right = carry(source, target, angles);
        Character& c = target.character;
        turn_bone(c.rig.skeleton, c.roles, c.rest, "forearm.left", axis_rotation(2, deg_to_rad(11.0)), false);
        const auto rows = compare_rests(source.character, c);
        QVERIFY(std::abs(row_of(rows, "forearm.left").now.direction_deg - 11.0) < 1e-6);
        QVERIFY(row_of(rows, "hand.left").is_carried && !row_of(rows, "forearm.left").is_carried);
        const TransferResult wrong = carry(source, target, angles);
        const int j = c.roles.joint("forearm.left");
        for (int f = 0; f < right.target.frames; f += 50)
            QVERIFY(std::abs(rad_to_deg(angle_between(right.target.R[right.target.at(f, j)],
                                                      wrong.target.R[wrong.target.at(f, j)])) -
                             11.0) < 1e-6);
        take_from_alignment(c.rig.skeleton, c.roles, c.rest, c.solved, {"forearm.left"});
        QVERIFY(largest_gap_deg(source.character, c) < 1e-6);
        QVERIFY(difference(right.target, carry(source, target, angles).target).place_m < 1e-9);
    }

    void corrections_are_read_back_and_mirrored() {
        Random random(7);
        std::uniform_real_distribution<double> degrees(-60, 60);
        Character c = crew("dockhand").character;
        const Skeleton& s = c.rig.skeleton;
        for (const TurnAxes axes : {TurnAxes::bone, TurnAxes::parent, TurnAxes::body, TurnAxes::world})
            for (const auto* role : {"upperarm.left", "hand.right", "thigh.left", "head", "foot.right"}) {
                const Vec3 deg(degrees(random), degrees(random), degrees(random));
                RestAlignment rest = c.solved;
                // The bone above was turned before: its correction is its own.
                turn_bone(s, c.roles, rest, c.roles.parent_role(role), axis_rotation(1, 0.3), false);
                set_correction(s, c.roles, rest, c.solved, role, axes, deg, true);
                QVERIFY((correction_deg(s, c.roles, rest, c.solved, role, axes, deg) - deg).norm() < 1e-6);
                set_correction(s, c.roles, rest, c.solved, role, axes, Vec3::Zero(), true);
                QVERIFY(angle_between(relative_turn(c.roles, rest, role),
                                      relative_turn(c.roles, c.solved, role)) < 1e-9);
            }
        RestAlignment rest = c.solved;
        set_correction(s, c.roles, rest, c.solved, "upperarm.left", TurnAxes::bone, {10, -20, 30}, true);
        const Vec3 left = aligned_direction(s, c.roles, rest, "upperarm.left");
        const Vec3 right = aligned_direction(s, c.roles, rest, "upperarm.right");
        QVERIFY((left - Vec3(-right.x(), right.y(), right.z())).norm() < 1e-6);
        QVERIFY(angle_between(left, Vec3(Vec3::UnitX())) > 0.1);
    }

    void snaps_copies_and_settings_of_the_body() {
        Character c = crew("ferrier").character;
        const Skeleton& s = c.rig.skeleton;
        RestAlignment rest = stored_rest(c.rig, c.roles, c.solved);
        set_correction(s, c.roles, rest, rest, "upperarm.left", TurnAxes::world, {0, 12, -33}, true);
        QVERIFY(snap_bone(s, c.roles, rest, "upperarm.left", Snap::level, true));
        QVERIFY(std::abs(aligned_direction(s, c.roles, rest, "upperarm.right").y()) < 1e-9);
        set_correction(s, c.roles, rest, rest, "shin.left", TurnAxes::world, {25, 0, 0}, false);
        QVERIFY(snap_bone(s, c.roles, rest, "shin.left", Snap::straight, false));
        QVERIFY(angle_between(aligned_direction(s, c.roles, rest, "shin.left"),
                              aligned_direction(s, c.roles, rest, "thigh.left")) < 1e-9);
        QVERIFY(snap_bone(s, c.roles, rest, "thigh.left", Snap::vertical, false));
        QVERIFY(!snap_bone(s, c.roles, rest, "upperarm.left", Snap::vertical, false));
        // As the other stands: a copy of a crouch is that crouch.
        Character other = crew("lamp-child").character;
        for (const auto& [role, deg] :
             {std::pair{"thigh.left", -50.0}, {"shin.left", 70.0}, {"upperarm.left", 15.0}})
            turn_bone(other.rig.skeleton, other.roles, other.rest, role, axis_rotation(0, deg_to_rad(deg)),
                      true);
        copy_stance(s, c.roles, c.rest, c.solved, other.roles, other.rest, other.solved,
                    roles_in_order(c.roles));
        QVERIFY2(largest_gap_deg(other, c) < 1e-6, qPrintable(QString::number(largest_gap_deg(other, c))));
        // Gaze and tilt are theirs alone; ground lifts all.
        Character d = crew("ferrier").character;
        const RestAlignment before = d.rest;
        set_dials(s, d.roles, d.rest, {deg_to_rad(5), 0, deg_to_rad(8), 0.03});
        const auto turned = [&](const char* role) {
            const size_t j = size_t(d.roles.joint(role));
            return rad_to_deg(angle_between(before.R_WJ0[j], d.rest.R_WJ0[j]));
        };
        QVERIFY(std::abs(turned("hips") - 5) < 1e-9 && std::abs(turned("head") - 8) < 1e-9);
        QVERIFY(turned("chest") < 1e-9 && turned("thigh.left") < 1e-9);
        QVERIFY(std::abs(d.rest.ankle_height_m - before.ankle_height_m - 0.03) < 1e-12);
        set_dials(s, d.roles, d.rest, {});
        QVERIFY(is_same_alignment(d.rest, before));
    }

    void a_pose_of_a_take_is_a_stance() {
        // Both bodies in one frame: what crosses is the same as from the T.
        const LoadedFile source = load_file(capture("01_01.bvh"));
        LoadedFile target = crew("dockhand");
        PairingSettings angles;
        angles.passes.reach = false;
        const TransferResult t = carry(source, target, angles);
        LoadedFile S = source;
        const auto pose_in = [](const WorldMotion& motion, int f) {
            Pose pose;
            for (int j = 0; j < motion.joints; ++j) {
                pose.R.push_back(motion.R[motion.at(f, j)]);
                pose.p.push_back(motion.p[motion.at(f, j)]);
            }
            return pose;
        };
        S.character.rest =
            rest_of_pose(S.character.rig, S.character.roles, pose_in(t.source, 900), S.character.solved);
        target.character.rest = rest_of_pose(target.character.rig, target.character.roles,
                                             pose_in(t.target, 900), target.character.solved);
        // Fingers of unlike counts share their turns along the chain: limbs cross bone by bone.
        for (const RestRow& row : compare_rests(S.character, target.character))
            if (!is_finger_role(row.role))
                QVERIFY2(row.now.worst_deg() < 1e-4,
                         qPrintable(QString("%1 %2").arg(row.role.c_str()).arg(row.now.worst_deg())));
        const TransferResult again = carry(S, target, angles);
        double largest = 0.0;
        for (const std::string& role : roles_in_order(target.character.roles))
            if (S.character.roles.joint(role) >= 0 &&
                rest_rule(role, body_plan("biped")) == RestRule::match && !is_finger_role(role))
                for (int f = 1; f < t.target.frames; f += 61) {
                    const size_t at = t.target.at(f, target.character.roles.joint(role));
                    largest = std::max(largest, angle_between(t.target.R[at], again.target.R[at]));
                }
        QVERIFY2(rad_to_deg(largest) < 1e-4, qPrintable(QString::number(rad_to_deg(largest))));
        // From a file: frame 0 of the capture stands 5 degrees off level.
        const RestAlignment from_file = rest_from_file(capture("01_01.bvh"), crew("dockhand").character);
        const Character d = crew("dockhand").character;
        const Vec3 arm = aligned_direction(d.rig.skeleton, d.roles, from_file, "upperarm.left");
        QVERIFY(std::abs(rad_to_deg(angle_between(arm, Vec3(Vec3::UnitX()))) - 5.0) < 1.0);
    }

    void documents_hold_several_alignments() {
        Character c = crew("ferrier").character;
        c.document_text.clear();
        RestAlignment crouch = c.rest;
        crouch.name = "crouched";
        turn_bone(c.rig.skeleton, c.roles, crouch, "thigh.left", axis_rotation(0, -0.6), true);
        set_dials(c.rig.skeleton, c.roles, crouch, {0.02, 0.03, -0.04, 0.011});
        crouch.stance.thumb_rad.reset();
        c.other_rests = {c.rest};
        c.rest = crouch;
        const std::string text = format_document(character_document(c));
        std::vector<std::string> notes;
        write_file(in("character.json"), text);
        const LoadedFile again =
            load_character(demo("characters/ferrier/rig.glb"), in("character.json"), notes);
        QVERIFY(notes.empty());
        QCOMPARE(format_document(character_document(again.character)), text);  // property 10
        QCOMPARE(again.character.rest.name, std::string("crouched"));
        QVERIFY(is_same_alignment(again.character.rest, crouch));
        QVERIFY(again.character.rest.found.at("thigh.right").roll == RollSource::by_hand);
        QCOMPARE(again.character.other_rests.size(), size_t(1));
        QVERIFY(largest_gap_deg(again.character, crew("performer").character) > 30.0);
        // A document of before there were stances is read as what it was.
        Json old = read_document(in("character.json"), "character");
        for (const auto* key :
             {"name", "stance", "fingers", "spread", "thumb_deg", "clavicles", "spine", "dials"})
            old["rest"].erase(key);
        old.erase("other_rests");
        old.erase("solved");
        write_file(in("old.json"), format_document(old));
        QCOMPARE(
            load_character(demo("characters/ferrier/rig.glb"), in("old.json"), notes).character.rest.name,
            std::string("T"));
        for (const Json& wrong : {Json{{"thumb_deg", {3}}}, Json{{"dials", {{"ground_cm", 1e300}}}},
                                  Json{{"dials", {{"gaze_deg", 400}}}}, Json{{"dials", {1}}}}) {
            Json broken = old;
            broken["rest"].update(wrong);
            write_file(in("broken.json"), format_document(broken));
            QVERIFY_THROWS_EXCEPTION(
                FileError, load_character(demo("characters/ferrier/rig.glb"), in("broken.json"), notes));
        }
        old["rest"]["stance"] = "kneeling";
        write_file(in("wrong.json"), format_document(old));
        QVERIFY_THROWS_EXCEPTION(FileError,
                                 load_character(demo("characters/ferrier/rig.glb"), in("wrong.json"), notes));
    }

    void the_aligned_rest_becomes_the_rigs_own_data() {
        QTest::addColumn<QString>("name");
        for (const auto* name : {"net-mender", "dockhand", "lamp-child", "ferrier", "performer"})
            QTest::newRow(name) << QString(name);
        // Rigs that came in another format.
        for (const auto* name : {"net-mender.dae", "dockhand.dae"}) QTest::newRow(name) << QString(name);
    }
    void the_aligned_rest_becomes_the_rigs_own() {
        QFETCH(QString, name);
        LoadedFile loaded = crew(name.section('.', 0, 0).toStdString());
        if (name.endsWith(".dae")) {
            const Rig& rig = loaded.character.rig;
            Take still;
            still.name = "still";
            still.frames = 1;
            still.joints = rig.skeleton.size();
            still.R.edit() = rig.skeleton.rest_R;
            write_scene(in(qPrintable(name)), rig, still, true);
            loaded = load_file(in(qPrintable(name)));
            QVERIFY(loaded.character.rig.nodes.empty() && !loaded.character.rig.meshes.empty());
        }
        Character& c = loaded.character;
        set_correction(c.rig.skeleton, c.roles, c.rest, c.solved, "upperarm.left", TurnAxes::world,
                       {0, 10, -15}, true);
        const std::string path = in("as-rest.glb");
        write_as_rest(path, c);
        const LoadedFile again = load_file(path);
        const Pose posed = aligned_pose(c.rest);
        const Pose own = rest_pose(again.character.rig.skeleton);
        QCOMPARE(own.p.size(), posed.p.size());
        const int hips = c.roles.joint("hips");
        for (int j = 0; j < c.rig.skeleton.size(); ++j)
            if (c.rig.skeleton.is_ancestor(hips, j)) {
                const auto there = size_t(again.character.rig.skeleton.find(c.rig.skeleton.names[size_t(j)]));
                QVERIFY((own.p[there] - posed.p[size_t(j)]).norm() < 1e-5);
                QVERIFY(angle_between(own.R[there], posed.R[size_t(j)]) < 1e-5);
            }
        double moved = 0.0;
        for (size_t m = 0; m < c.rig.meshes.size(); ++m) {
            const auto a = skin_vertices(c.rig.meshes[m], posed);
            const auto b = skin_vertices(again.character.rig.meshes[m], own);
            QCOMPARE(a.size(), b.size());
            for (size_t v = 0; v < a.size(); ++v) moved = std::max(moved, (a[v] - b[v]).norm());
        }
        QVERIFY2(moved < 1e-5, qPrintable(QString::number(moved)));
        const QByteArray found = test::found_by_validator(path);
        QVERIFY2(found.isEmpty(), found.constData());
        // Away from it, linear blending bends the skin differently; bones of one joint not at all.
        WorldMotion motion;
        motion.resize(1, c.rig.skeleton.size());
        const Pose at_rest = rest_pose(c.rig.skeleton);
        motion.R = at_rest.R;
        motion.p = at_rest.p;
        const double change = rebind_change_m(c.rig, again.character.rig, motion, 1);
        QVERIFY2(change < 0.06, qPrintable(QString::number(change)));
    }

    void animations_and_morph_targets_go_with_the_new_rest() {
        // A rig with an animation that moves one bone alone, and a morph target that lifts every vertex by 1
        // cm.
        Character c = crew("net-mender").character;
        {
            GlbParts parts(c.rig);
            const int arm = c.rig.nodes[size_t(c.roles.joint("forearm.left"))].node;
            const size_t times = parts.add_floats({0.0f, 1.0f}, "SCALAR", 1);
            parts.json["accessors"][times]["min"] = {0.0};
            parts.json["accessors"][times]["max"] = {1.0};
            const size_t values = parts.add_floats({0, 0, 0, 1, 0, 0.6f, 0, 0.8f}, "VEC4", 4);
            parts.json["animations"] = Json::array(
                {{{"name", "wave"},
                  {"samplers",
                   Json::array({{{"input", times}, {"output", values}, {"interpolation", "LINEAR"}}})},
                  {"channels",
                   Json::array({{{"sampler", 0}, {"target", {{"node", arm}, {"path", "rotation"}}}}})}}});
            auto& primitive = parts.json["meshes"][0]["primitives"][0];
            const size_t count =
                parts.json["accessors"][primitive["attributes"]["POSITION"].get<size_t>()]["count"]
                    .get<size_t>();
            std::vector<float> lift;
            for (size_t v = 0; v < count; ++v) lift.insert(lift.end(), {0.0f, 0.01f, 0.0f});
            const size_t target = parts.add_floats(lift, "VEC3", 3);
            parts.json["accessors"][target]["min"] = {0.0, 0.01f, 0.0};
            parts.json["accessors"][target]["max"] = {0.0, 0.01f, 0.0};
            primitive["targets"] = Json::array({{{"POSITION", target}}});
            parts.write(in("moving.glb"));
        }
        LoadedFile loaded = load_file(in("moving.glb"));
        QVERIFY(loaded.take.has_value());
        write_as_rest(in("moving-rest.glb"), loaded.character);
        const LoadedFile again = load_file(in("moving-rest.glb"));
        const int hips = loaded.character.roles.joint("hips");
        for (const int f : {0, loaded.take->frames / 2, loaded.take->frames - 1}) {
            const Pose a = pose_at(loaded.character.rig.skeleton, *loaded.take, f);
            const Pose b = pose_at(again.character.rig.skeleton, *again.take, f);
            for (int j = 0; j < loaded.character.rig.skeleton.size(); ++j)
                if (loaded.character.rig.skeleton.is_ancestor(hips, j))
                    QVERIFY((a.p[size_t(j)] - b.p[size_t(j)]).norm() < 1e-5);
        }
        // The lift was up the bind pose; bound anew it goes where the skin carries it: of a vertex of one
        // joint, by that joint's turn.
        const tinygltf::Model before = gltf::read_model(in("moving.glb"));
        const tinygltf::Model after = gltf::read_model(in("moving-rest.glb"));
        const auto& old = before.meshes[0].primitives[0];
        const auto& now = after.meshes[0].primitives[0];
        const auto deltas = gltf::read_values(after, now.targets[0].at("POSITION"), 3, "after");
        const Pose posed = aligned_pose(loaded.character.rest);
        const Mesh& mesh = loaded.character.rig.meshes[0];
        Mesh lifted = mesh;
        const auto old_deltas = gltf::read_values(before, old.targets[0].at("POSITION"), 3, "before");
        for (size_t v = 0; v < lifted.positions.size(); ++v)
            lifted.positions[v].y() += float(old_deltas[3 * v + 1]);
        const auto low = skin_vertices(mesh, posed);
        const auto high = skin_vertices(lifted, posed);
        const Quat& R_WF = loaded.character.rig.conventions.R_WF;
        double worst = 0.0;
        for (size_t v = 0; v < low.size(); ++v) {
            const Vec3 delta(deltas[3 * v], deltas[3 * v + 1], deltas[3 * v + 2]);
            worst = std::max(
                worst, (R_WF * delta * loaded.character.rig.conventions.unit_m - (high[v] - low[v])).norm());
        }
        QVERIFY2(worst < 1e-5, qPrintable(QString::number(worst)));
    }

    /// Fingers are left out where the take moves none; one finger that turns by two degrees is a moved one.
    void fingers_are_compared_where_the_take_moves_them() {
        const Character ferrier = test::demo_body("ferrier").character;
        const Character mender = test::demo_body("net-mender").character;
        const auto fingers_in = [](const std::vector<RestRow>& rows) {
            return std::count_if(rows.begin(), rows.end(),
                                 [](const RestRow& row) { return is_finger_role(row.role); });
        };
        const auto all = compare_rests(ferrier, mender);
        const auto some = compare_rests(ferrier, mender, false);
        QVERIFY(fingers_in(all) >= 20);
        QCOMPARE(fingers_in(some), 0);
        QCOMPARE(some.size(), all.size() - size_t(fingers_in(all)));
        Take take;
        take.frames = 20;
        take.joints = ferrier.rig.skeleton.size();
        take.R.edit().assign(size_t(take.frames) * size_t(take.joints), Quat::Identity());
        QVERIFY(!moves_fingers(ferrier, take));
        const auto turn = [&](const char* role, double degrees) {
            take.R.edit()[size_t(12) * size_t(take.joints) + size_t(ferrier.roles.joint(role))] =
                exp_rotation(deg_to_rad(degrees) * Vec3::UnitX());
        };
        turn("forearm.left", 40.0);
        turn("index.2.left", 0.5);
        QVERIFY(!moves_fingers(ferrier, take));
        turn("index.2.left", 2.0);
        QVERIFY(moves_fingers(ferrier, take));
    }

    // B15
    void a_trim_leaves_the_alignment_on_the_first_frame_of_the_file() {
        // An open capture whose zero pose is no stance (assimp-testmodels).
        const std::string path = "/usr/share/assimp/models/BVH/01_01.bvh";
        const LoadedFile whole = load_file(path);
        QCOMPARE(whole.character.rest.reference, std::string("first frame"));
        for (const int first : {1, 400}) {
            LoadOptions options;
            options.trim_first = first;
            const LoadedFile cut = load_file(path, options);
            const RestAlignment& a = whole.character.rest;
            const RestAlignment& b = cut.character.rest;
            QCOMPARE(b.reference, a.reference);
            QVERIFY(std::abs(b.mean_deviation_rad - a.mean_deviation_rad) < 1e-9);
            QVERIFY2(std::abs(b.ankle_height_m - a.ankle_height_m) < 1e-3,
                     qPrintable(QString("%1 %2").arg(a.ankle_height_m).arg(b.ankle_height_m)));
            for (const char* role : {"foot.left", "foot.right", "head", "spine.1"}) {
                const size_t j = size_t(whole.character.roles.joint(role));
                const double off = rad_to_deg(angle_between(a.R_WJ0[j], b.R_WJ0[j]));
                QVERIFY2(off < 0.5, qPrintable(QString("%1 %2 %3").arg(first).arg(role).arg(off)));
            }
        }
    }
    // B16
    void a_rest_out_of_a_motion_is_no_zero_data() {
        QTest::addColumn<QString>("take");
        QTest::addColumn<int>("frame");
        for (const auto* take : {"01_01.bvh", "01_03.bvh"})
            for (const int frame : {500, 900, 1500})
                QTest::addRow("%s %d", take, frame) << QString(take) << frame;
    }
    void a_rest_out_of_a_motion_is_no_zero() {
        QFETCH(QString, take);
        QFETCH(int, frame);
        // Open captures (assimp-testmodels) that begin in a T: with it and, its frames cut off, without it.
        const auto without_start = [](Take whole) {
            const int cut = 100;
            auto& R = whole.R.edit();
            auto& p = whole.p.edit();
            R.erase(R.begin(), R.begin() + std::ptrdiff_t(cut) * whole.joints);
            p.erase(p.begin(), p.begin() + std::ptrdiff_t(cut) * std::ptrdiff_t(whole.translated.size()));
            whole.frames -= cut;
            whole.first_motion_frame = 0;
            return whole;
        };
        LoadOptions options;
        options.facing = "+Z";
        const SkeletonFile file = read_bvh(capture(take.toStdString()));
        LoadedFile with_t = load_parsed(file, "plain.bvh", "bvh", options);
        with_t.take = without_start(*with_t.take);
        SkeletonFile changed = re_rested(file, frame);
        changed.take = without_start(changed.take);
        const LoadedFile of_motion = load_parsed(changed, "changed.bvh", "bvh", options);
        QVERIFY(with_t.character.rest.is_of_stance);
        const RestAlignment& rest = of_motion.character.rest;
        QVERIFY(!rest.is_of_stance);
        QVERIFY(!rest.found.at("hand.left").is_roll_known());
        const auto findings = find_in(of_motion);
        QVERIFY(std::any_of(findings.begin(), findings.end(), [](const Finding& f) {
            return f.what.find("no pose of the file is a stance") != std::string::npos;
        }));
        RestAlignment again;
        read_rest(rest_document(of_motion.character.roles, rest), "test", of_motion.character.rig.skeleton,
                  of_motion.character.roles, again);
        QVERIFY(!again.is_of_stance);
        // Upright, shoulders to the side.
        const RoleMap& roles = of_motion.character.roles;
        const auto at = [&](const char* role) { return rest.p_WJ0[size_t(roles.joint(role))]; };
        QVERIFY(angle_between(at("chest") - at("spine.1"), Vec3::UnitY()) < deg_to_rad(1.0));
        QVERIFY(angle_between(at("upperarm.left") - at("upperarm.right"), Vec3::UnitX()) < deg_to_rad(5.0));
        // Below 1.2 % of the ferrier's height in the mean; 2.8 to 4 before.
        const LoadedFile ferrier = load_file(rig("ferrier/rig.glb"));
        PairingSettings settings;
        settings.passes.reach = false;
        const WorldMotion a = carry(with_t, ferrier, settings).target;
        const WorldMotion b = carry(of_motion, ferrier, settings).target;
        const int hips = ferrier.character.roles.joint("hips");
        double sum = 0.0;
        int count = 0;
        for (int f = 5; f < a.frames; f += 10)
            for (const RoleFill& fill : ferrier.character.roles.fills) {
                const int j = ferrier.character.roles.joint(fill.role);
                sum +=
                    ((a.p[a.at(f, j)] - a.p[a.at(f, hips)]) - (b.p[b.at(f, j)] - b.p[b.at(f, hips)])).norm();
                ++count;
            }
        const double height = ferrier.character.rest.p_WJ0[size_t(ferrier.character.roles.joint("head"))].y();
        const double share = 100.0 * sum / count / height;
        QVERIFY2(share < 1.2, qPrintable(QString("%1 %").arg(share)));
    }

    // B12
    void rest_rules_of_a_users_plan_are_followed() {
        QVERIFY(add_body_plan(parse_body_plan(R"({"format": "nimble-bone/body-plan", "version": 1,
            "name": "stiff", "extends": "biped", "rest": {"keep": ["forearm"]}})")));
        QCOMPARE(rest_rule("forearm.left", body_plan("stiff")), RestRule::keep);
        QCOMPARE(rest_rule("upperarm.left", body_plan("stiff")), RestRule::match);
        LoadedFile file = load_file(rig("ferrier/rig.glb"));
        Character& c = file.character;
        // Its elbow is bent in the file.
        Quat& elbow = c.rig.skeleton.rest_R[size_t(c.roles.joint("forearm.left"))];
        elbow = elbow * axis_rotation(2, deg_to_rad(20.0)) * axis_rotation(1, deg_to_rad(20.0));
        c.rig.meshes = {};
        c.rig.skeleton.bind_R.clear();
        const RestAlignment as_biped = solve_rest(c.rig, c.roles, {});
        c.roles.plan = "stiff";
        const RestAlignment stiff = solve_rest(c.rig, c.roles, {});
        const auto bend = [&](const RestAlignment& rest) {
            return rad_to_deg(
                angle_between(aligned_direction(c.rig.skeleton, c.roles, rest, "upperarm.left"),
                              aligned_direction(c.rig.skeleton, c.roles, rest, "forearm.left")));
        };
        const RestAlignment stored = stored_rest(c.rig, c.roles, as_biped);
        QVERIFY(bend(as_biped) < 1e-6);
        QVERIFY(bend(stored) > 10.0);
        QVERIFY(std::abs(bend(stiff) - bend(stored)) < 1e-6);
    }

    void what_cannot_be_made_a_rest_is_said() {
        Character body = crew("dockhand").character;
        QVERIFY_THROWS_EXCEPTION(FileError, rest_from_file(in("is-not-there.bvh"), body));
        body.rest = {};
        QVERIFY_THROWS_EXCEPTION(FileError, write_as_rest(in("no.glb"), body));
        QVERIFY(!QFile::exists(QString::fromStdString(in("no.glb"))));
    }
};

NB_TEST(RestTest)
}  // namespace test_rest
#include "test_rest.moc"
