// How a chain of many bones, a spine and neck, bends so that its tip comes to a place.
//
//   1. aim      every bone turns about u = chord x goal by theta c_i, c_i the share of the chain's length at its
//               middle: from nothing at the start to all at the tip. theta: the chord points at the goal.
//   2. bend     every bone turns about the chain's side m by lambda b_i, b_i = 2 c_i - 1: an arc of one curvature
//               more. lambda: the chord is as long as asked. The bones' parts along m stay, the others are complex
//               numbers z_i: |chord|^2 = (sum m_i)^2 + |sum z_i e^(i lambda b_i)|^2, by Newton's method.
//   3. turned as one by what little is left.
// A chain grows shorter forward (about +m). One that is bent back by k0 < 0 beside the longest it gets, and would be bent
// forward by s, takes k = s (1 - 2 u^2 (3 - 2 u)), u = |k0| / s from 0.6 to 1: continuous in value and slope; between
// the two the tip is off by what such an arc takes of the length, up to k0^2 L / 9.
#pragma once
#include <span>

#include "core/math/rotation.hpp"

namespace nb {

/// Bones that bend beyond these go with the last one.
inline constexpr size_t most_bent_bones = 64;

/// World turn of each bone. `bones`: from joint to joint, the last one to the tip; `side`: unit, to the body's left;
/// `to`: where the tip should be, from the first joint. World axes, m. What is farther than the chain is long is
/// neared smoothly, as by limbs. Nothing to do: identities. Allocates nothing.
void bend_chain(std::span<const Vec3> bones, const Vec3& side, const Vec3& to, std::span<Quat> turns);

}  // namespace nb
