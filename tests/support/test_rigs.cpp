#include "tests/support/test_rigs.hpp"

#include "core/base/files.hpp"
#include "core/library/library.hpp"
#include "core/motion/kinematics.hpp"

#include <fmt/format.h>

#include <cmath>
#include <filesystem>
#include <nlohmann/json.hpp>

namespace nb::test {

double uniform(Random& random, double low, double high) {
    return std::uniform_real_distribution<double>(low, high)(random);
}

std::string capture(const std::string& name) {
    return "/usr/share/assimp/models/BVH/" + name;
}
std::string demo(const std::string& path) {
    return std::string(NB_SOURCE_DIR) + "/demo-library/" + path;
}

void copy_demo(const std::string& to) {
    std::filesystem::copy(demo(""), to, std::filesystem::copy_options::recursive);
}

std::string rig(const std::string& path) {
    return std::string(NB_SOURCE_DIR) + "/tests/rigs/" + path;
}

namespace {

Vec3 random_direction(Random& random) {
    std::normal_distribution<double> normal;
    return Vec3(normal(random), normal(random), normal(random)).normalized();
}

Quat random_turn(Random& random, double most_deg) {
    return exp_rotation(deg_to_rad(uniform(random, -most_deg, most_deg)) * random_direction(random));
}

struct Builder {
    SkeletonFile file;
    std::vector<Vec3> p;  // world
    int add(const std::string& name, int parent, const Vec3& offset) {
        Skeleton& skeleton = file.skeleton;
        skeleton.names.push_back(name);
        skeleton.parents.push_back(parent);
        skeleton.rest_R.push_back(Quat::Identity());
        skeleton.rest_p.push_back(offset);
        return skeleton.size() - 1;
    }
};

/// Poses the skeleton by a local turn a joint and makes that pose the stored rest, orientations zero.
void bake_rest(Skeleton& skeleton, const std::vector<Quat>& local) {
    std::vector<Quat> R(local.size());
    for (size_t j = 0; j < local.size(); ++j) {
        const int parent = skeleton.parents[j];
        R[j] = parent < 0 ? local[j] : R[size_t(parent)] * local[j];
        if (parent >= 0) skeleton.rest_p[j] = R[size_t(parent)] * skeleton.rest_p[j];
    }
    for (EndSite& site : skeleton.end_sites) site.offset_m = R[size_t(site.joint)] * site.offset_m;
}

}  // namespace

SkeletonFile random_body(std::uint64_t seed, const BodyOptions& options) {
    Random random(seed * 7919 + 17);
    Builder b;
    const double H = uniform(random, 1.1, 2.1);
    const double leg = H * uniform(random, 0.42, 0.54);
    const double arm = H * uniform(random, 0.28, 0.38);
    const double thigh = leg * uniform(random, 0.45, 0.55);
    const double ankle = 0.04 * H;
    const double half_hip = H * uniform(random, 0.04, 0.07);
    const int hips = b.add("hips", -1, {0, ankle + leg + 0.03 * H, 0});
    const int spines = options.spine_count ? options.spine_count : 1 + int(random() % 5);
    const int necks = options.neck_count ? options.neck_count : 1 + int(random() % 3);
    int at = hips;
    for (int i = 0; i < spines; ++i)
        at = b.add(i + 1 == spines ? "chest" : fmt::format("spine{}", i + 1), at,
                   {0, 0.22 * H / spines, uniform(random, -0.01, 0.01)});
    const int chest = at;
    for (int i = 0; i < necks; ++i)
        at = b.add(fmt::format("neck{}", i + 1), at, {0, (i == 0 ? 0.1 : 0.03) * H, 0});
    const int head = b.add("head", at, {0, 0.05 * H, 0.01});
    b.file.skeleton.end_sites.push_back({head, {0, 0.12 * H, 0}});
    for (const std::string side : {"left", "right"}) {
        const double x = side == "left" ? 1.0 : -1.0;
        int shoulder = chest;
        Vec3 to_arm(x * 0.12 * H, 0.07 * H, 0);
        if (options.has_clavicles) {
            shoulder = b.add("clavicle_" + side, chest, {x * 0.02 * H, 0.07 * H, 0.01});
            to_arm = {x * 0.1 * H, 0, -0.01};
        }
        const int upper = b.add("upperarm_" + side, shoulder, to_arm);
        const int fore = b.add("forearm_" + side, upper, {x * arm * 0.55, 0, 0});
        const int hand = b.add("hand_" + side, fore, {x * arm * 0.45, 0, 0});
        b.file.skeleton.end_sites.push_back({hand, {x * 0.1 * H, 0, 0}});
    }
    for (const std::string side : {"left", "right"}) {
        const double x = side == "left" ? 1.0 : -1.0;
        const int upper = b.add("thigh_" + side, hips, {x * half_hip, -0.03 * H, 0});
        const int shin = b.add("shin_" + side, upper, {0, -thigh, 0});
        const int foot = b.add("foot_" + side, shin, {0, -(leg - thigh), 0});
        if (options.has_toes) {
            const int toe = b.add("toe_" + side, foot, {0, -0.7 * ankle, 0.1 * H});
            b.file.skeleton.end_sites.push_back({toe, {0, 0, 0.04 * H}});
        } else {
            b.file.skeleton.end_sites.push_back({foot, {0, -0.7 * ankle, 0.14 * H}});
        }
    }
    Skeleton& skeleton = b.file.skeleton;
    std::vector<Quat> local(skeleton.names.size(), Quat::Identity());
    if (options.rest_off_deg > 0.0)
        for (int j = 0; j < skeleton.size(); ++j) {
            const std::string& name = skeleton.names[size_t(j)];
            for (const auto* part : {"upperarm", "forearm", "thigh", "shin"})
                if (name.starts_with(part)) local[size_t(j)] = random_turn(random, options.rest_off_deg);
        }
    bake_rest(skeleton, local);
    b.file.channels.assign(skeleton.names.size(), {{true, 2}, {true, 0}, {true, 1}});
    b.file.channels[0] = {{false, 0}, {false, 1}, {false, 2}, {true, 2}, {true, 0}, {true, 1}};
    b.file.take.joints = skeleton.size();
    return options.random_axes ? re_rolled(b.file, seed + 5) : b.file;
}

Take random_motion(const SkeletonFile& body, std::uint64_t seed, int frames) {
    Random random(seed * 104729 + 3);
    const Skeleton& skeleton = body.skeleton;
    Take take;
    take.frame_time_text = "0.0166667";
    take.frame_time_s = 0.0166667;
    take.frames = frames;
    take.joints = skeleton.size();
    take.translated = {0};
    take.R.edit().resize(size_t(frames) * skeleton.names.size());
    take.p.edit().resize(size_t(frames));
    // Each joint turns about two axes of its own by slow sines.
    for (size_t j = 0; j < skeleton.names.size(); ++j) {
        const double most = j == 0 ? 25.0 : skeleton.names[j].starts_with("shin") ? 35.0 : 30.0;
        const Vec3 a = random_direction(random);
        const Vec3 c = random_direction(random);
        const double rate_a = uniform(random, 0.5, 2.0);
        const double rate_c = uniform(random, 0.3, 1.5);
        const double phase = uniform(random, 0.0, 6.0);
        for (int f = 0; f < frames; ++f) {
            const double t = f * take.frame_time_s;
            const Vec3 w =
                deg_to_rad(most) * (0.7 * std::sin(rate_a * t + phase) * a + 0.5 * std::sin(rate_c * t) * c);
            take.R.edit()[size_t(f) * skeleton.names.size() + j] = skeleton.rest_R[j] * exp_rotation(w);
        }
    }
    for (int f = 0; f < frames; ++f) {
        const double t = f * take.frame_time_s;
        take.p.edit()[size_t(f)] =
            skeleton.rest_p[0] + Vec3(0.3 * std::sin(t), 0.05 * std::sin(2 * t) - 0.05, 0.8 * t);
    }
    return take;
}

SkeletonFile scaled(SkeletonFile file, double k) {
    for (Vec3& p : file.skeleton.rest_p) p *= k;
    for (EndSite& site : file.skeleton.end_sites) site.offset_m *= k;
    for (Vec3& p : file.take.p.edit()) p *= k;
    return file;
}

SkeletonFile turned(SkeletonFile file, const Quat& R) {
    for (Vec3& p : file.skeleton.rest_p) p = R * p;
    for (EndSite& site : file.skeleton.end_sites) site.offset_m = R * site.offset_m;
    for (Vec3& p : file.take.p.edit()) p = R * p;
    for (Quat& local : file.skeleton.rest_R) local = R * local * R.conjugate();
    for (Quat& local : file.take.R.edit()) local = R * local * R.conjugate();
    return file;
}

SkeletonFile re_rested(const SkeletonFile& file, int frame) {
    SkeletonFile result = file;
    Skeleton& skeleton = result.skeleton;
    const Pose pose = pose_at(file.skeleton, file.take, frame);
    const size_t n = skeleton.names.size();
    std::vector<Quat> change(n);  // R_J'J: new axes of a joint seen from ... R_WJ' = R_WJ(t) R_WJ(frame)^T
    for (size_t j = 0; j < n; ++j) {
        const int parent = skeleton.parents[j];
        skeleton.rest_R[j] = Quat::Identity();
        skeleton.rest_p[j] = parent < 0 ? pose.p[j] : Vec3(pose.p[j] - pose.p[size_t(parent)]);
        change[j] = pose.R[j];
    }
    for (EndSite& site : skeleton.end_sites) site.offset_m = change[size_t(site.joint)] * site.offset_m;
    for (int f = 0; f < file.take.frames; ++f) {
        for (size_t j = 0; j < n; ++j) {
            const int parent = skeleton.parents[j];
            const Quat& R = file.take.R[size_t(f) * n + j];
            const Quat before = parent < 0 ? Quat::Identity() : change[size_t(parent)];
            result.take.R.edit()[size_t(f) * n + j] = (before * R * change[j].conjugate()).normalized();
        }
        for (size_t m = 0; m < file.take.translated.size(); ++m) {
            const int parent = skeleton.parents[size_t(file.take.translated[m])];
            if (parent < 0) continue;
            Vec3& p = result.take.p.edit()[size_t(f) * file.take.translated.size() + m];
            p = change[size_t(parent)] * p;
        }
    }
    return result;
}

SkeletonFile re_rolled(const SkeletonFile& file, std::uint64_t seed) {
    Random random(seed);
    SkeletonFile result = file;
    Skeleton& skeleton = result.skeleton;
    const size_t n = skeleton.names.size();
    std::vector<Quat> roll(n);  // R_JJ'
    for (Quat& R : roll) R = random_turn(random, 180.0);
    const auto before = [&](size_t j) {
        const int parent = skeleton.parents[j];
        return parent < 0 ? Quat::Identity() : Quat(roll[size_t(parent)].conjugate());
    };
    for (size_t j = 0; j < n; ++j) {
        skeleton.rest_R[j] = before(j) * skeleton.rest_R[j] * roll[j];
        skeleton.rest_p[j] = before(j) * skeleton.rest_p[j];
    }
    for (EndSite& site : skeleton.end_sites)
        site.offset_m = roll[size_t(site.joint)].conjugate() * site.offset_m;
    for (int f = 0; f < file.take.frames; ++f) {
        for (size_t j = 0; j < n; ++j) {
            Quat& R = result.take.R.edit()[size_t(f) * n + j];
            R = (before(j) * R * roll[j]).normalized();
        }
        const size_t moving = file.take.translated.size();
        for (size_t m = 0; m < moving; ++m) {
            Vec3& p = result.take.p.edit()[size_t(f) * moving + m];
            p = before(size_t(file.take.translated[m])) * p;
        }
    }
    return result;
}

Difference difference(const WorldMotion& a, const WorldMotion& b, double k) {
    Difference result;
    if (a.frames != b.frames || a.joints != b.joints) return {1e30, 1e30};
    for (size_t i = 0; i < a.p.size(); ++i) {
        result.place_m = std::max(result.place_m, (k * a.p[i] - b.p[i]).norm());
        result.turn_deg = std::max(result.turn_deg, rad_to_deg(angle_between(a.R[i], b.R[i])));
    }
    return result;
}

LoadedFile demo_body(const std::string& name) {
    std::vector<std::string> notes;
    const std::string folder = demo("characters/" + name);
    return load_character(folder + "/rig.glb", folder + "/character.json", notes);
}

LoadedFile demo_take(const std::string& name) {
    std::vector<std::string> notes;
    return load_take(demo("takes/" + name + ".take.json"), "", notes);
}

std::vector<Label> labels_of(const std::string& take) {
    std::vector<Label> labels;
    for (const auto& label : nlohmann::json::parse(read_file(demo("takes/" + take + ".labels.json"))))
        labels.push_back({label.at("limb"), label.at("point"), label.value("on", ""), label.at("first"),
                          label.at("last")});
    return labels;
}

TransferResult carry(const LoadedFile& source, const LoadedFile& target, const PairingSettings& settings) {
    return transfer(source.character, *source.take, target.character, settings);
}

SkeletonFile crossed_legs(SkeletonFile body) {
    for (std::string& name : body.skeleton.names)
        for (const std::string part : {"thigh_", "shin_", "foot_", "toe_"})
            if (name.starts_with(part)) name = part + (name.ends_with("left") ? "right" : "left");
    return body;
}

}  // namespace nb::test
