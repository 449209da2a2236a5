#include "core/intake/along.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>
#include <filesystem>

#include "core/base/fault.hpp"
#include "core/body/measures.hpp"
#include "core/motion/kinematics.hpp"

namespace nb {

namespace fs = std::filesystem;

namespace {

struct Anchor {
    const char* role;
    const char* what;
};

std::vector<Anchor> anchors_of(const std::string& what) {
    if (what == "face") return {{"head", "the face"}};
    std::vector<Anchor> hands;
    if (what != "fingers.right") hands.push_back({"hand.left", "the left fingers"});
    if (what != "fingers.left") hands.push_back({"hand.right", "the right fingers"});
    return hands;
}

constexpr double same_rest_rad = deg_to_rad(10.0);

/// One file's zero about a hand or head.
struct Zero {
    std::vector<Quat> R;  ///< world, by joint; of use for the anchor and what hangs on it
    std::vector<Vec3> p;  ///< seen from the anchor, world axes
};
Zero aligned_zero(const Character& of) {
    return {of.rest.R_WJ0, of.rest.p_WJ0};
}
Zero rest_zero(const Character& of, int anchor) {
    const Skeleton& s = of.rig.skeleton;
    const Pose rest = rest_pose(s);
    Quat turn = Quat::Identity();
    if (const int parent = s.parents[size_t(anchor)]; parent >= 0 && of.rest.is_there())
        turn = of.rest.R_WJ0[size_t(parent)] * rest.R[size_t(parent)].conjugate();
    Zero zero{rest.R, rest.p};
    for (Quat& R : zero.R) R = turn * R;
    for (Vec3& p : zero.p) p = turn * p;
    return zero;
}
/// Where a bone points: to the middle of those that hang on it; zero for a last one.
Vec3 direction(const Skeleton& s, const Zero& zero, int joint) {
    Vec3 way = Vec3::Zero();
    for (int j = 0; j < s.size(); ++j)
        if (s.parents[size_t(j)] == joint) way += zero.p[size_t(j)] - zero.p[size_t(joint)];
    return way.norm() > 1e-9 ? Vec3(way.normalized()) : Vec3(Vec3::Zero());
}

/// How much larger the body is there.
double scale_of(const Character& body, const Character& part, const Anchor& anchor) {
    const auto length = [&](const Character& of) {
        if (std::string(anchor.role) == "head") return body_height(of.rig.skeleton, of.roles);
        const std::string side = std::string(anchor.role).substr(4);
        return length_between(of.rig.skeleton, of.roles, "forearm" + side, "hand" + side);
    };
    const double own = length(body), its = length(part);
    return own > 1e-6 && its > 1e-6 ? own / its : 1.0;
}

/// One bone of the part on its way into the file.
struct Crossing {
    int from = -1;   ///< in the part
    int to = -1;     ///< in the file
    int above = -1;  ///< the crossing its parent is nearest to; -1: the anchor
    Quat R0;         ///< its zero on the body, world
    Quat R0_above;   ///< of the joint it hangs on in the file
};

class PartMaker {
  public:
    PartMaker(SkeletonFile& file, const LoadedFile& body, const LoadedFile& part)
        : file_(file),
          body_(body.character),
          part_(part.character),
          R_WF_(body_.rig.conventions.R_WF),
          part_rest_(rest_pose(part_.rig.skeleton)) {}

    /// Bones that cross, of which so many come new; both 0 where there is nothing.
    std::pair<int, int> find(const Anchor& anchor) {
        crossings_.clear();
        own_.clear();
        const Skeleton& its = part_.rig.skeleton;
        const int own_anchor = body_.roles.joint(anchor.role);
        if (own_anchor < 0) return {0, 0};
        const std::string& name = body_.rig.skeleton.names[size_t(own_anchor)];
        anchor_ = part_.roles.joint(anchor.role);
        if (anchor_ < 0) anchor_ = its.find(name);
        const int in_file = file_.skeleton.find(name);
        if (anchor_ < 0 || in_file < 0) return {0, 0};
        choose_zero(own_anchor);
        const double scale = scale_of(body_, part_, anchor);
        std::vector<int> place(its.names.size(), -1);
        int added = 0;
        for (int j = 0; j < its.size(); ++j) {
            if (!its.is_ancestor(anchor_, j) || j == anchor_) continue;
            Crossing one;
            one.from = j;
            const int up = its.parents[size_t(j)];
            one.above = up == anchor_ ? -1 : place[size_t(up)];
            const int own = joint_for(j, own_anchor);
            if (own >= 0) {
                one.to = file_.skeleton.find(body_.rig.skeleton.names[size_t(own)]);
                one.R0 = body_0_.R[size_t(own)];
                one.R0_above = body_0_.R[size_t(body_.rig.skeleton.parents[size_t(own)])];
                // Where bones lie between, its own way up leads to the same.
                one.above = nearest_above(body_.rig.skeleton.parents[size_t(own)]);
            } else {
                one.R0 = part_0_.R[size_t(j)];
                one.R0_above =
                    one.above < 0 ? body_0_.R[size_t(own_anchor)] : crossings_[size_t(one.above)].R0;
                // Of another file that went along before: the later one has it.
                one.to = added_before(its.names[size_t(j)]);
                if (one.to < 0) {
                    one.to = add(j, one, in_file, scale);
                    ++added;
                }
            }
            if (one.to < 0) continue;
            place[size_t(j)] = int(crossings_.size());
            own_.push_back(own);
            crossings_.push_back(one);
        }
        return {int(crossings_.size()), added};
    }

    /// `motion`: of the part, world.
    void put(const WorldMotion& motion, int first, double offset_s) {
        widen_take();
        const size_t count = crossings_.size();
        Take& take = file_.take;
        std::vector<Quat>& R = take.R.edit();
        std::vector<Quat> E(count);
        for (int f = 0; f < take.frames; ++f) {
            const double at = std::clamp((f * take.frame_time_s - offset_s) / motion.frame_time_s,
                                         offset_s == 0.0 ? 0.0 : double(first), double(motion.frames - 1));
            const int before = std::min(int(at), motion.frames - 1),
                      after = std::min(before + 1, motion.frames - 1);
            for (size_t i = 0; i < count; ++i)
                E[i] = turned(motion, before, crossings_[i].from)
                           .slerp(at - before, turned(motion, after, crossings_[i].from));
            for (size_t i = 0; i < count; ++i) {
                const Crossing& one = crossings_[i];
                R[size_t(f) * size_t(take.joints) + size_t(one.to)] =
                    local(one, one.above < 0 ? Quat::Identity() : E[size_t(one.above)], E[i]);
            }
        }
    }

  private:
    SkeletonFile& file_;
    const Character &body_, &part_;
    const Quat R_WF_;
    const Pose part_rest_;
    Zero body_0_, part_0_;
    std::vector<Crossing> crossings_;
    std::vector<int> own_;  ///< joints of the body, by crossing; -1: new
    int anchor_ = -1;       ///< in the part

    void choose_zero(int own_anchor) {
        body_0_ = rest_zero(body_, own_anchor);
        part_0_ = rest_zero(part_, anchor_);
        double apart = 0.0;
        int compared = 0;
        const Skeleton& its = part_.rig.skeleton;
        for (int j = 0; j < its.size(); ++j) {
            const int own = j != anchor_ && its.is_ancestor(anchor_, j) ? joint_for(j, own_anchor) : -1;
            if (own < 0) continue;
            const Vec3 a = direction(body_.rig.skeleton, body_0_, own), b = direction(its, part_0_, j);
            if (a.isZero() || b.isZero()) continue;
            apart += std::acos(std::clamp(a.dot(b), -1.0, 1.0));
            ++compared;
        }
        if (compared == 0 || apart < same_rest_rad * compared) return;
        if (!body_.rest.is_there() || !part_.rest.is_there()) return;
        body_0_ = aligned_zero(body_);
        part_0_ = aligned_zero(part_);
    }
    int joint_for(int j, int own_anchor) const {
        int own = -1;
        for (const RoleFill& fill : part_.roles.fills)
            if (fill.joint == j) own = body_.roles.joint(fill.role);
        if (own < 0) own = body_.rig.skeleton.find(part_.rig.skeleton.names[size_t(j)]);
        return own >= 0 && own != own_anchor && body_.rig.skeleton.is_ancestor(own_anchor, own) ? own : -1;
    }
    int nearest_above(int own) const {
        for (; own >= 0; own = body_.rig.skeleton.parents[size_t(own)]) {
            const auto at = std::find(own_.begin(), own_.end(), own);
            if (at != own_.end()) return int(at - own_.begin());
        }
        return -1;
    }
    int added_before(const std::string& name) const {
        const auto& along = file_.facts.along;
        return std::find(along.begin(), along.end(), name) == along.end() ? -1 : file_.skeleton.find(name);
    }
    /// E of joint `j`, from world rotations of the anchor and of itself.
    Quat turned(const Quat& R_a, const Quat& R_j, int j) const {
        const Quat Q_a = R_a * part_0_.R[size_t(anchor_)].conjugate();
        return Q_a.conjugate() * (R_j * part_0_.R[size_t(j)].conjugate());
    }
    Quat turned(const WorldMotion& motion, int f, int j) const {
        return turned(motion.R[motion.at(f, anchor_)], motion.R[motion.at(f, j)], j);
    }
    Quat at_rest(int j) const { return turned(part_rest_.R[size_t(anchor_)], part_rest_.R[size_t(j)], j); }
    /// R_PJ of the file.
    Quat local(const Crossing& one, const Quat& E_above, const Quat& E) const {
        const Quat R_PJ = (E_above * one.R0_above).conjugate() * (E * one.R0);
        return (R_WF_.conjugate() * R_PJ * R_WF_).normalized();
    }
    /// A new joint of the file, at rest as in the part's own rest.
    int add(int j, const Crossing& one, int anchor_in_file, double scale) {
        Skeleton& s = file_.skeleton;
        const Skeleton& its = part_.rig.skeleton;
        const double unit_m = body_.rig.conventions.unit_m;
        const int joint = s.size();
        std::string name = its.names[size_t(j)];
        while (s.find(name) >= 0) name += "_2";
        const auto in_file = [&](const Quat& R0_here, const Quat& R0_there, const Vec3& offset) {
            const Vec3 own = R0_here.conjugate() * (R0_there * offset);
            return Vec3(R_WF_.conjugate() * own * (scale / unit_m));
        };
        const int up = its.parents[size_t(j)];
        const Quat E_above = one.above < 0 ? Quat::Identity() : at_rest(crossings_[size_t(one.above)].from);
        s.names.push_back(name);
        file_.facts.along.push_back(name);
        s.parents.push_back(one.above < 0 ? anchor_in_file : crossings_[size_t(one.above)].to);
        s.rest_R.push_back(local(one, E_above, at_rest(j)));
        s.rest_p.push_back(in_file(one.R0_above, part_0_.R[size_t(up)], its.rest_p[size_t(j)]));
        if (!s.bind_R.empty()) s.bind_R.push_back(s.rest_R.back());
        for (const EndSite& site : its.end_sites)
            if (site.joint == j) s.end_sites.push_back({joint, in_file(one.R0, one.R0, site.offset_m)});
        file_.channels.resize(size_t(joint) + 1);
        file_.nodes.clear();  // it is not what its file holds any more
        return joint;
    }
    /// Bones that came new are at rest in all frames.
    void widen_take() {
        Take& take = file_.take;
        const auto before = size_t(take.joints), now = file_.skeleton.names.size();
        if (before == now) return;
        std::vector<Quat> wider;
        wider.reserve(size_t(take.frames) * now);
        for (int f = 0; f < take.frames; ++f) {
            const auto own = take.rotations(f);
            wider.insert(wider.end(), own.begin(), own.end());
            wider.insert(wider.end(), file_.skeleton.rest_R.begin() + std::ptrdiff_t(before),
                         file_.skeleton.rest_R.end());
        }
        take.R = std::move(wider);
        take.joints = int(now);
    }
};

}  // namespace

const std::vector<std::string>& along_parts() {
    static const std::vector<std::string> parts{"fingers", "fingers.left", "fingers.right", "face"};
    return parts;
}

std::string path_along(const std::string& of, const std::string& file) {
    const fs::path there(file);
    return (there.is_absolute() ? there : fs::path(of).parent_path() / there).lexically_normal().string();
}

std::string kept_along(const std::string& of, const std::string& file) {
    const fs::path there = fs::absolute(file).lexically_normal();
    const fs::path folder = fs::absolute(of).lexically_normal().parent_path();
    return there.parent_path() == folder ? there.filename().string() : there.string();
}

namespace {

void put_part(SkeletonFile& file, const LoadedFile& body, const std::string& path, const TakePart& asked) {
    if (std::find(along_parts().begin(), along_parts().end(), asked.what) == along_parts().end())
        throw FileError(path, fmt::format("'{}' is no part that goes along", asked.what),
                        fmt::format("write one of {}", fmt::join(along_parts(), ", ")));
    const std::string its_path = path_along(path, asked.file);
    LoadOptions options;
    options.animation = asked.animation;
    const LoadedFile part = load_file(its_path, options);
    if (!part.take) throw FileError(its_path, "holds no motion", "give the file of the fingers or the face");
    const WorldMotion motion = forward_kinematics(part.character.rig.skeleton, *part.take);
    PartMaker maker(file, body, part);
    std::vector<std::string> told;
    for (const Anchor& anchor : anchors_of(asked.what)) {
        const auto [bones, added] = maker.find(anchor);
        if (bones == 0) continue;
        maker.put(motion, part.take->first_motion_frame, asked.offset_s);
        told.push_back(fmt::format("{}: {} bones{}", anchor.what, bones,
                                   added > 0 ? fmt::format(", {} of them new", added) : ""));
    }
    if (told.empty())
        throw FileError(its_path,
                        fmt::format("has no {} for this take", asked.what == "face" ? "face" : "fingers"),
                        "look whether the hand or head of both has its role");
    std::string note =
        fmt::format("{} from {}", fmt::join(told, "; "), fs::path(its_path).filename().string());
    const double own_s = file.take.frames * file.take.frame_time_s;
    const double its_s = motion.frames * motion.frame_time_s + asked.offset_s;
    if (asked.offset_s > 0.0) note += fmt::format("; held for the first {:.2f} s", asked.offset_s);
    if (its_s + 0.5 * file.take.frame_time_s < own_s)
        note += fmt::format("; held for the last {:.2f} s", own_s - its_s);
    file.notes.push_back(note);
}

}  // namespace

void put_along(SkeletonFile& file, const LoadedFile& body, const std::string& path,
               const std::vector<TakePart>& parts, bool is_strict) {
    for (const TakePart& asked : parts) try {
            put_part(file, body, path, asked);
        } catch (const FileError& fault) {
            if (is_strict) throw;
            file.facts.away.push_back(fmt::format("the {} stay away: {}", asked.what, fault.what()));
            file.notes.push_back(file.facts.away.back());
        }
}

}  // namespace nb
