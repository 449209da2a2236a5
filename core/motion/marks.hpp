// Contacts of a take: spans in which a point of the body rests on something, and those in which a hand touches the
// own body or holds a thing. Data of the take, valid for every target; found in the source (core/contact), corrected
// by hand, kept in the take's document.
#pragma once
#include <cmath>
#include <map>
#include <string>
#include <string_view>
#include <vector>

#include "core/math/rotation.hpp"

namespace nb {

/// stay: the point holds its place. pivot: the same, meant to be turned about: no flat sole is made of it.
/// slide: its height alone is held.
enum class ContactKind { stay, pivot, slide };
std::string_view contact_kind_name(ContactKind kind);
/// Throws std::invalid_argument for another word.
ContactKind contact_kind(std::string_view name);

struct Contact {
    /// "heel.left", "ball.right", "toetip.left", "wrist.right"; of touches "palm.left", "tips.right"
    std::string point;
    int first = 0;
    int last = 0;  ///< not included
    ContactKind kind = ContactKind::stay;
    double level_m = 0.0;  ///< height of its support in the take's world; of touches 0
    std::string on =
        {};  ///< of touches: a role of the own body, "place", else the name of a thing; empty: the floor
    bool is_unsure = false;  ///< a touch that is proposed only: nothing is held by it
    /// `on` of a hand that stays at a place in the world.
    static constexpr std::string_view place = "place";
    bool is_place() const { return on == place; }
    bool is_touch() const { return !on.empty(); }
    bool is_sure_touch() const { return is_touch() && !is_unsure; }
    bool operator==(const Contact&) const = default;
};

/// How a thing that hands hold goes beside a target.
struct ThingRule {
    bool leads = false;      ///< the hands follow it where the place map puts it; else it goes with the hands
    bool is_scaled = false;  ///< as the body travels; else it keeps its size
    bool is_usual() const { return !leads && !is_scaled; }
    bool operator==(const ThingRule&) const = default;
};

/// The heights a take's feet come to rest at, in the take's world, rising, and how fast the floor runs under
/// them: zero but for a cycle that treads on the spot.
struct Floor {
    std::vector<double> levels_m;
    Vec3 velocity_m_s = Vec3::Zero();  ///< horizontal, take's world
    bool is_running() const { return velocity_m_s != Vec3::Zero(); }
    /// The level nearest to a height; 0 when there is none.
    double nearest(double height_m) const;
    /// From a level to the next one up or down; 1e30 when there is none.
    double room_m(double level_m) const;
    bool operator==(const Floor&) const = default;
};

struct Contacts {
    Floor floor;
    std::vector<Contact> list;         ///< sorted by point, then frame; those of one point do not overlap
    bool is_by_hand = false;           ///< edited: kept as they are, not found anew
    bool are_touches_by_hand = false;  ///< the same of touches
    std::map<std::string, ThingRule> things;  ///< by name, those that are not as usual

    bool is_all_found() const { return !is_by_hand && !are_touches_by_hand; }
    ThingRule rule_of(const std::string& thing) const {
        const auto rule = things.find(thing);
        return rule == things.end() ? ThingRule() : rule->second;
    }
    bool operator==(const Contacts&) const = default;
};

/// The order of `Contacts::list`: by point, then frame.
bool comes_before(const Contact& a, const Contact& b);

/// Takes all touches out and puts these in their place.
void put_touches(Contacts& contacts, const std::vector<Contact>& touches);

/// Sorted, without empty ones, those of one point cut where they overlap, all inside [0, frames).
void tidy_contacts(Contacts& contacts, int frames);

}  // namespace nb
