#include "core/intake/things.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>
#include <filesystem>
#include <optional>

#include "core/base/fault.hpp"
#include "core/intake/along.hpp"
#include "core/motion/kinematics.hpp"

namespace nb {

namespace fs = std::filesystem;

namespace {

Rigid placed(const StageThing& thing) {
    return {exp_rotation(deg_to_rad(thing.turn_deg) * Vec3::UnitY()), thing.at_m};
}

/// X_WH of who holds it; nothing for a body without that hand.
class Holder {
  public:
    Holder(const Character& body, const std::string& held_by)
        : skeleton_(body.rig.skeleton),
          left_(held_by == "right" ? -1 : body.roles.joint("hand.left")),
          right_(held_by == "left" ? -1 : body.roles.joint("hand.right")),
          is_both_(held_by == "both") {
        if (held_by.empty() || (is_both_ && (left_ < 0 || right_ < 0))) left_ = right_ = -1;
    }

    bool is_there() const { return left_ >= 0 || right_ >= 0; }

    Rigid at(const Take& take, int frame) const {
        const Pose pose = pose_at(skeleton_, take, frame);
        if (!is_both_) {
            const size_t hand = size_t(std::max(left_, right_));
            return {pose.R[hand], pose.p[hand]};
        }
        const Vec3& L = pose.p[size_t(left_)];
        const Vec3& R = pose.p[size_t(right_)];
        Mat3 axes;
        axes.col(0) = (R - L).norm() > 1e-9 ? Vec3((R - L).normalized()) : Vec3(Vec3::UnitX());
        Vec3 ahead = axes.col(0).cross(Vec3::UnitY());
        if (ahead.norm() < 1e-6) ahead = axes.col(0).unitOrthogonal();
        axes.col(2) = ahead.normalized();
        axes.col(1) = axes.col(2).cross(axes.col(0));
        return {Quat(axes), 0.5 * (L + R)};
    }

  private:
    const Skeleton& skeleton_;
    int left_, right_;
    bool is_both_;
};

template <typename Value>
std::vector<Value> widened(const std::vector<Value>& all, size_t row, size_t by, const Value& with) {
    std::vector<Value> wider;
    const size_t rows = row > 0 ? all.size() / row : 0;
    wider.reserve(rows * (row + by));
    for (size_t i = 0; i < rows; ++i) {
        wider.insert(wider.end(), all.begin() + std::ptrdiff_t(i * row),
                     all.begin() + std::ptrdiff_t((i + 1) * row));
        wider.insert(wider.end(), by, with);
    }
    return wider;
}

}  // namespace

const std::vector<std::string>& thing_holders() {
    static const std::vector<std::string> holders{"", "left", "right", "both"};
    return holders;
}

int frame_at(const Take& take, double t_s) {
    return std::clamp(int(std::lround((t_s - take.start_s) / take.frame_time_s)), 0, take.frames - 1);
}

void add_things(Rig& rig, Take& take, const std::vector<StageThing>& things) {
    Skeleton& skeleton = rig.skeleton;
    rig.facts.things.clear();
    if (things.empty() || take.frames == 0) return;
    for (const StageThing& thing : things) {
        std::string name = thing.name.empty() ? fs::path(thing.file).stem().string() : thing.name;
        if (name.empty()) name = "thing";
        const std::string wanted = name;
        for (int n = 2; skeleton.find(name) >= 0; ++n) name = fmt::format("{}_{}", wanted, n);
        rig.facts.things.push_back(name);
        rig.facts.along.push_back(name);
        skeleton.names.push_back(name);
        skeleton.parents.push_back(-1);
        skeleton.rest_R.push_back(Quat::Identity());
        skeleton.rest_p.push_back(Vec3::Zero());
        if (!skeleton.bind_R.empty()) skeleton.bind_R.push_back(Quat::Identity());
        if (!rig.channels.empty()) rig.channels.emplace_back();
    }
    rig.nodes.clear();  // it is not what its file holds any more
    const size_t more = things.size(), joints = size_t(take.joints), places = take.translated.size();
    const auto with_places = [&](const std::vector<Vec3>& all, size_t frames) {
        return places > 0 ? widened<Vec3>(all, places, more, Vec3::Zero())
                          : std::vector<Vec3>(frames * more, Vec3::Zero());
    };
    take.p = with_places(take.p, size_t(take.frames));
    take.start_p = with_places(take.start_p, take.start_R.empty() ? 0 : 1);
    take.R = widened<Quat>(take.R, joints, more, Quat::Identity());
    take.start_R = widened<Quat>(take.start_R, joints, more, Quat::Identity());
    for (size_t i = 0; i < more; ++i) take.translated.push_back(take.joints + int(i));
    take.joints += int(more);
}

void carry_things(LoadedFile& file, bool is_strict) {
    Character& body = file.character;
    const std::vector<StageThing>& things = body.rig.options.things;
    const std::vector<std::string>& names = body.rig.facts.things;
    if (!file.take || names.size() != things.size()) return;
    Take& take = *file.take;
    for (size_t i = 0; i < things.size(); ++i) {
        const StageThing& thing = things[i];
        if (std::find(thing_holders().begin(), thing_holders().end(), thing.held_by) == thing_holders().end())
            throw FileError(body.rig.path, fmt::format("'{}' cannot hold {}", thing.held_by, names[i]),
                            "write left, right or both, or leave it out");
        const int joint = body.rig.skeleton.find(names[i]);
        const auto place = std::find(take.translated.begin(), take.translated.end(), joint);
        if (joint < 0 || place == take.translated.end()) continue;
        const size_t at = size_t(place - take.translated.begin());
        const Holder holder(body, thing.held_by);
        const int from = frame_at(take, thing.from_s);
        const int to = thing.to_s > thing.from_s ? frame_at(take, thing.to_s) : take.frames - 1;
        const Rigid taken = placed(thing);
        const Rigid X_HT = holder.is_there() ? inverse(holder.at(take, from)) * taken : taken;
        std::vector<Quat>& R = take.R.edit();
        std::vector<Vec3>& p = take.p.edit();
        Rigid now = taken;
        for (int f = 0; f < take.frames; ++f) {
            if (holder.is_there() && f > from && f <= to) now = holder.at(take, f) * X_HT;
            R[size_t(f) * size_t(take.joints) + size_t(joint)] = now.R.normalized();
            p[size_t(f) * take.translated.size() + at] = now.p;
        }
        const std::string path = path_along(body.rig.path, thing.file);
        std::error_code error;
        if (!fs::exists(path, error)) {
            if (is_strict) throw FileError(path, "is not there", "choose the file of the thing again");
            const std::string told = fmt::format("{} is not shown: {} is not there", names[i], path);
            auto& away = body.rig.facts.away;
            if (std::find(away.begin(), away.end(), told) == away.end()) away.push_back(told);
            continue;
        }
        const auto is_its = [&](const StagePiece& piece) { return piece.joint == names[i]; };
        if (std::none_of(file.pieces.begin(), file.pieces.end(), is_its))
            file.pieces.push_back({path, names[i], Vec3::Zero(), false});
    }
}

StageThing brought_to_hand(const LoadedFile& file, const StageThing& thing, const Vec3& middle_m,
                           double at_s) {
    const Holder holder(file.character, thing.held_by);
    if (!file.take || !holder.is_there()) return thing;
    StageThing brought = thing;
    const Rigid X_WH = holder.at(*file.take, frame_at(*file.take, at_s));
    brought.at_m = X_WH.p - placed(thing).R * middle_m;
    return brought;
}

}  // namespace nb
