#include "core/contact/contacts.hpp"

#include <algorithm>
#include <cmath>

#include "core/contact/tracks.hpp"

namespace nb {

namespace {

// Touches in a run; lengths at 175 cm, this program's own.
constexpr double running_m_s = 1.6;
constexpr double touch_low_m = 0.03;    // over the lowest within +-0.75 s
constexpr double touch_flat_m = 0.012;  // over its own lowest
constexpr double touch_beside_s = 0.1;
constexpr double clear_share = 0.3;  // of the distance of two levels

class Finder {
  public:
    Finder(const BodyTracks& tracks, const Floor& floor, const ContactRules& rules)
        : tracks_(tracks), floor_(floor), rules_(rules), scale_(tracks.scale()) {}

    std::vector<Contact> of(const PointTrack& track) const {
        std::vector<Contact> found = joined(track, rests(track));
        found.erase(std::remove_if(found.begin(), found.end(),
                                   [&](const Contact& c) {
                                       const double grown = tracks_.grown((c.first + c.last) / 2);
                                       return is_short(c.last - c.first, rules_.least_s / grown);
                                   }),
                    found.end());
        add_touches(track, found);
        for (Contact& contact : found) contact.point = track.sole->name(track.point);
        // A foot is let go of once it has begun to rise; where the take ends over that, as it begins to.
        const int beyond = tracks_.frames_in(rules_.beyond_s, 1);
        for (size_t i = 0; i < found.size(); ++i) {
            if (found[i].last + beyond < tracks_.frames()) found[i].last += beyond;
            if (i + 1 < found.size()) found[i].last = std::min(found[i].last, found[i + 1].first);
        }
        return found;
    }

  private:
    const BodyTracks& tracks_;
    const Floor& floor_;
    const ContactRules& rules_;
    double scale_;

    /// Two frames at least; of slow rates three where two are shorter by a sixth.
    bool is_short(int frames, double least_s) const {
        return frames < std::max(2, int(std::ceil(least_s / tracks_.dt() - 1.0 / 3.0)));
    }

    /// From where a point is surely at rest on a level, on both sides as long as it stays near that.
    std::vector<Contact> rests(const PointTrack& track) const {
        std::vector<Contact> found;
        for (int f = tracks_.first(); f < tracks_.frames(); ++f) {
            const double level = floor_.nearest(track.p_m[size_t(f)].y());
            const double room = floor_.room_m(level);
            const auto is_near = [&](int g, double most_m_s, double most_m) {
                return tracks_.speed(track, g) < most_m_s * tracks_.grown(g) &&
                       std::abs(track.p_m[size_t(g)].y() - level) < most_m;
            };
            if (!is_near(f, rules_.enter_m_s, std::min(clear_share * room, rules_.enter_height_m * scale_)))
                continue;
            const double before_m = std::min(clear_share * room, rules_.leave_height_m * scale_);
            const double after_m = std::min(0.5 * room, rules_.leave_height_m * scale_);
            Contact rest;
            rest.level_m = level;
            rest.first = f;
            rest.last = f + 1;
            const int earliest = found.empty() ? tracks_.first() : found.back().last;
            while (rest.first > earliest && is_near(rest.first - 1, rules_.enter_m_s, before_m)) --rest.first;
            while (rest.last < tracks_.frames() && is_near(rest.last, rules_.leave_m_s, after_m)) ++rest.last;
            f = rest.last;
            found.push_back(rest);
        }
        return found;
    }

    /// Rests that one short gap parts are one, while the place is the same.
    std::vector<Contact> joined(const PointTrack& track, const std::vector<Contact>& rests) const {
        const int gap = tracks_.frames_in(rules_.gap_s, 0);
        std::vector<Contact> result;
        for (const Contact& rest : rests) {
            if (!result.empty()) {
                Contact& last = result.back();
                const int apart = rest.first - last.last;
                const Vec3 moved = track.p_m[size_t(rest.first)] - track.p_m[size_t(last.last - 1)] -
                                   (apart + 1) * tracks_.dt() * floor_.velocity_m_s;
                const double crept = rules_.leave_m_s * (apart + 1) * tracks_.dt();
                if (rest.level_m == last.level_m && apart <= gap &&
                    moved.norm() < (rules_.same_place_m + crept) * scale_) {
                    last.last = rest.last;
                    continue;
                }
            }
            result.push_back(rest);
        }
        return result;
    }

    void add_touches(const PointTrack& track, std::vector<Contact>& found) const {
        const std::vector<double> lowest = tracks_.lowest_around(track);
        const int beside = tracks_.frames_in(touch_beside_s, 1);
        const auto y = [&](int f) { return track.p_m[size_t(f)].y(); };
        std::vector<Contact> touches;
        for (int f = tracks_.first() + 1; f + 1 < tracks_.frames(); ++f) {
            const double body = tracks_.body_speed(f);
            if (body < running_m_s || y(f) > y(f - 1) || y(f) >= y(f + 1)) continue;
            if (tracks_.speed(track, f) > 0.5 * body) continue;
            if (y(f) - lowest[size_t(f)] > touch_low_m * scale_) continue;
            const auto near = [&](const Contact& c) { return c.first - beside <= f && f < c.last + beside; };
            if (std::any_of(found.begin(), found.end(), near) ||
                std::any_of(touches.begin(), touches.end(), near))
                continue;
            const auto touches_at = [&](int g) {
                return g >= tracks_.first() && g < tracks_.frames() && y(g) - y(f) < touch_flat_m * scale_ &&
                       tracks_.speed(track, g) < 0.5 * body;
            };
            Contact touch;
            touch.first = f;
            touch.level_m = floor_.nearest(y(f));
            touch.last = f + 1;
            while (touches_at(touch.first - 1)) --touch.first;
            while (touches_at(touch.last)) ++touch.last;
            if (touch.last - touch.first >= 2) touches.push_back(touch);
        }
        found.insert(found.end(), touches.begin(), touches.end());
        std::sort(found.begin(), found.end(),
                  [](const Contact& a, const Contact& b) { return a.first < b.first; });
    }
};

}  // namespace

namespace {

/// A rest has two frames at least.
void drop_short(std::vector<Contact>& list) {
    std::erase_if(list, [](const Contact& c) { return c.last - c.first < 2; });
}

/// A heel that rises slowly over a ball that stands rests on no other level.
void cut_heels(std::vector<Contact>& list) {
    std::vector<Contact> cut;
    for (Contact& heel : list) {
        if (heel.point.rfind("heel", 0) != 0) continue;
        const std::string ball = "ball" + heel.point.substr(4);
        for (const Contact& other : list) {
            if (other.point != ball || other.level_m == heel.level_m || other.first >= heel.last ||
                other.last <= heel.first)
                continue;
            if (other.first > heel.first && other.last < heel.last) {
                cut.push_back(heel);
                cut.back().first = other.last;
            }
            if (other.first > heel.first)
                heel.last = std::min(heel.last, other.first);
            else
                heel.first = std::max(heel.first, other.last);
        }
    }
    list.insert(list.end(), cut.begin(), cut.end());
    drop_short(list);
}

/// From parts of frames to the frames that lie within.
void to_whole_frames(std::vector<Contact>& list, int parts) {
    for (Contact& contact : list) {
        contact.first = (contact.first + parts - 1) / parts;
        contact.last = (contact.last + parts - 1) / parts;
    }
    drop_short(list);
}

}  // namespace

Contacts find_contacts(const Character& source, const WorldMotion& motion, double frame_time_s,
                       int first_frame, const ContactRules& rules) {
    BodyTracks tracks(source, motion, frame_time_s, first_frame);
    Contacts contacts;
    contacts.floor = find_floor(tracks);
    const Finder finder(tracks, contacts.floor, rules);
    for (const PointTrack& track : tracks.points()) {
        const std::vector<Contact> found = finder.of(track);
        contacts.list.insert(contacts.list.end(), found.begin(), found.end());
    }
    cut_heels(contacts.list);
    to_whole_frames(contacts.list, tracks.parts());
    std::sort(contacts.list.begin(), contacts.list.end(), comes_before);
    return contacts;
}

}  // namespace nb
