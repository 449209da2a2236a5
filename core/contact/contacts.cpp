#include "core/contact/contacts.hpp"

#include <algorithm>
#include <cmath>

#include "core/body/measures.hpp"
#include "core/motion/kinematics.hpp"

namespace nb {

namespace {

constexpr double speed_reach_s = 0.025;

}  // namespace

Contacts find_contacts(const Character& source, const WorldMotion& motion, double frame_time_s,
                       int first_frame, const ContactRules& rules) {
    Contacts contacts;
    contacts.floor = find_floor(source, motion, frame_time_s, first_frame);
    const double scale = stature(source.rig.skeleton, source.roles) / reference_stature_m;
    const int speed_reach = std::max(1, int(std::lround(speed_reach_s / frame_time_s)));
    const int least = std::max(2, int(std::lround(rules.least_s / frame_time_s)));
    const int gap = int(std::lround(rules.gap_s / frame_time_s));
    std::vector<Vec3> places(size_t(motion.frames), Vec3::Zero());
    for (const auto& sole : soles_of(source)) {
        if (!sole) continue;
        for (const FootPoint point : sole->resting()) {
            for (int f = first_frame; f < motion.frames; ++f)
                places[size_t(f)] = sole->point(point, motion, f);
            std::vector<Contact> found;
            bool rests = false;
            double level = 0.0;
            for (int f = first_frame; f <= motion.frames; ++f) {
                bool now = false;
                if (f < motion.frames) {
                    const double speed = speed_over(places, f, first_frame, speed_reach, frame_time_s);
                    const double y = places[size_t(f)].y();
                    if (!rests) level = contacts.floor.nearest(y);
                    now = speed < (rests ? rules.leave_m_s : rules.enter_m_s) * scale &&
                          std::abs(y - level) < (rests ? rules.leave_height_m : rules.enter_height_m) * scale;
                }
                if (now && !rests) {
                    Contact contact;
                    contact.point = sole->name(point);
                    contact.first = f;
                    contact.level_m = level;
                    found.push_back(contact);
                }
                if (!now && rests) found.back().last = f;
                rests = now;
            }
            for (const Contact& contact : found) {
                if (!contacts.list.empty()) {
                    Contact& last = contacts.list.back();
                    if (last.point == contact.point && contact.first - last.last <= gap &&
                        last.level_m == contact.level_m &&
                        (places[size_t(contact.first)] - places[size_t(last.last - 1)]).norm() <
                            0.02 * scale) {
                        last.last = contact.last;
                        continue;
                    }
                }
                if (contact.last - contact.first >= least) contacts.list.push_back(contact);
            }
        }
    }
    // A foot is let go of once it has begun to rise.
    const int beyond = std::max(1, int(std::lround(rules.beyond_s / frame_time_s)));
    for (size_t i = 0; i < contacts.list.size(); ++i) {
        Contact& contact = contacts.list[i];
        const bool has_next = i + 1 < contacts.list.size() && contacts.list[i + 1].point == contact.point;
        contact.last = std::min(contact.last + beyond, has_next ? contacts.list[i + 1].first : motion.frames);
    }
    std::sort(contacts.list.begin(), contacts.list.end(), [](const Contact& a, const Contact& b) {
        return a.point != b.point ? a.point < b.point : a.first < b.first;
    });
    return contacts;
}

}  // namespace nb
