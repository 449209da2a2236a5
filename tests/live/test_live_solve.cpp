// The solve of a stream beside the exact solve of its recording: feet that stand, nothing below the floor, bodies where the
// exact one has them. Bars are the product's own (docs/live.md); takes: Debian's assimp-testmodels and the demo's, as bare
// skeletons, which is what a stream brings.
//
// NB_LIVE_FIGURES=1 prints a table of all takes on the whole crew, NB_LIVE_RIGS=FILE:FILE further targets for it.
#include <QtTest>
#include <algorithm>
#include <chrono>
#include <functional>

#include "core/motion/edit.hpp"
#include "core/motion/kinematics.hpp"
#include "core/review/bars.hpp"
#include "core/review/skin_gap.hpp"
#include "core/solve/engine.hpp"
#include "live/live_solve.hpp"
#include "tests/support/run_test.hpp"
#include "tests/support/test_rigs.hpp"

namespace test_live_solve {

using namespace nb;

namespace {

const std::vector<const char*> crew{"performer", "dockhand", "ferrier", "lamp-child", "net-mender"};

struct Streamed {
    double mean_mm = 0.0, mean_deg = 0.0;  ///< beside the exact solve, outside the ends of feet's contacts
    double out_mm = 0.0, out_deg = 0.0;    ///< and outside those of what hands hold, too
    double slide_p95 = 0.0,
           below_p95 = 0.0;  ///< in the core of the stream's own contacts: cm/s at 175 cm, mm
    double below_most = 0.0;
    double us = 0.0;  ///< a frame: put in order and posed
    Review review, exact;
};

/// The same frames as a stream: so much of what comes is known before it is shown.
class Streaming {
  public:
    Streaming(const LoadedFile& source, const Take& take, const LoadedFile& target, double ahead_s)
        : take_(take), live_(source.character, target.character, {}) {
        exact_ = transfer(source.character, take, target.character, {});
        motion_ = exact_.target;
        play(ahead_s);
        measure();
        result.exact = review_result(source.character, target.character, exact_);
        TransferResult told = exact_;
        told.target = motion_;
        told.corrections.deficits.clear();
        result.review = review_result(source.character, target.character, told);
    }
    Streamed result;

  private:
    const Take& take_;
    LiveSolve live_;
    TransferResult exact_;
    WorldMotion motion_;
    std::array<std::vector<double>, 2 * limb_count> level_;  ///< by limb and point; NaN: not held

    void play(double ahead_s) {
        for (auto& levels : level_) levels.assign(size_t(take_.frames), std::nan(""));
        const int ahead = int(std::lround(ahead_s / take_.frame_time_s));
        std::chrono::duration<double> took{};
        int next = take_.first_motion_frame;
        for (int f = take_.first_motion_frame; f < take_.frames; ++f) {
            const auto began = std::chrono::steady_clock::now();
            for (; next <= std::min(take_.frames - 1, f + ahead); ++next)
                live_.add(next, next * take_.frame_time_s, take_, next);
            QVERIFY(live_.show(f * take_.frame_time_s + 1e-9));
            took += std::chrono::steady_clock::now() - began;
            for (size_t i = 0; i < level_.size(); ++i) {
                const ContactsAhead::Point& point = live_.contacts().point(i / 2, FootPoint(i % 2));
                if (point.is_held) level_[i][size_t(f)] = point.level_m * live_.plan().program.map.k;
            }
            std::copy(live_.target().R.begin(), live_.target().R.end(),
                      motion_.R.begin() + long(motion_.at(f, 0)));
            std::copy(live_.target().p.begin(), live_.target().p.end(),
                      motion_.p.begin() + long(motion_.at(f, 0)));
        }
        result.us = 1e6 * took.count() / std::max(1, take_.frames - take_.first_motion_frame);
    }

    static double p95(std::vector<double>& values) {
        if (values.empty()) return 0.0;
        std::sort(values.begin(), values.end());
        return values[values.size() * 95 / 100];
    }

    void measure() {
        std::vector<double> slides, belows;
        const double dt = take_.frame_time_s;
        const int edge = int(std::ceil(0.05 / dt));
        const double to_175 = 1.75 / live_.plan().program.body.stature_m;
        for (size_t i = 0; i < level_.size(); ++i) {
            const EndOp& end = live_.plan().program.ends[i / 2];
            if (end.limb < 0) continue;
            for (int f = take_.first_motion_frame + edge; f + edge < take_.frames; ++f) {
                bool is_core = true;
                for (int g = f - edge; g <= f + edge && is_core; ++g)
                    is_core = !std::isnan(level_[i][size_t(g)]);
                if (!is_core) continue;
                Vec3 way = end.sole.point(FootPoint(i % 2), motion_, f + 1) -
                           end.sole.point(FootPoint(i % 2), motion_, f - 1);
                way.y() = 0.0;
                slides.push_back(100.0 * to_175 * way.norm() / (2.0 * dt));
                belows.push_back(1e3 *
                                 (level_[i][size_t(f)] - end.sole.point(FootPoint(i % 2), motion_, f).y()));
            }
        }
        result.slide_p95 = p95(slides);
        result.below_p95 = p95(belows);
        if (!belows.empty()) result.below_most = belows.back();
        // Contacts end and begin a moment earlier or later when the take is known whole; what hands hold is led to where it
        // stands and stood, half a second and more before and after that is known on-line.
        enum : char { none = 0, of_foot = 1, of_hand = 2 };
        std::vector<char> is_end(size_t(take_.frames), none);
        const auto mark = [&](int at, double before_s, double after_s, char what) {
            for (int f = std::max(0, at - int(before_s / dt));
                 f < std::min(take_.frames, at + int(after_s / dt)); ++f)
                is_end[size_t(f)] |= what;
        };
        for (const Contact& contact : exact_.contacts.list) {
            if (contact.is_touch()) {
                mark(contact.first, 0.35, 1.5, of_hand);
                mark(contact.last, 0.6, 0.8, of_hand);
                continue;
            }
            mark(contact.first, 0.15, 0.15, of_foot);
            mark(contact.last, 0.15, 0.15, of_foot);
        }
        double mm = 0.0, deg = 0.0;
        long count = 0, outside = 0;
        for (int f = take_.first_motion_frame; f < take_.frames; ++f)
            for (int j = 0; j < motion_.joints && (is_end[size_t(f)] & of_foot) == 0; ++j) {
                const size_t at = motion_.at(f, j);
                const double by_mm = 1e3 * (motion_.p[at] - exact_.target.p[at]).norm();
                const double by_deg = rad_to_deg(angle_between(motion_.R[at], exact_.target.R[at]));
                mm += by_mm;
                deg += by_deg;
                ++count;
                if (is_end[size_t(f)] != none) continue;
                result.out_mm += by_mm;
                result.out_deg += by_deg;
                ++outside;
            }
        result.out_mm /= double(std::max(1L, outside));
        result.out_deg /= double(std::max(1L, outside));
        result.mean_mm = mm / double(std::max(1L, count));
        result.mean_deg = deg / double(std::max(1L, count));
    }
};

/// As a stream's recording is: a skeleton that moves, and the roots of the things in its hands; no meshes.
LoadedFile recording_of(LoadedFile file) {
    file.character.rig.meshes = {};
    file.character.skin = nullptr;
    file.take->set = {};
    file.take->contacts = {};
    file.pieces.clear();
    return file;
}

LoadedFile take_of(const QString& name) {
    return name.startsWith("01") ? load_file(test::capture(name.toStdString() + ".bvh"))
                                 : recording_of(test::demo_take(name.toStdString()));
}

/// Plays a take as a stream with 50 ms of buffer; `each` after every shown frame. One frame in `looks` may look for limbs in
/// the body.
void streamed(const Take& take, LiveSolve& live, const std::function<void(int)>& each, int looks = 1) {
    const int ahead = int(std::lround(0.05 / take.frame_time_s));
    int next = take.first_motion_frame;
    for (int f = take.first_motion_frame; f < take.frames; ++f) {
        for (; next <= std::min(take.frames - 1, f + ahead); ++next)
            live.add(next, next * take.frame_time_s, take, next);
        live.show(f * take.frame_time_s + 1e-9, f % looks == 0);
        each(f);
    }
}

}  // namespace

class LiveSolveTest : public QObject {
    Q_OBJECT

  private slots:
    void feet_stand_and_bodies_are_where_the_exact_solve_has_them_data() {
        QTest::addColumn<QString>("take");
        QTest::addColumn<double>("fps");
        QTest::addColumn<double>("ahead_s");
        QTest::addColumn<double>("most_mm");
        QTest::newRow("quay-walk") << "quay-walk" << 0.0 << 0.05 << 5.0;
        QTest::newRow("mole-steps") << "mole-steps" << 0.0 << 0.05 << 5.0;
        QTest::newRow("boat-leap") << "boat-leap" << 0.0 << 0.05 << 5.0;
        QTest::newRow("haul-rope") << "haul-rope" << 0.0 << 0.05 << 5.0;
        QTest::newRow("bollard-sit") << "bollard-sit" << 0.0 << 0.05 << 5.0;
        QTest::newRow("carry-crate") << "carry-crate" << 0.0 << 0.05 << 5.0;
        QTest::newRow("weary-watch") << "weary-watch" << 0.0 << 0.05 << 5.0;
        QTest::newRow("lantern-signal") << "lantern-signal" << 0.0 << 0.05 << 5.0;
        QTest::newRow("01_01") << "01_01" << 0.0 << 0.05 << 5.0;
        QTest::newRow("01_01, no buffer") << "01_01" << 0.0 << 0.0 << 8.0;
        QTest::newRow("01_01, 100 ms") << "01_01" << 0.0 << 0.1 << 5.0;
        QTest::newRow("quay-walk at 30") << "quay-walk" << 30.0 << 0.05 << 5.0;
        QTest::newRow("quay-walk at 240") << "quay-walk" << 240.0 << 0.05 << 5.0;
        // It climbs while its feet go on by 20 cm/s.
        QTest::newRow("01_03") << "01_03" << 0.0 << 0.05 << 5.0;
    }
    void feet_stand_and_bodies_are_where_the_exact_solve_has_them() {
        QFETCH(QString, take);
        QFETCH(double, fps);
        QFETCH(double, ahead_s);
        QFETCH(double, most_mm);
        const LoadedFile source = take_of(take);
        const Take played = fps > 0.0 ? resample(*source.take, fps) : *source.take;
        for (const char* name : {"ferrier", "lamp-child"}) {
            const Streamed s = Streaming(source, played, test::demo_body(name), ahead_s).result;
            const QString told = QString("%1: slide %2 cm/s, below %3 mm, off %4 mm %5 deg")
                                     .arg(name)
                                     .arg(s.slide_p95)
                                     .arg(s.below_p95)
                                     .arg(s.out_mm)
                                     .arg(s.out_deg);
            QVERIFY2(s.slide_p95 <= 0.5, qPrintable(told));
            QVERIFY2(s.below_p95 <= 3.0, qPrintable(told));
            // The ferrier's arms lie in its coat for seconds: of several ways out another one is taken.
            const bool has_ways_out = take == "bollard-sit" && QString(name) == "ferrier";
            const double most = has_ways_out ? 9.0 : most_mm;
            QVERIFY2(s.out_mm <= most && s.out_deg <= 2.0, qPrintable(told));
            if (take != "carry-crate") QVERIFY2(s.mean_mm <= most && s.mean_deg <= 2.0, qPrintable(told));
        }
    }

    /// By the meshes: hands and forearms deeper than 2.5 cm in the body, as seldom as in the exact solve.
    void limbs_stay_out_of_the_body() {
        const LoadedFile source = take_of("bollard-sit");
        const LoadedFile body = test::demo_body("ferrier");
        const std::array<SkinGauge, 2> gauges{SkinGauge(body.character, Side::left),
                                              SkinGauge(body.character, Side::right)};
        const auto deep_in = [&](const Pose& pose) {
            const BodySkin skin = skin_of(body.character, pose);
            int deep = 0;
            for (const SkinGauge& gauge : gauges) deep += gauge.read(skin, 0.1).deepest_m > 0.025;
            return deep;
        };
        double fastest_m = 0.0;  // of any joint, from a frame to the next
        const auto streamed_deep = [&](bool is_cleared, int looks) {
            PairingSettings settings;
            settings.passes.clear = is_cleared;
            LiveSolve live(source.character, body.character, settings);
            int deep = 0;
            std::vector<Vec3> last;
            fastest_m = 0.0;
            streamed(
                *source.take, live,
                [&](int frame) {
                    if (frame % 6 == 0) deep += deep_in(live.target());
                    for (size_t j = 0; j < last.size(); ++j)
                        fastest_m = std::max(fastest_m, (live.target().p[j] - last[j]).norm());
                    last = live.target().p;
                },
                looks);
            return deep;
        };
        const TransferResult exact = transfer(source.character, *source.take, body.character, {});
        int exact_deep = 0;
        for (int f = 0; f < exact.target.frames; f += 6) exact_deep += deep_in(pose_of(exact.target, f));
        const int without = streamed_deep(false, 1), with = streamed_deep(true, 1);
        QVERIFY2(with <= exact_deep + 3 && 2 * with < without,
                 qPrintable(QString("%1 without, %2 with, %3 exact").arg(without).arg(with).arg(exact_deep)));
        // On a machine so slow that it looks four times a second: later, and without a leap.
        const double fast_m = fastest_m;
        const int seldom = streamed_deep(true, 30);
        QVERIFY2(seldom < without && fastest_m < 1.5 * fast_m,
                 qPrintable(QString("%1 deep, %2 m a frame, %3 m").arg(seldom).arg(fastest_m).arg(fast_m)));
    }

    void where_nothing_meets_nothing_changes() {
        const LoadedFile source = take_of("lantern-signal");
        const LoadedFile body = test::demo_body("performer");
        PairingSettings without;
        without.passes.clear = without.passes.hold = false;
        LiveSolve live(source.character, body.character, {}),
            plain(source.character, body.character, without);
        size_t frames = 0;
        std::vector<Pose> poses;
        streamed(*source.take, plain, [&](int) { poses.push_back(plain.target()); });
        streamed(*source.take, live, [&](int) {
            QVERIFY(live.target().p == poses[frames].p);
            ++frames;
        });
        QVERIFY(frames > 100);
    }

    /// Both hands stay as far apart as the exact solve has them while a crate is carried.
    void two_hands_keep_what_they_hold() {
        const LoadedFile source = take_of("carry-crate");
        const LoadedFile body = test::demo_body("dockhand");
        const TransferResult exact = transfer(source.character, *source.take, body.character, {});
        const int left = body.character.roles.joint("hand.left");
        const int right = body.character.roles.joint("hand.right");
        std::array<double, 2> worst_m{};
        for (const bool holds : {false, true}) {
            PairingSettings settings;
            settings.passes.hold = holds;
            LiveSolve live(source.character, body.character, settings);
            streamed(*source.take, live, [&](int frame) {
                if (frame < 400 || frame >= 1100) return;
                const double apart = (live.target().p[size_t(left)] - live.target().p[size_t(right)]).norm();
                const double wanted = (exact.target.p[exact.target.at(frame, left)] -
                                       exact.target.p[exact.target.at(frame, right)])
                                          .norm();
                worst_m[holds] = std::max(worst_m[holds], std::abs(apart - wanted));
                QVERIFY(!holds || live.things().are_held());
            });
        }
        QVERIFY2(worst_m[0] > 0.03 && worst_m[1] < 0.005,
                 qPrintable(QString("%1, then %2").arg(worst_m[0]).arg(worst_m[1])));
    }

    /// The root bone has the travel and heading that the exact solve gives it.
    void a_root_bone_carries_the_travel() {
        const LoadedFile source = take_of("quay-walk");
        const LoadedFile body = test::demo_body("dockhand");
        PairingSettings settings;
        settings.has_root_track = true;
        const TransferResult exact = transfer(source.character, *source.take, body.character, settings);
        LiveSolve live(source.character, body.character, settings);
        const int root = live.plan().program.body.root;
        QVERIFY(root >= 0);
        const Take& take = *source.take;
        for (int f = 0; f < 300; ++f) {
            live.add(f, f * take.frame_time_s, take, f);
            live.show(f * take.frame_time_s);
            const size_t at = exact.target.at(f, root);
            QVERIFY((live.target().p[size_t(root)] - exact.target.p[at]).norm() < 0.02);
            QVERIFY(rad_to_deg(angle_between(live.target().R[size_t(root)], exact.target.R[at])) < 2.0);
        }
    }

    void a_dogs_paws_stand() {
        const LoadedFile dog = test::demo_body("quay-dog");
        for (const char* take : {"dog-walk", "dog-trot"}) {
            const LoadedFile source = take_of(take);
            const Streamed s = Streaming(source, *source.take, dog, 0.05).result;
            QVERIFY(s.slide_p95 <= 0.5 && s.below_p95 <= 3.0 && s.mean_mm <= 5.0);
        }
    }

    /// Frames in any order before they are shown are the same as in theirs; what is shown already is not changed.
    void the_order_of_arrival_does_not_matter() {
        const LoadedFile source = take_of("quay-walk");
        const LoadedFile body = test::demo_body("dockhand");
        const Take& take = *source.take;
        LiveSolve a(source.character, body.character, {}), b(source.character, body.character, {});
        const auto add = [&](LiveSolve& to, int f) { return to.add(f, f * take.frame_time_s, take, f); };
        QVERIFY(add(a, 0) && add(b, 0));
        for (int f = 1; f + 5 < 200; f += 5) {
            for (int i = 0; i < 5; ++i) QVERIFY(add(a, f + i));
            for (const int i : {3, 0, 4, 1, 2}) QVERIFY(add(b, f + i));
            QVERIFY(!add(b, f + 2));  // twice
            for (int i = 0; i < 5; ++i) {
                const double t = (f + i) * take.frame_time_s;
                QCOMPARE(a.show(t), b.show(t));
                QVERIFY(a.target().p == b.target().p);
            }
            QVERIFY(!add(b, f));
        }
    }

    /// An offset dies away as the differential equation says: x'' = -2 w x' - w^2 x, here in small steps.
    void an_offset_dies_away_as_a_critically_damped_spring() {
        DyingOffset<Vec3> offset;
        offset.x = Vec3(0.03, -0.01, 0.0);
        offset.v = Vec3(0.0, 0.4, -0.2);
        Vec3 x = offset.x, v = offset.v;
        const double w = 28.0, h = 1e-6;
        for (int i = 0; i < 100000; ++i) {
            const Vec3 a = -2.0 * w * v - w * w * x;
            x += h * v + 0.5 * h * h * a;
            v += h * a;
        }
        for (int i = 0; i < 12; ++i) offset.step(0.1 / 12.0, w);
        QVERIFY((offset.x - x).norm() < 1e-5);
        QVERIFY((offset.v - v).norm() < 1e-3);
    }

    void figures_on_request() {
        if (!qEnvironmentVariableIsSet("NB_LIVE_FIGURES")) QSKIP("NB_LIVE_FIGURES=1 prints them");
        std::vector<std::pair<QString, LoadedFile>> targets;
        for (const char* name : crew) targets.emplace_back(name, test::demo_body(name));
        for (const QString& path : qEnvironmentVariable("NB_LIVE_RIGS").split(':', Qt::SkipEmptyParts))
            targets.emplace_back(path.section('/', -1), load_file(path.toStdString()));
        for (const char* name : {"01_01", "01_03", "quay-walk", "mole-steps", "haul-rope", "carry-crate",
                                 "bollard-sit", "lantern-signal", "boat-leap", "weary-watch"}) {
            const LoadedFile source = take_of(name);
            for (const auto& [target, body] : targets) {
                const Streamed s = Streaming(source, *source.take, body, 0.05).result;
                qInfo(
                    "%-14s %-12s off %5.1f mm %4.2f deg, %5.1f mm %4.2f deg | slide %.2f below %.1f most "
                    "%.1f | review: slide "
                    "%.2f edge %.1f "
                    "below %.1f jitter %.1f pops %d | %.0f us",
                    name, qPrintable(target), s.mean_mm, s.mean_deg, s.out_mm, s.out_deg, s.slide_p95,
                    s.below_p95, s.below_most, s.review.target_slide_cm_s.p95, s.review.target_edge_cm_s.p95,
                    s.review.below_mm.p95, s.review.worst_jitter(), s.review.pop_count(), s.us);
            }
        }
    }
};

NB_TEST(LiveSolveTest)
}  // namespace test_live_solve
#include "test_live_solve.moc"
