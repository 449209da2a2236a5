// Hands on what stands beside the body: a rope that is hauled, a rail, a crate that lies there. Found in the source alone.
//
// d: the least distance of palm and finger tips from the mesh of a set piece, or of a thing that lies still, at 175 cm; a
// hand touches from where d falls under 4 cm to where it has risen over 5 cm, for 0.15 s at least, its ends as for the own
// body (core/contact/touch_spans.hpp), by the point that is nearest in most of them. Sure from 0.3 s on; a hand that holds
// a thing touches nothing beside it.
#pragma once
#include <vector>

#include "core/contact/grips.hpp"

namespace nb {

/// `grips`: of the same take. `Contact::on` is the piece's name.
std::vector<Contact> find_on_set(const Character& source, const Take& take, const WorldMotion& motion,
                                 const BodySurface& surface, const std::vector<Grip>& grips);

/// The piece of that name; null for none.
const SetPiece* set_piece(const Take& take, const std::string& name);

/// The piece that a point of a hand is nearest to in a frame, within `within_m`; empty for none.
std::string nearest_piece(const Character& source, const Take& take, const WorldMotion& motion,
                          const Vec3& point_J, Side side, int frame, double within_m);

}  // namespace nb
