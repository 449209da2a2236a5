// What single bones do otherwise than the map says: places on the bone above, helpers that follow those of the take, hands
// folded into forearms, losses on purpose. References are forward kinematics of the source and what follows from a body that
// drives itself, or itself at another size.
#include <QtTest>
#include <cmath>

#include "core/base/fault.hpp"
#include "core/body/measures.hpp"
#include "core/documents/pairing.hpp"
#include "core/forecast/bone_map.hpp"
#include "core/intake/load.hpp"
#include "tests/support/run_test.hpp"
#include "tests/support/test_rigs.hpp"

namespace test_bone_rules {

using namespace nb;
using namespace nb::test;

namespace {

constexpr const char* helper = "bulge_of_the_arm";

PairingSettings angles_alone() {
    PairingSettings settings;
    settings.passes.contacts = settings.passes.clear = settings.passes.touch = settings.passes.twist = false;
    return settings;
}

/// A body whose left upper arm carries a helper that turns and moves by itself; `moves` in the file's own metres.
SkeletonFile with_helper(std::uint64_t seed, bool moves) {
    SkeletonFile file = random_body(seed);
    file.take = random_motion(file, seed, 40);
    Skeleton& s = file.skeleton;
    const int arm = s.parents[size_t(
        s.parents[size_t(load_parsed(file, "made", "glb").character.roles.joint("hand.left"))])];
    const int joint = s.size();
    s.names.emplace_back(helper);
    s.parents.push_back(arm);
    s.rest_R.push_back(exp_rotation(Vec3(0.3, -0.2, 0.5)));
    s.rest_p.emplace_back(0.02, 0.01, -0.03);
    Take& take = file.take;
    std::vector<Quat> R;
    std::vector<Vec3> p;
    for (int f = 0; f < take.frames; ++f) {
        const double t = 0.2 * f;
        for (const Quat& one : take.rotations(f)) R.push_back(one);
        R.push_back(exp_rotation(Vec3(0.4 * std::sin(t), 0.3 * std::cos(t), 0.2 * t / 8.0)) *
                    s.rest_R.back());
        for (const Vec3& one : take.translations(f)) p.push_back(one);
        p.push_back(s.rest_p.back() +
                    (moves ? Vec3(0.01 * std::sin(t), 0.02 * std::sin(0.5 * t), 0.005) : Vec3(Vec3::Zero())));
    }
    take.joints = joint + 1;
    take.translated.push_back(joint);
    take.R = std::move(R);
    take.p = std::move(p);
    return file;
}

Rigid on_the_bone_above(const Skeleton& skeleton, const WorldMotion& motion, int frame, int joint) {
    const auto at = [&](int j) {
        return Rigid{motion.R[motion.at(frame, j)], motion.p[motion.at(frame, j)]};
    };
    return inverse(at(skeleton.parents[size_t(joint)])) * at(joint);
}

/// The same take onto a target that has no hand on the left.
LoadedFile without_left_hand(const SkeletonFile& file) {
    LoadedFile body = load_parsed(file, "made", "glb");
    RoleMap& roles = body.character.roles;
    std::erase_if(roles.fills, [](const RoleFill& fill) { return fill.role == "hand.left"; });
    return body;
}

}  // namespace

class BoneRulesTest : public QObject {
    Q_OBJECT

  private slots:
    /// A body that drives itself moves its helper as the take does: in turn and place. Twice as large: with the place twice as
    /// far off when scaled, as far off when taken.
    void a_helper_follows_that_of_the_take() {
        for (const double size : {1.0, 2.0})
            for (const BonePosition position :
                 {BonePosition::kept, BonePosition::scaled, BonePosition::taken}) {
                const SkeletonFile file = with_helper(5, true);
                const LoadedFile source = load_parsed(file, "made", "glb");
                const LoadedFile target = load_parsed(scaled(file, size), "made", "glb");
                PairingSettings settings = angles_alone();
                settings.bones[helper] = {helper, position};
                const TransferResult result = carry(source, target, settings);
                const Skeleton& skeleton = target.character.rig.skeleton;
                const int joint = skeleton.find(helper);
                for (const int f : {3, 17, 39}) {
                    const Rigid own =
                        on_the_bone_above(source.character.rig.skeleton, result.source, f, joint);
                    const Rigid now = on_the_bone_above(skeleton, result.target, f, joint);
                    QVERIFY(rad_to_deg(angle_between(own.R, now.R)) < 1e-6);
                    const Vec3 wanted = position == BonePosition::kept     ? skeleton.rest_p[size_t(joint)]
                                        : position == BonePosition::scaled ? Vec3(size * own.p)
                                                                           : own.p;
                    QVERIFY2((now.p - wanted).norm() < 1e-9,
                             qPrintable(QString::number((now.p - wanted).norm())));
                }
                const WorldMotion baked = forward_kinematics(skeleton, result.take);
                QVERIFY(difference(baked, result.target).place_m < 1e-9);
            }
    }

    /// Without a rule it is at rest; the rest of the body is the same to the bit either way.
    void a_rule_moves_its_own_bone_alone() {
        const SkeletonFile file = with_helper(9, true);
        const LoadedFile body = load_parsed(file, "made", "glb");
        const TransferResult before = carry(body, body, angles_alone());
        PairingSettings settings = angles_alone();
        settings.bones[helper] = {helper, BonePosition::scaled};
        const TransferResult after = carry(body, body, settings);
        const int joint = body.character.rig.skeleton.find(helper);
        for (int f = 0; f < before.target.frames; ++f)
            for (int j = 0; j < before.target.joints; ++j) {
                const size_t at = before.target.at(f, j);
                if (j != joint)
                    QVERIFY(before.target.R[at].coeffs() == after.target.R[at].coeffs() &&
                            before.target.p[at] == after.target.p[at]);
            }
        const Rigid still = on_the_bone_above(body.character.rig.skeleton, before.target, 20, joint);
        const RestAlignment& rest = body.character.rest;
        const size_t above = size_t(body.character.rig.skeleton.parents[size_t(joint)]);
        QVERIFY(angle_between(still.R, rest.R_WJ0[above].conjugate() * rest.R_WJ0[size_t(joint)]) < 1e-7);
    }

    /// A mapped bone that is moved in the take (a jaw, an eye, a clavicle that slides) may go along with it.
    void a_mapped_bone_moves_as_in_the_take() {
        SkeletonFile file = random_body(21);
        file.take = random_motion(file, 21, 30);
        const int joint = load_parsed(file, "made", "glb").character.roles.joint("clavicle.left");
        Take& take = file.take;
        std::vector<Vec3> p;
        for (int f = 0; f < take.frames; ++f) {
            for (const Vec3& one : take.translations(f)) p.push_back(one);
            p.push_back(file.skeleton.rest_p[size_t(joint)] + Vec3(0.0, 0.001 * f, 0.0));
        }
        take.translated.push_back(joint);
        take.p = std::move(p);
        const LoadedFile source = load_parsed(file, "made", "glb");
        const LoadedFile target = load_parsed(scaled(file, 1.5), "made", "glb");
        PairingSettings settings = angles_alone();
        settings.bones["clavicle.left"].position = BonePosition::scaled;
        const TransferResult result = carry(source, target, settings);
        const Rigid own = on_the_bone_above(source.character.rig.skeleton, result.source, 29, joint);
        const Rigid now = on_the_bone_above(target.character.rig.skeleton, result.target, 29, joint);
        QVERIFY((now.p - 1.5 * own.p).norm() < 1e-9);
    }

    void rules_that_do_nothing_are_told() {
        const LoadedFile body = load_parsed(with_helper(5, false), "made", "glb");
        PairingSettings settings = angles_alone();
        settings.bones["no_such_bone"] = {"", BonePosition::taken};
        settings.bones["hips"] = {"", BonePosition::taken};
        settings.bones[helper] = {"nor_this", BonePosition::kept};
        const Plan plan = compile_plan(body.character, body.character, settings);
        const auto is_told = [&](const char* words) {
            return std::any_of(
                plan.report.notes.begin(), plan.report.notes.end(),
                [&](const std::string& note) { return note.find(words) != std::string::npos; });
        };
        QVERIFY(is_told("has no bone no_such_bone"));
        QVERIFY(is_told("hips moves the whole body"));
        QVERIFY(is_told("has no bone nor_this"));
    }

    /// Forearm and hand as one bone: it points from the elbow to the hand's end, and rolls as the hand does.
    void a_hand_is_folded_into_the_forearm() {
        SkeletonFile file = random_body(31);
        file.take = random_motion(file, 31, 60);
        const LoadedFile source = load_parsed(file, "made", "glb");
        const LoadedFile target = without_left_hand(file);
        PairingSettings settings = angles_alone();
        settings.chains["arm.left"].folds_hand = true;
        const TransferResult result = carry(source, target, settings);
        const RoleMap& roles = source.character.roles;
        const int forearm = roles.joint("forearm.left"), hand = roles.joint("hand.left");
        const RestAlignment& rest = source.character.rest;
        Vec3 end;
        QVERIFY(find_bone_end(source.character.rig.skeleton, roles, "hand.left", aligned_pose(rest), end));
        const Vec3 end_J = rest.R_WJ0[size_t(hand)].conjugate() * Vec3(end - rest.p_WJ0[size_t(hand)]);
        const Vec3 along0 = (end - rest.p_WJ0[size_t(forearm)]).normalized();
        double most_bend = 0.0;
        for (int f = 0; f < result.source.frames; ++f) {
            const size_t h = result.source.at(f, hand), e = result.source.at(f, forearm);
            const Vec3 along =
                (result.source.p[h] + result.source.R[h] * end_J - result.source.p[e]).normalized();
            const Quat Q = result.target.R[result.target.at(f, forearm)] *
                           target.character.rest.R_WJ0[size_t(forearm)].conjugate();
            QVERIFY(rad_to_deg(angle_between(Vec3(Q * along0), along)) < 1e-5);
            // Of the hand's own turn only the way to that direction is missing: no roll about it.
            const Quat Q_hand = result.source.R[h] * rest.R_WJ0[size_t(hand)].conjugate();
            QVERIFY(std::abs(log_rotation(Q * Q_hand.conjugate()).dot(along)) < 0.5);
            most_bend = std::max(most_bend, angle_between(Vec3(Q_hand * along0), along));
        }
        QVERIFY(most_bend > deg_to_rad(3.0));
        const TransferResult lost = carry(source, target, angles_alone());
        QVERIFY(difference(lost.target, result.target).turn_deg > 1.0);
        const auto says = [](const TransferResult& of, const char* words) {
            return std::any_of(
                of.plan.report.notes.begin(), of.plan.report.notes.end(),
                [&](const std::string& note) { return note.find(words) != std::string::npos; });
        };
        QVERIFY(says(result, "folded into the forearm") && !says(lost, "folded into the forearm"));
        QVERIFY(bone_map(source.character, target.character, result.plan).count(SourceBone::Fate::forgotten) <
                bone_map(source.character, target.character, lost.plan).count(SourceBone::Fate::forgotten));
    }

    void what_is_lost_on_purpose_is_not_told_again() {
        SkeletonFile file = random_body(31);
        file.take = random_motion(file, 31, 10);
        const LoadedFile source = load_parsed(file, "made", "glb");
        const LoadedFile target = without_left_hand(file);
        PairingSettings settings = angles_alone();
        const auto map = [&] {
            const Plan plan = compile_plan(source.character, target.character, settings);
            return std::pair{bone_map(source.character, target.character, plan), plan.report.notes.size()};
        };
        const auto [before, notes_before] = map();
        const int lost = before.count(SourceBone::Fate::forgotten);
        QVERIFY(lost > 0);
        for (const SourceBone& bone : before.sources)
            if (bone.fate == SourceBone::Fate::forgotten) settings.lost.insert(bone.role);
        const auto [after, notes_after] = map();
        QCOMPARE(after.count(SourceBone::Fate::forgotten), 0);
        QCOMPARE(after.count(SourceBone::Fate::given_up), lost);
        QVERIFY(notes_after < notes_before);
        QVERIFY(bone_map_csv(after).find("lost on purpose") != std::string::npos);
    }

    void documents_keep_them() {
        Pairing pairing;
        pairing.id = "a";
        pairing.source_id = "b";
        pairing.target_id = "c";
        pairing.settings.bones["jaw"] = {"", BonePosition::taken};
        pairing.settings.bones[helper] = {"their_bulge", BonePosition::scaled};
        pairing.settings.lost = {"toe.left", "toe.right"};
        pairing.settings.chains["arm.left"].folds_hand = true;
        pairing.settings.chains["arm.left"].trunk_gives = 0.5;
        const Json document = pairing_document(pairing);
        const Pairing again = read_pairing(document, "p");
        QVERIFY(again.settings == pairing.settings);
        Json broken = document;
        broken["bones"]["jaw"]["position"] = "moved";
        QVERIFY_THROWS_EXCEPTION(FileError, read_pairing(broken, "p"));
        broken = document;
        broken["lost"] = Json::array({3});
        QVERIFY_THROWS_EXCEPTION(FileError, read_pairing(broken, "p"));
        broken = document;
        broken["bones"]["jaw"] = 5;
        QVERIFY_THROWS_EXCEPTION(FileError, read_pairing(broken, "p"));
    }
};

NB_TEST(BoneRulesTest)
}  // namespace test_bone_rules
#include "test_bone_rules.moc"
