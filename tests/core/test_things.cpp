// Things that are put on a take's stage: they stand, go with the hand that takes them, stay where they are let go; grips are
// found on them and hands hold them on every body; documents, other rates, files that are gone.
#include <QTemporaryDir>
#include <QtTest>
#include <cmath>
#include <filesystem>
#include <limits>

#include "core/base/fault.hpp"
#include "core/base/files.hpp"
#include "core/contact/touches.hpp"
#include "core/documents/character.hpp"
#include "core/documents/intake.hpp"
#include "core/documents/take.hpp"
#include "core/intake/findings.hpp"
#include "core/intake/things.hpp"
#include "core/library/library.hpp"
#include "core/solve/hold.hpp"
#include "tests/support/run_test.hpp"
#include "tests/support/test_rigs.hpp"

namespace test_things {

using namespace nb;
using namespace nb::test;

namespace {

LoadedFile with_things(const std::string& take, const std::vector<StageThing>& things,
                       const std::function<void(LoadOptions&)>& more = {}) {
    std::vector<std::string> notes;
    LoadOptions options = load_take(demo("takes/" + take + ".take.json"), "", notes).character.rig.options;
    options.things = things;
    if (more) more(options);
    return load_take(demo("takes/" + take + ".take.json"), "", notes, 0, &options);
}

StageThing crate(const std::string& held_by, double from_s, double to_s) {
    StageThing thing;
    thing.file = demo("set/crate.glb");
    thing.held_by = held_by;
    thing.from_s = from_s;
    thing.to_s = to_s;
    thing.at_m = {0.4, 0.3, 0.2};
    thing.turn_deg = 30.0;
    return thing;
}

Rigid of(const WorldMotion& motion, int frame, int joint) {
    return {motion.R[motion.at(frame, joint)], motion.p[motion.at(frame, joint)]};
}
double apart_m(const Rigid& a, const Rigid& b) {
    return (a.p - b.p).norm() + angle_between(a.R, b.R);
}

}  // namespace

class ThingsTest : public QObject {
    Q_OBJECT

  private slots:
    /// The hand's frame is taken from forward kinematics here: in it the thing is still, else in the world.
    void it_stands_goes_with_the_hand_and_stays() {
        const LoadedFile bare = demo_take("quay-walk");
        const LoadedFile file = with_things("quay-walk", {crate("right", 1.5, 3.5)});
        const Skeleton& skeleton = file.character.rig.skeleton;
        const int joints = bare.character.rig.skeleton.size();
        QCOMPARE(skeleton.size(), joints + 1);
        QCOMPARE(file.character.rig.facts.things, std::vector<std::string>{"crate"});
        const int thing = skeleton.find("crate"), hand = file.character.roles.joint("hand.right");
        QCOMPARE(thing, joints);
        QVERIFY(file.character.roles.fills.size() == bare.character.roles.fills.size());
        QCOMPARE(own_signature(file.character.rig), bare.character.rig.skeleton.signature());
        const WorldMotion motion = forward_kinematics(skeleton, *file.take);
        const WorldMotion alone = forward_kinematics(bare.character.rig.skeleton, *bare.take);
        for (int f = 0; f < motion.frames; ++f)
            for (int j = 0; j < joints; ++j) QVERIFY(motion.p[motion.at(f, j)] == alone.p[alone.at(f, j)]);
        const auto frame = [&](double t_s) { return int(std::lround(t_s / file.take->frame_time_s)); };
        const int from = frame(1.5), to = frame(3.5);
        const Rigid stood = of(motion, 0, thing), in_hand = inverse(of(motion, from, hand)) * stood;
        QVERIFY((stood.p - Vec3(0.4, 0.3, 0.2)).norm() < 1e-12);
        QVERIFY(std::abs(angle_between(stood.R, Quat::Identity()) - deg_to_rad(30.0)) < 1e-9);
        double went = 0.0;
        for (int f = 0; f < motion.frames; ++f) {
            const Rigid now = of(motion, f, thing);
            if (f <= from) QVERIFY(apart_m(now, stood) < 1e-9);
            if (f >= from && f <= to) {
                QVERIFY(apart_m(inverse(of(motion, f, hand)) * now, in_hand) < 1e-9);
                went = std::max(went, (now.p - stood.p).norm());
            }
            if (f >= to) QVERIFY(apart_m(now, of(motion, to, thing)) < 1e-9);
        }
        QVERIFY(went > 0.2);
        QCOMPARE(file.pieces.size(), bare.pieces.size() + 1);
        QCOMPARE(file.pieces.front().joint, std::string("crate"));
    }

    /// Between both hands it keeps its place in the middle between the wrists, and does not jump.
    void both_hands_carry_it_between_them() {
        const LoadedFile file = with_things("carry-crate", {crate("both", 2.0, 0.0)});
        const Skeleton& skeleton = file.character.rig.skeleton;
        // The take has a crate of its own.
        const int thing = skeleton.find("crate_2");
        QVERIFY(thing >= 0);
        const WorldMotion motion = forward_kinematics(skeleton, *file.take);
        const int left = file.character.roles.joint("hand.left"),
                  right = file.character.roles.joint("hand.right");
        const int from = int(std::lround(2.0 / file.take->frame_time_s));
        const auto off = [&](int f) {
            const Vec3 middle = 0.5 * (of(motion, f, left).p + of(motion, f, right).p);
            return Vec3(of(motion, f, thing).p - middle);
        };
        for (int f = from; f < motion.frames; ++f) {
            QVERIFY(std::abs(off(f).norm() - off(from).norm()) < 1e-9);
            const double step = (of(motion, f, thing).p - of(motion, f - 1, thing).p).norm();
            QVERIFY2(step < 0.12, qPrintable(QString("%1 m at %2").arg(step).arg(f)));
        }
    }

    void grips_are_found_and_hands_hold_it_on_every_body() {
        LoadedFile file = with_things("quay-walk", {crate("right", 1.0, 5.0)});
        StageThing thing = brought_to_hand(file, file.character.rig.options.things[0], {0.0, 0.15, 0.0}, 1.0);
        file = with_things("quay-walk", {thing});
        const int joint = file.character.rig.skeleton.find("crate");
        const HandMarks marks = hand_marks(file.character, *file.take);
        const auto grip = std::find_if(marks.grips.begin(), marks.grips.end(),
                                       [&](const Grip& one) { return one.thing == joint; });
        QVERIFY(grip != marks.grips.end());
        QCOMPARE(grip->limb, size_t(3));
        const double dt = file.take->frame_time_s;
        QVERIFY2(std::abs(grip->first * dt - 1.0) < 0.15 && std::abs(grip->last * dt - 5.0) < 0.15,
                 qPrintable(QString("%1 to %2 s").arg(grip->first * dt).arg(grip->last * dt)));
        for (const char* name : {"ferrier", "lamp-child", "net-mender", "dockhand"}) {
            const LoadedFile body = demo_body(name);
            const TransferResult result = carry(file, body);
            const int hand = body.character.roles.joint("hand.right");
            double slide_mm = 0.0;
            Vec3 before = Vec3::Zero();
            for (int f = int(1.6 / dt); f < int(4.4 / dt); ++f) {
                const Rigid stands = thing_beside(result.plan.program, joint, frame_of(result.source, f),
                                                  frame_of(std::as_const(result.target), f));
                const Vec3 in_thing = inverse(stands) * result.target.p[result.target.at(f, hand)];
                if (f > int(1.6 / dt)) slide_mm = std::max(slide_mm, 1e3 * (in_thing - before).norm());
                before = in_thing;
            }
            qInfo("%s: slides by at most %.2f mm a frame", name, slide_mm);
            QVERIFY(slide_mm < 2.0);
        }
    }

    /// Times are on the clock of the take's file: another rate and a trim change nothing of where it is when.
    void another_rate_and_a_trim_keep_its_times() {
        const std::vector<StageThing> things{crate("left", 1.5, 3.0)};
        const LoadedFile whole = with_things("quay-walk", things);
        const LoadedFile part = with_things("quay-walk", things, [](LoadOptions& options) {
            options.trim_first = 30;
            options.fps = 30.0;
        });
        const WorldMotion a = forward_kinematics(whole.character.rig.skeleton, *whole.take);
        const WorldMotion b = forward_kinematics(part.character.rig.skeleton, *part.take);
        const int joint = whole.character.rig.skeleton.find("crate");
        int compared = 0;
        for (int f = 0; f < b.frames; ++f) {
            const double at = (b.time_s(f) - a.start_s) / a.frame_time_s;
            const int before = int(std::floor(at));
            if (before + 1 >= a.frames) continue;
            ++compared;
            // Between two frames of the take; where it is taken up to a frame later or earlier.
            const Vec3 there =
                (1.0 - (at - before)) * of(a, before, joint).p + (at - before) * of(a, before + 1, joint).p;
            QVERIFY2(
                (there - of(b, f, joint).p).norm() < 0.05,
                qPrintable(QString("%1 m at %2 s").arg((there - of(b, f, joint).p).norm()).arg(b.time_s(f))));
        }
        QVERIFY(compared > 100);
    }

    void documents_keep_it_and_say_what_is_wrong() {
        LoadOptions options;
        options.things = {crate("both", 1.25, 2.5), crate("", 0.0, 0.0)};
        options.things[1].name = "the other";
        Json document;
        document["intake"] = intake_document(options);
        LoadOptions read;
        read_intake(document, "a document", read);
        QCOMPARE(read.things[0], options.things[0]);
        QCOMPARE(read.things[1].name, std::string("the other"));
        const auto refused = [&](const std::function<void(Json&)>& edit) {
            Json wrong = document;
            edit(wrong["intake"]["things"][0]);
            LoadOptions none;
            try {
                read_intake(wrong, "a document", none);
            } catch (const FileError& fault) {
                return QString(fault.what()).count('\n') == 0;
            }
            return false;
        };
        QVERIFY(refused([](Json& thing) { thing["at_m"] = {1.0, 2.0}; }));
        QVERIFY(refused([](Json& thing) { thing["at_m"] = "here"; }));
        QVERIFY(refused([](Json& thing) { thing["at_m"][1] = 1e300; }));
        QVERIFY(refused([](Json& thing) { thing.erase("file"); }));
        QVERIFY(refused([](Json& thing) { thing["from_s"] = "soon"; }));
        QVERIFY_THROWS_EXCEPTION(FileError, with_things("quay-walk", {crate("tail", 1.0, 2.0)}));
        StageThing gone = crate("right", 1.0, 2.0);
        gone.file = "/nowhere/crate.glb";
        QVERIFY_THROWS_EXCEPTION(FileError, with_things("quay-walk", {gone}));
    }

    /// Saved with its take; where the mesh is gone later its motion stays, it is told, and there is a repair.
    void a_take_is_opened_without_the_mesh() {
        QTemporaryDir folder;
        const auto in = [&](const char* name) { return folder.filePath(name).toStdString(); };
        write_file(in("walk.bvh"), read_file(demo("takes/quay-walk.bvh")));
        write_file(in("box.glb"), read_file(demo("set/crate.glb")));
        LoadOptions options;
        options.is_by_hand = true;
        options.things = {crate("right", 1.0, 2.0)};
        options.things[0].file = "box.glb";
        std::vector<std::string> notes;
        const LoadedFile made = load_take(in("walk.bvh"), "", notes, 0, &options);
        QCOMPARE(made.character.rig.facts.things, std::vector<std::string>{"box"});
        write_file(in("walk.take.json"), changed_take_document(made, in("walk.take.json")).dump());
        const LoadedFile again = load_take(in("walk.take.json"), "", notes);
        QCOMPARE(again.character.rig.options.things, options.things);
        QCOMPARE(again.pieces.size(), size_t(1));
        std::filesystem::remove(in("box.glb"));
        notes.clear();
        const LoadedFile without = load_take(in("walk.take.json"), "", notes);
        QVERIFY(without.pieces.empty());
        QVERIFY(without.take->p == again.take->p);
        QVERIFY(std::any_of(notes.begin(), notes.end(), [](const std::string& note) {
            return note.find("box is not shown") != std::string::npos;
        }));
        const std::vector<Finding> findings = find_in(without);
        const auto told = std::find_if(findings.begin(), findings.end(),
                                       [](const Finding& one) { return one.kind == "along"; });
        QVERIFY(told != findings.end());
        QVERIFY(told->repaired.things.empty());
    }
};

NB_TEST(ThingsTest)
}  // namespace test_things
#include "test_things.moc"
