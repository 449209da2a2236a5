// The intake: each finding on a file that has the fault, its repair, and the way back. Faults are made here
// from known bodies; the real captures 01_01.bvh and 01_03.bvh are Debian's assimp-testmodels.
// Longer than other files: short tests of one subject, side by side.
#include <QTemporaryDir>
#include <QtTest>
#include <cstdlib>
#include <optional>
#include <set>

#include "core/base/fault.hpp"
#include "core/base/files.hpp"
#include "core/body/measures.hpp"
#include "core/documents/review.hpp"
#include "core/documents/take.hpp"
#include "core/files/bvh.hpp"
#include "core/files/gltf/glb_parts.hpp"
#include "core/handover/export.hpp"
#include "core/intake/findings.hpp"
#include "core/intake/repair.hpp"
#include "core/intake/take_faults.hpp"
#include "core/library/library.hpp"
#include "core/library/shipped.hpp"
#include "core/motion/kinematics.hpp"
#include "core/review/review.hpp"
#include "tests/support/run_test.hpp"
#include "tests/support/test_rigs.hpp"

namespace test_intake {

using namespace nb;

namespace {

std::optional<Finding> find(const std::vector<Finding>& findings, const std::string& kind) {
    for (const Finding& finding : findings)
        if (finding.kind == kind) return finding;
    return {};
}

LoadOptions choice(const Finding& finding, const std::string& start) {
    for (const auto& [name, options] : finding.choices)
        if (name.find(start) != std::string::npos) return options;
    qFatal("no choice %s", start.c_str());
}

LoadedFile walk() {
    std::vector<std::string> notes;
    return load_take(test::demo("takes/quay-walk.take.json"), "", notes);
}

/// A body with random motion in which nothing is wrong.
SkeletonFile sound(std::uint64_t seed, int frames = 120) {
    SkeletonFile body = test::random_body(seed);
    body.take = test::random_motion(body, seed, frames);
    return body;
}

Vec3 hip_centre(const LoadedFile& file) {
    const Pose rest = rest_pose(file.character.rig.skeleton);
    return 0.5 * (rest.p[size_t(file.character.roles.joint("thigh.left"))] +
                  rest.p[size_t(file.character.roles.joint("thigh.right"))]);
}

}  // namespace

class IntakeTest : public QObject {
    Q_OBJECT

    QTemporaryDir folder_;
    std::string in(const char* name) const { return folder_.filePath(name).toStdString(); }

  private slots:
    /// Giants and ants: a file that says metres and holds centimetres is told, repaired, and given back.
    void giants_are_brought_to_size_and_back() {
        const SkeletonFile giant = test::scaled(test::random_body(3), 100.0);
        const LoadedFile as_is = load_parsed(giant, "giant", "glb");
        const auto findings = find_in(as_is);
        const auto unit = find(findings, "unit");
        QVERIFY(unit && unit->state == Finding::State::open);
        QCOMPARE(findings.front().kind, std::string("unit"));  // what is open comes first
        const LoadedFile repaired = load_parsed(giant, "giant", "glb", unit->repaired);
        const double height = body_height(repaired.character.rig.skeleton, repaired.character.roles);
        QVERIFY2(height > 1.2 && height < 2.2, std::to_string(height).c_str());
        QVERIFY(find(find_in(repaired), "unit")->state == Finding::State::done);
        // A file without a unit is guessed, and any other unit can be chosen.
        const LoadedFile inches =
            load_parsed(test::scaled(test::random_body(3), 1.0 / 0.0254), "inches", "bvh");
        QCOMPARE(inches.character.rig.conventions.unit_m, 0.0254);
        const LoadOptions other = choice(*find(find_in(inches), "unit"), "1 centimetre");
        const LoadedFile as_cm =
            load_parsed(test::scaled(test::random_body(3), 1.0 / 0.0254), "inches", "bvh", other);
        QCOMPARE(as_cm.character.rig.conventions.unit_m, 0.01);
    }

    /// Up and facing are found whichever way the file has them, and can be chosen otherwise.
    void axes_are_found_and_chosen() {
        const Quat z_up = axis_rotation(0, deg_to_rad(90.0));
        const LoadedFile file = load_parsed(test::turned(sound(5), z_up), "walks up the wall", "bvh");
        QCOMPARE(file.character.rig.conventions.up, std::string("+Z"));
        const auto findings = find_in(file);
        const LoadOptions other = choice(*find(findings, "up axis"), "+X");
        QCOMPARE(other.up, std::optional<std::string>("+X"));
        const LoadedFile turned = load_parsed(test::turned(sound(5), z_up), "walks up the wall", "bvh",
                                              choice(*find(findings, "facing"), "+X"));
        QCOMPARE(turned.character.rig.conventions.facing, std::string("+X"));
    }

    void wrapper_and_doubled_nodes_are_told_apart() {
        SkeletonFile body = test::random_body(8);
        Skeleton& s = body.skeleton;
        // Two wrappers above the hips, and a double of the left forearm between it and the hand.
        Skeleton wrapped;
        const auto add = [&](const std::string& name, int parent, const Quat& R, const Vec3& p) {
            wrapped.names.push_back(name);
            wrapped.parents.push_back(parent);
            wrapped.rest_R.push_back(R);
            wrapped.rest_p.push_back(p);
        };
        add("scene", -1, Quat::Identity(), Vec3::Zero());
        add("armature", 0, Quat::Identity(), Vec3::Zero());
        for (int j = 0; j < s.size(); ++j)
            add(s.names[size_t(j)], s.parents[size_t(j)] < 0 ? 1 : s.parents[size_t(j)] + 2,
                s.rest_R[size_t(j)], s.rest_p[size_t(j)]);
        const int forearm = wrapped.find("forearm_left");
        for (int& parent : wrapped.parents)
            if (parent == forearm) parent = wrapped.size();
        // Parents stand before children: the double goes right behind the forearm.
        const int at = forearm + 1;
        for (int& parent : wrapped.parents) {
            if (parent == wrapped.size())
                parent = at;
            else if (parent >= at)
                ++parent;
        }
        wrapped.names.insert(wrapped.names.begin() + at, "copy_of_it");
        wrapped.parents.insert(wrapped.parents.begin() + at, forearm);
        wrapped.rest_R.insert(wrapped.rest_R.begin() + at, Quat::Identity());
        wrapped.rest_p.insert(wrapped.rest_p.begin() + at, Vec3::Zero());
        for (EndSite& site : s.end_sites) {
            const int shifted = site.joint + 2;
            wrapped.end_sites.push_back({shifted >= at ? shifted + 1 : shifted, site.offset_m});
        }
        body.skeleton = wrapped;
        body.channels.assign(wrapped.names.size(), {});
        body.take.joints = wrapped.size();
        const LoadedFile file = load_parsed(body, "wrapped", "glb");
        const auto findings = find_in(file);
        QVERIFY(find(findings, "wrapper nodes"));
        QVERIFY(find(findings, "wrapper nodes")->what.find("armature") != std::string::npos);
        const auto doubled = find(findings, "doubled nodes");
        QVERIFY(doubled);
        QCOMPARE(doubled->joints, std::vector<int>{at});
        QVERIFY(file.character.roles.missing.empty());
        QCOMPARE(file.character.roles.joint("forearm.left"), forearm);
    }

    /// Scale keys in a glTF file: constant ones are no motion, changing ones are told; weights are counted.
    void scale_keys_and_weights_are_told() {
        std::vector<std::string> notes;
        const LoadedFile ferrier = load_character(test::demo("characters/ferrier/rig.glb"), "", notes);
        GlbParts parts(ferrier.character.rig);
        const size_t times = parts.add_floats({0.0f, 0.04f, 0.0805f, 0.12f}, "SCALAR", 1);
        parts.json["accessors"][times]["min"] = {0.0};
        parts.json["accessors"][times]["max"] = {0.12};
        const size_t still = parts.add_floats({2, 2, 2, 2, 2, 2, 2, 2, 2, 2, 2, 2}, "VEC3", 3);
        const size_t grows = parts.add_floats({1, 1, 1, 1, 1, 1, 1, 1, 1, 1.5f, 1.5f, 1.5f}, "VEC3", 3);
        const size_t turns =
            parts.add_floats({0, 0, 0, 1, 0, 0, 0.1f, 0.995f, 0, 0, 0.2f, 0.98f, 0, 0, 0, 1}, "VEC4", 4);
        const auto node_of = [&](const char* bone) {
            return ferrier.character.rig.nodes[size_t(ferrier.character.rig.skeleton.find(bone))].node;
        };
        auto& animations = parts.json["animations"] = nlohmann::ordered_json::array();
        animations.push_back(
            {{"samplers",
              {{{"input", times}, {"output", still}},
               {{"input", times}, {"output", grows}},
               {{"input", times}, {"output", turns}}}},
             {"channels",
              {{{"sampler", 0}, {"target", {{"node", node_of("hand.l")}, {"path", "scale"}}}},
               {{"sampler", 1}, {"target", {{"node", node_of("skull")}, {"path", "scale"}}}},
               {{"sampler", 2}, {"target", {{"node", node_of("back.1")}, {"path", "rotation"}}}}}}});
        parts.write(in("scaled.glb"));
        const LoadedFile file = load_file(in("scaled.glb"));
        const auto findings = find_in(file);
        QVERIFY(find(findings, "constant scale keys")->what.find("hand.l") != std::string::npos);
        QVERIFY(find(findings, "constant scale keys")->state == Finding::State::done);
        QVERIFY(find(findings, "animated scale")->what.find("skull") != std::string::npos);
        QVERIFY(find(findings, "keys off frames"));  // 0.0805 s lies between frames of 0.04 s
        QVERIFY(find(findings, "bones without skin")->what.find("13 bones") != std::string::npos);

        FileFacts facts;
        VertexSkin five;
        for (size_t k = 0; k < 5; ++k) five.weight[k] = 0.2f;
        normalise_weights(five, facts);
        VertexSkin half;
        half.weight[0] = 0.5f;
        normalise_weights(half, facts);
        QCOMPARE(half.weight[0], 1.0f);
        VertexSkin none;
        normalise_weights(none, facts);
        QCOMPARE(facts.vertices_over_four, 1);
        QCOMPARE(facts.vertices_off_sum, 1);
        QCOMPARE(facts.worst_weight_sum, 0.5);
        QCOMPARE(facts.vertices_without, 1);
        LoadedFile counted = load_file(test::demo("characters/ferrier/rig.glb"));
        counted.character.rig.facts = facts;
        int weights = 0;
        for (const Finding& finding : find_in(counted)) weights += finding.kind == "weights";
        QCOMPARE(weights, 3);
    }

    /// The same name twice in a file: the later one is called otherwise; documents can tell them apart.
    void names_that_collide_in_a_file() {
        SkeletonFile body = test::random_body(9);
        body.skeleton.names[size_t(body.skeleton.find("foot_left"))] = "hand_left";
        const LoadedFile file = load_parsed(body, "twice", "glb");
        const auto collision = find(find_in(file), "name collisions");
        QVERIFY(collision);
        QVERIFY(collision->what.find("hand_left_2") != std::string::npos);
        QCOMPARE(collision->joints.size(), size_t(1));
        const auto& names = file.character.rig.skeleton.names;
        QCOMPARE(std::set<std::string>(names.begin(), names.end()).size(), names.size());
        // Two files whose bones share names live side by side.
        const LoadedFile other = load_parsed(sound(9), "other", "glb");
        const TransferResult result = test::carry(other, file);
        QCOMPARE(result.take.frames, 120);
    }

    /// Hips at the origin, a body beside it: set on the floor and over the origin, and back.
    void the_rest_is_set_on_the_floor() {
        SkeletonFile body = test::random_body(4);
        body.skeleton.rest_p[0] = Vec3(0.6, 0.0, -0.4);
        const LoadedFile as_is = load_parsed(body, "sunken", "glb");
        auto findings = find_in(as_is);
        const auto floor = find(findings, "floor");
        QVERIFY(floor && floor->state == Finding::State::open);
        QVERIFY2(floor->what.find("at or below the floor") != std::string::npos, floor->what.c_str());
        const LoadedFile lifted = load_parsed(body, "sunken", "glb", floor->repaired);
        QVERIFY(hip_centre(lifted).y() > 0.5);
        findings = find_in(lifted);
        const auto origin = find(findings, "origin");
        QVERIFY(origin && origin->state == Finding::State::open);
        const LoadedFile moved = load_parsed(body, "sunken", "glb", origin->repaired);
        QVERIFY(std::hypot(hip_centre(moved).x(), hip_centre(moved).z()) < 1e-9);
        findings = find_in(moved);
        QVERIFY(find(findings, "floor")->state == Finding::State::done);
        const LoadedFile back = load_parsed(body, "sunken", "glb", find(findings, "origin")->repaired);
        QVERIFY((hip_centre(back) - hip_centre(lifted)).norm() < 1e-12);
        // The motion that arrives does not care where the rest stood.
        const LoadedFile source = load_parsed(sound(6), "source", "glb");
        const test::Difference same =
            test::difference(test::carry(source, lifted).target, test::carry(source, moved).target);
        QVERIFY2(same.place_m < 1e-9, std::to_string(same.place_m).c_str());
    }

    /// The stored rest is frame 0 of the motion, mid-stride: told as such; the bind pose, a T-pose, is
    /// offered.
    void a_rest_that_is_the_first_frame() {
        const SkeletonFile good = sound(11, 120);
        SkeletonFile body = good;
        const size_t n = body.skeleton.names.size();
        body.take.R.edit().assign(good.take.R.begin() + std::ptrdiff_t(60 * n), good.take.R.end());
        const size_t moved = good.take.translated.size();
        body.take.p.edit().assign(good.take.p.begin() + std::ptrdiff_t(60 * moved), good.take.p.end());
        body.take.frames = 60;
        body.skeleton.bind_R = good.skeleton.rest_R;
        body.skeleton.rest_R.assign(body.take.R.begin(), body.take.R.begin() + std::ptrdiff_t(n));
        LoadOptions from_rest;
        from_rest.reference = "rest pose";
        const LoadedFile file = load_parsed(body, "mid-stride", "glb", from_rest);
        const auto rest = find(find_in(file), "rest pose");
        QVERIFY(rest && rest->state == Finding::State::open);
        QVERIFY2(rest->what.find("first frame of the take") != std::string::npos, rest->what.c_str());
        const LoadedFile repaired = load_parsed(body, "mid-stride", "glb", rest->repaired);
        QCOMPARE(repaired.character.rest.reference, std::string("bind pose"));
        QVERIFY(repaired.character.rest.mean_deviation_rad < deg_to_rad(5.0));
    }

    /// A dog stands over the origin between its legs: nothing is to be decided.
    void a_dog_stands_where_it_should() {
        for (const Finding& finding : find_in(load_file(test::demo("characters/quay-dog/rig.glb"))))
            QVERIFY2(finding.state != Finding::State::open, finding.what.c_str());
    }

    /// A rest that is only the first frame of the take; a bind pose that differs, degrees per bone.
    void rests_and_bind_poses() {
        SkeletonFile body = sound(11);
        body = test::re_rested(body, 0);
        body.skeleton.bind_R = body.skeleton.rest_R;
        const int arm = body.skeleton.find("upperarm_left");
        body.skeleton.bind_R[size_t(arm)] =
            body.skeleton.bind_R[size_t(arm)] * axis_rotation(2, deg_to_rad(30.0));
        const LoadedFile file = load_parsed(body, "first frame", "glb");
        const auto findings = find_in(file);
        const auto bind = find(findings, "bind pose");
        QVERIFY(bind);
        QCOMPARE(bind->joints, std::vector<int>{arm});
        QVERIFY2(bind->evidence.find("upperarm_left 30") != std::string::npos, bind->evidence.c_str());
        QVERIFY(std::abs(bind_differences_deg(file.character.rig.skeleton)[size_t(arm)] - 30.0) < 1e-6);
        QVERIFY(!bind->choices.empty());
        const LoadedFile from_rest = load_parsed(body, "first frame", "glb", bind->choices.front().second);
        QVERIFY(!from_rest.character.rig.options.reference.empty());
        QCOMPARE(from_rest.character.rest.reference, from_rest.character.rig.options.reference);
        // The captures' zero pose is no stance: their first frame is taken, and it is said.
        const LoadedFile capture = load_file(test::capture("01_01.bvh"));
        const auto told = find_in(capture);
        QVERIFY(find(told, "rest pose")->what.find("first frame") != std::string::npos);
        const LoadedFile zero =
            load_file(test::capture("01_01.bvh"), choice(*find(told, "rest pose"), "rest pose"));
        QCOMPARE(zero.character.rest.reference, std::string("rest pose"));
        QVERIFY(zero.character.rest.mean_deviation_rad > capture.character.rest.mean_deviation_rad);
        QVERIFY(find(told, "zero-length bones")->what.find("10 bones") != std::string::npos);
        QVERIFY(find(told, "first frame"));
    }

    void several_skeletons_are_chosen_from() {
        SkeletonFile two = test::random_body(12, {.spine_count = 3});
        const SkeletonFile other = test::random_body(13, {.has_toes = false, .spine_count = 1});
        const int own = two.skeleton.size();
        for (int j = 0; j < other.skeleton.size(); ++j) {
            two.skeleton.names.push_back("second_" + other.skeleton.names[size_t(j)]);
            const int parent = other.skeleton.parents[size_t(j)];
            two.skeleton.parents.push_back(parent < 0 ? -1 : parent + own);
            two.skeleton.rest_R.push_back(other.skeleton.rest_R[size_t(j)]);
            two.skeleton.rest_p.push_back(other.skeleton.rest_p[size_t(j)]);
        }
        two.channels.resize(two.skeleton.names.size());
        const LoadedFile first = load_parsed(two, "two", "glb");
        QVERIFY(first.character.roles.joint("hips") < own);
        const auto several = find(find_in(first), "several skeletons");
        QVERIFY(several);
        QCOMPARE(several->choices.size(), size_t(1));
        const LoadedFile second = load_parsed(two, "two", "glb", several->choices[0].second);
        QVERIFY(second.character.roles.joint("hips") >= own);
        QVERIFY(second.character.roles.missing.empty());
        LoadOptions wrong;
        wrong.tree = "nobody";
        QVERIFY_THROWS_EXCEPTION(FileError, load_parsed(two, "two", "glb", wrong));
    }

    /// An odd rate is repaired with the duration kept; one of usual make is left alone.
    void odd_rates_are_resampled() {
        SkeletonFile body = sound(14, 100);
        body.take.frame_time_s = 1.0 / 29.4;
        body.take.frame_time_text = "0.0340136";
        const LoadedFile odd = load_parsed(body, "odd", "glb");
        const auto rate = find(find_in(odd), "frame rate");
        QVERIFY(rate && rate->state == Finding::State::open);
        const LoadedFile repaired = load_parsed(body, "odd", "glb", rate->repaired);
        QCOMPARE(repaired.take->fps(), 30.0);
        QVERIFY(std::abs(repaired.take->frames / 30.0 - 100 / 29.4) < 1.0 / 30.0);
        QVERIFY(find(find_in(repaired), "frame rate")->state == Finding::State::done);
        for (const char* text : {"0.0333333", "0.0416667", "0.0083333", "0.0417083"}) {
            body.take.frame_time_text = text;
            body.take.frame_time_s = std::atof(text);
            QVERIFY2(
                find(find_in(load_parsed(body, "usual", "glb")), "frame rate")->state == Finding::State::told,
                text);
        }
    }

    /// Faults of the recording, put in where nothing was wrong, are found there and nowhere else.
    void faults_of_the_take_are_found_where_they_are() {
        const SkeletonFile good = sound(15, 240);
        QVERIFY(find_breaks(good.take).empty());
        QVERIFY(find_jitter(good.take).empty());
        QVERIFY(find_frozen(good.take).empty());
        const int elbow = good.skeleton.find("forearm_left");
        const size_t n = good.skeleton.names.size();

        SkeletonFile broken = good;
        Quat& R = broken.take.R.edit()[100 * n + size_t(elbow)];
        R = R * axis_rotation(1, deg_to_rad(80.0));
        const auto breaks = find_breaks(broken.take);
        QCOMPARE(breaks.size(), size_t(1));
        QCOMPARE(breaks[0].frame, 100);
        QCOMPARE(breaks[0].joint, elbow);
        const LoadedFile as_is = load_parsed(broken, "broken", "glb");
        const auto fault = find(find_in(as_is), "one-frame breaks");
        QVERIFY(fault && fault->state == Finding::State::open);
        const LoadedFile mended = load_parsed(broken, "broken", "glb", fault->repaired);
        QCOMPARE(mended.bridged, 1);
        const double left = angle_between(mended.take->R[100 * n + size_t(elbow)],
                                          load_parsed(good, "good", "glb").take->R[100 * n + size_t(elbow)]);
        QVERIFY2(rad_to_deg(left) < 2.0, std::to_string(rad_to_deg(left)).c_str());
        const LoadedFile back =
            load_parsed(broken, "broken", "glb", find(find_in(mended), "one-frame breaks")->repaired);
        QVERIFY(back.take->R[100 * n + size_t(elbow)].coeffs() ==
                as_is.take->R[100 * n + size_t(elbow)].coeffs());

        SkeletonFile trembling = good;
        for (int f = 0; f < 240; ++f) {
            Quat& turn = trembling.take.R.edit()[size_t(f) * n + size_t(elbow)];
            turn = turn * axis_rotation(0, deg_to_rad(f % 2 ? 1.5 : -1.5));
        }
        const auto jitter = find_jitter(trembling.take);
        QCOMPARE(jitter.size(), size_t(1));
        QCOMPARE(jitter[0].joint, elbow);
        QVERIFY2(jitter[0].median_deg > 4.0 && jitter[0].median_deg < 8.0,  // 4 x 1.5
                 std::to_string(jitter[0].median_deg).c_str());

        SkeletonFile frozen = good;
        const size_t moved = frozen.take.translated.size();
        for (int f = 61; f < 90; ++f) {
            std::copy_n(&frozen.take.R[60 * n], n, &frozen.take.R.edit()[size_t(f) * n]);
            std::copy_n(&frozen.take.p[60 * moved], moved, &frozen.take.p.edit()[size_t(f) * moved]);
        }
        const auto spans = find_frozen(frozen.take);
        QCOMPARE(spans.size(), size_t(1));
        QCOMPARE(spans[0].first, 60);
        QCOMPARE(spans[0].last, 90);
    }

    /// A foot of the walk that stands is made to hop; the walk itself has no hops.
    void foot_hops_are_found() {
        LoadedFile file = walk();
        const Skeleton& s = file.character.rig.skeleton;
        const auto before = find_foot_hops(s, file.character.roles, *file.take);
        QVERIFY2(before.empty(), std::to_string(before.size()).c_str());
        // Where the left foot stands: its ankle moves least over a window.
        const int ankle = file.character.roles.joint("foot.left");
        const WorldMotion motion = forward_kinematics(s, *file.take);
        int still = 0;
        double least = 1e9;
        for (int f = 60; f + 60 < motion.frames; ++f) {
            const double moved =
                (motion.p[motion.at(f - 18, ankle)] - motion.p[motion.at(f + 18, ankle)]).norm();
            if (moved < least) {
                least = moved;
                still = f;
            }
        }
        const int knee = file.character.roles.joint("shin.left");
        for (int f = still - 1; f <= still + 2; ++f) {
            Quat& R = file.take->R.edit()[size_t(f) * size_t(file.take->joints) + size_t(knee)];
            R = R * axis_rotation(0, deg_to_rad(8.0));
        }
        const auto hops = find_foot_hops(s, file.character.roles, *file.take);
        QCOMPARE(hops.size(), size_t(1));
        QVERIFY(hops[0].is_left && std::abs(hops[0].frame - still) < 6);
        QVERIFY(hops[0].distance_m > 0.02);
    }

    void what_the_take_moves_and_the_rig_lacks() {
        const LoadedFile fingers = load_file(test::demo("characters/ferrier/rig.glb"));
        const LoadedFile mitten = load_file(test::demo("characters/dockhand/rig.glb"));
        const auto lacking = find(find_in(mitten, &fingers.character), "missing against the take");
        QVERIFY(lacking);
        QVERIFY2(lacking->what.find("ring left") != std::string::npos, lacking->what.c_str());
        QVERIFY(!find(find_in(fingers, &fingers.character), "missing against the take"));
    }

    /// What is cut off stays in the file; resampling to half keeps every second key; both are kept in
    /// documents.
    void trim_and_rate_are_kept_and_undone() {
        const LoadedFile whole = load_file(test::demo("takes/quay-walk.bvh"));
        LoadOptions options;
        options.trim_first = 60;
        options.trim_last = 261;
        const LoadedFile trimmed = load_file(test::demo("takes/quay-walk.bvh"), options);
        QCOMPARE(trimmed.take->frames, 201);
        QCOMPARE(trimmed.file_frames, whole.take->frames);
        QVERIFY(trimmed.take->rotations(0)[5].coeffs() == whole.take->rotations(60)[5].coeffs());
        options.fps = 0.5 * whole.file_fps;
        const LoadedFile halved = load_file(test::demo("takes/quay-walk.bvh"), options);
        QCOMPARE(halved.take->frames, 101);
        QVERIFY(angle_between(halved.take->rotations(50)[5], whole.take->rotations(160)[5]) < 1e-9);
        QFile::copy(QString::fromStdString(test::demo("takes/quay-walk.bvh")), folder_.filePath("w.bvh"));
        LoadedFile own = load_file(in("w.bvh"), options);
        const Json document = changed_take_document(own, in("w.take.json"));
        write_file(in("w.take.json"), format_document(document));
        std::vector<std::string> notes;
        const LoadedFile read = load_take(in("w.take.json"), "", notes);
        QCOMPARE(read.take->frames, 101);
        QVERIFY(find(find_in(read), "trim"));
        // Undone: as the file has it, and the document says so.
        const LoadOptions free = find(find_in(read), "trim")->repaired;
        const LoadedFile undone = load_take(in("w.take.json"), "", notes, 0, &free);
        QVERIFY(std::abs(undone.take->frames - 0.5 * undone.file_frames) <= 1.0);  // still at half the rate
        options.trim_first = 300;
        options.trim_last = 200;
        QVERIFY_THROWS_EXCEPTION(FileError, load_file(test::demo("takes/quay-walk.bvh"), options));
    }

    /// Shorter legs: rotations untouched, feet stand and slide no more than they did, the travel goes along.
    void a_source_is_re_proportioned() {
        const LoadedFile own = walk();
        LoadOptions options;
        options.lengths = {{"legs", 0.8}, {"arms", 1.1}};
        std::vector<std::string> notes;
        const LoadedFile shorter = load_take(test::demo("takes/quay-walk.take.json"), "", notes, 0, &options);
        QCOMPARE(shorter.take->frames, own.take->frames);
        for (const int f : {0, 100, 250})
            for (size_t j = 0; j < size_t(own.take->joints); ++j)
                QVERIFY(own.take->rotations(f)[j].coeffs() == shorter.take->rotations(f)[j].coeffs());
        const Skeleton& a = own.character.rig.skeleton;
        const Skeleton& b = shorter.character.rig.skeleton;
        const RoleMap& roles = own.character.roles;
        QVERIFY(std::abs(leg_length(b, roles) / leg_length(a, roles) - 0.8) < 1e-9);
        QVERIFY(std::abs(arm_length(b, roles) / arm_length(a, roles) - 1.1) < 1e-9);
        const WorldMotion before = forward_kinematics(a, *own.take);
        const WorldMotion after = forward_kinematics(b, *shorter.take);
        double low_before = 1e9;
        double low_after = 1e9;
        int standing = 0;
        double drift_after = 0.0;
        for (const std::string side : {".left", ".right"}) {
            const int ankle = roles.joint("foot" + side);
            for (int f = 1; f < before.frames; ++f) {
                const Vec3& p = before.p[before.at(f, ankle)];
                const Vec3& q = after.p[after.at(f, ankle)];
                low_before = std::min(low_before, p.y());
                low_after = std::min(low_after, q.y());
                const double step = (p - before.p[before.at(f - 1, ankle)]).norm();
                if (step * own.take->fps() > 0.02) continue;  // it stands
                ++standing;
                drift_after += (q - after.p[after.at(f - 1, ankle)]).norm();
            }
        }
        QVERIFY2(std::abs(low_before - low_after) < 0.012, std::to_string(low_before - low_after).c_str());
        // The hips keep their width: what is left is a fifth of what the pelvis turns them by, under 1 cm/s.
        QVERIFY2(drift_after / standing * own.take->fps() < 0.01,
                 std::to_string(drift_after / standing).c_str());
        const auto told = find(find_in(shorter), "proportions");
        QVERIFY(told && told->repaired.lengths.empty());
    }

    // D11: one limb, the neck, the hands alone.
    void a_single_limb_is_re_proportioned() {
        const auto body = [](const std::map<std::string, double>& lengths) {
            LoadOptions options;
            options.lengths = lengths;
            options.is_by_hand = !lengths.empty();
            std::vector<std::string> notes;
            return load_take(test::demo("takes/limbering.take.json"), "", notes, 0,
                             lengths.empty() ? nullptr : &options);
        };
        const LoadedFile own = body({});
        const LoadedFile other = body({{"arm.left", 1.2}, {"arms", 0.5}, {"neck", 1.5}, {"hand.right", 0.8}});
        const RoleMap& roles = own.character.roles;
        const auto longer = [&](const char* from, const char* to) {
            const auto length = [&](const LoadedFile& file) {
                return file.character.rig.skeleton.path_length(roles.joint(from), roles.joint(to));
            };
            return length(other) / length(own);
        };
        QVERIFY(std::abs(longer("upperarm.left", "hand.left") - 0.6) < 1e-9);
        QVERIFY(std::abs(longer("upperarm.right", "hand.right") - 0.5) < 1e-9);
        QVERIFY(std::abs(longer("chest", "head") - 1.5) < 1e-9);
        QVERIFY(std::abs(longer("hand.right", "index.3.right") - 0.8) < 1e-9);
        QVERIFY(std::abs(longer("hand.left", "index.3.left") - 1.0) < 1e-12);
        QVERIFY(std::abs(longer("thigh.left", "foot.left") - 1.0) < 1e-12);
    }

    /// The limbering take's certificate follows its schema and stands for the rig it was made on.
    void limbering_gives_a_certificate() {
        std::vector<std::string> notes;
        const LoadedFile take = load_take(limbering_take(), "", notes);
        const LoadedFile target = load_character(test::demo("characters/ferrier/rig.glb"),
                                                 test::demo("characters/ferrier/character.json"), notes);
        const TransferResult result = test::carry(take, target);
        const Review review = review_transfer(take.character, result.source, target.character, result.target,
                                              take.take->frame_time_s, take.take->first_motion_frame);
        const Json certificate = certificate_document(target.character, review);
        QCOMPARE(certificate["rig"]["signature"].get<std::string>(),
                 target.character.rig.skeleton.signature());
        QVERIFY(certificate["review"]["direction_error_deg"].size() > 4);
    }

    /// Every finding of every file at hand says something, and repairs lead to files that load.
    void all_files_at_hand_are_told() {
        std::vector<std::string> files{test::capture("01_01.bvh"), test::capture("01_03.bvh")};
        for (const char* who : {"performer", "dockhand", "ferrier", "lamp-child", "net-mender", "quay-dog"})
            files.push_back(test::demo(std::string("characters/") + who + "/rig.glb"));
        for (const char* take : {"quay-walk", "mole-steps", "haul-rope", "dog-trot", "lantern-signal"})
            files.push_back(test::demo(std::string("takes/") + take + ".bvh"));
        for (const auto& path : files) {
            const LoadedFile file = load_file(path);
            const auto findings = find_in(file);
            QVERIFY2(findings.size() >= 4, path.c_str());
            for (const Finding& finding : findings) {
                QVERIFY(!finding.what.empty() && !finding.kind.empty());
                QVERIFY(finding.state != Finding::State::open || !finding.repair.empty());
                if (!finding.repair.empty() && finding.repaired.lengths.empty())
                    load_file(path, finding.repaired);
            }
        }
    }
};

NB_TEST(IntakeTest)
}  // namespace test_intake
#include "test_intake.moc"
