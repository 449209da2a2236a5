#include "core/contact/touches.hpp"

#include <algorithm>
#include <cmath>

#include "core/base/parallel.hpp"
#include "core/body/measures.hpp"
#include "core/contact/on_set.hpp"
#include "core/contact/touch_spans.hpp"
#include "core/surface/hand_points.hpp"

namespace nb {

namespace {

constexpr double sure_m = 0.015;  // at 175 cm
constexpr double sure_s = 0.3;
constexpr double on_set_m = 0.05;
constexpr double about_mesh_m = 0.15;  // of a palm that holds a thing, at 175 cm
constexpr const char* elbow_name = "elbow";
constexpr const char* sole_name = "sole";

/// A hand, the elbow or the sole along the take.
struct HandAlong {
    int hand = -1;  ///< the joint that carries its points
    std::vector<Vec3> points_J;
    double apart_m = 0.0;            ///< no point is farther from the first; known once it was looked at
    std::vector<std::string> names;  ///< of the points, with the side
    std::vector<size_t> parts;       ///< all but its own arm
    std::vector<Nearest> nearest;
};

class Toucher {
  public:
    Toucher(const WorldMotion& motion, const BodySurface& surface, double to_reference, int first_frame)
        : motion_(motion), surface_(surface), to_reference_(to_reference), first_(first_frame) {}

    void look(HandAlong& hand) const {
        hand.nearest.assign(size_t(motion_.frames), {});
        for (const Vec3& point : hand.points_J)
            hand.apart_m = std::max(hand.apart_m, (point - hand.points_J.front()).norm());
        for_each_frame(motion_.frames, 0, [&](int from, int to) {
            for (int f = std::max(from, first_); f < to; ++f) look_at(hand, f);
        });
    }

    std::vector<Contact> touches(const HandAlong& hand) const {
        std::vector<Contact> found;
        const auto place = [&](int part, int point, int f) {
            return Vec3(to_reference_ * on_part(hand, surface_.parts[size_t(part)], point, f));
        };
        for (const TouchSpanFound& span : touch_spans(hand.nearest, first_, motion_.frame_time_s, place)) {
            const PartSurface& on = surface_.parts[size_t(span.part)];
            Contact touch{hand.names[size_t(span.point)], span.first, span.last, span.kind, 0.0, on.role};
            touch.is_unsure = !on.is_from_mesh || span.least_m > sure_m || span.seconds < sure_s;
            found.push_back(std::move(touch));
        }
        return found;
    }

    /// The part of the body that the hand is nearest to in a frame, however far.
    size_t nearest_part(const HandAlong& hand, int f) const {
        return *std::min_element(hand.parts.begin(), hand.parts.end(), [&](size_t a, size_t b) {
            return height(hand, surface_.parts[a], 0, f) < height(hand, surface_.parts[b], 0, f);
        });
    }

  private:
    const WorldMotion& motion_;
    const BodySurface& surface_;
    double to_reference_;
    int first_;

    Rigid joint(int j, int f) const { return {motion_.R[motion_.at(f, j)], motion_.p[motion_.at(f, j)]}; }
    /// A point of the hand in a part's frame.
    Vec3 on_part(const HandAlong& hand, const PartSurface& part, int point, int f) const {
        const Rigid X = joint(part.joint, f);
        return inverse(part.frame(X.R, X.p)) * (joint(hand.hand, f) * hand.points_J[size_t(point)]);
    }

    double height(const HandAlong& hand, const PartSurface& part, int point, int f) const {
        return part.place(on_part(hand, part, point, f)).h;
    }

    void look_at(HandAlong& hand, int f) const {
        Nearest& nearest = hand.nearest[size_t(f)];
        const Rigid X_WH = joint(hand.hand, f);
        const Vec3 first = X_WH * hand.points_J.front();
        for (const size_t p : hand.parts) {
            const PartSurface& part = surface_.parts[p];
            const Rigid X = joint(part.joint, f);
            const Rigid X_WF = part.frame(X.R, X.p);
            // A ball about the part tells of most that they are far.
            const double most = std::min(TouchRules().leave_m, nearest.h_m) / to_reference_;
            const double ball = 0.5 * part.length_m + part.widest_m + hand.apart_m;
            const Vec3 middle = X_WF * Vec3(0.0, 0.0, 0.5 * part.length_m);
            if ((first - middle).squaredNorm() > (most + ball) * (most + ball)) continue;
            const Rigid X_FW = inverse(X_WF);
            for (int i = 0; i < int(hand.points_J.size()); ++i) {
                const Vec3 u = X_FW * (X_WH * hand.points_J[size_t(i)]);
                if (part.at_least_over(u) * to_reference_ > std::min(TouchRules().leave_m, nearest.h_m))
                    continue;
                const double h = part.place(u).h * to_reference_;
                if (h < nearest.h_m) nearest = {h, int(p), i};
            }
        }
    }
};

/// Of the left and the right hand; zero without one.
std::array<Vec3, 2> palms_of(const Character& source, const BodySurface& surface) {
    std::array<Vec3, 2> palms{Vec3::Zero(), Vec3::Zero()};
    for (const Side side : {Side::left, Side::right})
        if (const auto points = hand_points(source, surface, side); !points.empty())
            palms[side == Side::left ? 0 : 1] = points.front();
    return palms;
}

Contact touch_of(const Grip& grip, const Skeleton& skeleton) {
    Contact touch;
    touch.point = grip.limb == 2 ? "palm.left" : "palm.right";
    touch.on = skeleton.names[size_t(grip.thing)];
    touch.first = grip.first;
    touch.last = grip.last;
    return touch;
}

/// Whether the palm is off a thing's mesh in most of a grip: a hand that only goes along beside it. Of things without a mesh
/// nothing is known.
bool is_beside_its_mesh(const Take& take, const WorldMotion& motion, const Grip& grip,
                        const std::array<int, 2>& hands, const std::array<Vec3, 2>& palms_J,
                        double to_reference) {
    for (const SetPiece& piece : take.set) {
        if (piece.joint != grip.thing) continue;
        int about = 0;
        for (int f = grip.first; f < grip.last; ++f) {
            const size_t hand = motion.at(f, hands[grip.limb - 2]), thing = motion.at(f, grip.thing);
            const Vec3 palm = motion.p[hand] + motion.R[hand] * palms_J[grip.limb - 2];
            about += piece.is_about(motion.R[thing].conjugate() * (palm - motion.p[thing]),
                                    about_mesh_m / to_reference);
        }
        return 2 * about < grip.last - grip.first;
    }
    return false;
}

/// Without points for a body that lacks the hand.
HandAlong hand_along(const Character& source, const BodySurface& surface, Side side) {
    HandAlong hand;
    const std::string suffix(side_suffix(side));
    hand.hand = source.roles.joint("hand" + suffix);
    if (hand.hand >= 0) hand.points_J = hand_points(source, surface, side);
    for (const char* name : hand_point_names) hand.names.push_back(name + suffix);
    for (size_t p = 0; p < surface.parts.size(); ++p)
        if (!is_of_arm(surface.parts[p].role, side)) hand.parts.push_back(p);
    return hand;
}

/// One point of a limb over legs; of a sole over the other one.
HandAlong over_legs(const Character& source, const BodySurface& surface, Side side, const std::string& role,
                    const std::string& name, const std::optional<Vec3>& point_J) {
    HandAlong along;
    const std::string suffix(side_suffix(side));
    along.hand = source.roles.joint(role + suffix);
    if (point_J && along.hand >= 0) along.points_J = {*point_J};
    along.names = {name + suffix};
    for (size_t p = 0; p < surface.parts.size(); ++p) {
        const std::string part = role_part(surface.parts[p].role);
        const bool is_own_leg = role == "foot" && role_side(surface.parts[p].role) == side;
        if ((part == "thigh" || part == "shin") && !is_own_leg) along.parts.push_back(p);
    }
    return along;
}

/// The elbow over the legs: beside the trunk it hangs in every take.
HandAlong elbow_along(const Character& source, const BodySurface& surface, Side side) {
    return over_legs(source, surface, side, "forearm", elbow_name, elbow_point(surface, side));
}

HandAlong sole_along(const Character& source, const BodySurface& surface, Side side) {
    return over_legs(source, surface, side, "foot", sole_name, sole_point(surface, side));
}

HandAlong along_of(const Character& source, const BodySurface& surface, const std::string& point) {
    const Side side = role_side(point);
    return is_elbow(point)  ? elbow_along(source, surface, side)
           : is_sole(point) ? sole_along(source, surface, side)
                            : hand_along(source, surface, side);
}

}  // namespace

bool is_hand_point(std::string_view point) {
    const std::string part = role_part(point);
    return role_side(point) != Side::none && (!is_of_hand(point) || hand_point_index(part).has_value());
}

bool is_elbow(std::string_view point) {
    return role_part(point) == elbow_name;
}

bool is_sole(std::string_view point) {
    return role_part(point) == sole_name;
}

std::string nearest_to(const Character& source, const Take& take, const std::string& point, int first,
                       int last) {
    const BodySurface surface = surface_of(source);
    const Side side = role_side(point);
    HandAlong hand = along_of(source, surface, point);
    const double tall = stature(source.rig.skeleton, source.roles);
    if (hand.points_J.empty() || hand.parts.empty() || tall <= 0.0) return {};
    const WorldMotion motion = forward_kinematics(source.rig.skeleton, take);
    const double to_reference = reference_stature_m / tall;
    for (const int thing : is_of_hand(point) ? things_of(source, take) : std::vector<int>()) {
        const auto grip =
            grip_over(source, motion, side == Side::left ? 2 : 3, thing, hand.points_J.front(), first, last);
        if (grip && goes_along(*grip, to_reference)) return source.rig.skeleton.names[size_t(thing)];
    }
    if (is_of_hand(point))
        if (std::string piece = nearest_piece(source, take, motion, hand.points_J.front(), side,
                                              (first + last) / 2, on_set_m / to_reference);
            !piece.empty())
            return piece;
    hand.points_J = {hand.points_J[hand_point_index(role_part(point)).value_or(0)]};
    const Toucher toucher(motion, surface, to_reference, 0);
    return surface.parts[toucher.nearest_part(hand, (first + last) / 2)].role;
}

std::vector<std::string> touchable(const Character& source, const Take& take, Side side) {
    std::vector<std::string> names;
    for (const PartSurface& part : surface_of(source).parts)
        if (!is_of_arm(part.role, side)) names.push_back(part.role);
    for (const int thing : things_of(source, take)) names.push_back(source.rig.skeleton.names[size_t(thing)]);
    for (const SetPiece& piece : take.set)
        if (std::find(names.begin(), names.end(), piece.name) == names.end()) names.push_back(piece.name);
    names.emplace_back(Contact::place);
    return names;
}

std::vector<Contact> find_touches(const Character& source, const WorldMotion& motion,
                                  const BodySurface& surface, int first_frame) {
    std::vector<Contact> found;
    const double tall = stature(source.rig.skeleton, source.roles);
    if (tall <= 0.0) return found;
    const Toucher toucher(motion, surface, reference_stature_m / tall, first_frame);
    for (const Side side : {Side::left, Side::right}) {
        for (HandAlong along : {hand_along(source, surface, side), elbow_along(source, surface, side),
                                sole_along(source, surface, side)}) {
            if (along.points_J.empty() || along.parts.empty()) continue;
            toucher.look(along);
            const auto touches = toucher.touches(along);
            found.insert(found.end(), touches.begin(), touches.end());
        }
    }
    return found;
}

std::vector<Contact> find_places(const Character& source, const WorldMotion& motion, int first_frame) {
    constexpr double still_m_s = 0.04, moves_m_s = 0.1, least_s = 0.4, reach_s = 0.025;
    std::vector<Contact> found;
    const double tall = stature(source.rig.skeleton, source.roles);
    if (tall <= 0.0) return found;
    const double to_reference = reference_stature_m / tall;
    const int reach = std::max(1, int(std::lround(reach_s / motion.frame_time_s)));
    const auto speed = [&](int joint, int f) {
        const int a = std::max(first_frame, f - reach), b = std::min(motion.frames - 1, f + reach);
        const Vec3 way = motion.p[motion.at(b, joint)] - motion.p[motion.at(a, joint)];
        return b > a ? to_reference * way.norm() / ((b - a) * motion.frame_time_s) : 0.0;
    };
    for (const char* side : {".left", ".right"}) {
        const int hand = source.roles.joint(std::string("hand") + side);
        if (hand < 0) continue;
        for (int first = first_frame; first < motion.frames; ++first) {
            int last = first;
            while (last < motion.frames && speed(hand, last) < still_m_s) ++last;
            if ((last - first) * motion.frame_time_s >= least_s) {
                double fastest = 0.0;
                for (const char* role : {"hips", "foot.left", "foot.right"}) {
                    const int joint = source.roles.joint(role);
                    double mean = 0.0;
                    for (int f = first; f < last && joint >= 0; ++f) mean += speed(joint, f) / (last - first);
                    fastest = std::max(fastest, mean);
                }
                if (fastest > moves_m_s)
                    found.push_back({std::string("palm") + side, first, last, ContactKind::stay, 0.0,
                                     std::string(Contact::place), true});
            }
            first = std::max(first, last);
        }
    }
    return found;
}

HandMarks hand_marks(const Character& source, const Take& take) {
    HandMarks marks;
    const Skeleton& skeleton = source.rig.skeleton;
    const bool has_hands = source.roles.joint("hand.left") >= 0 || source.roles.joint("hand.right") >= 0;
    if (take.frames == 0 || source.roles.is_four_legged() || !has_hands || !source.rest.is_there())
        return marks;
    const std::vector<int> things = things_of(source, take);
    const bool is_by_hand = take.contacts.are_touches_by_hand;
    if (is_by_hand) {
        for (const Contact& contact : take.contacts.list)
            if (contact.is_touch()) marks.touches.push_back(contact);
        if (marks.touches.empty()) return marks;
    }
    const BodySurface& surface = marks.surface = surface_of(source);
    if (is_by_hand && things.empty()) return marks;
    const std::array<Vec3, 2> palms = palms_of(source, surface);
    const WorldMotion motion = forward_kinematics(skeleton, take);
    if (is_by_hand) {
        for (const int thing : things)
            for (const size_t limb : {size_t(2), size_t(3)})
                for (const Contact& touch : marks.touches) {
                    if (!touch.is_sure_touch() || touch.on != skeleton.names[size_t(thing)] ||
                        role_side(touch.point) != (limb == 2 ? Side::left : Side::right) ||
                        !moves_over(motion, thing, touch.first, touch.last, 1.0))
                        continue;
                    if (const auto grip =
                            grip_over(source, motion, limb, thing, palms[limb - 2], touch.first, touch.last))
                        marks.grips.push_back(*grip);
                }
        return marks;
    }
    marks.grips = find_grips(source, motion, things, palms, take.first_motion_frame);
    const double to_reference =
        reference_stature_m / std::max(0.01, stature(source.rig.skeleton, source.roles));
    const std::array<int, 2> hands{source.roles.joint("hand.left"), source.roles.joint("hand.right")};
    std::erase_if(marks.grips, [&](const Grip& grip) {
        return is_beside_its_mesh(take, motion, grip, hands, palms, to_reference);
    });
    Contacts found;
    found.list = find_touches(source, motion, surface, take.first_motion_frame);
    for (const Grip& grip : marks.grips) found.list.push_back(touch_of(grip, skeleton));
    for (Contact& touch : find_on_set(source, take, motion, surface, marks.grips))
        found.list.push_back(std::move(touch));
    // A hand that lies on something stays there for that.
    for (Contact& place : find_places(source, motion, take.first_motion_frame))
        if (std::none_of(found.list.begin(), found.list.end(), [&](const Contact& other) {
                return role_side(other.point) == role_side(place.point) && other.first < place.last &&
                       other.last > place.first;
            }))
            found.list.push_back(std::move(place));
    tidy_contacts(found, take.frames);
    marks.touches = std::move(found.list);
    return marks;
}

Contacts with_hands(const Character& source, const Take& take, const Contacts& contacts, HandsDo what) {
    Contacts result = contacts;
    std::erase_if(result.list, [](const Contact& contact) { return contact.is_touch(); });
    result.are_touches_by_hand = what != HandsDo::as_found;
    if (result.is_all_found()) {
        Contacts found;
        found.things = result.things;
        return found;
    }
    if (what == HandsDo::hold_things || what == HandsDo::touch_body) {
        Take found = take;
        found.contacts = {};
        for (const Contact& touch : hand_marks(source, found).touches)
            if (!touch.is_place() && (source.roles.joint(touch.on) >= 0) == (what == HandsDo::touch_body))
                result.list.push_back(touch);
    }
    tidy_contacts(result, take.frames);
    return result;
}

std::optional<HandsDo> hands_do(const Character& source, const Contacts& contacts) {
    if (!contacts.are_touches_by_hand) return HandsDo::as_found;
    int on_things = 0, on_body = 0;
    for (const Contact& contact : contacts.list)
        if (contact.is_touch() && !contact.is_place())
            ++(source.roles.joint(contact.on) >= 0 ? on_body : on_things);
    if (on_things == 0 && on_body == 0) return HandsDo::free;
    if (on_things > 0 && on_body > 0) return {};
    return on_things > 0 ? HandsDo::hold_things : HandsDo::touch_body;
}

}  // namespace nb
