// How far joints turn beside what people's do: worked by hand on bodies of the crew, whose own axes are unlike.
#include <QtTest>

#include "core/review/bars.hpp"
#include "core/review/events.hpp"
#include "core/review/ranges.hpp"
#include "core/solve/keep_within.hpp"
#include "tests/support/run_test.hpp"
#include "tests/support/test_rigs.hpp"

namespace test_ranges {

using namespace nb;

namespace {

/// The aligned stance, with a role and all below it turned about a world axis.
std::vector<Quat> turned(const Character& body, const std::string& role, const Vec3& axis, double deg) {
    std::vector<Quat> R = body.rest.R_WJ0;
    const int joint = body.roles.joint(role);
    for (int j = 0; j < body.rig.skeleton.size(); ++j)
        if (body.rig.skeleton.is_ancestor(joint, j))
            R[size_t(j)] = exp_rotation(deg_to_rad(deg) * axis) * R[size_t(j)];
    return R;
}

double angle_of(const Character& body, const std::string& role, const std::vector<Quat>& R,
                std::string_view way) {
    const auto angles = joint_angles_deg(body, role, R);
    for (size_t i = 0; i < joint_ranges.size(); ++i)
        if (joint_ranges[i].part == role_part(role) && joint_ranges[i].way == way) return angles[i];
    return -1.0;
}

}  // namespace

class RangesTest : public QObject {
    Q_OBJECT

  private slots:
    void angles_are_those_of_the_handbook_data() {
        QTest::addColumn<QString>("role");
        QTest::addColumn<QString>("way");
        QTest::addColumn<QList<double>>("axis");
        const auto row = [](const char* role, const char* way, double x, double y, double z) {
            QTest::newRow(qPrintable(QString("%1 %2").arg(role, way)))
                << role << way << QList<double>{x, y, z};
        };
        // Arms out, palms down, facing +z, left is +x; turns are right-handed.
        row("forearm.left", "bends", 0, -1, 0);
        row("forearm.right", "bends", 0, 1, 0);
        row("forearm.left", "bends backward", 0, 1, 0);
        row("shin.left", "bends", 1, 0, 0);
        row("shin.right", "bends forward", -1, 0, 0);
        row("hand.left", "bends down", 0, 0, -1);
        row("hand.right", "bends down", 0, 0, 1);
        row("hand.left", "bends up", 0, 0, 1);
        row("hand.left", "leans to the thumb", 0, -1, 0);
        row("hand.right", "leans to the little finger", 0, -1, 0);
        row("upperarm.left", "goes back", 0, 1, 0);
        row("upperarm.left", "turns in", 1, 0, 0);
        row("upperarm.right", "turns in", 1, 0, 0);
        row("upperarm.right", "turns out", -1, 0, 0);
        row("thigh.left", "goes forward", -1, 0, 0);
        row("thigh.right", "goes back", 1, 0, 0);
        row("thigh.left", "goes out", 0, 0, 1);
        row("thigh.right", "goes out", 0, 0, -1);
        row("thigh.right", "goes in", 0, 0, 1);
        row("thigh.left", "turns out", 0, 1, 0);
        row("thigh.right", "turns out", 0, -1, 0);
        row("head", "bends down", 1, 0, 0);
        row("head", "leans left", 0, 0, -1);
        row("head", "turns left", 0, 1, 0);
        row("head", "turns right", 0, -1, 0);
    }
    void angles_are_those_of_the_handbook() {
        QFETCH(QString, role);
        QFETCH(QString, way);
        QFETCH(QList<double>, axis);
        for (const char* name : {"dockhand", "ferrier", "lamp-child", "net-mender"}) {
            const LoadedFile body = test::demo_body(name);
            const Vec3 about(axis[0], axis[1], axis[2]);
            for (const double deg : {5.0, 30.0, 65.0}) {
                const double is =
                    angle_of(body.character, role.toStdString(),
                             turned(body.character, role.toStdString(), about, deg), way.toStdString());
                QVERIFY2(std::abs(is - deg) < 1e-6, qPrintable(QString("%1: %2").arg(name).arg(is)));
            }
            // Turned the other way it is none.
            QCOMPARE(angle_of(body.character, role.toStdString(),
                              turned(body.character, role.toStdString(), about, -30.0), way.toStdString()),
                     0.0);
        }
    }

    void a_turned_body_has_the_same_angles() {
        const LoadedFile body = test::demo_body("ferrier");
        std::vector<Quat> R = turned(body.character, "forearm.left", -Vec3::UnitY(), 70.0);
        const Quat about = exp_rotation(Vec3(0.4, -2.0, 0.7));
        const auto before = joint_angles_deg(body.character, "forearm.left", R);
        for (Quat& one : R) one = about * one;
        const auto after = joint_angles_deg(body.character, "forearm.left", R);
        for (size_t i = 0; i < before.size(); ++i) QVERIFY(std::abs(before[i] - after[i]) < 1e-9);
    }

    /// A take that asks for more than people's joints do is told with joint, way, degrees and owner.
    void more_than_a_range_is_told() {
        LoadedFile take = test::demo_take("quay-walk");
        const LoadedFile target = test::demo_body("dockhand");
        const int shin = take.character.roles.joint("shin.left");
        const auto events_of = [&] {
            const TransferResult result = test::carry(take, target);
            return find_events(review_result(take.character, target.character, result), result, {});
        };
        const auto is_range = [](const ReviewEvent& event) { return event.measure == "range"; };
        std::vector<ReviewEvent> events = events_of();
        QVERIFY(std::none_of(events.begin(), events.end(), is_range));
        // The knee turned forward, for a second.
        std::vector<Quat>& R = take.take->R.edit();
        const Skeleton& skeleton = take.character.rig.skeleton;
        const WorldMotion motion = forward_kinematics(skeleton, *take.take, 2);
        for (int f = 60; f < 120; ++f) {
            const Quat above = motion.R[motion.at(f, skeleton.parents[size_t(shin)])];
            Quat& local = R[size_t(f) * size_t(take.take->joints) + size_t(shin)];
            const Quat hinge =
                motion.R[motion.at(f, take.character.roles.joint("thigh.left"))] *
                take.character.rest.R_WJ0[size_t(take.character.roles.joint("thigh.left"))].conjugate();
            const Quat by = exp_rotation(deg_to_rad(-75.0) * (hinge * Vec3::UnitX()));
            local = (above.conjugate() * by * above * local).normalized();
        }
        events = events_of();
        const auto told = std::find_if(events.begin(), events.end(), is_range);
        QVERIFY(told != events.end());
        qInfo("%s", told->text.c_str());
        QVERIFY(told->text.find("left knee bends forward") != std::string::npos);
        QVERIFY(told->first >= 55 && told->last <= 125);
        QCOMPARE(told->owner, Owner::take);
    }

    void what_is_softly_within_never_passes_the_end() {
        for (const double most : {10.0, 60.0, 150.0}) {
            const double from = most - soft_range_deg;
            QCOMPARE(softly_within(0.5 * from, most), 0.5 * from);
            QCOMPARE(softly_within(from, most), from);
            double before = from;
            for (double a = from + 0.25; a < 300.0; a += 0.25) {
                const double now = softly_within(a, most);
                QVERIFY(now >= before && now - before <= 0.25 + 1e-12 && now <= most);
                before = now;
            }
            // Without a kink where it begins.
            QVERIFY(std::abs(softly_within(from + 1e-4, most) - from - 1e-4) < 1e-9);
        }
    }

    /// Captures of another maker, in which joints go over: what is set so stays within, the rest is as without.
    void what_is_set_so_is_kept_within() {
        const LoadedFile take = load_file(test::capture("Boxing_Toes.bvh"));
        const LoadedFile target = test::demo_body("net-mender");
        const auto most_over = [&](const TransferResult& result, const std::string& part) {
            double most = 0.0;
            for (const RangeExcess& one :
                 range_excess(target.character, result.target, result.take.first_motion_frame))
                if (role_part(one.role) == part)
                    for (const float over : one.over_deg) most = std::max(most, double(over));
            return most;
        };
        PairingSettings settings;
        settings.passes.touch = settings.passes.hold = false;
        const TransferResult without = transfer(take.character, *take.take, target.character, settings, 2);
        for (const char* chain : {"arm.left", "arm.right", "neck"}) settings.chains[chain].keep_within = 1.0;
        const TransferResult with = transfer(take.character, *take.take, target.character, settings, 2);
        for (const char* chain : {"arm.left", "arm.right", "neck"}) settings.chains[chain].keep_within = 0.5;
        const TransferResult half = transfer(take.character, *take.take, target.character, settings, 2);
        double over = 0.0;
        for (const char* part : {"upperarm", "forearm", "hand", "head"}) {
            qInfo("%s: over by %.1f, half %.1f, kept within %.2f deg", part, most_over(without, part),
                  most_over(half, part), most_over(with, part));
            over = std::max(over, most_over(without, part));
            QVERIFY(most_over(with, part) < 0.5);
            QVERIFY(most_over(half, part) < 0.75 * most_over(without, part) + 0.5);
        }
        QVERIFY(over > 5.0);
        // Legs, hips and trunk are not touched; no frame jumps.
        const int foot = target.character.roles.joint("foot.left"),
                  chest = target.character.roles.joint("chest");
        const int hand = target.character.roles.joint("hand.left");
        double step_m = 0.0, step_without_m = 0.0;
        for (int f = 1; f < with.target.frames; ++f) {
            for (const int j : {foot, chest})
                QVERIFY(with.target.p[with.target.at(f, j)] == without.target.p[without.target.at(f, j)]);
            const auto step = [&](const TransferResult& of) {
                return (of.target.p[of.target.at(f, hand)] - of.target.p[of.target.at(f - 1, hand)]).norm();
            };
            step_m = std::max(step_m, step(with));
            step_without_m = std::max(step_without_m, step(without));
        }
        QVERIFY2(step_m < 1.5 * step_without_m,
                 qPrintable(QString("%1 beside %2").arg(step_m).arg(step_without_m)));
    }

    /// A foot that stands goes first: it does not move for a knee.
    void feet_that_stand_do_not_give() {
        const LoadedFile take = load_file(test::capture("01_03.bvh"));
        const LoadedFile target = test::demo_body("ferrier");
        PairingSettings settings;
        const TransferResult without = transfer(take.character, *take.take, target.character, settings, 2);
        for (const char* chain : {"leg.left", "leg.right"}) settings.chains[chain].keep_within = 1.0;
        const TransferResult with = transfer(take.character, *take.take, target.character, settings, 2);
        int held = 0, moved = 0;
        for (size_t limb = 0; limb < 2; ++limb) {
            const int foot = target.character.roles.joint(limb == 0 ? "foot.left" : "foot.right");
            const auto& hold = with.corrections.limbs[limb].hold;
            for (size_t f = 0; f < hold.size(); ++f) {
                const double by = (with.target.p[with.target.at(int(f), foot)] -
                                   without.target.p[without.target.at(int(f), foot)])
                                      .norm();
                if (hold[f] >= 1.0) {
                    ++held;
                    QVERIFY(by < 1e-9);
                } else {
                    moved += by > 1e-3;
                }
            }
        }
        QVERIFY(held > 100);
        qInfo("%d frames held, in %d others a foot gave", held, moved);
    }
};

NB_TEST(RangesTest)
}  // namespace test_ranges
#include "test_ranges.moc"
