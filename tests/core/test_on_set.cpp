// Hands on what stands beside the body: found against the simulator's labels, held on every body, measured by the meshes;
// elbows on legs, backs of hands; a trunk that leans; what the review says of hands that slide, of the head, of jitter.
// Bars: 5 mm (95 %) and 15 mm between a palm and its place, precision and recall 0.9.
#include <QtTest>
#include <cmath>

#include "core/base/fault.hpp"
#include "core/body/measures.hpp"
#include "core/contact/on_set.hpp"
#include "core/contact/touches.hpp"
#include "core/documents/contacts.hpp"
#include "core/intake/things.hpp"
#include "core/library/library.hpp"
#include "core/review/bars.hpp"
#include "core/solve/hold.hpp"
#include "core/solve/near.hpp"
#include "core/solve/on_set.hpp"
#include "core/surface/hand_points.hpp"
#include "tests/support/run_test.hpp"
#include "tests/support/test_rigs.hpp"

namespace test_on_set {

using namespace nb;
using namespace nb::test;

namespace {

constexpr std::array<const char*, 5> crew{"performer", "dockhand", "ferrier", "lamp-child", "net-mender"};

/// A box about the origin.
SetPiece box(const Vec3& half) {
    SetPiece piece;
    piece.name = "box";
    for (int axis = 0; axis < 3; ++axis)
        for (const double side : {-1.0, 1.0}) {
            Vec3 u = Vec3::Zero(), v = Vec3::Zero(), n = Vec3::Zero();
            n[axis] = side * half[axis];
            u[(axis + 1) % 3] = half[(axis + 1) % 3];
            v[(axis + 2) % 3] = half[(axis + 2) % 3];
            piece.triangles.push_back({n - u - v, n + u - v, n + u + v});
            piece.triangles.push_back({n - u - v, n + u + v, n - u + v});
        }
    piece.measure();
    return piece;
}

LoadedFile with_touch(const std::string& name, const std::vector<Contact>& touches) {
    LoadedFile take = demo_take(name);
    take.take->contacts.list = touches;
    take.take->contacts.are_touches_by_hand = true;
    return take;
}

Contact touch(const std::string& point, const std::string& on, int first, int last) {
    return {point, first, last, ContactKind::stay, 0.0, on};
}

}  // namespace

class OnSetTest : public QObject {
    Q_OBJECT

  private slots:
    /// Against the closed form of a box.
    void distances_are_those_of_the_shape() {
        const Vec3 half(0.2, 0.5, 0.1);
        const SetPiece piece = box(half);
        Random random(3);
        for (int i = 0; i < 500; ++i) {
            const Vec3 p(uniform(random, -1, 1), uniform(random, -1, 1), uniform(random, -1, 1));
            const Vec3 out = (p.cwiseAbs() - half).cwiseMax(0.0);
            const double wanted = out.norm() > 0.0 ? out.norm() : (half - p.cwiseAbs()).minCoeff();
            QVERIFY(std::abs(piece.distance(p, 9.0) - wanted) < 1e-12);
            QVERIFY(std::abs(piece.distance(p, 0.3) - std::min(0.3, wanted)) < 1e-12);
        }
    }

    void the_rope_is_found_where_hands_are_on_it() {
        const LoadedFile take = demo_take("haul-rope");
        const HandMarks marks = hand_marks(take.character, *take.take);
        int both = 0, found = 0, labelled = 0;
        for (const char* side : {"left", "right"}) {
            std::vector<char> is_found(size_t(take.take->frames), 0), is_label = is_found;
            for (const Contact& one : marks.touches)
                if (one.on == "rope" && one.point.ends_with(side))
                    std::fill(is_found.begin() + one.first, is_found.begin() + one.last, char(1));
            for (const Label& label : labels_of("haul-rope"))
                if (label.on == "rope" && label.limb == std::string("hand.") + side)
                    std::fill(is_label.begin() + label.first, is_label.begin() + label.last, char(1));
            for (size_t f = 0; f < is_found.size(); ++f) {
                both += is_found[f] && is_label[f];
                found += is_found[f];
                labelled += is_label[f];
            }
        }
        qInfo("precision %.3f, recall %.3f", double(both) / found, double(both) / labelled);
        QVERIFY(both >= 0.9 * found && both >= 0.9 * labelled);
        // Hands that go by a bollard or steps lie on neither.
        for (const char* other : {"bollard-sit", "mole-steps"}) {
            const LoadedFile beside = demo_take(other);
            QVERIFY(!beside.take->set.empty());
            for (const Contact& one : hand_marks(beside.character, *beside.take).touches)
                QVERIFY(beside.character.roles.joint(one.on) >= 0 || one.is_unsure);
        }
    }

    /// By the meshes: vertices of the hand from the rope as it stands beside the body.
    void every_body_has_its_hands_on_the_rope() {
        const LoadedFile take = demo_take("haul-rope");
        double worst_without = 0.0;
        for (const char* name : crew) {
            const LoadedFile body = demo_body(name);
            TransferResult result = transfer(take.character, *take.take, body.character, {}, 2);
            const Review review = review_result(take.character, body.character, result);
            QVERIFY(review.holding.holds >= 8);
            qInfo("%s: off the rope p95 %.1f mm, to %.1f", name, review.holding.off_mm.p95,
                  review.holding.off_mm.max);
            QVERIFY(review.holding.off_mm.p95 <= 5.0);
            QVERIFY(review.holding.off_mm.max <= 15.0);
            for (const Bar& bar : bars_of(review, result, {}))
                QVERIFY2(bar.is_met(),
                         qPrintable(QString("%1 %2 %3").arg(name).arg(bar.name.c_str()).arg(bar.value)));
            PairingSettings without;
            without.passes.hold = false;
            result = transfer(take.character, *take.take, body.character, without, 2);
            result.plan.program.passes.hold = true;  // to be measured all the same
            worst_without = std::max(
                worst_without, review_result(take.character, body.character, result).holding.off_mm.p95);
        }
        QVERIFY(worst_without > 50.0);
    }

    /// A crate that lies there: the hand lies on it where it does in the take, the crate in its own size.
    void a_hand_lies_on_a_thing_that_lies() {
        std::vector<std::string> notes;
        const std::string path = demo("takes/weary-watch.take.json");
        LoadOptions options = load_take(path, "", notes).character.rig.options;
        StageThing crate;
        crate.file = demo("set/crate.glb");
        const LoadedFile bare = demo_take("weary-watch");
        const WorldMotion motion = forward_kinematics(bare.character.rig.skeleton, *bare.take);
        const size_t hand = motion.at(60, bare.character.roles.joint("hand.left"));
        crate.at_m = motion.p[hand] - Vec3(0.0, 0.4, 0.0);
        options.things = {crate};
        LoadedFile take = load_take(path, "", notes, 0, &options);
        QVERIFY(set_piece(*take.take, "crate"));
        take.take->contacts.are_touches_by_hand = true;
        take.take->contacts.list = {touch("palm.left", "crate", 40, 80)};
        const LoadedFile body = demo_body("dockhand");
        const TransferResult result = transfer(take.character, *take.take, body.character, {}, 2);
        QVERIFY(result.plan.program.things.empty());  // nobody holds it
        QCOMPARE(result.plan.program.on_set.size(), size_t(1));
        const SetHand& on = result.plan.program.on_set.front();
        const auto point = [](const WorldMotion& m, int joint, const Vec3& p_J) {
            return Vec3(m.p[m.at(60, joint)] + m.R[m.at(60, joint)] * p_J);
        };
        const Vec3 from = result.source.p[result.source.at(60, on.S_thing)];
        const Vec3 wanted =
            result.plan.program.map(from) + point(result.source, on.S_hand, on.S_point_J) - from;
        QVERIFY((point(result.target, on.T_hand, on.T_point_J) - wanted).norm() < 0.005);
        QVERIFY(lies_on_set(result.plan.program, 2, result.target.time_s(60)));
        QVERIFY(!lies_on_set(result.plan.program, 3, result.target.time_s(60)));
    }

    /// The hands follow a crate that leads, in either size, and lie where they lie on it in the take; documents keep that.
    void hands_follow_a_thing_that_leads() {
        LoadedFile take = demo_take("carry-crate");
        const LoadedFile body = demo_body("dockhand");
        const int crate = take.character.rig.skeleton.find("crate");
        for (const bool is_scaled : {false, true}) {
            take.take->contacts.things["crate"] = {true, is_scaled};
            const TransferResult result = transfer(take.character, *take.take, body.character, {}, 2);
            const Program& program = result.plan.program;
            QCOMPARE(thing_scale(program, crate), is_scaled ? program.map.k : 1.0);
            QCOMPARE(result.contacts.things.size(), size_t(1));
            const Review review = review_result(take.character, body.character, result);
            QVERIFY2(
                review.holding.off_mm.p95 <= 5.0 && review.holding.slide_mm.p95 <= 2.0,
                qPrintable(QString("%1 %2").arg(review.holding.off_mm.p95).arg(review.holding.slide_mm.p95)));
            for (const int f : {300, 700, 1100}) {
                const SourceFrame S = frame_of(result.source, f);
                const Rigid X = thing_beside(program, crate, S, frame_of(result.target, f));
                QVERIFY((X.p - program.map(S.p[size_t(crate)])).norm() < 1e-12);
            }
            set_contacts_in_file(take, contacts_to_file(take.take->contacts, take));
            Json document = Json::object();
            write_contacts(document, take);
            QVERIFY(read_contacts(document, "t", take).things == take.take->contacts.things);
            document["held_things"]["crate"] = 3;
            QVERIFY_THROWS_EXCEPTION(FileError, read_contacts(document, "t", take));
        }
        // As usual is not kept.
        take.take->contacts.things.clear();
        set_contacts_in_file(take, contacts_to_file(take.take->contacts, take));
        Json document = Json::object();
        document["held_things"]["crate"]["leads"] = true;
        write_contacts(document, take);
        QVERIFY(!document.contains("held_things"));
    }

    /// Where nothing lies on anything nothing changes, to the bit, whatever stands there.
    void a_set_alone_changes_nothing() {
        LoadedFile take = demo_take("mole-steps");
        const LoadedFile body = demo_body("ferrier");
        const TransferResult with = transfer(take.character, *take.take, body.character, {}, 2);
        take.take->set = {};
        const TransferResult without = transfer(take.character, *take.take, body.character, {}, 2);
        QVERIFY(with.plan.program.on_set.empty());
        for (size_t i = 0; i < with.target.p.size(); ++i)
            QVERIFY(with.target.p[i] == without.target.p[i] &&
                    with.target.R[i].coeffs() == without.target.R[i].coeffs());
    }

    /// An elbow that is said to lie on a thigh comes to the same place of the other body's; on its own body it stays.
    void an_elbow_lies_on_the_thigh() {
        const std::vector<Contact> elbow{touch("elbow.left", "thigh.left", 240, 360)};
        const LoadedFile free = with_touch("bollard-sit", {}), held = with_touch("bollard-sit", elbow);
        QVERIFY(is_hand_point("elbow.left") && is_elbow("elbow.left") && !is_hand_point("elbow"));
        const auto off = [](const LoadedFile& take, const LoadedFile& body, double gives) {
            PairingSettings settings;
            settings.passes.clear = false;
            settings.chains["arm.left"].trunk_gives = gives;
            const TransferResult result = transfer(take.character, *take.take, body.character, settings, 2);
            const BodySurface S = surface_of(take.character), T = surface_of(body.character);
            const auto place = [](const BodySurface& surface, const Character& who, const WorldMotion& m) {
                const int forearm = who.roles.joint("forearm.left"), f = 300;
                const PartSurface& thigh = *surface.part("thigh.left");
                const Rigid X = thigh.frame(m.R[m.at(f, thigh.joint)], m.p[m.at(f, thigh.joint)]);
                const Vec3 tip =
                    m.p[m.at(f, forearm)] + m.R[m.at(f, forearm)] * *elbow_point(surface, Side::left);
                return std::pair{thigh.place(inverse(X) * tip), tip};
            };
            SurfacePlace wanted = place(S, take.character, result.source).first;
            const PartSurface& thigh = *T.part("thigh.left");
            wanted.h *= std::max(thigh.mean_radius_m / S.part("thigh.left")->mean_radius_m,
                                 T.stature_m / S.stature_m);
            const Rigid X = thigh.frame(result.target.R[result.target.at(300, thigh.joint)],
                                        result.target.p[result.target.at(300, thigh.joint)]);
            return (X * thigh.point(wanted) - place(T, body.character, result.target).second).norm();
        };
        const LoadedFile self = demo_body("performer");
        QVERIFY(off(held, self, 0.0) < 0.01);
        for (const char* name : {"dockhand", "ferrier", "lamp-child"}) {
            const LoadedFile body = demo_body(name);
            const double before = off(free, body, 0.0), after = off(held, body, 0.0),
                         leaning = off(held, body, 1.0);
            qInfo("%s: elbow %.0f mm from its place, held %.0f, with a trunk that leans %.0f", name,
                  1000 * before, 1000 * after, 1000 * leaning);
            QVERIFY(after < before && leaning <= after + 1e-4);
        }
    }

    /// A sole that is said to lie on the other shin comes to the same place of the other body's.
    void a_sole_lies_on_the_other_leg() {
        const std::vector<Contact> sole{touch("sole.left", "shin.right", 240, 360)};
        const LoadedFile free = with_touch("bollard-sit", {}), held = with_touch("bollard-sit", sole);
        QVERIFY(is_hand_point("sole.left") && is_sole("sole.left") && !is_of_hand("sole.left"));
        const auto off = [](const LoadedFile& take, const LoadedFile& body) {
            PairingSettings settings;
            settings.passes.clear = false;
            const TransferResult result = transfer(take.character, *take.take, body.character, settings, 2);
            const BodySurface S = surface_of(take.character), T = surface_of(body.character);
            const auto on_shin = [](const BodySurface& surface, const Character& who, const WorldMotion& m) {
                const int foot = who.roles.joint("foot.left"), f = 300;
                const PartSurface& shin = *surface.part("shin.right");
                const Rigid X = shin.frame(m.R[m.at(f, shin.joint)], m.p[m.at(f, shin.joint)]);
                return Vec3(inverse(X) *
                            Vec3(m.p[m.at(f, foot)] + m.R[m.at(f, foot)] * *sole_point(surface, Side::left)));
            };
            SurfacePlace wanted = S.part("shin.right")->place(on_shin(S, take.character, result.source));
            const PartSurface& shin = *T.part("shin.right");
            wanted.h *=
                std::max(shin.mean_radius_m / S.part("shin.right")->mean_radius_m, T.stature_m / S.stature_m);
            return (shin.point(wanted) - on_shin(T, body.character, result.target)).norm();
        };
        for (const char* name : {"dockhand", "ferrier", "lamp-child"}) {
            const LoadedFile body = demo_body(name);
            const double before = off(free, body), after = off(held, body);
            qInfo("%s: sole %.0f mm from its place, held %.0f", name, 1000 * before, 1000 * after);
            QVERIFY(after < 0.01 || after < 0.5 * before);
        }
    }

    void a_back_of_a_hand_touches_by_itself() {
        const LoadedFile take = with_touch("weary-watch", {touch("back.left", "hips", 150, 350)});
        const LoadedFile body = demo_body("ferrier");
        const TransferResult result = transfer(take.character, *take.take, body.character, {}, 2);
        QVERIFY(result.plan.program.near);
        QCOMPARE(result.plan.program.near->hands.size(), size_t(1));
        QCOMPARE(result.plan.program.near->hands[0].points.size(), size_t(3));
        QCOMPARE(result.plan.program.near->hands[0].touches[0].point, size_t(2));
    }

    /// Where arms do not reach the trunk leans: no farther than 15 degrees, without a jump, and hands come nearer.
    void the_trunk_leans_by_a_share() {
        const LoadedFile take = demo_take("haul-rope");
        // Arms much too short for that rope.
        LoadOptions short_arms = demo_body("lamp-child").character.rig.options;
        short_arms.lengths["arms"] = 0.8;
        short_arms.is_by_hand = true;
        std::vector<std::string> notes;
        const LoadedFile body =
            load_character(demo("characters/lamp-child/rig.glb"),
                           demo("characters/lamp-child/character.json"), notes, short_arms);
        double before = 1e9;
        for (const double gives : {0.0, 0.5, 1.0}) {
            PairingSettings settings;
            settings.passes.clear = false;
            settings.chains["arm.left"].trunk_gives = settings.chains["arm.right"].trunk_gives = gives;
            const TransferResult result = transfer(take.character, *take.take, body.character, settings, 2);
            PairingSettings none = settings;
            none.chains.clear();
            const TransferResult upright = transfer(take.character, *take.take, body.character, none, 2);
            const int chest = body.character.roles.joint("chest");
            double lean = 0.0;
            for (int f = 0; f < result.target.frames; ++f)
                lean = std::max(lean, angle_between(result.target.R[result.target.at(f, chest)],
                                                    upright.target.R[upright.target.at(f, chest)]));
            const Review review = review_result(take.character, body.character, result);
            qInfo("share %.1f: leans to %.1f degrees, off the rope p95 %.1f mm", gives, rad_to_deg(lean),
                  review.holding.off_mm.p95);
            QVERIFY(rad_to_deg(lean) <= 15.01);
            QVERIFY((gives > 0.0) == (lean > deg_to_rad(0.5)));
            QVERIFY(review.holding.off_mm.p95 < before);
            before = review.holding.off_mm.p95;
            for (const RoleSmoothness& role : review.smoothness)
                QVERIFY(role.role.find("spine") == std::string::npos || role.pops.empty());
        }
    }

    /// A hand that goes with its thing does not slide; one that swings by a centimetre beside it does by that.
    void slides_in_the_hand_are_measured() {
        const LoadedFile take = demo_take("carry-crate");
        const Character& body = take.character;
        const WorldMotion motion = forward_kinematics(body.rig.skeleton, *take.take);
        const int hand = body.roles.joint("hand.right");
        const double to_reference = reference_stature_m / stature(body.rig.skeleton, body.roles);
        for (const double swings_m : {0.0, 0.01}) {
            ToldHold hold;
            hold.side = Side::right;
            hold.first = 400;
            hold.last = 600;
            for (int f = hold.first; f < hold.last; ++f) {
                const Rigid X_WH{motion.R[motion.at(f, hand)], motion.p[motion.at(f, hand)]};
                hold.X_source.push_back(X_WH);
                hold.X_target.push_back(X_WH *
                                        Rigid{Quat::Identity(), Vec3(swings_m * std::sin(0.2 * f), 0, 0)});
            }
            const HoldReview review = review_holds(body, motion, body, motion, {hold});
            QCOMPARE(review.holds, 1);
            QVERIFY(review.source_slide_mm.max < 1e-6);
            QVERIFY(std::abs(review.slide_mm.max - 1000.0 * to_reference * swings_m) < 0.3);
        }
    }

    /// A head that shakes for ten frames is told there and nowhere else; a head that is led aside is told as travel.
    void shaking_and_travel_of_the_head_are_rows() {
        const LoadedFile take = demo_take("quay-walk");
        const Character& body = take.character;
        const WorldMotion motion = forward_kinematics(body.rig.skeleton, *take.take);
        WorldMotion shaken = motion;
        const int head = body.roles.joint("head");
        for (int f = 200; f < 210; ++f)
            shaken.R[shaken.at(f, head)] =
                exp_rotation((f % 2 ? 0.03 : -0.03) * Vec3::UnitX()) * shaken.R[shaken.at(f, head)];
        for (int f = 300; f < 320; ++f) shaken.p[shaken.at(f, head)] += Vec3(0.05, 0.0, 0.0);
        const double dt = take.take->frame_time_s;
        const Review same = review_transfer(body, motion, body, motion, dt, take.take->first_motion_frame);
        QVERIFY(same.head_cm.max < 1e-9);
        QVERIFY(!same.find_series(ReviewMeasure::jitter, "head"));
        const Review review = review_transfer(body, motion, body, shaken, dt, take.take->first_motion_frame);
        const ReviewSeries* jitter = review.find_series(ReviewMeasure::jitter, "head");
        const ReviewSeries* travel = review.find_series(ReviewMeasure::head, "head");
        QVERIFY(jitter && travel);
        for (int f = take.take->first_motion_frame; f < motion.frames; ++f) {
            const bool is_near = f >= 200 - 0.12 / dt && f < 210 + 0.12 / dt;
            QVERIFY(is_near || jitter->values[size_t(f)] == 0.0F);
            const bool is_aside = f >= 300 && f < 320;
            QVERIFY((travel->values[size_t(f)] > 3.0F) == is_aside);
        }
        QVERIFY(jitter->values[205] > 1.0F);
    }
};

NB_TEST(OnSetTest)
}  // namespace test_on_set
#include "test_on_set.moc"
