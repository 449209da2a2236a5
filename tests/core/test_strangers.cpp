// Bodies nobody here made, drawn from a grammar (tests/support/strangers.hpp): what is read rightly with
// names and without, how sure, what lies in the tray, and how a wrong limb is mended by giving one bone.
// Prints the table. Seeds from `kept_out_stranger_seed` on were never looked at one by one.
#include <QtTest>
#include <cstdio>
#include <numeric>

#include "core/body/names.hpp"
#include "core/body/propose.hpp"
#include "tests/support/run_test.hpp"
#include "tests/support/stranger_score.hpp"
#include "tests/support/test_rigs.hpp"

namespace test_strangers {

using namespace nb;
using test::StrangerNames;

namespace {

constexpr int bodies = 500;

/// A straight arm in pieces beside a plain body: shoulder, elbow and wrist lie anywhere on it.
struct StraightArms {
    Skeleton skeleton;
    std::vector<int> arm;  ///< left: clavicle, then the joints to the hand
};

StraightArms straight_arms(const std::vector<double>& pieces) {
    StraightArms body;
    Skeleton& s = body.skeleton;
    const auto add = [&](const std::string& name, int parent, const Vec3& offset) {
        s.names.push_back(name);
        s.parents.push_back(parent);
        s.rest_R.push_back(Quat::Identity());
        s.rest_p.push_back(offset);
        return s.size() - 1;
    };
    const int hips = add("b0", -1, {0, 0.95, 0});
    const int spine = add("b1", hips, {0, 0.15, 0});
    const int chest = add("b2", spine, {0, 0.2, 0});
    const int neck = add("b3", chest, {0, 0.25, 0});
    const int head = add("b4", neck, {0, 0.08, 0.01});
    s.end_sites.push_back({head, {0, 0.2, 0}});
    int count = 5;
    for (const double x : {1.0, -1.0}) {
        const int thigh = add("b" + std::to_string(count++), hips, {0.09 * x, -0.03, 0});
        const int shin = add("b" + std::to_string(count++), thigh, {0, -0.43, 0.01});
        const int foot = add("b" + std::to_string(count++), shin, {0, -0.42, -0.02});
        const int toe = add("b" + std::to_string(count++), foot, {0, -0.05, 0.14});
        s.end_sites.push_back({toe, {0, 0, 0.06}});
        int last = add("b" + std::to_string(count++), chest, {0.03 * x, 0.18, 0});
        if (x > 0) body.arm.push_back(last);
        last = add("b" + std::to_string(count++), last, {0.15 * x, 0, 0});
        if (x > 0) body.arm.push_back(last);
        for (const double piece : pieces) {
            last = add("b" + std::to_string(count++), last, {piece * x, 0, 0});
            if (x > 0) body.arm.push_back(last);
        }
        s.end_sites.push_back({last, {0.15 * x, 0, 0}});
    }
    return body;
}

/// The arm's joints turn as said, about the vertical, the rest stands still.
std::vector<JointMotion> moving(const Skeleton& s, const std::map<int, double>& by_joint) {
    Take take;
    take.frames = 100;
    take.joints = s.size();
    for (int f = 0; f < take.frames; ++f)
        for (int j = 0; j < s.size(); ++j) {
            const auto at = by_joint.find(j);
            take.R.edit().push_back(at == by_joint.end()
                                        ? Quat::Identity()
                                        : exp_rotation(at->second * std::sin(0.2 * f) * Vec3::UnitY()));
        }
    return measure_motion(s, take);
}

}  // namespace

class StrangersTest : public QObject {
    Q_OBJECT

  private slots:
    /// The bars. Worst body with names off: 80 % is asked; about one body in 800 is worse (a clavicle as long
    /// as the upper arm, straight arms in pieces beside wings). What is reached is held.
    void the_table() {
        std::printf("%s", test::table_head().c_str());
        for (const auto& [set, seed] :
             {std::pair{"tuned", test::tuned_seed}, std::pair{"kept out", test::kept_out_stranger_seed}}) {
            const test::StrangerRun off = test::run_strangers(seed, bodies, StrangerNames::off);
            const test::StrangerRun on = test::run_strangers(seed, bodies, StrangerNames::telling);
            std::printf("%s%s", test::table_line(std::string(set) + " names off", off).c_str(),
                        test::table_line(std::string(set) + " names on", on).c_str());
            std::fflush(stdout);
            QVERIFY(off.all.body_share() >= 0.97);
            QVERIFY(on.all.body_share() >= 0.995);
            QVERIFY(off.worst >= 0.65);
            QVERIFY(on.worst >= 0.95);
            QVERIFY(off.all.finger_share() >= 0.90);
            QVERIFY(on.all.finger_share() >= 0.98);
            QCOMPARE(off.all.swapped, 0);
            QCOMPARE(on.all.swapped, 0);
            QVERIFY(double(off.all.sure_right) >= 0.99 * off.all.sure);
            QVERIFY(double(on.all.sure_right) >= 0.995 * on.all.sure);
            QVERIFY(off.all.sure >
                    0.85 * double(std::accumulate(off.all.shown.begin(), off.all.shown.end(), 0)));
        }
    }

    /// Where names say left and the feet say right, the body's sides are taken, shown as unsure, and told.
    void exchanged_sides_are_told() {
        int told = 0;
        for (std::uint64_t seed = 1; seed <= 60; ++seed) {
            const test::Stranger stranger = test::make_stranger(3'000'000 + seed, StrangerNames::misleading);
            if (!stranger.is_facing_known || !stranger.joint_of_role.contains("toe.left")) continue;
            const RoleMap map = test::read_stranger(stranger);
            const RoleFill* thigh = map.fill("thigh.left");
            QVERIFY2(thigh && thigh->is_unsure(), stranger.what.c_str());
            for (const std::string& note : map.notes)
                told += note.find("other way round") != std::string::npos;
        }
        QVERIFY(told > 40);
    }

    /// The grammar's grown-ups against the published segment table: Drillis & Contini, in Winter,
    /// Biomechanics and Motor Control of Human Movement (from memory): thigh .245, shank .246, upper arm
    /// .186, forearm .146 of stature. A made-up body may be a fifth off, their mean a tenth.
    void grown_ups_are_as_the_table_has_them() {
        std::map<std::string, std::pair<double, int>> sum;
        for (std::uint64_t seed = 1; seed <= 400; ++seed) {
            const test::Stranger s = test::make_stranger(3'100'000 + seed, StrangerNames::off);
            const auto has = [&](const char* trait) { return s.what.find(trait) != std::string::npos; };
            if (s.plan != "biped" || has("child") || has("giant") || has("cartoon") || has("of one bone"))
                continue;
            const auto length = [&](const char* a, const char* b) {
                return s.skeleton.path_length(s.joint_of_role.at(a), s.joint_of_role.at(b));
            };
            const double leg = length("thigh.left", "shin.left") + length("shin.left", "foot.left");
            for (const auto& [part, a, b] : {std::tuple{"thigh", "thigh.left", "shin.left"},
                                             std::tuple{"shin", "shin.left", "foot.left"},
                                             std::tuple{"upperarm", "upperarm.left", "forearm.left"},
                                             std::tuple{"forearm", "forearm.left", "hand.left"}}) {
                auto& of = sum[part];
                of.first += length(a, b) / leg * 0.491;
                ++of.second;
            }
        }
        const std::map<std::string, double> table{
            {"thigh", 0.245}, {"shin", 0.246}, {"upperarm", 0.186}, {"forearm", 0.146}};
        for (const auto& [part, share] : table) {
            QVERIFY(sum[part].second > 50);
            const double mean = sum[part].first / sum[part].second;
            QVERIFY2(std::abs(mean / share - 1.0) < 0.1,
                     qPrintable(QString::fromStdString(part + " %1").arg(mean)));
        }
    }

    /// Give the knee: the rest of the leg and the other leg follow. On bodies whose legs are in pieces, with
    /// the roles of both legs moved on by one as a wrong reading has them.
    void a_given_knee_mends_both_legs() {
        int wrong = 0, mended = 0;
        for (std::uint64_t seed = 1; seed <= 300; ++seed) {
            const test::Stranger s = test::make_stranger(3'200'000 + seed, StrangerNames::off);
            if (s.what.find("leg bones in 2") == std::string::npos || s.plan != "biped" ||
                !s.is_facing_known || !s.joint_of_role.contains("shin.left"))
                continue;
            RoleMap map = test::read_stranger(s);
            for (const auto* side : {".left", ".right"}) {
                const std::string own(side);
                const int shin = s.joint_of_role.at("shin" + own);
                const int piece = s.skeleton.parents[size_t(shin)];
                const int foot = s.joint_of_role.at("foot" + own);
                const int lower = s.skeleton.parents[size_t(foot)];
                for (RoleFill& fill : map.fills) {
                    if (fill.role == "shin" + own) fill.joint = piece;
                    if (fill.role == "foot" + own) fill.joint = shin;
                    if (fill.role == "toe" + own) fill.joint = lower;
                }
            }
            ++wrong;
            RoleRequest request;
            request.skin = measure_skin(s.skeleton, s.meshes);
            const RoleMap after = give_and_follow(s.skeleton, map, request,
                                                  {{"shin.left", s.joint_of_role.at("shin.left")}}, true);
            QCOMPARE(after.joint("shin.left"), s.joint_of_role.at("shin.left"));
            QVERIFY(after.fill("shin.left")->is_by_hand);
            bool is_right = true;
            for (const auto* part : {"thigh", "shin", "foot"})
                for (const auto* side : {".left", ".right"})
                    is_right = is_right && test::is_right(s, std::string(part) + side,
                                                          after.joint(std::string(part) + side));
            mended += is_right;
            // On one side alone the other stays as it was.
            const RoleMap one = give_and_follow(s.skeleton, map, request,
                                                {{"shin.left", s.joint_of_role.at("shin.left")}}, false);
            QCOMPARE(one.joint("shin.right"), map.joint("shin.right"));
        }
        std::printf("legs moved on by one %d, mended by one knee %d\n", wrong, mended);
        QVERIFY(wrong >= 20);
        QVERIFY(mended >= wrong - 1);
    }

    /// What was confirmed stands when everything is solved again, and a role that was given is never moved.
    void solving_again_keeps_what_was_given() {
        const test::Stranger s = test::make_stranger(3'300'001, StrangerNames::off);
        RoleMap map = test::read_stranger(s);
        RoleRequest request;
        request.skin = measure_skin(s.skeleton, s.meshes);
        for (RoleFill& fill : map.fills)
            if (fill.role == "head" || fill.role == "thigh.left") fill.is_by_hand = true;
        const RoleMap again = propose_again(s.skeleton, map, request);
        for (const auto* role : {"head", "thigh.left"}) {
            QCOMPARE(again.joint(role), map.joint(role));
            QVERIFY(again.fill(role)->is_by_hand);
        }
        for (const RoleFill& fill : map.fills)
            QVERIFY2(again.joint(fill.role) == fill.joint, fill.role.c_str());
    }

    /// Straight arms of three pieces of which nothing at rest says where the elbow is: a take does.
    void a_take_says_where_the_elbow_is() {
        const StraightArms body = straight_arms({0.16, 0.10, 0.15});
        const std::vector<int>& arm = body.arm;  // clavicle, shoulder, two joints, hand
        std::map<int, int> mirror;
        for (const size_t elbow : {size_t(2), size_t(3)}) {
            RoleRequest request;
            std::map<int, double> moves{{arm[1], 0.7}, {arm[elbow], 0.9}, {arm[4], 0.3}};
            for (const auto& [joint, by] : std::map<int, double>(moves))
                moves[joint + int(arm[4]) - int(arm[0]) + 5] = by;
            request.motion = moving(body.skeleton, moves);
            const RoleMap map = propose_roles(body.skeleton, request);
            QCOMPARE(map.joint("upperarm.left"), arm[1]);
            QCOMPARE(map.joint("forearm.left"), arm[elbow]);
            QCOMPARE(map.joint("hand.left"), arm[4]);
        }
    }

    /// The tray says what other bones are: by name, and for the main kinds by place.
    void the_tray_has_the_right_word() {
        const std::map<std::string, std::vector<std::string>> words{
            {"twist", {"twist"}},
            {"control", {"control", "hand"}},
            {"end", {"end", "twist"}},
            {"wrapper", {"wrapper", "prop", "helper"}},
            {"prop", {"prop", "weapon"}},
            {"face", {"face", "ear", "hair", "jaw"}},
            {"helper",
             {"helper", "skirt", "cape", "wing", "strap", "bust", "heel", "pelvis", "foot", "palm", "hair"}}};
        int right = 0, all = 0;
        std::map<std::string, int> wrong;
        for (std::uint64_t seed = 1; seed <= 150; ++seed) {
            const test::Stranger s = test::make_stranger(3'400'000 + seed, StrangerNames::telling);
            const RoleMap map = test::read_stranger(s);
            for (const Unassigned& free : map.unassigned) {
                const auto expected = s.tray.find(free.joint);
                if (expected == s.tray.end()) continue;
                ++all;
                const bool is_right =
                    std::any_of(words.at(expected->second).begin(), words.at(expected->second).end(),
                                [&](const std::string& word) { return free.reason.starts_with(word); });
                right += is_right;
                if (!is_right)
                    ++wrong[expected->second + " -> " + free.reason.substr(0, free.reason.find(':')) + " " +
                            s.skeleton.names[size_t(free.joint)]];
            }
        }
        std::printf("tray: %d of %d with the right word\n", right, all);
        std::vector<std::pair<int, std::string>> most;
        for (const auto& [what, times] : wrong) most.emplace_back(times, what);
        std::sort(most.rbegin(), most.rend());
        for (size_t i = 0; i < std::min<size_t>(6, most.size()); ++i)
            std::printf("  %d x %s\n", most[i].first, most[i].second.c_str());
        QVERIFY(right > 0.95 * all);
    }

    /// One word for several bones of a limb, shared prefixes, fingers by number: names against the body.
    void names_are_read_as_series() {
        const auto table = [](const std::vector<std::string>& names, const std::vector<int>& parents) {
            Skeleton s;
            s.names = names;
            s.parents = parents;
            s.rest_R.assign(names.size(), Quat::Identity());
            s.rest_p.assign(names.size(), Vec3(0, 0.1, 0));
            return NameTable(s, false);
        };
        const NameTable arms = table({"l arm", "l arm1", "l arm2", "l hand"}, {-1, 0, 1, 2});
        for (int j = 0; j < 3; ++j)
            for (const auto* part : {"clavicle", "upperarm", "forearm"})
                QCOMPARE(arms.fit(part_index(part), j), 0.6);
        const NameTable prefixed = table({"control_hips", "control_spine", "control_neck", "control_head",
                                          "control_hand_l", "control_foot_l", "control_foot_r"},
                                         {-1, 0, 1, 2, 1, 0, 0});
        for (int j = 0; j < 7; ++j) QVERIFY(prefixed.helper(j).empty());
        QVERIFY(prefixed.fit(part_index("head"), 3) > 0.9);
        const NameTable fingers =
            table({"hand", "finger0", "finger01", "finger1", "finger11", "finger2"}, {-1, 0, 1, 0, 3, 0});
        QVERIFY(fingers.fit(part_index("thumb"), 2) > 0.8);
        QVERIFY(fingers.fit(part_index("index"), 4) > 0.8);
        QVERIFY(fingers.fit(part_index("middle"), 5) > 0.8);
        const NameTable links = table({"hand", "finger1", "finger2", "finger3"}, {-1, 0, 1, 2});
        QVERIFY(links.fit(part_index("thumb"), 1) < 0.5);
        const NameTable pieces =
            table({"thigh_L_a", "thigh_L_b", "index.01.L.01", "index.01.L.02"}, {-1, 0, 1, 2});
        QVERIFY(pieces.has_piece_mark(1));
        QVERIFY(pieces.has_piece_mark(3));
    }
};

NB_TEST(StrangersTest)
}  // namespace test_strangers
#include "test_strangers.moc"
