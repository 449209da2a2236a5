// Touch-ups: when they act, what a turn is, documents, and the low-pass against scipy
// (tests/reference/low_pass.json, made by make_low_pass.py).
#include <QtTest>

#include "core/base/fault.hpp"
#include "core/base/files.hpp"
#include "core/body/hops.hpp"
#include "core/body/lines.hpp"
#include "core/documents/touch_ups.hpp"
#include "core/math/low_pass.hpp"
#include "core/math/mean.hpp"
#include "core/rest/edit.hpp"
#include "core/review/bars.hpp"
#include "core/touchup/apply.hpp"
#include "core/touchup/calm.hpp"
#include "core/touchup/habits.hpp"
#include "core/touchup/hand_pose.hpp"
#include "core/touchup/loop.hpp"
#include "core/touchup/pace.hpp"
#include "core/touchup/turn.hpp"
#include "tests/support/run_test.hpp"
#include "tests/support/test_rigs.hpp"

namespace test_touch_up {

using namespace nb;
using namespace nb::test;

namespace {

/// Transfer by angles alone, so that what turns is seen as it is.
PairingSettings by_angles() {
    PairingSettings settings;
    settings.passes.reach = settings.passes.gather = settings.passes.twist = false;
    return settings;
}

TouchUp turn_of(const std::string& what, const Vec3& deg, TurnAxes axes) {
    TouchUp touch;
    touch.what = what;
    touch.turn_rad = deg_to_rad(1.0) * deg;
    touch.axes = axes;
    return touch;
}

void turn_all(const std::vector<TurnOp>& ops, WorldMotion& motion, double dt) {
    for (int f = 0; f < motion.frames; ++f)
        for (const TurnOp& op : ops)
            turn_frame(op, f * dt, 0.0, {&motion.R[motion.at(f, 0)], size_t(motion.joints)});
}

double largest_turn_deg(const WorldMotion& a, const WorldMotion& b) {
    double largest = 0.0;
    for (size_t i = 0; i < a.R.size(); ++i) largest = std::max(largest, angle_between(a.R[i], b.R[i]));
    return rad_to_deg(largest);
}

}  // namespace

class TouchUpTest : public QObject {
    Q_OBJECT

  private slots:
    void a_span_arrives_holds_and_releases() {
        TouchSpan span;
        QCOMPARE(span.weight(-1e9), 1.0);
        span.is_whole = false;
        span.from_s = 2.0;
        span.to_s = 3.0;
        span.arrive_s = 0.4;
        span.release_s = 0.8;
        // Worked by hand: u^2 (3 - 2u).
        QCOMPARE(span.weight(2.0), 1.0);
        QCOMPARE(span.weight(2.7), 1.0);
        QVERIFY(std::abs(span.weight(1.8) - 0.5) < 1e-12);
        QVERIFY(std::abs(span.weight(1.7) - 0.15625) < 1e-12);
        QVERIFY(std::abs(span.weight(3.2) - 0.84375) < 1e-12);
        // Nothing, to the bit, from the ends on.
        for (const double t : {1.6, 1.0, -5.0, 3.8, 9.0}) QCOMPARE(span.weight(t), 0.0);
        // Continuous in value and slope: the difference quotient at each end is 0.
        for (const double t : {1.6, 2.0, 3.0, 3.8})
            QVERIFY(std::abs(span.weight(t + 1e-5) - span.weight(t - 1e-5)) < 1e-8);
        // Without an ease a step.
        span.arrive_s = 0.0;
        QCOMPARE(span.weight(std::nextafter(2.0, 0.0)), 0.0);
        QCOMPARE(span.weight(2.0), 1.0);
    }

    void a_constant_turn_is_the_same_turn_of_the_rest_data() {
        QTest::addColumn<QString>("role");
        QTest::addColumn<bool>("on_source");
        for (const char* role : {"upperarm.left", "spine.2", "foot.right", "head", "thigh.left"})
            for (const bool on_source : {false, true})
                QTest::addRow("%s of the %s", role, on_source ? "source" : "target")
                    << QString(role) << on_source;
    }
    void a_constant_turn_is_the_same_turn_of_the_rest() {  // property 5
        QFETCH(QString, role);
        QFETCH(bool, on_source);
        const std::string what = role.toStdString();
        LoadedFile source = load_file(capture("01_01.bvh"));
        LoadedFile target = load_file(rig("ferrier/rig.glb"));
        Character& body = on_source ? source.character : target.character;
        if (body.roles.joint(what) < 0) QSKIP("this body has no such bone");
        for (const TurnAxes axes : {TurnAxes::bone, TurnAxes::parent}) {
            const TouchUp touch = turn_of(what, {12, -7, 20}, axes);
            const auto ops = compile_turn(body.rig.skeleton, body.roles, body.rest, touch, 1.0);
            QCOMPARE(int(ops.size()), 1);
            WorldMotion touched;
            if (on_source) {
                // Turned motion on the rest as it is.
                LoadedFile turned = source;
                WorldMotion motion = forward_kinematics(source.character.rig.skeleton, *source.take);
                turn_all(ops, motion, source.take->frame_time_s);
                Take& take = *turned.take;
                for (int f = 0; f < take.frames; ++f)
                    for (int j = 0; j < take.joints; ++j) {
                        const int parent = body.rig.skeleton.parents[size_t(j)];
                        const Quat& R = motion.R[motion.at(f, j)];
                        take.R.edit()[size_t(f) * size_t(take.joints) + size_t(j)] =
                            parent < 0 ? R : Quat(motion.R[motion.at(f, parent)].conjugate() * R);
                    }
                touched = carry(turned, target, by_angles()).target;
            } else {
                touched = carry(source, target, by_angles()).target;
                turn_all(ops, touched, source.take->frame_time_s);
            }
            // On the source the rest stands the other way: motion is counted from it.
            Character before = body;
            const Vec3 v_W = axes_of(body.rig.skeleton, body.roles, body.rest, what, axes) * touch.turn_rad;
            turn_bone(body.rig.skeleton, body.roles, body.rest, what,
                      exp_rotation((on_source ? -1.0 : 1.0) * v_W), false);
            const WorldMotion rested = carry(source, target, by_angles()).target;
            body = before;
            const double off = largest_turn_deg(touched, rested);
            QVERIFY2(off < 1e-6, qPrintable(QString("%1 degrees").arg(off)));
        }
    }

    void a_turn_acts_in_its_span_alone() {
        const LoadedFile source = load_file(capture("01_01.bvh"));
        const LoadedFile target = load_file(rig("ferrier/rig.glb"));
        const Character& c = target.character;
        TouchUp touch = turn_of("upperarm.left", {0, 0, 25}, TurnAxes::world);
        touch.has_other_side = true;
        touch.when.is_whole = false;
        touch.when.from_s = 5.0;
        touch.when.to_s = 6.0;
        const auto ops = compile_turn(c.rig.skeleton, c.roles, c.rest, touch, 0.5);
        QCOMPARE(int(ops.size()), 2);
        const WorldMotion plain = carry(source, target, by_angles()).target;
        WorldMotion touched = plain;
        const double dt = source.take->frame_time_s;
        turn_all(ops, touched, dt);
        const int arm = c.roles.joint("upperarm.left");
        const int other = c.roles.joint("upperarm.right");
        const int head = c.roles.joint("head");
        const int hand = c.roles.joint("hand.left");
        for (int f = 0; f < plain.frames; ++f) {
            const double t = f * dt;
            const bool is_in = t > touch.when.begin_s() && t < touch.when.end_s();
            if (!is_in)
                for (int j = 0; j < plain.joints; ++j)
                    QVERIFY(touched.R[plain.at(f, j)].coeffs() == plain.R[plain.at(f, j)].coeffs());
            QVERIFY(touched.R[plain.at(f, head)].coeffs() == plain.R[plain.at(f, head)].coeffs());
            if (t < 5.0 || t > 6.0) continue;
            // Half of 25 degrees: left about +Z, right the other way, the hand with its arm as one piece.
            const Quat turn = exp_rotation(deg_to_rad(12.5) * Vec3::UnitZ());
            QVERIFY(angle_between(touched.R[plain.at(f, arm)], Quat(turn * plain.R[plain.at(f, arm)])) <
                    1e-9);
            QVERIFY(angle_between(touched.R[plain.at(f, hand)], Quat(turn * plain.R[plain.at(f, hand)])) <
                    1e-9);
            QVERIFY(angle_between(touched.R[plain.at(f, other)],
                                  Quat(turn.conjugate() * plain.R[plain.at(f, other)])) < 1e-9);
        }
        QVERIFY(compile_turn(c.rig.skeleton, c.roles, c.rest, touch, 0.0).empty());
        QVERIFY(
            compile_turn(c.rig.skeleton, c.roles, c.rest, turn_of("tail.1", {1, 0, 0}, TurnAxes::bone), 1.0)
                .empty());
    }

    void documents_keep_layers() {
        TouchLayers layers;
        for (const TouchKind kind :
             {TouchKind::turn, TouchKind::place, TouchKind::body, TouchKind::hand, TouchKind::calm,
              TouchKind::damp, TouchKind::settle, TouchKind::loop, TouchKind::pace, TouchKind::straight}) {
            TouchUp touch;
            touch.kind = kind;
            touch.stage = TouchStage::last;
            touch.what = "hand.left";
            touch.when = {false, 1.25, 2.5, 0.1, 0.75};
            layers.push_back(
                {std::string(touch_kind_name(kind)), kind == TouchKind::loop, 0.75, {touch, TouchUp()}});
            QCOMPARE(*touch_kind(touch_kind_name(kind)), kind);
        }
        // A kind that is not known is told with all that are.
        try {
            read_touch_layers(Json::parse(R"([{"name": "a", "touches": [{"kind": "wave"}]}])"), "there");
            QFAIL("taken");
        } catch (const FileError& fault) {
            for (const TouchLayer& layer : layers)
                QVERIFY(std::string(fault.what()).find(layer.name) != std::string::npos);
        }
        layers[0].touches[0].turn_rad = deg_to_rad(1.0) * Vec3(1, -2, 30.5);
        layers[0].touches[0].axes = TurnAxes::parent;
        layers[1].touches[0].place_m = Vec3(0.01, 0.125, -0.5);
        layers[3].touches[0].pose = "fist";
        layers[3].touches[0].opening = 0.25;
        layers[3].touches[0].own_pose = *shipped_hand_pose("grip");
        layers[3].touches[0].own_pose->name = "fist";
        layers[3].touches[0].own_pose->of[2].roll_rad[1] = deg_to_rad(7.5);
        layers[1].touches[0].support = "crate";
        layers[5].touches[0].range_rad = deg_to_rad(12.0);
        layers[4].touches[0].cut_off_hz = 9.0;
        layers[8].touches[0].percent = 90.0;
        const Json json = touch_layers_json(layers);
        const TouchLayers again = read_touch_layers(json, "test");
        QCOMPARE(int(again.size()), int(layers.size()));
        QVERIFY((again[0].touches[0].turn_rad - layers[0].touches[0].turn_rad).norm() < 1e-10);
        QCOMPARE(format_document(touch_layers_json(again)), format_document(json));
        QCOMPARE(again[1].touches[0].support, std::string("crate"));
        QVERIFY(std::abs(again[5].touches[0].range_rad - deg_to_rad(12.0)) < 1e-12);
        const HandPose& own = *again[3].touches[0].own_pose;
        QCOMPARE(own.name, std::string("fist"));
        QVERIFY(std::abs(own.of[2].roll_rad[1] - deg_to_rad(7.5)) < 1e-10);
        QVERIFY(std::abs(own.oppose_rad - shipped_hand_pose("grip")->oppose_rad) < 1e-10);
        QVERIFY(!again[0].touches[0].own_pose);
        QVERIFY(again[7].is_muted && again[7].is_idle() && !again[0].is_idle());
        const auto told = [&](const char* key, const Json& value) {
            Json broken = json;
            broken[1]["touches"][0][key] = value;
            try {
                read_touch_layers(broken, "pairing.json");
            } catch (const FileError& fault) {
                return QString(fault.what());
            }
            return QString();
        };
        QVERIFY2(told("kind", "wiggle").contains("layer 'place', touch-up 1: the kind 'wiggle'"),
                 qPrintable(told("kind", "wiggle")));
        QVERIFY(told("stage", "never").contains("write source, angles or last"));
        QVERIFY(told("fingers", {{"toe", Json::object()}}).contains("the finger 'toe' is not known"));
        QVERIFY(told("fingers", {{"thumb", 3}}).contains("'thumb' is no object"));
        QVERIFY(!told("fingers", {{"thumb", {{"bend_deg", {1, 2}}}}}).isEmpty());
        QVERIFY(told("axes", "moon").contains("write bone, above, body or world"));
        QVERIFY(told("place_cm", Json::array({1, 2})).contains("place_cm"));
        QVERIFY(told("when", {{"from_s", 2}, {"to_s", 1}}).contains("exchange"));
        QVERIFY(!told("when", 3).isEmpty());
    }

    void the_low_pass_is_scipys() {
        const auto reference =
            nlohmann::json::parse(read_file(std::string(NB_SOURCE_DIR) + "/tests/reference/low_pass.json"));
        for (const auto& one : reference.at("cases")) {
            const SecondOrder filter = butterworth(one.at("corner_hz"), one.at("fps"));
            for (size_t i = 0; i < 3; ++i) {
                QVERIFY(std::abs(filter.b[i] - one.at("b")[i].get<double>()) < 1e-12);
                QVERIFY(std::abs(filter.a[i] - one.at("a")[i].get<double>()) < 1e-12);
            }
            std::vector<Vec3> values;
            for (const auto& row : one.at("in")) values.emplace_back(row[0], row[1], row[2]);
            filter_both_ways(filter, values);
            for (size_t i = 0; i < values.size(); ++i)
                for (int axis = 0; axis < 3; ++axis)
                    QVERIFY(std::abs(values[i][axis] - one.at("out")[i][size_t(axis)].get<double>()) < 1e-9);
        }
    }

    void the_worst_joints_of_a_capture_are_calmed() {  // property 8
        const LoadedFile source = load_file(capture("01_01.bvh"));
        const Take& take = *source.take;
        const double dt = take.frame_time_s;
        const auto curve = [&](int joint) {
            std::vector<Quat> R;
            for (int f = take.first_motion_frame; f < take.frames; ++f)
                R.push_back(take.R[size_t(f) * size_t(take.joints) + size_t(joint)]);
            return R;
        };
        // Tremble: the change of the change of the turn, mean over the frames.
        const auto tremble = [](const std::vector<Quat>& R) {
            double sum = 0.0;
            for (size_t f = 1; f + 1 < R.size(); ++f)
                sum += (log_rotation(R[f].conjugate() * R[f + 1]) + log_rotation(R[f].conjugate() * R[f - 1]))
                           .norm();
            return sum / double(R.size());
        };
        std::vector<std::pair<double, int>> joints;
        for (const RoleFill& fill : source.character.roles.fills)
            joints.emplace_back(tremble(curve(fill.joint)), fill.joint);
        std::sort(joints.rbegin(), joints.rend());
        for (size_t i = 0; i < 5; ++i) {
            std::vector<Quat> R = curve(joints[i].second);
            const std::vector<Quat> before = R;
            TouchSpan when{false, 4.0, 8.0, 0.25, 0.25};
            const std::vector<double> weights = weights_of(when, 1.0, int(R.size()), 0.0, dt);
            calm_turns(R, dt, 5.0, 0.0, weights);
            std::vector<Quat> in, in_before;
            for (size_t f = 0; f < R.size(); ++f) {
                if (weights[f] == 0.0) QVERIFY(R[f].coeffs() == before[f].coeffs());
                if (weights[f] != 1.0) continue;
                in.push_back(R[f]);
                in_before.push_back(before[f]);
            }
            const double left = tremble(in) / tremble(in_before);
            QVERIFY2(left < 1.0 / 3.0, qPrintable(QString("%1").arg(left)));
            // What is kept of fast motion lies between.
            std::vector<Quat> kept = before;
            calm_turns(kept, dt, 5.0, 1.0, weights);
            double nearer = 0.0, farther = 0.0;
            for (size_t f = 0; f < R.size(); ++f) {
                nearer += angle_between(kept[f], before[f]);
                farther += angle_between(R[f], before[f]);
            }
            QVERIFY(nearer < farther);
        }
    }

    void swings_are_damped_and_held_inside() {
        const double dt = 1.0 / 60.0;
        std::vector<Quat> R;
        for (int f = 0; f < 600; ++f)
            R.push_back(exp_rotation(deg_to_rad(40.0) * std::sin(2 * pi * 2.0 * f * dt) * Vec3::UnitX()));
        const std::vector<double> full(R.size(), 1.0);
        std::vector<Quat> half = R;
        damp_turns(half, dt, 0.5, 0.2, full);
        std::vector<Quat> inside = R;
        hold_inside(inside, Quat::Identity(), deg_to_rad(20.0), full);
        for (size_t f = 60; f < 540; ++f) {
            const double was = log_rotation(R[f]).x();
            // Slow courses need some seconds from the ends.
            if (f > 200 && f < 400)
                QVERIFY(std::abs(log_rotation(half[f]).x() - 0.5 * was) < deg_to_rad(0.5));
            const double now = log_rotation(inside[f]).x();
            QVERIFY(std::abs(now) < deg_to_rad(20.0) + 1e-9);
            if (std::abs(was) <= deg_to_rad(10.0)) QVERIFY(inside[f].coeffs() == R[f].coeffs());
            // tanh worked by hand at 40 degrees: 10 + 10 tanh(3) = 19.951.
            if (std::abs(std::abs(was) - deg_to_rad(40.0)) < 1e-6)
                QVERIFY(std::abs(std::abs(now) - deg_to_rad(19.9505)) < deg_to_rad(0.001));
        }
        std::vector<Quat> none = R;
        damp_turns(none, dt, 0.5, 0.2, std::vector<double>(R.size(), 0.0));
        for (size_t f = 0; f < R.size(); ++f) QVERIFY(none[f].coeffs() == R[f].coeffs());
    }

    /// Over a body, by its range: a walk's arm swings no further than that to either side of its middle.
    void a_swing_is_held_inside_a_range() {
        LoadedFile walk = demo_take("quay-walk");
        TouchUp damp;
        damp.kind = TouchKind::damp;
        damp.stage = TouchStage::source;
        damp.what = "upperarm.left";
        damp.range_rad = deg_to_rad(6.0);
        std::vector<std::string> notes;
        const Character& c = walk.character;
        const Skeleton& s = c.rig.skeleton;
        const size_t arm = size_t(c.roles.joint("upperarm.left"));
        const auto swing = [&](const WorldMotion& motion) {
            const auto turn = [&](int f) {
                return Quat(motion.R[motion.at(f, s.parents[arm])].conjugate() *
                            motion.R[motion.at(f, int(arm))]);
            };
            const Quat middle = mean_rotation(turn, 0, motion.frames);
            double most = 0.0;
            for (int f = 0; f < motion.frames; ++f) most = std::max(most, angle_between(middle, turn(f)));
            return rad_to_deg(most);
        };
        const WorldMotion before = forward_kinematics(s, *walk.take);
        const WorldMotion after = forward_kinematics(
            s, touched_take(c, *walk.take, {{"x", false, 1.0, {damp}}}, walk.take->start_s, notes));
        QVERIFY(notes.empty());
        QVERIFY2(swing(before) > 12.0, qPrintable(QString::number(swing(before))));
        // The middle of what is held moves a little itself.
        QVERIFY2(swing(after) < 7.5, qPrintable(QString::number(swing(after))));
    }

    void what_a_body_always_needs_is_found_again() {
        TouchUp thumb;
        thumb.what = "thumb.1.left";
        thumb.turn_rad = {0, 0, deg_to_rad(12.0)};
        const auto with = [&](double deg) {
            TouchUp own = thumb;
            own.turn_rad.z() = deg_to_rad(deg);
            return TouchLayer{"shot", false, 1.0, {own}};
        };
        TouchUp other = thumb;
        other.what = "head";
        std::map<std::string, TouchLayers> takes{{"a", {with(12.0)}},
                                                 {"b", {{"x", false, 1.0, {other, with(13.0).touches[0]}}}},
                                                 {"c", {with(30.0)}}};
        QVERIFY(find_habits(takes).empty());
        takes["d"] = {with(11.0)};
        const std::vector<Habit> habits = find_habits(takes);
        QCOMPARE(habits.size(), size_t(1));
        QCOMPARE(habits[0].takes, (std::vector<std::string>{"a", "b", "d"}));
        QVERIFY(std::abs(habits[0].touch.turn_rad.z() - deg_to_rad(12.0)) < 1e-12);
        const auto rest = without_habit(takes, habits[0]);
        QCOMPARE(rest.size(), size_t(2));
        QVERIFY(rest.at("b")[0].touches == std::vector<TouchUp>{other});
        QVERIFY(rest.at("c") == takes.at("c"));
        // All it was found in lose it, also one that is far from the mean of all.
        const std::map<std::string, TouchLayers> apart{{"a", {with(12.0)}},
                                                       {"b", {with(9.1)}},
                                                       {"c", {with(15.9)}},
                                                       {"d", {with(15.9)}},
                                                       {"e", {with(15.9)}}};
        QCOMPARE(find_habits(apart).size(), size_t(1));
        QCOMPARE(find_habits(apart)[0].takes.size(), size_t(5));
        QVERIFY(without_habit(apart, find_habits(apart)[0]).empty());
        // Muted, weighed, keyed and of another stage: not the same.
        for (const int what : {0, 1, 2, 3}) {
            auto unlike = takes;
            TouchLayer& layer = unlike["d"][0];
            if (what == 0) layer.is_muted = true;
            if (what == 1) layer.weight = 0.5;
            if (what == 2) layer.touches[0].when = {false, 1.0, 2.0, 0.25, 0.25};
            if (what == 3) layer.touches[0].stage = TouchStage::last;
            QVERIFY(find_habits(unlike).empty());
        }
    }

    void bends_are_the_same_for_any_count_of_bones() {
        const std::array<double, 3> three{1.0, 2.0, 3.0};
        QCOMPARE(spread_over(three, 3), (std::vector<double>{1.0, 2.0, 3.0}));
        for (const int count : {1, 2, 4}) {
            double sum = 0.0;
            for (const double bend : spread_over(three, count)) sum += bend;
            QVERIFY(std::abs(sum - 6.0) < 1e-12);
        }
        QCOMPARE(spread_over(three, 2), (std::vector<double>{2.0, 4.0}));  // 1 and half of 2; half of 2 and 3
        QVERIFY(spread_over(three, 0).empty());
    }

    void a_hand_of_ones_own_is_the_hand_that_was_shown() {
        const LoadedFile ferrier = demo_body("ferrier"), dockhand = demo_body("dockhand");
        const Character& c = ferrier.character;
        const auto posed = [](const Character& body, const HandPose& pose, const std::string& side) {
            Pose shown = aligned_pose(body.rest);
            const int hand = body.roles.joint("hand" + side);
            set_fingers(body.rest, hand, pose_hand(body.rig.skeleton, body.roles, body.rest, side, pose, 0.0),
                        1.0, false, shown.R);
            return shown;
        };
        const auto worst = [](const Character& body, const Pose& a, const Pose& b) {
            double most = 0.0;
            for (const RoleFill& fill : body.roles.fills)
                most = std::max(most, angle_between(a.R[size_t(fill.joint)], b.R[size_t(fill.joint)]));
            return rad_to_deg(most);
        };
        // Bends, rolls and spreads of any kind, on fingers of three bones: to the last digit, and mirrored.
        HandPose odd;
        Random random(7);
        const auto within = [&](double low, double high) {
            return std::uniform_real_distribution<double>(low, high)(random);
        };
        for (HandPose::Digit& digit : odd.of)
            for (size_t i = 0; i < 3; ++i) {
                digit.bend_rad[i] = within(-0.3, 1.7);
                digit.spread_rad[i] = within(-0.4, 0.4);
                digit.roll_rad[i] = within(-0.3, 0.3);
            }
        for (const std::string side : {".left", ".right"}) {
            const Pose shown = posed(c, odd, side);
            const auto read = hand_pose_of(c.rig.skeleton, c.roles, c.rest, side, shown, "odd");
            QVERIFY(read && read->name == "odd");
            QVERIFY(worst(c, shown, posed(c, *read, side)) < 1e-6);
            // Wherever the hand is turned to.
            Pose moved = shown;
            const Quat by = exp_rotation(Vec3(0.4, -0.9, 0.2));
            for (Quat& R : moved.R) R = by * R;
            const auto same = hand_pose_of(c.rig.skeleton, c.roles, c.rest, side, moved, "odd");
            QVERIFY(worst(c, shown, posed(c, *same, side)) < 1e-6);
        }
        const auto tip = [&](const Pose& pose, const char* role) {
            return pose.R[size_t(c.roles.joint(role))] *
                   c.rest.R_WJ0[size_t(c.roles.joint(role))].conjugate();
        };
        const Pose left = posed(c, odd, ".left"), right = posed(c, odd, ".right");
        for (const char* digit : {"thumb.3", "index.3", "little.3"}) {
            const Quat l = tip(left, (digit + std::string(".left")).c_str());
            const Quat r = tip(right, (digit + std::string(".right")).c_str());
            const Quat mirrored(l.w(), l.x(), -l.y(), -l.z());
            QVERIFY2(rad_to_deg(angle_between(mirrored, r)) < 2.0, digit);
        }
        // A grip read off the ferrier's five fingers fits the dockhand's three, and back.
        const HandPose& grip = *shipped_hand_pose("grip");
        const auto of_five =
            hand_pose_of(c.rig.skeleton, c.roles, c.rest, ".left", posed(c, grip, ".left"), "hook");
        const Character& d = dockhand.character;
        QVERIFY(worst(d, posed(d, grip, ".left"), posed(d, *of_five, ".left")) < 8.0);
        const auto of_three =
            hand_pose_of(d.rig.skeleton, d.roles, d.rest, ".left", posed(d, grip, ".left"), "hook");
        QVERIFY(of_three->of[3] == of_three->of[2] && of_three->of[4] == of_three->of[2]);
        const LoadedFile child = demo_body("lamp-child");
        const Character& n = child.character;
        QVERIFY(!hand_pose_of(n.rig.skeleton, n.roles, n.rest, ".left", aligned_pose(n.rest), "none"));
    }

    void hand_poses_read_as_hands_data() {
        QTest::addColumn<QString>("body");
        for (const char* body : {"ferrier", "dockhand", "net-mender"}) QTest::newRow(body) << QString(body);
    }
    void hand_poses_read_as_hands() {
        QFETCH(QString, body);
        const LoadedFile loaded = demo_body(body.toStdString());
        const Character& c = loaded.character;
        const auto pose_with = [&](const std::string& name, double opening) {
            Pose pose = aligned_pose(c.rest);
            for (const char* side : {".left", ".right"}) {
                const auto fingers =
                    pose_hand(c.rig.skeleton, c.roles, c.rest, side, *shipped_hand_pose(name), opening);
                const int hand = c.roles.joint(std::string("hand") + side);
                set_fingers(c.rest, hand, fingers, 1.0, false, pose.R);
            }
            for (int j = 0; j < c.rig.skeleton.size(); ++j) {
                const int parent = c.rig.skeleton.parents[size_t(j)];
                if (parent >= 0 && c.rig.skeleton.is_ancestor(c.roles.joint("hips"), parent))
                    pose.p[size_t(j)] =
                        pose.p[size_t(parent)] + pose.R[size_t(parent)] * c.rig.skeleton.rest_p[size_t(j)];
            }
            return pose;
        };
        const auto last_of = [&](const std::string& digit, const std::string& side) {
            int last = -1;
            for (int i = 1; i <= 4; ++i)
                if (const int j = c.roles.joint(digit + "." + std::to_string(i) + side); j >= 0) last = j;
            return last;
        };
        const Pose straight = pose_with("straight", 0.0);
        const Pose fist = pose_with("fist", 0.0);
        const Pose open_fist = pose_with("fist", 1.0);
        const Pose spread = pose_with("spread", 0.0);
        const Pose point = pose_with("point", 0.0);
        int fingers = 0;
        for (const std::string side : {".left", ".right"}) {
            const size_t hand = size_t(c.roles.joint("hand" + side));
            for (const std::string digit : {"index", "middle", "ring", "little"}) {
                const int last = last_of(digit, side);
                const int first = c.roles.joint(digit + ".1" + side);
                if (last < 0 || first < 0 || last == first) continue;
                ++fingers;
                const size_t l = size_t(last);
                // Straight, and a fist all open, is the aligned hand.
                QVERIFY(angle_between(straight.R[l], c.rest.R_WJ0[l]) < 1e-9);
                QVERIFY(angle_between(open_fist.R[l], c.rest.R_WJ0[l]) < 1e-9);
                const auto reach = [&](const Pose& pose) { return (pose.p[l] - pose.p[hand]).norm(); };
                // In a fist the last bone lies nearer to the wrist, below the palm, and points back.
                QVERIFY2(reach(fist) < 0.85 * reach(straight), digit.c_str());
                QVERIFY(fist.p[l].y() < straight.p[l].y() - 0.01);
                const double turned = rad_to_deg(angle_between(fist.R[l], straight.R[l]));
                QVERIFY2(turned > 110.0, qPrintable(QString("%1 %2").arg(digit.c_str()).arg(turned)));
                if (digit == "index") QVERIFY(reach(point) > 0.97 * reach(straight));
            }
            const int index = last_of("index", side);
            const int little = last_of("little", side);
            if (index >= 0 && little >= 0)
                QVERIFY((spread.p[size_t(index)] - spread.p[size_t(little)]).norm() >
                        1.2 * (straight.p[size_t(index)] - straight.p[size_t(little)]).norm());
            if (const int thumb = last_of("thumb", side); thumb >= 0 && index >= 0) {
                // The thumb comes under the palm.
                QVERIFY(fist.p[size_t(thumb)].y() < straight.p[size_t(thumb)].y());
            }
        }
        QVERIFY(fingers >= 4);
        // Both sides mirror each other as well as the body does.
        for (const std::string digit : digits) {
            const int left = last_of(digit, ".left");
            const int right = last_of(digit, ".right");
            if (left < 0 || right < 0) continue;
            const Vec3& r = fist.p[size_t(right)];
            QVERIFY((fist.p[size_t(left)] - Vec3(-r.x(), r.y(), r.z())).norm() < 0.02);
        }
    }

    void poses_blend_over_or_replace() {
        const LoadedFile loaded = demo_body("ferrier");
        const Character& c = loaded.character;
        const auto fingers =
            pose_hand(c.rig.skeleton, c.roles, c.rest, ".left", *shipped_hand_pose("grip"), 0.0);
        const int hand = c.roles.joint("hand.left");
        const int finger = c.roles.joint("middle.2.left");
        const Quat bend = exp_rotation(0.3 * Vec3::UnitZ());
        std::vector<Quat> R = c.rest.R_WJ0;
        R[size_t(finger)] = bend * R[size_t(finger)];
        const std::vector<Quat> own = R;
        std::vector<Quat> none = own, half = own, whole = own, added = own;
        set_fingers(c.rest, hand, fingers, 0.0, false, none);
        set_fingers(c.rest, hand, fingers, 0.5, false, half);
        set_fingers(c.rest, hand, fingers, 1.0, false, whole);
        set_fingers(c.rest, hand, fingers, 1.0, true, added);
        const size_t f = size_t(finger);
        QVERIFY(none[f].coeffs() == own[f].coeffs());
        const double all = angle_between(own[f], whole[f]);
        QVERIFY(std::abs(angle_between(own[f], half[f]) - 0.5 * all) < 1e-9);
        // Replaced: as on a hand whose fingers were straight. On top: the own bend stays in it.
        std::vector<Quat> of_straight = c.rest.R_WJ0;
        set_fingers(c.rest, hand, fingers, 1.0, false, of_straight);
        QVERIFY(angle_between(whole[f], of_straight[f]) < 1e-9);
        QVERIFY(std::abs(angle_between(added[f], of_straight[f]) - 0.3) < 1e-9);
        QVERIFY(pose_hand(c.rig.skeleton, c.roles, c.rest, ".left", *shipped_hand_pose("fist"), 0.0).size() ==
                fingers.size());
        QVERIFY(!shipped_hand_pose("claw"));
        const LoadedFile dog = demo_body("quay-dog");
        QVERIFY(pose_hand(dog.character.rig.skeleton, dog.character.roles, dog.character.rest, ".left",
                          *shipped_hand_pose("fist"), 0.0)
                    .empty());
    }

    void a_span_is_paced_and_nothing_else() {
        LoadedFile source = load_file(capture("01_01.bvh"));
        Take& take = *source.take;
        const double dt = take.frame_time_s;
        take.contacts.list = {{"ball.left", 100, 300, ContactKind::stay, 0.0},
                              {"ball.left", 1000, 1200, ContactKind::stay, 0.0}};
        take.contacts.is_by_hand = true;
        const TouchSpan when{false, 500 * dt, 800 * dt, 24 * dt, 24 * dt};
        for (const double percent : {90.0, 50.0, 140.0, 100.0}) {
            const Pace pace = pace_of(take, when, percent, 0.0);
            const Take result = paced(take, pace);
            QCOMPARE(result.frames, int(pace.at.size()));
            const int more = result.frames - take.frames;
            // 300 frames at the pace, the eases between: by hand within their two halves.
            const double least = 300.0 * (100.0 / percent - 1.0);
            const double most = 348.0 * (100.0 / percent - 1.0);
            QVERIFY(more >= std::floor(std::min(least, most)) && more <= std::ceil(std::max(least, most)));
            QVERIFY2(std::abs(pace.percent - percent) < 0.5, qPrintable(QString::number(pace.percent)));
            const auto is_frame = [&](int now, int before) {
                const auto a = result.rotations(now);
                const auto b = take.rotations(before);
                for (size_t j = 0; j < a.size(); ++j)
                    if (a[j].coeffs() != b[j].coeffs()) return false;
                return true;
            };
            for (int f = 0; f < 476; ++f) QVERIFY(is_frame(f, f));
            for (int f = 825; f < take.frames; ++f) QVERIFY(is_frame(f + more, f));
            // The clock goes on, evenly and without a step.
            for (size_t f = 1; f < pace.at.size(); ++f) {
                const double step = pace.at[f] - pace.at[f - 1];
                QVERIFY(step > 0.99 * std::min(1.0, percent / 100.0) &&
                        step < 1.01 * std::max(1.0, percent / 100.0));
                if (f > 1) QVERIFY(std::abs(step - (pace.at[f - 1] - pace.at[f - 2])) < 0.1);
            }
            QCOMPARE(result.contacts.list[0].first, 100);
            QCOMPARE(result.contacts.list[1].first, 1000 + more);
            QCOMPARE(result.contacts.list[1].last, 1200 + more);
            QVERIFY(std::abs(pace.to_new(pace.at[600]) - 600.0) < 1e-9);
        }
        // Always: every frame of the motion, and the one set before it stays.
        const Pace all = pace_of(take, TouchSpan(), 50.0, 0.0);
        QCOMPARE(int(all.at.size()),
                 take.first_motion_frame + 2 * (take.frames - 1 - take.first_motion_frame) + 1);
        QVERIFY(pace_of(Take(), when, 90.0, 0.0).at.empty());
    }

    void a_loop_played_three_times_has_no_step_data() {
        QTest::addColumn<int>("first");
        QTest::addColumn<int>("last");
        QTest::addColumn<int>("blend");
        QTest::newRow("a walk, over the last third of a second") << 150 << 402 << 40;
        QTest::newRow("the same, over all of it") << 150 << 402 << 0;
        QTest::newRow("places that do not meet") << 600 << 900 << 60;
    }
    void a_loop_played_three_times_has_no_step() {  // property 7
        QFETCH(int, first);
        QFETCH(int, last);
        QFETCH(int, blend);
        const LoadedFile source = load_file(capture("01_01.bvh"));
        const Character& c = source.character;
        const Skeleton& skeleton = c.rig.skeleton;
        const BodyLines lines{c.roles.joint("thigh.left"), c.roles.joint("thigh.right"),
                              c.roles.joint("upperarm.left"), c.roles.joint("upperarm.right")};
        Take take = *source.take;
        const int top = c.roles.joint("hips");
        const LoopGap gap = close_loop(skeleton, take, top, lines, first, last, blend);
        QVERIFY(gap.turn_rad > deg_to_rad(1.0));
        const int unchanged = blend > 0 ? last - blend : first;
        for (int f = 0; f <= unchanged; ++f)
            for (int j = 0; j < take.joints; ++j)
                if (j != top && f < unchanged)
                    QVERIFY(take.rotations(f)[size_t(j)].coeffs() ==
                            source.take->rotations(f)[size_t(j)].coeffs());
        // Three cycles, each where the one before left off.
        const WorldMotion world = forward_kinematics(skeleton, take);
        const std::vector<Rigid> track = root_track(forward_kinematics(skeleton, *source.take), lines,
                                                    take.frame_time_s, take.first_motion_frame);
        const Rigid D = track[size_t(last)] * inverse(track[size_t(first)]);
        QVERIFY(std::abs(gap.travel_m - (track[size_t(last)].p - track[size_t(first)].p).norm()) < 1e-9);
        std::vector<std::vector<Rigid>> played;
        Rigid way;
        for (int cycle = 0; cycle < 3; ++cycle) {
            for (int f = first; f < last; ++f) {
                played.emplace_back();
                for (int j = 0; j < take.joints; ++j)
                    played.back().push_back(way * Rigid{world.R[world.at(f, j)], world.p[world.at(f, j)]});
            }
            way = D * way;
        }
        // The last frame is the first one, a cycle further.
        for (int j = 0; j < take.joints; ++j) {
            const Rigid end{world.R[world.at(last, j)], world.p[world.at(last, j)]};
            const Rigid start = D * Rigid{world.R[world.at(first, j)], world.p[world.at(first, j)]};
            QVERIFY2(rad_to_deg(angle_between(end.R, start.R)) < 0.05,
                     qPrintable(QString::number(rad_to_deg(angle_between(end.R, start.R)))));
            QVERIFY2((end.p - start.p).norm() < 0.0005,
                     qPrintable(QString::number((end.p - start.p).norm())));
        }
        // Velocities agree within 2 % of the fastest joint's (one-sided differences of second order).
        double fastest = 0.0, off = 0.0;
        for (int j = 0; j < take.joints; ++j) {
            const auto p = [&](int f) -> const Vec3& { return world.p[world.at(f, j)]; };
            const Vec3 start = D.R * Vec3(0.5 * (-3.0 * p(first) + 4.0 * p(first + 1) - p(first + 2)));
            const Vec3 end = 0.5 * (3.0 * p(last) - 4.0 * p(last - 1) + p(last - 2));
            off = std::max(off, (start - end).norm());
            for (int f = first; f < last; ++f) fastest = std::max(fastest, (p(f + 1) - p(f)).norm());
        }
        QVERIFY2(off < 0.02 * fastest, qPrintable(QString("%1 %2").arg(off).arg(fastest)));
        // No step at the seams: the change of a joint's speed there is none that the take does not have itself.
        const int n = last - first;
        double at_seams = 0.0, elsewhere = 0.0;
        for (int f = 2; f + 2 < 3 * n; ++f)
            for (size_t j = 0; j < size_t(take.joints); ++j) {
                const auto p = [&](int frame) -> const Vec3& { return played[size_t(frame)][j].p; };
                const double change = (p(f + 1) - 2.0 * p(f) + p(f - 1)).norm();
                const bool is_seam = std::abs(f - n) <= 1 || std::abs(f - 2 * n) <= 1;
                (is_seam ? at_seams : elsewhere) = std::max(is_seam ? at_seams : elsewhere, change);
            }
        QVERIFY2(at_seams < elsewhere, qPrintable(QString("%1 %2").arg(at_seams).arg(elsewhere)));
        // Too short a span is left alone.
        Take few = *source.take;
        close_loop(skeleton, few, top, lines, 100, 102, 0);
        QVERIFY(few.rotations(102)[3].coeffs() == source.take->rotations(102)[3].coeffs());
    }

    /// A foot of the walk that stands is made to hop, as a capture does that loses a marker; then it is settled.
    void a_standing_foot_that_hops_is_settled() {
        LoadedFile file = demo_take("quay-walk");
        const Character& c = file.character;
        const Skeleton& s = c.rig.skeleton;
        const int ankle = c.roles.joint("foot.left");
        const WorldMotion good = forward_kinematics(s, *file.take);
        int still = 0;
        double least = 1e9;
        for (int f = 60; f + 60 < good.frames; ++f)
            if (const double way = (good.p[good.at(f - 18, ankle)] - good.p[good.at(f + 18, ankle)]).norm();
                way < least) {
                least = way;
                still = f;
            }
        for (int f = still - 1; f <= still + 2; ++f) {
            Quat& R = file.take->R
                          .edit()[size_t(f) * size_t(file.take->joints) + size_t(c.roles.joint("shin.left"))];
            R = R * exp_rotation(deg_to_rad(8.0) * Vec3::UnitX());
        }
        const WorldMotion hopping = forward_kinematics(s, *file.take);
        const auto hops = find_foot_hops(s, c.roles, *file.take);
        QCOMPARE(int(hops.size()), 1);
        TouchUp settle;
        settle.kind = TouchKind::settle;
        settle.stage = TouchStage::source;
        std::vector<std::string> notes;
        const Take settled = touched_take(c, *file.take, {{"feet", false, 1.0, {settle}}}, 0.0, notes);
        QVERIFY(notes.empty());
        QVERIFY(find_foot_hops(s, c.roles, settled).empty());
        const WorldMotion motion = forward_kinematics(s, settled);
        for (int f = 0; f < motion.frames; ++f)
            for (int j = 0; j < motion.joints; ++j) {
                const bool is_hop = f > hops[0].first && f < hops[0].last;
                const Vec3& p = motion.p[motion.at(f, j)];
                if (!is_hop) QVERIFY(p == hopping.p[hopping.at(f, j)]);
                // The ankle is where it stood before it was made to hop, steps and all else as they were.
                if (is_hop && j == ankle) QVERIFY((p - good.p[good.at(f, j)]).norm() < 0.003);
            }
        // Muted by half it hops by half; where nothing hops it says so.
        const Take half = touched_take(c, *file.take, {{"feet", false, 0.5, {settle}}}, 0.0, notes);
        const WorldMotion by_half = forward_kinematics(s, half);
        const size_t worst = by_half.at(hops[0].frame, ankle);
        const double whole_m = (hopping.p[worst] - motion.p[worst]).norm();
        QVERIFY(std::abs((by_half.p[worst] - motion.p[worst]).norm() - 0.5 * whole_m) < 0.05 * whole_m);
        QVERIFY(notes.empty());
        touched_take(c, settled, {{"feet", false, 1.0, {settle}}}, 0.0, notes);
        QCOMPARE(int(notes.size()), 1);
        QVERIFY(notes[0].find("no standing foot hops there") != std::string::npos);
    }

    void a_loop_on_the_spot_goes_nowhere() {
        const LoadedFile source = load_file(capture("01_01.bvh"));
        const Character& c = source.character;
        TouchUp loop;
        loop.kind = TouchKind::loop;
        loop.stage = TouchStage::source;
        const double dt = source.take->frame_time_s;
        loop.when = {false, 150 * dt, 402 * dt, 0.0, 0.3};
        std::vector<std::string> notes;
        const auto track = [&](const Take& take) {
            return root_track(forward_kinematics(c.rig.skeleton, take), lines_of(c.roles), dt,
                              take.first_motion_frame);
        };
        const auto travelled =
            track(touched_take(c, *source.take, {{"loop", false, 1.0, {loop}}}, 0.0, notes));
        loop.has_travel = false;
        const auto stays = track(touched_take(c, *source.take, {{"loop", false, 1.0, {loop}}}, 0.0, notes));
        QVERIFY(notes.empty());
        QVERIFY((travelled[402].p - travelled[150].p).norm() > 0.5);
        QVERIFY((stays[402].p - stays[150].p).norm() < 1e-6);
        QVERIFY((stays[276].p - stays[150].p).norm() < (travelled[276].p - travelled[150].p).norm());
        // No step behind it: what comes later is moved by all of the travel.
        QVERIFY((stays[403].p - stays[402].p - (travelled[403].p - travelled[402].p)).norm() < 1e-9);
    }

    /// A span that reaches beyond the take loops what there is, on the spot, too.
    void a_loop_that_reaches_beyond_the_take_is_the_whole_take() {
        const LoadedFile source = demo_take("quay-walk");
        TouchUp loop;
        loop.kind = TouchKind::loop;
        loop.stage = TouchStage::source;
        loop.has_travel = false;
        std::vector<std::string> notes;
        const auto looped = [&](const TouchSpan& when, std::vector<LoopFrames>& loops) {
            loop.when = when;
            return touched_take(source.character, *source.take, {{"x", false, 1.0, {loop}}},
                                source.take->start_s, notes, &loops);
        };
        std::vector<LoopFrames> loops, of_whole;
        const Take beyond = looped({false, -50.0, 900.0, 0.0, 1000.0}, loops);
        const Take whole = looped({true, 0.0, 0.0, 0.0, 1000.0}, of_whole);
        QCOMPARE(loops.size(), size_t(1));
        QCOMPARE(loops[0].first, of_whole[0].first);
        QCOMPARE(loops[0].last, source.take->frames - 1);
        QCOMPARE(beyond.p.size(), whole.p.size());
        for (size_t i = 0; i < beyond.p.size(); ++i) QVERIFY(beyond.p[i] == whole.p[i]);
    }

    void layers_that_do_nothing_change_no_bit() {  // property 1
        const LoadedFile source = load_file(capture("01_01.bvh"));
        const TouchUp turn = [] {
            TouchUp touch = turn_of("upperarm.left", {0, 0, 20}, TurnAxes::bone);
            touch.stage = TouchStage::source;
            return touch;
        }();
        TouchUp later = turn;
        later.stage = TouchStage::last;
        for (const TouchLayers& layers :
             {TouchLayers{}, TouchLayers{{"muted", true, 1.0, {turn}}},
              TouchLayers{{"weighed 0", false, 0.0, {turn}}}, TouchLayers{{"empty", false, 1.0, {}}},
              TouchLayers{{"of another stage", false, 1.0, {later}}}}) {
            std::vector<std::string> notes;
            const Take take = touched_take(source.character, *source.take, layers, 0.0, notes);
            QVERIFY(notes.empty());
            for (size_t i = 0; i < take.R.size(); ++i)
                QVERIFY(take.R[i].coeffs() == source.take->R[i].coeffs());
            for (size_t i = 0; i < take.p.size(); ++i) QVERIFY(take.p[i] == source.take->p[i]);
        }
    }

    void what_lies_outside_the_take_is_told() {
        const LoadedFile source = load_file(capture("01_01.bvh"));
        TouchLayers layers{{"far", false, 1.0, {}}};
        for (const TouchKind kind : {TouchKind::turn, TouchKind::pace, TouchKind::loop}) {
            TouchUp touch = turn_of("upperarm.left", {0, 0, 20}, TurnAxes::bone);
            touch.kind = kind;
            touch.stage = TouchStage::source;
            touch.percent = 50.0;
            touch.when = {false, 1e5, 2e5, 0.25, 0.25};
            layers[0].touches.push_back(touch);
        }
        layers[0].touches.push_back(layers[0].touches.back());
        layers[0].touches.back().when = {false, 1.0, 1.01, 0.25, 0.25};
        std::vector<std::string> notes;
        const Take take = touched_take(source.character, *source.take, layers, 0.0, notes);
        QCOMPARE(int(notes.size()), 4);
        int outside = 0, short_ones = 0;
        for (const std::string& note : notes) {
            outside += note.find("outside the take") != std::string::npos;
            short_ones += note.find("five frames") != std::string::npos;
        }
        QCOMPARE(outside, 3);
        QCOMPARE(short_ones, 1);
        QCOMPARE(take.frames, source.take->frames);
    }

    void a_body_that_is_shifted_takes_all_with_it() {  // property 6
        const LoadedFile source = load_file(capture("01_01.bvh"));
        const LoadedFile target = load_file(rig("ferrier/rig.glb"));
        TouchUp shift;
        shift.kind = TouchKind::body;
        shift.stage = TouchStage::source;
        shift.axes = TurnAxes::world;
        shift.place_m = Vec3(1.25, 0.0, -0.5);
        std::vector<std::string> notes;
        LoadedFile moved = source;
        moved.take =
            touched_take(source.character, *source.take, {{"aside", false, 1.0, {shift}}}, 0.0, notes);
        QVERIFY(notes.empty());
        const TransferResult plain = carry(source, target);
        const TransferResult shifted = carry(moved, target);
        // What is scaled is scaled about where the take begins, and that has moved with it.
        const Vec3 by = shift.place_m;
        double off = 0.0;
        for (int f = source.take->first_motion_frame; f < plain.target.frames; f += 3)
            for (const RoleFill& fill : target.character.roles.fills) {
                const size_t at = plain.target.at(f, fill.joint);
                off = std::max(off, (shifted.target.p[at] - plain.target.p[at] - by).norm());
            }
        QVERIFY2(off < 1e-6, qPrintable(QString::number(off)));
        QCOMPARE(shifted.contacts.list.size(), plain.contacts.list.size());
        // A heading turns about where the body stands at its beginning.
        shift.place_m = Vec3::Zero();
        shift.turn_rad = Vec3(0, deg_to_rad(90.0), 0);
        const Take turned =
            touched_take(source.character, *source.take, {{"round", false, 1.0, {shift}}}, 0.0, notes);
        const WorldMotion before = forward_kinematics(source.character.rig.skeleton, *source.take);
        const WorldMotion after = forward_kinematics(source.character.rig.skeleton, turned);
        const int hips = source.character.roles.joint("hips");
        const int first = source.take->first_motion_frame;
        const Vec3 way = before.p[before.at(700, hips)] - before.p[before.at(first, hips)];
        const Vec3 now = after.p[after.at(700, hips)] - after.p[after.at(first, hips)];
        QVERIFY((now - Vec3(way.z(), way.y(), -way.x())).norm() < 1e-9);
    }

    /// An open capture that walks straight on is bent onto a circle, and made straight again.
    void a_way_that_bends_is_made_straight() {
        const LoadedFile source = load_file(capture("01_01.bvh"));
        const LoadedFile target = demo_body("dockhand");
        const Skeleton& skeleton = source.character.rig.skeleton;
        const BodyLines lines = lines_of(source.character.roles);
        const WorldMotion own = forward_kinematics(skeleton, *source.take);
        const int first = source.take->first_motion_frame;
        const Vec3 start = hip_centre(own, lines, first), end = hip_centre(own, lines, own.frames - 1);
        Vec3 along = end - start;
        along.y() = 0.0;
        const double length = along.norm(), bend = deg_to_rad(120.0) / length;
        along.normalize();
        QVERIFY(length > 1.5);
        const Vec3 aside = Vec3::UnitY().cross(along);
        LoadedFile bent = source;
        for (int f = 0; f < own.frames; ++f) {
            const double s = (hip_centre(own, lines, f) - start).dot(along);
            const Vec3 on_line = start + s * along;
            const Vec3 on_arc =
                start + std::sin(bend * s) / bend * along + (1.0 - std::cos(bend * s)) / bend * aside;
            // +Y takes +Z to +X: from `along` toward `aside`.
            const Quat turn = exp_rotation(bend * s * Vec3::UnitY());
            for (size_t m = 0; m < bent.take->translated.size(); ++m) {
                const int j = bent.take->translated[m];
                if (skeleton.parents[size_t(j)] >= 0) continue;
                Vec3& p = bent.take->p.edit()[size_t(f) * bent.take->translated.size() + m];
                p = on_arc + turn * (p - on_line);
                Quat& R = bent.take->R.edit()[size_t(f) * size_t(bent.take->joints) + size_t(j)];
                R = turn * R;
            }
        }
        const auto off_the_line = [&](const WorldMotion& motion, const BodyLines& of) {
            const Vec3 a = hip_centre(motion, of, first), b = hip_centre(motion, of, motion.frames - 1);
            Vec3 line = b - a;
            line.y() = 0.0;
            line.normalize();
            double most = 0.0;
            for (int f = first; f < motion.frames; ++f) {
                Vec3 off = hip_centre(motion, of, f) - a;
                off.y() = 0.0;
                most = std::max(most, (off - off.dot(line) * line).norm());
            }
            return most;
        };
        TouchUp straight;
        straight.kind = TouchKind::straight;
        straight.stage = TouchStage::source;
        PairingSettings settings;
        settings.touches = {{"way", false, 1.0, {straight}}};
        const TransferResult before = carry(bent, target), after = carry(bent, target, settings);
        QVERIFY(after.touch_notes.empty());
        const double sways = off_the_line(own, lines);
        const double was = off_the_line(before.source, lines), is = off_the_line(after.source, lines);
        QVERIFY2(was > 0.3 && is < sways + 0.05,
                 qPrintable(QString("%1 m, then %2 m, itself %3").arg(was).arg(is).arg(sways)));
        // As long as the way was: as the capture's own, made straight.
        const auto way = [&](const WorldMotion& motion) {
            return (hip_centre(motion, lines, motion.frames - 1) - hip_centre(motion, lines, first)).norm();
        };
        const double whole = way(carry(source, target, settings).source);
        QVERIFY2(std::abs(way(after.source) - whole) < 0.02 * whole,
                 qPrintable(QString("%1 m beside %2").arg(way(after.source)).arg(whole)));
        // Feet stand.
        const Review review = review_result(bent.character, target.character, after);
        QVERIFY2(review.target_slide_cm_s.p95 < 0.5,
                 qPrintable(QString::number(review.target_slide_cm_s.p95)));
        // Over a span its ends stay, and what is outside.
        const double t0 = source.take->start_s, length_s = own.frames * own.frame_time_s;
        const double from_s = 0.5 * length_s, to_s = 0.8 * length_s;
        settings.touches[0].touches[0].when = {false, t0 + from_s, t0 + to_s, 0.2, 0.2};
        const TransferResult part = carry(bent, target, settings);
        double moved = 0.0;
        for (int f = 0; f < own.frames; ++f) {
            const double t = f * own.frame_time_s;
            for (int j = 0; j < own.joints; ++j) {
                const size_t at = own.at(f, j);
                if (t < from_s - 0.21 || t > to_s + 0.21)
                    QVERIFY(part.source.p[at] == before.source.p[at]);
                else
                    moved = std::max(moved, (part.source.p[at] - before.source.p[at]).norm());
            }
        }
        QVERIFY2(moved > 0.005, qPrintable(QString::number(moved)));
        // What goes nowhere is told.
        const TransferResult still = carry(demo_take("weary-watch"), target, [&] {
            settings.touches[0].touches[0].when = {};
            return settings;
        }());
        QCOMPARE(still.touch_notes.size(), size_t(1));
    }
    void a_body_goes_down_and_its_ends_stay() {
        const LoadedFile walk = demo_take("quay-walk");
        const Character& c = walk.character;
        TouchUp lower;
        lower.kind = TouchKind::body;
        lower.stage = TouchStage::source;
        lower.axes = TurnAxes::world;
        lower.place_m = {0.0, -0.05, 0.0};
        lower.when = {false, 3.0, 4.0, 0.25, 0.25};
        lower.ends_stay = true;
        const WorldMotion before = forward_kinematics(c.rig.skeleton, *walk.take);
        std::vector<std::string> notes;
        const Take touched =
            touched_take(c, *walk.take, {{"low", false, 1.0, {lower}}}, walk.take->start_s, notes);
        const WorldMotion after = forward_kinematics(c.rig.skeleton, touched);
        QVERIFY(notes.empty());
        const auto by = [&](const char* role, int f) {
            const int j = c.roles.joint(role);
            return Vec3(after.p[after.at(f, j)] - before.p[before.at(f, j)]);
        };
        for (int f = 0; f < before.frames; ++f) {
            const double w = lower.when.weight(walk.take->start_s + f * walk.take->frame_time_s);
            QVERIFY((by("hips", f) - w * lower.place_m).norm() < 1e-9);
            for (const char* end : {"foot.left", "foot.right", "hand.left", "hand.right"}) {
                QVERIFY2(by(end, f).norm() < 1e-6, end);
                const int j = c.roles.joint(end);
                QVERIFY(angle_between(after.R[after.at(f, j)], before.R[before.at(f, j)]) < 1e-7);
            }
        }
        const Json json = touch_layers_json({{"low", false, 1.0, {lower}}});
        QVERIFY(read_touch_layers(json, "x")[0].touches[0].ends_stay);
    }

    void what_is_last_moves_the_result_and_what_cannot_run_is_told() {
        const LoadedFile source = load_file(capture("01_01.bvh"));
        const LoadedFile target = demo_body("ferrier");
        const Character& c = target.character;
        TouchUp fist;
        fist.kind = TouchKind::hand;
        fist.stage = TouchStage::last;
        fist.what = "hand.left";
        fist.pose = "fist";
        fist.replaces = true;
        fist.when = {false, 5.0, 6.0, 0.25, 0.25};
        TouchUp arm = turn_of("upperarm.left", {0, 0, 30}, TurnAxes::world);
        arm.stage = TouchStage::last;
        arm.when = fist.when;
        TouchUp place = arm;
        place.kind = TouchKind::place;
        TouchUp tail = turn_of("tail.1", {0, 0, 30}, TurnAxes::bone);
        tail.stage = TouchStage::last;
        const WorldMotion plain = carry(source, target).target;
        WorldMotion touched = plain;
        const double dt = source.take->frame_time_s;
        const auto notes = touch_motion(c, touched, {{"hand", false, 1.0, {arm, fist, place, tail}}},
                                        TouchStage::last, {0.0, dt, source.take->first_motion_frame});
        QCOMPARE(int(notes.size()), 2);
        QVERIFY2(notes[0].find("a place acts before contacts") != std::string::npos, notes[0].c_str());
        QVERIFY2(notes[1].find("the body has no 'tail.1'") != std::string::npos, notes[1].c_str());
        const int elbow = c.roles.joint("forearm.left");
        const int shoulder = c.roles.joint("upperarm.left");
        const int head = c.roles.joint("head");
        for (int f = 1; f < plain.frames; f += 3) {
            const double t = f * dt;
            const auto p = [&](const WorldMotion& motion, int j) { return motion.p[motion.at(f, j)]; };
            if (t < 4.75 || t > 6.25)
                for (int j = 0; j < plain.joints; ++j) QVERIFY(p(touched, j) == p(plain, j));
            QVERIFY(p(touched, head) == p(plain, head));
            // Places follow turns: bones keep their lengths.
            QVERIFY(std::abs((p(touched, elbow) - p(touched, shoulder)).norm() -
                             (p(plain, elbow) - p(plain, shoulder)).norm()) < 1e-9);
            if (t < 5.0 || t > 6.0) continue;
            const Vec3 turned = exp_rotation(arm.turn_rad) * (p(plain, elbow) - p(plain, shoulder));
            QVERIFY((p(touched, elbow) - p(touched, shoulder) - turned).norm() < 1e-9);
        }
    }

    void what_is_slow_is_kept_and_has_no_phase() {  // property 8
        const double fps = 120.0;
        const double cut_off = 8.0;
        const SecondOrder filter = butterworth(corner_for_both_ways(cut_off), fps);
        for (const double hz : {1.0, 2.0, 4.0, 24.0}) {
            std::vector<Vec3> values;
            for (int f = 0; f < 1200; ++f)
                values.emplace_back(std::sin(2 * pi * hz * f / fps), std::cos(2 * pi * hz * f / fps), 0.0);
            const auto before = values;
            filter_both_ways(filter, values);
            // Amplitude and phase by the product with e^-iwt, away from the ends.
            double along = 0.0, across = 0.0;
            for (size_t f = 240; f < 960; ++f) {
                along += values[f].dot(before[f]);
                across += values[f].x() * before[f].y() - values[f].y() * before[f].x();
            }
            along /= 720.0;
            across /= 720.0;
            QVERIFY(std::abs(across) < 1e-6);
            if (hz <= 0.5 * cut_off)
                QVERIFY2(along >= 0.98, qPrintable(QString("%1 Hz %2").arg(hz).arg(along)));
            else
                QVERIFY2(along < 0.04, qPrintable(QString("%1 Hz %2").arg(hz).arg(along)));
        }
        // Too short to filter, at the edge of what a rate holds: nothing breaks.
        std::vector<Vec3> few{{1, 2, 3}};
        filter_both_ways(filter, few);
        QCOMPARE(few[0], Vec3(1, 2, 3));
        std::vector<Vec3> fast(5, Vec3(1, 2, 3));
        filter_both_ways(butterworth(500.0, 24.0), fast);
        for (const Vec3& v : fast) QVERIFY((v - Vec3(1, 2, 3)).norm() < 1e-9);
    }
};

NB_TEST(TouchUpTest)
}  // namespace test_touch_up
#include "test_touch_up.moc"
