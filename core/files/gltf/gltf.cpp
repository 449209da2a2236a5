#include "core/files/gltf/gltf.hpp"

#include <fmt/format.h>
#include <algorithm>
#include <cmath>
#include <cstring>
#include <filesystem>
#include <set>
#include <sstream>

#include "core/base/fault.hpp"
#include "core/base/files.hpp"
#include "core/base/watch.hpp"
#include "core/files/gltf/access.hpp"
#include "core/files/gltf/humanoid.hpp"
#include "core/files/gltf/mesh.hpp"
#include "core/motion/finite.hpp"

namespace nb {

using gltf::read_rows;
using gltf::transform_of;

namespace {

/// Nodes below each other that are read, as in BVH files.
constexpr int deepest_tree = 512;

/// A frame this near to a key, as a share of a frame, is the key.
constexpr double key_snap = 0.05;

struct Track {
    std::vector<double> times;
    std::vector<double> values;
    int width = 4;
    std::string interpolation;

    /// glTF 2.0, appendix C: STEP, LINEAR (spherical for rotations), CUBICSPLINE.
    Eigen::Vector4d at(double time, double frame_s) const {
        const auto value = [this](size_t key, size_t part = 1) {
            Eigen::Vector4d v = Eigen::Vector4d::Zero();
            const size_t row = interpolation == "CUBICSPLINE" ? key * 3 + part : key;
            for (int c = 0; c < width; ++c) v[c] = values[row * size_t(width) + size_t(c)];
            return v;
        };
        const auto after = size_t(std::upper_bound(times.begin(), times.end(), time + 1e-7) - times.begin());
        if (after == 0) return value(0);
        if (after == times.size() || interpolation == "STEP") return value(after - 1);
        const double step = times[after] - times[after - 1];
        double u = std::clamp((time - times[after - 1]) / step, 0.0, 1.0);
        // Single-precision times lie beside the frames they stand for.
        if (std::min(u, 1.0 - u) * step < key_snap * std::min(step, frame_s)) u = std::round(u);
        const Eigen::Vector4d a = value(after - 1);
        const Eigen::Vector4d b = value(after);
        if (interpolation == "CUBICSPLINE") {
            const double u2 = u * u;
            const double u3 = u2 * u;
            return (2 * u3 - 3 * u2 + 1) * a + step * (u3 - 2 * u2 + u) * value(after - 1, 2) +
                   (-2 * u3 + 3 * u2) * b + step * (u3 - u2) * value(after, 0);
        }
        if (width == 3) return a + u * (b - a);
        const Quat R = interpolate(Quat(a[3], a[0], a[1], a[2]).normalized(),
                                   Quat(b[3], b[0], b[1], b[2]).normalized(), u);
        return R.coeffs();
    }
};

/// Joints in order, with the scale of all ancestors taken into the offsets.
class GltfReader {
  public:
    GltfReader(const tinygltf::Model& model, const std::string& path, int animation)
        : model_(model), path_(path), animation_(animation) {}

    SkeletonFile read() {
        find_parents();
        choose_nodes();
        if (file_.skeleton.names.empty())
            throw FileError(path_, "this reader finds no skeleton in it", "give a file with nodes");
        file_.channels.resize(file_.skeleton.names.size());
        file_.take.joints = file_.skeleton.size();
        find_end_sites();
        read_bind_pose();
        gltf::read_meshes(model_, parent_, joint_of_node_, frames_, path_, file_);
        file_.mapping = gltf::read_humanoid(model_, joint_of_node_, file_.skeleton);
        if (!model_.animations.empty()) animate();
        return std::move(file_);
    }

  private:
    const tinygltf::Model& model_;
    const std::string& path_;
    int animation_;
    std::vector<int> parent_;
    std::vector<int> joint_of_node_;
    JointFrames frames_;
    SkeletonFile file_;

    void find_parents() {
        const int count = int(model_.nodes.size());
        parent_.assign(size_t(count), -1);
        for (int n = 0; n < count; ++n) {
            for (const int child : model_.nodes[size_t(n)].children) {
                if (child < 0 || child >= count)
                    throw FileError(path_, fmt::format("node {} has a child that does not exist", n),
                                    "export the file again");
                if (parent_[size_t(child)] >= 0)
                    throw FileError(path_, fmt::format("node {} has two parents", child),
                                    "export the file again");
                parent_[size_t(child)] = n;
            }
        }
        // Depth of each node, every one looked at once; what is never reached from a root hangs on itself.
        std::vector<int> depth(size_t(count), -1);
        std::vector<int> stack;
        for (int n = 0; n < count; ++n)
            if (parent_[size_t(n)] < 0) {
                depth[size_t(n)] = 0;
                stack.push_back(n);
            }
        while (!stack.empty()) {
            const int n = stack.back();
            stack.pop_back();
            if (depth[size_t(n)] >= deepest_tree)
                throw FileError(path_, fmt::format("its nodes hang more than {} deep", deepest_tree),
                                "the file is damaged or no skeleton");
            for (const int child : model_.nodes[size_t(n)].children) {
                depth[size_t(child)] = depth[size_t(n)] + 1;
                stack.push_back(child);
            }
        }
        for (int n = 0; n < count; ++n)
            if (depth[size_t(n)] < 0)
                throw FileError(path_, fmt::format("node {} is its own ancestor", n),
                                "export the file again");
    }

    void choose_nodes() {
        std::set<int> wanted;
        const auto want = [&](int node) {
            if (node < 0 || node >= int(model_.nodes.size()))
                throw FileError(path_, "a joint or target node does not exist", "export the file again");
            for (; node >= 0 && wanted.insert(node).second; node = parent_[size_t(node)]) {
            }
        };
        for (const auto& skin : model_.skins)
            for (const int joint : skin.joints) want(joint);
        // Things beside the body, as they are handed over.
        for (int n = 0; n < int(model_.nodes.size()); ++n)
            if (const auto& extras = model_.nodes[size_t(n)].extras;
                extras.IsObject() && extras.Has(prop_mark) && extras.Get(prop_mark).IsBool())
                want(n);
        if (model_.skins.empty())
            for (const auto& animation : model_.animations)
                for (const auto& channel : animation.channels)
                    if (channel.target_node >= 0) want(channel.target_node);
        // Without a skin nothing says where the skeleton ends: what hangs below moves along.
        if (model_.skins.empty())
            for (int n = 0; n < int(model_.nodes.size()) && !model_.animations.empty(); ++n)
                for (int up = n; up >= 0; up = parent_[size_t(up)])
                    if (wanted.contains(up)) {
                        wanted.insert(n);
                        break;
                    }
        if (wanted.empty())
            for (int n = 0; n < int(model_.nodes.size()); ++n) wanted.insert(n);
        joint_of_node_.assign(model_.nodes.size(), -1);
        std::vector<int> stack;
        for (int n = int(model_.nodes.size()) - 1; n >= 0; --n)
            if (parent_[size_t(n)] < 0) stack.push_back(n);
        while (!stack.empty()) {
            const int n = stack.back();
            stack.pop_back();
            if (!wanted.contains(n)) continue;
            add_joint(n);
            const auto& children = model_.nodes[size_t(n)].children;
            stack.insert(stack.end(), children.rbegin(), children.rend());
        }
    }

    void add_joint(int n) {
        const auto& node = model_.nodes[size_t(n)];
        const int parent = parent_[size_t(n)] < 0 ? -1 : joint_of_node_[size_t(parent_[size_t(n)])];
        joint_of_node_[size_t(n)] = frames_.add(
            file_, parent, n, node.name.empty() ? fmt::format("node_{}", n) : node.name, transform_of(node));
    }

    /// Bare nodes below a joint that are no joints themselves say where the bone ends.
    void find_end_sites() {
        for (size_t n = 0; n < model_.nodes.size(); ++n) {
            const auto& node = model_.nodes[n];
            if (joint_of_node_[n] >= 0 || parent_[n] < 0 || node.mesh >= 0 || node.camera >= 0 ||
                !node.children.empty())
                continue;
            const int joint = joint_of_node_[size_t(parent_[n])];
            if (joint < 0) continue;
            const Vec3 offset = frames_.own_scale(joint) * transform_of(node).p;
            if (offset.norm() > 1e-9) file_.skeleton.end_sites.push_back({joint, offset});
        }
    }

    /// Rotations of the pose in which the skins were attached: inverse bind matrices turned back. Kept when
    /// they differ from the rest by more than rounding.
    void read_bind_pose() {
        Skeleton& skeleton = file_.skeleton;
        const size_t n = skeleton.names.size();
        std::vector<Quat> world(n);
        std::vector<char> is_bound(n, 0);
        for (const auto& skin : model_.skins) {
            if (skin.inverseBindMatrices < 0) continue;
            const auto rows = read_rows(model_, skin.inverseBindMatrices, 16, path_);
            for (size_t k = 0; k < std::min(skin.joints.size(), rows.size() / 16); ++k) {
                const size_t j = size_t(joint_of_node_[size_t(skin.joints[k])]);
                Mat3 linear = Eigen::Map<const Eigen::Matrix4d>(&rows[16 * k]).block<3, 3>(0, 0);
                for (int c = 0; c < 3; ++c) linear.col(c) /= std::max(1e-12, linear.col(c).norm());
                // Mirrored joints keep their rest: their bind frame is left-handed.
                if (is_bound[j] || linear.determinant() < 0.5 || frames_.is_mirrored(int(j))) continue;
                world[j] = Quat(linear).normalized().conjugate();
                is_bound[j] = 1;
            }
        }
        std::vector<Quat> local = skeleton.rest_R;
        double largest = 0.0;
        for (size_t j = 0; j < n; ++j) {
            const int parent = skeleton.parents[j];
            if (parent < 0 || !is_bound[j] || !is_bound[size_t(parent)]) continue;
            local[j] = world[size_t(parent)].conjugate() * world[j];
            largest = std::max(largest, angle_between(local[j], skeleton.rest_R[j]));
        }
        if (largest > deg_to_rad(0.1)) skeleton.bind_R = std::move(local);
    }

    /// Keys of scale that never change are no motion; those that do are told.
    void look_at_scale(const tinygltf::Animation& animation, const tinygltf::AnimationChannel& channel) {
        const std::string& name = model_.nodes[size_t(channel.target_node)].name;
        if (channel.sampler < 0 || size_t(channel.sampler) >= animation.samplers.size()) return;
        const auto rows = read_rows(model_, animation.samplers[size_t(channel.sampler)].output, 3, path_);
        double most = 0.0;
        for (size_t k = 3; k < rows.size(); ++k)
            most = std::max(most, std::abs(rows[k] - rows[k % 3]) / std::max(1e-9, std::abs(rows[k % 3])));
        if (most < 1e-4) {
            file_.facts.constant_scale_keys.push_back(name);
            return;
        }
        file_.facts.animated_scale.push_back(name);
        file_.notes.push_back(fmt::format("scale keys of '{}' are not followed", name));
    }

    /// The time of a frame of which all keys are multiples: the smallest distance of keys or a part of it, measured over
    /// the whole (single times are single precision); that distance itself where there is none.
    static double common_step(double smallest, double first, const std::vector<std::pair<int, Track>>& turns,
                              const std::vector<std::pair<int, Track>>& moves) {
        std::set<double> times;
        for (const auto* tracks : {&turns, &moves})
            for (const auto& [joint, track] : *tracks) times.insert(track.times.begin(), track.times.end());
        for (int parts = 1; parts <= 4; ++parts) {
            double step = smallest / parts;
            size_t off = 0;
            for (const double time : times) {
                const double frames = (time - first) / step;
                const double whole = std::round(frames);
                if (std::abs(frames - whole) > 0.1)
                    ++off;
                else if (whole > 0.0)
                    step = (time - first) / whole;
            }
            if (off * 100 <= times.size()) return step;
            // Some that lie off are told; only where many do a frame is shorter than their smallest distance.
            if (parts == 1 && off * 5 < times.size()) return smallest;
        }
        return smallest;
    }

    void animate() {
        for (size_t i = 0; i < model_.animations.size(); ++i)
            file_.animations.push_back(model_.animations[i].name.empty() ? fmt::format("animation {}", i + 1)
                                                                         : model_.animations[i].name);
        check_animation(path_, file_.animations, animation_);
        const auto& animation = model_.animations[size_t(animation_)];
        std::vector<std::pair<int, Track>> turns;
        std::vector<std::pair<int, Track>> moves;
        double first = 1e30;
        double last = -1e30;
        double step = 1e30;
        double longest_mean_step = 0.0;
        size_t most_keys = 1;
        size_t read = 0;
        for (const auto& channel : animation.channels) {
            look_up(0.7 * double(read++) / double(animation.channels.size()));
            if (channel.target_node < 0 || channel.target_node >= int(model_.nodes.size())) continue;
            const int joint = joint_of_node_[size_t(channel.target_node)];
            const bool is_turn = channel.target_path == "rotation";
            if (joint < 0 || (!is_turn && channel.target_path != "translation")) {
                if (channel.target_path == "scale") look_at_scale(animation, channel);
                continue;
            }
            if (channel.sampler < 0 || size_t(channel.sampler) >= animation.samplers.size())
                throw FileError(path_, "an animation has no sampler", "export the file again");
            const auto& sampler = animation.samplers[size_t(channel.sampler)];
            Track track;
            track.width = is_turn ? 4 : 3;
            track.interpolation = sampler.interpolation.empty() ? "LINEAR" : sampler.interpolation;
            track.times = read_rows(model_, sampler.input, 1, path_);
            track.values = read_rows(model_, sampler.output, track.width, path_);
            const size_t rows = track.times.size() * (track.interpolation == "CUBICSPLINE" ? 3 : 1);
            if (track.times.empty() || track.values.size() != rows * size_t(track.width))
                throw FileError(path_, "keys and times of an animation differ in number",
                                "export the file again");
            for (size_t k = 1; k < track.times.size(); ++k) {
                if (!(track.times[k] > track.times[k - 1]))
                    throw FileError(path_, "the times of an animation do not rise", "export the file again");
                step = std::min(step, track.times[k] - track.times[k - 1]);
            }
            if (track.times.size() > most_keys) {
                most_keys = track.times.size();
                longest_mean_step = (track.times.back() - track.times.front()) / double(most_keys - 1);
            }
            first = std::min(first, track.times.front());
            last = std::max(last, track.times.back());
            auto& tracks = is_turn ? turns : moves;
            if (std::any_of(tracks.begin(), tracks.end(),
                            [&](const auto& there) { return there.first == joint; })) {
                file_.notes.push_back(fmt::format("'{}' has two tracks of {}: the first counts",
                                                  file_.nodes[size_t(joint)].name, channel.target_path));
                continue;
            }
            tracks.emplace_back(joint, std::move(track));
        }
        if (turns.empty() && moves.empty()) return;
        Take& take = file_.take;
        file_.facts.key_rate_fps = step < 1e29 ? 1.0 / step : 0.0;
        // Evenly keyed, the mean distance of the longest track is exact; else what all keys are multiples of.
        if (std::abs(longest_mean_step - step) < 0.01 * step)
            step = longest_mean_step;
        else if (step < 1e29)
            step = common_step(step, first, turns, moves);
        const double fps = step < 1e29 ? std::clamp(1.0 / step, 1.0, 1000.0) : 30.0;
        const double whole = std::round(fps);
        const double rate = std::abs(fps - whole) < 0.02 ? whole : fps;
        take.frame_time_s = 1.0 / rate;
        take.frame_time_text = fmt::format("{:.7f}", take.frame_time_s);
        const double count = std::round((last - first) * rate) + 1;
        if (count * double(take.joints) > 2e8)
            throw FileError(path_, "the animation is too long for its key distance", "resample it");
        take.frames = int(count);
        for (const auto* tracks : {&turns, &moves})
            for (const auto& [joint, track] : *tracks)
                for (const double time : track.times) {
                    const double frame = (time - first) * rate;
                    ++file_.facts.keys;
                    file_.facts.keys_off_frames += std::abs(frame - std::round(frame)) > 0.01;
                }
        std::sort(moves.begin(), moves.end(), [](const auto& a, const auto& b) { return a.first < b.first; });
        for (const auto& [joint, track] : moves) take.translated.push_back(joint);
        std::vector<Quat>& rotations = take.R.edit();
        std::vector<Vec3>& places = take.p.edit();
        rotations.resize(size_t(take.frames) * size_t(take.joints));
        places.resize(size_t(take.frames) * take.translated.size());
        for (int f = 0; f < take.frames; ++f) {
            const double time = first + f * take.frame_time_s;
            Quat* R = rotations.data() + size_t(f) * size_t(take.joints);
            std::copy(file_.skeleton.rest_R.begin(), file_.skeleton.rest_R.end(), R);
            for (const auto& [joint, track] : turns) {
                const Eigen::Vector4d v = track.at(time, take.frame_time_s);
                const Quat in_file =
                    v.norm() > 1e-9 ? Quat(v[3], v[0], v[1], v[2]).normalized() : Quat::Identity();
                R[joint] = JointFrames::rotation(file_.nodes[size_t(joint)], in_file);
            }
            for (size_t m = 0; m < moves.size(); ++m) {
                const FileNode& at = file_.nodes[size_t(moves[m].first)];
                places[size_t(f) * moves.size() + m] =
                    JointFrames::place(at, moves[m].second.at(time, take.frame_time_s).head<3>());
            }
        }
    }
};

}  // namespace

SkeletonFile read_gltf(const std::string& path, int animation) {
    std::string encoding;
    const tinygltf::Model model = gltf::read_model(path, &encoding);
    SkeletonFile file = GltfReader(model, path, animation).read();
    file.facts.encoding = encoding;
    return file;
}

}  // namespace nb
