// Contacts: found in the takes (against the capture simulator's own labels and published gait text), held on
// unlike bodies (against the bars), edited and kept; and the hip problem against Ceres.
#include <QtTest>

#include <ceres/ceres.h>

#include <QTemporaryDir>
#include <fstream>

#include "core/base/fault.hpp"
#include "core/base/files.hpp"
#include "core/contact/contacts.hpp"
#include "core/documents/contacts.hpp"
#include "core/documents/take.hpp"
#include "core/library/library.hpp"
#include "core/math/banded.hpp"
#include "core/math/curves.hpp"
#include "core/motion/edit.hpp"
#include "core/motion/kinematics.hpp"
#include "core/review/bars.hpp"
#include "core/solve/give_way.hpp"
#include "tests/support/run_test.hpp"
#include "tests/support/test_rigs.hpp"

namespace test_contacts {

using namespace nb;
using namespace nb::test;

namespace {

const std::vector<std::string> walks{"quay-walk",   "mole-steps",  "haul-rope",
                                     "carry-crate", "bollard-sit", "lantern-signal"};
const std::vector<std::string> crew{"performer", "dockhand", "ferrier", "lamp-child", "net-mender"};

/// Frames in which the simulator says that a point stands; a sole is heel and ball.
std::vector<char> labelled(const std::string& take, const std::string& point, int frames) {
    std::vector<char> result(size_t(frames), 0);
    const std::string side = point.substr(point.find('.') + 1);
    const std::string part = point.substr(0, point.find('.'));
    for (const test::Label& label : test::labels_of(take)) {
        if (label.limb != side || (label.point != part && label.point != "sole")) continue;
        for (int f = label.first; f < std::min(frames, label.last); ++f) result[size_t(f)] = 1;
    }
    return result;
}

std::vector<char> held(const Contacts& contacts, const std::string& point, int frames) {
    std::vector<char> result(size_t(frames), 0);
    for (const Contact& contact : contacts.list)
        if (contact.point == point)
            for (int f = contact.first; f < contact.last; ++f) result[size_t(f)] = 1;
    return result;
}

double value_of(const std::vector<Bar>& bars, const std::string& name) {
    for (const Bar& bar : bars)
        if (bar.name == name) return bar.value;
    return 1e9;
}

/// |to - x| beyond the limit, of one frame.
struct Beyond {
    Vec3 to;
    double limit, weight;
    template <typename T>
    bool operator()(const T* x, T* residual) const {
        const T dx = T(to.x()) - x[0], dy = T(to.y()) - x[1], dz = T(to.z()) - x[2];
        const T over = ceres::sqrt(dx * dx + dy * dy + dz * dz) - T(limit);
        residual[0] = over > T(0) ? T(weight) * over : T(0);
        return true;
    }
};
struct Bend {
    double weight;
    template <typename T>
    bool operator()(const T* a, const T* b, const T* c, T* residual) const {
        for (int i = 0; i < 3; ++i) residual[i] = T(weight) * (a[i] - T(2) * b[i] + c[i]);
        return true;
    }
};
struct Size {
    template <typename T>
    bool operator()(const T* x, T* residual) const {
        for (int i = 0; i < 3; ++i) residual[i] = x[i];
        return true;
    }
};

}  // namespace

class ContactsTest : public QObject {
    Q_OBJECT

  private slots:
    void found_where_the_simulator_says() {
        // Precision and recall over all frames of both feet, heel and ball; the labels are the simulator's
        // own.
        int both = 0, found = 0, labelled_frames = 0;
        for (const std::string& name : walks) {
            const LoadedFile take = demo_take(name);
            const auto motion = forward_kinematics(take.character.rig.skeleton, *take.take);
            const Contacts contacts =
                find_contacts(take.character, motion, take.take->frame_time_s, take.take->first_motion_frame);
            if (!std::ifstream(demo("takes/" + name + ".labels.json")).good()) continue;
            for (const auto* point : {"heel.left", "ball.left", "heel.right", "ball.right"}) {
                const auto label = labelled(name, point, motion.frames);
                const auto hold = held(contacts, point, motion.frames);
                if (std::count(label.begin(), label.end(), 1) == 0) continue;  // no foot labels in this take
                for (int f = take.take->first_motion_frame; f < motion.frames; ++f) {
                    both += label[size_t(f)] && hold[size_t(f)];
                    found += hold[size_t(f)];
                    labelled_frames += label[size_t(f)];
                }
            }
        }
        QVERIFY(labelled_frames > 1000);
        const double precision = double(both) / found;
        const double recall = double(both) / labelled_frames;
        QVERIFY2(precision >= 0.95 && recall >= 0.95,
                 qPrintable(QString("precision %1, recall %2").arg(precision).arg(recall)));
    }
    void paws_are_found_where_the_simulator_says() {
        int both = 0, found = 0, labelled_frames = 0;
        for (const std::string name : {"dog-walk", "dog-trot"}) {
            const LoadedFile take = demo_take(name);
            const auto motion = forward_kinematics(take.character.rig.skeleton, *take.take);
            const Contacts contacts =
                find_contacts(take.character, motion, take.take->frame_time_s, take.take->first_motion_frame);
            for (const std::string end : {"fore", "hind"})
                for (const std::string side : {".left", ".right"}) {
                    // The labels call the limb "fore.left" and its point "paw".
                    std::vector<char> label(size_t(motion.frames), 0);
                    for (const test::Label& one : test::labels_of(name))
                        if (one.limb == end + side)
                            for (int f = one.first; f < std::min(motion.frames, one.last); ++f)
                                label[size_t(f)] = 1;
                    const auto hold = held(contacts, end + "paw" + side, motion.frames);
                    for (int f = take.take->first_motion_frame; f < motion.frames; ++f) {
                        both += label[size_t(f)] && hold[size_t(f)];
                        found += hold[size_t(f)];
                        labelled_frames += label[size_t(f)];
                    }
                }
        }
        const double precision = double(both) / found;
        const double recall = double(both) / labelled_frames;
        QVERIFY2(precision >= 0.95 && recall >= 0.95,
                 qPrintable(QString("precision %1, recall %2").arg(precision).arg(recall)));
    }
    void a_foot_stands_for_about_three_fifths_of_a_stride() {
        // Perry, Gait Analysis (from memory): stance about 60 % of the walking cycle. Between the first heel
        // strike and the last one whole strides were taken.
        const LoadedFile take = demo_take("quay-walk");
        const auto motion = forward_kinematics(take.character.rig.skeleton, *take.take);
        const Contacts contacts = find_contacts(take.character, motion, take.take->frame_time_s, 0);
        const auto heel = held(contacts, "heel.left", motion.frames);
        const auto ball = held(contacts, "ball.left", motion.frames);
        std::vector<int> strikes;
        for (int f = 1; f < motion.frames; ++f)
            if (heel[size_t(f)] && !heel[size_t(f - 1)] && !ball[size_t(f - 1)]) strikes.push_back(f);
        QVERIFY(strikes.size() >= 4);
        int stands = 0;
        for (int f = strikes.front(); f < strikes[3]; ++f) stands += heel[size_t(f)] || ball[size_t(f)];
        const double share = double(stands) / (strikes[3] - strikes.front());
        QVERIFY2(share > 0.54 && share < 0.68, qPrintable(QString::number(share)));
    }
    void steps_are_levels() {
        // The steps of the demo's mole are made 0.17 m high (docs of the set); levels follow them.
        const LoadedFile take = demo_take("mole-steps");
        const auto motion = forward_kinematics(take.character.rig.skeleton, *take.take);
        const Floor floor = find_floor(take.character, motion, take.take->frame_time_s, 0);
        QVERIFY(floor.levels_m.size() >= 4);
        const double rise = floor.levels_m[2] - floor.levels_m[1];
        for (size_t i = 1; i < floor.levels_m.size(); ++i)
            QVERIFY(std::abs(floor.levels_m[i] - floor.levels_m[i - 1] - rise) < 0.01);
        // 01_03 of assimp-testmodels climbs: its feet stand at several heights.
        const LoadedFile climb = load_file(capture("01_03.bvh"));
        const auto climbing = forward_kinematics(climb.character.rig.skeleton, *climb.take);
        QVERIFY(find_floor(climb.character, climbing, climb.take->frame_time_s, 1).levels_m.size() >= 3);
    }

    void held_feet_keep_the_bars_data() {
        QTest::addColumn<QString>("take");
        for (const auto* name :
             {"quay-walk", "mole-steps", "haul-rope", "carry-crate", "bollard-sit", "lantern-signal",
              "weary-watch", "limbering", "01_01", "01_03", "Boxing_Toes"})
            QTest::newRow(name) << QString(name);
    }
    void held_feet_keep_the_bars() {
        QFETCH(QString, take);
        const bool is_capture = take.startsWith("01_") || take == "Boxing_Toes";
        const LoadedFile source =
            is_capture ? load_file(capture(take.toStdString() + ".bvh")) : demo_take(take.toStdString());
        for (const std::string& name : crew) {
            const LoadedFile target = demo_body(name);
            const TransferResult result = carry(source, target);
            const Review review = review_result(source.character, target.character, result);
            for (const Bar& bar : bars_of(review, result, {})) {
                QVERIFY2(bar.is_met(), qPrintable(QString("%1 onto %2: %3 is %4, bar %5")
                                                      .arg(take, QString::fromStdString(name),
                                                           QString::fromStdString(bar.name))
                                                      .arg(bar.value)
                                                      .arg(bar.bar)));
            }
        }
    }
    void without_contacts_the_bars_are_missed() {
        // The bars can fail: with the pass left out a foot slides as the proportions make it.
        const LoadedFile source = load_file(capture("01_01.bvh"));
        const LoadedFile target = demo_body("dockhand");
        PairingSettings settings;
        settings.passes.contacts = false;
        const TransferResult result = carry(source, target, settings);
        const auto bars =
            bars_of(review_result(source.character, target.character, result), result, settings);
        QVERIFY(value_of(bars, "slide_core_p95_cm_s") > 5.0);
        QVERIFY(value_of(bars, "below_floor_max_mm") > 20.0);
        QVERIFY(result.corrections.is_empty());
    }
    void what_a_person_asked_for_counts_against_no_bar() {
        const LoadedFile source = demo_take("quay-walk");
        const LoadedFile target = demo_body("ferrier");
        const auto bars_with = [&](const PairingSettings& settings) {
            const TransferResult result = carry(source, target, settings);
            return bars_of(review_result(source.character, target.character, result), result, settings);
        };
        // Elbows turned out by 20 degrees: the bones of that arm point aside, as they should.
        PairingSettings turned;
        turned.chains["arm.left"].carry = Carry::limb;
        turned.chains["arm.left"].pole_rad = deg_to_rad(20.0);
        QVERIFY(value_of(bars_with(turned), "direction_max_deg") < 2.0);
        // The same bones aside with nobody having asked for it.
        PairingSettings plain;
        const TransferResult straight = carry(source, target, plain);
        Review review = review_result(source.character, target.character, straight);
        for (ReviewSeries& series : review.series)
            if (series.measure == ReviewMeasure::direction && series.row == "upperarm.left")
                for (float& value : series.values) value = 20.0f;
        QVERIFY(value_of(bars_of(review, straight, plain), "direction_p95_deg") > 19.0);
        // Lengths that follow are told and do not count; lengths that change by themselves do.
        review.bone_length_change = 0.02;
        const auto is_met = [&](const TransferResult& result, const PairingSettings& settings) {
            for (const Bar& bar : bars_of(review, result, settings))
                if (bar.name == "bone_length_change") return bar.is_met();
            return false;
        };
        QVERIFY(!is_met(straight, plain));
        PairingSettings longer;
        longer.chains["spine"].length_share = 1.0;
        QVERIFY(is_met(carry(source, target, longer), longer));
    }
    void a_held_hand_is_no_arm_that_points_aside() {
        LoadedFile source = demo_take("quay-walk");
        const LoadedFile target = demo_body("dockhand");
        Contacts contacts = carry(source, target).contacts;
        contacts.is_by_hand = true;
        // Held in the air over half a second of the walk: the arm is drawn far back.
        contacts.list.push_back({"wrist.left", 240, 270, ContactKind::stay});
        source.take->contacts = contacts;
        const TransferResult result = carry(source, target);
        const Review review = review_result(source.character, target.character, result);
        const ReviewSeries* upper = review.find_series(ReviewMeasure::direction, "upperarm.left");
        const float aside = *std::max_element(upper->values.begin() + 240, upper->values.begin() + 270);
        QVERIFY2(aside > 5.0f, qPrintable(QString::number(double(aside))));
        QVERIFY(value_of(bars_of(review, result, {}), "direction_max_deg") < double(aside));
    }
    void any_number_of_threads_holds_the_same() {
        const LoadedFile source = demo_take("mole-steps");
        const LoadedFile target = demo_body("net-mender");
        const TransferResult one = transfer(source.character, *source.take, target.character, {}, 1);
        const TransferResult two = transfer(source.character, *source.take, target.character, {}, 2);
        for (size_t i = 0; i < one.target.p.size(); ++i)
            QVERIFY(one.target.p[i] == two.target.p[i] &&
                    one.target.R[i].coeffs() == two.target.R[i].coeffs());
    }

    void a_contact_that_is_taken_away_lets_the_foot_go() {
        LoadedFile source = demo_take("quay-walk");
        const LoadedFile target = demo_body("dockhand");
        const TransferResult before = carry(source, target);
        Contacts contacts = before.contacts;
        contacts.is_by_hand = true;
        contacts.list.erase(std::remove_if(contacts.list.begin(), contacts.list.end(),
                                           [](const Contact& c) { return c.point.ends_with(".left"); }),
                            contacts.list.end());
        source.take->contacts = contacts;
        const TransferResult after = carry(source, target);
        const auto holds = [&](size_t limb) {
            const auto& hold = after.corrections.limbs[limb].hold;
            return std::any_of(hold.begin(), hold.end(), [](double h) { return h > 0.0; });
        };
        QVERIFY(!holds(0) && holds(1));
        const auto bars = bars_of(review_result(source.character, target.character, after), after, {});
        QVERIFY(value_of(bars, "window_cover") < 0.7);
    }
    void a_contact_drawn_by_hand_holds_a_foot_in_the_air() {
        // The other foot of a stride, held while the source swings it: it does not move at all.
        LoadedFile source = demo_take("quay-walk");
        const LoadedFile target = demo_body("ferrier");
        Contacts contacts = carry(source, target).contacts;
        contacts.is_by_hand = true;
        const auto& list = contacts.list;
        const auto first =
            std::find_if(list.begin(), list.end(), [](const Contact& c) { return c.point == "ball.left"; });
        const int from = first->last + 6;
        Contact drawn;
        drawn.point = "ball.left";
        drawn.first = from;
        drawn.last = from + 12;
        drawn.kind = ContactKind::pivot;
        contacts.list.push_back(drawn);
        tidy_contacts(contacts, source.take->frames);
        source.take->contacts = contacts;
        const TransferResult result = carry(source, target);
        const Sole sole = result.plan.program.ends[0].sole;
        const Vec3 place = sole.point(FootPoint::ball, result.target, from);
        for (int f = from; f < from + 12; ++f)
            QVERIFY((sole.point(FootPoint::ball, result.target, f) - place).norm() < 1e-3);
        QVERIFY(std::abs(place.y()) < 1e-3);
        QVERIFY((sole.point(FootPoint::ball, result.source, from + 11) -
                 sole.point(FootPoint::ball, result.source, from))
                    .norm() > 0.1);
    }
    void kept_in_the_take_document_and_read_back() {
        QTemporaryDir folder;
        const std::string path = folder.filePath("quay-walk.take.json").toStdString();
        QFile::copy(QString::fromStdString(demo("takes/quay-walk.bvh")), folder.filePath("quay-walk.bvh"));
        LoadedFile take = load_file(folder.filePath("quay-walk.bvh").toStdString());
        Contacts contacts;
        contacts.is_by_hand = true;
        contacts.floor.levels_m = {0.0};
        contacts.are_touches_by_hand = true;
        contacts.list = {{"ball.left", 10, 30, ContactKind::pivot, 0.0},
                         {"heel.right", 40, 60, ContactKind::slide, 0.17},
                         {"palm.left", 12, 50, ContactKind::stay, 0.0, "hips"},
                         {"tips.right", 20, 60, ContactKind::slide, 0.0, "crate", true}};
        set_contacts_in_file(take, contacts_to_file(contacts, take));
        write_file(path, format_document(changed_take_document(take, path)));
        std::vector<std::string> notes;
        const LoadedFile back = load_take(path, "", notes);
        QVERIFY(back.take->contacts == contacts);
        // Trimmed and resampled: the same moments.
        const Take later = trim(*back.take, 20, 100);
        QCOMPARE(later.contacts.list.front().first, 0);
        QCOMPARE(later.contacts.list.front().last, 10);
        const Take half = resample(*back.take, back.take->nominal_fps() / 2.0);
        QCOMPARE(half.contacts.list.at(1).first, 20);
        QCOMPARE(half.contacts.list.back().first, 10);
        Json no_list = read_document(path, "take");
        no_list["contacts"] = Json::object();
        QVERIFY_THROWS_EXCEPTION(FileError, read_contacts(no_list, path, back));
        // Broken lists are one line that says which contact.
        for (const auto& [from, to] :
             {std::pair{"\"pivot\"", "\"glued\""}, std::pair{"\"ball.left\"", "\"nose\""},
              std::pair{"\"first\": 10", "\"first\": 90"}, std::pair{"\"last\": 60", "\"last\": \"end\""},
              std::pair{"\"on\": \"hips\"", "\"by\": \"hips\""},
              std::pair{"\"tips.right\"", "\"ball.right\""}}) {
            QFile file(QString::fromStdString(path));
            QVERIFY(file.open(QFile::ReadOnly));
            QByteArray text = file.readAll();
            file.close();
            QVERIFY(text.contains(from));
            text.replace(from, to);
            const std::string broken = folder.filePath("broken.take.json").toStdString();
            write_file(broken, text.toStdString());
            try {
                load_take(broken, "", notes);
                QFAIL("a broken contact was read");
            } catch (const FileError& error) {
                QVERIFY(std::string(error.what()).find("contact") != std::string::npos);
                QVERIFY(std::string(error.what()).find('\n') == std::string::npos);
            }
        }
    }

    void hips_sink_by_what_is_missing() {
        // By hand: one leg straight down, 3 cm too short for a whole second: the hips sink by 3 cm.
        std::vector<HeldReach> reaches;
        for (int f = 60; f < 180; ++f) reaches.push_back({f, Vec3(0, -0.93, 0), 0.90});
        const auto x = give_way(240, 1.0 / 60.0, reaches);
        for (int f = 61; f < 179; ++f) QVERIFY((x[size_t(f)] - Vec3(0, -0.03, 0)).norm() < 2e-3);
        QVERIFY(x[20].norm() < 1e-3);
        for (const Vec3& at : give_way(240, 1.0 / 60.0, {{30, Vec3(0, -0.9, 0), 0.9}}))
            QVERIFY(at == Vec3::Zero());
    }
    void hip_problem_against_ceres() {
        // The same cost, minimised by Ceres' trust region with derivatives of its own. 40 frames, two feet.
        constexpr int frames = 40;
        const double dt = 1.0 / 30.0;
        GiveWay how;
        how.penalty = 1e4;
        std::mt19937_64 random(7);
        std::uniform_real_distribution<double> any(-1.0, 1.0);
        std::vector<HeldReach> reaches;
        for (int f = 8; f < 32; ++f)
            for (const double side : {-0.1, 0.1})
                if (f < 22 || side > 0)
                    reaches.push_back(
                        {f, Vec3(side + 0.02 * any(random), -0.9 + 0.03 * any(random), 0.2 * any(random)),
                         0.88});
        const auto mine = give_way(frames, dt, reaches, how);
        std::vector<std::array<double, 3>> x(frames, {0.0, 0.0, 0.0});
        ceres::Problem problem;
        const double smooth = std::pow(how.tau_s / dt, 2);  // its square weighs the square
        for (int f = 0; f < frames; ++f) {
            problem.AddResidualBlock(new ceres::AutoDiffCostFunction<Size, 3, 3>(new Size), nullptr,
                                     x[size_t(f)].data());
            if (f > 0 && f + 1 < frames)
                problem.AddResidualBlock(new ceres::AutoDiffCostFunction<Bend, 3, 3, 3, 3>(new Bend{smooth}),
                                         nullptr, x[size_t(f - 1)].data(), x[size_t(f)].data(),
                                         x[size_t(f + 1)].data());
        }
        for (const HeldReach& reach : reaches)
            problem.AddResidualBlock(new ceres::AutoDiffCostFunction<Beyond, 1, 3>(
                                         new Beyond{reach.to, reach.limit_m, std::sqrt(how.penalty)}),
                                     nullptr, x[size_t(reach.frame)].data());
        ceres::Solver::Options options;
        options.max_num_iterations = 500;
        options.function_tolerance = 1e-16;
        options.gradient_tolerance = 1e-14;
        options.parameter_tolerance = 1e-14;
        options.logging_type = ceres::SILENT;
        ceres::Solver::Summary summary;
        ceres::Solve(options, &problem, &summary);
        double largest = 0.0;
        for (int f = 0; f < frames; ++f) {
            const Vec3 theirs(x[size_t(f)][0], x[size_t(f)][1], x[size_t(f)][2]);
            largest = std::max(largest, theirs.norm());
            QVERIFY2(
                (mine[size_t(f)] - theirs).norm() < 2e-5,
                qPrintable(QString("frame %1: %2 m apart").arg(f).arg((mine[size_t(f)] - theirs).norm())));
        }
        QVERIFY(largest > 0.01);
    }
    void banded_solve_against_eigen() {
        std::mt19937_64 random(3);
        std::uniform_real_distribution<double> any(-1.0, 1.0);
        constexpr int n = 30, half = 4;
        Eigen::MatrixXd L = Eigen::MatrixXd::Zero(n, n);
        for (int i = 0; i < n; ++i)
            for (int j = std::max(0, i - half); j <= i; ++j)
                L(i, j) = i == j ? 2.0 + any(random) : any(random);
        const Eigen::MatrixXd A = L * L.transpose();
        Eigen::VectorXd b(n);
        for (int i = 0; i < n; ++i) b[i] = any(random);
        std::vector<double> band(size_t(n * (half + 1)), 0.0);
        std::vector<double> x(b.data(), b.data() + n);
        for (int i = 0; i < n; ++i)
            for (int j = std::max(0, i - half); j <= i; ++j)
                band[size_t(i * (half + 1) + j - i + half)] = A(i, j);
        solve_banded(band, half, x);
        const Eigen::VectorXd theirs = A.ldlt().solve(b);
        for (int i = 0; i < n; ++i)
            QVERIFY(std::abs(x[size_t(i)] - theirs[i]) < 1e-9 * (1.0 + std::abs(theirs[i])));
    }
    void gaps_are_filled_without_a_kink() {
        // Given frames of a line: what lies between is the same line (a cubic through both ends and slopes).
        std::vector<Vec3> values(60, Vec3::Zero());
        std::vector<char> given(60, 0);
        for (int f = 0; f < 60; ++f)
            if (f < 20 || f >= 40) {
                values[size_t(f)] = Vec3(0.1 * f, -0.05 * f, 0);
                given[size_t(f)] = 1;
            }
        auto filled = values;
        fill_between(filled, given, 15, 1.0);
        for (int f = 20; f < 40; ++f)
            QVERIFY((filled[size_t(f)] - Vec3(0.1 * f, -0.05 * f, 0)).norm() < 1e-12);
        // A long gap goes to zero and comes back; steps stay small.
        fill_between(values, given, 5, 1.0);
        QVERIFY(values[30].norm() == 0.0);
        const auto weights = eased_weights(given, 10);
        QVERIFY(weights[19] == 1.0 && weights[30] == 0.0 && weights[22] < 1.0 && weights[22] > 0.5);
        const auto cover = smooth_cover({0, 0, 0, 0, 0, 0, 1, 0, 0, 0, 0, 0, 0}, 1);
        QVERIFY(cover[6] == 1.0 && cover[4] > 0.0 && cover[4] < 1.0);
    }
};

NB_TEST(ContactsTest)
}  // namespace test_contacts
#include "test_contacts.moc"
