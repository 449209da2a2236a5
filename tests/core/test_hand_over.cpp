// Handing over: keys, travel, placement, goals, names, orders, reports; what is written is read back
// (core/handover, core/library/hand_over.hpp). Against other programs: test_handed_files.cpp.
#include <QTemporaryDir>
#include <QtTest>
#include <filesystem>
#include <random>

#include "core/base/fault.hpp"
#include "core/base/files.hpp"
#include "core/body/propose.hpp"
#include "core/files/bvh.hpp"
#include "core/files/gltf/gltf.hpp"
#include "core/handover/goals.hpp"
#include "core/handover/join.hpp"
#include "core/handover/name_pattern.hpp"
#include "core/handover/travel.hpp"
#include "core/handover/write.hpp"
#include "core/library/controls.hpp"
#include "core/library/hand_over.hpp"
#include "core/library/joined.hpp"
#include "core/motion/heading.hpp"
#include "tests/support/other_programs.hpp"
#include "tests/support/run_test.hpp"
#include "tests/support/test_rigs.hpp"

namespace test_hand_over {

using namespace nb;
using namespace nb::test;

namespace {

Handed handed(const char* take, const char* body) {
    const LoadedFile source = demo_take(take), target = demo_body(body);
    return handed_of(target.character, carry(source, target));
}

/// A random body with a random motion, as if it had been carried.
Handed random_handed(std::uint64_t seed, int frames) {
    SkeletonFile file = random_body(seed, {0.0, true});
    const Take take = random_motion(file, seed, frames);
    Handed result;
    result.character.rig.skeleton = file.skeleton;
    result.character.rig.path = "random";
    result.character.rig.channels.resize(file.skeleton.names.size());
    result.character.roles = propose_roles(file.skeleton);
    align_to_t(result.character, &take);
    result.motion = forward_kinematics(file.skeleton, take);
    result.name = "random";
    result.frame_time_text = take.frame_time_text;
    result.top = result.character.roles.joint("hips");
    result.own_places = {result.top};
    return result;
}

double largest_difference_m(const WorldMotion& a, const WorldMotion& b) {
    return difference(a, b).place_m;
}

/// Keys played as a reader plays them.
Take played(const Skeleton& skeleton, const Take& take, const MotionKeys& keys) {
    Take result = take;
    std::vector<Quat>& R = result.R.edit();
    std::vector<Vec3>& p = result.p.edit();
    const auto span_of = [](const std::vector<int>& frames, int f) {
        const auto after = std::upper_bound(frames.begin(), frames.end(), f);
        const int from = *(after - 1), to = after == frames.end() ? from : *after;
        return std::tuple{from, to, to == from ? 0.0 : double(f - from) / (to - from)};
    };
    for (int f = 0; f < take.frames; ++f) {
        for (int j = 0; j < take.joints; ++j) {
            Quat& now = R[size_t(f) * size_t(take.joints) + size_t(j)];
            if (keys.turns[size_t(j)].empty()) {
                now = skeleton.rest_R[size_t(j)];
                continue;
            }
            const auto [from, to, u] = span_of(keys.turns[size_t(j)], f);
            now = take.rotations(from)[size_t(j)].slerp(u, take.rotations(to)[size_t(j)]);
        }
        for (size_t m = 0; m < take.translated.size(); ++m) {
            Vec3& now = p[size_t(f) * take.translated.size() + m];
            if (keys.places[m].empty()) {
                now = skeleton.rest_p[size_t(take.translated[m])];
                continue;
            }
            const auto [from, to, u] = span_of(keys.places[m], f);
            now = (1.0 - u) * take.translations(from)[m] + u * take.translations(to)[m];
        }
    }
    return result;
}

}  // namespace

class HandOverTest : public QObject {
    Q_OBJECT
    QTemporaryDir folder_;
    std::string in(const std::string& name) const {
        return folder_.filePath(QString::fromStdString(name)).toStdString();
    }
    /// The demo library, copied, with an order of two small files.
    HandOverOrder small_order() {
        HandOverOrder order;
        order.id = "test";
        order.name = "small";
        order.pairs = {{"lantern-signal", "ferrier"}, {"lantern-signal", "dockhand"}};
        order.first = 40;
        order.last = 80;
        order.folder = in("out");
        return order;
    }

  private slots:
    void cleanup() { std::filesystem::remove_all(in("out")); }

    void keys_are_few_and_within_their_tolerance_data() {
        QTest::addColumn<QString>("take");
        QTest::addColumn<QString>("body");
        QTest::addColumn<double>("most_share");
        // A quarter of the keys: the bar for the quay walk at 0.5 mm.
        QTest::newRow("quay walk") << "quay-walk"
                                   << "ferrier" << 0.25;
        QTest::newRow("hauling") << "haul-rope"
                                 << "dockhand" << 0.25;
        QTest::newRow("child") << "mole-steps"
                               << "lamp-child" << 0.3;
        QTest::newRow("dog") << "dog-trot"
                             << "quay-dog" << 0.75;
    }
    void keys_are_few_and_within_their_tolerance() {  // property 3
        QFETCH(QString, take);
        QFETCH(QString, body);
        QFETCH(double, most_share);
        const Handed shown = handed(take.toLatin1().data(), body.toLatin1().data());
        const Skeleton& skeleton = shown.character.rig.skeleton;
        const Take motion = local_take(shown);
        const Reduction reduced = reduce_keys(skeleton, TakeView(motion), {}, shown.kept_frames);
        QVERIFY2(double(reduced.keys.count()) < most_share * double(reduced.before),
                 qPrintable(QString("%1 of %2").arg(reduced.keys.count()).arg(reduced.before)));
        const WorldMotion again = forward_kinematics(skeleton, played(skeleton, motion, reduced.keys));
        const Difference off = difference(again, shown.motion);
        QVERIFY2(off.place_m <= 0.5e-3 + 1e-9 && off.turn_deg <= 0.2 + 1e-6,
                 qPrintable(QString("%1 m, %2 degrees").arg(off.place_m).arg(off.turn_deg)));
        // What it says of itself is what is found.
        QVERIFY(std::abs(off.place_m - reduced.error.place_m) < 1e-8);
        QVERIFY(std::abs(off.turn_deg - rad_to_deg(reduced.error.turn_rad)) < 1e-4);
        // Frames at which contacts begin and end stay keys of what moves at all.
        for (size_t j = 0; j < shown.kept_frames.size(); ++j)
            for (const int frame : shown.kept_frames[j])
                if (reduced.keys.turns[j].size() > 1)
                    QVERIFY(std::binary_search(reduced.keys.turns[j].begin(), reduced.keys.turns[j].end(),
                                               frame));
    }
    void keys_of_random_motions_are_within_their_tolerance() {
        for (const std::uint64_t seed : {3u, 8u, 21u}) {
            const Handed shown = random_handed(seed, 240);
            const Skeleton& skeleton = shown.character.rig.skeleton;
            const Take motion = local_take(shown);
            for (const KeyTolerance allowed : {KeyTolerance{}, KeyTolerance{5e-3, deg_to_rad(2.0)}}) {
                const Reduction reduced = reduce_keys(skeleton, TakeView(motion), allowed);
                const Difference off = difference(
                    forward_kinematics(skeleton, played(skeleton, motion, reduced.keys)), shown.motion);
                QVERIFY(off.place_m <= allowed.place_m + 1e-9);
                QVERIFY(off.turn_deg <= rad_to_deg(allowed.turn_rad) + 1e-6);
                QVERIFY(reduced.keys.count() < reduced.before);
            }
        }
    }
    void what_never_moves_gets_no_keys() {
        Handed still = random_handed(4, 50);
        const Pose rest = rest_pose(still.character.rig.skeleton);
        for (int f = 0; f < still.motion.frames; ++f)
            for (int j = 0; j < still.motion.joints; ++j) {
                still.motion.R[still.motion.at(f, j)] = rest.R[size_t(j)];
                still.motion.p[still.motion.at(f, j)] = rest.p[size_t(j)];
            }
        const Take take = local_take(still);
        QCOMPARE(key_every_frame(still.character.rig.skeleton, TakeView(take)).count(), size_t(0));
        // It lasts as long all the same.
        write_handed(in("still.glb"), still, {});
        const Proof proof = prove(in("still.glb"), still);
        QVERIFY(proof.frames >= 2 && proof.place_m < 1e-6);
    }

    void travel_and_remainder_are_the_motion_data() {
        QTest::addColumn<bool>("height");
        QTest::addColumn<bool>("heading");
        QTest::addColumn<double>("cut_off");
        QTest::newRow("raw") << false << true << 0.0;
        QTest::newRow("with height, calmed") << true << true << 2.0;
        QTest::newRow("without heading") << false << false << 0.0;
    }
    void travel_and_remainder_are_the_motion() {  // property 4
        QFETCH(bool, height);
        QFETCH(bool, heading);
        QFETCH(double, cut_off);
        for (const std::uint64_t seed : {2u, 5u}) {
            const Handed before = random_handed(seed, 120);
            const Travel travel{Travel::Kind::on_root, heading, height, cut_off};
            Handed on_root = before;
            take_travel(on_root, travel);
            QVERIFY(on_root.is_root_added);
            QCOMPARE(on_root.motion.joints, before.motion.joints + 1);
            const Skeleton& skeleton = on_root.character.rig.skeleton;
            QCOMPARE(skeleton.parents[size_t(on_root.top)], on_root.root);
            // Every joint is where it was, also from its local turns and places.
            const WorldMotion again = forward_kinematics(skeleton, local_take(on_root));
            double worst = 0.0;
            for (int f = 0; f < before.motion.frames; ++f)
                for (int j = 0; j < before.motion.joints; ++j) {
                    const int now = j < on_root.root ? j : j + 1;
                    worst = std::max(
                        worst, (again.p[again.at(f, now)] - before.motion.p[before.motion.at(f, j)]).norm());
                    QVERIFY(angle_between(again.R[again.at(f, now)],
                                          before.motion.R[before.motion.at(f, j)]) < 1e-7);
                }
            QVERIFY2(worst < 1e-9, qPrintable(QString::number(worst)));
            // In place: the track brings it back.
            Handed in_place = before;
            take_travel(in_place, {Travel::Kind::in_place, heading, height, cut_off});
            QCOMPARE(in_place.track.size(), size_t(before.motion.frames));
            WorldMotion back = in_place.motion;
            for (int f = 0; f < back.frames; ++f)
                for (int j = 0; j < back.joints; ++j) {
                    const Rigid& X = in_place.track[size_t(f)];
                    back.p[back.at(f, j)] = X * back.p[back.at(f, j)];
                    back.R[back.at(f, j)] = X.R * back.R[back.at(f, j)];
                }
            QVERIFY(largest_difference_m(back, before.motion) < 1e-9);
        }
    }
    void a_walk_in_place_stays_over_the_origin() {
        Handed walk = handed("quay-walk", "dockhand");
        const auto goes = [](const Handed& of) {
            double most = 0.0;
            for (int f = 0; f < of.motion.frames; ++f) {
                const Vec3& p = of.motion.p[of.motion.at(f, of.top)];
                most = std::max(most, std::hypot(p.x(), p.z()));
            }
            return most;
        };
        QVERIFY(goes(walk) > 3.0);
        take_travel(walk, {Travel::Kind::in_place, true, false, 0.0});
        QVERIFY2(goes(walk) < 0.15, qPrintable(QString::number(goes(walk))));
        QCOMPARE(walk.told.size(), size_t(1));
        QVERIFY(walk.told.front().find("in place") != std::string::npos);
        // The track is a table with a row a frame.
        const std::string table = track_csv(walk);
        QCOMPARE(std::count(table.begin(), table.end(), '\n'), std::ptrdiff_t(walk.motion.frames + 1));
    }
    void a_take_begins_where_it_is_asked() {
        Handed walk = handed("quay-walk", "ferrier");
        const WorldMotion before = walk.motion;
        place_take(walk, {true, {0.0, 0.0, 0.0}, 0.0});
        const BodyLines lines{
            walk.character.roles.joint("thigh.left"), walk.character.roles.joint("thigh.right"),
            walk.character.roles.joint("upperarm.left"), walk.character.roles.joint("upperarm.right")};
        const Rigid first = root_track(walk.motion, lines, walk.motion.frame_time_s, 0).front();
        QVERIFY(first.p.norm() < 1e-9 && angle_between(first.R, Quat::Identity()) < 1e-9);
        // One rigid move of the whole: distances and heights stay.
        const int head = walk.character.roles.joint("head");
        for (const int f : {0, 100, 400}) {
            QVERIFY(std::abs(walk.motion.p[walk.motion.at(f, head)].y() - before.p[before.at(f, head)].y()) <
                    1e-12);
            QVERIFY(
                std::abs(
                    (walk.motion.p[walk.motion.at(f, head)] - walk.motion.p[walk.motion.at(0, head)]).norm() -
                    (before.p[before.at(f, head)] - before.p[before.at(0, head)]).norm()) < 1e-9);
        }
        Handed moved = handed("quay-walk", "ferrier");
        place_take(moved, {false, {1.0, 0.0, -2.0}, 0.0});
        QVERIFY((moved.motion.p[moved.motion.at(7, head)] - before.p[before.at(7, head)] - Vec3(1, 0, -2))
                    .norm() < 1e-9);
    }
    void a_stance_comes_first() {
        Handed walk = handed("quay-walk", "ferrier");
        const WorldMotion before = walk.motion;
        put_stance_first(walk);
        QCOMPARE(walk.motion.frames, before.frames + 1);
        const RestAlignment& rest = walk.character.rest;
        const auto limb = [&](const Pose& pose, const char* a, const char* b) {
            return Vec3(pose.p[size_t(walk.character.roles.joint(b))] -
                        pose.p[size_t(walk.character.roles.joint(a))]);
        };
        const Pose stance{{walk.motion.R.begin(), walk.motion.R.begin() + walk.motion.joints},
                          {walk.motion.p.begin(), walk.motion.p.begin() + walk.motion.joints}};
        const Pose aligned{rest.R_WJ0, rest.p_WJ0};
        QVERIFY(angle_between(limb(stance, "upperarm.left", "hand.left"),
                              limb(stance, "upperarm.right", "hand.right")) > deg_to_rad(175.0));
        QVERIFY(std::abs(limb(stance, "thigh.left", "head").norm() -
                         limb(aligned, "thigh.left", "head").norm()) < 1e-9);
        // The rest of the take is as it was.
        for (int j = 0; j < before.joints; ++j)
            QVERIFY(walk.motion.p[walk.motion.at(1, j)] == before.p[before.at(0, j)]);
    }

    void what_is_read_back_is_what_was_shown_data() {
        QTest::addColumn<QString>("body");
        QTest::addColumn<int>("travel");
        for (const char* body : {"ferrier", "dockhand", "lamp-child", "net-mender"})
            for (const int travel : {0, 1, 2}) QTest::addRow("%s %d", body, travel) << body << travel;
    }
    void what_is_read_back_is_what_was_shown() {  // property 1
        QFETCH(QString, body);
        QFETCH(int, travel);
        Handed shown = handed("mole-steps", body.toLatin1().data());
        take_travel(shown, {Travel::Kind(travel), true, true, 0.0});
        put_stance_first(shown);
        for (const char* ending : {".glb", ".bvh", ".csv", ".vrma"}) {
            const std::string path = in(body.toStdString() + ending);
            write_handed(path, shown, {});
            const Proof proof = prove(path, shown);
            QCOMPARE(proof.frames, shown.motion.frames);
            QVERIFY2(
                proof.place_m <= (std::string(ending) == ".bvh" ? 2e-5 : 1e-4),
                qPrintable(
                    QString("%1: %2 m, %3").arg(ending).arg(proof.place_m).arg(proof.place_joint.c_str())));
            QVERIFY2(proof.turn_rad <= deg_to_rad(0.01),
                     qPrintable(QString("%1: %2").arg(ending).arg(proof.turn_rad)));
            if (std::string(ending) != ".vrma") QVERIFY(proof.missing.empty());
        }
    }
    /// A proof that cannot fail proves nothing.
    void a_file_that_is_not_what_was_shown_is_found_out() {
        Handed shown = handed("lantern-signal", "ferrier");
        cut(shown, 10, 40);
        for (const char* ending : {".glb", ".bvh", ".csv"}) {
            const std::string path = in(std::string("wrong") + ending);
            write_handed(path, shown, {});
            Handed other = shown;
            const int hand = shown.character.roles.joint("hand.left");
            other.motion.p[other.motion.at(17, hand)] += Vec3(0, 0.001, 0);
            const Proof proof = prove(path, other);
            QVERIFY(proof.place_m > 0.9e-3);
            QCOMPARE(proof.place_frame, 17);
            QCOMPARE(proof.place_joint, shown.character.rig.skeleton.names[size_t(hand)]);
        }
    }
    void another_rate_keeps_the_duration() {
        Handed shown = handed("lantern-signal", "dockhand");
        const double seconds = (shown.motion.frames - 1) * shown.motion.frame_time_s;
        at_rate(shown, 24.0);
        QVERIFY(std::abs((shown.motion.frames - 1) / 24.0 - seconds) < 1.0 / 24.0);
        write_handed(in("at24.glb"), shown, {});
        QVERIFY(prove(in("at24.glb"), shown).place_m < 1e-4);
    }

    void goals_are_where_the_body_is() {
        const Handed shown = handed("haul-rope", "ferrier");
        const RoleMap& roles = shown.character.roles;
        const auto goals = usual_goals(roles);
        QCOMPARE(goals.size(), size_t(14));
        const GoalTrack wrist = goal_track(shown, "wrist.left");
        const int hand = roles.joint("hand.left");
        for (const int f : {0, 77, 500})
            QVERIFY(wrist.X_WG[size_t(f)].p == shown.motion.p[shown.motion.at(f, hand)]);
        // A pole lies in the plane of a bent limb, on the side it is bent to, and goes without a step.
        for (const char* pole : {"elbow.left", "knee.right"}) {
            const GoalTrack track = goal_track(shown, pole, 0.5);
            const bool is_leg = std::string(pole).starts_with("knee");
            const char* side = std::string(pole).ends_with("left") ? ".left" : ".right";
            const auto p = [&](const char* part, int f) {
                return shown.motion.p[shown.motion.at(f, roles.joint(std::string(part) + side))];
            };
            for (int f = 0; f < shown.motion.frames; ++f) {
                const Vec3 a = p(is_leg ? "thigh" : "upperarm", f), b = p(is_leg ? "shin" : "forearm", f),
                           c = p(is_leg ? "foot" : "hand", f);
                const Vec3 n = (b - a).cross(c - b);
                const Vec3 to_pole = track.X_WG[size_t(f)].p - b;
                if (angle_between(Vec3(b - a), Vec3(c - b)) > deg_to_rad(13.0)) {
                    QVERIFY(std::abs(n.normalized().dot(to_pole.normalized())) < 1e-9);
                    QVERIFY(to_pole.dot((b - a) - (c - a).normalized() * (c - a).normalized().dot(b - a)) >
                            0.0);
                }
                if (f > 0) {
                    const Vec3 step = track.X_WG[size_t(f)].p - track.X_WG[size_t(f - 1)].p;
                    QVERIFY2(step.norm() < 0.08, qPrintable(QString("%1 at %2").arg(step.norm()).arg(f)));
                }
            }
        }
        QVERIFY_THROWS_EXCEPTION(std::invalid_argument, goal_track(shown, "wing.left"));
    }
    void goals_in_a_space_stand_in_the_same_world() {
        const Handed shown = handed("mole-steps", "dockhand");
        const Handed in_world = goals_as_nodes(shown, {});
        for (const GoalSpace space : {GoalSpace::root, GoalSpace::hips, GoalSpace::chest}) {
            GoalOptions options;
            options.space = space;
            const Handed nodes = goals_as_nodes(shown, options);
            const WorldMotion again = forward_kinematics(nodes.character.rig.skeleton, local_take(nodes));
            for (int i = 0; i < in_world.motion.joints; ++i) {
                const int same =
                    nodes.character.rig.skeleton.find(in_world.character.rig.skeleton.names[size_t(i)]);
                QVERIFY(same >= 0);
                for (const int f : {0, 150, 400})
                    QVERIFY(
                        (again.p[again.at(f, same)] - in_world.motion.p[in_world.motion.at(f, i)]).norm() <
                        1e-9);
            }
            const std::string path = in("goals.glb");
            write_handed(path, nodes, {});
            QVERIFY(prove(path, nodes).place_m < 1e-5);
        }
    }

    void controls_are_found_by_their_names() {
        const RoleMap roles = demo_body("ferrier").character.roles;
        const std::vector<std::string> nodes{"Pelvis_CTL",      "hand_L_ctl", "hand_R_ctl", "LeftKneePole",
                                             "upperarm_L_turn", "foot.r",     "r_foot_fk",  "mystery",
                                             "lookAt",          "thing_hand"};
        const auto found = propose_controls(nodes, roles);
        const auto goal_of = [&](const std::string& node) {
            for (const Control& one : found)
                if (one.node == node) return one.goal;
            return std::string();
        };
        QCOMPARE(goal_of("Pelvis_CTL"), std::string("hips"));
        QCOMPARE(goal_of("hand_L_ctl"), std::string("wrist.left"));
        QCOMPARE(goal_of("LeftKneePole"), std::string("knee.left"));
        QCOMPARE(goal_of("upperarm_L_turn"), std::string("upperarm.left"));
        QCOMPARE(goal_of("foot.r"), std::string("ankle.right"));
        QCOMPARE(goal_of("r_foot_fk"), std::string("foot.right"));
        QCOMPARE(goal_of("lookAt"), std::string("look"));
        QVERIFY(goal_of("mystery").empty() && goal_of("thing_hand").empty());
        const Control other = mirrored_control({"hand_L_ctl", "wrist.left", true, false}, nodes);
        QCOMPARE(other.node, std::string("hand_R_ctl"));
        QCOMPARE(other.goal, std::string("wrist.right"));
        QVERIFY(other.has_place && !other.has_turn);
    }
    void controls_are_kept_as_documents() {
        const auto rig = controls_beside(demo("characters/ferrier/rig.glb"));
        QVERIFY(rig && rig->controls.size() == 24);
        const std::string path = demo("characters/ferrier/controls.json");
        QCOMPARE(
            format_document(controls_document(*rig, text_in(read_document(path, "controls"), "id", path))),
            read_file(path));
        QVERIFY(!controls_beside(demo("characters/lamp-child/rig.glb")));
        // What the body has not, and nodes the rig has not, are told.
        ControlRig wrong = *rig;
        wrong.controls.push_back({"no_such_node", "hips", true, true});
        wrong.controls.push_back({"harbour", "wing.left", true, true});
        wrong.controls.push_back({"look_ctl", "", true, false});
        Handed shown = handed("lantern-signal", "ferrier");
        cut(shown, 0, 10);
        const Handed keyed = controls_as_handed(shown, wrong);
        QCOMPARE(keyed.told.size(), size_t(3));
        // At the aligned rest every control stands at its own rest.
        put_stance_first(shown);
        cut(shown, 0, 1);
        place_take(shown, {true, Vec3::Zero(), 0.0});
        ControlRig low = *rig;  // shares at 0, too
        for (auto& [limb, keys] : low.limbs) keys.share = 0.0;
        const Handed rest = controls_as_handed(shown, low);
        const Pose own = rest_pose(rest.character.rig.skeleton);
        for (int j = 0; j < rest.motion.joints; ++j)
            QVERIFY2((rest.motion.p[size_t(j)] - own.p[size_t(j)]).norm() < 2e-3,
                     rest.character.rig.skeleton.names[size_t(j)].c_str());
    }

    /// What a control wants and does not get stands in its row, before anything is written.
    void controls_without_a_place_are_told_before() {
        const std::string library = in("told-before");
        copy_demo(library);
        const std::string path = library + "/characters/ferrier/controls.json";
        Json document = read_document(path, "controls");
        document["controls"][0]["goal"] = "";
        document["controls"][1]["goal"] = "wing.left";
        write_file(path, format_document(document));
        HandOverOrder order = small_order();
        order.has_controls = true;
        LibraryFiles files(open_library(library));
        int rows = 0;
        for (const HandOverRow& row : plan_hand_over(order, files)) {
            if (row.what != HandOverRow::What::controls || row.pair.character != "ferrier") continue;
            ++rows;
            QCOMPARE(row.lost.size(), size_t(2));
            QVERIFY(row.lost[0].find("wants a place and gets none") != std::string::npos);
            QVERIFY(row.lost[1].find("wants wing.left") != std::string::npos);
        }
        QCOMPARE(rows, 1);
        std::filesystem::remove_all(library);
    }

    void two_halves_joined_are_the_take() {  // property 4
        for (const char* body : {"ferrier", "dockhand"}) {
            const Handed whole = handed("quay-walk", body);
            Handed first = whole, second = whole;
            const int at = 260, overlap = 18;
            cut(first, 0, at + overlap + 1);
            cut(second, at, whole.motion.frames);
            Seam seam;
            seam.overlap_s = overlap * whole.motion.frame_time_s;
            for (const char* point : {"hips", "foot.left", "hand.right"}) {
                for (const bool searched : {false, true}) {
                    seam.point = point;
                    seam.is_searched = searched;
                    std::vector<SeamReport> reports;
                    const Handed joined = join_clips({first, second}, {seam}, 0.0, 0.0, reports);
                    QCOMPARE(joined.motion.frames, whole.motion.frames);
                    const Difference off = difference(joined.motion, whole.motion);
                    QVERIFY2(off.place_m <= 1e-6 && off.turn_deg <= 1e-4,
                             qPrintable(QString("%1 m, %2 degrees").arg(off.place_m).arg(off.turn_deg)));
                    QVERIFY(reports[0].place_error_m < 1e-9 && reports[0].distance_m < 1e-9);
                }
            }
        }
    }
    void clips_meet_where_they_are_asked() {
        LibraryFiles files(open_library(demo("")));
        const std::string path = demo("joins/steps-to-quay.json");
        const JoinPlan plan = read_join(read_document(path, "join"), path);
        QCOMPARE(format_document(join_document(plan)), read_file(path));
        const Joined joined = join_takes(plan, files);
        const SeamReport& seam = joined.seams.front();
        // The quay is carried on at the height of the mole.
        QVERIFY2(seam.step_m > 0.5, qPrintable(QString::number(seam.step_m)));
        QVERIFY2(seam.heading_error_rad < deg_to_rad(6.0),
                 qPrintable(QString::number(rad_to_deg(seam.heading_error_rad))));
        // From standing into a walk in 0.3 s: more than either has by itself.
        QVERIFY2(seam.jerk < 2.5 * seam.own_jerk,
                 qPrintable(QString("%1 beside %2").arg(seam.jerk).arg(seam.own_jerk)));
        // No joint makes a step at the seam that it makes nowhere else.
        const WorldMotion& motion = joined.motion.motion;
        double most = 0.0, at_seam = 0.0;
        for (int f = 1; f < motion.frames; ++f)
            for (int j = 0; j < motion.joints; ++j) {
                const double step = (motion.p[motion.at(f, j)] - motion.p[motion.at(f - 1, j)]).norm();
                (std::abs(f - seam.frame) < 15 ? at_seam : most) =
                    std::max(std::abs(f - seam.frame) < 15 ? at_seam : most, step);
            }
        QVERIFY2(at_seam < 1.2 * most, qPrintable(QString("%1 beside %2").arg(at_seam).arg(most)));
        // Legs keep their lengths through the blend.
        const RoleMap& roles = joined.motion.character.roles;
        for (const char* side : {".left", ".right"}) {
            const auto length = [&](const char* a, const char* b, int f) {
                return (motion.p[motion.at(f, roles.joint(std::string(b) + side))] -
                        motion.p[motion.at(f, roles.joint(std::string(a) + side))])
                    .norm();
            };
            for (int f = 0; f < motion.frames; ++f) {
                QVERIFY(std::abs(length("thigh", "shin", f) - length("thigh", "shin", 0)) < 1e-6);
                QVERIFY(std::abs(length("shin", "foot", f) - length("shin", "foot", 0)) < 1e-6);
            }
        }
        // Half a second is held at the end.
        const int held = int(std::lround(0.5 / motion.frame_time_s));
        QVERIFY(motion.p[motion.at(motion.frames - 1, 0)] == motion.p[motion.at(motion.frames - held, 0)]);
    }
    void a_pace_takes_its_time() {
        Handed walk = handed("quay-walk", "ferrier");
        const double seconds = walk.motion.frames * walk.motion.frame_time_s;
        const Vec3 last = walk.motion.p[walk.motion.at(walk.motion.frames - 1, walk.top)];
        pace_clip(walk, 125.0);
        QVERIFY(std::abs(walk.motion.frames * walk.motion.frame_time_s - seconds / 1.25) < 0.05);
        QVERIFY((walk.motion.p[walk.motion.at(walk.motion.frames - 1, walk.top)] - last).norm() < 0.03);
        QVERIFY(std::abs(1.0 / walk.motion.frame_time_s - 60.0) < 1e-3);
    }
    void a_joined_motion_is_a_take_of_the_library() {
        std::filesystem::remove_all(in("lib"));
        copy_demo(in("lib"));
        const Library library = open_library(in("lib"));
        LibraryFiles files(library);
        const std::string path = in("lib/joins/steps-to-quay.json");
        const JoinPlan plan = read_join(read_document(path, "join"), path);
        const Joined joined = join_takes(plan, files);
        const LibraryEntry entry = keep_joined(library, plan, joined, files);
        QCOMPARE(open_library(in("lib")).takes.size(), library.takes.size() + 1);
        std::vector<std::string> notes;
        const LoadedFile take = load_take(entry.document, "", notes);
        QCOMPARE(take.take->frames, joined.motion.motion.frames);
        QVERIFY(read_file(entry.document).find("mole-steps, quay-walk 60 to 300") != std::string::npos);
        // On its own body it is what was joined.
        const WorldMotion again = forward_kinematics(take.character.rig.skeleton, *take.take);
        const int hips = take.character.roles.joint("hips");
        const int own = joined.motion.character.roles.joint("hips");
        double worst = 0.0;
        const Vec3 shift =
            again.p[again.at(0, hips)] - joined.motion.motion.p[joined.motion.motion.at(0, own)];
        for (int f = 0; f < again.frames; ++f)
            worst = std::max(worst, (again.p[again.at(f, hips)] -
                                     joined.motion.motion.p[joined.motion.motion.at(f, own)] - shift)
                                        .norm());
        QVERIFY2(worst < 1e-4, qPrintable(QString::number(worst)));
    }
    void clips_that_cannot_be_joined_say_why() {
        Handed a = handed("quay-walk", "ferrier"), b = handed("quay-walk", "dockhand");
        std::vector<SeamReport> reports;
        QVERIFY_THROWS_EXCEPTION(std::invalid_argument, join_clips({a, b}, {Seam{}}, 0, 0, reports));
        Seam seam;
        seam.point = "wing.left";
        QVERIFY_THROWS_EXCEPTION(std::invalid_argument, join_clips({a, a}, {seam}, 0, 0, reports));
        cut(a, 0, 5);
        QVERIFY_THROWS_EXCEPTION(std::invalid_argument, join_clips({a, a}, {Seam{}}, 0, 0, reports));
        QVERIFY_THROWS_EXCEPTION(std::invalid_argument, join_clips({a}, {Seam{}}, 0, 0, reports));
    }

    void names_follow_their_pattern() {
        const std::map<std::string, std::string> values{
            {"take", "Quay walk"}, {"character", "a/b"}, {"fps", "60"}};
        QCOMPARE(fill_pattern("{take}_{character}_{fps}", values), std::string("Quay-walk_a-b_60"));
        QCOMPARE(fill_pattern("{character}/{take}", values), std::string("a-b/Quay-walk"));
        QCOMPARE(fill_pattern("plain{version}", values), std::string("plain"));
        for (const char* wrong : {"{tak}", "{take", "take}", "{}"})
            QVERIFY_THROWS_EXCEPTION(std::invalid_argument, fill_pattern(wrong, values));
        for (const char* illegal : {"", "a:b", "../x", "/x", "a//b", "x?", "a\nb", "dot."})
            QVERIFY2(!why_illegal(illegal).empty(), illegal);
        for (const char* fine : {"a", "folder/file", "Bollard sit", "\xc3\xa4"})
            QVERIFY2(why_illegal(fine).empty(), fine);
    }
    void orders_are_kept_as_documents() {
        HandOverOrder order = small_order();
        order.fps = 24.0;
        order.placement = {true, {0.1, 0.0, -2.5}, deg_to_rad(90.0)};
        order.travel = {Travel::Kind::on_root, false, true, 3.5};
        order.reduce = KeyTolerance{2e-4, deg_to_rad(0.1)};
        order.formats = {".glb", ".csv"};
        order.clash = Clash::number;
        const std::string text = format_document(order_document(order));
        const HandOverOrder again = read_order(parse_document(text, "o", "order"), "o");
        QCOMPARE(format_document(order_document(again)), text);
        QVERIFY(again.pairs == order.pairs && again.travel == order.travel);
        QVERIFY(std::abs(again.reduce->place_m - 2e-4) < 1e-12);
        const auto refused = [&](const char* key, const Json& value) {
            Json document = order_document(order);
            document[key] = value;
            try {
                read_order(document, "o");
            } catch (const FileError&) {
                return true;
            }
            return false;
        };
        QVERIFY(refused("formats", Json::array({".exe"})));
        QVERIFY(refused("formats", Json::array()));
        QVERIFY(refused("fps", 0));
        QVERIFY(refused("clash", "overwrite"));
        QVERIFY(refused("travel", {{"kind", "by bus"}}));
        QVERIFY(refused("reduce", {{"place_mm", -1}}));
        QVERIFY(refused("span", {{"first", 9}, {"last", 3}}));
        QVERIFY(refused("pairs", Json::array({{{"take", "x"}}})));
    }
    void an_order_lists_every_file_and_clash() {
        LibraryFiles files(open_library(demo("")));
        HandOverOrder order = small_order();
        order.formats = {".glb", ".bvh"};
        auto rows = plan_hand_over(order, files);
        QCOMPARE(rows.size(), size_t(4));
        QCOMPARE(rows[0].name, std::string("lantern-signal_ferrier.glb"));
        QCOMPARE(rows[0].frames, 40);
        for (const HandOverRow& row : rows) QVERIFY(row.state == HandOverRow::State::free);
        QVERIFY(!rows[1].lost.empty());  // a BVH has no mesh
        // What is said of frames before is what is written.
        for (const double fps : {24.0, 25.0, 120.0}) {
            order.fps = fps;
            Handed carried = carry_pair(files, order.pairs[1]);
            take_steps(order, carried);
            QCOMPARE(plan_hand_over(order, files)[2].frames, carried.motion.frames);
        }
        order.fps.reset();
        // Equal names, illegal ones, what the library has not.
        order.pattern = "{take}";
        rows = plan_hand_over(order, files);
        QVERIFY(rows[0].state == HandOverRow::State::free && rows[2].state == HandOverRow::State::twice);
        order.pattern = "{take}_{who}";
        rows = plan_hand_over(order, files);
        QVERIFY(rows[0].state == HandOverRow::State::refused && rows[0].why.find("who") != std::string::npos);
        order.pattern = "a:{take}";
        QVERIFY(plan_hand_over(order, files)[0].state == HandOverRow::State::refused);
        order = small_order();
        order.pairs = {{"no-such-take", "ferrier"}};
        QVERIFY(plan_hand_over(order, files)[0].why.find("no-such-take") != std::string::npos);
    }
    void nothing_is_replaced_unasked() {  // property 2
        LibraryFiles files(open_library(demo("")));
        HandOverOrder order = small_order();
        const HandOverReport report = run_hand_over(order, files);
        QCOMPARE(report.written, 2);
        QCOMPARE(report.failed, 0);
        const std::string path = in("out/lantern-signal_ferrier.glb");
        const std::string first = read_file(path);
        // The report holds what it must, and the page every file.
        const Json& file = report.document["files"][0];
        QVERIFY(file["read_back"]["place_mm"].get<double>() < 0.1);
        QCOMPARE(file["frames"].get<int>(), 40);
        QVERIFY(file["inputs"].size() >= 4);
        QVERIFY(read_file(report.page_path).find("lantern-signal_dockhand.glb") != std::string::npos);
        QVERIFY(stale_rows(report.document, report.path).empty());
        // Skipped, numbered, replaced.
        write_file(path, "mine");
        QCOMPARE(run_hand_over(order, files).skipped, 2);
        QCOMPARE(read_file(path), std::string("mine"));
        order.clash = Clash::number;
        QCOMPARE(run_hand_over(order, files).written, 2);
        QCOMPARE(read_file(path), std::string("mine"));
        QCOMPARE(read_file(in("out/lantern-signal_ferrier_2.glb")), first);
        order.clash = Clash::replace;
        QCOMPARE(run_hand_over(order, files).written, 2);
        QCOMPARE(read_file(path), first);
        // Nothing lies about that is no file of the order.
        for (const auto& entry : std::filesystem::directory_iterator(in("out")))
            QVERIFY2(entry.path().string().find("unproved") == std::string::npos, entry.path().c_str());
    }
    void what_has_changed_is_stale() {
        LibraryFiles files(open_library(demo("")));
        const HandOverReport report = run_hand_over(small_order(), files);
        Json document = report.document;
        auto& inputs = document["files"][1]["inputs"];
        inputs[inputs.begin().key()] = "0000000000000000";
        const auto stale = stale_rows(document, report.path);
        QCOMPARE(stale.size(), size_t(1));
        QCOMPARE(stale[0].name, std::string("lantern-signal_dockhand.glb"));
        std::filesystem::remove(in("out/lantern-signal_ferrier.glb"));
        QCOMPARE(stale_rows(document, report.path).size(), size_t(2));
    }
    void what_is_cancelled_leaves_whole_files_only() {
        LibraryFiles files(open_library(demo("")));
        int asked = 0;
        const HandOverReport report =
            run_hand_over(small_order(), files, 0, [&](int done, int of, const std::string&) {
                if (done == 1 && of > 0) ++asked;
                return asked == 0;
            });
        QCOMPARE(report.written, 1);
        QCOMPARE(report.left, 1);
        QVERIFY(std::filesystem::exists(in("out/lantern-signal_ferrier.glb")));
        QVERIFY(!std::filesystem::exists(in("out/lantern-signal_dockhand.glb")));
        QCOMPARE(report.document["files"][1]["state"].get<std::string>(), std::string("to do"));
    }
    void takes_of_a_body_go_into_one_file() {
        LibraryFiles files(open_library(demo("")));
        HandOverOrder order = small_order();
        order.is_together = true;
        order.travel.kind = Travel::Kind::on_root;
        order.pairs = {{"lantern-signal", "ferrier"},
                       {"quay-walk", "dockhand"},
                       {"haul-rope", "ferrier"},
                       {"no-such-take", "ferrier"},
                       {"quay-walk", "ferrier"}};
        // What is stopped on the way leaves nothing half full.
        const HandOverReport stopped = run_hand_over(
            order, files, 0, [&](int done, int of, const std::string&) { return of == 0 || done < 3; });
        QCOMPARE(stopped.written, 1);
        QCOMPARE(QDir(QString::fromStdString(in("out"))).entryList(QDir::Files),
                 (QStringList{"small.report.html", "small.report.json", "takes_dockhand.glb"}));
        order.clash = Clash::replace;
        const HandOverReport report = run_hand_over(order, files);
        QCOMPARE(report.written, 4);
        QCOMPARE(report.failed, 1);
        const std::string path = in("out/takes_ferrier.glb");
        const SkeletonFile file = read_gltf(path);
        QCOMPARE(file.animations, (std::vector<std::string>{"lantern-signal", "haul-rope", "quay-walk"}));
        QCOMPARE(test::found_by_validator(path), QByteArray());
        // Each as if it stood alone.
        for (const int animation : {0, 1, 2}) {
            HandOverOrder alone = order;
            alone.is_together = false;
            alone.folder = in("alone");
            alone.pairs = {{file.animations[size_t(animation)], "ferrier"}};
            QCOMPARE(run_hand_over(alone, files).written, 1);
            const SkeletonFile one =
                read_gltf(in("alone/" + file.animations[size_t(animation)] + "_ferrier.glb"));
            const SkeletonFile same = read_gltf(path, animation);
            QCOMPARE(same.skeleton.names, one.skeleton.names);
            QCOMPARE(same.take.frames, one.take.frames);
            const WorldMotion a = forward_kinematics(one.skeleton, one.take),
                              b = forward_kinematics(same.skeleton, same.take);
            for (size_t i = 0; i < a.p.size(); ++i) QVERIFY((a.p[i] - b.p[i]).norm() < 1e-9);
        }
        // The report knows the file as it is now.
        for (const Json& told : report.document["files"])
            if (told["state"] == "written")
                QVERIFY(told["bytes"].get<size_t>() ==
                        std::filesystem::file_size(in("out/" + told["name"].get<std::string>())));
        QVERIFY(stale_rows(read_document(report.path, "hand-over-report"), report.path).empty());
    }
    void props_go_along() {
        LibraryFiles files(open_library(demo("")));
        HandOverOrder order = small_order();
        order.has_props = true;
        order.formats = {".glb", ".bvh", ".csv", ".vrma"};
        order.pairs = {{"carry-crate", "dockhand"}};
        for (const Travel::Kind travel : {Travel::Kind::in_hips, Travel::Kind::in_place}) {
            order.travel.kind = travel;
            order.clash = Clash::replace;
            const HandOverReport report = run_hand_over(order, files);
            QCOMPARE(report.written, 4);
            // From the take's hands to the prop it is as far as from the source's hands, times what the place map says
            // of the hips: seen from the hips.
            const LoadedFile& take = files.take("carry-crate");
            const LoadedFile& body = files.character("dockhand");
            const TransferResult result = transfer(take.character, *take.take, body.character, {});
            const std::string& name = take.pieces.front().joint;
            const int prop = take.character.rig.skeleton.find(name);
            const SkeletonFile glb = read_gltf(in("out/carry-crate_dockhand.glb"));
            const SkeletonFile bvh = read_bvh(in("out/carry-crate_dockhand.bvh"));
            for (const SkeletonFile* file : {&glb, &bvh}) {
                const int there = file->skeleton.find(name);
                QVERIFY(there >= 0 && file->skeleton.parents[size_t(there)] < 0);
                const WorldMotion motion = forward_kinematics(file->skeleton, file->take);
                const FileConventions& own = body.character.rig.conventions;
                const int hips = file->skeleton.find(
                    body.character.rig.skeleton.names[size_t(body.character.roles.joint("hips"))]);
                for (const int f : {0, 20, 39}) {
                    const double off =
                        own.unit_m * (motion.p[motion.at(f, there)] - motion.p[motion.at(f, hips)]).norm();
                    const PlaceMap& map = result.plan.program.map;
                    const double shown =
                        (map(result.source.p[result.source.at(f + order.first, prop)]) -
                         result.target
                             .p[result.target.at(f + order.first, body.character.roles.joint("hips"))])
                            .norm();
                    QVERIFY2(std::abs(off - shown) < 1e-4,
                             qPrintable(QString("frame %1: %2 beside %3").arg(f).arg(off).arg(shown)));
                }
            }
            QCOMPARE(test::found_by_validator(in("out/carry-crate_dockhand.glb")), QByteArray());
            for (const Json& told : report.document["files"]) {
                const bool is_lost = told["lost"].dump().find("props stay behind") != std::string::npos;
                QCOMPARE(is_lost, told["name"].get<std::string>().ends_with(".vrma"));
            }
        }
    }
    /// Beside a root bone that the rig lacks, and in one file with takes that have other props.
    void props_leave_the_rest_as_it_is() {
        LibraryFiles files(open_library(demo("")));
        HandOverOrder order = small_order();
        order.goals = GoalOptions{};
        order.goals->space = GoalSpace::hips;
        order.formats = {".glb", ".bvh"};
        order.travel.kind = Travel::Kind::on_root;
        order.pairs = {{"carry-crate", "ferrier"}};
        QCOMPARE(run_hand_over(order, files).written, 4);
        order.has_props = true;
        order.folder = in("out/with");
        QCOMPARE(run_hand_over(order, files).written, 4);
        for (const char* name : {"carry-crate_ferrier.goals.glb", "carry-crate_ferrier.goals.bvh"})
            QVERIFY(read_file(in(std::string("out/") + name)) ==
                    read_file(in(std::string("out/with/") + name)));

        order.is_together = true;
        order.folder = in("out/together");
        order.pairs.push_back({"lantern-signal", "ferrier"});
        // One .glb; of each take its own .bvh and goals.
        const HandOverReport report = run_hand_over(order, files);
        QCOMPARE(report.written, 8);
        const std::string path = in("out/together/takes_ferrier.glb");
        const SkeletonFile file = read_gltf(path);
        QCOMPARE(file.animations, (std::vector<std::string>{"carry-crate", "lantern-signal"}));
        QVERIFY(file.skeleton.find("crate") >= 0 && file.skeleton.find("lantern") >= 0);
        QCOMPARE(test::found_by_validator(path), QByteArray());
        for (const Json& told : report.document["files"]) QVERIFY(told["read_back"]["missing"].empty());
    }
    void a_file_that_cannot_be_written_does_not_stop_the_rest() {
        LibraryFiles files(open_library(demo("")));
        HandOverOrder order = small_order();
        order.pairs = {{"no-such-take", "ferrier"}, {"lantern-signal", "dockhand"}};
        order.formats = {".glb", ".vrma"};
        const HandOverReport report = run_hand_over(order, files);
        QCOMPARE(report.failed, 2);
        QCOMPARE(report.written, 2);
        QVERIFY(report.document["files"][0]["why"].get<std::string>().find("no-such-take") !=
                std::string::npos);
    }
    void the_page_shows_names_as_they_are() {
        Json report = {{"order", "<script>"}, {"files", Json::array()}};
        report["files"].push_back({{"name", "a&b<c>"}, {"state", "failed"}, {"why", "\"x\""}});
        const std::string page = report_page(report);
        QVERIFY(page.find("<script>") == std::string::npos);
        QVERIFY(page.find("a&amp;b&lt;c&gt;") != std::string::npos);
    }
};

NB_TEST(HandOverTest)
}  // namespace test_hand_over
#include "test_hand_over.moc"
