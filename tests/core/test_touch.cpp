// Touching crosses as touching: a hand that lies on hip, brow or thigh in the take lies there on every body of the crew,
// measured by the meshes themselves against what the simulator says of its takes.
#include <QProcess>
#include <QtTest>
#include <cmath>
#include <map>
#include <nlohmann/json.hpp>

#include "core/contact/contacts.hpp"
#include "core/contact/touches.hpp"
#include "core/files/gltf/gltf.hpp"
#include "core/intake/load.hpp"
#include "core/review/bars.hpp"
#include "core/review/events.hpp"
#include "core/review/skin_gap.hpp"
#include "core/solve/engine.hpp"
#include "core/solve/hold.hpp"
#include "core/solve/near.hpp"
#include "tests/support/run_test.hpp"
#include "tests/support/test_rigs.hpp"
#include "tests/support/winding.hpp"

namespace test_touch {

using namespace nb;

namespace {

const std::vector<std::string> crew{"performer", "dockhand", "ferrier", "lamp-child", "net-mender"};
const std::vector<std::string> touching_takes{"weary-watch", "bollard-sit"};

PairingSettings without_touch() {
    PairingSettings settings;
    settings.passes.touch = false;
    return settings;
}

bool is_of_body(const std::string& on) {
    return on == "hips" || on == "head" || on.starts_with("thigh");
}

struct Touching {
    Side side;
    int first, last;
};
/// Spans in which a hand is on the own body.
std::vector<Touching> touches_of(const std::string& take) {
    std::vector<Touching> spans;
    for (const test::Label& label : test::labels_of(take))
        if (is_of_body(label.on)) spans.push_back({role_side(label.limb), label.first, label.last});
    return spans;
}

/// A motion's frame on the skeleton of the body's own rig, by the names of its joints.
Pose pose_on(const Skeleton& rig, const Skeleton& skeleton, const WorldMotion& motion, int frame) {
    Pose pose = rest_pose(rig);
    for (int j = 0; j < rig.size(); ++j) {
        const int k = skeleton.find(rig.names[size_t(j)]);
        if (k < 0) continue;
        pose.R[size_t(j)] = motion.R[motion.at(frame, k)];
        pose.p[size_t(j)] = motion.p[motion.at(frame, k)];
    }
    return pose;
}

/// Frames in which a hand holds a thing, as the simulator says.
std::vector<char> held_frames(const std::string& take, const std::string& limb, const std::string& thing,
                              int frames) {
    std::vector<char> held(size_t(frames), 0);
    for (const test::Label& label : test::labels_of(take))
        if (label.on == thing && label.limb == limb)
            std::fill(held.begin() + label.first, held.begin() + label.last, char(1));
    return held;
}

struct Kept {
    int frames = 0, kept = 0;
    double worst_gap_mm = 0.0, worst_depth_mm = 0.0;
    int looked_at = 0, deep = 0;  ///< over the whole take, both hands; deeper than 2 cm
    double share() const { return frames == 0 ? 1.0 : double(kept) / frames; }
    double deep_share() const { return looked_at == 0 ? 0.0 : double(deep) / looked_at; }
};

Kept measure(const Character& rig, const Skeleton& skeleton, const WorldMotion& motion,
             const std::vector<Touching>& touches, int step) {
    Kept kept;
    const std::array<SkinGauge, 2> gauges{SkinGauge(rig, Side::left), SkinGauge(rig, Side::right)};
    for (int f = 0; f < motion.frames; f += step) {
        const Pose pose = pose_on(rig.rig.skeleton, skeleton, motion, f);
        const BodySkin skin = skin_of(rig, pose);
        for (const Side side : {Side::left, Side::right}) {
            const SkinGauge::Reading now = gauges[side == Side::left ? 0 : 1].read(skin, 0.1);
            ++kept.looked_at;
            if (now.deepest_m > 0.02) ++kept.deep;
            for (const Touching& touch : touches) {
                if (touch.side != side || f < touch.first || f >= touch.last) continue;
                ++kept.frames;
                kept.worst_gap_mm = std::max(kept.worst_gap_mm, 1000.0 * now.gap_m);
                kept.worst_depth_mm = std::max(kept.worst_depth_mm, -1000.0 * now.gap_m);
                if (now.gap_m <= 0.015 && now.gap_m >= -0.010) ++kept.kept;
            }
        }
    }
    return kept;
}

/// The dockhand with arms and the skin of the head so many times as large.
SkeletonFile with_arms_and_head(double arms, double head) {
    SkeletonFile file = read_gltf(test::demo("characters/dockhand/rig.glb"));
    const LoadedFile whole = load_parsed(file, "made", "glb");
    const RoleMap& roles = whole.character.roles;
    for (const auto* role : {"forearm.left", "hand.left", "forearm.right", "hand.right"})
        file.skeleton.rest_p[size_t(roles.joint(role))] *= arms;
    for (Mesh& mesh : file.meshes)
        for (MeshJoint& joint : mesh.palette)
            if (joint.joint == roles.joint("head")) joint.attach.topRows<3>() *= head;
    return file;
}

/// Vertices of one cell become one: as far apart as `cell` of a body's height.
void make_coarse(Mesh& mesh, double cell) {
    Eigen::AlignedBox3f box;
    for (const Eigen::Vector3f& p : mesh.positions) box.extend(p);
    const float size = float(cell) * box.sizes().maxCoeff();
    std::map<std::array<long, 3>, std::uint32_t> first;
    std::vector<std::uint32_t> to;
    for (const Eigen::Vector3f& p : mesh.positions) {
        const std::array key{std::lround(p.x() / size), std::lround(p.y() / size), std::lround(p.z() / size)};
        to.push_back(first.try_emplace(key, std::uint32_t(to.size())).first->second);
    }
    std::vector<std::uint32_t> kept;
    for (size_t i = 0; i + 2 < mesh.indices.size(); i += 3) {
        const std::array<std::uint32_t, 3> now{to[mesh.indices[i]], to[mesh.indices[i + 1]],
                                               to[mesh.indices[i + 2]]};
        if (now[0] != now[1] && now[1] != now[2] && now[2] != now[0])
            kept.insert(kept.end(), now.begin(), now.end());
    }
    mesh.indices = std::move(kept);
    for (size_t v = 0; v < to.size(); ++v) {
        mesh.positions[v] = mesh.positions[to[v]];
        mesh.skin[v] = mesh.skin[to[v]];
    }
}

Kept kept_on(const std::string& take, const SkeletonFile& body) {
    const LoadedFile source = test::demo_take(take);
    const LoadedFile target = load_parsed(body, "made", "glb");
    const TransferResult result = transfer(source.character, *source.take, target.character, {}, 2);
    const Kept kept =
        measure(target.character, target.character.rig.skeleton, result.target, touches_of(take), 6);
    qInfo("kept %5.1f %%, gap to %5.1f mm, depth to %5.1f mm; deeper than 2 cm %5.1f %%",
          100.0 * kept.share(), kept.worst_gap_mm, kept.worst_depth_mm, 100.0 * kept.deep_share());
    return kept;
}

}  // namespace

class TouchTest : public QObject {
    Q_OBJECT

  private slots:
    /// The performer's own hands: within 5 mm, no deeper than 5 mm.
    void the_performer_touches_without_sinking() {
        const LoadedFile body = test::demo_body("performer");
        for (const std::string& name : touching_takes) {
            const LoadedFile take = test::demo_take(name);
            const WorldMotion motion = forward_kinematics(take.character.rig.skeleton, *take.take, 2);
            const std::vector<Touching> touches = touches_of(name);
            QVERIFY(!touches.empty());
            const Kept kept = measure(body.character, take.character.rig.skeleton, motion, touches, 6);
            qInfo("%s: %d frames, gap to %.1f mm, depth to %.1f mm; deeper than 2 cm %.1f %%", name.c_str(),
                  kept.frames, kept.worst_gap_mm, kept.worst_depth_mm, 100.0 * kept.deep_share());
            QVERIFY(kept.worst_gap_mm <= 5.0);
            QVERIFY(kept.worst_depth_mm <= 5.0);
            QCOMPARE(kept.deep, 0);
        }
    }

    /// Heights by the mesh against a second way of measuring (tests/support/winding.py), on ten frames.
    void heights_are_measured_as_another_way_does() {
        const LoadedFile body = test::demo_body("net-mender");
        const LoadedFile take = test::demo_take("weary-watch");
        const TransferResult result = transfer(take.character, *take.take, body.character, {}, 2);
        const SkinGauge gauge(body.character, Side::left);
        const int hand = body.character.roles.joint("hand.left");
        int inside = 0;
        for (int i = 0; i < 10; ++i) {
            const int frame = 90 + 30 * i;
            const Pose pose =
                pose_on(body.character.rig.skeleton, body.character.rig.skeleton, result.target, frame);
            nlohmann::json given{{"points", nlohmann::json::array()}, {"triangles", nlohmann::json::array()}};
            for (const auto& [a, b, c] : gauge.triangles(pose))
                given["triangles"].push_back(
                    {{a.x(), a.y(), a.z()}, {b.x(), b.y(), b.z()}, {c.x(), c.y(), c.z()}});
            std::vector<Vec3> points;
            for (int k = 0; k < 12; ++k)
                points.push_back(pose.p[size_t(hand)] +
                                 Vec3(0.016 * (k % 4) - 0.08, 0.02 * (k / 4) - 0.03, 0.012 * (k % 3)));
            for (const Vec3& p : points) given["points"].push_back({p.x(), p.y(), p.z()});
            const std::vector<double> told = test::heights_by_winding(given);
            QCOMPARE(told.size(), points.size());
            for (size_t k = 0; k < points.size(); ++k) {
                const double h = gauge.over(points[k], pose, 1.0);
                QVERIFY2(
                    std::abs(h - told[k]) < 1e-6,
                    qPrintable(
                        QString("frame %1: %2 mm and %3 mm").arg(frame).arg(1000 * h).arg(1000 * told[k])));
                if (h < 0.0) ++inside;
            }
        }
        QVERIFY(inside > 10);
    }

    /// Where nothing touches nothing changes, to the bit; onto itself nothing moves.
    void what_does_not_touch_does_not_change() {
        const LoadedFile performer = test::demo_body("performer");
        const LoadedFile ferrier = test::demo_body("ferrier");
        const auto is_same = [](const TransferResult& a, const TransferResult& b, size_t i) {
            return a.target.p[i] == b.target.p[i] && a.target.R[i].coeffs() == b.target.R[i].coeffs();
        };
        for (const auto* free : {"quay-walk", "limbering", "lantern-signal"}) {
            const LoadedFile take = test::demo_take(free);
            const TransferResult with = transfer(take.character, *take.take, ferrier.character, {}, 2);
            const TransferResult without =
                transfer(take.character, *take.take, ferrier.character, without_touch(), 2);
            for (size_t i = 0; i < with.target.p.size(); ++i) QVERIFY(is_same(with, without, i));
        }
        // Of a take in which hands touch: what is no arm, and arms more than the lead away from a touch. By touch alone:
        // without it the arms would be kept out of the body where they sink in.
        const LoadedFile take = test::demo_take("weary-watch");
        PairingSettings touching_alone, neither = without_touch();
        touching_alone.passes.clear = neither.passes.clear = false;
        const TransferResult with =
            transfer(take.character, *take.take, ferrier.character, touching_alone, 2);
        const TransferResult without = transfer(take.character, *take.take, ferrier.character, neither, 2);
        const Skeleton& skeleton = ferrier.character.rig.skeleton;
        int free = 0, moved = 0;
        for (int f = 0; f < with.target.frames; ++f) {
            const double t_s = with.target.time_s(f);
            for (int j = 0; j < skeleton.size(); ++j) {
                bool is_free = true;
                for (const size_t limb : {size_t(2), size_t(3)})
                    if (skeleton.is_ancestor(
                            ferrier.character.roles.joint(limb == 2 ? "clavicle.left" : "clavicle.right"), j))
                        is_free = !touches_skin(with.plan.program, limb, t_s);
                const bool same = is_same(with, without, with.target.at(f, j));
                QVERIFY(same || !is_free);
                free += is_free;
                moved += !same;
            }
        }
        QVERIFY(free > 10000 && moved > 1000);
        // Contacts turn legs a little even here, and hands would go with them.
        PairingSettings alone;
        alone.passes.contacts = false;
        PairingSettings bare = without_touch();
        bare.passes.contacts = false;
        for (const std::string& name : touching_takes) {
            const LoadedFile touching = test::demo_take(name);
            const TransferResult own =
                transfer(touching.character, *touching.take, performer.character, alone, 2);
            const TransferResult plain =
                transfer(touching.character, *touching.take, performer.character, bare, 2);
            double worst = 0.0;
            for (size_t i = 0; i < own.target.p.size(); ++i)
                worst = std::max(worst, (own.target.p[i] - plain.target.p[i]).norm());
            qInfo("%s onto the performer: moved by %.4f mm at most", name.c_str(), 1000.0 * worst);
            QVERIFY(worst < 1e-3);
        }
    }

    /// Touches of the own body found against what the simulator says, by frames, over all its takes.
    void touches_are_found() {
        int found = 0, true_ones = 0, right = 0, unsure = 0;
        for (const auto* name : {"boat-leap", "bollard-sit", "carry-crate", "haul-rope", "lantern-signal",
                                 "limbering", "mole-steps", "quay-walk", "weary-watch"}) {
            const LoadedFile take = test::demo_take(name);
            const HandMarks marks = hand_marks(take.character, *take.take);
            for (const Side side : {Side::left, Side::right}) {
                // By the part of the body, too.
                std::vector<std::string> said(size_t(take.take->frames)), told = said;
                for (const test::Label& label : test::labels_of(name))
                    if (is_of_body(label.on) && role_side(label.limb) == side)
                        std::fill(said.begin() + label.first, said.begin() + label.last, label.on);
                for (const Contact& touch : marks.touches) {
                    if (role_side(touch.point) != side || take.character.roles.joint(touch.on) < 0) continue;
                    unsure += touch.is_unsure;
                    if (!touch.is_unsure)
                        std::fill(told.begin() + touch.first, told.begin() + touch.last, touch.on);
                    qInfo("%s: %s on %s, frames %d to %d%s", name, touch.point.c_str(), touch.on.c_str(),
                          touch.first, touch.last, touch.is_unsure ? ", unsure" : "");
                }
                for (size_t f = 0; f < said.size(); ++f) {
                    found += !told[f].empty();
                    true_ones += !said[f].empty();
                    right += !said[f].empty() && told[f] == said[f];
                }
            }
        }
        qInfo("precision %.3f, recall %.3f; %d unsure", double(right) / found, double(right) / true_ones,
              unsure);
        QVERIFY(right >= 0.9 * found);
        QVERIFY(right >= 0.9 * true_ones);
    }

    /// What a person says is what is held: a touch taken out, one put elsewhere, one that was unsure.
    void touches_by_hand_rule() {
        LoadedFile take = test::demo_take("weary-watch");
        const LoadedFile ferrier = test::demo_body("ferrier");
        const TransferResult found = transfer(take.character, *take.take, ferrier.character, {}, 2);
        Contacts contacts = found.contacts;
        contacts.are_touches_by_hand = true;
        std::erase_if(contacts.list,
                      [](const Contact& one) { return one.is_touch() && one.point.ends_with(".left"); });
        take.take->contacts = contacts;
        const TransferResult without_left = transfer(take.character, *take.take, ferrier.character, {}, 2);
        const int left = ferrier.character.roles.joint("hand.left");
        const TransferResult bare =
            transfer(take.character, *take.take, ferrier.character, without_touch(), 2);
        for (int f = 0; f < bare.target.frames; ++f)
            QVERIFY(without_left.target.p[bare.target.at(f, left)] == bare.target.p[bare.target.at(f, left)]);
        // Proposed only: nothing is held by it.
        Contact touch;
        touch.point = "palm.left";
        touch.on = "hips";
        touch.first = 150;
        touch.last = 300;
        touch.is_unsure = true;
        for (const bool is_sure : {false, true}) {
            touch.is_unsure = !is_sure;
            take.take->contacts = contacts;
            take.take->contacts.list.push_back(touch);
            const TransferResult said = transfer(take.character, *take.take, ferrier.character, {}, 2);
            QCOMPARE(touches_skin(said.plan.program, 2, said.target.time_s(200)), is_sure);
            const SkinGauge gauge(ferrier.character, Side::left);
            const double gap_m = gauge.read(pose_of(said.target, 200)).gap_m;
            QVERIFY2(is_sure == (gap_m < 0.015 && gap_m > -0.010), qPrintable(QString::number(gap_m)));
        }
    }

    /// A thing given to a hand by hand, and taken from it.
    void things_are_given_to_hands() {
        LoadedFile take = test::demo_take("lantern-signal");
        const LoadedFile body = test::demo_body("dockhand");
        const TransferResult found = transfer(take.character, *take.take, body.character, {}, 2);
        QCOMPARE(found.plan.program.things.size(), size_t(1));
        Contacts contacts = found.contacts;
        contacts.are_touches_by_hand = true;
        std::erase_if(contacts.list, [](const Contact& one) { return one.on == "lantern"; });
        take.take->contacts = contacts;
        QVERIFY(transfer(take.character, *take.take, body.character, {}, 2).plan.program.things.empty());
        Contact touch;
        touch.point = "palm.right";
        touch.on = "lantern";
        touch.first = 20;
        touch.last = take.take->frames - 20;
        take.take->contacts.list.push_back(touch);
        const TransferResult given = transfer(take.character, *take.take, body.character, {}, 2);
        QCOMPARE(given.plan.program.things.size(), size_t(1));
        QVERIFY(holds_thing(given.plan.program, 3, given.target.time_s(take.take->frames / 2)));
        QCOMPARE(nearest_to(take.character, *take.take, "palm.right", 100, 200), std::string("lantern"));
        const LoadedFile watch = test::demo_take("weary-watch");
        QCOMPARE(nearest_to(watch.character, *watch.take, "palm.left", 200, 260), std::string("hips"));
    }

    /// One choice for a take: what hands do.
    void hands_do_what_is_chosen() {
        for (const auto& [name, on_things, on_body] :
             {std::tuple{"lantern-signal", true, false}, std::tuple{"weary-watch", false, true}}) {
            LoadedFile take = test::demo_take(name);
            const LoadedFile body = test::demo_body("dockhand");
            const Contacts found = transfer(take.character, *take.take, body.character, {}, 2).contacts;
            QCOMPARE(hands_do(take.character, found), std::optional(HandsDo::as_found));
            for (const HandsDo what :
                 {HandsDo::free, HandsDo::hold_things, HandsDo::touch_body, HandsDo::as_found}) {
                const Contacts chosen = with_hands(take.character, *take.take, found, what);
                take.take->contacts = chosen;
                const TransferResult result = transfer(take.character, *take.take, body.character, {}, 2);
                const bool holds = on_things && (what == HandsDo::hold_things || what == HandsDo::as_found);
                const bool lies = on_body && (what == HandsDo::touch_body || what == HandsDo::as_found);
                QCOMPARE(!result.plan.program.things.empty(), holds);
                QCOMPARE(result.plan.program.near != nullptr, lies);
                if (holds || lies || what == HandsDo::free)
                    QCOMPARE(hands_do(take.character, chosen), std::optional(what));
                // Feet stand as they did.
                size_t feet = 0;
                for (const Contact& contact : result.contacts.list) feet += !contact.is_touch();
                QCOMPARE(feet, size_t(std::count_if(found.list.begin(), found.list.end(),
                                                    [](const Contact& one) { return !one.is_touch(); })));
            }
        }
    }

    /// Nothing jumps where a hand comes to the skin and leaves it.
    void hands_come_and_go_without_a_jump() {
        for (const std::string& name : touching_takes) {
            const LoadedFile take = test::demo_take(name);
            for (const std::string& who : crew) {
                const LoadedFile body = test::demo_body(who);
                const TransferResult with = transfer(take.character, *take.take, body.character, {}, 2);
                const TransferResult without =
                    transfer(take.character, *take.take, body.character, without_touch(), 2);
                double worst = 0.0;
                for (const auto* role : {"hand.left", "hand.right"}) {
                    const int j = body.character.roles.joint(role);
                    const auto moved = [&](int f) {
                        return Vec3(with.target.p[with.target.at(f, j)] -
                                    without.target.p[without.target.at(f, j)]);
                    };
                    for (int f = 1; f + 1 < with.target.frames; ++f)
                        worst = std::max(worst, (moved(f + 1) - 2.0 * moved(f) + moved(f - 1)).norm());
                }
                qInfo("%s on %s: the shift bends by %.2f mm a frame and frame", name.c_str(), who.c_str(),
                      1000.0 * worst);
                QVERIFY(worst < 0.004);
            }
        }
    }

    /// Grips found against what the simulator says, by frames.
    void things_in_hands_are_found() {
        for (const auto& [name, thing] :
             {std::pair{"carry-crate", "crate"}, std::pair{"lantern-signal", "lantern"}}) {
            const LoadedFile take = test::demo_take(name);
            const Character& source = take.character;
            const WorldMotion motion = forward_kinematics(source.rig.skeleton, *take.take, 2);
            const std::vector<int> things = things_of(source, *take.take);
            QCOMPARE(things.size(), size_t(1));
            QCOMPARE(source.rig.skeleton.names[size_t(things[0])], std::string(thing));
            const BodySurface surface = surface_of(source);
            const std::array<Vec3, 2> palms{hand_points(source, surface, Side::left).front(),
                                            hand_points(source, surface, Side::right).front()};
            const auto grips = find_grips(source, motion, things, palms, take.take->first_motion_frame);
            int found = 0, true_ones = 0, right = 0;
            for (const size_t limb : {size_t(2), size_t(3)}) {
                const std::vector<char> held =
                    held_frames(name, limb == 2 ? "hand.left" : "hand.right", thing, motion.frames);
                std::vector<char> told(held.size(), 0);
                for (const Grip& grip : grips)
                    if (grip.limb == limb)
                        for (int f = grip.first; f < grip.last; ++f) told[size_t(f)] = 1;
                for (size_t f = size_t(take.take->first_motion_frame); f < held.size(); ++f) {
                    found += told[f];
                    true_ones += held[f];
                    right += told[f] && held[f];
                }
            }
            qInfo("%s: %zu grips, precision %.3f, recall %.3f", name, grips.size(), double(right) / found,
                  double(right) / true_ones);
            QVERIFY(right >= 0.9 * found);
            QVERIFY(right >= 0.9 * true_ones);
        }
        // A walk holds nothing.
        const LoadedFile walk = test::demo_take("quay-walk");
        QVERIFY(things_of(walk.character, *walk.take).empty());
    }

    void hands_hold_what_they_held_data() {
        QTest::addColumn<QString>("take");
        QTest::addColumn<QString>("thing");
        QTest::addColumn<QString>("body");
        for (const auto& [take, thing] :
             {std::pair{"carry-crate", "crate"}, std::pair{"lantern-signal", "lantern"}})
            for (const std::string& body : crew)
                QTest::newRow((std::string(take) + " " + body).c_str())
                    << take << thing << QString::fromStdString(body);
    }
    /// A take is made in which a wrist stays in the world while the body sits down: it is proposed, unsure; held on another
    /// body once that is said.
    void a_hand_that_stays_at_a_place_is_held_once_it_is_said() {
        const LoadedFile given = test::demo_take("bollard-sit");
        const LoadedFile performer = test::demo_body("performer");
        Take take = *given.take;
        const double dt = take.frame_time_s;
        // Where the hips go fast, within the arm's reach.
        const WorldMotion motion = forward_kinematics(given.character.rig.skeleton, take);
        const int hips = given.character.roles.joint("hips"), span = int(0.7 / dt);
        int from = take.first_motion_frame;
        double most = 0.0;
        for (int f = from; f + span < take.frames; ++f)
            if (const double way =
                    (motion.p[motion.at(f + span, hips)] - motion.p[motion.at(f, hips)]).norm();
                way > most && way < 0.2) {
                most = way;
                from = f;
            }
        QVERIFY2(most > 0.1, qPrintable(QString::number(most)));
        take.contacts = find_contacts(given.character, motion, dt, take.first_motion_frame);
        take.contacts.is_by_hand = true;
        Contact wrist;
        wrist.point = "wrist.left";
        wrist.first = from;
        wrist.last = from + span;
        wrist.level_m = motion.p[motion.at(from, given.character.roles.joint("hand.left"))].y();
        take.contacts.list.push_back(wrist);
        PairingSettings settings;
        settings.passes.touch = settings.passes.hold = settings.passes.clear = false;
        const TransferResult made = transfer(given.character, take, performer.character, settings, 2);
        LoadedFile still;
        still.character = performer.character;
        still.take = made.take;
        const auto places =
            find_places(still.character, forward_kinematics(still.character.rig.skeleton, *still.take),
                        still.take->first_motion_frame);
        const auto place = std::find_if(places.begin(), places.end(), [&](const Contact& one) {
            return one.point == "palm.left" && one.first < from + span && one.last > from;
        });
        QVERIFY(place != places.end());
        QVERIFY(place->is_unsure && place->is_place());
        QVERIFY2(std::abs(place->first - from) * dt < 0.2 && std::abs(place->last - from - span) * dt < 0.2,
                 qPrintable(QString("%1 to %2 beside %3 to %4")
                                .arg(place->first)
                                .arg(place->last)
                                .arg(from)
                                .arg(from + span)));
        const LoadedFile ferrier = test::demo_body("ferrier");
        const int hand = ferrier.character.roles.joint("hand.left");
        const auto drift_mm = [&](bool is_sure) {
            Contact touch = *place;
            touch.is_unsure = !is_sure;
            still.take->contacts.list = {touch};
            still.take->contacts.are_touches_by_hand = true;
            const TransferResult result = test::carry(still, ferrier);
            double farthest = 0.0;
            const int a = place->first + int(0.1 / dt), b = place->last - int(0.1 / dt);
            for (int f = a; f < b; ++f)
                farthest = std::max(farthest, 1e3 * (result.target.p[result.target.at(f, hand)] -
                                                     result.target.p[result.target.at(a, hand)])
                                                        .norm());
            return farthest;
        };
        const double free = drift_mm(false), held = drift_mm(true);
        qInfo("the hand drifts by %.1f mm, held by %.2f", free, held);
        QVERIFY(held < 1.0);
        QVERIFY(free > 10.0);
    }

    /// The palm's place on the held thing, its slide there and the distance of both hands, in the core of a hold (100 ms
    /// from its ends); the thing where `thing_beside` has it. At 175 cm.
    void hands_hold_what_they_held() {
        QFETCH(QString, take);
        QFETCH(QString, thing);
        QFETCH(QString, body);
        const LoadedFile source = test::demo_take(take.toStdString());
        const LoadedFile target = test::demo_body(body.toStdString());
        const Skeleton& S_skeleton = source.character.rig.skeleton;
        const int prop = S_skeleton.find(thing.toStdString());
        const BodySurface S_surface = surface_of(source.character);
        const BodySurface T_surface = surface_of(target.character);
        for (const bool is_on : {false, true}) {
            PairingSettings settings;
            settings.passes.hold = is_on;
            const TransferResult result =
                transfer(source.character, *source.take, target.character, settings, 2);
            std::vector<double> off_mm, slide_mm;
            std::vector<Vec3>
                ring_in_hand;  // the lantern hangs by its ring, which swings about one place of the hand
            const int core = int(0.1 / source.take->frame_time_s);
            std::array<std::vector<char>, 2> held;
            for (const size_t side : {size_t(0), size_t(1)})
                held[side] = held_frames(take.toStdString(), side == 0 ? "hand.left" : "hand.right",
                                         thing.toStdString(), result.source.frames);
            Vec3 before = Vec3::Zero();
            for (const size_t side : {size_t(0), size_t(1)}) {
                const Side which = side == 0 ? Side::left : Side::right;
                const int S_hand = source.character.roles.joint(side == 0 ? "hand.left" : "hand.right");
                const int T_hand = target.character.roles.joint(side == 0 ? "hand.left" : "hand.right");
                const Vec3 S_palm = hand_points(source.character, S_surface, which).front();
                const Vec3 T_palm = hand_points(target.character, T_surface, which).front();
                int last = -2;
                for (int f = core; f + core < result.source.frames; ++f) {
                    const auto from = held[side].begin() + f - core;
                    if (std::count(from, from + 2 * core + 1, 1) < 2 * core + 1) continue;
                    const Pose T = pose_of(result.target, f);
                    const Rigid X =
                        thing_beside(result.plan.program, prop, frame_of(result.source, f), {T.R, T.p});
                    const Rigid X_S{result.source.R[result.source.at(f, prop)],
                                    result.source.p[result.source.at(f, prop)]};
                    const Vec3 on_T = inverse(X) * (T.p[size_t(T_hand)] + T.R[size_t(T_hand)] * T_palm);
                    const Vec3 on_S = inverse(X_S) * (result.source.p[result.source.at(f, S_hand)] +
                                                      result.source.R[result.source.at(f, S_hand)] * S_palm);
                    off_mm.push_back(1000.0 * (on_T - on_S).norm());
                    ring_in_hand.push_back(T.R[size_t(T_hand)].conjugate() *
                                           Vec3(X * Vec3(0.0, 0.30, 0.0) - T.p[size_t(T_hand)]));
                    if (last == f - 1) slide_mm.push_back(1000.0 * (on_T - before).norm());
                    before = on_T;
                    last = f;
                }
            }
            std::sort(off_mm.begin(), off_mm.end());
            std::sort(slide_mm.begin(), slide_mm.end());
            QVERIFY(off_mm.size() > 100);
            const auto p95 = [](const std::vector<double>& v) {
                return v[size_t(0.95 * double(v.size() - 1))];
            };
            qInfo("%-3s %s on %s: palm to its place p95 %6.1f mm, largest %6.1f; slide a frame p95 %.2f mm",
                  is_on ? "on" : "off", qPrintable(take), qPrintable(body), p95(off_mm), off_mm.back(),
                  p95(slide_mm));
            if (!is_on) continue;
            if (thing == "lantern") {
                Vec3 mean = Vec3::Zero();
                for (const Vec3& ring : ring_in_hand) mean += ring / double(ring_in_hand.size());
                double worst = 0.0;
                for (const Vec3& ring : ring_in_hand) worst = std::max(worst, 1000.0 * (ring - mean).norm());
                qInfo("the ring stays at one place of the hand within %.2f mm", worst);
                QVERIFY(worst <= 5.0);
                continue;
            }
            QVERIFY(p95(off_mm) <= 5.0);
            QVERIFY(off_mm.back() <= 15.0);
            QVERIFY(p95(slide_mm) <= 2.0);
        }
    }

    void touches_are_kept_data() {
        QTest::addColumn<QString>("take");
        QTest::addColumn<QString>("body");
        const auto bodies = test::under_sanitizers() ? std::vector<std::string>{"ferrier"} : crew;
        for (const std::string& take : touching_takes)
            for (const std::string& body : bodies)
                QTest::newRow((take + " " + body).c_str())
                    << QString::fromStdString(take) << QString::fromStdString(body);
    }
    void touches_are_kept() {
        QFETCH(QString, take);
        QFETCH(QString, body);
        const LoadedFile source = test::demo_take(take.toStdString());
        QVERIFY(source.character.skin != nullptr);
        QVERIFY(source.character.skin->get().is_from_mesh);
        const LoadedFile target = test::demo_body(body.toStdString());
        const std::vector<Touching> touches = touches_of(take.toStdString());
        for (const bool is_on : {false, true}) {
            PairingSettings settings;
            settings.passes.touch = is_on;
            const TransferResult result =
                transfer(source.character, *source.take, target.character, settings, 2);
            const Kept kept =
                measure(target.character, target.character.rig.skeleton, result.target, touches, 6);
            qInfo(
                "%-3s %s on %s: kept %5.1f %%, gap to %5.1f mm, depth to %5.1f mm; deeper than 2 cm %5.1f %%",
                is_on ? "on" : "off", qPrintable(take), qPrintable(body), 100.0 * kept.share(),
                kept.worst_gap_mm, kept.worst_depth_mm, 100.0 * kept.deep_share());
            // The review, looking less often, tells the same; a gap is an event with what to do about it.
            const Review review = review_result(source.character, target.character, result);
            QVERIFY(review.touching.touching > 20);
            QVERIFY2(std::abs(review.touching.kept_share() - kept.share()) < 0.15,
                     qPrintable(QString("%1 %2").arg(review.touching.kept_share()).arg(kept.share())));
            const auto events = find_events(review, result, settings);
            const bool has_gap = std::any_of(events.begin(), events.end(), [](const ReviewEvent& event) {
                return event.measure == "gap" && event.remedies.front().change == "pass=touch";
            });
            QCOMPARE(has_gap, !is_on && review.touching.gap_mm.max > TouchReview::kept_gap_mm);
            if (!is_on) continue;
            QVERIFY(kept.share() >= 0.95);
            // Of arms on their way one frame in a hundred goes deep still: elbows are not turned aside yet.
            QVERIFY(kept.deep_share() <= 0.01);
        }
    }

    void bodies_of_few_triangles_are_touched_as_others_data() {
        QTest::addColumn<QString>("take");
        QTest::addColumn<double>("cell");
        for (const std::string& take : touching_takes)
            for (const double cell : {0.05, 0.0667})
                QTest::addRow("%s, cells of %.2f", take.c_str(), cell)
                    << QString::fromStdString(take) << cell;
    }
    /// Some 12 cm from corner to corner: hands still lie on skins, not where their corners are.
    void bodies_of_few_triangles_are_touched_as_others() {
        QFETCH(QString, take);
        QFETCH(double, cell);
        SkeletonFile body = with_arms_and_head(1.0, 1.0);
        for (Mesh& mesh : body.meshes) make_coarse(mesh, cell);
        const Kept kept = kept_on(take.toStdString(), body);
        QVERIFY(kept.share() >= 0.95);
        QVERIFY(kept.deep_share() <= 0.01);
    }

    /// Short arms that cannot reach the crate come to their whole length softly: neither elbow nor clavicle jerks.
    void arms_that_cannot_reach_straighten_softly() {
        const LoadedFile body = load_parsed(with_arms_and_head(0.6, 1.0), "made", "glb");
        const LoadedFile take = test::demo_take("carry-crate");
        const TransferResult result = transfer(take.character, *take.take, body.character, {}, 2);
        QVERIFY(!result.plan.program.things.empty());
        for (const RoleSmoothness& role : review_result(take.character, body.character, result).smoothness)
            QVERIFY2(role.pops.empty(), role.role.c_str());
    }

    /// A brow that short arms cannot reach round a head as wide as the shoulders: the hand lies on the head, not in it.
    void hands_come_to_the_skin_as_arms_can() {
        const Kept kept = kept_on("weary-watch", with_arms_and_head(0.7, 2.6));
        QVERIFY(kept.share() >= 0.9);
        QVERIFY(kept.worst_depth_mm <= 15.0);
        QVERIFY(kept.deep_share() <= 0.05);
    }
};

NB_TEST(TouchTest)
}  // namespace test_touch
#include "test_touch.moc"
