// How far a hand is off the own skin in a pose, by the mesh itself: vertices against triangles, nothing of the
// surfaces the solve goes by (core/surface).
#pragma once
#include <array>
#include <compare>
#include <cstdint>
#include <span>
#include <utility>
#include <vector>

#include "core/math/triangle_patches.hpp"
#include "core/rest/character.hpp"

namespace nb {

/// All vertices of a body's meshes, m.
using BodySkin = std::vector<std::vector<Vec3>>;
/// `which`: by mesh and vertex, those that are asked for (null: all); the others are at zero.
BodySkin skin_of(const Character& character, const Pose& pose,
                 const std::vector<std::vector<char>>* which = nullptr);

/// A vertex of a body's meshes.
struct SkinCorner {
    std::uint32_t mesh, vertex;
    auto operator<=>(const SkinCorner&) const = default;
};
/// All triangles of skinned meshes, turned so that they face outward.
std::vector<std::array<SkinCorner, 3>> outward_triangles(const Character& character);
/// By mesh and vertex: whether what carries most of it is a thing the body has, or hangs on one.
std::vector<std::vector<char>> vertices_of_things(const Character& character);
/// The same triangles but for those of things: the body alone.
std::vector<std::array<SkinCorner, 3>> body_triangles(const Character& character);
/// Whether triangles enclose a point, by the generalised winding number: more than a half (Jacobson, Kavan,
/// Sorkine-Hornung 2013; solid angles of triangles by Van Oosterom & Strackee 1983; both from memory).
bool encloses(const std::vector<std::array<SkinCorner, 3>>& triangles, const BodySkin& skin, const Vec3& q);

/// Triangles and vertices of a skinned body, sorted once by what carries them. Things that hang on it are no part of it.
class SkinGauge {
  public:
    /// Empty for a body without a mesh or without that hand. The character must outlive it.
    SkinGauge(const Character& character, Side side);

    bool is_empty() const { return hand_.all.empty() || others_.empty(); }

    struct Reading {
        double gap_m =
            0.0;  ///< the least height of the hand's vertices over the rest of the body; below 0: inside
        double deepest_m =
            0.0;  ///< how deep the deepest vertex of hand and forearm lies inside; 0: none does
    };
    /// `reach_m`: what is farther off is told as that far.
    Reading read(const Pose& pose, double reach_m = 0.15) const;
    /// The same with the body's skin in that pose, made once for both hands.
    Reading read(const BodySkin& skin, double reach_m) const;
    /// Without gaps, which cost most: `gap_m` is 0 where nothing lies inside.
    Reading read_depth(const BodySkin& skin, double reach_m) const;
    /// Height of a point over the rest of the body, m; the same sign.
    double over(const Vec3& p_W, const Pose& pose, double reach_m = 0.15) const;

    /// The vertices of the hand; none without a mesh.
    std::vector<Vec3> hand_vertices(const Pose& pose) const;
    /// What heights are measured over: all of the body but that arm.
    std::vector<std::array<Vec3, 3>> triangles(const Pose& pose) const;

  private:
    using Corner = SkinCorner;
    struct Placed;
    /// By all of it: what is nearest does not tell it of skin that lies in folds or ends.
    bool is_inside(const BodySkin& skin, const Vec3& q) const { return encloses(others_, skin, q); }
    /// Triangles that lie together at rest: of `others_` those from `first` up to, not including, `last`.
    struct Patch {
        size_t first, last;
        std::vector<Corner> corners;  ///< each once
    };
    /// Vertices, those that lie together at rest beside each other: `parts` from first up to, not including, last.
    struct Vertices {
        std::vector<Corner> all;
        std::vector<std::pair<size_t, size_t>> parts;
    };
    /// A ball that has all of them in it; none: empty.
    static Ball ball_about(const BodySkin& skin, std::span<const Corner> corners);
    /// The least height of vertices, at most `most_m`; what seems to lie deep is looked at twice.
    double lowest(const Placed& placed, const Vertices& vertices, double reach_m, double most_m) const;
    Reading read(const BodySkin& skin, double reach_m, double most_m) const;
    Placed place(const BodySkin& skin, const Vec3& about, double reach_m) const;
    void make_patches(const BodySkin& at_rest);
    const Character& character_;
    Vertices hand_, forearm_;
    std::vector<std::array<Corner, 3>> others_;
    std::vector<Patch> patches_;
};

}  // namespace nb
