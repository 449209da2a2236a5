// Files that are handed over, read by other programs: numpy (keys played densely, tests/support/keys.py), the Khronos
// validator, three's loader, the reference loader of VRM animation (@pixiv/three-vrm-animation).
#include <QJsonArray>
#include <QJsonDocument>
#include <QJsonObject>
#include <QTemporaryDir>
#include <QtTest>
#include <filesystem>
#include <random>

#include <fmt/format.h>

#include "core/base/files.hpp"
#include "core/body/standards.hpp"
#include "core/files/bvh.hpp"
#include "core/files/gltf/glb_parts.hpp"
#include "core/files/gltf/gltf.hpp"
#include "core/files/scene/scene.hpp"
#include "core/handover/fbx_angles.hpp"
#include "core/handover/glb_animation.hpp"
#include "core/handover/join.hpp"
#include "core/handover/props.hpp"
#include "core/handover/travel.hpp"
#include "core/handover/vrm.hpp"
#include "core/handover/write.hpp"
#include "core/intake/findings.hpp"
#include "core/library/controls.hpp"
#include "core/library/hand_over.hpp"
#include "tests/support/other_programs.hpp"
#include "tests/support/run_test.hpp"
#include "tests/support/test_rigs.hpp"

namespace test_handed_files {

using namespace nb;
using namespace nb::test;

class HandedFilesTest : public QObject {
    Q_OBJECT
    QTemporaryDir folder_;
    std::string in(const std::string& name) const {
        return folder_.filePath(QString::fromStdString(name)).toStdString();
    }
    static void verify_valid(const std::string& path) {
        const QByteArray said = found_by_validator(path);
        QVERIFY2(said.isEmpty(), said);
    }
    Handed handed(const char* take, const char* body) {
        const LoadedFile source = demo_take(take), target = demo_body(body);
        return handed_of(target.character, carry(source, target));
    }

  private slots:
    void reduced_keys_play_within_their_tolerance_elsewhere_data() {
        QTest::addColumn<QString>("take");
        QTest::addColumn<QString>("body");
        QTest::addColumn<bool>("may_curve");
        for (const bool may_curve : {false, true}) {
            const char* how = may_curve ? "curved" : "straight";
            QTest::addRow("quay walk, %s", how) << "quay-walk"
                                                << "ferrier" << may_curve;
            QTest::addRow("crate, %s", how) << "carry-crate"
                                            << "net-mender" << may_curve;
            QTest::addRow("child, %s", how) << "mole-steps"
                                            << "lamp-child" << may_curve;
        }
    }
    void reduced_keys_play_within_their_tolerance_elsewhere() {  // property 3
        QFETCH(QString, take);
        QFETCH(QString, body);
        QFETCH(bool, may_curve);
        Handed shown = handed(take.toLatin1().data(), body.toLatin1().data());
        cut(shown, 0, std::min(shown.motion.frames, 300));
        // In the file's own axes the body stands as in the world only where unit and facing are the world's.
        const FileConventions& own = shown.character.rig.conventions;
        Handed in_file = shown;
        for (Vec3& p : in_file.motion.p) p = own.R_WF.conjugate() * p / own.unit_m;
        for (Quat& R : in_file.motion.R) R = own.R_WF.conjugate() * R * own.R_WF;
        WriteOptions few;
        few.reduce = KeyTolerance{};
        few.reduce->may_curve = may_curve;
        const Written written = write_handed(in("few.glb"), shown, few);
        write_handed(in("shown.csv"), in_file, {});
        verify_valid(in("few.glb"));
        const auto found =
            QJsonDocument::fromJson(run_python("keys.py", {QString::fromStdString(in("few.glb")),
                                                           QString::fromStdString(in("shown.csv"))}))
                .object();
        QCOMPARE(found["frames"].toInt(), shown.motion.frames);
        QVERIFY(found["joints"].toInt() > 15);
        QVERIFY(found["keys"].toInt() >= int(written.keys));
        QCOMPARE(found["curved"].toInt(), int(written.curved));
        QCOMPARE(written.curved > 0, may_curve);
        // Our own reader, too.
        const Proof proof = prove(in("few.glb"), shown);
        QVERIFY2(proof.place_m <= 0.5e-3 + 2e-5, qPrintable(QString::number(proof.place_m)));
        // Nodes above the joints bring unit and axes back: then the table must be in the world.
        const double place_m = found["place_m"].toDouble() * own.unit_m;
        QVERIFY2(place_m <= 0.5e-3 + 2e-5, qPrintable(QString::number(place_m)));
        QVERIFY2(found["turn_deg"].toDouble() <= 0.2 + 0.01,
                 qPrintable(QString::number(found["turn_deg"].toDouble())));
        // It is found out when a key is not what was shown.
        QVERIFY(place_m > 1e-5);
    }

    void an_added_root_is_read_by_others() {
        for (const char* body : {"dockhand", "lamp-child", "ferrier"}) {
            Handed shown = handed("mole-steps", body);
            take_travel(shown, {Travel::Kind::on_root, true, false, 0.0});
            const std::string path = in(std::string(body) + ".glb");
            write_handed(path, shown, {});
            verify_valid(path);
            // three's loader: the joints where they were shown, also those below the added node.
            const int f = 200;
            const QByteArray said = run_node({"positions.mjs", QString::fromStdString(path), "0",
                                              QString::number(f * shown.motion.frame_time_s, 'g', 12)});
            const auto joints = QJsonDocument::fromJson(said).array()[0].toObject()["joints"].toObject();
            const FileConventions& own = shown.character.rig.conventions;
            int compared = 0;
            for (int j = 0; j < shown.motion.joints; ++j) {
                const auto at =
                    joints[QString::fromStdString(shown.character.rig.nodes[size_t(j)].name)].toArray();
                if (at.size() != 3) continue;
                const Vec3 there =
                    own.R_WF * Vec3(at[0].toDouble(), at[1].toDouble(), at[2].toDouble()) * own.unit_m;
                const Vec3& here = shown.motion.p[shown.motion.at(f, j)];
                QVERIFY2((there - here).norm() < 2e-4,
                         qPrintable(QString("%1 %2: %3 m")
                                        .arg(body, shown.character.rig.skeleton.names[size_t(j)].c_str())
                                        .arg((there - here).norm())));
                ++compared;
            }
            QVERIFY(compared > 15);
        }
    }
    void motion_alone_is_valid_and_small() {
        Handed shown = handed("lantern-signal", "ferrier");
        WriteOptions alone;
        alone.is_motion_alone = true;
        write_handed(in("alone.glb"), shown, alone);
        write_handed(in("whole.glb"), shown, {});
        verify_valid(in("alone.glb"));
        QVERIFY(prove(in("alone.glb"), shown).place_m < 1e-4);
        QVERIFY(read_gltf(in("alone.glb")).meshes.empty());
        QVERIFY(!read_gltf(in("whole.glb")).meshes.empty());
    }

    /// Of a rig that is in memory alone: other props in each take, none takes the other's node.
    void takes_and_props_of_a_rig_in_memory_share_a_file() {
        const std::string path = in("memory.glb"), more = in("memory-more.glb");
        const auto shown = [&](const char* take, const char* prop, double aside_m) {
            Handed of = handed(take, "dockhand");
            cut(of, 0, 30);
            of.character.rig.nodes.clear();
            of.character.rig.conventions = {};
            PropTrack track{prop, {}};
            for (int f = 0; f < of.motion.frames; ++f)
                track.X_W.push_back({Quat::Identity(), Vec3(aside_m, 0.01 * f, 0.0)});
            add_props(of, {track});
            return of;
        };
        const Handed first = shown("lantern-signal", "pail", 1.0), second = shown("quay-walk", "oar", -1.0);
        write_handed(path, first, {});
        QVERIFY(prove(path, first).place_m < 1e-4 && prove(path, first).missing.empty());
        WriteOptions added;
        added.added_to = path;
        write_handed(more, second, added);
        const Proof proof = prove(more, second);
        QVERIFY2(proof.place_m < 1e-4 && proof.missing.empty(), qPrintable(QString::number(proof.place_m)));
        verify_valid(more);
        QCOMPARE(read_gltf(more).animations.size(), size_t(2));
        const SkeletonFile back = read_gltf(more, 0);
        const WorldMotion motion = forward_kinematics(back.skeleton, back.take);
        QVERIFY((motion.p[motion.at(29, back.skeleton.find("pail"))] - Vec3(1.0, 0.29, 0.0)).norm() < 1e-5);
    }

    /// A rig with a second mesh, which the intake leaves out and takes in again.
    void a_single_mesh_is_left_out() {
        const LoadedFile own = demo_body("dockhand");
        GlbParts parts(own.character.rig);
        Json& nodes = parts.json["nodes"];
        const auto shows =
            std::find_if(nodes.begin(), nodes.end(), [](const Json& n) { return n.contains("mesh"); });
        Json hat = *shows;
        Json mesh = parts.json["meshes"][hat["mesh"].get<size_t>()];
        const std::string body_mesh = mesh.value("name", "");
        mesh["name"] = "hat";
        hat["name"] = "the hat";
        hat["mesh"] = parts.append("meshes", mesh);
        const size_t node = parts.append("nodes", hat);
        parts.json["scenes"][0]["nodes"].push_back(node);
        const std::string rig = in("hat.glb");
        parts.write(rig);

        const LoadedFile both = load_file(rig);
        QCOMPARE(both.character.rig.meshes.size(), size_t(2));
        const auto mesh_finding = [](const LoadedFile& file) {
            for (const Finding& finding : find_in(file))
                if (finding.kind == "mesh") return finding;
            return Finding{};
        };
        const auto choice = [](const Finding& finding, const char* words) {
            for (const auto& [name, options] : finding.choices)
                if (name == words) return options;
            qFatal("%s is not offered", words);
        };
        const LoadedFile bare = load_file(rig, choice(mesh_finding(both), "leave out 'hat'"));
        QCOMPARE(bare.character.rig.meshes.size(), size_t(1));
        QCOMPARE(bare.character.rig.meshes[0].name, body_mesh);
        QVERIFY(mesh_finding(bare).evidence.find("left out: hat") != std::string::npos);
        const LoadedFile again = load_file(rig, choice(mesh_finding(bare), "take in 'hat' again"));
        QCOMPARE(again.character.rig.meshes.size(), size_t(2));
        // It does not leave, either.
        const LoadedFile source = demo_take("lantern-signal");
        const Handed shown = handed_of(bare.character, carry(source, bare));
        write_handed(in("bare.glb"), shown, {});
        verify_valid(in("bare.glb"));
        QCOMPARE(read_gltf(in("bare.glb")).meshes.size(), size_t(1));
        QVERIFY(prove(in("bare.glb"), shown).place_m < 1e-4);
    }

    /// Mesh, weights, colours of a rig of another format go along (open models of Debian's package
    /// assimp-testmodels).
    void rigs_of_other_formats_keep_their_mesh() {
        for (const char* model : {"X/Testwuson.X", "FBX/huesitos.fbx", "MD5/SimpleCube.md5mesh"}) {
            const SkeletonFile file = read_scene(std::string("/usr/share/assimp/models/") + model);
            Rig rig;
            rig.path = model;
            rig.skeleton = file.skeleton;
            rig.meshes = file.meshes;
            rig.images = file.images;
            Take take = file.take;
            take.joints = file.skeleton.size();
            const std::string path = in("other.glb");
            const TakeView view(take);
            write_glb(path, rig, view, key_every_frame(rig.skeleton, view));
            verify_valid(path);
            const SkeletonFile back = read_gltf(path);
            QCOMPARE(back.skeleton.names.size(), file.skeleton.names.size());
            QCOMPARE(back.meshes.size(), file.meshes.size());
            // Skinned vertices stand where they stood, at rest and in a frame.
            const auto pose = [&](const SkeletonFile& of) {
                return of.take.frames > 3 ? pose_at(of.skeleton, of.take, 3) : rest_pose(of.skeleton);
            };
            for (size_t i = 0; i < file.meshes.size(); ++i) {
                const auto before = skin_vertices(file.meshes[i], pose(file));
                const auto after = skin_vertices(back.meshes[i], pose(back));
                QCOMPARE(after.size(), before.size());
                double size = 1e-9, worst = 0.0;
                for (size_t v = 0; v < before.size(); ++v) {
                    size = std::max(size, before[v].norm());
                    worst = std::max(worst, (after[v] - before[v]).norm());
                }
                QVERIFY2(worst < 1e-5 * size,
                         qPrintable(QString("%1: %2 of %3").arg(model).arg(worst).arg(size)));
                QVERIFY((back.meshes[i].base_colour - file.meshes[i].base_colour).norm() < 1e-5f);
            }
        }
    }

    /// docs/formats.md says of each format what is in the file again: found here by writing and reading. NB_WRITE_DOCS=1
    /// writes the table.
    void what_survives_is_as_the_docs_say() {
        std::string table =
            "| format | bones | tree | rest: places | rest: turns | motion: places | motion: turns | mesh | "
            "rate |\n"
            "|---|---|---|---|---|---|---|---|---|\n";
        const auto at_most = [](double value, double unit, const char* word) {
            double bound = 1e-5;
            while (bound < value / unit) bound *= 10.0;
            return fmt::format("within {:g} {}", bound, word);
        };
        for (const FileFormat& format : file_formats()) {
            // What these hold depends on the rig (below).
            if (std::string(format.ending) == ".fbx" || std::string(format.ending) == ".dae") continue;
            int bones = 0, all_bones = 0, trees = 0, bodies = 0, meshes = 0, with_mesh = 0, rates = 0;
            bool has_rest = true;
            double rest_m = 0.0, rest_rad = 0.0, place_m = 0.0, turn_rad = 0.0;
            for (const char* body : {"ferrier", "dockhand", "lamp-child"}) {
                Handed shown = handed("mole-steps", body);
                cut(shown, 100, 160);
                const std::string path = in(std::string("survives") + format.ending);
                write_handed(path, shown, {});
                const Proof proof = prove(path, shown);
                ++bodies;
                all_bones += shown.motion.joints;
                bones += proof.joints;
                place_m = std::max(place_m, proof.place_m);
                turn_rad = std::max(turn_rad, proof.turn_rad);
                if (std::string(format.ending) == ".csv") {
                    has_rest = false;
                    rates += 1;
                    with_mesh += 1;
                    continue;
                }
                const std::string ending = format.ending;
                const SkeletonFile back = ending == ".bvh" ? read_bvh(path) : read_gltf(path);
                const Skeleton& own = shown.character.rig.skeleton;
                const FileConventions& as = shown.character.rig.conventions;
                const bool is_own = ending != ".vrma";
                bool is_tree = true;
                const Pose rest = rest_pose(own), again = rest_pose(back.skeleton);
                for (int j = 0; j < own.size(); ++j) {
                    const int at = back.skeleton.find(own.names[size_t(j)]);
                    if (at < 0) continue;
                    const int parent = own.parents[size_t(j)], above = back.skeleton.parents[size_t(at)];
                    is_tree &= parent < 0 ? above < 0
                                          : above >= 0 && own.names[size_t(parent)] ==
                                                              back.skeleton.names[size_t(above)];
                    const Quat R_WF = is_own ? as.R_WF : Quat::Identity();
                    const double unit = is_own ? as.unit_m : 1.0;
                    // Of the humanoid the aligned rest is meant.
                    const Vec3& p = is_own ? rest.p[size_t(j)] : shown.character.rest.p_WJ0[size_t(j)];
                    const Quat& R = is_own ? rest.R[size_t(j)] : shown.character.rest.R_WJ0[size_t(j)];
                    rest_m = std::max(rest_m, (unit * (R_WF * again.p[size_t(at)]) - p).norm());
                    rest_rad =
                        std::max(rest_rad, angle_between(R_WF * again.R[size_t(at)] * R_WF.conjugate(), R));
                }
                trees += is_tree ? 1 : 0;
                with_mesh += 1;
                meshes += back.meshes.empty() ? 0 : 1;
                rates += std::abs(back.take.frame_time_s - shown.motion.frame_time_s) < 1e-6 ? 1 : 0;
            }
            const auto all_of = [](int some, int all) {
                return some == all ? std::string("all")
                       : some == 0 ? std::string("none")
                                   : fmt::format("{} of {}", some, all);
            };
            const bool is_bvh = std::string(format.ending) == ".bvh", is_csv = !has_rest;
            table += fmt::format(
                "| `{}` | {} | {} | {} | {} | {} | {} | {} | {} |\n", format.ending, all_of(bones, all_bones),
                is_csv            ? "none"
                : trees == bodies ? "same"
                                  : "bones in between left out",
                is_csv ? "none" : at_most(rest_m, 1e-3, "mm"),
                is_csv || rest_rad > 0.1 ? "none" : at_most(rad_to_deg(rest_rad), 1.0, "degrees"),
                at_most(place_m, 1e-3, "mm"),
                is_bvh ? "from the re-framed rest" : at_most(rad_to_deg(turn_rad), 1.0, "degrees"),
                all_of(meshes, with_mesh), all_of(rates, bodies) == "all" ? "kept" : "other");
        }
        const std::string docs = NB_SOURCE_DIR "/docs/formats.md";
        std::string text = read_file(docs);
        const std::string from = "<!-- what survives: written by test_handed_files -->\n",
                          to = "<!-- end -->";
        const size_t begin = text.find(from), end = text.find(to);
        QVERIFY(begin != std::string::npos && end != std::string::npos);
        const std::string now = text.substr(begin + from.size(), end - begin - from.size());
        if (qEnvironmentVariableIsSet("NB_WRITE_DOCS")) {
            text.replace(begin + from.size(), now.size(), table);
            write_file(docs, text);
            return;
        }
        QVERIFY2(now == table, ("docs/formats.md should say\n" + table).c_str());
    }

    /// Bones with dots, colons and fast turns in their names and motion: what was shown is read back, with its mesh.
    void other_scene_formats_hold_what_was_shown() {
        LibraryFiles files(open_library(demo("")));
        HandOverOrder order;
        order.name = "scenes";
        order.pairs = {{"quay-walk", "dockhand"}, {"quay-walk", "ferrier"}, {"quay-walk", "lamp-child"}};
        order.first = 340;
        order.last = 400;
        order.formats = {".fbx", ".dae"};
        order.folder = in("scenes");
        const HandOverReport report = run_hand_over(order, files);
        for (const Json& file : report.document["files"]) {
            const std::string name = file["name"];
            QVERIFY2(file["state"] == "written",
                     qPrintable(QString::fromStdString(name + ": " + file.value("why", ""))));
            QVERIFY(file["read_back"]["place_mm"].get<double>() < 0.05);
            QVERIFY(file["read_back"]["turn_deg"].get<double>() < 0.02);
            QVERIFY(file["read_back"]["missing"].empty());
            const SkeletonFile back = read_scene(in("scenes/" + name));
            QVERIFY(!back.meshes.empty());
            QVERIFY(std::abs((back.take.frames - 1) * back.take.frame_time_s - 59.0 / 60.0) < 1.0 / 60.0);
            QVERIFY(file["read_back"]["frames"].get<int>() >= 50);
        }
    }
    /// Straight from key to key on each axis: no curve may leap where the bone does not.
    void angles_of_fbx_are_led_on() {
        const Handed shown = handed("quay-walk", "ferrier");
        const std::string path = in("angles.fbx");
        write_handed(path, shown, {});
        const std::string text = read_file(path);
        int curves = 0;
        double most = 0.0;
        for (size_t at = text.find("KeyValueFloat:"); at != std::string::npos;
             at = text.find("KeyValueFloat:", at + 1)) {
            const size_t open = text.find("a:", at) + 2;
            const QString all =
                QString::fromLatin1(text.data() + open, qsizetype(text.find('}', open) - open));
            const QStringList numbers = all.simplified().remove(' ').split(',');
            QCOMPARE(numbers.size(), qsizetype(shown.motion.frames));
            for (qsizetype i = 1; i < numbers.size(); ++i)
                most = std::max(most, std::abs(numbers[i].toDouble() - numbers[i - 1].toDouble()));
            ++curves;
        }
        QCOMPARE(curves, 9 * shown.motion.joints);
        QVERIFY2(most < 60.0, qPrintable(QString::number(most)));
        // What is no FBX stays as it is, cut off or whole.
        QCOMPARE(lead_angles_on(text.substr(0, text.size() / 2)).size() > 1000, true);
        QCOMPARE(lead_angles_on("AnimationCurve: 1, KeyValueFloat: *3 { a: 1,2"),
                 std::string("AnimationCurve: 1, KeyValueFloat: *3 { a: 1,2"));
    }

    /// The demo's control rigs, evaluated by a script that knows no more than the rig's own rules: the body follows.
    void control_rigs_move_the_body() {
        for (const char* body : {"ferrier", "dockhand"}) {
            Handed shown = handed("haul-rope", body);
            cut(shown, 0, 400);
            place_take(shown, {true, Vec3::Zero(), 0.0});
            put_stance_first(shown);
            const auto rig = controls_beside(demo(std::string("characters/") + body + "/rig.glb"));
            QVERIFY(rig.has_value());
            Json roles = Json::object();
            for (const RoleFill& fill : shown.character.roles.fills)
                roles[fill.role] = shown.character.rig.skeleton.names[size_t(fill.joint)];
            write_file(in("roles.json"), roles.dump());
            write_handed(in("shown.csv"), shown, {});
            const auto follows = [&](const LimbKeys& keyed, const std::vector<const char*>& rules) {
                ControlRig now = *rig;
                for (auto& [limb, keys] : now.limbs) {
                    keys.mode = keyed.mode;
                    keys.share = keyed.share;
                }
                const Handed controls = controls_as_handed(shown, now);
                QVERIFY2(controls.told.empty(), controls.told.empty() ? "" : controls.told.front().c_str());
                write_handed(in("controls.glb"), controls, {});
                verify_valid(in("controls.glb"));
                QVERIFY(prove(in("controls.glb"), controls).place_m < 1e-4);
                int code = 0;
                const QByteArray said = run_python(
                    "controls.py",
                    {QString::fromStdString(in("controls.glb")), QString::fromStdString(in("shown.csv")),
                     QString::fromStdString(in("roles.json"))},
                    &code);
                QVERIFY2(code == 0, said);
                const auto worst = QJsonDocument::fromJson(said).object();
                for (const char* rule : rules)
                    QVERIFY2(worst[rule].toDouble() < 2e-3,
                             qPrintable(QString("%1: %2").arg(body, QString(said))));
                for (const char* which : {"least", "largest"})
                    QVERIFY2(std::abs(worst[which].toDouble() - keyed.share_in_force()) < 1e-4, said);
            };
            // By either kind alone, and by both of them mixed, the limbs go where they were shown.
            follows({LimbMode::both, 0.35, {}, 0.1}, {"pelvis", "tips", "poles", "angles", "shared"});
            follows({LimbMode::goal_and_pole, 0.35, {}, 0.1}, {"pelvis", "tips", "poles", "shared"});
            follows({LimbMode::angles, 0.35, {}, 0.1}, {"pelvis", "angles", "shared"});
        }
    }
    /// Without a node for its share a limb of two kinds is told, and so is a node the rig has not.
    void shares_without_a_node_are_told() {
        Handed shown = handed("haul-rope", "ferrier");
        cut(shown, 0, 5);
        ControlRig rig = *controls_beside(demo("characters/ferrier/rig.glb"));
        rig.limbs["arm.left"].node.clear();
        rig.limbs["leg.right"].node = "nowhere";
        const auto told = controls_as_handed(shown, rig).told;
        QCOMPARE(told.size(), size_t(2));
        QVERIFY(told[0].find("both kinds of arm.left") != told[0].npos);
        QVERIFY(told[1].find("'nowhere'") != told[1].npos);
    }
    /// The closed form against the least sum found by scipy (worked anew each time).
    void clouds_are_laid_nearest() {
        std::mt19937 random(11);
        std::normal_distribution<double> normal;
        for (int round = 0; round < 3; ++round) {
            std::vector<Vec3> a, b;
            QString points = "[";
            for (int i = 0; i < 25; ++i) {
                a.emplace_back(normal(random), normal(random), normal(random));
                b.push_back(exp_rotation(1.1 * round * Vec3::UnitY()) * a.back() + Vec3(2.0, 0.1, -1.0) +
                            0.3 * Vec3(normal(random), normal(random), normal(random)));
                points += QString("%1[%2,%3,%4,%5]")
                              .arg(i ? "," : "")
                              .arg(a[size_t(i)].x(), 0, 'g', 17)
                              .arg(a[size_t(i)].z(), 0, 'g', 17)
                              .arg(b[size_t(i)].x(), 0, 'g', 17)
                              .arg(b[size_t(i)].z(), 0, 'g', 17);
            }
            points += "]";
            double distance = 0.0;
            const FloorMove move = nearest_floor_move(a, b, distance);
            const QByteArray said = run_program(
                "/usr/bin/python3", {"-c",
                                     "import json,sys,numpy as np\nfrom scipy.optimize import minimize\n"
                                     "d=np.array(json.loads(sys.argv[1]))\n"
                                     "def cost(v):\n t,x,z=v\n bx=d[:,2]*np.cos(t)+d[:,3]*np.sin(t)+x; "
                                     "bz=-d[:,2]*np.sin(t)+d[:,3]*np.cos(t)+z\n"
                                     " return ((d[:,0]-bx)**2+(d[:,1]-bz)**2).sum()\n"
                                     "best=min((minimize(cost,[t,0,0],method='BFGS') for t in "
                                     "(-2,-1,0,1,2)),key=lambda r:r.fun)\n"
                                     "print(json.dumps(list(best.x)))",
                                     points});
            const auto x = QJsonDocument::fromJson(said).array();
            QCOMPARE(x.size(), 3);
            QVERIFY2(std::abs(std::remainder(x[0].toDouble() - move.yaw_rad, 2 * pi)) < 1e-4, said);
            QVERIFY(std::abs(x[1].toDouble() - move.x_m) < 1e-4 &&
                    std::abs(x[2].toDouble() - move.z_m) < 1e-4);
        }
    }

    /// The reference loader plays it on the same body's humanoid: each bone turns as it was shown since the T.
    void vrm_animations_play_as_shown() {
        Handed shown = handed("haul-rope", "ferrier");
        cut(shown, 100, 400);
        write_handed(in("haul.vrma"), shown, {});
        write_vrm(in("ferrier.vrm"), shown.character, {.name = "ferrier"});
        QStringList arguments{"animation.mjs", QString::fromStdString(in("haul.vrma")),
                              QString::fromStdString(in("ferrier.vrm"))};
        const std::vector<int> frames{0, 60, 123, 240};
        for (const int f : frames) arguments << QString::number(f * shown.motion.frame_time_s, 'g', 12);
        int code = 0;
        const QByteArray said = run_node(arguments, &code);
        QVERIFY2(code == 0, said);
        const auto told = QJsonDocument::fromJson(said).array();
        const RestAlignment& rest = shown.character.rest;
        int compared = 0;
        for (size_t i = 0; i < frames.size(); ++i) {
            const auto bones = told[int(i)].toObject()["bones"].toObject();
            for (const auto& [name, joint] : vrm_bones(shown.character.roles)) {
                const auto q = bones[QString::fromStdString(name)].toArray();
                if (q.size() != 4 || name.ends_with("Eye")) continue;
                const Quat there(q[3].toDouble(), q[0].toDouble(), q[1].toDouble(), q[2].toDouble());
                // VRM's bodies face +Z as ours: turns since the T.
                const Quat here =
                    shown.motion.R[shown.motion.at(frames[i], joint)] * rest.R_WJ0[size_t(joint)].conjugate();
                const double off = rad_to_deg(angle_between(there, here));
                QVERIFY2(
                    off < 0.5,
                    qPrintable(QString("%1 frame %2: %3 degrees").arg(name.c_str()).arg(frames[i]).arg(off)));
                ++compared;
            }
        }
        QVERIFY(compared > 80);
    }
};

NB_TEST(HandedFilesTest)
}  // namespace test_handed_files
#include "test_handed_files.moc"
