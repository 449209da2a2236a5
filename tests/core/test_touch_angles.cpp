// Touch-ups within a transfer: turns and fingers before contacts, places of hips, hands, elbows and head
// (core/solve/touch.hpp). What must hold: properties 1 to 4, 9 and 10 of touch-ups; on captures and the crew.
#include <QtTest>
#include <random>
#include <set>

#include "core/motion/edit.hpp"
#include "core/review/bars.hpp"
#include "core/solve/chain_bend.hpp"
#include "core/touchup/apply.hpp"
#include "core/touchup/hand_pose.hpp"
#include "tests/support/run_test.hpp"
#include "tests/support/test_rigs.hpp"

namespace test_touch_angles {

using namespace nb;
using namespace nb::test;

namespace {

TouchUp one(TouchKind kind, const std::string& what, const TouchSpan& when) {
    TouchUp touch;
    touch.kind = kind;
    touch.what = what;
    touch.when = when;
    touch.axes = kind == TouchKind::turn ? TurnAxes::bone : TurnAxes::world;
    return touch;
}
TouchUp turn_of(const std::string& what, const Vec3& deg, const TouchSpan& when) {
    TouchUp touch = one(TouchKind::turn, what, when);
    touch.turn_rad = deg_to_rad(1.0) * deg;
    return touch;
}
TouchUp place_of(const std::string& what, const Vec3& m, const TouchSpan& when) {
    TouchUp touch = one(TouchKind::place, what, when);
    touch.place_m = m;
    return touch;
}

constexpr TouchSpan third_to_fourth_second{false, 3.0, 4.0, 0.25, 0.25};

PairingSettings with(const std::vector<TouchUp>& touches) {
    PairingSettings settings;
    settings.touches = {{"test", false, 1.0, touches}};
    return settings;
}

Vec3 at(const WorldMotion& motion, int frame, int joint) {
    return motion.p[motion.at(frame, joint)];
}

/// First and last frame in which two motions differ in any bit; {frames, -1}: none.
std::pair<int, int> differing(const WorldMotion& a, const WorldMotion& b) {
    std::pair<int, int> span{a.frames, -1};
    for (int f = 0; f < a.frames; ++f)
        for (int j = 0; j < a.joints; ++j)
            if (a.R[a.at(f, j)].coeffs() != b.R[b.at(f, j)].coeffs() || at(a, f, j) != at(b, f, j)) {
                span.first = std::min(span.first, f);
                span.second = f;
            }
    return span;
}

}  // namespace

class TouchAnglesTest : public QObject {
    Q_OBJECT

    LoadedFile walk_, ferrier_;
    TransferResult plain_;
    int frame_of_s(double t_s) const { return int(std::lround(t_s / walk_.take->frame_time_s)); }
    int joint(const char* role) const { return ferrier_.character.roles.joint(role); }

  private slots:
    void initTestCase() {
        walk_ = load_file(capture("01_01.bvh"));
        walk_.take = trim(*walk_.take, 0, 620);  // five seconds
        ferrier_ = demo_body("ferrier");
        plain_ = carry(walk_, ferrier_);
    }

    void what_does_nothing_changes_no_bit() {  // property 1
        const TouchUp turn = turn_of("upperarm.left", {0, 0, 20}, third_to_fourth_second);
        TouchUp before = turn;
        before.stage = TouchStage::source;
        TouchUp last = turn;
        last.stage = TouchStage::last;
        const std::vector<TouchUp> all{turn, before, last,
                                       place_of("hips", {0, -0.1, 0}, third_to_fourth_second)};
        for (const TouchLayer& layer :
             {TouchLayer{"muted", true, 1.0, all}, TouchLayer{"weighed 0", false, 0.0, all},
              TouchLayer{"empty", false, 1.0, {}}}) {
            PairingSettings settings;
            settings.touches = {layer};
            const TransferResult result = carry(walk_, ferrier_, settings);
            QCOMPARE(differing(result.target, plain_.target).second, -1);
            QVERIFY(result.touch_notes.empty());
        }
    }

    void outside_its_span_nothing_changes_data() {
        QTest::addColumn<QString>("kind");
        QTest::addColumn<QString>("what");
        for (const char* what : {"upperarm.left", "head", "spine.1", "hand.right", "hips", "thigh.left",
                                 "shin.right", "foot.left"})
            QTest::addRow("turn %s", what) << "turn" << QString(what);
        for (const char* what : {"hand.left", "forearm.right", "head", "hips"})
            QTest::addRow("place %s", what) << "place" << QString(what);
        QTest::newRow("fist") << "hand"
                              << "hand.left";
    }
    void outside_its_span_nothing_changes() {  // property 2
        QFETCH(QString, kind);
        QFETCH(QString, what);
        const TouchSpan when = third_to_fourth_second;
        TouchUp touch = kind == "turn"    ? turn_of(what.toStdString(), {8, -5, 15}, when)
                        : kind == "place" ? place_of(what.toStdString(), {0.03, 0.05, 0.02}, when)
                                          : one(TouchKind::hand, what.toStdString(), when);
        touch.pose = "fist";
        const TransferResult result = carry(walk_, ferrier_, with({touch}));
        const auto [first, last] = differing(result.target, plain_.target);
        QVERIFY(last >= 0);
        QVERIFY(first > frame_of_s(2.75) - 1 && last < frame_of_s(4.25) + 1);
        // Something at every frame in between.
        QVERIFY(first <= frame_of_s(2.75) + 2 && last >= frame_of_s(4.25) - 2);
    }

    void what_is_held_stays_while_bones_above_turn_data() {
        QTest::addColumn<QString>("what");
        for (const char* what : {"thigh.left", "shin.right", "foot.left", "hips", "spine.1"})
            QTest::newRow(what) << QString(what);
    }
    void what_is_held_stays_while_bones_above_turn() {  // properties 3 and 4
        QFETCH(QString, what);
        const TransferResult result =
            carry(walk_, ferrier_, with({turn_of(what.toStdString(), {6, 4, 10}, third_to_fourth_second)}));
        QVERIFY(differing(result.target, plain_.target).second >= 0);
        const Review now = review_result(walk_.character, ferrier_.character, result);
        const Review before = review_result(walk_.character, ferrier_.character, plain_);
        for (const Bar& bar : bars_of(now, result, {}))
            for (const char* of_contacts : {"slide_core_p95_cm_s", "drift_p95_mm", "below_floor_max_mm"})
                if (bar.name == of_contacts)
                    QVERIFY2(bar.is_met(), qPrintable(QString("%1: %2, at most %3")
                                                          .arg(QString::fromStdString(bar.name))
                                                          .arg(bar.value)
                                                          .arg(bar.bar)));
        QVERIFY2(now.pop_count() <= before.pop_count(),
                 qPrintable(QString("pops %1 to %2").arg(before.pop_count()).arg(now.pop_count())));
    }

    void tips_go_where_they_are_asked() {
        const Vec3 by(0.04, 0.06, -0.03);
        for (const char* what : {"hand.left", "hand.right"}) {
            const TransferResult result =
                carry(walk_, ferrier_, with({place_of(what, by, third_to_fourth_second)}));
            for (int f = frame_of_s(3.0) + 1; f < frame_of_s(4.0); ++f) {
                QVERIFY((at(result.target, f, joint(what)) - at(plain_.target, f, joint(what)) - by).norm() <
                        1e-9);
                // It keeps its turn, and what hangs on the other side stays.
                QVERIFY(angle_between(result.target.R[result.target.at(f, joint(what))],
                                      plain_.target.R[plain_.target.at(f, joint(what))]) < 1e-9);
                QVERIFY(at(result.target, f, joint("head")) == at(plain_.target, f, joint("head")));
            }
        }
        // In the body's axes: ahead is ahead of the body, wherever that faces; the other side mirrored.
        TouchUp apart = place_of("hand.left", {0.05, 0, 0}, third_to_fourth_second);
        apart.axes = TurnAxes::body;
        apart.has_other_side = true;
        const TransferResult result = carry(walk_, ferrier_, with({apart}));
        for (int f = frame_of_s(3.0) + 1; f < frame_of_s(4.0); ++f) {
            const auto gap = [&](const WorldMotion& m) {
                return (at(m, f, joint("hand.left")) - at(m, f, joint("hand.right"))).norm();
            };
            QVERIFY(gap(result.target) > gap(plain_.target) + 0.05);
        }
        // What no arm reaches is eased, never past straight.
        const TransferResult far =
            carry(walk_, ferrier_, with({place_of("hand.left", {0, 0.9, 0}, third_to_fourth_second)}));
        for (int f = frame_of_s(3.0); f < frame_of_s(4.0); ++f) {
            const auto p = [&](const char* role) { return at(far.target, f, joint(role)); };
            const double arm =
                (p("forearm.left") - p("upperarm.left")).norm() + (p("hand.left") - p("forearm.left")).norm();
            QVERIFY((p("hand.left") - p("upperarm.left")).norm() <= arm + 1e-9);
            QVERIFY(p("hand.left").y() > p("upperarm.left").y());
        }
    }

    void an_elbow_turns_aside_and_the_hand_stays() {
        const TransferResult result =
            carry(walk_, ferrier_, with({place_of("forearm.left", {0.06, 0, 0}, third_to_fourth_second)}));
        double moved = 0.0;
        for (int f = frame_of_s(3.0) + 1; f < frame_of_s(4.0); ++f) {
            QVERIFY(
                (at(result.target, f, joint("hand.left")) - at(plain_.target, f, joint("hand.left"))).norm() <
                1e-9);
            const Vec3 by =
                at(result.target, f, joint("forearm.left")) - at(plain_.target, f, joint("forearm.left"));
            moved = std::max(moved, by.norm());
        }
        QVERIFY(moved > 0.01);
    }

    void hips_go_down_and_feet_stand() {
        const double down_m = 0.06;
        const TransferResult result =
            carry(walk_, ferrier_, with({place_of("hips", {0, -down_m, 0}, third_to_fourth_second)}));
        for (int f = frame_of_s(3.0) + 1; f < frame_of_s(4.0); ++f) {
            const Vec3 by = at(result.target, f, joint("hips")) - at(plain_.target, f, joint("hips"));
            QVERIFY2(std::abs(by.y() + down_m) < 0.012 && std::hypot(by.x(), by.z()) < 0.01,
                     qPrintable(QString("%1 %2 %3 at %4").arg(by.x()).arg(by.y()).arg(by.z()).arg(f)));
            for (size_t limb = 0; limb < 2; ++limb) {
                if (plain_.corrections.limbs[limb].hold[size_t(f)] < 1.0) continue;
                const int tip = joint(limb == 0 ? "foot.left" : "foot.right");
                QVERIFY((at(result.target, f, tip) - at(plain_.target, f, tip)).norm() < 1e-3);
            }
        }
        // Without contacts, too.
        PairingSettings free = with({place_of("hips", {0, -down_m, 0}, third_to_fourth_second)});
        PairingSettings plain;
        free.passes.contacts = plain.passes.contacts = false;
        const WorldMotion a = carry(walk_, ferrier_, free).target;
        const WorldMotion b = carry(walk_, ferrier_, plain).target;
        for (int f = frame_of_s(3.0) + 1; f < frame_of_s(4.0); ++f)
            QVERIFY((at(a, f, joint("hips")) - at(b, f, joint("hips")) - Vec3(0, -down_m, 0)).norm() < 1e-9);
    }

    void a_head_goes_ahead_by_spine_and_neck() {
        const Vec3 by(0, -0.02, 0.04);
        const TransferResult result =
            carry(walk_, ferrier_, with({place_of("head", by, third_to_fourth_second)}));
        int in_reach = 0;
        for (int f = frame_of_s(3.0) + 1; f < frame_of_s(4.0); ++f) {
            const Vec3 off = at(result.target, f, joint("head")) - at(plain_.target, f, joint("head")) - by;
            // Exactly there, where spine and neck are long enough for it; as near as they get where they are not.
            const Skeleton& skeleton = ferrier_.character.rig.skeleton;
            const double length = skeleton.path_length(joint("spine.1"), joint("head"));
            const Vec3 to = at(plain_.target, f, joint("head")) + by - at(plain_.target, f, joint("spine.1"));
            in_reach += to.norm() < 0.985 * length ? 1 : 0;
            QVERIFY2(off.norm() < (to.norm() < 0.985 * length ? 1e-3 : 0.02),
                     qPrintable(QString("%1 at %2 of %3").arg(off.norm()).arg(to.norm()).arg(length)));
            QVERIFY(at(result.target, f, joint("hips")) == at(plain_.target, f, joint("hips")));
        }
        QVERIFY(in_reach > 20);
    }

    /// Chains of random bones: the tip is where it is asked, else as far as it gets; what moves on a line moves the
    /// bones without a step, through straight and bent back.
    void a_chain_bends_to_a_place() {
        std::mt19937 random(7);
        std::normal_distribution<double> normal;
        double worst_mm = 0.0;
        for (int round = 0; round < 200; ++round) {
            const size_t count = 2 + size_t(round % 7);
            std::vector<Vec3> bones;
            Vec3 tip = Vec3::Zero();
            double length = 0.0;
            for (size_t i = 0; i < count; ++i) {
                // Drawn one by one: the order of arguments is the compiler's.
                const double sideways = normal(random), ahead = normal(random);
                bones.emplace_back(0.1 * Vec3(0.05 * sideways, 1.0, 0.25 * ahead));
                tip += bones.back();
                length += bones.back().norm();
            }
            Vec3 by;
            for (double& along : by) along = 0.06 * normal(random);
            by.y() = -0.03 - std::abs(by.y());
            if ((tip + by).norm() < 0.5 * length) by *= 0.4 * length / by.norm();
            std::vector<Quat> turns(count), before(count, Quat::Identity());
            double step = 0.0;
            constexpr int steps = 400;
            for (int i = 0; i <= steps; ++i) {
                const double w = double(i) / steps;
                const Vec3 to = tip + w * by;
                bend_chain(bones, Vec3::UnitX(), to, turns);
                Vec3 reached = Vec3::Zero();
                for (size_t j = 0; j < count; ++j) {
                    reached += turns[j] * bones[j];
                    step = std::max(step, angle_between(turns[j], before[j]));
                }
                before = turns;
                // It points there exactly; one that is bent back strongly is too long while it goes over.
                QVERIFY(reached.normalized().cross(to.normalized()).norm() < 1e-9);
                QVERIFY(reached.norm() <= length + 1e-12);
                if (to.norm() <= tip.norm())
                    worst_mm = std::max(worst_mm, 1e3 * std::abs(reached.norm() - to.norm()));
            }
            // A straight chain bends fast at first: by the root of what it is shortened by.
            QVERIFY2(step < 0.3, qPrintable(QString("%1 rad in chain %2").arg(step).arg(round)));
        }
        QVERIFY2(worst_mm < 80.0, qPrintable(QString::number(worst_mm)));
        // Nothing asked: nothing turned. Far away: straight, and toward it.
        std::vector<Quat> turns(3);
        const std::vector<Vec3> straight(3, Vec3(0, 0.2, 0));
        bend_chain(straight, Vec3::UnitX(), {0, 0.6, 0}, turns);
        for (const Quat& turn : turns) QVERIFY(angle_between(turn, Quat::Identity()) < 1e-12);
        bend_chain(straight, Vec3::UnitX(), {0, 0, 9.0}, turns);
        QVERIFY((turns[0] * straight[0] + turns[1] * straight[1] + turns[2] * straight[2] - Vec3(0, 0, 0.6))
                    .norm() < 1e-3);
        // A straight one that should shorten bends forward, its middle goes back, its ends stay.
        bend_chain(straight, Vec3::UnitX(), {0, 0.55, 0}, turns);
        QVERIFY((turns[0] * straight[0] + turns[1] * straight[1] + turns[2] * straight[2] - Vec3(0, 0.55, 0))
                    .norm() < 1e-9);
        QVERIFY((turns[0] * straight[0]).z() < -0.03 && (turns[2] * straight[2]).z() > 0.03);
    }

    void levels_act_together_and_unrelated_layers_in_any_order() {  // property 9
        const TouchUp left = turn_of("upperarm.left", {0, 0, 20}, third_to_fourth_second);
        const TouchUp right = place_of("hand.right", {0, 0.05, 0}, third_to_fourth_second);
        const TouchUp head = turn_of("head", {10, 0, 0}, third_to_fourth_second);
        LoadedFile body = ferrier_;
        body.character.touches = {{"body", false, 1.0, {left}}};
        PairingSettings settings;
        settings.touches = {{"pair", false, 1.0, {right}}};
        settings.take_touches[walk_.take->key()] = {{"take", false, 1.0, {head}}};
        const WorldMotion by_levels = carry(walk_, body, settings).target;
        PairingSettings other_order;
        other_order.touches = {
            {"c", false, 1.0, {head}}, {"b", false, 1.0, {right}}, {"a", false, 1.0, {left}}};
        QCOMPARE(differing(by_levels, carry(walk_, ferrier_, other_order).target).second, -1);
        // Turns of one bone multiply: a layer at half weight is half of the turn.
        PairingSettings half;
        half.touches = {{"half", false, 0.5, {left}}, {"half again", false, 0.5, {left}}};
        const WorldMotion twice = carry(walk_, ferrier_, half).target;
        const WorldMotion once = carry(walk_, ferrier_, with({left})).target;
        QVERIFY(difference(twice, once).turn_deg < 1e-6);
    }

    void the_shown_frame_is_the_takes() {
        const PairingSettings settings = with({turn_of("spine.1", {8, 0, 5}, third_to_fourth_second),
                                               place_of("hand.left", {0, 0.1, 0}, third_to_fourth_second),
                                               place_of("hips", {0.02, -0.04, 0}, third_to_fourth_second)});
        const TransferResult result = carry(walk_, ferrier_, settings);
        for (int f = frame_of_s(2.7); f < frame_of_s(4.3); f += 5) {
            Pose source{
                std::vector<Quat>(result.source.R.begin() + std::ptrdiff_t(result.source.at(f, 0)),
                                  result.source.R.begin() + std::ptrdiff_t(result.source.at(f + 1, 0))),
                std::vector<Vec3>(result.source.p.begin() + std::ptrdiff_t(result.source.at(f, 0)),
                                  result.source.p.begin() + std::ptrdiff_t(result.source.at(f + 1, 0)))};
            Pose shown{std::vector<Quat>(size_t(result.target.joints)),
                       std::vector<Vec3>(size_t(result.target.joints))};
            const FrameCorrection held = result.corrections.at(f);
            solve_pose(result.plan.program, source, shown, &held, result.source.time_s(f));
            for (int j = 0; j < result.target.joints; ++j)
                QVERIFY((shown.p[size_t(j)] - at(result.target, f, j)).norm() < 1e-12);
            // Before the take is carried anew the hips are there already: held by what was before.
            const FrameCorrection before = plain_.corrections.at(f);
            solve_pose(result.plan.program, source, shown, &before, result.source.time_s(f));
            QVERIFY((shown.p[size_t(joint("hips"))] - at(result.target, f, joint("hips"))).norm() < 0.02);
        }
    }

    /// The take has no fingers: those of the body follow its hand, and as they are posed.
    void what_follows_is_turned_all_the_same() {
        QVERIFY(walk_.character.roles.joint("index.1.left") < 0);
        const auto on_hand = [&](const TransferResult& result, const char* role, int f) {
            const WorldMotion& m = result.target;
            const int hand = joint("hand.left"), j = joint(role);
            return Quat(m.R[m.at(f, hand)].conjugate() * m.R[m.at(f, j)]);
        };
        TouchUp fist = one(TouchKind::hand, "hand.left", third_to_fourth_second);
        fist.pose = "fist";
        fist.replaces = true;
        const TransferResult result = carry(walk_, ferrier_, with({fist}));
        const auto posed = pose_hand(ferrier_.character.rig.skeleton, ferrier_.character.roles,
                                     ferrier_.character.rest, ".left", *shipped_hand_pose("fist"), 0.0);
        QVERIFY(posed.size() >= 14);
        for (const PosedFinger& finger : posed) {
            const std::string role = ferrier_.character.roles.role_of(finger.joint);
            const Quat is = on_hand(result, role.c_str(), frame_of_s(3.5));
            QVERIFY2(rad_to_deg(angle_between(is, finger.R_HF)) < 1e-6, role.c_str());
        }
        const Quat straight = on_hand(plain_, "middle.3.left", frame_of_s(3.5));
        QVERIFY(rad_to_deg(angle_between(straight, on_hand(result, "middle.3.left", frame_of_s(3.5)))) >
                90.0);
        const auto [first, last] = differing(result.target, plain_.target);
        QVERIFY(first >= frame_of_s(2.74) && last <= frame_of_s(4.26));
        // A thumb for good, an eye to the side: by the same turn in each frame.
        for (const char* role : {"thumb.1.left", "eye.left", "jaw"}) {
            if (joint(role) < 0) continue;
            const TransferResult turned = carry(walk_, ferrier_, with({turn_of(role, {0, 0, 12}, {})}));
            for (const int f : {10, 200, 400}) {
                const WorldMotion& a = turned.target;
                const WorldMotion& b = plain_.target;
                const double by =
                    rad_to_deg(angle_between(a.R[a.at(f, joint(role))], b.R[b.at(f, joint(role))]));
                QVERIFY2(std::abs(by - 12.0) < 1e-6, qPrintable(QString("%1 %2").arg(role).arg(by)));
            }
        }
    }

    /// Property 7 after all passes: pose, velocity and contacts agree over the seam; played on, nothing steps there more
    /// than anywhere inside.
    void a_loop_closes_after_all_passes_data() {
        QTest::addColumn<QString>("take");
        QTest::addColumn<QString>("body");
        QTest::addColumn<int>("first");
        QTest::addColumn<int>("last");
        QTest::addColumn<bool>("has_travel");
        QTest::newRow("walk, ferrier") << "quay-walk"
                                       << "ferrier" << 150 << 284 << true;
        QTest::newRow("walk, child") << "quay-walk"
                                     << "lamp-child" << 120 << 187 << true;
        QTest::newRow("walk on the spot, ferrier") << "quay-walk"
                                                   << "ferrier" << 120 << 254 << false;
        QTest::newRow("capture, ferrier") << "01_01"
                                          << "ferrier" << 400 << 530 << true;
        QTest::newRow("capture, dockhand") << "01_03"
                                           << "dockhand" << 100 << 180 << true;
    }
    void a_loop_closes_after_all_passes() {
        QFETCH(QString, take);
        QFETCH(QString, body);
        QFETCH(int, first);
        QFETCH(int, last);
        QFETCH(bool, has_travel);
        const LoadedFile source = take.startsWith("0") ? load_file(capture(take.toStdString() + ".bvh"))
                                                       : demo_take(take.toStdString());
        const LoadedFile target = demo_body(body.toStdString());
        TouchUp loop = one(TouchKind::loop, "", {});
        loop.stage = TouchStage::source;
        const double dt = source.take->frame_time_s;
        loop.when = {false, source.take->start_s + first * dt, source.take->start_s + last * dt, 0.0, 10.0};
        loop.has_travel = has_travel;
        const TransferResult result = carry(source, target, with({loop}));
        const WorldMotion& m = result.target;
        const auto pose = [&](int f, int j) { return Rigid{m.R[m.at(f, j)], at(m, f, j)}; };
        const int hips = target.character.roles.joint("hips");
        const Rigid D = pose(last, hips) * inverse(pose(first, hips));
        QVERIFY2(std::abs((D.R * Vec3::UnitY()).y() - 1.0) < 1e-6 && std::abs(D.p.y()) < 5e-4,
                 "the travel goes along the floor");
        double worst_m = 0.0, worst_rad = 0.0, step_here = 0.0, step_inside = 0.0;
        for (const RoleFill& fill : target.character.roles.fills) {
            if (fill.role == "root") continue;
            const Rigid is = pose(last, fill.joint), asked = D * pose(first, fill.joint);
            worst_m = std::max(worst_m, (is.p - asked.p).norm());
            worst_rad = std::max(worst_rad, angle_between(is.R, asked.R));
            // Changes of velocity from one frame to the next.
            const auto step = [](const Vec3& a, const Vec3& b, const Vec3& c) {
                return Vec3(a - 2 * b + c).norm();
            };
            for (int f = first + 1; f < last; ++f)
                step_inside = std::max(step_inside, step(at(m, f - 1, fill.joint), at(m, f, fill.joint),
                                                         at(m, f + 1, fill.joint)));
            step_here = std::max(step_here, step(at(m, last - 1, fill.joint), at(m, last, fill.joint),
                                                 D.R * at(m, first + 1, fill.joint) + D.p));
        }
        QVERIFY2(worst_m < 5e-4 && rad_to_deg(worst_rad) < 0.05,
                 qPrintable(QString("%1 mm %2 deg").arg(1000 * worst_m).arg(rad_to_deg(worst_rad))));
        QVERIFY2(step_here < 1.05 * step_inside,
                 qPrintable(QString("%1 %2").arg(step_here).arg(step_inside)));
        // What is held at its end is held at its beginning.
        std::set<std::string> at_end, at_beginning;
        for (const Contact& contact : result.contacts.list) {
            if (contact.first < last && contact.last >= last) at_end.insert(contact.point);
            if (contact.first <= first && contact.last > first) at_beginning.insert(contact.point);
        }
        QVERIFY(at_end == at_beginning);
        // The bars hold inside.
        const Review review = review_result(source.character, target.character, result);
        QVERIFY2(review.target_slide_cm_s.p95 < 0.05,
                 qPrintable(QString::number(review.target_slide_cm_s.p95)));
    }

    /// In the axes of what the take moves beside the body: the wrist goes along with the crate as it turns and is
    /// carried.
    void a_place_goes_by_a_prop() {
        const LoadedFile crate = demo_take("carry-crate");
        const Skeleton& s = crate.character.rig.skeleton;
        const int prop = s.find("crate");
        TouchUp place = place_of("hand.left", {0.0, 0.06, 0.0}, {});
        place.support = "crate";
        const TransferResult plain = carry(crate, ferrier_);
        const TransferResult moved = carry(crate, ferrier_, with({place}));
        const int hand = joint("hand.left");
        double most = 0.0;
        for (int f = 0; f < plain.target.frames; f += 10) {
            const Vec3 by = plain.source.R[plain.source.at(f, prop)] * Vec3(0.0, 0.06, 0.0);
            most = std::max(most, (at(moved.target, f, hand) - at(plain.target, f, hand) - by).norm());
        }
        QVERIFY2(most < 2e-3, qPrintable(QString::number(most)));
        place.support = "barrel";
        const std::vector<std::string> notes = notes_of(carry(crate, ferrier_, with({place})));
        QVERIFY(std::ranges::any_of(notes, [](const std::string& note) {
            return note.find("the take has no 'barrel' to go by") != std::string::npos;
        }));
    }

    void what_cannot_act_is_told() {
        TouchUp calm = one(TouchKind::calm, "arm.left", {});
        const TransferResult result =
            carry(walk_, ferrier_,
                  with({turn_of("tail.1", {0, 0, 10}, {}), place_of("hand.left", {0, 0, 0}, {}), calm}));
        const std::vector<std::string> notes = notes_of(result);
        const auto told = [&](const char* what) {
            return std::any_of(notes.begin(), notes.end(),
                               [&](const std::string& note) { return note.find(what) != std::string::npos; });
        };
        QVERIFY(told("the body has no 'tail.1'"));
        QVERIFY(told("it moves by nothing"));
        QVERIFY(told("give it the stage source, or last"));
        QCOMPARE(differing(result.target, plain_.target).second, -1);
        // Nor does it excuse anything: what the body lacks is asked of no row.
        const std::vector<AskedTouch>& asked = result.plan.program.touch.asked;
        QCOMPARE(asked.size(), size_t(3));
        QVERIFY(asked[0].rows.empty());
        QVERIFY(!asked[1].rows.empty());
    }
};

NB_TEST(TouchAnglesTest)
}  // namespace test_touch_angles
#include "test_touch_angles.moc"
