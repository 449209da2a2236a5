#include "core/handover/props.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>

namespace nb {

namespace {

/// The first `joints` of each frame.
WorldMotion with_joints(const WorldMotion& motion, int joints) {
    WorldMotion out;
    out.start_s = motion.start_s;
    out.frame_time_s = motion.frame_time_s;
    out.resize(motion.frames, joints);
    const int kept = std::min(joints, motion.joints);
    for (int f = 0; f < motion.frames; ++f) {
        std::copy_n(motion.R.begin() + std::ptrdiff_t(motion.at(f, 0)), kept,
                    out.R.begin() + std::ptrdiff_t(out.at(f, 0)));
        std::copy_n(motion.p.begin() + std::ptrdiff_t(motion.at(f, 0)), kept,
                    out.p.begin() + std::ptrdiff_t(out.at(f, 0)));
    }
    return out;
}

}  // namespace

void add_props(Handed& handed, const std::vector<PropTrack>& props) {
    if (props.empty()) return;
    const int body = handed.motion.joints;
    handed.motion = with_joints(handed.motion, body + int(props.size()));
    Rig& rig = handed.character.rig;
    std::vector<std::string> names;
    for (size_t i = 0; i < props.size(); ++i) {
        const int joint = body + int(i);
        std::string name = props[i].name;
        while (rig.skeleton.find(name) >= 0) name += "_prop";
        rig.skeleton.names.push_back(name);
        rig.skeleton.parents.push_back(-1);
        rig.skeleton.rest_R.push_back(Quat::Identity());
        rig.skeleton.rest_p.push_back(Vec3::Zero());
        if (!rig.skeleton.bind_R.empty()) rig.skeleton.bind_R.push_back(Quat::Identity());
        if (!rig.channels.empty()) rig.channels.push_back(new_channels());
        if (!rig.nodes.empty()) rig.nodes.push_back({-1, name, 1.0, Vec3::Ones()});
        handed.own_places.push_back(joint);
        if (!handed.kept_frames.empty()) handed.kept_frames.emplace_back();
        for (int f = 0; f < handed.motion.frames; ++f) {
            const Rigid& X = props[i].X_W[size_t(f)];
            handed.motion.R[handed.motion.at(f, joint)] = X.R;
            handed.motion.p[handed.motion.at(f, joint)] = X.p;
        }
        names.push_back(name);
    }
    handed.props = int(props.size());
    for (size_t i = 0; i < props.size(); ++i)
        if (props[i].scale != 1.0)
            handed.told.push_back(fmt::format("{} is {:.3f} times as large beside this body: scale it there",
                                              names[i], props[i].scale));
    handed.told.push_back(
        fmt::format("with it {}: as nodes, what they look like stays behind", fmt::join(names, ", ")));
}

Rig rig_without_props(const Handed& handed) {
    Rig rig = handed.character.rig;
    const size_t joints = rig.skeleton.names.size() - size_t(handed.props);
    rig.skeleton.names.resize(joints);
    rig.skeleton.parents.resize(joints);
    rig.skeleton.rest_R.resize(joints);
    rig.skeleton.rest_p.resize(joints);
    if (!rig.skeleton.bind_R.empty()) rig.skeleton.bind_R.resize(joints);
    if (!rig.channels.empty()) rig.channels.resize(joints);
    if (!rig.nodes.empty()) rig.nodes.resize(joints);
    return rig;
}

Handed without_props(const Handed& handed) {
    if (handed.props == 0) return handed;
    Handed alone = handed;
    const int body = handed.motion.joints - handed.props;
    alone.motion = with_joints(handed.motion, body);
    alone.character.rig = rig_without_props(handed);
    std::erase_if(alone.own_places, [body](int joint) { return joint >= body; });
    if (!alone.kept_frames.empty()) alone.kept_frames.resize(size_t(body));
    alone.props = 0;
    return alone;
}

bool holds_props(const std::string& ending) {
    return ending == ".glb" || ending == ".bvh" || ending == ".csv";
}

}  // namespace nb
