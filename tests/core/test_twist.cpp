// The pass twist: a roll bone takes half of the twist, two take thirds (common practice, no published
// source); no roll at the shoulder, all of it at the wrist; whatever else the limb does, its own bones are
// left alone.
#include <QtTest>

#include "core/library/library.hpp"
#include "core/rest/edit.hpp"
#include "core/solve/body.hpp"
#include "core/solve/passes.hpp"
#include "core/solve/program.hpp"
#include "core/solve/twist.hpp"
#include "tests/support/run_test.hpp"
#include "tests/support/test_rigs.hpp"

namespace test_twist {

using namespace nb;
using namespace nb::test;

namespace {

/// The ferrier has twist bones in arms and legs.
const Character& ferrier() {
    static const LoadedFile loaded = [] {
        std::vector<std::string> notes;
        return load_character(demo("characters/ferrier/rig.glb"), demo("characters/ferrier/character.json"),
                              notes);
    }();
    return loaded.character;
}

/// A character's aligned rest with some roles' bones, and all below them, turned in the world.
Pose posed(const Character& c, const std::vector<std::pair<std::string, Quat>>& turns) {
    RestAlignment rest = c.rest;
    for (const auto& [role, turn] : turns) turn_bone(c.rig.skeleton, c.roles, rest, role, turn, false);
    return aligned_pose(rest);
}

Pose solved(const Character& c, const Pose& source, bool has_twist = true) {
    PairingSettings settings;
    settings.passes.twist = has_twist;
    const Plan plan = compile_plan(c, c, settings);
    Pose target{std::vector<Quat>(source.R.size()), std::vector<Vec3>(source.p.size())};
    solve_pose(plan.program, source, target);
    return target;
}

Vec3 axis_of(const Character& c, const std::string& role) {
    Vec3 end;
    find_bone_end(c.rig.skeleton, c.roles, role, aligned_pose(c.rest), end);
    return (end - c.rest.p_WJ0[size_t(c.roles.joint(role))]).normalized();
}

}  // namespace

class TwistTest : public QObject {
    Q_OBJECT

  private slots:
    void shares_follow_the_place() {
        std::map<std::string, std::vector<double>> shares;
        for (const TwistBone& twist : ferrier().roles.twists) shares[twist.role].push_back(twist.share);
        QVERIFY(!shares["forearm.left"].empty() && !shares["upperarm.left"].empty());
        for (const auto& [role, list] : shares)
            for (size_t i = 0; i < list.size(); ++i)
                QVERIFY2(
                    std::abs(list[i] - double(i + 1) / double(list.size() + 1)) < 0.2 || list.size() == 1,
                    role.c_str());
    }
    void a_turned_hand_turns_the_forearm_by_shares() {
        const Character& c = ferrier();
        const Vec3 axis = axis_of(c, "forearm.left");
        for (const double deg : {-85.0, -20.0, 35.0, 80.0, 140.0}) {
            const Pose pose = solved(c, posed(c, {{"hand.left", exp_rotation(deg_to_rad(deg) * axis)}}));
            for (const TwistBone& twist : c.roles.twists) {
                const Quat turn = pose.R[size_t(twist.joint)] * c.rest.R_WJ0[size_t(twist.joint)].conjugate();
                const double expected = twist.role == "forearm.left" ? twist.share * deg : 0.0;
                QVERIFY2(
                    angle_between(turn, exp_rotation(deg_to_rad(expected) * axis)) < 1e-7,
                    qPrintable(
                        QString("%1 %2").arg(twist.role.c_str()).arg(rad_to_deg(log_rotation(turn).norm()))));
            }
        }
    }
    void a_rolled_upper_arm_does_not_roll_the_shoulder() {
        const Character& c = ferrier();
        const Vec3 axis = axis_of(c, "upperarm.right");
        const Pose pose = solved(c, posed(c, {{"upperarm.right", exp_rotation(deg_to_rad(60.0) * axis)}}));
        bool is_there = false;
        for (const TwistBone& twist : c.roles.twists) {
            if (twist.role != "upperarm.right") continue;
            is_there = true;
            const Quat turn = pose.R[size_t(twist.joint)] * c.rest.R_WJ0[size_t(twist.joint)].conjugate();
            QVERIFY(std::abs(rad_to_deg(twist_angle(turn, axis)) - 60.0 * twist.share) < 1e-6);
        }
        QVERIFY(is_there);
    }
    void swinging_alone_twists_nothing() {
        const Character& c = ferrier();
        Random random(4);
        std::uniform_real_distribution<double> angle(-1.2, 1.2);
        for (int n = 0; n < 40; ++n) {
            // Swings of the upper arm have no part about its own length; the elbow is a hinge.
            const Vec3 arm = axis_of(c, "upperarm.left");
            const Vec3 square = arm.cross(Vec3(angle(random), angle(random), angle(random))).normalized();
            const Quat swing = exp_rotation(angle(random) * square);
            const Quat bend =
                exp_rotation(std::abs(angle(random)) * (swing * c.rest.hinges.at("arm.left").n_W));
            const Pose source = posed(c, {{"upperarm.left", swing}, {"forearm.left", bend}});
            const Pose with = solved(c, source);
            const Pose without = solved(c, source, false);
            for (size_t j = 0; j < with.R.size(); ++j) QVERIFY(angle_between(with.R[j], without.R[j]) < 1e-6);
        }
    }
    void bones_of_roles_are_left_alone() {
        const LoadedFile source = load_file(capture("01_03.bvh"));
        PairingSettings off;
        off.passes.twist = false;
        const Character& c = ferrier();
        const TransferResult a = transfer(source.character, *source.take, c, {}, 0, {});
        const TransferResult b = transfer(source.character, *source.take, c, off, 0, {});
        double twisted = 0.0;
        for (int f = 0; f < a.target.frames; f += 7)
            for (int j = 0; j < a.target.joints; ++j) {
                const double turned =
                    angle_between(a.target.R[a.target.at(f, j)], b.target.R[b.target.at(f, j)]);
                const double moved = (a.target.p[a.target.at(f, j)] - b.target.p[b.target.at(f, j)]).norm();
                if (c.roles.role_of(j).empty())
                    twisted = std::max(twisted, turned);
                else
                    QVERIFY(turned < 1e-9 && moved < 1e-6);
            }
        QVERIFY(twisted > deg_to_rad(10.0));  // a climber's arms roll
    }
    /// To the bit: what hangs on a limb that is moved, and what is twisted along it, as when the whole body is done anew.
    void a_limb_that_moves_is_carried_and_twisted_alone() {
        const Character& c = ferrier();
        const Program program = compile_plan(c, c, {}).program;
        const Pose source = posed(c, {{"hand.left", exp_rotation(Vec3(0.4, 0.9, -0.3))},
                                      {"thigh.right", exp_rotation(Vec3(-0.5, 0.2, 0.1))}});
        Pose whole = solved(c, source), alone = whole;
        const SourceFrame S{source.R, source.p, 0.0};
        TargetFrame A{whole.R, whole.p}, B{alone.R, alone.p};
        QCOMPARE(program.limbs.size(), size_t(4));
        for (const LimbOp& limb : program.limbs) {
            const int base = limb.shoulder.T_clavicle >= 0 ? limb.shoulder.T_clavicle : limb.T_start;
            follow_anew(program, S, A, false);
            follow_below(program, S, B, base);
            for (TargetFrame* frame : {&A, &B}) {
                turn_joint(*frame, base, exp_rotation(Vec3(0.1, -0.2, 0.15)));
                turn_joint(*frame, limb.T_mid, exp_rotation(Vec3(0.5, 0.3, -0.4)));
            }
            follow_anew(program, S, A, false);
            follow_below(program, S, B, base);
            pass_twist(program, S, A);
            pass_twist_below(program, S, B, base);
            for (size_t j = 0; j < whole.R.size(); ++j)
                QVERIFY(whole.R[j].coeffs() == alone.R[j].coeffs() && whole.p[j] == alone.p[j]);
        }
    }
    void nothing_jumps_at_the_half_turn() {
        double before = fold_roll(-pi);
        for (int i = 1; i <= 3600; ++i) {
            const double roll = fold_roll(-pi + 2.0 * pi * i / 3600.0);
            QVERIFY(std::abs(roll - before) < 0.01);
            before = roll;
        }
        QVERIFY(std::abs(fold_roll(pi) - fold_roll(-pi)) < 1e-12);
        QCOMPARE(fold_roll(1.3), 1.3);
    }
};

NB_TEST(TwistTest)
}  // namespace test_twist
#include "test_twist.moc"
