// What must always hold of a transfer: the numbered properties of docs/properties.md, on the open captures
// (assimp-testmodels BVH/01_01.bvh, BVH/01_03.bvh), on the demo rigs and on random rigs. All expectations
// follow from the definitions ("the same rig gives the same motion"), none from earlier results.
#include <QtTest>

#include "core/body/measures.hpp"
#include "core/files/bvh.hpp"
#include "core/motion/edit.hpp"
#include "core/motion/kinematics.hpp"
#include "tests/support/run_test.hpp"
#include "tests/support/test_rigs.hpp"

namespace test_properties {

using namespace nb;
using namespace nb::test;

namespace {

LoadedFile settle_metres(SkeletonFile file) {
    // "glb" keeps the unit: these bodies are in metres.
    return load_parsed(std::move(file), "random", "glb");
}

LoadedFile random_source(int seed, bool random_axes, int frames = 90) {
    BodyOptions options;
    options.rest_off_deg = 20.0;
    options.random_axes = random_axes;
    SkeletonFile file = random_body(std::uint64_t(seed), options);
    file.take = random_motion(file, std::uint64_t(seed), frames);
    return settle_metres(std::move(file));
}

SkeletonFile short_capture(const std::string& name, int first, int last) {
    SkeletonFile file = read_bvh(capture(name));
    file.take = trim(file.take, first, last);
    return file;
}

PairingSettings no_contacts() {
    PairingSettings settings;
    settings.passes.contacts = false;
    return settings;
}

QString said(const Difference& d) {
    return QString("%1 m, %2 degrees").arg(d.place_m).arg(d.turn_deg);
}

/// Directions of arms and legs, in the world.
std::vector<Vec3> limb_directions(const Character& c, const WorldMotion& motion, int frame) {
    std::vector<Vec3> result;
    for (const std::string side : {".left", ".right"})
        for (const auto& [from, to] : {std::pair{"upperarm", "forearm"}, std::pair{"forearm", "hand"},
                                       std::pair{"thigh", "shin"}, std::pair{"shin", "foot"}}) {
            const int a = c.roles.joint(from + side);
            const int b = c.roles.joint(to + side);
            result.push_back(motion.p[motion.at(frame, b)] - motion.p[motion.at(frame, a)]);
        }
    return result;
}

double largest_direction_change_deg(const Character& a, const WorldMotion& A, const Character& b,
                                    const WorldMotion& B, int first) {
    double largest = 0.0;
    for (int f = first; f < A.frames; ++f) {
        const auto before = limb_directions(a, A, f);
        const auto after = limb_directions(b, B, f);
        for (size_t i = 0; i < before.size(); ++i)
            largest = std::max(largest, rad_to_deg(angle_between(before[i], after[i])));
    }
    return largest;
}

/// Joints of a skeleton file in another order, parents still before children: `order[new] = old`.
SkeletonFile reordered(const SkeletonFile& file, std::uint64_t seed) {
    const Skeleton& s = file.skeleton;
    const int n = s.size();
    Random random(seed);
    std::vector<int> order;
    std::vector<int> ready;
    for (int j = 0; j < n; ++j)
        if (s.parents[size_t(j)] < 0) ready.push_back(j);
    while (!ready.empty()) {
        const size_t pick = random() % ready.size();
        const int j = ready[pick];
        ready.erase(ready.begin() + std::ptrdiff_t(pick));
        order.push_back(j);
        for (int c = 0; c < n; ++c)
            if (s.parents[size_t(c)] == j) ready.push_back(c);
    }
    std::vector<int> at(size_t(n), -1);
    for (int i = 0; i < n; ++i) at[size_t(order[size_t(i)])] = i;
    SkeletonFile out = file;
    for (int i = 0; i < n; ++i) {
        const size_t old = size_t(order[size_t(i)]);
        const int parent = s.parents[old];
        out.skeleton.names[size_t(i)] = s.names[old];
        out.skeleton.parents[size_t(i)] = parent < 0 ? -1 : at[size_t(parent)];
        out.skeleton.rest_p[size_t(i)] = s.rest_p[old];
        out.skeleton.rest_R[size_t(i)] = s.rest_R[old];
        if (!file.channels.empty()) out.channels[size_t(i)] = file.channels[old];
    }
    for (EndSite& site : out.skeleton.end_sites) site.joint = at[size_t(site.joint)];
    const Take& take = file.take;
    std::vector<Quat> R(take.R.size());
    for (int f = 0; f < take.frames; ++f)
        for (int i = 0; i < n; ++i)
            R[size_t(f) * size_t(n) + size_t(i)] = take.R[size_t(f) * size_t(n) + size_t(order[size_t(i)])];
    out.take.R = std::move(R);
    std::vector<std::pair<int, size_t>> moved;
    for (size_t m = 0; m < take.translated.size(); ++m) moved.emplace_back(at[size_t(take.translated[m])], m);
    std::sort(moved.begin(), moved.end());
    std::vector<Vec3> p(take.p.size());
    for (size_t m = 0; m < moved.size(); ++m) {
        out.take.translated[m] = moved[m].first;
        for (int f = 0; f < take.frames; ++f)
            p[size_t(f) * moved.size() + m] = take.p[size_t(f) * moved.size() + moved[m].second];
    }
    out.take.p = std::move(p);
    return out;
}

/// A helper of no length, that never turns, hangs on every joint, last in the list.
SkeletonFile with_helpers(const SkeletonFile& file) {
    SkeletonFile out = file;
    const int n = file.skeleton.size();
    for (int j = 0; j < n; ++j) {
        out.skeleton.names.push_back(fmt::format("helper_{}", j));
        out.skeleton.parents.push_back(j);
        out.skeleton.rest_p.push_back(Vec3::Zero());
        out.skeleton.rest_R.push_back(Quat::Identity());
        if (!file.channels.empty()) out.channels.emplace_back();
    }
    const Take& take = file.take;
    out.take.joints = 2 * n;
    std::vector<Quat> R(size_t(take.frames) * size_t(2 * n), Quat::Identity());
    for (int f = 0; f < take.frames; ++f)
        for (int j = 0; j < n; ++j) R[size_t(f) * size_t(2 * n) + size_t(j)] = take.rotations(f)[size_t(j)];
    out.take.R = std::move(R);
    return out;
}

Quat mirrored(const Quat& q) {
    return {q.w(), q.x(), -q.y(), -q.z()};
}
Vec3 mirrored(const Vec3& v) {
    return {-v.x(), v.y(), v.z()};
}
std::string mirrored(std::string name) {
    for (const auto& [a, b] :
         {std::pair{"Left", "Right"}, std::pair{"left", "right"}, std::pair{".l", ".r"}}) {
        const size_t left = name.find(a);
        const size_t right = name.find(b);
        if (left != std::string::npos) return name.replace(left, std::string(a).size(), b);
        if (right != std::string::npos) return name.replace(right, std::string(b).size(), a);
    }
    return name;
}
/// The same body and motion in a mirror across x = 0, sides by their names exchanged.
SkeletonFile mirrored(const SkeletonFile& file) {
    SkeletonFile out = file;
    for (std::string& name : out.skeleton.names) name = mirrored(name);
    for (Vec3& p : out.skeleton.rest_p) p = mirrored(p);
    for (Quat& R : out.skeleton.rest_R) R = mirrored(R);
    for (EndSite& site : out.skeleton.end_sites) site.offset_m = mirrored(site.offset_m);
    for (Quat& R : out.take.R.edit()) R = mirrored(R);
    for (Vec3& p : out.take.p.edit()) p = mirrored(p);
    for (Quat& R : out.take.start_R.edit()) R = mirrored(R);
    for (Vec3& p : out.take.start_p.edit()) p = mirrored(p);
    return out;
}

}  // namespace

class PropertiesTest : public QObject {
    Q_OBJECT

  private slots:
    void same_rig_gives_the_same_motion_data() {
        QTest::addColumn<QString>("file");
        QTest::newRow("01_01") << QString::fromStdString(capture("01_01.bvh"));
        QTest::newRow("01_03") << QString::fromStdString(capture("01_03.bvh"));
        QTest::newRow("quay walk") << QString::fromStdString(demo("takes/quay-walk.bvh"));
        for (int seed = 1; seed <= 8; ++seed)
            QTest::newRow(qPrintable(QString("random %1").arg(seed))) << QString("random %1").arg(seed);
    }
    void same_rig_gives_the_same_motion() {  // property 1
        QFETCH(QString, file);
        const LoadedFile loaded = file.startsWith("random")
                                      ? random_source(file.section(' ', 1).toInt(), true)
                                      : load_file(file.toStdString());
        // Held feet stand still where the capture's own slide: all passes but that one are the identity.
        const TransferResult result = carry(loaded, loaded, no_contacts());
        const Difference d = difference(result.source, result.target);
        QVERIFY2(d.place_m < 1e-6 && d.turn_deg < 1e-4, qPrintable(said(d)));
    }

    void larger_rig_gives_larger_motion_data() {
        QTest::addColumn<QString>("file");
        QTest::addColumn<double>("k");
        for (const double k : {0.4, 1.0 / 3.0, 1.7, 3.0}) {
            QTest::newRow(qPrintable(QString("01_01 x %1").arg(k))) << QString("01_01.bvh") << k;
            QTest::newRow(qPrintable(QString("01_03 x %1").arg(k))) << QString("01_03.bvh") << k;
        }
        for (int seed = 11; seed <= 14; ++seed)
            QTest::newRow(qPrintable(QString("random %1").arg(seed))) << QString::number(seed) << 0.3 * seed;
    }
    void larger_rig_gives_larger_motion() {  // property 2
        QFETCH(QString, file);
        QFETCH(double, k);
        LoadedFile source;
        SkeletonFile larger;
        if (file.endsWith(".bvh")) {
            source = load_file(capture(file.toStdString()));
            // The same file, its unit stated k times as large.
            LoadOptions options;
            options.unit_m = k * source.character.rig.conventions.unit_m;
            const LoadedFile target = load_file(capture(file.toStdString()), options);
            PairingSettings loose = no_contacts(), held_feet;
            loose.about = held_feet.about = {MapCentre::Kind::origin};
            const TransferResult result = carry(source, target, loose);
            const Difference d = difference(result.source, result.target, k);
            QVERIFY2(d.place_m < 1e-6 * std::max(1.0, k) && d.turn_deg < 1e-4, qPrintable(said(d)));
            // Held feet: k times what they are on a body of the same size.
            const Difference held = difference(carry(source, source, held_feet).target,
                                               carry(source, target, held_feet).target, k);
            QVERIFY2(held.place_m < 1e-4 * std::max(1.0, k) && held.turn_deg < 0.02, qPrintable(said(held)));
            return;
        }
        source = random_source(file.toInt(), true);
        BodyOptions options;
        options.rest_off_deg = 20.0;
        options.random_axes = true;
        SkeletonFile body = random_body(file.toUInt(), options);
        body.take = random_motion(body, file.toUInt(), 90);
        const LoadedFile target = settle_metres(scaled(std::move(body), k));
        PairingSettings about_origin;
        about_origin.about = {MapCentre::Kind::origin};
        const TransferResult result = carry(source, target, about_origin);
        const Difference d = difference(result.source, result.target, k);
        QVERIFY2(d.place_m < 1e-6 * std::max(1.0, k) && d.turn_deg < 1e-4, qPrintable(said(d)));
    }

    void unit_axes_and_facing_do_not_matter_data() {
        QTest::addColumn<QString>("file");
        QTest::addColumn<double>("unit");
        QTest::addColumn<int>("turn");
        const std::array<double, 4> units{1.0, 0.0254 / 0.45 / 0.01, 0.0254 / 0.45 / 0.0254, 0.0254 / 0.45};
        for (const auto* name : {"01_01.bvh", "01_03.bvh"})
            for (int turn = 0; turn < 6; ++turn)
                QTest::newRow(qPrintable(QString("%1, turn %2").arg(name).arg(turn)))
                    << QString(name) << units[size_t(turn % 4)] << turn;
    }
    void unit_axes_and_facing_do_not_matter() {  // property 3
        QFETCH(QString, file);
        QFETCH(double, unit);
        QFETCH(int, turn);
        // Turned about the vertical (facing) or laid over (up axis), and in another common unit.
        const std::array<Quat, 6> turns{
            axis_rotation(1, pi / 2),                           // faces +X
            axis_rotation(1, pi),                               // faces -Z
            axis_rotation(0, pi / 2),                           // +Z up
            axis_rotation(0, pi / 2) * axis_rotation(1, pi),    // +Z up, faces the other way
            axis_rotation(2, -pi / 2),                          // +X up
            axis_rotation(1, -pi / 2) * axis_rotation(0, pi)};  // -Y up
        const LoadedFile plain = load_file(capture(file.toStdString()));
        const SkeletonFile changed =
            turned(scaled(read_bvh(capture(file.toStdString())), unit), turns[size_t(turn)]);
        const LoadedFile other = load_bvh(format_bvh(changed), "changed.bvh");
        for (const auto* target_name : {"dockhand/rig.bvh", "ferrier/rig.glb"}) {
            const LoadedFile target = load_file(rig(target_name));
            const Difference d = difference(carry(plain, target).target, carry(other, target).target);
            // Written angles have six decimals of a degree.
            QVERIFY2(d.place_m < 1e-5, qPrintable(said(d)));
        }
    }

    void stored_rest_does_not_matter_data() {
        QTest::addColumn<QString>("file");
        QTest::addColumn<int>("first");
        QTest::addColumn<int>("frame");
        for (const auto* name : {"01_01.bvh", "01_03.bvh"})
            for (const int frame : {0, 300, 900, 1500})
                for (const int first : {0, 1})
                    QTest::newRow(qPrintable(
                        QString("%1 at rest in frame %2, take from %3").arg(name).arg(frame).arg(first)))
                        << QString(name) << first << frame;
    }
    void stored_rest_does_not_matter() {  // property 4a
        QFETCH(QString, file);
        QFETCH(int, first);
        QFETCH(int, frame);
        const SkeletonFile plain_file = short_capture(file.toStdString(), 0, 1600);
        SkeletonFile changed_file = re_rested(plain_file, frame);
        SkeletonFile cut = plain_file;
        cut.take = trim(cut.take, first, cut.take.frames);
        changed_file.take = trim(changed_file.take, first, changed_file.take.frames);
        // A rest that is turned away would turn the whole take: facing is property 3, and said here.
        LoadOptions options;
        options.facing = "+Z";
        const LoadedFile plain = load_parsed(cut, "plain.bvh", "bvh", options);
        const LoadedFile changed = load_parsed(changed_file, "changed.bvh", "bvh", options);
        PairingSettings settings;
        settings.passes.reach = false;
        for (const auto* target_name : {"dockhand/rig.bvh", "ferrier/rig.glb", "lamp-child/rig.bvh"}) {
            const LoadedFile target = load_file(rig(target_name));
            const TransferResult a = carry(plain, target, settings);
            const TransferResult b = carry(changed, target, settings);
            const double largest = largest_direction_change_deg(target.character, a.target, target.character,
                                                                b.target, plain.take->first_motion_frame);
            QVERIFY2(largest < 0.05, qPrintable(QString("%1 degrees").arg(largest)));
        }
    }
    void stored_rest_of_the_target_does_not_matter_data() {
        QTest::addColumn<int>("seed");
        for (int seed = 1; seed <= 10; ++seed) QTest::newRow(qPrintable(QString::number(seed))) << seed;
    }
    void stored_rest_of_the_target_does_not_matter() {  // property 4a, target side
        QFETCH(int, seed);
        // The same body in two rests: from the same seed, once straight and once posed at random.
        BodyOptions posed;
        posed.rest_off_deg = 40.0;
        const LoadedFile straight = settle_metres(random_body(std::uint64_t(seed)));
        const LoadedFile other = settle_metres(random_body(std::uint64_t(seed), posed));
        const LoadedFile source = load_file(capture("01_01.bvh"));
        PairingSettings settings;
        settings.passes.reach = false;
        const double largest =
            largest_direction_change_deg(straight.character, carry(source, straight, settings).target,
                                         other.character, carry(source, other, settings).target, 1);
        QVERIFY2(largest < 0.05, qPrintable(QString("%1 degrees").arg(largest)));
    }

    void bone_axes_do_not_matter_data() {
        QTest::addColumn<int>("seed");
        for (int seed = 1; seed <= 6; ++seed) QTest::newRow(qPrintable(QString::number(seed))) << seed;
    }
    void bone_axes_do_not_matter() {  // property 5, axes
        QFETCH(int, seed);
        const SkeletonFile plain_file = read_bvh(capture("01_01.bvh"));
        LoadOptions options;
        options.unit_m = 0.0254 / 0.45;
        const LoadedFile plain = load_parsed(plain_file, "plain", "bvh", options);
        const LoadedFile rolled =
            load_parsed(re_rolled(plain_file, std::uint64_t(seed)), "rolled", "bvh", options);
        const LoadedFile target = load_file(rig("ferrier/rig.glb"));
        const Difference d = difference(carry(plain, target).target, carry(rolled, target).target);
        QVERIFY2(d.place_m < 1e-6 && d.turn_deg < 1e-4, qPrintable(said(d)));
    }

    void order_names_and_helpers_do_not_matter_data() {
        QTest::addColumn<QString>("take");
        QTest::addColumn<int>("seed");
        for (int seed = 1; seed <= 3; ++seed) QTest::addRow("01_01 %d", seed) << "01_01.bvh" << seed;
        for (int seed = 4; seed <= 9; ++seed) QTest::addRow("random %d", seed) << QString() << seed;
    }
    void order_names_and_helpers_do_not_matter() {  // property 5, all of a skeleton that is no motion
        QFETCH(QString, take);
        QFETCH(int, seed);
        SkeletonFile file;
        if (take.isEmpty()) {
            file = random_body(std::uint64_t(seed));
            file.take = random_motion(file, std::uint64_t(seed), 60);
        } else {
            file = short_capture(take.toStdString(), 0, 600);
        }
        LoadOptions options;
        if (!take.isEmpty()) options.unit_m = 0.0254 / 0.45;
        const auto load = [&](const SkeletonFile& one) {
            return load_parsed(one, "one", take.isEmpty() ? "glb" : "bvh", options);
        };
        const LoadedFile plain = load(file);
        const LoadedFile target = load_file(rig("ferrier/rig.glb"));
        const WorldMotion expected = carry(plain, target).target;
        const auto check = [&](const LoadedFile& other, const char* what) {
            const Difference d = difference(expected, carry(other, target).target);
            QVERIFY2(d.place_m < 1e-6 && d.turn_deg < 1e-4,
                     qPrintable(QString("%1: %2").arg(what).arg(said(d))));
        };
        check(load(reordered(file, std::uint64_t(seed))), "another order");
        check(load(with_helpers(file)), "with helpers");
        // Other names, roles given as they were found.
        SkeletonFile renamed = file;
        for (size_t j = 0; j < renamed.skeleton.names.size(); ++j)
            renamed.skeleton.names[j] = fmt::format("b{:03d}", (j * 7 + 3) % 997);
        LoadedFile nameless = load(renamed);
        nameless.character.roles = plain.character.roles;
        update_role_lists(nameless.character.rig.skeleton, nameless.character.roles);
        align_to_t(nameless.character, &*nameless.take);
        check(nameless, "other names");
    }

    void there_and_back_data() {
        QTest::addColumn<QString>("take");
        QTest::addColumn<QString>("over");
        for (const auto* take : {"01_01.bvh", "01_03.bvh", "random"})
            for (const auto* over : {"dockhand/rig.bvh", "ferrier/rig.glb", "lamp-child/rig.bvh"})
                QTest::newRow(qPrintable(QString("%1 over %2").arg(take, over))) << take << over;
    }
    void there_and_back() {  // property 6
        QFETCH(QString, take);
        QFETCH(QString, over);
        const LoadedFile source =
            take == "random" ? random_source(5, true)
                             : load_parsed(short_capture(take.toStdString(), 1, 900), "capture", "bvh");
        LoadedFile middle = load_file(rig(over.toStdString()));
        PairingSettings angles = no_contacts();
        angles.passes.reach = false;
        // What a thicker body keeps out of itself does not come back.
        angles.passes.clear = false;
        const TransferResult there = carry(source, middle, angles);
        middle.take = there.take;
        const TransferResult back = carry(middle, source, angles);
        const double largest = largest_direction_change_deg(
            source.character, forward_kinematics(source.character.rig.skeleton, *source.take),
            source.character, back.target, source.take->first_motion_frame);
        QVERIFY2(largest < 0.1, qPrintable(QString("%1 degrees").arg(largest)));
    }

    void mirrors_mirror_data() {
        QTest::addColumn<QString>("take");
        QTest::addColumn<int>("seed");
        for (int seed = 1; seed <= 2; ++seed) QTest::addRow("01_01 %d", seed) << "01_01.bvh" << seed;
        for (int seed = 3; seed <= 5; ++seed) QTest::addRow("random %d", seed) << QString() << seed;
    }
    void mirrors_mirror() {  // property 7, all passes; legs of unlike length
        QFETCH(QString, take);
        QFETCH(int, seed);
        SkeletonFile file;
        if (take.isEmpty()) {
            file = random_body(std::uint64_t(seed));
            file.take = random_motion(file, std::uint64_t(seed), 90);
        } else {
            file = short_capture(take.toStdString(), 1, 900);
        }
        SkeletonFile body = random_body(std::uint64_t(seed + 50));
        for (size_t j = 0; j < body.skeleton.names.size(); ++j)
            if (body.skeleton.names[j].find("foot") != std::string::npos &&
                body.skeleton.names[j].find("eft") != std::string::npos)
                body.skeleton.rest_p[j] *= 1.04;
        LoadOptions options;
        if (!take.isEmpty()) options.unit_m = 0.0254 / 0.45;
        const auto load = [&](const SkeletonFile& one) {
            return load_parsed(one, "one", take.isEmpty() ? "glb" : "bvh", options);
        };
        const TransferResult plain = carry(load(file), settle_metres(body));
        const TransferResult mirror = carry(load(mirrored(file)), settle_metres(mirrored(body)));
        QCOMPARE(mirror.target.joints, plain.target.joints);
        if (!take.isEmpty()) QVERIFY(plain.corrections.held_frames > 100);
        double place_m = 0.0;
        double turn_deg = 0.0;
        for (size_t i = 0; i < plain.target.p.size(); ++i) {
            place_m = std::max(place_m, (mirrored(plain.target.p[i]) - mirror.target.p[i]).norm());
            turn_deg = std::max(turn_deg,
                                rad_to_deg(angle_between(mirrored(plain.target.R[i]), mirror.target.R[i])));
        }
        QVERIFY2(place_m < 1e-6 && turn_deg < 1e-4,
                 qPrintable(QString("%1 m, %2 degrees").arg(place_m).arg(turn_deg)));
    }

    void bones_keep_their_lengths_data() {
        QTest::addColumn<QString>("take");
        QTest::addColumn<QString>("target");
        for (const auto* take : {"01_01.bvh", "01_03.bvh"})
            for (const auto* target :
                 {"dockhand/rig.bvh", "ferrier/rig.glb", "lamp-child/rig.bvh", "performer/rig.bvh", "random"})
                QTest::newRow(qPrintable(QString("%1 on %2").arg(take, target))) << take << target;
    }
    void bones_keep_their_lengths() {  // property 8
        QFETCH(QString, take);
        QFETCH(QString, target);
        const LoadedFile source = load_file(capture(take.toStdString()));
        BodyOptions options;
        options.random_axes = true;
        const LoadedFile rig = target == "random" ? settle_metres(random_body(99, options))
                                                  : load_file(nb::test::rig(target.toStdString()));
        const TransferResult result = carry(source, rig);
        const Skeleton& skeleton = rig.character.rig.skeleton;
        const int hips = rig.character.roles.joint("hips");
        double largest = 0.0;
        for (int f = 0; f < result.target.frames; ++f)
            for (int j = 0; j < skeleton.size(); ++j) {
                const int parent = skeleton.parents[size_t(j)];
                const double rest = skeleton.rest_p[size_t(j)].norm();
                if (parent < 0 || j == hips || rest < 1e-9) continue;
                const double now =
                    (result.target.p[result.target.at(f, j)] - result.target.p[result.target.at(f, parent)])
                        .norm();
                largest = std::max(largest, std::abs(now - rest) / rest);
            }
        QVERIFY2(largest < 1e-6, qPrintable(QString::number(largest)));
    }

    void turned_source_turns_the_result() {  // "turning the whole source turns the whole result", exact
        const LoadedFile source = load_file(capture("01_01.bvh"));
        const LoadedFile target = load_file(rig("dockhand/rig.bvh"));
        const Quat turn = axis_rotation(1, deg_to_rad(37.0));
        LoadedFile other = source;
        for (int f = 0; f < other.take->frames; ++f) {
            Quat& R = other.take->R.edit()[size_t(f) * size_t(other.take->joints)];
            R = turn * R;
        }
        for (Vec3& p : other.take->p.edit()) p = turn * p;
        TransferResult a = carry(source, target);
        const TransferResult b = carry(other, target);
        for (size_t i = 0; i < a.target.p.size(); ++i) {
            a.target.p[i] = turn * a.target.p[i];
            a.target.R[i] = turn * a.target.R[i];
        }
        const Difference d = difference(a.target, b.target);
        QVERIFY2(d.place_m < 1e-7 && d.turn_deg < 1e-5, qPrintable(said(d)));
    }

    void stride_grows_with_the_legs() {
        // Thigh + shin 90 cm -> 120 cm: a 60 cm stride becomes 80 cm (common practice, no published source).
        SkeletonFile small = random_body(5);
        const double k_small = 0.9 / leg_length(small.skeleton, settle_metres(small).character.roles);
        small = scaled(small, k_small);
        small.take = random_motion(small, 5, 3);
        small.take.p.edit()[2] = small.take.p[0] + Vec3(0, 0, 0.6);
        const SkeletonFile tall = scaled(random_body(5), k_small * 120.0 / 90.0);
        const TransferResult result = carry(settle_metres(small), settle_metres(tall));
        const auto& T = result.target;
        const Vec3 step = T.p[T.at(2, 0)] - T.p[T.at(0, 0)];
        Vec3 expected = Vec3(0, 0, 0.8);
        // The hips joint's own turn moves it about the hip centre a little: compare hip centres.
        const auto centre = [&](int f) {
            return 0.5 * (T.p[T.at(f, result.plan.program.body.thigh_left)] +
                          T.p[T.at(f, result.plan.program.body.thigh_right)]);
        };
        const auto& S = result.source;
        const auto S_centre = [&](int f) {
            return 0.5 * (S.p[S.at(f, result.plan.program.root.S_thigh_left)] +
                          S.p[S.at(f, result.plan.program.root.S_thigh_right)]);
        };
        const double S_step = (S_centre(2) - S_centre(0)).z();
        QVERIFY(std::abs((centre(2) - centre(0)).z() - S_step * 4.0 / 3.0) < 1e-9);
        QVERIFY(std::abs(step.z() - expected.z()) < 0.01);
    }

    void rest_error_shows_in_every_frame() {
        // "Pose differs by x degrees at rest: x degrees in every frame" (common practice).
        const LoadedFile source = load_file(capture("01_01.bvh"));
        LoadedFile target = load_file(rig("ferrier/rig.glb"));
        PairingSettings settings;
        settings.passes.reach = false;
        const TransferResult straight = carry(source, target, settings);
        const int j = target.character.roles.joint("forearm.left");
        auto& rest = target.character.rest;
        const Quat off = axis_rotation(2, deg_to_rad(7.0));
        rest.R_WJ0[size_t(j)] = off * rest.R_WJ0[size_t(j)];
        const TransferResult wrong = carry(source, target, settings);
        for (int f = 0; f < straight.target.frames; f += 100) {
            const double deg = rad_to_deg(angle_between(straight.target.R[straight.target.at(f, j)],
                                                        wrong.target.R[wrong.target.at(f, j)]));
            QVERIFY(std::abs(deg - 7.0) < 1e-6);
        }
    }

    void threads_do_not_change_a_bit() {
        const LoadedFile source = load_file(capture("01_03.bvh"));
        const LoadedFile target = load_file(rig("ferrier/rig.glb"));
        const TransferResult one = transfer(source.character, *source.take, target.character, {}, 1);
        for (const int threads : {2, 3, 8}) {
            const TransferResult many =
                transfer(source.character, *source.take, target.character, {}, threads);
            QCOMPARE(
                std::memcmp(one.target.p.data(), many.target.p.data(), one.target.p.size() * sizeof(Vec3)),
                0);
            QCOMPARE(std::memcmp(one.take.R.data(), many.take.R.data(), one.take.R.size() * sizeof(Quat)), 0);
        }
    }
};

NB_TEST(PropertiesTest)
}  // namespace test_properties
#include "test_properties.moc"
