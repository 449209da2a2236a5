// The demo crew and what it does: unlike bodies of human make, takes whose contacts are right by
// construction, a walk of published timing, and what the simulator says of them held against the motion
// itself.
#include <QFileInfo>
#include <QtTest>
#include <map>
#include <set>

#include "core/base/fault.hpp"
#include "core/base/files.hpp"
#include "core/body/measures.hpp"
#include "core/documents/pairing.hpp"
#include "core/library/library.hpp"
#include "core/motion/kinematics.hpp"
#include "tests/support/run_test.hpp"
#include "tests/support/test_rigs.hpp"

namespace test_demo_library {

using namespace nb;

namespace {

LoadedFile take_of(const std::string& name) {
    std::vector<std::string> notes;
    LoadedFile loaded = load_take(test::demo("takes/" + name + ".take.json"), "", notes);
    if (!notes.empty()) throw FileError(name, notes[0], "");
    return loaded;
}
LoadedFile body_of(const std::string& name) {
    std::vector<std::string> notes;
    return load_character(test::demo("characters/" + name + "/rig.glb"),
                          test::demo("characters/" + name + "/character.json"), notes);
}
const std::vector<std::string> people{"performer", "dockhand", "ferrier", "lamp-child", "net-mender"};
const std::vector<std::string> takes{"quay-walk",      "mole-steps",  "haul-rope",   "carry-crate",
                                     "lantern-signal", "bollard-sit", "weary-watch", "boat-leap",
                                     "limbering",      "dog-walk",    "dog-trot"};

}  // namespace

class DemoLibraryTest : public QObject {
    Q_OBJECT

  private slots:
    void everybody_is_whole_small_and_unlike_the_others() {
        std::set<std::string> names;
        for (const std::string& who : people) {
            const LoadedFile body = body_of(who);
            const Character& c = body.character;
            QVERIFY2(c.roles.missing.empty() && c.roles.unsure().empty(), who.c_str());
            QVERIFY2(QFileInfo(QString::fromStdString(c.rig.path)).size() < 1500 * 1000, who.c_str());
            QVERIFY2(c.rig.meshes.size() == 1 && c.rig.meshes[0].positions.size() > 3000, who.c_str());
            names.insert(c.rig.skeleton.names[size_t(c.roles.joint("hips"))]);
        }
        QCOMPARE(names.size(), people.size());
        QCOMPARE(body_of("quay-dog").character.roles.plan, std::string("quadruped"));
    }

    /// Neighbouring segments stand to each other as in the published table (Drillis & Contini, in Winter,
    /// Biomechanics and Motor Control of Human Movement; from memory), however long the limbs: thigh .245,
    /// shank .246, upper arm .186, forearm .146 of stature.
    void limbs_are_of_human_make() {
        for (const std::string& who : people) {
            const LoadedFile body = body_of(who);
            const auto length = [&](const char* from, const char* to) {
                return length_between(body.character.rig.skeleton, body.character.roles, from, to);
            };
            const double leg = length("thigh.left", "shin.left") / length("shin.left", "foot.left");
            const double arm = length("upperarm.left", "forearm.left") / length("forearm.left", "hand.left");
            QVERIFY2(std::abs(leg - 0.245 / 0.246) < 0.01, who.c_str());
            QVERIFY2(std::abs(arm - 0.186 / 0.146) < 0.01, who.c_str());
        }
    }

    void every_take_says_what_it_is() {
        std::set<int> rates;
        for (const std::string& name : takes) {
            const LoadedFile loaded = take_of(name);
            QVERIFY2(loaded.character.roles.missing.empty(), name.c_str());
            rates.insert(int(std::lround(loaded.take->nominal_fps())));
            for (const StagePiece& piece : loaded.pieces)
                if (!piece.joint.empty())
                    QVERIFY2(loaded.character.rig.skeleton.find(piece.joint) >= 0, name.c_str());
        }
        QCOMPARE(rates, (std::set<int>{60, 120}));
        // One starts with a reference pose of its own.
        QCOMPARE(take_of("lantern-signal").take->first_motion_frame, 1);
    }

    /// Level walking: a foot stands about 60 % of its cycle (Perry, Gait Analysis; from memory).
    void in_the_walk_a_foot_stands_sixty_percent() {
        std::map<std::string, std::vector<std::pair<int, int>>> stands;
        for (const test::Label& span : test::labels_of("quay-walk")) {
            auto& own = stands[span.limb];
            if (!own.empty() && own.back().second == span.first)
                own.back().second = span.last;  // heel, sole and ball are one stance
            else
                own.emplace_back(span.first, span.last);
        }
        std::vector<double> shares;
        for (const auto& [limb, own] : stands)
            for (size_t i = 2; i + 2 < own.size(); ++i)  // not the first and last steps
                shares.push_back(double(own[i].second - own[i].first) / (own[i + 1].first - own[i].first));
        QVERIFY(shares.size() >= 6);
        const double mean = std::accumulate(shares.begin(), shares.end(), 0.0) / double(shares.size());
        qInfo("stance share %.1f %%", 100 * mean);
        QVERIFY2(std::abs(mean - 0.60) < 0.02, qPrintable(QString::number(mean)));
    }

    /// Where the labels say a sole stands, ankle and ball do not move; where they say a ball stands, the ball
    /// does not.
    void labelled_feet_stand_still_data() {
        QTest::addColumn<QString>("name");
        for (const auto* name :
             {"quay-walk", "mole-steps", "carry-crate", "lantern-signal", "bollard-sit", "boat-leap"})
            QTest::newRow(name) << QString(name);
    }
    void labelled_feet_stand_still() {
        QFETCH(QString, name);
        const LoadedFile loaded = take_of(name.toStdString());
        const WorldMotion world = forward_kinematics(loaded.character.rig.skeleton, *loaded.take);
        double worst = 0.0;
        for (const test::Label& span : test::labels_of(name.toStdString())) {
            if (span.limb.starts_with("hand") || span.point == "heel") continue;
            for (const std::string& role : {"foot." + span.limb, "toe." + span.limb}) {
                if (span.point == "ball" && role.starts_with("foot")) continue;
                const int joint = loaded.character.roles.joint(role);
                for (int f = span.first; f < span.last; ++f)
                    worst = std::max(
                        worst, (world.p[world.at(f, joint)] - world.p[world.at(span.first, joint)]).norm());
            }
        }
        qInfo("%s: %.2f mm", qPrintable(name), 1000 * worst);
        QVERIFY2(worst < 0.004, qPrintable(QString::number(worst)));
    }

    /// In flight nothing stands, and the hips fall as a thrown body does: g T^2 / 8 from where they leave.
    void a_leap_falls_by_gravity() {
        const LoadedFile loaded = take_of("boat-leap");
        const WorldMotion world = forward_kinematics(loaded.character.rig.skeleton, *loaded.take);
        const size_t hips = size_t(loaded.character.roles.joint("hips"));
        int lift = 0, land = world.frames;
        for (const test::Label& span : test::labels_of("boat-leap")) {
            if (span.first == 0 || span.point == "ball") lift = std::max(lift, span.last);
            if (span.point == "heel") land = std::min(land, span.first);
        }
        QVERIFY(land - lift > 40);
        double most = 0.0;
        const double dt = loaded.take->frame_time_s;
        for (int f = lift + 2; f < land - 2; ++f) {
            const auto y = [&](int g) { return world.p[world.at(g, int(hips))].y(); };
            most = std::max(most, std::abs((y(f + 1) - 2 * y(f) + y(f - 1)) / (dt * dt) + 9.81));
        }
        // The file says 0.0001 cm: over 1/120 s that is 0.03 m/s^2 of noise.
        QVERIFY2(most < 0.1, qPrintable(QString::number(most)));
    }

    /// What the shipped touch-ups are for: a leap made higher, with feet where they stood; a brow that is reached.
    void shipped_touch_ups_do_what_they_are_for() {
        const auto pairing = [](const char* body) {
            const std::string path = test::demo(std::string("pairings/performer-") + body + ".json");
            return read_pairing(read_document(path, "pairing"), path).settings;
        };
        const auto joint_at = [](const WorldMotion& motion, const Character& body, const char* role, int f) {
            return motion.p[motion.at(f, body.roles.joint(role))];
        };
        const LoadedFile leap = take_of("boat-leap"), ferrier = body_of("ferrier");
        const TransferResult low = test::carry(leap, ferrier);
        const TransferResult high = test::carry(leap, ferrier, pairing("ferrier"));
        const int top = int(std::lround(1.97 / leap.take->frame_time_s));
        const double higher = joint_at(high.target, ferrier.character, "hips", top).y() -
                              joint_at(low.target, ferrier.character, "hips", top).y();
        QVERIFY2(std::abs(higher - 0.22 * high.plan.program.map.k) < 0.01,
                 qPrintable(QString::number(higher)));
        for (const char* foot : {"foot.left", "foot.right"})
            for (const int f : {0, 120, 200, 280, 500})
                QVERIFY((joint_at(high.target, ferrier.character, foot, f) -
                         joint_at(low.target, ferrier.character, foot, f))
                            .norm() < 1e-6);

        // The child looks up while it shades its eyes, at no other time, and the hand on its brow goes along.
        const LoadedFile watch = take_of("weary-watch"), child = body_of("lamp-child");
        const PairingSettings looking = pairing("lamp-child");
        QVERIFY(looking.passes.touch);
        PairingSettings plain = looking;
        plain.take_touches.clear();
        const TransferResult up = test::carry(watch, child, looking);
        const TransferResult ahead = test::carry(watch, child, plain);
        const int head = child.character.roles.joint("head");
        const auto turned = [&](int f) {
            return rad_to_deg(
                angle_between(up.target.R[up.target.at(f, head)], ahead.target.R[ahead.target.at(f, head)]));
        };
        const auto hand_on_head = [&](const TransferResult& result, int f) {
            return Vec3(result.target.R[result.target.at(f, head)].conjugate() *
                        Vec3(joint_at(result.target, child.character, "hand.right", f) -
                             result.target.p[result.target.at(f, head)]));
        };
        QVERIFY2(std::abs(turned(320) - 14.0) < 0.5, qPrintable(QString::number(turned(320))));
        QVERIFY(turned(200) < 1e-6);
        const double apart = (hand_on_head(up, 320) - hand_on_head(ahead, 320)).norm();
        QVERIFY2(apart < 0.02, qPrintable(QString::number(apart)));
    }

    /// Held: the crate rests in the hands, from the moment the labels say so to the moment they stop.
    void the_crate_stays_in_the_hands() {
        const LoadedFile loaded = take_of("carry-crate");
        const Skeleton& skeleton = loaded.character.rig.skeleton;
        const WorldMotion world = forward_kinematics(skeleton, *loaded.take);
        const int crate = skeleton.find("crate");
        for (const test::Label& span : test::labels_of("carry-crate")) {
            if (!span.limb.starts_with("hand")) continue;
            const int hand = loaded.character.roles.joint(span.limb);
            QVERIFY(span.last - span.first > 600);
            Vec3 first = Vec3::Zero();
            for (int f = span.first; f < span.last; ++f) {
                const Vec3 seen = world.R[world.at(f, crate)].conjugate() *
                                  (world.p[world.at(f, hand)] - world.p[world.at(f, crate)]);
                if (f == span.first) first = seen;
                QVERIFY2((seen - first).norm() < 0.006,
                         qPrintable(QString("frame %1: %2 m").arg(f).arg((seen - first).norm())));
            }
        }
    }

    /// Somebody who stands is in balance: the centre of mass lies over the feet. Shares of the body's mass:
    /// Winter, Biomechanics and Motor Control of Human Movement (from memory).
    void who_stands_is_in_balance() {
        const std::vector<std::tuple<const char*, const char*, double>> segments{
            {"hips", "chest", .30},
            {"chest", "head", .20},
            {"head", "head", .081},
            {"upperarm.left", "forearm.left", .028},
            {"forearm.left", "hand.left", .022},
            {"upperarm.right", "forearm.right", .028},
            {"forearm.right", "hand.right", .022},
            {"thigh.left", "shin.left", .100},
            {"shin.left", "foot.left", .061},
            {"thigh.right", "shin.right", .100},
            {"shin.right", "foot.right", .061}};
        for (const auto* name : {"lantern-signal", "weary-watch", "haul-rope"}) {
            const LoadedFile loaded = take_of(name);
            const WorldMotion world = forward_kinematics(loaded.character.rig.skeleton, *loaded.take);
            const auto place = [&](int f, const std::string& role) {
                return world.p[world.at(f, loaded.character.roles.joint(role))];
            };
            for (int f = 1; f < world.frames; f += 10) {
                Vec3 centre = Vec3::Zero();
                double mass = 0.0;
                for (const auto& [from, to, share] : segments) {
                    centre += share * 0.5 * (place(f, from) + place(f, to));
                    mass += share;
                }
                centre /= mass;
                // The feet from heel (5.5 cm behind the ankle) to ball, and 5 cm to either side.
                Vec3 low = Vec3::Constant(1e9), high = Vec3::Constant(-1e9);
                for (const std::string side : {".left", ".right"})
                    for (const Vec3& p : {place(f, "foot" + side), place(f, "toe" + side)}) {
                        low = low.cwiseMin(p - Vec3(0.05, 0, 0.055));
                        high = high.cwiseMax(p + Vec3(0.05, 0, 0.055));
                    }
                QVERIFY2(
                    centre.x() > low.x() && centre.x() < high.x() && centre.z() > low.z() &&
                        centre.z() < high.z(),
                    qPrintable(
                        QString("%1, frame %2: %3 %4").arg(name).arg(f).arg(centre.x()).arg(centre.z())));
            }
        }
    }

    /// The dog's paws stand where they are put; at the walk two to four carry it, at the trot two or none.
    void paws_stand_still_and_gaits_differ() {
        for (const bool trots : {false, true}) {
            const std::string name = trots ? "dog-trot" : "dog-walk";
            const LoadedFile loaded = take_of(name);
            const WorldMotion world = forward_kinematics(loaded.character.rig.skeleton, *loaded.take);
            std::vector<int> down(size_t(world.frames), 0);
            double worst = 0.0;
            for (const test::Label& span : test::labels_of(name)) {
                const std::string side = span.limb.substr(span.limb.find('.'));
                // Paws have no role in front: the joint below the hand.
                const int hand =
                    loaded.character.roles.joint((span.limb.starts_with("fore") ? "hand" : "toe") + side);
                int paw = hand;
                if (span.limb.starts_with("fore"))
                    for (int j = 0; j < loaded.character.rig.skeleton.size(); ++j)
                        if (loaded.character.rig.skeleton.parents[size_t(j)] == hand) paw = j;
                for (int f = span.first; f < span.last; ++f) {
                    ++down[size_t(f)];
                    worst = std::max(worst,
                                     (world.p[world.at(f, paw)] - world.p[world.at(span.first, paw)]).norm());
                }
            }
            qInfo("%s: paws move %.2f mm", name.c_str(), 1000 * worst);
            QVERIFY2(worst < 0.004, qPrintable(QString::number(worst)));
            const auto [least, most] = std::minmax_element(down.begin(), down.end());
            QVERIFY(trots ? *least == 0 && *most == 2 : *least >= 2 && *most <= 4);
        }
    }
};

NB_TEST(DemoLibraryTest)
}  // namespace test_demo_library
#include "test_demo_library.moc"
