// What chains are set to: levels, gather, pole, place, give-way, give in length, shoulder share, the reach of
// longer runs (its Jacobian against orocos-kdl's), the hock of four legs, proposals. Expectations follow from
// the definitions and from small cases worked by hand.
// Longer than other files: short tests of one subject, side by side.
#include <QtTest>

#include <set>

#include <kdl/chain.hpp>
#include <kdl/chainjnttojacsolver.hpp>

#include "core/base/fault.hpp"
#include "core/base/uuid.hpp"
#include "core/body/lines.hpp"
#include "core/body/measures.hpp"
#include "core/chain/propose.hpp"
#include "core/documents/chains.hpp"
#include "core/documents/character.hpp"
#include "core/documents/pairing.hpp"
#include "core/library/library.hpp"
#include "core/motion/heading.hpp"
#include "core/motion/kinematics.hpp"
#include "core/rest/edit.hpp"
#include "core/review/events.hpp"
#include "core/solve/passes.hpp"
#include "tests/support/run_test.hpp"
#include "tests/support/test_rigs.hpp"

namespace test_settings {

using namespace nb;
using namespace nb::test;

namespace {

const Vec3& place(const LoadedFile& of, const WorldMotion& motion, const char* role, int frame) {
    return motion.p[motion.at(frame, of.character.roles.joint(role))];
}
const Quat& turn(const LoadedFile& of, const WorldMotion& motion, const char* role, int frame) {
    return motion.R[motion.at(frame, of.character.roles.joint(role))];
}

PairingSettings plain() {
    PairingSettings settings;
    settings.passes.contacts = false;
    return settings;
}

/// A joint put between `above` and its child `below`, half way, that carries `roll` of what `above` turned.
SkeletonFile with_twist_in_limb(SkeletonFile file, const std::string& above, const std::string& below,
                                double roll_rad) {
    Skeleton& s = file.skeleton;
    const int a = s.find(above);
    const int b = s.find(below);
    const Vec3 half = 0.5 * s.rest_p[size_t(b)];
    const Vec3 axis = half.normalized();
    Skeleton grown = s;
    grown.names.insert(grown.names.begin() + b, above + "_twist");
    grown.rest_R.insert(grown.rest_R.begin() + b, Quat::Identity());
    grown.rest_p.insert(grown.rest_p.begin() + b, half);
    grown.parents.insert(grown.parents.begin() + b, a);
    for (size_t j = size_t(b) + 1; j < grown.parents.size(); ++j)
        if (grown.parents[j] >= b) ++grown.parents[j];
    grown.parents[size_t(b) + 1] = b;
    grown.rest_p[size_t(b) + 1] = half;
    for (EndSite& end : grown.end_sites)
        if (end.joint >= b) ++end.joint;
    Take& take = file.take;
    Take more = take;
    more.joints = take.joints + 1;
    more.R.edit().clear();
    for (int f = 0; f < take.frames; ++f) {
        const Quat twist = exp_rotation(roll_rad * std::sin(0.1 * f) * axis);
        for (int j = 0; j < take.joints; ++j) {
            if (j == b) more.R.edit().push_back(twist);
            const Quat& R = take.rotations(f)[size_t(j)];
            more.R.edit().push_back(j == a ? R * twist.conjugate() : R);
        }
    }
    for (int& joint : more.translated)
        if (joint >= b) ++joint;
    s = grown;
    take = more;
    return file;
}

LoadedFile settled(SkeletonFile file) {
    return load_parsed(std::move(file), "made", "glb");
}

SkeletonFile moving_body(int seed, int frames = 60) {
    SkeletonFile file = random_body(std::uint64_t(seed));
    file.take = random_motion(file, std::uint64_t(seed), frames);
    return file;
}

}  // namespace

class SettingsTest : public QObject {
    Q_OBJECT

  private slots:
    void the_highest_level_that_says_something_speaks() {
        LoadedFile target = demo_body("dockhand");
        PairingSettings settings;
        const auto in_force = [&](const char* chain) {
            return settings_of(chains_in_force(target.character, settings, "a take"), chain);
        };
        QVERIFY(in_force("leg.left").carry == Carry::limb);  // the body plan
        QVERIFY(!in_force("arm.left").carry);
        target.character.chains["arm.left"].carry = Carry::limb;
        target.character.chains["arm.left"].tip_share = 0.5;
        QVERIFY(in_force("arm.left").carry == Carry::limb);
        settings.chains["arm.left"].carry = Carry::place;
        QVERIFY(in_force("arm.left").carry == Carry::place && in_force("arm.left").tip_share == 0.5);
        settings.takes["another"]["arm.left"].carry = Carry::angles;
        QVERIFY(in_force("arm.left").carry == Carry::place);
        settings.takes["a take"]["arm.left"].carry = Carry::angles;
        QVERIFY(in_force("arm.left").carry == Carry::angles);
        // What lower levels say anyway is not kept twice.
        ChainSettings own;
        own.tip_share = 0.5;
        own.carry = Carry::place;
        drop_what_is_said(own, merged(usual_settings("arm.left"), target.character.chains["arm.left"]));
        QVERIFY(!own.tip_share && own.carry == Carry::place);
    }
    void a_body_keeps_its_own_settings() {
        LoadedFile target = demo_body("dockhand");
        target.character.chains["arm.left"].soften_from = 0.9;
        target.character.chains["spine"].length_share = 0.25;
        const Json document = character_document(target.character);
        QCOMPARE(read_chain_table(document.at("chains"), "c").at("spine").length_share.value(), 0.25);
        // Taken back, nothing of it stays in the document it came from.
        target.character.document_text = document.dump();
        target.character.chains.clear();
        QVERIFY(!character_document(target.character).contains("chains"));
        QVERIFY_THROWS_EXCEPTION(FileError, read_chain_table(Json::array(), "c"));
        // A carry as pairings had it before levels.
        Pairing pairing;
        pairing.id = make_uuid();
        Json old = pairing_document(pairing);
        old["carry"] = {{"arm.left", "limb"}, {"leg.left", "limb"}, {"leg.right", "angles"}};
        const Pairing read = read_pairing(old, "p");
        QVERIFY(read.settings.chains.at("arm.left").carry == Carry::limb);
        QVERIFY(!read.settings.chains.contains("leg.left"));
        QVERIFY(read.settings.chains.at("leg.right").carry == Carry::angles);
        QVERIFY(!pairing_document(read).contains("carry"));
    }
    void a_plan_says_what_is_usual() {
        const BodyPlan plan = parse_body_plan(R"({"format": "nimble-bone/body-plan", "version": 1,
            "name": "crane", "extends": "biped", "chains": [{"name": "boom", "from": "spine",
            "roles": ["boom.1-3"], "set": {"carry": "place", "soften_from": 0.9}}]})");
        QVERIFY(plan.chain("boom")->usual.carry == Carry::place);
        QVERIFY(plan.chain("leg.left")->usual.carry == Carry::limb);
        QVERIFY_THROWS_EXCEPTION(
            std::invalid_argument,
            parse_body_plan(R"({"format": "nimble-bone/body-plan", "version": 1, "name": "odd",
                "extends": "biped", "chains": [{"name": "boom", "from": "spine", "roles": ["boom.1"],
                "set": {"carry": "sideways"}}]})"));
    }

    void twist_of_the_source_is_gathered() {
        // The source's upper arms and thighs leave all of their roll to a bone half way down. With gather the
        // motion is the one of the body without these bones; without it the upper arm lacks the roll.
        const SkeletonFile file = moving_body(7);
        const LoadedFile before = settled(file);
        const auto name = [&](const char* role) {
            return before.character.rig.skeleton.names[size_t(before.character.roles.joint(role))];
        };
        SkeletonFile changed = with_twist_in_limb(file, name("upperarm.left"), name("forearm.left"), 1.1);
        changed = with_twist_in_limb(changed, name("thigh.right"), name("shin.right"), -0.8);
        LoadedFile source = settled(changed);
        QCOMPARE(source.character.roles.twists.size(), size_t(2));
        const LoadedFile target = demo_body("dockhand");
        PairingSettings settings = plain();
        const TransferResult expected = carry(before, target, settings);
        const TransferResult gathered = carry(source, target, settings);
        const Difference same = difference(expected.target, gathered.target);
        QVERIFY2(same.place_m < 1e-6 && same.turn_deg < 1e-3,
                 qPrintable(QString("%1 m %2 deg").arg(same.place_m).arg(same.turn_deg)));
        settings.passes.gather = false;
        const TransferResult left = carry(source, target, settings);
        double most = 0.0;
        for (int f = 0; f < 60; ++f)
            most = std::max(most, rad_to_deg(angle_between(turn(target, expected.target, "upperarm.left", f),
                                                           turn(target, left.target, "upperarm.left", f))));
        QVERIFY2(most > 50.0 && most < 70.0, qPrintable(QString::number(most)));  // 1.1 rad = 63 degrees
    }

    void a_pole_turns_the_knee_about_the_limb() {
        const LoadedFile source = demo_take("quay-walk");
        const LoadedFile target = demo_body("dockhand");
        PairingSettings settings = plain();
        settings.passes.clear = false;  // a knee that is turned into the other leg would come out of it
        const TransferResult before = carry(source, target, settings);
        settings.chains["leg.left"].pole_rad = deg_to_rad(20.0);
        settings.chains["arm.right"].pole_rad = deg_to_rad(-35.0);  // carried by angles
        const TransferResult after = carry(source, target, settings);
        for (const auto& [start, mid, tip, degrees] :
             {std::tuple{"thigh.left", "shin.left", "foot.left", 20.0},
              std::tuple{"upperarm.right", "forearm.right", "hand.right", -35.0}})
            for (int f = 5; f < before.target.frames; f += 17) {
                const auto p = [&](const TransferResult& of, const char* role) {
                    return place(target, of.target, role, f);
                };
                QVERIFY((p(before, tip) - p(after, tip)).norm() < 1e-9);
                const Vec3 axis = (p(before, tip) - p(before, start)).normalized();
                const auto aside = [&, middle = mid, from = start](const TransferResult& of) {
                    const Vec3 v = p(of, middle) - p(of, from);
                    return Vec3(v - axis.dot(v) * axis);
                };
                if (aside(before).norm() < 0.02) continue;  // nearly straight
                const double turned =
                    std::atan2(axis.dot(aside(before).cross(aside(after))), aside(before).dot(aside(after)));
                QVERIFY2(std::abs(rad_to_deg(turned) - degrees) < 0.01,
                         qPrintable(QString("%1 at %2").arg(rad_to_deg(turned)).arg(f)));
                QVERIFY(angle_between(turn(target, before.target, tip, f),
                                      turn(target, after.target, tip, f)) < 1e-6);
            }
    }

    void a_hand_goes_to_its_place_in_the_world() {
        const LoadedFile source = demo_take("carry-crate");
        const LoadedFile target = demo_body("ferrier");
        PairingSettings settings = plain();
        settings.passes.hold = false;
        settings.chains["arm.left"].carry = Carry::place;
        settings.chains["arm.left"].start_gives = 0.0;
        const TransferResult stiff = carry(source, target, settings);
        settings.chains["arm.left"].start_gives = 1.0;
        const TransferResult giving = carry(source, target, settings);
        const double arm = arm_length(target.character.rig.skeleton, target.character.roles);
        double stiff_off = 0.0, giving_off = 0.0;
        int reached = 0;
        for (int f = 0; f < stiff.target.frames; ++f) {
            const Vec3 asked = stiff.plan.program.map(place(source, stiff.source, "hand.left", f));
            const double off = (place(target, stiff.target, "hand.left", f) - asked).norm();
            stiff_off += off;
            giving_off += (place(target, giving.target, "hand.left", f) - asked).norm();
            const double wanted = (asked - place(target, stiff.target, "upperarm.left", f)).norm();
            if (wanted > 0.95 * arm) continue;
            ++reached;
            QVERIFY2(off < 1e-9, qPrintable(QString("%1 m at %2").arg(off).arg(f)));
        }
        QVERIFY(reached > 20);
        QVERIFY2(giving_off <= stiff_off + 1e-9,
                 qPrintable(QString("%1 -> %2").arg(stiff_off).arg(giving_off)));
    }

    void a_clavicle_gives_what_the_arm_lacks() {
        // Shoulder 20 cm beside the clavicle's joint, an arm of 2 x 30 cm asked for a point 66 cm straight
        // below the shoulder: 6 cm are missing, half of them are given, so that the shoulder comes 3 cm
        // down (turned about its joint: a little less).
        const LoadedFile body = demo_body("performer");
        PairingSettings settings = plain();
        settings.chains["arm.left"].carry = Carry::limb;
        Plan plan = compile_plan(body.character, body.character, settings);
        LimbOp* op = nullptr;
        for (LimbOp& reach : plan.program.limbs)
            if (reach.limb == 2) op = &reach;
        QVERIFY(op && op->shoulder.T_clavicle >= 0);
        const Pose rest = aligned_pose(body.character.rest);
        const auto solved = [&] {
            Pose target = rest;
            solve_pose(plan.program, rest, target);
            return target;
        };
        const Vec3 before = solved().p[size_t(op->T_start)];
        op->scale = 1.2;
        op->shoulder.gives = 0.0;
        QVERIFY((solved().p[size_t(op->T_start)] - before).norm() < 1e-12);
        op->shoulder.gives = 0.5;
        const Pose given = solved();
        const Vec3 along = (rest.p[size_t(op->T_tip)] - rest.p[size_t(op->T_start)]).normalized();
        const double moved = (given.p[size_t(op->T_start)] - before).dot(along);
        const Skeleton& skeleton = body.character.rig.skeleton;
        const double arm_m =
            skeleton.path_length(op->T_start, op->T_mid) + skeleton.path_length(op->T_mid, op->T_tip);
        // The arm is level and straight: asked 1.2 of its length; the clavicle lies nearly along it and can
        // only turn, so most of what it would give is lost; never more than half of what is missing.
        QVERIFY(moved >= 0.0 && moved <= 0.5 * 0.2 * arm_m + 1e-9);
        const double clavicle =
            (rest.p[size_t(op->T_start)] - rest.p[size_t(op->shoulder.T_clavicle)]).norm();
        QVERIFY(std::abs((given.p[size_t(op->T_start)] - given.p[size_t(op->shoulder.T_clavicle)]).norm() -
                         clavicle) < 1e-12);
    }

    void lengths_follow_by_their_share() {
        // The source's left forearm grows to 1.2 of its rest within the take.
        SkeletonFile file = moving_body(11);
        LoadedFile source = settled(file);
        const int hand = source.character.roles.joint("hand.left");
        Take& take = *source.take;
        const Skeleton& skeleton = source.character.rig.skeleton;
        std::vector<Vec3> p;
        const size_t had = take.translated.size();
        for (int f = 0; f < take.frames; ++f) {
            for (const Vec3& v : take.translations(f)) p.push_back(v);
            p.push_back((1.0 + 0.2 * f / (take.frames - 1)) * skeleton.rest_p[size_t(hand)]);
        }
        QCOMPARE(take.p.size(), had * size_t(take.frames));
        take.translated.push_back(hand);
        take.p = p;
        const LoadedFile target = demo_body("dockhand");
        const double rest = length_between(target.character.rig.skeleton, target.character.roles,
                                           "forearm.left", "hand.left");
        for (const double give : {0.0, 0.5, 1.0}) {
            PairingSettings settings = plain();
            settings.chains["arm.left"].length_share = give;
            const TransferResult result = carry(source, target, settings);
            for (const int f : {0, 30, take.frames - 1}) {
                const double now = (place(target, result.target, "hand.left", f) -
                                    place(target, result.target, "forearm.left", f))
                                       .norm();
                QVERIFY(std::abs(now - rest * (1.0 + give * 0.2 * f / (take.frames - 1))) < 1e-9);
            }
            // The baked take has it, too.
            const WorldMotion baked = forward_kinematics(target.character.rig.skeleton, result.take);
            QVERIFY(difference(baked, result.target).place_m < 1e-9);
        }
    }

    void a_shoulder_rises_with_the_arm_and_the_hand_stays() {
        QCOMPARE(raised(deg_to_rad(20.0)), 0.0);
        QVERIFY(std::abs(rad_to_deg(raised(deg_to_rad(90.0))) - 55.0) < 1e-9);  // 60 less half the onset
        const LoadedFile body = demo_body("performer");
        PairingSettings settings = plain();
        settings.chains["arm.left"].shoulder_share = 1.0 / 3.0;
        const Plan plan = compile_plan(body.character, body.character, settings);
        const Plan before = compile_plan(body.character, body.character, plain());
        RestAlignment rest = body.character.rest;
        // The T-pose has arms level: 90 degrees from hanging. The elbow bends, so that the arm has length to
        // spare when its shoulder moves.
        turn_bone(body.character.rig.skeleton, body.character.roles, rest, "forearm.left",
                  exp_rotation(Vec3(0.0, deg_to_rad(-40.0), 0.0)), false);
        const Pose pose = aligned_pose(rest);
        Pose raised_pose = pose, plain_pose = pose;
        solve_pose(plan.program, pose, raised_pose);
        solve_pose(before.program, pose, plain_pose);
        const RoleMap& roles = body.character.roles;
        const size_t clavicle = size_t(roles.joint("clavicle.left"));
        const size_t hand = size_t(roles.joint("hand.left"));
        const Vec3 w = log_rotation(raised_pose.R[clavicle] * plain_pose.R[clavicle].conjugate());
        QVERIFY2(std::abs(rad_to_deg(w.z()) - 55.0 / 3.0) < 0.5,
                 qPrintable(QString::number(rad_to_deg(w.z()))));
        QVERIFY((raised_pose.p[hand] - plain_pose.p[hand]).norm() < 1e-6);
        QVERIFY(raised_pose.p[size_t(roles.joint("upperarm.left"))].y() >
                plain_pose.p[size_t(roles.joint("upperarm.left"))].y() + 0.01);
    }

    void a_run_reaches_with_its_tip() {
        // The ferrier's spine, carried by its end: the chest's end comes to where the source's is, in the
        // spine's own scale; bones keep their lengths.
        const LoadedFile source = demo_take("haul-rope");
        const LoadedFile target = demo_body("ferrier");
        PairingSettings settings = plain();
        const TransferResult before = carry(source, target, settings);
        settings.chains["spine"].carry = Carry::limb;
        const TransferResult after = carry(source, target, settings);
        QCOMPARE(after.plan.program.runs.size(), size_t(1));
        const RunOp& op = after.plan.program.runs.front();
        double off_before = 0.0, off_after = 0.0;
        for (int f = 0; f < after.target.frames; ++f) {
            const auto tip = [&](const WorldMotion& m, int joint, const Vec3& end) {
                return Vec3(m.p[m.at(f, joint)] + m.R[m.at(f, joint)] * end);
            };
            const Vec3 S =
                tip(after.source, op.S_last, op.S_end_J) - after.source.p[after.source.at(f, op.S_first)];
            const auto off = [&](const WorldMotion& m) {
                return (tip(m, op.T_joints.back(), op.T_end_J) - m.p[m.at(f, op.T_joints.front())] -
                        op.scale * S)
                    .norm();
            };
            off_before = std::max(off_before, off(before.target));
            off_after = std::max(off_after, off(after.target));
        }
        QVERIFY2(off_after < 0.002, qPrintable(QString::number(off_after)));
        QVERIFY2(off_before > 3.0 * off_after, qPrintable(QString("%1 %2").arg(off_before).arg(off_after)));
        // With source = target it is the identity.
        const TransferResult same = transfer(source.character, *source.take, source.character, settings);
        QVERIFY(difference(same.source, same.target).place_m < 1e-6);
    }

    void the_jacobian_against_kdl() {
        // A chain of four bones with a ball joint each, as three hinges about the axes. The tip moves by
        // w x r for a turn w about a joint: the columns of orocos-kdl's Jacobian.
        KDL::Chain chain;
        const std::array<double, 4> lengths{0.3, 0.25, 0.2, 0.15};
        for (const double length : lengths) {
            chain.addSegment(KDL::Segment(KDL::Joint(KDL::Joint::RotX)));
            chain.addSegment(KDL::Segment(KDL::Joint(KDL::Joint::RotY)));
            chain.addSegment(
                KDL::Segment(KDL::Joint(KDL::Joint::RotZ), KDL::Frame(KDL::Vector(0, length, 0))));
        }
        KDL::JntArray angles(12);
        for (unsigned i = 0; i < 12; ++i) angles(i) = 0.3 * std::sin(1.7 * i + 0.4);
        KDL::Jacobian jacobian(12);
        KDL::ChainJntToJacSolver solver(chain);
        QVERIFY(solver.JntToJac(angles, jacobian) >= 0);
        // The same by our own frames.
        std::vector<Vec3> places, axes;
        Quat R = Quat::Identity();
        Vec3 p = Vec3::Zero();
        for (size_t bone = 0; bone < lengths.size(); ++bone) {
            for (int axis = 0; axis < 3; ++axis) {
                const Vec3 unit = Vec3::Unit(axis);
                places.push_back(p);
                axes.emplace_back(R * unit);
                R = R * exp_rotation(angles(unsigned(3 * bone) + unsigned(axis)) * unit);
            }
            p += R * Vec3(0, lengths[bone], 0);
        }
        for (unsigned i = 0; i < 12; ++i) {
            const Vec3 ours = axes[i].cross(p - places[i]);
            for (unsigned k = 0; k < 3; ++k) QVERIFY(std::abs(ours[k] - jacobian(k, i)) < 1e-12);
        }
    }

    void a_run_starts_and_ends_where_that_is_said() {
        const LoadedFile source = demo_take("quay-walk");
        const LoadedFile target = demo_body("ferrier");
        ChainTable set;
        const auto spine = [&] {
            for (const MatchedChain& chain : match_chains(source.character, target.character, set))
                if (chain.name == "spine") return chain;
            return MatchedChain();
        };
        const MatchedChain whole = spine();
        QCOMPARE(whole.T_joints.size(), size_t(5));
        set["spine"].first = "spine.2";
        set["spine"].last = "spine.4";
        set["spine"].source_first = "spine.2";
        const MatchedChain part = spine();
        QCOMPARE(part.T_joints.size(), size_t(3));
        QCOMPARE(part.S_joints.size(), whole.S_joints.size() - 1);
        QCOMPARE(part.S_parent, whole.S_joints.front());
        set["spine"].first = "wing.7";  // names no bone of it: says nothing
        QCOMPARE(spine().T_joints.size(), size_t(4));
        // What is cut off keeps its rest.
        PairingSettings settings;
        settings.chains["spine"].first = "spine.3";
        const Plan plan = compile_plan(source.character, target.character, settings);
        const auto kind = [&](const char* role) {
            return plan.program.angles[size_t(target.character.roles.joint(role))].kind;
        };
        QVERIFY(kind("spine.1") == AngleOp::Kind::follow && kind("spine.2") == AngleOp::Kind::follow);
        QVERIFY(kind("spine.3") != AngleOp::Kind::follow && kind("chest") != AngleOp::Kind::follow);
        Pairing pairing;
        pairing.id = make_uuid();
        pairing.settings = settings;
        QVERIFY(read_pairing(pairing_document(pairing), "p").settings == settings);
    }

    void proposals_stand_until_somebody_confirms_them() {
        const LoadedFile source = demo_take("quay-walk");
        const LoadedFile target = demo_body("ferrier");
        PairingSettings settings;
        const auto propose = [&](ProposeFrom from, bool only_empty = false) {
            return propose_chains(source.character, target.character, settings.chains, from, only_empty);
        };
        const ChainTable all = propose({});
        QVERIFY(!all.empty());
        for (const auto& [chain, set] : all) {
            QVERIFY(set.is_proposed && (set.ticks || set.driven_by));
            QVERIFY(!body_plan("biped").chain(chain)->is_limb);
        }
        QVERIFY(propose({false, false, false}).empty());
        put_proposals(settings.chains, all);
        QVERIFY(propose({}, true).empty());
        // The document keeps what is not confirmed as such.
        Pairing pairing;
        pairing.id = make_uuid();
        pairing.settings = settings;
        QVERIFY(read_pairing(pairing_document(pairing), "p").settings == settings);
        // One is confirmed and stays, beside a hand-set share of another.
        const std::string kept = all.begin()->first;
        settings.chains[kept].is_proposed = false;
        QCOMPARE(withdraw_proposals(settings.chains), int(all.size()) - 1);
        QVERIFY(settings.chains.contains(kept));
        QVERIFY(!propose({}).contains(kept));
        // A chain that the source lacks takes the one beside it.
        LoadedFile no_ring = demo_body("ferrier");
        std::erase_if(no_ring.character.roles.fills,
                      [](const RoleFill& fill) { return fill.role.starts_with("ring."); });
        const ChainTable beside =
            propose_chains(no_ring.character, target.character, {}, {false, true, false}, false);
        QVERIFY(beside.contains("ring.left"));
        QVERIFY(beside.at("ring.left").driven_by == "middle.left" ||
                beside.at("ring.left").driven_by == "little.left");
    }

    // D9
    void a_stiff_spine_bends_in_its_first_joint() {
        const LoadedFile source = load_file(capture("01_01.bvh"));
        const LoadedFile target = load_file(rig("ferrier/rig.glb"));
        const RoleMap& roles = target.character.roles;
        std::vector<std::string> spine;
        for (int i = 1; i <= 8; ++i)
            if (roles.joint("spine." + std::to_string(i)) >= 0) spine.push_back("spine." + std::to_string(i));
        QVERIFY(spine.size() >= 2);
        PairingSettings settings;
        settings.passes.reach = settings.passes.gather = false;
        const WorldMotion own = carry(source, target, settings).target;
        const auto turn = [&](const WorldMotion& motion, int f, const std::string& role) {
            const int j = roles.joint(role);
            return Quat(motion.R[motion.at(f, j)] * target.character.rest.R_WJ0[size_t(j)].conjugate());
        };
        double last_off = 1e9;
        for (const double stiffness : {0.5, 1.0}) {
            settings.chains["spine"].stiffness = stiffness;
            const WorldMotion stiff = carry(source, target, settings).target;
            double off = 0.0;
            for (int f = 1; f < stiff.frames; f += 7) {
                QVERIFY(angle_between(turn(stiff, f, "chest"), turn(own, f, "chest")) < 1e-9);
                QVERIFY(angle_between(turn(stiff, f, "hips"), turn(own, f, "hips")) < 1e-9);
                for (const auto& role : spine)
                    off = std::max(off, angle_between(turn(stiff, f, role), turn(stiff, f, "chest")));
            }
            QVERIFY(off < last_off);
            last_off = off;
        }
        QVERIFY(last_off < 1e-9);  // one rod
        ChainSettings again = parse_chain_settings(chain_settings_json(settings.chains["spine"]));
        QCOMPARE(again.stiffness.value_or(0.0), 1.0);
        QVERIFY_THROWS_EXCEPTION(std::invalid_argument, parse_chain_settings({{"stiffness", 1.5}}));
    }

    void four_legs_keep_the_hock_and_paws_stand() {
        const LoadedFile source = demo_take("dog-walk");
        LoadedFile target = demo_body("quay-dog");
        const TransferResult same = carry(source, target);
        QVERIFY(same.plan.program.limbs.size() == 4 && same.plan.program.limbs.front().T_hock >= 0);
        QVERIFY(!same.contacts.list.empty() && same.corrections.held_frames > 0);
        std::set<std::string> points;
        for (const Contact& contact : same.contacts.list) points.insert(contact.point);
        QCOMPARE(points.size(), size_t(4));
        QVERIFY(points.contains("forepaw.left") && points.contains("hindpaw.right"));
        // While a paw is held it does not move.
        for (const Contact& contact : same.contacts.list) {
            const EndOp& end = same.plan.program.ends[contact_point(contact.point)->limb];
            const int from = std::max(contact.first + 1, source.take->first_motion_frame);
            const Vec3 at = end.sole.point(FootPoint::ball, same.target, from);
            for (int f = from; f < contact.last - 1; ++f)
                QVERIFY2((end.sole.point(FootPoint::ball, same.target, f) - at).norm() < 0.004,
                         qPrintable(QString("%1 at %2: %3")
                                        .arg(QString::fromStdString(contact.point))
                                        .arg(f)
                                        .arg((end.sole.point(FootPoint::ball, same.target, f) - at).norm())));
        }
    }

    void dogs_of_other_proportions_stand_on_their_paws() {
        const LoadedFile source = demo_take("dog-trot");
        LoadOptions options;
        options.is_by_hand = true;
        options.lengths = {{"legs", 1.3}, {"arms", 1.25}};
        std::vector<std::string> notes;
        const LoadedFile tall = load_character(demo("characters/quay-dog/rig.glb"),
                                               demo("characters/quay-dog/character.json"), notes, options);
        QVERIFY(tall.character.roles.is_four_legged());
        const TransferResult result = carry(source, tall);
        double worst = 0.0;
        for (const Contact& contact : result.contacts.list) {
            const EndOp& end = result.plan.program.ends[contact_point(contact.point)->limb];
            const Vec3 at = end.sole.point(FootPoint::ball, result.target, contact.first + 2);
            for (int f = contact.first + 2; f < contact.last - 2; ++f)
                worst = std::max(worst, (end.sole.point(FootPoint::ball, result.target, f) - at).norm());
        }
        QVERIFY2(worst < 0.01, qPrintable(QString::number(worst)));
        for (const Deficit& deficit : result.corrections.deficits)
            QVERIFY2(deficit.missing_m < 0.01, deficit.point.c_str());
    }
    void arms_that_hang_are_as_fore_legs_that_stand() {
        const LoadedFile walk = demo_take("quay-walk");
        const LoadedFile trot = demo_take("dog-trot");
        const LoadedFile dog = demo_body("quay-dog");
        const LoadedFile man = demo_body("dockhand");
        const auto from_hanging = [](const LoadedFile& of, const WorldMotion& motion, int frame) {
            return rad_to_deg(angle_between(
                Vec3(place(of, motion, "hand.left", frame) - place(of, motion, "upperarm.left", frame)),
                Vec3(-Vec3::UnitY())));
        };
        const TransferResult down = carry(walk, dog);
        const TransferResult up = carry(trot, man);
        for (int f = 0; f < down.target.frames; f += 20)
            QVERIFY2(from_hanging(dog, down.target, f) < from_hanging(walk, down.source, f) + 40.0,
                     qPrintable(QString::number(from_hanging(dog, down.target, f))));
        for (int f = 0; f < up.target.frames; f += 20) QVERIFY(from_hanging(man, up.target, f) < 75.0);
        QVERIFY(down.corrections.is_empty());  // a foot's sole is no paw
    }

    void seat_and_knees_are_held_by_the_hips() {
        LoadedFile source = demo_take("bollard-sit");
        const LoadedFile target = demo_body("ferrier");
        const TransferResult free = carry(source, target);
        const auto seat = [&](const TransferResult& result, int frame) {
            return Vec3(0.5 * (place(target, result.target, "thigh.left", frame) +
                               place(target, result.target, "thigh.right", frame)));
        };
        // Where it moves anyway: the most over 20 frames.
        int from = 0;
        double most = 0.0;
        for (int f = 0; f + 20 < source.take->frames; f += 10) {
            const double moved = (seat(free, f + 20) - seat(free, f)).norm();
            if (moved > most) {
                most = moved;
                from = f;
            }
        }
        QVERIFY(most > 0.01);
        source.take->contacts = free.contacts;
        source.take->contacts.is_by_hand = true;
        source.take->contacts.list.push_back({"seat", from, from + 20, ContactKind::stay, 0.5});
        const TransferResult held = carry(source, target);
        double moved = 0.0;
        for (int f = from; f < from + 20; ++f)
            moved = std::max(moved, (seat(held, f) - seat(held, from)).norm());
        QVERIFY2(moved < 0.15 * most, qPrintable(QString("%1 of %2").arg(moved).arg(most)));
        // A knee: what the hips do for it brings it to rest.
        source.take->contacts.list.back() = {"knee.right", from, from + 20, ContactKind::stay, 0.5};
        const TransferResult knee = carry(source, target);
        const auto path = [&](const TransferResult& result) {
            double sum = 0.0;
            for (int f = from + 1; f < from + 20; ++f)
                sum += (place(target, result.target, "shin.right", f) -
                        place(target, result.target, "shin.right", f - 1))
                           .norm();
            return sum;
        };
        QVERIFY2(path(knee) < 0.5 * path(free) + 1e-3,
                 qPrintable(QString("%1 of %2").arg(path(knee)).arg(path(free))));
    }
    void travel_goes_onto_the_root_bone() {
        const LoadedFile source = demo_take("quay-walk");
        const LoadedFile target = demo_body("lamp-child");
        const int root = target.character.roles.joint("root");
        const int hips = target.character.roles.joint("hips");
        QVERIFY(root >= 0);
        PairingSettings settings;
        const TransferResult plain_result = carry(source, target, settings);
        settings.has_root_track = true;
        const TransferResult result = carry(source, target, settings);
        double travel = 0.0, left_aside = 0.0, off = 0.0;
        for (int f = 0; f < result.target.frames; ++f) {
            for (int j = hips; j < result.target.joints; ++j)
                if (target.character.rig.skeleton.is_ancestor(hips, j))
                    off = std::max(off, (result.target.p[result.target.at(f, j)] -
                                         plain_result.target.p[plain_result.target.at(f, j)])
                                            .norm());
            const Vec3& at = result.target.p[result.target.at(f, root)];
            travel = std::max(travel, (at - result.target.p[result.target.at(0, root)]).norm());
            const Vec3 from_root = result.target.p[result.target.at(f, hips)] - at;
            left_aside = std::max(left_aside, std::hypot(from_root.x(), from_root.z()));
        }
        QVERIFY(off == 0.0);
        QVERIFY2(travel > 1.0 && left_aside < 0.1, qPrintable(QString("%1 %2").arg(travel).arg(left_aside)));
        // In keys: root and hips together are the motion.
        const WorldMotion baked = forward_kinematics(target.character.rig.skeleton, result.take);
        QVERIFY(difference(baked, result.target).place_m < 1e-9);
        // A rig without such a bone is as before.
        const LoadedFile rootless = demo_body("ferrier");
        QVERIFY(carry(source, rootless, settings).plan.program.body.root < 0);
        Pairing pairing;
        pairing.id = make_uuid();
        pairing.settings = settings;
        QVERIFY(read_pairing(pairing_document(pairing), "p").settings.has_root_track);
    }
    void a_take_that_is_moved_gives_the_moved_result() {
        std::vector<std::string> notes;
        const LoadedFile source = load_take(capture("01_01.bvh"), "", notes);
        const LoadedFile target = demo_body("lamp-child");
        const Rigid X{exp_rotation(0.7 * Vec3::UnitY()), Vec3(5.0, 0.0, -3.0)};
        Take moved = *source.take;
        const Skeleton& skeleton = source.character.rig.skeleton;
        for (int f = 0; f < moved.frames; ++f)
            for (size_t m = 0; m < moved.translated.size(); ++m) {
                if (skeleton.parents[size_t(moved.translated[m])] >= 0) continue;
                Vec3& p = moved.p.edit()[size_t(f) * moved.translated.size() + m];
                p = X * p;
                Quat& R = moved.R.edit()[size_t(f) * size_t(moved.joints) + size_t(moved.translated[m])];
                R = X.R * R;
            }
        const auto of = [&](const Take& take, const PairingSettings& settings) {
            return transfer(source.character, take, target.character, settings);
        };
        const PairingSettings usual;
        const TransferResult here = of(*source.take, usual), there = of(moved, usual);
        double worst = 0.0;
        for (const RoleFill& fill : target.character.roles.fills)
            for (int f = 0; f < here.target.frames && fill.role != "root"; ++f) {
                const size_t at = here.target.at(f, fill.joint);
                worst = std::max(worst, (X * here.target.p[at] - there.target.p[at]).norm());
            }
        QVERIFY2(worst < 1e-7, qPrintable(QString::number(worst)));
        // The body begins where the source begins, and the origin, or a place, is kept where that is asked.
        const int first = source.take->first_motion_frame;
        const auto centre = [first](const LoadedFile& body, const WorldMotion& motion) {
            Vec3 c = hip_centre(motion, lines_of(body.character.roles), first);
            c.y() = 0.0;
            return c;
        };
        PairingSettings bare = plain();
        const double k = here.plan.program.map.k;
        QVERIFY(std::abs(k - 1.0) > 0.2);
        const Vec3 start = centre(source, here.source);
        QVERIFY((centre(target, of(*source.take, bare).target) - start).norm() < 1e-9);
        bare.about = {MapCentre::Kind::origin};
        QVERIFY((centre(target, of(*source.take, bare).target) - k * start).norm() < 1e-9);
        bare.about = {MapCentre::Kind::place, Vec3(2.0, 0.0, 1.0)};
        const Vec3 o(2.0, 0.0, 1.0);
        QVERIFY((centre(target, of(*source.take, bare).target) - o - k * (start - o)).norm() < 1e-9);
    }
    void documents_of_before_keep_the_origin() {
        Pairing pairing;
        pairing.id = make_uuid();
        for (const MapCentre& about : {MapCentre{}, MapCentre{MapCentre::Kind::origin},
                                       MapCentre{MapCentre::Kind::place, Vec3(1.5, 0.0, -2.0)}}) {
            pairing.settings.about = about;
            const Json document = pairing_document(pairing);
            QVERIFY(read_pairing(document, "p").settings.about == about);
        }
        Json before = pairing_document(pairing);
        before.erase("about");
        QVERIFY(read_pairing(before, "p").settings.about.kind == MapCentre::Kind::origin);
        before["about"] = "the quay";
        QVERIFY_THROWS_EXCEPTION(FileError, read_pairing(before, "p"));
    }
    void a_wrist_is_held_where_that_is_said() {
        LoadedFile source = demo_take("bollard-sit");
        const LoadedFile target = demo_body("dockhand");
        const TransferResult free = carry(source, target);
        Contacts contacts = free.contacts;
        contacts.is_by_hand = true;
        const int middle = source.take->frames / 2;
        const double level = place(source, free.source, "hand.left", middle).y();
        contacts.list.push_back({"wrist.left", middle - 10, middle + 10, ContactKind::stay, level});
        tidy_contacts(contacts, source.take->frames);
        source.take->contacts = contacts;
        const TransferResult held = carry(source, target);
        const Vec3 at = place(target, held.target, "hand.left", middle - 10);
        for (int f = middle - 10; f < middle + 10; ++f)
            QVERIFY((place(target, held.target, "hand.left", f) - at).norm() < 1e-6);
        QVERIFY(std::abs(at.y() - held.plan.program.map.k * level) < 0.02);
        // That its arm points elsewhere there is no shortcoming.
        const Review review = review_result(source.character, target.character, held);
        for (const ReviewEvent& event : find_events(review, held, {}))
            QVERIFY2(event.row != "forearm.left" || event.measure != "direction", event.text.c_str());
        QVERIFY(review.find_series(ReviewMeasure::direction, "forearm.left")->values[size_t(middle)] > 0.0f);
        // Elsewhere the arm is as angles have it.
        QVERIFY(
            (place(target, held.target, "hand.left", 2) - place(target, free.target, "hand.left", 2)).norm() <
            1e-9);
    }
};

NB_TEST(SettingsTest)
}  // namespace test_settings
#include "test_settings.moc"
