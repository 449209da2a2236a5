// The skin of a body as radii about its bones, part by part.
//
// A part is a bone b up to its next joint c. Its frame F at the aligned rest: z along c - b, x where the body
// faces made square to z (feet: up), y = z x x; it goes with the bone. So the same angle about z means the same
// side of the body on any rig, and a place is told by
//
//   s      along the bone, 0 at b, 1 at c; of hips, chest, head and foot from end to end of their own skin
//   phi    about it, from x toward y, rad
//   cap    beyond an end, where s is held at 0 or 1: the angle at which it lies past that end, rad; 0 beside the bone
//   h      height over the skin, m: rho - r(s, phi), at an end beyond the half-ellipsoid of radii r and its own depth
//
// r is read from the mesh at the aligned rest: triangles of which a corner's largest weight belongs to the bone or to what hangs
// on it and is no part, by rays on a grid of 12 in s by 24 in phi (core/surface/rays.hpp); between cells cubic (Catmull-Rom), so
// that places go along smoothly. Clothes are body; things in hands are not. Without a mesh: breadths and depths by stature
// (core/surface/breadths.hpp).
//
// Source: surface coordinates that keep a self-contact across bodies, Molla, Debarba, Boulic, Egocentric mapping of
// body surface constraints, IEEE TVCG 2018 (from memory).
#pragma once
#include <algorithm>
#include <array>
#include <cmath>
#include <functional>
#include <memory>
#include <mutex>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "core/rest/character.hpp"

namespace nb {

struct SurfacePlace {
    double s = 0.0, phi = 0.0, cap = 0.0, h = 0.0;
};

struct PartSurface {
    static constexpr int rows = 12, columns = 24;

    std::string role;
    int joint = -1;
    Rigid X_JF;  ///< the part's frame in its joint's
    double length_m = 0.0;
    double before_m = 0.0;                                     ///< by which it begins before its bone
    std::array<std::array<double, columns>, rows> radius_m{};  ///< at the middles of cells
    std::array<double, 2> cap_m{};  ///< depth of the half-ellipsoid at s = 0 and s = 1
    /// The same with what lies beside each cell next to it: a row before and after, a column before and two after.
    std::array<std::array<double, columns + 3>, rows + 2> around_m{};
    double mean_radius_m = 0.0, widest_m = 0.0;
    std::array<std::array<double, 8>, rows - 1> widest_there_m{};  ///< between two rows, in an eighth round
    static constexpr size_t most_samples = 48;
    std::vector<Vec3>
        samples_F;  ///< of hands, and forearms toward the wrist: points all over the skin, in the part's frame, m
    bool is_from_mesh = false;

    Rigid frame(const Quat& R_WJ, const Vec3& p_WJ) const { return Rigid{R_WJ, p_WJ} * X_JF; }
    double radius(double s, double phi) const;
    /// Of a point in the part's frame, m.
    SurfacePlace place(const Vec3& u_F) const;
    /// h of `place` alone, m.
    double height(const Vec3& u_F) const;
    Vec3 point(const SurfacePlace& place) const;
    /// Out of the skin, and along it: columns normal, round the bone, and square to both; in the part's frame.
    Mat3 lie(const SurfacePlace& place) const;
    /// Less than this a point cannot be over the skin; cheap.
    double at_least_over(const Vec3& u_F) const {
        const double along = std::max({0.0, -u_F.z(), u_F.z() - length_m});
        return std::sqrt(u_F.head<2>().squaredNorm() + along * along) - widest_m;
    }
    /// The same by how wide the part is there; closer, and still a fraction of what `height` costs.
    double at_least_over_there(const Vec3& u_F) const {
        double wide = widest_there_m[size_t(row_of(u_F.z() / length_m).first)][eighth_of(u_F.x(), u_F.y())];
        const double beyond = std::max({0.0, -u_F.z(), u_F.z() - length_m});
        if (beyond > 0.0) wide = std::max(wide, cap_m[u_F.z() > 0.5 * length_m ? 1 : 0]);
        return std::sqrt(u_F.head<2>().squaredNorm() + beyond * beyond) - wide;
    }
    /// Rows between which a share of the length lies: the first of them, and how far past it.
    static std::pair<int, double> row_of(double s) {
        const double row = std::clamp(s * rows - 0.5, 0.0, rows - 1.0);
        const int r = std::min(int(row), rows - 2);
        return {r, row - r};
    }
    /// Which eighth round a point lies in, in no order of angles.
    static size_t eighth_of(double x, double y) {
        return (x < 0.0 ? 1U : 0U) + (y < 0.0 ? 2U : 0U) + (std::abs(y) > std::abs(x) ? 4U : 0U);
    }
    /// What is told of all radii, once they are known.
    void sum_up();
};

struct BodySurface {
    std::vector<PartSurface> parts;
    bool is_from_mesh = false;
    double stature_m = 0.0;

    const PartSurface* part(std::string_view role) const;
};

/// A surface that is read when it is first asked for, once, whoever asks.
class LaterSurface {
  public:
    explicit LaterSurface(std::function<BodySurface()> read) : read_(std::move(read)) {}
    const BodySurface& get() const {
        std::call_once(once_, [this] { surface_ = read_(); });
        return surface_;
    }

  private:
    std::function<BodySurface()> read_;
    mutable std::once_flag once_;
    mutable BodySurface surface_;
};

/// Whether a role's part is of the trunk, which bodies have in unlike many bones: hips, spine, chest.
bool is_trunk(std::string_view role);
/// Whether it is of the arm of that side: upper arm, forearm, hand.
bool is_of_arm(std::string_view role, Side side);

/// The alignment in which skins are read: the one in force when that is a T, else the T as it was found, so that a body
/// has the same skin whatever stance it was aligned in.
const RestAlignment& rest_of_skin(const Character& character);

/// From its meshes, else by `Character::skin` (parts of the same role, by stature), else by breadths. Needs the aligned
/// rest; empty without one, or for a body without hips. Of large meshes about 20,000 vertices are looked at.
BodySurface surface_of(const Character& character);

}  // namespace nb
