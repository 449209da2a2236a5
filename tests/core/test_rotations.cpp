// Rotations against scipy (tests/reference/rotations.json, made by make_rotations.py), and the choice of
// Euler angles (property 9) against trying all equal triples.
#include <QtTest>

#include <nlohmann/json.hpp>

#include "core/base/files.hpp"
#include "core/math/quick_atan2.hpp"
#include "core/math/rotation.hpp"
#include "core/math/turn_between.hpp"
#include "tests/support/run_test.hpp"
#include "tests/support/test_rigs.hpp"

namespace test_rotations {

using namespace nb;
using Reference = nlohmann::json;

namespace {

const Reference& reference() {
    static const Reference document =
        Reference::parse(read_file(std::string(NB_SOURCE_DIR) + "/tests/reference/rotations.json"));
    return document;
}
Quat quat(const Reference& v) {
    return {v[3].get<double>(), v[0].get<double>(), v[1].get<double>(), v[2].get<double>()};
}
Vec3 vec(const Reference& v) {
    return {v[0].get<double>(), v[1].get<double>(), v[2].get<double>()};
}
/// Distance of rotations by their quaternions, sign left out.
double apart(const Quat& a, const Quat& b) {
    return std::min((a.coeffs() - b.coeffs()).norm(), (a.coeffs() + b.coeffs()).norm());
}
Vec3 radians(const Vec3& degrees) {
    return degrees * pi / 180.0;
}

/// All triples equal to `angles`: both branches, each angle within two turns of `around`.
std::vector<Vec3> equal_triples(const Vec3& angles, const Vec3& around) {
    std::vector<Vec3> result;
    for (const Vec3& branch : {angles, Vec3(angles[0] + pi, pi - angles[1], angles[2] + pi)})
        for (int i = -2; i <= 2; ++i)
            for (int j = -2; j <= 2; ++j)
                for (int k = -2; k <= 2; ++k) {
                    Vec3 shifted = branch;
                    for (int axis = 0; axis < 3; ++axis)
                        shifted[axis] += 2 * pi * std::round((around[axis] - branch[axis]) / (2 * pi));
                    result.push_back(shifted + 2 * pi * Vec3(i, j, k));
                }
    return result;
}

}  // namespace

class RotationsTest : public QObject {
    Q_OBJECT

  private slots:
    void rotation_vectors() {
        for (const auto& row : reference()["exp"]) {
            const Vec3 w = vec(row["vector"]);
            QVERIFY(apart(exp_rotation(w), quat(row["xyzw"])) < 1e-14);
            QVERIFY((log_rotation(quat(row["xyzw"])) - w).norm() < 1e-13 + 1e-15 * w.norm());
        }
    }
    void euler_angles() {
        for (const auto& row : reference()["euler"]) {
            EulerOrder order;
            for (size_t i = 0; i < 3; ++i) order.axis[i] = row["order"].get<std::string>()[i] - 'X';
            const Quat R = from_euler(order, radians(vec(row["degrees"])));
            QVERIFY(apart(R, quat(row["xyzw"])) < 1e-14);
            const Mat3 matrix = R.toRotationMatrix();
            for (int i = 0; i < 9; ++i)
                QVERIFY(std::abs(matrix(i / 3, i % 3) - row["matrix"][size_t(i)].get<double>()) < 1e-14);
        }
    }
    void products_and_angles() {
        for (const auto& row : reference()["product"]) {
            const Quat a = quat(row["a"]);
            const Quat b = quat(row["b"]);
            QVERIFY(apart(a * b, quat(row["xyzw"])) < 1e-14);
            QVERIFY(std::abs(angle_between(a, b) - row["magnitude"].get<double>()) < 1e-13);
        }
    }
    void geodesics() {
        for (const auto& row : reference()["slerp"])
            QVERIFY(apart(interpolate(quat(row["a"]), quat(row["b"]), row["u"]), quat(row["xyzw"])) < 1e-13);
    }
    void shortest_arcs() {
        for (const auto& row : reference()["arc"])
            QVERIFY(apart(shortest_arc(vec(row["from"]), vec(row["to"])), quat(row["xyzw"])) < 1e-13);
    }
    void swings_and_twists() {
        for (const auto& row : reference()["swing"]) {
            const auto parts = swing_twist(quat(row["xyzw"]), vec(row["axis"]));
            QVERIFY(apart(parts.swing, quat(row["swing_xyzw"])) < 1e-12);
            QVERIFY(std::abs(twist_angle(quat(row["xyzw"]), vec(row["axis"])) - row["twist"].get<double>()) <
                    1e-12);
            QVERIFY(apart(parts.swing * parts.twist, quat(row["xyzw"])) < 1e-13);
        }
    }
    void opposite_directions_turn_about_the_fallback() {
        const Quat R = shortest_arc(Vec3::UnitX(), -Vec3::UnitX(), Vec3::UnitY());
        QVERIFY((R * Vec3(Vec3::UnitX()) + Vec3(Vec3::UnitX())).norm() < 1e-12);
        QVERIFY((R * Vec3(Vec3::UnitY()) - Vec3(Vec3::UnitY())).norm() < 1e-12);
    }
    void no_rotation_is_exact() {
        QCOMPARE(log_rotation(Quat::Identity()).norm(), 0.0);
        QCOMPARE(exp_rotation(Vec3::Zero()).w(), 1.0);
    }

    void written_angles_are_the_nearest() {  // property 9
        test::Random random(3);
        std::uniform_real_distribution<double> angle(-pi, pi);
        for (int n = 0; n < 3000; ++n) {
            EulerOrder order;
            const std::array<std::array<int, 3>, 6> orders{
                {{0, 1, 2}, {0, 2, 1}, {1, 0, 2}, {1, 2, 0}, {2, 0, 1}, {2, 1, 0}}};
            order.axis = orders[size_t(n % 6)];
            const Vec3 angles(angle(random), angle(random), angle(random));
            if (std::abs(std::cos(angles[1])) < std::sin(deg_to_rad(1.0))) continue;
            const Vec3 previous = 3.0 * Vec3(angle(random), angle(random), angle(random));
            const Vec3 chosen =
                to_euler_nearest(from_euler(order, angles).toRotationMatrix(), order, previous);
            QVERIFY(apart(from_euler(order, chosen), from_euler(order, angles)) < 1e-12);
            for (const Vec3& other : equal_triples(angles, previous))
                QVERIFY((chosen - previous).squaredNorm() <= (other - previous).squaredNorm() + 1e-9);
        }
    }
    void near_the_pole_the_largest_step_is_least() {  // property 9, within 1 degree
        test::Random random(4);
        std::uniform_real_distribution<double> angle(-pi, pi);
        std::uniform_real_distribution<double> off(-deg_to_rad(0.9), deg_to_rad(0.9));
        for (int n = 0; n < 2000; ++n) {
            const EulerOrder order{{2, 0, 1}};
            const Vec3 angles(angle(random), (n % 2 ? 1 : -1) * (pi / 2 + off(random)), angle(random));
            const Vec3 previous(angle(random), angles[1], angle(random));
            const Vec3 chosen =
                to_euler_nearest(from_euler(order, angles).toRotationMatrix(), order, previous);
            QVERIFY(apart(from_euler(order, chosen), from_euler(order, angles)) < 1e-9);
            for (const Vec3& other : equal_triples(angles, previous))
                QVERIFY((chosen - previous).cwiseAbs().maxCoeff() <=
                        (other - previous).cwiseAbs().maxCoeff() + 1e-7);
        }
    }
    void at_the_pole_the_change_is_split_evenly() {  // property 9, the pole itself
        const EulerOrder order{{2, 0, 1}};
        const Vec3 before(0.3, pi / 2, -0.4);
        const Mat3 R = from_euler(order, {0.5, pi / 2, -0.4}).toRotationMatrix();
        const Vec3 chosen = to_euler_nearest(R, order, before);
        QVERIFY(std::abs(std::abs(chosen[0] - before[0]) - 0.1) < 1e-6);
        QVERIFY(std::abs(std::abs(chosen[2] - before[2]) - 0.1) < 1e-6);
    }

    /// Beside the C library's, to 1e-12 rad: all round, near the axes, at them and at the origin.
    void quick_angles_are_those_of_the_library() {
        for (int i = 0; i < 200000; ++i) {
            const double phi = i * 2.0 * pi / 200000.0, r = i % 3 == 0 ? 1e-9 : i % 3 == 1 ? 0.1 : 1e6;
            const double y = r * std::sin(phi), x = r * std::cos(phi);
            QVERIFY(std::abs(quick_atan2(y, x) - std::atan2(y, x)) < 1e-12);
        }
        for (const double y : {-1.0, -1e-300, 0.0, 1e-300, 1.0})
            for (const double x : {-1.0, -1e-300, 0.0, 1e-300, 1.0})
                QVERIFY(std::abs(quick_atan2(y, x) - std::atan2(y, x)) < 1e-12);
    }
    void points_are_turned_onto_others() {
        for (int seed = 1; seed <= 20; ++seed) {
            test::Random random{std::uint64_t(seed)};
            const auto point = [&] {
                return Vec3(test::uniform(random, -1, 1), test::uniform(random, -1, 1),
                            test::uniform(random, -1, 1));
            };
            const Quat turn = exp_rotation(2.5 * point());
            std::vector<Vec3> was, is, mirror;
            for (int i = 0; i < 5; ++i) {
                was.push_back(point());
                is.push_back(turn * was.back());
                mirror.push_back(Vec3(-was.back().x(), was.back().y(), was.back().z()));
            }
            QVERIFY(angle_between(turn_between(was, is), turn) < 1e-7);
            // One far off, hardly weighed.
            is[0] += Vec3(5.0, 0.0, 0.0);
            QVERIFY(angle_between(turn_between(was, is, {1e-9, 1.0, 1.0, 1.0, 1.0}), turn) < 1e-6);
            QVERIFY(std::abs(turn_between(was, mirror).toRotationMatrix().determinant() - 1.0) < 1e-9);
            // On one line: the least turn.
            const Vec3 a = point(), b = point();
            const Quat least = turn_between({a, 2.0 * a}, {b, 2.0 * b});
            QVERIFY(angle_between(least, shortest_arc(a, b)) < 1e-7);
        }
        QVERIFY(turn_between({}, {}).isApprox(Quat::Identity()));
    }
};

NB_TEST(RotationsTest)
}  // namespace test_rotations
#include "test_rotations.moc"
