// What goes along with a take: fingers and face from files of their own, the sound, the start on the clock of the shoot.
#include <QJsonDocument>
#include <QJsonObject>
#include <QTemporaryDir>
#include <cmath>

#include "core/base/fault.hpp"
#include "core/base/files.hpp"
#include "core/documents/character.hpp"
#include "core/documents/take.hpp"
#include "core/files/gltf/gltf.hpp"
#include "core/files/sound.hpp"
#include "core/handover/glb_animation.hpp"
#include "core/handover/handed.hpp"
#include "core/intake/along.hpp"
#include "core/intake/findings.hpp"
#include "core/library/changes.hpp"
#include "core/library/hand_over.hpp"
#include "core/math/rotation.hpp"
#include "core/rest/edit.hpp"
#include "tests/support/other_programs.hpp"
#include "tests/support/run_test.hpp"
#include "tests/support/test_rigs.hpp"

namespace test_along {

using namespace nb;
using namespace nb::test;

namespace {

bool is_finger(const std::string& role) {
    for (const char* finger : {"thumb", "index", "middle", "ring", "little"})
        if (role.starts_with(finger)) return true;
    return false;
}

/// The same without some joints and what hangs on them.
SkeletonFile without(const SkeletonFile& file, const std::vector<char>& out) {
    SkeletonFile left;
    std::vector<int> place(out.size(), -1);
    std::vector<char> gone = out;
    const Skeleton& s = file.skeleton;
    for (int j = 0; j < s.size(); ++j) {
        const int parent = s.parents[size_t(j)];
        if (parent >= 0 && gone[size_t(parent)]) gone[size_t(j)] = 1;
        if (gone[size_t(j)]) continue;
        place[size_t(j)] = left.skeleton.size();
        left.skeleton.names.push_back(s.names[size_t(j)]);
        left.skeleton.parents.push_back(parent < 0 ? -1 : place[size_t(parent)]);
        left.skeleton.rest_R.push_back(s.rest_R[size_t(j)]);
        left.skeleton.rest_p.push_back(s.rest_p[size_t(j)]);
    }
    left.take = file.take;
    left.take.joints = left.skeleton.size();
    std::vector<Quat>& R = left.take.R.edit();
    R.clear();
    for (int f = 0; f < file.take.frames; ++f)
        for (int j = 0; j < s.size(); ++j)
            if (!gone[size_t(j)]) R.push_back(file.take.rotations(f)[size_t(j)]);
    for (int& joint : left.take.translated) joint = place[size_t(joint)];
    return left;
}

/// The loudest difference of what is heard, of two sounds as long.
float apart(const Sound& a, const Sound& b) {
    if (a.samples.size() != b.samples.size()) return 9.0F;
    float most = 0.0F;
    for (size_t i = 0; i < a.samples.size(); ++i)
        most = std::max(most, std::abs(a.samples[i] - b.samples[i]));
    return most;
}

Sound a_tone(double seconds, int rate = 8000, int channels = 2) {
    Sound tone;
    tone.rate = rate;
    tone.channels = channels;
    for (int i = 0; i < int(seconds * rate); ++i)
        for (int c = 0; c < channels; ++c)
            tone.samples.push_back(float(0.8 * std::sin((c + 1) * 0.05 * i) * std::cos(0.0007 * i)));
    return tone;
}

}  // namespace

class AlongTest : public QObject {
    Q_OBJECT
    QTemporaryDir folder_;
    SkeletonFile whole_;              ///< the ferrier's body at work, its fingers and head bones, too
    std::vector<char> hands_, head_;  ///< what hangs on the hands, on the head
    std::string in(const std::string& name) const {
        return folder_.filePath(QString::fromStdString(name)).toStdString();
    }
    void put(const std::string& name, const SkeletonFile& file) {
        write_glb(in(name), file.skeleton, file.take);
    }
    /// Largest distance of joints of the same name, m, and turn, degrees.
    Difference off(const LoadedFile& file, const SkeletonFile& wanted, int late = 0) {
        const WorldMotion a = forward_kinematics(file.character.rig.skeleton, *file.take);
        const WorldMotion b = forward_kinematics(wanted.skeleton, wanted.take);
        Difference most;
        int compared = 0;
        for (int j = 0; j < wanted.skeleton.size(); ++j) {
            const int own = file.character.rig.skeleton.find(wanted.skeleton.names[size_t(j)]);
            if (own < 0) continue;
            ++compared;
            // Later fingers: seen from their own hand.
            const int hand = wanted.skeleton.parents[size_t(j)];
            for (int f = 0; f < a.frames; ++f) {
                const int then = std::max(1, f - late);  // the take's frame 0 is a T that stands apart
                if (late == 0) {
                    most.place_m = std::max(most.place_m, (a.p[a.at(f, own)] - b.p[b.at(f, j)]).norm());
                    most.turn_deg = std::max(most.turn_deg,
                                             rad_to_deg(angle_between(a.R[a.at(f, own)], b.R[b.at(f, j)])));
                } else if (hands_[size_t(j)]) {
                    const int own_hand = file.character.rig.skeleton.parents[size_t(own)];
                    most.turn_deg = std::max(
                        most.turn_deg,
                        rad_to_deg(angle_between(a.R[a.at(f, own_hand)].conjugate() * a.R[a.at(f, own)],
                                                 b.R[b.at(then, hand)].conjugate() * b.R[b.at(then, j)])));
                }
            }
        }
        if (compared != wanted.skeleton.size()) most.place_m = 1e9;
        return most;
    }
    LoadedFile load_with(const std::string& body, const std::vector<TakePart>& parts) {
        LoadOptions options;
        options.along = parts;
        options.is_by_hand = true;
        return load_file(in(body), options);
    }

  private slots:
    void initTestCase() {
        const LoadedFile source = demo_take("lantern-signal"), ferrier = demo_body("ferrier");
        const Character& body = ferrier.character;
        const TransferResult result = carry(source, ferrier);
        const int frames = 90;
        whole_.skeleton = body.rig.skeleton;
        whole_.skeleton.end_sites.clear();
        whole_.skeleton.bind_R.clear();
        const int joints = whole_.skeleton.size();
        Take& take = whole_.take;
        take.frames = frames;
        take.joints = joints;
        take.frame_time_s = 1.0 / 60.0;
        take.frame_time_text = "0.0166667";
        const int top = body.roles.joint("hips");
        take.translated = {top};
        hands_.assign(size_t(joints), 0);
        head_.assign(size_t(joints), 0);
        for (int j = 0; j < joints; ++j) {
            for (const char* hand : {"hand.left", "hand.right"})
                hands_[size_t(j)] |=
                    whole_.skeleton.is_ancestor(body.roles.joint(hand), j) && j != body.roles.joint(hand);
            head_[size_t(j)] =
                whole_.skeleton.is_ancestor(body.roles.joint("head"), j) && j != body.roles.joint("head");
        }
        const WorldMotion world = handed_of(body, result).motion;
        for (int f = 0; f < frames; ++f) {
            for (int j = 0; j < joints; ++j) {
                const int parent = whole_.skeleton.parents[size_t(j)];
                Quat R = parent < 0
                             ? world.R[world.at(f, j)]
                             : Quat(world.R[world.at(f, parent)].conjugate() * world.R[world.at(f, j)]);
                // Fingers and head bones of their own: smooth, unlike each other.
                if (hands_[size_t(j)] || head_[size_t(j)])
                    R = whole_.skeleton.rest_R[size_t(j)] *
                        exp_rotation(0.5 * std::sin(0.07 * f + j) *
                                     Vec3(0.3, 0.2 * (j % 3), 0.9).normalized());
                take.R.edit().push_back(R.normalized());
            }
            const int parent = whole_.skeleton.parents[size_t(top)];
            const Rigid X_WP =
                parent < 0 ? Rigid{} : Rigid{world.R[world.at(f, parent)], world.p[world.at(f, parent)]};
            take.p.edit().push_back(X_WP.R.conjugate() * (world.p[world.at(f, top)] - X_WP.p));
        }
        put("whole.glb", whole_);
        put("bare.glb", without(whole_, hands_));
        put("blank.glb", without(whole_, head_));
        SkeletonFile still = whole_;
        for (int f = 0; f < frames; ++f)
            for (int j = 0; j < joints; ++j)
                if (hands_[size_t(j)])
                    still.take.R.edit()[size_t(f) * size_t(joints) + size_t(j)] =
                        still.skeleton.rest_R[size_t(j)];
        put("still.glb", still);
        put("rolled.glb", re_rolled(whole_, 5));
    }

    /// A body without fingers gets them as they were captured: where they would be had they been in its file.
    void fingers_come_new_onto_a_bare_body() {
        const LoadedFile made = load_with("bare.glb", {{"whole.glb", "fingers", 0, 0.0}});
        const Difference most = off(made, whole_);
        QVERIFY2(most.place_m < 2e-5 && most.turn_deg < 0.01,
                 qPrintable(QString("%1 m, %2 degrees").arg(most.place_m).arg(most.turn_deg)));
        int fingers = 0;
        for (const RoleFill& fill : made.character.roles.fills) fingers += is_finger(fill.role);
        QVERIFY2(fingers >= 28, qPrintable(QString::number(fingers)));
        QVERIFY(made.character.rig.notes.end() !=
                std::find_if(made.character.rig.notes.begin(), made.character.rig.notes.end(),
                             [](const std::string& note) { return note.find("of them new") != note.npos; }));
    }
    /// Bones that are there take what theirs of the other file turned, whatever its own axes are.
    void fingers_go_onto_bones_that_are_there() {
        for (const char* from : {"whole.glb", "rolled.glb"}) {
            const Difference most = off(load_with("still.glb", {{from, "fingers", 0, 0.0}}), whole_);
            QVERIFY2(
                most.place_m < 1e-4 && most.turn_deg < 0.06,
                qPrintable(QString("%1: %2 m, %3 degrees").arg(from).arg(most.place_m).arg(most.turn_deg)));
        }
        // One side alone: the other is as it was.
        const LoadedFile left = load_with("still.glb", {{"whole.glb", "fingers.left", 0, 0.0}});
        QVERIFY(off(left, whole_).turn_deg > 5.0);
    }
    void the_face_comes_from_another_file() {
        QVERIFY(std::count(head_.begin(), head_.end(), 1) > 0);
        const Difference most = off(load_with("blank.glb", {{"whole.glb", "face", 0, 0.0}}), whole_);
        QVERIFY2(most.place_m < 2e-4 && most.turn_deg < 0.06,
                 qPrintable(QString("%1 m, %2 degrees").arg(most.place_m).arg(most.turn_deg)));
    }
    /// Half a second late: what the hand does then, and held before; the last of it never comes.
    void a_part_that_begins_later_is_held_before() {
        const LoadedFile made = load_with("bare.glb", {{"whole.glb", "fingers", 0, 0.5}});
        QVERIFY(off(made, whole_).turn_deg > 1.0);
        QVERIFY2(off(made, whole_, 30).turn_deg < 0.01,
                 qPrintable(QString::number(off(made, whole_, 30).turn_deg)));
    }
    /// What two files hold comes once: the later one has it.
    void a_later_file_has_what_both_hold() {
        const LoadedFile made =
            load_with("bare.glb", {{"whole.glb", "fingers.left", 0, 0.5}, {"whole.glb", "fingers", 0, 0.0}});
        QCOMPARE(made.character.rig.skeleton.size(), whole_.skeleton.size());
        const Difference most = off(made, whole_);
        QVERIFY2(most.place_m < 2e-5 && most.turn_deg < 0.01,
                 qPrintable(QString("%1 m, %2 degrees").arg(most.place_m).arg(most.turn_deg)));
    }
    void a_part_that_is_wrong_is_told() {
        write_file(in("garbage.bvh"), "HIERARCHY nothing");
        for (const char* wrong : {"gone.glb", "garbage.bvh"}) {
            QVERIFY_THROWS_EXCEPTION(FileError, load_with("bare.glb", {{wrong, "fingers", 0, 0.0}}));
            // Of a document that was right once: the body opens, and says what stays away.
            LoadOptions options;
            options.along = {{wrong, "fingers", 0, 0.0}};
            const LoadedFile body = load_file(in("bare.glb"), options);
            QVERIFY(body.take && body.take->frames == 90);
            bool is_told = false;
            for (const std::string& note : body.character.rig.notes)
                is_told |= note.find("stay away") != note.npos && note.find(wrong) != note.npos;
            QVERIFY(is_told);
            // The intake offers to go on without it.
            QCOMPARE(body.character.rig.facts.away.size(), size_t(1));
            const auto findings = find_in(body);
            const auto along = std::find_if(findings.begin(), findings.end(),
                                            [](const Finding& finding) { return finding.kind == "along"; });
            QVERIFY(along != findings.end() && along->state == Finding::State::open);
            QVERIFY(along->repaired.along.empty());
        }
        QVERIFY_THROWS_EXCEPTION(FileError, load_with("bare.glb", {{"whole.glb", "tail", 0, 0.0}}));
        QVERIFY_THROWS_EXCEPTION(FileError, load_with("bare.glb", {{"bare.glb", "fingers", 0, 0.0}}));
    }

    /// The body's own document still holds: its roles, and corrections of its rest; what came along has its roles.
    void the_bodys_document_holds_with_fingers_along() {
        std::vector<std::string> notes;
        const std::string path = demo("takes/quay-walk.take.json"), document = in("performer.json");
        const LoadedFile bare = load_take(path, "", notes);
        Character corrected = bare.character;
        corrected.document_text.clear();
        for (RoleFill& fill : corrected.roles.fills)
            if (fill.role == "head") fill.evidence = {"said so"};
        set_dials(corrected.rig.skeleton, corrected.roles, corrected.rest, {0.2, 0.0, 0.1, 0.0});
        write_file(document, format_document(character_document(corrected)));
        LoadOptions options;
        options.along = {{demo("takes/limbering.bvh"), "fingers", 0, 0.0}};
        const LoadedFile made = load_take(path, document, notes, 0, &options);
        const Character& body = made.character;
        QVERIFY(body.rig.facts.along.size() >= 28);
        QVERIFY(body.roles.joint("index.1.left") >= 0 && body.roles.joint("thumb.2.right") >= 0);
        for (const RoleFill& fill : body.roles.fills)
            if (fill.role == "head") QCOMPARE(fill.evidence, std::vector<std::string>{"said so"});
        const LoadedFile without = load_take(path, document, notes);
        for (const char* role : {"hips", "head", "thigh.left", "forearm.right"}) {
            const Quat& a = body.rest.R_WJ0[size_t(body.roles.joint(role))];
            const Quat& b = without.character.rest.R_WJ0[size_t(without.character.roles.joint(role))];
            QVERIFY2(angle_between(a, b) < deg_to_rad(0.1), role);
        }
        // Written again it is of the same rig: takes without fingers go on with it.
        QCOMPARE(character_document(body)["rig"]["signature"],
                 character_document(corrected)["rig"]["signature"]);
    }

    void sound_is_read_cut_and_written() {
        const Sound tone = a_tone(1.5);
        write_wave(in("tone.wav"), tone);
        const Sound back = read_sound(in("tone.wav"));
        QCOMPARE(back.rate, 8000);
        QCOMPARE(back.channels, 2);
        QVERIFY(apart(back, tone) < 2.0F / 32768.0F);
        // Another program's reader finds the same samples (scipy.io.wavfile, 16 bits).
        const auto said =
            QJsonDocument::fromJson(run_python("wave_peak.py", {QString::fromStdString(in("tone.wav"))}))
                .object();
        QCOMPARE(said["rate"].toInt(), 8000);
        QCOMPARE(said["channels"].toInt(), 2);
        QCOMPARE(said["frames"].toInt(), 12000);
        QVERIFY(std::abs(said["sample"].toDouble() - double(tone.samples[2 * 5000 + 1])) < 1e-4);

        const Sound part = cut_sound(tone, 0.5, 0.25);
        QCOMPARE(part.samples.size(), size_t(2 * 2000));
        QCOMPARE(part.samples[0], tone.samples[2 * 4000]);
        // Before it begins and after it ends there is silence.
        const Sound early = cut_sound(tone, -0.25, 0.5);
        QCOMPARE(early.samples[2 * 1999], 0.0F);
        QCOMPARE(early.samples[2 * 2000 + 1], tone.samples[1]);
        QCOMPARE(cut_sound(tone, 7.0, 0.1).samples, std::vector<float>(2 * 800, 0.0F));
        QCOMPARE(peak(tone, 9.0, 10.0), (std::pair<float, float>(0.0F, 0.0F)));
        const auto [low, high] = peak(tone, 0.0, 1.5);
        QVERIFY(low < -0.7F && high > 0.7F);
        // Cut off in the middle: what is there, or one line; never more than the header promised.
        const std::string bytes = read_file(in("tone.wav"));
        for (const size_t length : {size_t(10), size_t(44), size_t(60), bytes.size() / 2}) {
            write_file(in("cut.wav"), bytes.substr(0, length));
            try {
                QVERIFY(read_sound(in("cut.wav")).samples.size() <= tone.samples.size());
            } catch (const FileError&) {  // told
            }
        }
        write_file(in("text.wav"), "RIFF but no sound at all");
        for (const char* wrong : {"text.wav", "whole.glb", "gone.wav"})
            QVERIFY_THROWS_EXCEPTION(FileError, read_sound(in(wrong)));
    }

    /// Kept in the take's document, through a trim and into another library, and handed over with the result.
    void sound_and_start_survive_trim_and_hand_over() {
        const std::string library = in("library");
        copy_demo(library);
        const std::string path = library + "/takes/quay-walk.take.json";
        write_wave(library + "/takes/quay.wav", a_tone(12.0));
        std::vector<std::string> notes;
        LoadedFile take = load_take(path, "", notes);
        LoadOptions options = take.character.rig.options;
        options.sound = {"quay.wav", -0.5};
        options.starts_at_s = 36000.25;
        options.trim_first = 60;
        options.trim_last = 360;
        take = load_take(path, "", notes, 0, &options);
        const std::string text = format_document(changed_take_document(take, path));
        write_file(path, text);
        const LoadedFile again = load_take(path, "", notes);
        QVERIFY(again.character.rig.options.sound == options.sound);
        QCOMPARE(again.character.rig.options.starts_at_s, 36000.25);
        QCOMPARE(format_document(changed_take_document(again, path)), text);

        HandOverOrder order;
        order.id = "test";
        order.name = "heard";
        order.pairs = {{"quay-walk", "dockhand"}, {"lantern-signal", "dockhand"}};
        order.first = 30;
        order.last = 90;
        order.has_sound = true;
        order.folder = in("out");
        LibraryFiles files(open_library(library));
        const HandOverReport report = run_hand_over(order, files);
        QCOMPARE(report.failed, 0);
        QCOMPARE(report.written, 3);  // one take has no sound
        // The first frame is the file's 90th: 1.5 s after its first, 2 s into the sound.
        const Sound heard = read_sound(in("out/quay-walk_dockhand.wav"));
        QVERIFY(apart(heard, cut_sound(a_tone(12.0), 2.0, 1.0)) < 2.0F / 32768.0F);
        for (const Json& file : report.document["files"]) {
            if (file["take"] == "quay-walk")
                QVERIFY2(file.contains("starts_at_s") &&
                             std::abs(file["starts_at_s"].get<double>() - 36001.75) < 1e-4,
                         file.dump().substr(0, 600).c_str());
            else
                QVERIFY(!file.contains("starts_at_s"));
        }
        const GltfText glb = gltf_text(in("out/quay-walk_dockhand.glb"));
        QVERIFY2(glb.contains("\"starts_at_s\":36001.75"), "the animation's extras");
        // Another sound: what was handed over is stale.
        QVERIFY(stale_rows(read_document(report.path, "hand-over-report"), report.path).empty());
        write_wave(library + "/takes/quay.wav", a_tone(11.0));
        QCOMPARE(stale_rows(read_document(report.path, "hand-over-report"), report.path).size(), size_t(2));

        // The sound is gone: its own file alone is not written.
        std::filesystem::remove(library + "/takes/quay.wav");
        order.clash = Clash::replace;
        LibraryFiles later(open_library(library));
        const HandOverReport mute = run_hand_over(order, later);
        QCOMPARE(mute.written, 2);
        QCOMPARE(mute.failed, 1);
        write_wave(library + "/takes/quay.wav", a_tone(12.0));

        // Into a library of its own: what goes along is found from there.
        const std::string other = in("other");
        create_library(other, "other");
        add_take(open_library(other), again, "", true, "quay");
        const LoadedFile moved = load_take(other + "/takes/quay.take.json", "", notes);
        const std::string kept = moved.character.rig.options.sound.file;
        QVERIFY2(!kept.empty(), "kept");
        QVERIFY2(std::filesystem::exists(path_along(moved.character.rig.path, kept)), kept.c_str());
        QVERIFY(std::filesystem::equivalent(
            path_along(moved.character.rig.path, moved.character.rig.options.sound.file),
            library + "/takes/quay.wav"));
    }

  private:
    using GltfText = QByteArray;
    static GltfText gltf_text(const std::string& path) {
        const std::string bytes = read_file(path);
        std::uint32_t length = 0;
        std::memcpy(&length, bytes.data() + 12, 4);
        return QByteArray(bytes.data() + 20, qsizetype(length));
    }
};

NB_TEST(AlongTest)
}  // namespace test_along
#include "test_along.moc"
