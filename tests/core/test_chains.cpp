// Chains: matching along unlike counts by hand-worked cases, ticks, what is left out, the share of a tip's
// place; the bone map and the forecast against what is put in; the two-bone reach against orocos-kdl's
// iterative solver.
#include <QtTest>

#include <kdl/chain.hpp>
#include <kdl/chainfksolverpos_recursive.hpp>
#include <kdl/chainiksolverpos_lma.hpp>

#include "core/base/fault.hpp"
#include "core/base/uuid.hpp"
#include "core/chain/match.hpp"
#include "core/documents/pairing.hpp"
#include "core/forecast/bone_map.hpp"
#include "core/library/library.hpp"
#include "core/solve/passes.hpp"
#include "tests/support/run_test.hpp"
#include "tests/support/test_rigs.hpp"

namespace test_chains {

using namespace nb;
using namespace nb::test;

namespace {

bool is_sample(const ChainSample& sample, int a, int b, double u) {
    return sample.a == a && sample.b == b && std::abs(sample.u - u) < 1e-9;
}

const BoneMapRow* row_of(const BoneMap& map, const std::string& role) {
    for (const BoneMapRow& row : map.rows)
        if (row.role == role) return &row;
    return nullptr;
}

}  // namespace

class ChainsTest : public QObject {
    Q_OBJECT

  private slots:
    void unlike_counts_by_hand() {
        // Two bones of 1 onto four of 0.5: ends at a quarter, half ... of the way; knots of the source at
        // half and whole. The first lies half between the parent and bone 0.
        const auto four = match_chain({1, 1}, {0.5, 0.5, 0.5, 0.5});
        QVERIFY(is_sample(four[0], -1, 0, 0.5) && is_sample(four[1], 0, 0, 0));
        QVERIFY(is_sample(four[2], 0, 1, 0.5) && is_sample(four[3], 1, 1, 0));
        // Several onto one: it ends with the last one's rotation (common practice).
        QVERIFY(is_sample(match_chain({1, 1, 1}, {2})[0], 2, 2, 0));
        // A bone of no length adds no knot.
        QVERIFY(is_sample(match_chain({1, 0, 1}, {1, 1})[0], 0, 0, 0));
        QVERIFY(is_sample(match_chain({}, {1, 1})[1], -1, -1, 0));
    }
    void a_tick_splits_the_chain() {
        // Three of 1 onto four of 1, the target's second joint matched to the source's first: it takes bone 0
        // whole, the one before it half of that, the one after it a third of the way from 1/3 to 1, at
        // bone 1.
        const auto samples = match_chain({1, 1, 1}, {1, 1, 1, 1}, {{0, 1}});
        QVERIFY(is_sample(samples[0], -1, 0, 0.5));
        QVERIFY(is_sample(samples[1], 0, 0, 0.0));
        QVERIFY(is_sample(samples[2], 1, 1, 0.0));
        QVERIFY(is_sample(samples[3], 2, 2, 0.0));
        // A tick on equal counts takes the place of bone by bone.
        const auto even = match_chain({1, 1, 1}, {1, 1, 1}, {{1, 0}});
        QVERIFY(is_sample(even[0], 1, 1, 0.0) && is_sample(even[2], 2, 2, 0.0));
        QVERIFY(is_sample(even[1], 1, 2, 0.5));
    }
    void ticks_reach_the_motion() {
        // The net-mender's second spine bone, matched to the performer's first: it turns as that one does.
        const LoadedFile source = demo_take("quay-walk");
        const LoadedFile target = demo_body("net-mender");
        PairingSettings settings;
        settings.chains["spine"].ticks.emplace().emplace_back("spine.1", "spine.2");
        const TransferResult matched = carry(source, target, settings);
        const TransferResult proposed = carry(source, target);
        const int S = source.character.roles.joint("spine.1");
        const int T = target.character.roles.joint("spine.2");
        double largest = 0.0;
        for (int f = 0; f < source.take->frames; f += 5) {
            const Quat Q_S = matched.source.R[matched.source.at(f, S)] *
                             source.character.rest.R_WJ0[size_t(S)].conjugate();
            const Quat Q_T = matched.target.R[matched.target.at(f, T)] *
                             target.character.rest.R_WJ0[size_t(T)].conjugate();
            QVERIFY(rad_to_deg(angle_between(Q_S, Q_T)) < 1e-6);
            largest = std::max(largest, angle_between(matched.target.R[matched.target.at(f, T)],
                                                      proposed.target.R[proposed.target.at(f, T)]));
        }
        QVERIFY(rad_to_deg(largest) > 0.5);
    }
    void what_is_left_out_keeps_its_rest() {
        const LoadedFile source = demo_take("quay-walk");
        const LoadedFile target = demo_body("dockhand");
        PairingSettings settings;
        settings.chains["arm.left"].is_left_out = true;
        const TransferResult result = carry(source, target, settings);
        const int arm = target.character.roles.joint("upperarm.left");
        const int parent = target.character.rig.skeleton.parents[size_t(arm)];
        const auto& R0 = target.character.rest.R_WJ0;
        for (int f = 0; f < source.take->frames; f += 20)
            QVERIFY(angle_between(Quat(result.target.R[result.target.at(f, parent)].conjugate() *
                                       result.target.R[result.target.at(f, arm)]),
                                  Quat(R0[size_t(parent)].conjugate() * R0[size_t(arm)])) < 1e-9);
        const BoneMap map = bone_map(source.character, target.character, result.plan);
        QCOMPARE(row_of(map, "upperarm.left")->how, Driven::left_out);
        QVERIFY(map.count(SourceBone::Fate::left_out) >= 3);
    }
    void one_chain_drives_another() {
        // A hand without a ring finger can be moved by its middle finger.
        std::vector<std::string> notes;
        const LoadedFile source = load_take(demo("takes/limbering.take.json"), "", notes);
        const LoadedFile target = demo_body("net-mender");
        PairingSettings settings;
        settings.chains["ring.left"].driven_by = "middle.left";
        const Plan plan = compile_plan(source.character, target.character, settings);
        const BoneMap map = bone_map(source.character, target.character, plan);
        QCOMPARE(row_of(map, "ring.1.left")->from,
                 source.character.rig.skeleton.names[size_t(source.character.roles.joint("middle.1.left"))]);
        QVERIFY(row_of(map, "ring.1.left")->evidence.find("by hand") != std::string::npos);
    }
    void half_of_a_tips_place() {
        // Between angles (0) and the tip's place (1) the wrist moves evenly, contacts aside.
        const LoadedFile source = demo_take("quay-walk");
        const LoadedFile target = demo_body("ferrier");
        const auto wrist = [&](std::optional<double> share) {
            PairingSettings settings;
            settings.chains["arm.left"].carry = share ? Carry::limb : Carry::angles;
            if (share) settings.chains["arm.left"].tip_share = *share;
            const TransferResult r = carry(source, target, settings);
            return Vec3(r.target.p[r.target.at(150, target.character.roles.joint("hand.left"))]);
        };
        const Vec3 by_angles = wrist({});
        QVERIFY((wrist(0.0) - by_angles).norm() < 1e-6);
        QVERIFY((wrist(0.5) - 0.5 * (by_angles + wrist(1.0))).norm() < 1e-4);
    }
    void the_map_says_what_drives_what() {
        const LoadedFile source = load_file(capture("01_01.bvh"));
        const LoadedFile target = demo_body("ferrier");
        const Plan plan = compile_plan(source.character, target.character, {});
        const BoneMap map = bone_map(source.character, target.character, plan);
        QCOMPARE(map.rows.size(), target.character.rig.skeleton.names.size());
        QCOMPARE(map.sources.size(), source.character.roles.fills.size());
        // Every bone is in one class; what is driven names its driver and why.
        int all = 0;
        for (const Driven how :
             {Driven::alone, Driven::between, Driven::twist, Driven::rest, Driven::left_out, Driven::outside})
            all += map.count(how);
        QCOMPARE(all, int(map.rows.size()));
        for (const BoneMapRow& row : map.rows)
            QVERIFY((row.how == Driven::alone || row.how == Driven::between) == !row.from.empty());
        const BoneMapRow* thigh = row_of(map, "thigh.left");
        QCOMPARE(source.character.rig.skeleton.find(thigh->from), source.character.roles.joint("thigh.left"));
        QVERIFY(!thigh->evidence.empty());
        const std::string csv = bone_map_csv(map);
        QVERIFY(std::count(csv.begin(), csv.end(), '\n') >= int(map.rows.size()) + 1);
        QVERIFY(csv.starts_with("bone,role,chain,how,from"));
    }
    void the_forecast_says_what_was_put_in() {
        // Arms 20 % longer than the body's legs ask for: told, with the centimetres.
        const LoadedFile source = demo_take("quay-walk");
        std::vector<std::string> notes;
        LoadOptions longer;
        longer.lengths = {{"arms", 1.2}};
        const LoadedFile same = load_file(demo("takes/quay-walk.bvh"));
        const LoadedFile target = load_file(demo("takes/quay-walk.bvh"), longer);
        const auto arms_of = [](const std::vector<Expectation>& expected) {
            for (const Expectation& e : expected)
                if (e.text.starts_with("arms")) return e.text;
            return std::string();
        };
        const Plan plan = compile_plan(source.character, target.character, {});
        const std::string text = arms_of(forecast(source.character, target.character, plan));
        QVERIFY2(text.find("120 %") != std::string::npos && text.find("beyond") != std::string::npos,
                 text.c_str());
        QVERIFY(arms_of(forecast(source.character, same.character,
                                 compile_plan(source.character, same.character, {})))
                    .empty());
    }
    // B19, C12
    void what_a_body_lacks_is_told_in_few_words() {
        const LoadedFile source = demo_take("quay-walk");
        LoadedFile target = load_file(demo("takes/quay-walk.bvh"));
        const auto lines = [&] {
            std::vector<std::string> told;
            for (const std::string& line :
                 partner_lines(compile_plan(source.character, target.character, {}).report.partners))
                told.push_back(line.substr(line.find(" has no ") + 8));
            return told;
        };
        QVERIFY(lines().empty());
        RoleMap& roles = target.character.roles;
        const auto take_away = [&](const std::function<bool(const std::string&)>& which) {
            std::erase_if(roles.fills, [&](const RoleFill& fill) { return which(fill.role); });
            update_role_lists(target.character.rig.skeleton, roles);
        };
        take_away([](const std::string& role) { return role == "hand.left" || role == "hand.right"; });
        // A hand without anything behind it is lost; a clavicle's turn goes on to the arm.
        QCOMPARE(
            lines(),
            (std::vector<std::string>{"hand on either side: nothing follows it, so its motion is lost"}));
        take_away([](const std::string& role) { return role == "clavicle.left"; });
        QCOMPARE(lines().size(), size_t(2));
        const auto both = lines();
        QVERIFY(std::find(both.begin(), both.end(), "clavicle.left: its motion goes on to what follows") !=
                both.end());
        // Fingers the take does not have, in one word a hand.
        const LoadedFile with_fingers = load_file(test::demo("characters/dockhand/rig.glb"));
        std::string all;
        for (const std::string& line :
             partner_lines(compile_plan(source.character, with_fingers.character, {}).report.partners))
            all += line + '\n';
        QVERIFY2(all.find("fingers on either side: at rest on the hand") != std::string::npos, all.c_str());
        QVERIFY2(all.find("index") == std::string::npos, all.c_str());
    }
    void chains_in_a_pairing_document() {
        Pairing pairing;
        pairing.id = make_uuid();
        pairing.settings.chains["spine"].ticks.emplace().emplace_back("spine.1", "spine.2");
        pairing.settings.chains["leg.left"].tip_share = 0.5;
        pairing.settings.chains["leg.left"].soften_from = 0.9;
        pairing.settings.chains["ring.left"].is_left_out = true;
        pairing.settings.chains["ring.left"].driven_by = "middle.left";
        ChainSettings& arm = pairing.settings.takes["a take"]["arm.right"];
        arm.carry = Carry::place;
        arm.pole_rad = deg_to_rad(-12.5);
        arm.start_gives = 0.25;
        arm.length_share = 1.0;
        arm.shoulder_share = 0.33;
        const Json document = pairing_document(pairing);
        const Pairing back = read_pairing(document, "p");
        QVERIFY(back.settings.chains == pairing.settings.chains);
        QVERIFY(back.settings.takes.at("a take").at("arm.right").carry == Carry::place);
        QVERIFY(std::abs(*back.settings.takes.at("a take").at("arm.right").pole_rad - *arm.pole_rad) < 1e-12);
        QCOMPARE(format_document(pairing_document(back)), format_document(document));
        // Taken back by hand it leaves no trace.
        Pairing none = back;
        none.settings.chains.clear();
        QVERIFY(!pairing_document(none).contains("chains"));
        for (const auto& [key, value] : std::map<std::string, Json>{{"tip_share", 3.0},
                                                                    {"soften_from", 0.1},
                                                                    {"driven_by", "tentacle"},
                                                                    {"ticks", "all"},
                                                                    {"carry", "hand"},
                                                                    {"pole_deg", 200.0},
                                                                    {"give", -0.1}}) {
            Json broken = document;
            broken["chains"]["spine"][key] = value;
            QVERIFY_THROWS_EXCEPTION(FileError, read_pairing(broken, "p"));
        }
        Json unknown = document;
        unknown["chains"]["tentacle"] = Json::object();
        QVERIFY_THROWS_EXCEPTION(FileError, read_pairing(unknown, "p"));
    }
    void two_bones_against_an_iterative_solver() {
        // orocos-kdl's Levenberg-Marquardt solver on a planar chain of the same two bones finds the same
        // knee: the turn that our closed form gives puts the tip at the same distance.
        const double upper = 0.43, lower = 0.41;
        KDL::Chain chain;
        chain.addSegment(KDL::Segment(KDL::Joint(KDL::Joint::RotX), KDL::Frame(KDL::Vector(0, -upper, 0))));
        chain.addSegment(KDL::Segment(KDL::Joint(KDL::Joint::RotX), KDL::Frame(KDL::Vector(0, -lower, 0))));
        KDL::ChainFkSolverPos_recursive forward(chain);
        Eigen::Matrix<double, 6, 1> weights;
        weights << 1, 1, 1, 0, 0, 0;  // the tip's place alone
        KDL::ChainIkSolverPos_LMA solver(chain, weights, 1e-10, 1000, 1e-15);
        for (const double distance : {0.2, 0.45, 0.7, 0.8, 0.835}) {
            const double knee =
                bend_for_distance(Vec3(0, -upper, 0), Vec3(0, -lower, 0), Vec3::UnitX(), distance);
            const Vec3 tip = Vec3(0, -upper, 0) + exp_rotation(knee * Vec3::UnitX()) * Vec3(0, -lower, 0);
            QVERIFY(std::abs(tip.norm() - distance) < 1e-12);
            // By hand: the law of cosines.
            const double worked =
                pi - std::acos((upper * upper + lower * lower - distance * distance) / (2 * upper * lower));
            QVERIFY(std::abs(knee - worked) < 1e-9);
            KDL::JntArray start(2), found(2);
            start(1) = 0.5;
            QVERIFY(solver.CartToJnt(start, KDL::Frame(KDL::Vector(tip.x(), tip.y(), tip.z())), found) >= 0);
            KDL::Frame reached;
            forward.JntToCart(found, reached);
            QVERIFY((reached.p - KDL::Vector(tip.x(), tip.y(), tip.z())).Norm() < 1e-8);
            QVERIFY2(std::abs(std::abs(found(1)) - knee) < 1e-6,
                     qPrintable(QString("%1: %2 against %3").arg(distance).arg(found(1)).arg(knee)));
        }
    }
};

NB_TEST(ChainsTest)
}  // namespace test_chains
#include "test_chains.moc"
