// Hands that touch another body of a scene, found in the sources alone.
//
// As for the own body (core/contact/touches.hpp), with the other's surface at the same time, and by points all over the hand: the
// least height of any under 3 cm over its skin, until over 5 cm, for 0.1 s at least; what it touches is what palm or tips are
// nearest to. Sure are touches under 1.5 cm, for 0.3 s at least, on a skin that was read from a mesh. A
// hand that holds a thing touches nobody.
#pragma once
#include <optional>

#include "core/contact/touches.hpp"
#include "core/scene/cast.hpp"

namespace nb {

struct BodyTouch {
    size_t cast = 0, other = 0;
    std::string point;        ///< "palm.left", of the cast
    std::string on;           ///< a role of the other's body
    int first = 0, last = 0;  ///< frames of the cast's take; `last` not included
    ContactKind kind = ContactKind::stay;
    bool is_unsure = false;
    bool operator==(const BodyTouch&) const = default;
};

/// A cast with what hands do in its take, and the skins of its bodies.
struct CastSkins {
    HandMarks marks;
    BodySurface S, T;
    WorldMotion source;  ///< in the scene
};
CastSkins skins_of(const Cast& cast, int threads = 0);
/// Of all casts. A hand that stands by what another holds holds nothing, unless a person said so: farther from it by 10 cm, and
/// less steadily (by 4 mm, or three times); beside the own body's other hand more than twice as far and eight times less steadily.
std::vector<CastSkins> skins_of(std::span<const Cast> casts, int threads = 0);
/// Whether a thing of one cast is that of another: of one name, at one place in the takes (a copy that stands elsewhere is not).
bool is_one_thing(std::span<const Cast> casts, std::span<const CastSkins> skins, size_t a, int thing_a,
                  size_t b, int thing_b);

/// How high a hand is over another body's skin in poses of both, by surfaces: the least of any of its points, m; below 0 it is
/// in it. Far off (over 0.5 m), or without skins: empty.
std::optional<double> hand_height(const Character& of, const BodySurface& of_skin, const Pose& of_pose,
                                  Side side, const BodySurface& on_skin, const Pose& on_pose);

/// Whether two touches are hands on each other (the forearm counts for its hand) at the same time.
bool are_on_each_other(const BodyTouch& a, const BodyTouch& b, std::span<const Cast> casts);

/// `skins`: of all casts. Sorted by cast, other, point, frame.
std::vector<BodyTouch> find_body_touches(std::span<const Cast> casts, std::span<const CastSkins> skins);

}  // namespace nb
