#include "core/handover/glb_animation.hpp"

#include <algorithm>
#include <map>

#include "core/files/gltf/glb_rig.hpp"
#include "core/motion/finite.hpp"

namespace nb {

namespace {

class AnimationMaker {
  public:
    AnimationMaker(GlbParts& parts, const GlbFrames& at, const Skeleton& skeleton, const MotionView& motion)
        : parts_(parts),
          at_(at),
          skeleton_(skeleton),
          motion_(motion),
          take_(motion.about()),
          R_FW_(at.R_WF.conjugate()) {}

    void make(const MotionKeys& keys, double starts_at_s) {
        animation_ = {{"name", take_.name.empty() ? "take" : take_.name},
                      {"channels", Json::array()},
                      {"samplers", Json::array()}};
        if (starts_at_s != 0.0) animation_["extras"] = {{"starts_at_s", starts_at_s}};
        for (int j = 0; j < take_.joints; ++j)
            if (const auto& frames = keys.turns[size_t(j)]; !frames.empty())
                add_turns(j, frames, keys.is_turn_curved(j));
        for (size_t m = 0; m < take_.translated.size(); ++m)
            if (const auto& frames = keys.places[m]; !frames.empty())
                add_places(m, frames, keys.is_place_curved(m));
        hold_places(keys);
        if (last_ < take_.frames - 1 && take_.joints > 0) last_as_long(keys);
        if (!animation_["channels"].empty()) parts_.append("animations", std::move(animation_));
    }

  private:
    GlbParts& parts_;
    const GlbFrames& at_;
    const Skeleton& skeleton_;
    const MotionView& motion_;
    const Take& take_;  ///< about it; its frames may be elsewhere
    const Quat R_FW_;
    Json animation_;
    std::map<std::vector<int>, size_t> times_;  ///< accessors already made, by their frames
    int last_ = 0;                              ///< the latest key

    size_t times_of(const std::vector<int>& frames) {
        last_ = std::max(last_, frames.back());
        const auto found = times_.find(frames);
        if (found != times_.end()) return found->second;
        std::vector<float> times;
        times.reserve(frames.size());
        for (const int f : frames) times.push_back(float(f * take_.frame_time_s));
        const size_t input = parts_.add_floats(times, "SCALAR", 1);
        parts_.json["accessors"][input]["min"] = {times.front()};
        parts_.json["accessors"][input]["max"] = {times.back()};
        return times_[frames] = input;
    }
    void add_channel(const std::vector<int>& frames, int joint, const char* what,
                     const std::vector<float>& values, size_t width, bool is_curved = false) {
        const int node = at_.nodes[size_t(joint)].node;
        parts_.free_of_matrix(size_t(node));
        const size_t input = times_of(frames);
        const size_t output = parts_.add_floats(values, width == 4 ? "VEC4" : "VEC3", width);
        animation_["samplers"].push_back(
            {{"input", input}, {"output", output}, {"interpolation", is_curved ? "CUBICSPLINE" : "LINEAR"}});
        animation_["channels"].push_back(
            {{"sampler", animation_["samplers"].size() - 1}, {"target", {{"node", node}, {"path", what}}}});
    }
    Quat turn_in_file(int joint, int f) const {
        const Vec3& flip = at_.nodes[size_t(joint)].flip_above;
        const Quat R = R_FW_ * motion_.rotation(f, joint) * at_.R_WF;
        return Quat(R.w(), flip.y() * flip.z() * R.x(), flip.x() * flip.z() * R.y(),
                    flip.x() * flip.y() * R.z())
            .normalized();
    }
    /// A key's value; of a curved one between its slopes, a second, that come to it and that leave it.
    template <typename Vector, typename Slope>
    void put_key(std::vector<float>& values, const Vector& value, bool is_curved, const Slope& slope) const {
        using Single = Eigen::Matrix<float, Vector::RowsAtCompileTime, 1>;
        const auto put = [&](const Single& one) {
            values.insert(values.end(), one.data(), one.data() + one.size());
        };
        if (!is_curved) return put(value.template cast<float>());
        const Single aside = (slope() / take_.frame_time_s).template cast<float>();
        put(aside);
        put(value.template cast<float>());
        put(aside);
    }
    void add_turns(int joint, const std::vector<int>& frames, bool is_curved = false) {
        std::vector<float> values;
        values.reserve((is_curved ? 12 : 4) * frames.size());
        Eigen::Vector4d before = Quat::Identity().coeffs();
        for (const int f : frames) {
            const auto beside = [&](int other, const Eigen::Vector4d& side) {
                const Eigen::Vector4d turn = turn_in_file(joint, other).coeffs();
                return Eigen::Vector4d(turn.dot(side) < 0.0 ? -turn : turn);
            };
            before = beside(f, before);
            // Of unit length also in single precision, as validators ask.
            put_key(values, Eigen::Vector4f(before.cast<float>().normalized()), is_curved, [&] {
                return key_slope([&](int other) { return beside(other, before); }, f, take_.frames);
            });
        }
        add_channel(frames, joint, "rotation", values, 4, is_curved);
    }
    Vec3 in_file(int joint, const Vec3& p) const {
        const FileNode& node = at_.nodes[size_t(joint)];
        return node.flip_above.cwiseProduct(Vec3(R_FW_ * p)) / (at_.unit_m * node.scale_above);
    }
    void add_places(size_t m, const std::vector<int>& frames, bool is_curved) {
        const int joint = take_.translated[m];
        const auto place = [&](int f) { return in_file(joint, motion_.translation(f, m)); };
        std::vector<float> values;
        values.reserve((is_curved ? 9 : 3) * frames.size());
        for (const int f : frames)
            put_key(values, place(f), is_curved, [&] { return key_slope(place, f, take_.frames); });
        add_channel(frames, joint, "translation", values, 3, is_curved);
    }
    void hold_places(const MotionKeys& keys) {
        for (int j = 0; j < take_.joints; ++j) {
            if (!keys.places_of(take_, j).empty()) continue;
            const Vec3 now = in_file(j, skeleton_.rest_p[size_t(j)]);
            const Vec3 own = parts_.translation_of(size_t(at_.nodes[size_t(j)].node));
            if ((now - own).norm() <= 1e-6 * std::max(1.0, own.norm())) continue;
            add_channel({0}, j, "translation", {float(now.x()), float(now.y()), float(now.z())}, 3);
        }
    }
    void last_as_long(const MotionKeys& keys) {
        for (int j = 0; j < take_.joints; ++j)
            if (keys.turns[size_t(j)].empty()) return add_turns(j, {0, take_.frames - 1});
        // All joints have a single key: the first one's goes on to the end.
        animation_["channels"].erase(0);
        add_turns(0, {0, take_.frames - 1});
    }
};

}  // namespace

namespace {

/// As `rig_as_glb` makes them.
GlbFrames frames_of_joints(const Skeleton& skeleton) {
    GlbFrames frames;
    for (int j = 0; j < skeleton.size(); ++j)
        frames.nodes.push_back({j, skeleton.names[size_t(j)], 1.0, Vec3::Ones()});
    return frames;
}

}  // namespace

GlbFrames glb_frames(const Rig& rig) {
    if (rig.nodes.empty()) return frames_of_joints(rig.skeleton);
    return {rig.nodes, rig.conventions.R_WF, rig.conventions.unit_m};
}

void add_animation(GlbParts& parts, const GlbFrames& frames, const Skeleton& skeleton,
                   const MotionView& motion, const MotionKeys& keys, double starts_at_s) {
    AnimationMaker(parts, frames, skeleton, motion).make(keys, starts_at_s);
}

void write_glb(const std::string& path, const Rig& rig, const MotionView& motion, const MotionKeys& keys) {
    GlbParts parts = rig_as_glb(rig);
    if (motion.about().frames > 0)
        add_animation(parts, frames_of_joints(rig.skeleton), rig.skeleton, motion, keys);
    parts.write(path);
}

void write_glb(const std::string& path, const Skeleton& skeleton, const Take& take) {
    require_finite(path, skeleton, take);
    Rig rig;
    rig.path = path;
    rig.skeleton = skeleton;
    const TakeView view(take);
    write_glb(path, rig, view, key_every_frame(skeleton, view));
}

}  // namespace nb
