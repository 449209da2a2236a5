#include "core/intake/travel.hpp"

#include <algorithm>

#include "core/body/carried.hpp"
#include "core/contact/contacts.hpp"
#include "core/motion/kinematics.hpp"

namespace nb {

namespace {

/// Moves the tree of the body by `by[frame]`, world, m.
void move_body(const Character& source, Take& take, const std::vector<Vec3>& by) {
    const Skeleton& skeleton = source.rig.skeleton;
    int root = source.roles.joint("hips");
    while (skeleton.parents[size_t(root)] >= 0) root = skeleton.parents[size_t(root)];
    auto at = std::find(take.translated.begin(), take.translated.end(), root);
    if (at == take.translated.end()) {
        // A root that never moved begins to.
        const size_t old = take.translated.size();
        const size_t index = size_t(std::lower_bound(take.translated.begin(), take.translated.end(), root) -
                                    take.translated.begin());
        std::vector<Vec3> p(size_t(take.frames) * (old + 1));
        for (int f = 0; f < take.frames; ++f)
            for (size_t m = 0; m <= old; ++m)
                p[size_t(f) * (old + 1) + m] = m == index ? skeleton.rest_p[size_t(root)]
                                                          : take.p[size_t(f) * old + m - (m > index ? 1 : 0)];
        take.translated.insert(take.translated.begin() + std::ptrdiff_t(index), root);
        take.p = std::move(p);
        at = take.translated.begin() + std::ptrdiff_t(index);
    }
    const size_t index = size_t(at - take.translated.begin());
    std::vector<Vec3>& p = take.p.edit();
    for (int f = 0; f < take.frames; ++f) p[size_t(f) * take.translated.size() + index] += by[size_t(f)];
}

}  // namespace

Standing standing_of(const Character& source, const Take& take) {
    const WorldMotion motion = forward_kinematics(source.rig.skeleton, take);
    const Contacts contacts = find_contacts(source, motion, take.frame_time_s, take.first_motion_frame);
    Standing standing;
    standing.height_m = contacts.floor.levels_m.empty() ? 0.0 : contacts.floor.levels_m.front();
    standing.floor_m_s = contacts.floor.velocity_m_s;
    std::vector<char> rests(size_t(take.frames), 0);
    for (const Contact& contact : contacts.list)
        for (int f = contact.first; f < contact.last; ++f) rests[size_t(f)] = 1;
    const auto count = std::count(rests.begin(), rests.end(), 1);
    standing.rests_share = take.frames > 0 ? double(count) / take.frames : 0.0;
    return standing;
}

void set_down(const Character& source, Take& take) {
    const double height = standing_of(source, take).height_m;
    move_body(source, take, std::vector<Vec3>(size_t(take.frames), -height * Vec3::UnitY()));
    for (Contact& contact : take.contacts.list) contact.level_m -= height;
    for (double& level : take.contacts.floor.levels_m) level -= height;
}

void give_travel(const Character& source, Take& take) {
    const WorldMotion motion = forward_kinematics(source.rig.skeleton, take);
    const Contacts contacts = find_contacts(source, motion, take.frame_time_s, take.first_motion_frame);
    if (!contacts.floor.is_running()) return;
    const Soles soles = soles_of(source);
    std::vector<Vec3> by(size_t(take.frames), Vec3::Zero());
    for (int f = take.first_motion_frame + 1; f < take.frames; ++f) {
        Vec3 back = Vec3::Zero();
        int standing = 0;
        for (const Contact& contact : contacts.list) {
            const auto point = contact_point(contact.point);
            if (!point || !soles[point->limb] || contact.first >= f || contact.last <= f) continue;
            const Sole& sole = *soles[point->limb];
            back += sole.point(point->point, motion, f) - sole.point(point->point, motion, f - 1);
            ++standing;
        }
        back = standing > 0 ? Vec3(back / standing) : Vec3(take.frame_time_s * contacts.floor.velocity_m_s);
        back.y() = 0.0;
        by[size_t(f)] = by[size_t(f) - 1] - back;
    }
    move_body(source, take, by);
    take.contacts.floor.velocity_m_s = Vec3::Zero();
}

}  // namespace nb
