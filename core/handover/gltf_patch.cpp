#include "core/handover/gltf_patch.hpp"

#include <fmt/format.h>

#include <algorithm>

#include "core/base/fault.hpp"
#include "core/files/gltf/glb_parts.hpp"

namespace nb {

namespace {

class Patcher {
  public:
    Patcher(const Character& character, const MotionView& motion)
        : motion_(motion), take_(motion.about()), rig_(character.rig), parts_(character.rig) {}

    void patch_to(const std::string& path) {
        add_animation();
        parts_.write(path);
    }

  private:
    const MotionView& motion_;
    const Take& take_;  ///< about it; its frames may be elsewhere
    const Rig& rig_;
    GlbParts parts_;

    void add_animation() {
        const Quat& R_WF = rig_.conventions.R_WF;
        const Quat R_FW = R_WF.conjugate();
        std::vector<float> times;
        times.reserve(size_t(take_.frames));
        for (int f = 0; f < take_.frames; ++f) times.push_back(float(f * take_.frame_time_s));
        const size_t input = parts_.add_floats(times, "SCALAR", 1);
        parts_.json["accessors"][input]["min"] = {times.front()};
        parts_.json["accessors"][input]["max"] = {times.back()};
        Json animation = {{"name", take_.name.empty() ? "take" : take_.name},
                          {"channels", Json::array()},
                          {"samplers", Json::array()}};
        const auto add_channel_at = [&](size_t times_at, int joint, const char* what, size_t output) {
            const int node = rig_.nodes[size_t(joint)].node;
            parts_.free_of_matrix(size_t(node));
            animation["samplers"].push_back(
                {{"input", times_at}, {"output", output}, {"interpolation", "LINEAR"}});
            animation["channels"].push_back({{"sampler", animation["samplers"].size() - 1},
                                             {"target", {{"node", node}, {"path", what}}}});
        };
        const auto add_channel = [&](int joint, const char* what, size_t output) {
            add_channel_at(input, joint, what, output);
        };
        std::vector<float> values;
        for (int j = 0; j < take_.joints; ++j) {
            // Bones that never leave the rest need no keys.
            bool is_turned = false;
            for (int f = 0; f < take_.frames && !is_turned; ++f)
                is_turned = angle_between(motion_.rotation(f, j), rig_.skeleton.rest_R[size_t(j)]) > 1e-7;
            if (!is_turned) continue;
            const Vec3& flip = rig_.nodes[size_t(j)].flip_above;
            values.clear();
            Quat before = Quat::Identity();
            for (int f = 0; f < take_.frames; ++f) {
                const Quat R = R_FW * motion_.rotation(f, j) * R_WF;
                Quat in_file(R.w(), flip.y() * flip.z() * R.x(), flip.x() * flip.z() * R.y(),
                             flip.x() * flip.y() * R.z());
                in_file.normalize();
                if (in_file.dot(before) < 0) in_file.coeffs() = -in_file.coeffs();
                before = in_file;
                // Of unit length also in single precision, as validators ask.
                const Eigen::Vector4f single = in_file.coeffs().cast<float>().normalized();
                for (int c = 0; c < 4; ++c) values.push_back(single[c]);
            }
            add_channel(j, "rotation", parts_.add_floats(values, "VEC4", 4));
        }
        const auto in_file_units = [&](int joint, const Vec3& p) {
            const FileNode& at = rig_.nodes[size_t(joint)];
            return Vec3(at.flip_above.cwiseProduct(Vec3(R_FW * p)) /
                        (rig_.conventions.unit_m * at.scale_above));
        };
        for (size_t m = 0; m < take_.translated.size(); ++m) {
            const int joint = take_.translated[m];
            values.clear();
            for (int f = 0; f < take_.frames; ++f) {
                const Vec3 in_file = in_file_units(joint, motion_.translation(f, m));
                for (int axis = 0; axis < 3; ++axis) values.push_back(float(in_file[axis]));
            }
            add_channel(joint, "translation", parts_.add_floats(values, "VEC3", 3));
        }
        // Where the intake moved a bone the file's own place would show through: one key holds it. The rest of
        // the rig stays as its file has it.
        size_t once = 0;
        for (int j = 0; j < take_.joints; ++j) {
            if (std::find(take_.translated.begin(), take_.translated.end(), j) != take_.translated.end())
                continue;
            const Vec3 now = in_file_units(j, rig_.skeleton.rest_p[size_t(j)]);
            const Vec3 own = parts_.translation_of(size_t(rig_.nodes[size_t(j)].node));
            if ((now - own).norm() <= 1e-6 * std::max(1.0, own.norm())) continue;
            if (once == 0) {
                once = parts_.add_floats({0.0f}, "SCALAR", 1);
                parts_.json["accessors"][once]["min"] = parts_.json["accessors"][once]["max"] = {0.0f};
            }
            add_channel_at(once, j, "translation",
                           parts_.add_floats({float(now.x()), float(now.y()), float(now.z())}, "VEC3", 3));
        }
        Json& animations = parts_.json["animations"];
        if (animations.is_null()) animations = Json::array();
        if (!animation["channels"].empty()) animations.push_back(animation);
    }
};

}  // namespace

void patch_glb(const std::string& path, const Character& character, const MotionView& motion) {
    if (motion.about().frames < 1)
        throw FileError(path, "there are no frames to write", "choose a longer range");
    with_json_of(character.rig.path, [&] { Patcher(character, motion).patch_to(path); });
}

}  // namespace nb
