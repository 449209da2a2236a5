// Bodies stay outside themselves: forearms and hands out of trunk, head and legs where they are not in them in the take, by
// the meshes themselves; how far capsules are apart, as FCL says; the least way out, as its own conditions say.
#include <fcl/fcl.h>

#include <Eigen/Geometry>
#include <QtTest>
#include <random>

#include "core/math/spline.hpp"
#include "core/review/bars.hpp"
#include "core/review/skin_gap.hpp"
#include "core/solve/clear.hpp"
#include "core/solve/clear_way.hpp"
#include "core/solve/engine.hpp"
#include "core/solve/hold.hpp"
#include "core/solve/near.hpp"
#include "core/solve/program.hpp"
#include "tests/support/run_test.hpp"
#include "tests/support/test_rigs.hpp"
#include "tests/support/wide_bodies.hpp"

namespace test_clear {

using namespace nb;

namespace {

Vec3 random_place(std::mt19937& random, double by_m) {
    std::uniform_real_distribution<double> one(-by_m, by_m);
    return {one(random), one(random), one(random)};
}

/// Share of looks, five a second, in which hand or forearm lies deeper than 2 cm in the body.
double deep_share(const Character& body, const TransferResult& result) {
    const std::array<SkinGauge, 2> gauges{SkinGauge(body, Side::left), SkinGauge(body, Side::right)};
    const int step = std::max(1, int(0.2 / result.target.frame_time_s));
    int looks = 0, deep = 0;
    for (int f = result.take.first_motion_frame; f < result.target.frames; f += step) {
        const Pose pose = pose_of(result.target, f);
        const BodySkin skin = skin_of(body, pose);
        for (const SkinGauge& gauge : gauges) {
            ++looks;
            deep += gauge.read(skin, 0.1).deepest_m > 0.02;
        }
    }
    return double(deep) / looks;
}

bool is_changed(const TransferResult& result, int frame) {
    for (const auto& limb : result.corrections.clear)
        if (!limb.empty() && !limb[size_t(frame)].is_none()) return true;
    return false;
}

TransferResult carried(const LoadedFile& take, const LoadedFile& body, bool is_on) {
    PairingSettings settings;
    settings.passes.clear = is_on;
    return transfer(take.character, *take.take, body.character, settings, 2);
}

LoadedFile take_of(const QString& name) {
    return name.contains('/') ? load_file(name.toStdString()) : test::demo_take(name.toStdString());
}

}  // namespace

class ClearTest : public QObject {
    Q_OBJECT

  private slots:
    void capsules_are_as_far_apart_as_fcl_says() {
        std::mt19937 random(7);
        std::uniform_real_distribution<double> radius(0.02, 0.12);
        int apart = 0;
        double worst_m = 0.0;
        for (int i = 0; i < 400; ++i) {
            std::array<Capsule, 2> two;
            std::array<std::unique_ptr<fcl::CollisionObjectd>, 2> as_fcl;
            for (size_t k = 0; k < 2; ++k) {
                const double r = radius(random);
                two[k] = {random_place(random, 0.5), random_place(random, 0.5), r, r};
                const Vec3 along = two[k].b - two[k].a;
                // FCL's lies along z about its middle.
                const Quat R = Quat::FromTwoVectors(Vec3::UnitZ(), along);
                as_fcl[k] = std::make_unique<fcl::CollisionObjectd>(
                    std::make_shared<fcl::Capsuled>(r, along.norm()), R.toRotationMatrix(),
                    0.5 * (two[k].a + two[k].b));
            }
            const CapsuleGap gap = gap_between(two[0], two[1]);
            fcl::DistanceRequestd request;
            request.enable_signed_distance = true;
            fcl::DistanceResultd result;
            fcl::distance(as_fcl[0].get(), as_fcl[1].get(), request, result);
            // Where they are in each other FCL tells a depth of another kind.
            if (gap.height_m < 1e-3) {
                QVERIFY(result.min_distance < 2e-3);
                continue;
            }
            ++apart;
            worst_m = std::max(worst_m, std::abs(result.min_distance - gap.height_m));
        }
        qInfo("%d pairs apart, farthest from FCL by %.2g m", apart, worst_m);
        QVERIFY(apart > 100);
        QVERIFY(worst_m < 1e-4);
    }

    /// With unlike ends: least over a fine grid of both, refined about its least.
    void unlike_ends_are_the_least_of_all_places() {
        std::mt19937 random(11);
        std::uniform_real_distribution<double> radius(0.01, 0.15);
        for (int i = 0; i < 200; ++i) {
            std::array<Capsule, 2> two;
            for (Capsule& one : two)
                one = {random_place(random, 0.5), random_place(random, 0.5), radius(random), radius(random)};
            const auto height = [&](double t, double u) {
                return (two[0].at(t) - two[1].at(u)).norm() - two[0].radius(t) - two[1].radius(u);
            };
            double t = 0.5, u = 0.5;
            for (double reach = 0.5; reach > 1e-7; reach *= 0.5) {
                const double t0 = t, u0 = u;
                for (int a = -4; a <= 4; ++a)
                    for (int b = -4; b <= 4; ++b) {
                        const double t1 = std::clamp(t0 + 0.25 * a * reach, 0.0, 1.0);
                        const double u1 = std::clamp(u0 + 0.25 * b * reach, 0.0, 1.0);
                        if (height(t1, u1) < height(t, u)) {
                            t = t1;
                            u = u1;
                        }
                    }
            }
            const CapsuleGap gap = gap_between(two[0], two[1]);
            QVERIFY2(std::abs(gap.height_m - height(t, u)) < 1e-5,
                     qPrintable(QString("%1 beside %2").arg(gap.height_m).arg(height(t, u))));
        }
    }

    /// The cost has its least where its slope is zero: the cost is written here anew, from the header.
    void the_way_out_is_the_least() {
        constexpr int frames = 240;
        constexpr double dt = 1.0 / 60.0;
        std::vector<ClearVec> weights(frames, ClearVec(0.1, 1.0, 1.0, 1.0));
        for (int f = 150; f < 170; ++f) weights[size_t(f)].tail<3>().array() += 1e8;
        std::mt19937 random(3);
        std::vector<ClearRow> rows;
        for (int f = 100; f < 160; ++f) {
            ClearRow row;
            row.frame = f;
            row.a << 0.6, random_place(random, 0.2) + Vec3(0.7, 0.5, 0.0);
            row.b = 0.05 * std::sin(pi * (f - 100) / 60.0);
            rows.push_back(row);
        }
        const std::vector<ClearVec> x = clear_way(weights, dt, rows);
        const auto cost = [&](const std::vector<ClearVec>& at) {
            double sum = 0.0;
            for (int t = 0; t < frames; ++t)
                sum += at[size_t(t)].cwiseProduct(weights[size_t(t)]).dot(at[size_t(t)]);
            for (int t = 1; t + 1 < frames; ++t)
                sum += std::pow(clear_tau_s / dt, 4) *
                       (at[size_t(t) - 1] - 2.0 * at[size_t(t)] + at[size_t(t) + 1]).squaredNorm();
            for (const ClearRow& row : rows)
                sum += clear_penalty * std::pow(std::max(0.0, row.b - row.a.dot(at[size_t(row.frame)])), 2);
            return sum;
        };
        const double least = cost(x);
        for (int trial = 0; trial < 400; ++trial) {
            std::vector<ClearVec> other = x;
            const double by = std::pow(10.0, -2.0 - 0.01 * trial);
            for (int t = std::max(0, 80 + trial % 90); t < std::min(frames, 90 + trial % 90); ++t)
                other[size_t(t)] += by * ClearVec(0.3, 0.5, -0.4, 0.2) * (trial % 2 == 0 ? 1.0 : -1.0);
            QVERIFY(cost(other) > least - 1e-12);
        }
        for (int f = 155; f < 165; ++f) QVERIFY(x[size_t(f)].tail<3>().norm() < 1e-6);
        for (int f = 110; f < 145; ++f) {
            const ClearRow& row = rows[size_t(f - 100)];
            QVERIFY2(row.a.dot(x[size_t(f)]) > row.b - 0.006,
                     qPrintable(QString("frame %1 lacks %2").arg(f).arg(row.b - row.a.dot(x[size_t(f)]))));
        }
        QVERIFY(x[0].isZero(0.0));
        for (const ClearVec& none : clear_way(weights, dt, {})) QVERIFY(none.isZero(0.0));
    }

    /// Rigid least squares as Eigen has it (Umeyama 1991), of the grips onto where the hands would be.
    void held_things_lie_by_least_squares() {
        const LoadedFile take = test::demo_take("carry-crate");
        const LoadedFile body = test::demo_body("ferrier");
        PairingSettings settings;
        settings.passes.hold = settings.passes.clear = false;
        const TransferResult without = transfer(take.character, *take.take, body.character, settings, 2);
        Program program = without.plan.program;
        program.passes.hold = true;
        int looked = 0;
        for (const HeldThing& thing : program.things)
            for (int f = 0; f < without.target.frames; f += 7) {
                const double t_s = without.target.time_s(f);
                Eigen::Matrix3Xd on_thing(3, 2), at_hand(3, 2);
                int held = 0;
                for (const HeldThing::Hand& hand : thing.hands) {
                    if (t_s < hand.when.from_s + 0.6 || t_s > hand.when.to_s - 0.6 || held == 2) continue;
                    const size_t j = without.target.at(f, hand.T_hand);
                    on_thing.col(held) = hand.on_thing_J;
                    at_hand.col(held++) = without.target.p[j] + without.target.R[j] * hand.on_hand_J;
                }
                if (held < 2) continue;
                ++looked;
                const Eigen::Matrix4d best = Eigen::umeyama(on_thing, at_hand, false);
                const Pose T = pose_of(without.target, f);
                const Rigid X = thing_beside(program, thing.S_thing, frame_of(without.source, f), {T.R, T.p});
                double own = 0.0, least = 0.0;
                for (int k = 0; k < 2; ++k) {
                    own += (X * Vec3(on_thing.col(k)) - at_hand.col(k)).squaredNorm();
                    least +=
                        (best * on_thing.col(k).homogeneous() - at_hand.col(k).homogeneous()).squaredNorm();
                }
                QVERIFY2(std::abs(own - least) < 1e-9,
                         qPrintable(QString("%1 beside %2").arg(own).arg(least)));
            }
        QVERIFY(looked > 20);
    }

    void what_meets_nothing_does_not_change_data() {
        QTest::addColumn<QString>("take");
        QTest::addColumn<QString>("body");
        QTest::addColumn<bool>("meets");
        QTest::newRow("quay-walk dockhand") << "quay-walk"
                                            << "dockhand" << false;
        QTest::newRow("boat-leap ferrier") << "boat-leap"
                                           << "ferrier" << false;
        QTest::newRow("lantern-signal lamp-child") << "lantern-signal"
                                                   << "lamp-child" << true;
        QTest::newRow("dog-walk quay-dog") << "dog-walk"
                                           << "quay-dog" << false;
    }
    void what_meets_nothing_does_not_change() {
        QFETCH(QString, take);
        QFETCH(QString, body);
        QFETCH(bool, meets);
        const LoadedFile source = test::demo_take(take.toStdString());
        const LoadedFile target = test::demo_body(body.toStdString());
        const TransferResult with = carried(source, target, true);
        const TransferResult without = carried(source, target, false);
        int changed = 0;
        for (int f = 0; f < with.target.frames; ++f) {
            if (is_changed(with, f)) {
                ++changed;
                continue;
            }
            for (int j = 0; j < with.target.joints; ++j) {
                const size_t at = with.target.at(f, j);
                QVERIFY(with.target.R[at].coeffs() == without.target.R[at].coeffs());
                QVERIFY(with.target.p[at] == without.target.p[at]);
            }
        }
        QCOMPARE(changed > 0, meets);
        QVERIFY(changed < with.target.frames);
    }

    /// What may touch all is left alone, to the bit.
    void what_may_touch_is_left_alone() {
        const LoadedFile source = test::demo_take("lantern-signal");
        const LoadedFile target = test::demo_body("lamp-child");
        PairingSettings settings;
        for (const std::string limb : {"arm.left", "arm.right", "leg.left", "leg.right"})
            settings.chains[limb].may_touch = {"trunk", "head", "legs", "arms"};
        const TransferResult with = transfer(source.character, *source.take, target.character, settings, 2);
        settings.passes.clear = false;
        const TransferResult without =
            transfer(source.character, *source.take, target.character, settings, 2);
        QVERIFY(with.target.p == without.target.p);
        // The other arm alone: clear still acts at the trunk.
        for (auto& [limb, set] : settings.chains) set.may_touch = {"arms"};
        settings.passes.clear = true;
        const TransferResult some = transfer(source.character, *source.take, target.character, settings, 2);
        QVERIFY(some.target.p != without.target.p);
    }

    /// With a margin arms stay so far off as they do in the take; by heights over the skin that the pass knows, by group.
    void a_margin_is_kept() {
        constexpr double margin_m = 0.03;
        const LoadedFile source = load_file(test::capture("01_01.bvh"));
        const LoadedFile target = test::demo_body("net-mender");
        const auto low_share = [&](double margin) {
            PairingSettings settings;
            for (const std::string limb : {"arm.left", "arm.right"}) settings.chains[limb].margin_m = margin;
            const TransferResult result =
                transfer(source.character, *source.take, target.character, settings, 2);
            const ClearProgram& clear = *result.plan.program.clear;
            std::vector<ClearHeight> found;
            int looks = 0, low = 0;
            const auto least = [&](const ClearBody& body, size_t limb, const SourceFrame& frame) {
                heights_under(body, limb, frame, 0.1, found);
                double lowest = 0.1;
                for (const ClearHeight& one : found)
                    if (body.parts[one.part].group == ClearGroup::trunk)
                        lowest = std::min(lowest, one.height_m);
                return lowest;
            };
            for (int f = result.take.first_motion_frame; f < result.target.frames; f += 5)
                for (const size_t limb : {size_t(2), size_t(3)}) {
                    if (clear.by_stature * least(clear.S, limb, frame_of(std::as_const(result.source), f)) <
                            margin_m ||
                        touches_skin(result.plan.program, limb, result.target.time_s(f)))
                        continue;
                    ++looks;
                    low += least(clear.T, limb, frame_of(std::as_const(result.target), f)) < margin_m - 0.012;
                }
            qInfo("margin %.0f mm: nearer in %d of %d", 1e3 * margin, low, looks);
            return double(low) / std::max(1, looks);
        };
        const double without = low_share(0.0);
        QVERIFY(without > 0.05);
        QVERIFY(low_share(margin_m) < 0.25 * without);
    }

    /// Exact for values of a straight line; through its values; continuous in slope and bend where pieces meet.
    void splines_go_through_their_values() {
        Eigen::Matrix4Xd values(4, 9);
        for (Eigen::Index i = 0; i < 9; ++i)
            values.col(i) =
                Eigen::Vector4d(2.0 * double(i) - 1.0, std::sin(double(i)), i == 4 ? 1.0 : 0.0, 0.0);
        const EvenSpline spline(values);
        for (Eigen::Index i = 0; i < 9; ++i) QVERIFY((spline.at(double(i)) - values.col(i)).norm() < 1e-12);
        for (double x = 0.0; x <= 8.0; x += 0.13) {
            QVERIFY(std::abs(spline.at(x)[0] - (2.0 * x - 1.0)) < 1e-12);
            QVERIFY(spline.at(x)[3] == 0.0);
        }
        const double h = 1e-4;
        for (int i = 1; i < 8; ++i)
            for (int k : {1, 2}) {
                const auto y = [&](double x) { return spline.at(x)[k]; };
                const double x = i;
                QVERIFY(std::abs((y(x + h) - y(x)) / h - (y(x) - y(x - h)) / h) < 1e-3);
                const auto bend = [&](double at) { return (y(at + h) - 2.0 * y(at) + y(at - h)) / (h * h); };
                QVERIFY(std::abs(bend(x + 2 * h) - bend(x - 2 * h)) < 1e-2);
            }
    }

    /// What is put upon frames that are solved but for clear is, to the bit, what all passes make of them.
    void cleared_frames_are_those_of_all_passes() {
        for (const char* take : {"quay-walk", "carry-crate"}) {
            const TransferResult result = carried(take_of(take), test::demo_body("net-mender"), true);
            WorldMotion again = result.target;
            int moved = 0;
            for (int f = 0; f < again.frames; ++f) {
                const FrameCorrection held = result.corrections.at(f);
                moved += std::any_of(held.clear.begin(), held.clear.end(),
                                     [](const LimbClear& one) { return !one.is_none(); });
                solve_frame(result.plan.program, result.source, again, f, &held);
                for (int j = 0; j < again.joints; ++j) {
                    const size_t at = again.at(f, j);
                    QVERIFY(again.p[at] == result.target.p[at]);
                    QVERIFY(again.R[at].coeffs() == result.target.R[at].coeffs());
                }
            }
            QVERIFY(moved > 10);
        }
    }

    /// Wide forearms, thighs and trunks: what is round turns with the elbow, and what lay lowest lies elsewhere then.
    void wide_bodies_stay_outside_themselves_data() {
        QTest::addColumn<QString>("take");
        QTest::addColumn<QString>("body");
        QTest::addColumn<test::Bones>("bones");
        QTest::addColumn<double>("times");
        for (const char* take : {"quay-walk", "carry-crate", "mole-steps"})
            for (const char* body : {"dockhand", "ferrier", "net-mender"})
                QTest::addRow("%s %s in plates", take, body) << take << body << test::arms_and_legs() << 1.8;
        QTest::newRow("walk, child in plates") << "quay-walk"
                                               << "lamp-child" << test::arms_and_legs() << 2.2;
        QTest::newRow("rope, dockhand in plates") << "haul-rope"
                                                  << "dockhand" << test::arms_and_legs() << 2.2;
        QTest::newRow("walk, wide thighs") << "quay-walk"
                                           << "ferrier" << test::legs() << 1.8;
        QTest::newRow("steps, wide thighs") << "mole-steps"
                                            << "ferrier" << test::legs() << 1.8;
        QTest::newRow("walk, wide trunk") << "quay-walk"
                                          << "dockhand" << test::trunk() << 1.5;
        QTest::newRow("steps, wide trunk") << "mole-steps"
                                           << "dockhand" << test::trunk() << 1.5;
    }
    void wide_bodies_stay_outside_themselves() {
        QFETCH(QString, take);
        QFETCH(QString, body);
        QFETCH(test::Bones, bones);
        QFETCH(double, times);
        const LoadedFile target = test::widened(test::demo_body(body.toStdString()), bones, times);
        const LoadedFile source = take_of(take);
        const double before = deep_share(target.character, carried(source, target, false));
        const TransferResult result = carried(source, target, true);
        const double with = deep_share(target.character, result);
        const int pops = review_result(source.character, target.character, result).pop_count();
        qInfo("deeper than 2 cm: %.1f %% of looks, %.1f %% without; %d pops", 100.0 * with, 100.0 * before,
              pops);
        QVERIFY(before > 0.25);
        // Hands on a crate that the arms hardly reach cannot go far.
        const bool is_free = take != "carry-crate";
        QVERIFY(with <= (is_free ? 0.0 : 0.05));
        QVERIFY(!is_free || pops == 0);
    }

    void bodies_stay_outside_themselves_data() {
        QTest::addColumn<QString>("take");
        QTest::addColumn<QString>("body");
        QTest::addColumn<double>("without");  // at least; shares
        QTest::addColumn<double>("own");      // of the performer, where it is not looked up
        for (const char* body : {"dockhand", "ferrier", "lamp-child", "net-mender"})
            // On the rope the performer's forearms lie 1.5 to 2 cm in its chest; the net-mender's 2.5 in 2 of 68 looks.
            for (const char* take : {"carry-crate", "lantern-signal", "haul-rope"}) {
                const QString name = QString("%1 %2").arg(take, body);
                const double without = name == "carry-crate ferrier"         ? 0.1
                                       : name == "carry-crate net-mender"    ? 0.08
                                       : name == "lantern-signal lamp-child" ? 0.04
                                                                             : 0.0;
                QTest::newRow(qPrintable(name))
                    << take << body << without << (name == "haul-rope net-mender" ? 0.06 : -1.0);
            }
        // Nothing was tuned on these two of another maker.
        const QString capture = QString::fromStdString(test::capture("01_01.bvh"));
        QTest::newRow("capture net-mender") << capture << "net-mender" << 0.1 << 0.03;
        QTest::newRow("capture ferrier") << capture << "ferrier" << 0.08 << 0.04;
    }
    void bodies_stay_outside_themselves() {
        QFETCH(QString, take);
        QFETCH(QString, body);
        QFETCH(double, without);
        QFETCH(double, own);
        const LoadedFile source = take_of(take);
        const LoadedFile target = test::demo_body(body.toStdString());
        if (own < 0.0) {
            const LoadedFile performer = test::demo_body("performer");
            own = deep_share(performer.character, carried(source, performer, true));
        }
        const TransferResult result = carried(source, target, true);
        const double with = deep_share(target.character, result);
        const double before = deep_share(target.character, carried(source, target, false));
        qInfo("deeper than 2 cm: %.1f %% of looks, %.1f %% without, %.1f %% the performer itself",
              100.0 * with, 100.0 * before, 100.0 * own);
        QVERIFY(before >= without);
        QVERIFY(with <= own);
        const Review review = review_result(source.character, target.character, result);
        QCOMPARE(review.pop_count(), 0);
        if (!take.contains('/'))
            for (const Bar& bar : bars_of(review, result, {}))
                QVERIFY2(bar.is_met(), qPrintable(QString("%1 %2").arg(bar.name.c_str()).arg(bar.value)));
    }
};

NB_TEST(ClearTest)
}  // namespace test_clear
#include "test_clear.moc"
