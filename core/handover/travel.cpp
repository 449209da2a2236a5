#include "core/handover/travel.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <utility>

#include "core/base/name_table.hpp"
#include "core/body/lines.hpp"
#include "core/math/low_pass.hpp"
#include "core/motion/heading.hpp"

namespace nb {

namespace {

constexpr std::array<std::pair<Travel::Kind, const char*>, 3> kind_names{
    {{Travel::Kind::in_hips, "in hips"},
     {Travel::Kind::on_root, "on root"},
     {Travel::Kind::in_place, "in place"}}};

/// Largest distance of the top from its rest, and largest turn, seen from what it hangs on.
std::pair<double, double> most_of_top(const Handed& handed) {
    const Skeleton& skeleton = handed.character.rig.skeleton;
    const size_t top = size_t(handed.top);
    const int parent = skeleton.parents[top];
    double place = 0.0, turn = 0.0;
    for (int f = 0; f < handed.motion.frames; ++f) {
        const WorldMotion& m = handed.motion;
        const Rigid X_WP = parent < 0 ? Rigid{} : Rigid{m.R[m.at(f, parent)], m.p[m.at(f, parent)]};
        const Rigid X = inverse(X_WP) * Rigid{m.R[m.at(f, handed.top)], m.p[m.at(f, handed.top)]};
        place = std::max(place, (X.p - skeleton.rest_p[top]).norm());
        turn = std::max(turn, angle_between(X.R, skeleton.rest_R[top]));
    }
    return {place, turn};
}

void insert_joint(Handed& handed, int at) {
    const auto moved = [at](int joint) { return joint >= at ? joint + 1 : joint; };
    Character& character = handed.character;
    Skeleton& skeleton = character.rig.skeleton;
    const auto i = std::ptrdiff_t(at);
    const int above = skeleton.parents[size_t(at)];
    for (int& parent : skeleton.parents) parent = moved(parent);
    std::string name = "root";
    for (int n = 2; skeleton.find(name) >= 0; ++n) name = fmt::format("root_{}", n);
    skeleton.names.insert(skeleton.names.begin() + i, name);
    skeleton.parents.insert(skeleton.parents.begin() + i, above);
    skeleton.parents[size_t(at) + 1] = at;
    skeleton.rest_R.insert(skeleton.rest_R.begin() + i, Quat::Identity());
    skeleton.rest_p.insert(skeleton.rest_p.begin() + i, Vec3::Zero());
    if (!skeleton.bind_R.empty()) skeleton.bind_R.insert(skeleton.bind_R.begin() + i, Quat::Identity());
    for (EndSite& site : skeleton.end_sites) site.joint = moved(site.joint);
    if (!character.rig.channels.empty()) {
        character.rig.channels.insert(character.rig.channels.begin() + i, new_channels());
    }
    if (!character.rig.nodes.empty()) {
        // Written as a further node of the file, in the scale and mirroring of what it stands above.
        FileNode node = character.rig.nodes[size_t(at)];
        node.node = -1;
        node.name = name;
        character.rig.nodes.insert(character.rig.nodes.begin() + i, node);
    }
    for (Mesh& mesh : character.rig.meshes.edit())
        for (MeshJoint& one : mesh.palette) one.joint = moved(one.joint);
    for (RoleFill& fill : character.roles.fills) fill.joint = moved(fill.joint);
    RestAlignment& rest = character.rest;
    if (!rest.R_WJ0.empty()) {
        rest.R_WJ0.insert(rest.R_WJ0.begin() + i, Quat::Identity());
        rest.p_WJ0.insert(rest.p_WJ0.begin() + i, Vec3::Zero());
    }
    WorldMotion with;
    with.start_s = handed.motion.start_s;
    with.frame_time_s = handed.motion.frame_time_s;
    with.resize(handed.motion.frames, handed.motion.joints + 1);
    for (int f = 0; f < with.frames; ++f)
        for (int j = 0; j < handed.motion.joints; ++j) {
            with.R[with.at(f, moved(j))] = handed.motion.R[handed.motion.at(f, j)];
            with.p[with.at(f, moved(j))] = handed.motion.p[handed.motion.at(f, j)];
        }
    handed.motion = std::move(with);
    for (int& joint : handed.own_places) joint = moved(joint);
    if (!handed.kept_frames.empty())
        handed.kept_frames.insert(
            handed.kept_frames.begin() + std::min(i, std::ptrdiff_t(handed.kept_frames.size())),
            std::vector<int>());
    handed.top = moved(handed.top);
    handed.root = at;
    handed.is_root_added = true;
}

}  // namespace

std::string_view travel_kind_name(Travel::Kind kind) {
    return name_in(kind_names, kind);
}
std::optional<Travel::Kind> travel_kind(std::string_view name) {
    return value_in(kind_names, name);
}

std::vector<Rigid> travel_track(const Handed& handed, const Travel& travel) {
    const WorldMotion& motion = handed.motion;
    const BodyLines lines = lines_of(handed.character.roles);
    std::vector<Rigid> track = root_track(motion, lines, motion.frame_time_s, 0);
    if (travel.has_height) {
        const double standing = hip_centre(handed.character.rest.p_WJ0, lines).y();
        for (int f = 0; f < motion.frames; ++f)
            track[size_t(f)].p.y() = std::max(0.0, hip_centre(motion, lines, f).y() - standing);
    }
    if (!travel.has_heading)
        for (Rigid& X : track) X.R = track.front().R;
    if (travel.cut_off_hz > 0.0) {
        const SecondOrder filter =
            butterworth(corner_for_both_ways(travel.cut_off_hz), 1.0 / motion.frame_time_s);
        std::vector<Vec3> places;
        std::vector<Quat> turns;
        for (const Rigid& X : track) {
            places.push_back(X.p);
            turns.push_back(X.R);
        }
        filter_both_ways(filter, places);
        turns = filtered_both_ways(filter, turns);
        for (size_t f = 0; f < track.size(); ++f)
            track[f] = {exp_rotation(yaw_of_turn(turns[f]) * Vec3::UnitY()), places[f]};
    }
    return track;
}

void take_travel(Handed& handed, const Travel& travel) {
    if (travel.kind == Travel::Kind::in_hips || handed.motion.frames < 1) return;
    handed.track = travel_track(handed, travel);
    const auto [place_before, turn_before] = most_of_top(handed);
    WorldMotion& motion = handed.motion;
    if (travel.kind == Travel::Kind::in_place) {
        move_body(handed, [&](int f) { return inverse(handed.track[size_t(f)]); });
    } else {
        const Skeleton& skeleton = handed.character.rig.skeleton;
        const int own = handed.character.roles.joint("root");
        if (own >= 0 && own != handed.top && skeleton.is_ancestor(own, handed.top))
            handed.root = own;
        else
            insert_joint(handed, handed.top);
        put_on_root(handed.character.rig.skeleton, handed.root, handed.top, handed.track, motion);
        if (std::find(handed.own_places.begin(), handed.own_places.end(), handed.root) ==
            handed.own_places.end())
            handed.own_places.push_back(handed.root);
    }
    const auto [place_after, turn_after] = most_of_top(handed);
    handed.told.push_back(fmt::format(
        "travel {}{}: the hips go {:.1f} cm and {:.0f} degrees at most from their rest, {:.1f} cm and {:.0f} "
        "before",
        travel_kind_name(travel.kind),
        handed.is_root_added
            ? fmt::format(" ('{}' added)", handed.character.rig.skeleton.names[size_t(handed.root)])
            : "",
        100.0 * place_after, rad_to_deg(turn_after), 100.0 * place_before, rad_to_deg(turn_before)));
}

std::string track_csv(const Handed& handed) {
    std::string text = "frame,time_s,x_m,y_m,z_m,heading_deg\r\n";
    double heading = 0.0;
    for (size_t f = 0; f < handed.track.size(); ++f) {
        const Rigid& X = handed.track[f];
        const double yaw = yaw_of_turn(X.R);
        heading += std::remainder(yaw - heading, 2.0 * pi);
        text += fmt::format("{},{:.6f},{:.6f},{:.6f},{:.6f},{:.4f}\r\n", f,
                            double(f) * handed.motion.frame_time_s, X.p.x(), X.p.y(), X.p.z(),
                            rad_to_deg(heading));
    }
    return text;
}

}  // namespace nb
