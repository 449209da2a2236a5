// What hands touch in a take, found in the source alone: the own body, and the things they hold (core/contact/grips.hpp).
//
// For each hand the least height of its points (palm, tip, back) over each part of the body but its own arm, h, at 175 cm. It
// touches from where h falls under 3 cm to where it has risen over 5 cm, and of that from where it has come within 1 cm
// of its least and no faster than 3 cm/s to where it leaves so, for 0.1 s at least; what it touches is
// the part it is nearest to in most of these frames. It stays when its place on the part moves by less than 3 cm, else
// it glides. Sure are touches under 1.5 cm, for 0.3 s at least, on a skin that was read from a mesh; all else, such as hands
// that hang beside thighs whose breadth is guessed, is unsure: told, and not held until a person says so.
// An elbow touches legs in the same way, a sole the other leg. What stands beside the body (a rail, a rope): core/contact/on_set.hpp.
// Thresholds are those of design and of this program (no published source).
#pragma once
#include <array>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "core/contact/grips.hpp"
#include "core/motion/marks.hpp"

namespace nb {

/// "palm.left", "tips.right", "back.left", "elbow.right", "sole.left": what of a limb can touch.
bool is_hand_point(std::string_view point);
bool is_elbow(std::string_view point);
bool is_sole(std::string_view point);
/// Of the hand itself.
inline bool is_of_hand(std::string_view point) {
    return !is_elbow(point) && !is_sole(point);
}

struct HandMarks {
    std::vector<Contact> touches;  ///< of hands: `Contact::on` is not empty; sorted as contacts are
    std::vector<Grip> grips;       ///< of those on things, sorted by thing, then hand, then frame
    BodySurface surface;           ///< of the source; empty where nothing can touch
};

/// As a person said (`Contacts::are_touches_by_hand`), else found. Reads the skin of the source when that has hands.
HandMarks hand_marks(const Character& source, const Take& take);

/// What hands do in a take, in one choice: all that is found; nothing; hold what they hold; lie on the own body.
enum class HandsDo { as_found, free, hold_things, touch_body };
/// `contacts` with those of the touches found in the take that belong to it, said by hand; as found: without any that are.
Contacts with_hands(const Character& source, const Take& take, const Contacts& contacts, HandsDo what);
/// Which choice contacts are; empty: touches by hand that are none of them.
std::optional<HandsDo> hands_do(const Character& source, const Contacts& contacts);

/// What a hand's point ("palm.left") lies on over a span, sure or not: the thing it goes along with, else the part of the
/// own body it is nearest to. Empty for a body without that hand.
std::string nearest_to(const Character& source, const Take& take, const std::string& point, int first,
                       int last);
/// What a hand could touch: parts of the own body but its own arm, things, and a place in the world.
std::vector<std::string> touchable(const Character& source, const Take& take, Side side);

/// Hands that stay at a place in the world while the body moves: the wrist slower than 4 cm/s for 0.4 s at least, hip centre
/// or a foot by 10 cm/s in the mean (at 175 cm). A hand on a wall does, and one that merely waits: all are unsure, held once a
/// person says so.
std::vector<Contact> find_places(const Character& source, const WorldMotion& motion, int first_frame);

/// Touches of the own body, found.
std::vector<Contact> find_touches(const Character& source, const WorldMotion& motion,
                                  const BodySurface& surface, int first_frame);

}  // namespace nb
