// Motion onto bodies whose tree is not the body's: limbs in pieces, hands that hang on an animator's goal,
// thighs beside the hips, spines that run both ways, limbs of one bone. What must hold is held against the
// file's own tree: the baked keys, run through forward kinematics of the skeleton as it is in the file.
#include <QtTest>

#include "core/body/carried.hpp"
#include "core/math/rotation.hpp"
#include "core/motion/kinematics.hpp"
#include "tests/support/run_test.hpp"
#include "tests/support/strangers.hpp"
#include "tests/support/test_rigs.hpp"

namespace test_carried {

using namespace nb;
using test::StrangerNames;

namespace {

/// The first body of the grammar with a trait, read as any file is.
struct Found {
    test::Stranger stranger;
    LoadedFile file;
};
Found find(const std::vector<std::string>& traits, std::uint64_t first = 3'500'000) {
    for (std::uint64_t seed = first; seed < first + 4000; ++seed) {
        test::Stranger s = test::make_stranger(seed, StrangerNames::telling);
        bool has_all = s.plan == "biped" && s.what.find("hunched") == std::string::npos &&
                       s.what.find("crouched") == std::string::npos &&
                       s.what.find("sitting") == std::string::npos &&
                       s.what.find("mid-stride") == std::string::npos;
        for (const auto& trait : traits) has_all = has_all && s.what.find(trait) != std::string::npos;
        if (!has_all) continue;
        SkeletonFile file;
        file.skeleton = s.skeleton;
        file.meshes = s.meshes;
        return {s, load_parsed(std::move(file), "stranger", "bvh")};
    }
    qFatal("no such body");
}

/// The baked take on the file's own tree gives the places the solve has.
double bake_error(const TransferResult& result, const Skeleton& skeleton) {
    const WorldMotion baked = forward_kinematics(skeleton, result.take);
    double worst = 0.0;
    for (int f = 0; f < baked.frames; ++f)
        for (int j = 0; j < baked.joints; ++j)
            worst =
                std::max(worst, (baked.p[baked.at(f, j)] - result.target.p[result.target.at(f, j)]).norm());
    return worst;
}

/// Largest change of where b stands, seen from a, m and degrees.
std::pair<double, double> wander(const WorldMotion& motion, int a, int b) {
    const auto seen = [&](int f) {
        const Quat R = motion.R[motion.at(f, a)].conjugate();
        return std::pair{Vec3(R * Vec3(motion.p[motion.at(f, b)] - motion.p[motion.at(f, a)])),
                         Quat(R * motion.R[motion.at(f, b)])};
    };
    double place = 0.0, turn = 0.0;
    const auto first = seen(0);
    for (int f = 0; f < motion.frames; ++f) {
        const auto now = seen(f);
        place = std::max(place, (now.first - first.first).norm());
        turn = std::max(turn, rad_to_deg(now.second.angularDistance(first.second)));
    }
    return {place, turn};
}

}  // namespace

class CarriedTest : public QObject {
    Q_OBJECT

    LoadedFile walk_ = test::demo_take("quay-walk");

  private slots:
    /// An upper arm in two pieces turns as one: no bend between them in any frame, and the second piece takes
    /// the share of the turn about the bone that the list says (half; common practice).
    void a_limb_in_pieces_turns_as_one() {
        const Found body = find({"arm bones in 2", "rest A"});
        const Character& c = body.file.character;
        const TransferResult result = test::carry(walk_, body.file);
        const Pose rest = rest_pose(c.rig.skeleton);
        int checked = 0;
        for (const TwistBone& piece : c.roles.twists) {
            if (role_part(piece.role) != "upperarm" && role_part(piece.role) != "forearm") continue;
            const int first = c.roles.joint(piece.role);
            const std::string next = role_part(piece.role) == "upperarm" ? "forearm" : "hand";
            const int end = c.roles.joint(next + std::string(side_suffix(role_side(piece.role))));
            QVERIFY(c.rig.skeleton.is_ancestor(first, piece.joint) &&
                    c.rig.skeleton.is_ancestor(piece.joint, end));
            QVERIFY2(std::abs(piece.share - 0.5) < 0.02, piece.role.c_str());
            ++checked;
            const Vec3 axis_J = (rest.R[size_t(piece.joint)].conjugate() *
                                 Vec3(rest.p[size_t(end)] - rest.p[size_t(piece.joint)]))
                                    .normalized();
            double most_bend = 0.0;
            for (int f = 0; f < result.target.frames; ++f) {
                const auto at = [&](int j) { return result.target.p[result.target.at(f, j)]; };
                most_bend = std::max(most_bend, rad_to_deg(angle_between(at(piece.joint) - at(first),
                                                                         at(end) - at(piece.joint))));
            }
            const double at_rest =
                rad_to_deg(angle_between(rest.p[size_t(piece.joint)] - rest.p[size_t(first)],
                                         rest.p[size_t(end)] - rest.p[size_t(piece.joint)]));
            QVERIFY2(std::abs(most_bend - at_rest) < 1e-3, qPrintable(QString::number(most_bend)));
            QVERIFY(!axis_J.isZero());
        }
        QCOMPARE(checked, 4);
        QVERIFY(bake_error(result, c.rig.skeleton) < 1e-6);
    }

    /// Hands that hang on goal bones keep their place and turn on the forearm's end in every frame; their
    /// fingers follow; the file's tree gives the same from the keys.
    void hands_on_goals_follow_the_arms() {
        const Found body = find({"hands hang on their goals"});
        const Character& c = body.file.character;
        QCOMPARE(c.roles.followers.size(), size_t(2));
        const TransferResult result = test::carry(walk_, body.file);
        for (const FollowerBone& far : c.roles.followers) {
            const auto [place, turn] = wander(result.target, c.roles.joint(far.role), far.joint);
            QVERIFY2(place < 1e-9 && turn < 1e-5, far.role.c_str());
            QVERIFY(c.roles.joint("index.1" + std::string(side_suffix(role_side(far.role)))) >= 0);
        }
        QVERIFY(bake_error(result, c.rig.skeleton) < 1e-6);
        // Solved in their own tree they would have stayed behind.
        const auto [moved, turned] = wander(result.target, c.roles.joint("hips"), c.roles.followers[0].joint);
        QVERIFY(moved > 0.05);
    }

    void thighs_beside_the_hips_go_with_them() {
        const Found body = find({"thighs and hips side by side on the root", "rest T"});
        const Character& c = body.file.character;
        const int hips = c.roles.joint("hips");
        const int thigh = c.roles.joint("thigh.left");
        QVERIFY(!c.rig.skeleton.is_ancestor(hips, thigh));
        const TransferResult result = test::carry(walk_, body.file);
        const Skeleton carried = carried_skeleton(c.rig.skeleton, c.roles);
        QVERIFY(carried.is_ancestor(hips, thigh));
        double place = 0.0;
        const double apart = carried.path_length(hips, thigh);
        for (int f = 0; f < result.target.frames; ++f)
            place = std::max(place, std::abs((result.target.p[result.target.at(f, thigh)] -
                                              result.target.p[result.target.at(f, hips)])
                                                 .norm() -
                                             apart));
        QVERIFY2(place < 1e-9, qPrintable(QString::number(place)));
        QVERIFY(bake_error(result, c.rig.skeleton) < 1e-6);
    }

    /// A spine from which hips hang: the whole body travels, no bone changes its length.
    void a_spine_that_runs_both_ways_travels_whole() {
        const Found body = find({"spine runs both ways", "rest T"}, 3'600'000);
        const Character& c = body.file.character;
        const Skeleton& s = c.rig.skeleton;
        const int hips = c.roles.joint("hips");
        const int head = c.roles.joint("head");
        QVERIFY(!s.is_ancestor(hips, head));
        QCOMPARE(body_top(s, c.roles), s.common_ancestor(hips, head));
        const TransferResult result = test::carry(walk_, body.file);
        for (int j = 0; j < s.size(); ++j) {
            const int parent = s.parents[size_t(j)];
            if (parent < 0 || !s.is_ancestor(body_top(s, c.roles), parent)) continue;
            for (int f = 0; f < result.target.frames; f += 7)
                QVERIFY(std::abs((result.target.p[result.target.at(f, j)] -
                                  result.target.p[result.target.at(f, parent)])
                                     .norm() -
                                 s.rest_p[size_t(j)].norm()) < 1e-9);
        }
        const auto travel = [&](int j) {
            return (result.target.p[result.target.at(result.target.frames - 1, j)] -
                    result.target.p[result.target.at(1, j)])
                .norm();
        };
        QVERIFY(travel(head) > 1.0 && std::abs(travel(head) - travel(hips)) < 0.2);
        QVERIFY(bake_error(result, s) < 1e-6);
    }

    /// A limb of one bone is carried by its direction, and what is missing is told.
    void limbs_of_one_bone_are_carried_by_their_direction() {
        const Found arms = find({"arms of one bone", "rest A"}, 3'700'000);
        const TransferResult result = test::carry(walk_, arms.file);
        const Character& c = arms.file.character;
        const int arm = c.roles.joint("upperarm.left");
        QVERIFY(arm >= 0 && c.roles.joint("forearm.left") < 0);
        Vec3 end;
        QVERIFY(find_bone_end(c.rig.skeleton, c.roles, "upperarm.left", rest_pose(c.rig.skeleton), end));
        const Vec3 own_J = rest_pose(c.rig.skeleton).R[size_t(arm)].conjugate() *
                           Vec3(end - rest_pose(c.rig.skeleton).p[size_t(arm)]);
        const Character& S = walk_.character;
        const int S_arm = S.roles.joint("upperarm.left");
        const int S_elbow = S.roles.joint("forearm.left");
        double worst = 0.0;
        for (int f = 1; f < result.target.frames; ++f) {
            const Vec3 there =
                result.source.p[result.source.at(f, S_elbow)] - result.source.p[result.source.at(f, S_arm)];
            worst = std::max(
                worst, rad_to_deg(angle_between(result.target.R[result.target.at(f, arm)] * own_J, there)));
        }
        QVERIFY2(worst < 0.5, qPrintable(QString::number(worst)));
        bool is_told = false;
        for (const std::string& note : result.plan.report.notes)
            is_told |= note.find("forearm") != std::string::npos;
        QVERIFY(is_told);

        const Found legs = find({"legs of one bone", "rest A"}, 3'800'000);
        const TransferResult walked = test::carry(walk_, legs.file);
        QVERIFY(bake_error(walked, legs.file.character.rig.skeleton) < 1e-6);
        for (const Vec3& p : walked.target.p) QVERIFY(p.allFinite());
    }

    /// The order of joints changes only where it must, and keeps names, places and meshes together.
    void joints_are_put_in_an_order_in_which_carriers_come_first() {
        int reordered = 0;
        for (std::uint64_t seed = 3'900'000; seed < 3'900'000 + 400; ++seed) {
            const test::Stranger s = test::make_stranger(seed, StrangerNames::telling);
            if (s.what.find("hands hang on their goals") == std::string::npos) continue;
            SkeletonFile file;
            file.skeleton = s.skeleton;
            file.meshes = s.meshes;
            const LoadedFile loaded = load_parsed(std::move(file), "stranger", "bvh");
            const Skeleton& now = loaded.character.rig.skeleton;
            reordered += now.names != s.skeleton.names;
            const Pose before = rest_pose(s.skeleton);
            const double unit = loaded.character.rig.conventions.unit_m;
            for (int j = 0; j < now.size(); ++j) {
                QVERIFY(now.parents[size_t(j)] < j);
                const int old = s.skeleton.find(now.names[size_t(j)]);
                if (old < 0) continue;
                QVERIFY(std::abs(now.rest_p[size_t(j)].norm() -
                                 unit * s.skeleton.rest_p[size_t(old)].norm()) < 1e-6 ||
                        now.parents[size_t(j)] < 0);
            }
            for (const Carried& carried : find_carried(now, loaded.character.roles))
                QVERIFY(carried.by < carried.joint);
            QCOMPARE(find_carried(now, loaded.character.roles).size() >= 2, true);
        }
        QVERIFY(reordered > 0);
    }
};

NB_TEST(CarriedTest)
}  // namespace test_carried
#include "test_carried.moc"
