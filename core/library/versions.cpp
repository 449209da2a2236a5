#include "core/library/versions.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <numbers>
#include <tuple>

#include "core/math/canonical.hpp"
#include "core/math/turn_between.hpp"

namespace nb {

namespace {

constexpr double same_place = 0.02;    // of the height, for a bone of another name
constexpr double moved_share = 0.002;  // of the height
constexpr double turned_rad = 0.5 * std::numbers::pi / 180.0;
constexpr double as_a_whole_rad = std::numbers::pi / 180.0;
constexpr double resized = 1e-3;
constexpr float another_weight = 0.01F;
constexpr int whole_rounds = 20;

double height_of(const Pose& pose) {
    double low = 1e30, high = -1e30;
    for (const Vec3& p : pose.p) {
        low = std::min(low, p.y());
        high = std::max(high, p.y());
    }
    return pose.p.empty() ? 0.0 : high - low;
}

class Comparison {
  public:
    Comparison(const Character& older, const Rig& newer)
        : old_(older),
          new_(newer),
          O_(older.rig.skeleton),
          N_(newer.skeleton),
          old_pose_(rest_pose(O_)),
          new_pose_(rest_pose(N_)),
          height_m_(std::max(1e-6, height_of(old_pose_))) {}

    RigComparison made() {
        found_.new_of_old.assign(size_t(O_.size()), -1);
        old_of_new_.assign(size_t(N_.size()), -1);
        for (int j = 0; j < O_.size(); ++j)
            if (const int now = N_.find(O_.names[size_t(j)]); now >= 0 && old_of_new_[size_t(now)] < 0)
                pair(j, now);
        const bool has_names = first_pair() >= 0;
        measure_whole();
        find_renamed();
        // Without a single name that is the same, heights said how large it is; bones say it better.
        if (!has_names && first_pair() >= 0) measure_whole();
        find_frames();
        tell_bones();
        tell_skin();
        tell_work();
        return std::move(found_);
    }

  private:
    const Character& old_;
    const Rig& new_;
    const Skeleton &O_, &N_;
    const Pose old_pose_, new_pose_;
    const double height_m_;
    RigComparison found_;
    std::vector<int> old_of_new_;
    Quat turned_ = Quat::Identity();
    Vec3 shift_ = Vec3::Zero();
    std::vector<Quat> frame_;  ///< by older joints: T

    void pair(int before, int now) {
        found_.new_of_old[size_t(before)] = now;
        old_of_new_[size_t(now)] = before;
    }
    int now_of(int before) const { return before < 0 ? -1 : found_.new_of_old[size_t(before)]; }

    /// Size and turn of the file as a whole, by bones of the same name.
    void measure_whole() {
        std::vector<double> ratios;
        for (int j = 0; j < O_.size(); ++j) {
            const int now = now_of(j);
            if (now < 0 || O_.parents[size_t(j)] < 0) continue;
            const double before = O_.rest_p[size_t(j)].norm();
            if (before > 0.005 * height_m_) ratios.push_back(N_.rest_p[size_t(now)].norm() / before);
        }
        if (ratios.empty() && first_pair() < 0) ratios.push_back(height_of(new_pose_) / height_m_);
        if (!ratios.empty()) {
            std::nth_element(ratios.begin(), ratios.begin() + std::ptrdiff_t(ratios.size() / 2),
                             ratios.end());
            const double ratio = ratios[ratios.size() / 2];
            found_.size = std::abs(ratio - 1.0) > resized ? ratio : 1.0;
            found_.is_unit = false;
            for (const double unit : {10.0, 100.0, 1000.0, 2.54, 25.4, 0.3048, 30.48, 12.0})
                found_.is_unit |=
                    std::abs(ratio / unit - 1.0) < resized || std::abs(ratio * unit - 1.0) < resized;
        }
        // By directions from the topmost bone of both to the others, as a joint's own axes may be others; those that stand
        // elsewhere count the less the farther they do.
        const int root = first_pair();
        if (root < 0) return;
        std::vector<Vec3> was, is;
        for (int j = 0; j < O_.size(); ++j) {
            if (now_of(j) < 0 || j == root) continue;
            was.push_back(found_.size * (old_pose_.p[size_t(j)] - old_pose_.p[size_t(root)]));
            is.push_back(new_pose_.p[size_t(now_of(j))] - new_pose_.p[size_t(now_of(root))]);
        }
        if (!was.empty()) {
            std::vector<double> weights(was.size(), 1.0);
            Quat turn = turn_between(was, is, weights);
            for (int round = 0; round < whole_rounds; ++round) {
                for (size_t i = 0; i < was.size(); ++i)
                    weights[i] = 1.0 / ((is[i] - turn * was[i]).norm() + 1e-3 * found_.size * height_m_);
                turn = turn_between(was, is, weights);
            }
            // Where the first bone that parts says something, that counts: limbs may well have most of the bones.
            turn = turn_where_it_parts(turn);
            turned_ = Quat::Identity();
            found_.turned_deg = 0.0;
            if (const double angle = log_rotation(turn).norm(); angle > as_a_whole_rad) {
                turned_ = turn;
                found_.turned_deg = rad_to_deg(angle);
            }
        }
        shift_ = new_pose_.p[size_t(now_of(root))] - found_.size * (turned_ * old_pose_.p[size_t(root)]);
    }
    /// None, or that of its own axes, when what hangs on the topmost bone that carries two others agrees; else `usual`.
    Quat turn_where_it_parts(const Quat& usual) const {
        const auto children = O_.children();
        for (int j = 0; j < O_.size(); ++j) {
            std::vector<Vec3> was, is;
            for (const int child : children[size_t(j)]) {
                if (!hangs_as_before(child) || now_of(j) < 0) continue;
                was.push_back(offset(O_, old_pose_, child));
                is.push_back(offset(N_, new_pose_, now_of(child)) / found_.size);
            }
            if (was.size() < 2) continue;
            const Quat by_axes = new_pose_.R[size_t(now_of(j))] * old_pose_.R[size_t(j)].conjugate();
            for (const Quat& turn : {Quat::Identity(), by_axes})
                if (is_turned_so(was, is, turn)) return turn;
            return usual;
        }
        return usual;
    }
    bool is_turned_so(const std::vector<Vec3>& was, const std::vector<Vec3>& is, const Quat& turn) const {
        for (size_t i = 0; i < was.size(); ++i)
            if ((is[i] - turn * was[i]).norm() > moved_share * height_m_) return false;
        return true;
    }
    int first_pair() const {
        for (int j = 0; j < O_.size(); ++j)
            if (now_of(j) >= 0) return j;
        return -1;
    }
    static Vec3 offset(const Skeleton& skeleton, const Pose& pose, int joint) {
        const int parent = skeleton.parents[size_t(joint)];
        return parent < 0 ? pose.p[size_t(joint)] : Vec3(pose.p[size_t(joint)] - pose.p[size_t(parent)]);
    }
    /// The frame of the bone above, as it is turned in the newer file.
    const Quat& above(int joint) const {
        const int parent = O_.parents[size_t(joint)];
        return parent < 0 ? turned_ : frame_[size_t(parent)];
    }
    /// Where the newer bone stands beside where the older one would, seen from the bone above; of its parent what is known.
    Vec3 off_by(int before, int now) const {
        if (O_.parents[size_t(before)] < 0)
            return new_pose_.p[size_t(now)] -
                   (found_.size * (turned_ * old_pose_.p[size_t(before)]) + shift_);
        return offset(N_, new_pose_, now) - found_.size * (above(before) * offset(O_, old_pose_, before));
    }
    double off_m(int before, int now) const { return off_by(before, now).norm() / found_.size; }
    double longer_m(int before, int now) const {
        return offset(N_, new_pose_, now).norm() / found_.size - offset(O_, old_pose_, before).norm();
    }
    bool hangs_as_before(int joint) const {
        const int now = now_of(joint);
        return now >= 0 && now_of(O_.parents[size_t(joint)]) == N_.parents[size_t(now)];
    }
    /// The frames of all older bones as they are turned in the newer file, from the root outward.
    void find_frames() {
        frame_.assign(size_t(O_.size()), turned_);
        const auto children = O_.children();
        for (int j = 0; j < O_.size(); ++j) {
            frame_[size_t(j)] = above(j);
            if (now_of(j) < 0) continue;
            std::vector<Vec3> was, is;
            bool is_off = false, is_as_long = true;
            for (const int child : children[size_t(j)]) {
                if (!hangs_as_before(child)) continue;
                was.push_back(above(j) * offset(O_, old_pose_, child));
                is.push_back(offset(N_, new_pose_, now_of(child)) / found_.size);
                is_off |= (is.back() - was.back()).norm() > moved_share * height_m_;
                is_as_long &= std::abs(longer_m(child, now_of(child))) <= moved_share * height_m_;
            }
            if (was.empty() || !is_as_long) continue;
            // With its axes, where these and those of what hangs on it went along; else as its bones say.
            const Quat by_axes =
                new_pose_.R[size_t(now_of(j))] * old_pose_.R[size_t(j)].conjugate() * above(j).conjugate();
            bool go_along = angle_between(by_axes, Quat::Identity()) > turned_rad;
            for (const int child : children[size_t(j)])
                if (hangs_as_before(child))
                    go_along &= angle_between(new_pose_.R[size_t(now_of(child))],
                                              by_axes * above(j) * old_pose_.R[size_t(child)]) < turned_rad;
            if (!is_off && !go_along) continue;
            for (const Quat& turn : {by_axes, turn_between(was, is)})
                if (is_turned_so(was, is, turn)) {
                    frame_[size_t(j)] = (turn * above(j)).normalized();
                    break;
                }
        }
    }
    void find_renamed() {
        // From the root outward, so that a renamed parent is known before its children.
        for (bool has_found = true; has_found;) {
            has_found = false;
            find_frames();
            std::vector<std::tuple<double, int, int>> near;
            for (int j = 0; j < O_.size(); ++j) {
                if (now_of(j) >= 0) continue;
                const int parent = O_.parents[size_t(j)];
                if (parent >= 0 && now_of(parent) < 0) continue;
                for (int n = 0; n < N_.size(); ++n) {
                    if (old_of_new_[size_t(n)] >= 0 ||
                        N_.parents[size_t(n)] != (parent < 0 ? -1 : now_of(parent)))
                        continue;
                    // Of two roots nothing else is known than that they are.
                    // A limb that stands elsewhere with its axes has its bones where they were on it.
                    const double on_it =
                        parent < 0 ? 1e30
                                   : (N_.rest_p[size_t(n)] / found_.size - O_.rest_p[size_t(j)]).norm();
                    const double off = parent < 0 && first_pair() < 0 ? 0.0 : std::min(off_m(j, n), on_it);
                    if (off < same_place * height_m_) near.emplace_back(off, j, n);
                }
            }
            std::sort(near.begin(), near.end());
            for (const auto& [off, before, now] : near)
                if (now_of(before) < 0 && old_of_new_[size_t(now)] < 0) {
                    if (first_pair() < 0) shift_ = new_pose_.p[size_t(now)] - old_pose_.p[size_t(before)];
                    pair(before, now);
                    has_found = true;
                }
            if (!has_found) has_found = pair_last_two();
        }
    }
    /// Of what hangs on one bone a single one is left on either side, equally long: it stands elsewhere and is called otherwise.
    bool pair_last_two() {
        for (int j = 0; j < O_.size(); ++j) {
            const int parent = O_.parents[size_t(j)];
            if (now_of(j) >= 0 || parent < 0 || now_of(parent) < 0) continue;
            int others = 0, now = -1, of_new = 0;
            for (int k = 0; k < O_.size(); ++k)
                others += O_.parents[size_t(k)] == parent && now_of(k) < 0 ? 1 : 0;
            for (int n = 0; n < N_.size(); ++n)
                if (N_.parents[size_t(n)] == now_of(parent) && old_of_new_[size_t(n)] < 0) {
                    now = n;
                    ++of_new;
                }
            if (others != 1 || of_new != 1 || std::abs(longer_m(j, now)) > moved_share * height_m_ ||
                offset(O_, old_pose_, j).norm() < same_place * height_m_)
                continue;
            pair(j, now);
            return true;
        }
        return false;
    }

    void add(RigChange::Is is, const std::string& bone, const std::string& now, double size,
             std::string text) {
        found_.changes.push_back({is, bone, now, size, std::move(text)});
    }

    void tell_bones() {
        using Is = RigChange::Is;
        for (int j = 0; j < O_.size(); ++j) {
            const std::string& bone = O_.names[size_t(j)];
            const int now = now_of(j);
            if (now < 0) {
                const std::string role = old_.roles.role_of(j);
                add(Is::gone, bone, "", 0.0,
                    role.empty() ? fmt::format("{} is gone", bone)
                                 : fmt::format("{} is gone; it was the {}", bone, role));
                continue;
            }
            const std::string& name = N_.names[size_t(now)];
            if (name != bone)
                add(Is::renamed, bone, name, 0.0, fmt::format("{} is called {} now", bone, name));
            const int parent = O_.parents[size_t(j)], parent_now = N_.parents[size_t(now)];
            if (now_of(parent) != parent_now && !(parent >= 0 && now_of(parent) < 0 && parent_now < 0)) {
                const std::string on = parent_now < 0 ? "nothing" : N_.names[size_t(parent_now)];
                add(Is::hung_elsewhere, name, on, 0.0, fmt::format("{} hangs on {} now", name, on));
            }
            // What hangs elsewhere has no place to be compared with.
            if (const double off = off_m(j, now);
                (parent < 0 || hangs_as_before(j)) && off > moved_share * height_m_)
                add(Is::moved, name, "", 100.0 * off,
                    fmt::format("{} stands {:.1f} cm elsewhere{}", name, 100.0 * off,
                                parent < 0 ? "" : ", and what hangs on it goes along"));
            if (const double posed = angle_between(frame_[size_t(j)], above(j)); posed > turned_rad)
                add(Is::posed, name, "", rad_to_deg(posed),
                    fmt::format("in the rest {} is turned by {:.1f} degrees, with what hangs on it", name,
                                rad_to_deg(posed)));
            const double angle = log_rotation((frame_[size_t(j)] * old_pose_.R[size_t(j)]).conjugate() *
                                              new_pose_.R[size_t(now)])
                                     .norm();
            if (angle > turned_rad)
                add(Is::turned, name, "", rad_to_deg(angle),
                    fmt::format("the axes of {} are turned by {:.1f} degrees", name, rad_to_deg(angle)));
        }
        for (int n = 0; n < N_.size(); ++n)
            if (old_of_new_[size_t(n)] < 0)
                add(Is::added, N_.names[size_t(n)], "", 0.0, fmt::format("{} is new", N_.names[size_t(n)]));
    }

    void tell_skin() {
        size_t before = 0, now = 0, moved = 0, weighed = 0;
        const auto &A = old_.rig.meshes, &B = new_.meshes;
        for (const Mesh& mesh : A) before += mesh.positions.size();
        for (const Mesh& mesh : B) now += mesh.positions.size();
        if (A.size() != B.size() || before != now) {
            if (before != now)
                found_.skin = fmt::format("the skin has {} vertices, before {}", now, before);
            else
                found_.skin = fmt::format("the skin is {} meshes, before {}", B.size(), A.size());
            return;
        }
        for (size_t m = 0; m < A.size(); ++m) {
            if (A[m].positions.size() != B[m].positions.size() || A[m].skin.size() != B[m].skin.size()) {
                found_.skin = "the skin's meshes are others";
                return;
            }
            for (size_t v = 0; v < A[m].positions.size(); ++v)
                moved += (A[m].positions[v] * float(found_.size) - B[m].positions[v]).norm() >
                                     float(moved_share * height_m_) &&
                                 turned_.isApprox(Quat::Identity())
                             ? 1
                             : 0;
            for (size_t v = 0; v < A[m].skin.size(); ++v) weighed += is_weighed_alike(A[m], B[m], v) ? 0 : 1;
        }
        if (moved > 0) found_.skin = fmt::format("{} of {} vertices of the skin are elsewhere", moved, now);
        if (weighed > 0)
            found_.skin += fmt::format("{}{} of {} vertices follow other bones, or by other weights",
                                       found_.skin.empty() ? "" : "; ", weighed, now);
    }
    bool is_weighed_alike(const Mesh& A, const Mesh& B, size_t v) const {
        std::map<int, float> weights;  // by joint of the newer
        for (size_t i = 0; i < A.skin[v].weight.size(); ++i)
            if (A.skin[v].weight[i] > 0.0F)
                weights[now_of(A.palette[A.skin[v].palette[i]].joint)] += A.skin[v].weight[i];
        for (size_t i = 0; i < B.skin[v].weight.size(); ++i)
            if (B.skin[v].weight[i] > 0.0F)
                weights[B.palette[B.skin[v].palette[i]].joint] -= B.skin[v].weight[i];
        return std::all_of(weights.begin(), weights.end(),
                           [](const auto& one) { return std::abs(one.second) < another_weight; });
    }

    void tell_work() {
        for (const RoleFill& fill : old_.roles.fills)
            (now_of(fill.joint) >= 0 ? found_.roles_kept : found_.roles_lost).push_back(fill.role);
        if (old_.rest.is_there()) found_.rests.push_back(old_.rest.name);
        for (const RestAlignment& rest : old_.other_rests) found_.rests.push_back(rest.name);
        for (const auto& [chain, settings] : old_.chains) {
            const auto is_gone = [&](const std::string& bone) {
                const int joint = O_.find(bone);
                return joint >= 0 && now_of(joint) < 0;
            };
            const bool is_lost =
                settings.ticks && std::any_of(settings.ticks->begin(), settings.ticks->end(),
                                              [&](const auto& tick) { return is_gone(tick.second); });
            (is_lost ? found_.chains_lost : found_.chains).push_back(chain);
        }
        for (const TouchLayer& layer : old_.touches) found_.touch_ups += int(layer.touches.size());
    }
};

const char* word_of(RigChange::Is is) {
    switch (is) {
        case RigChange::Is::added:
            return "new";
        case RigChange::Is::gone:
            return "gone";
        case RigChange::Is::renamed:
            return "renamed";
        case RigChange::Is::hung_elsewhere:
            return "hung elsewhere";
        case RigChange::Is::moved:
            return "moved";
        case RigChange::Is::posed:
            return "posed";
        case RigChange::Is::turned:
            return "turned";
    }
    return "";
}

}  // namespace

RigComparison compare_rigs(const Character& older, const Rig& newer) {
    return Comparison(older, newer).made();
}

Json rig_comparison_json(const RigComparison& comparison) {
    Json json;
    json["same"] = comparison.is_same();
    json["size"] = canonical(comparison.size);
    json["unit"] = comparison.is_unit;
    json["turned_deg"] = canonical(comparison.turned_deg);
    json["changes"] = Json::array();
    for (const RigChange& change : comparison.changes) {
        Json& one = json["changes"].emplace_back();
        one["is"] = word_of(change.is);
        one["bone"] = change.bone;
        if (!change.now.empty()) one["now"] = change.now;
        if (change.is == RigChange::Is::moved) one["cm"] = canonical(change.size);
        if (change.is == RigChange::Is::turned || change.is == RigChange::Is::posed)
            one["deg"] = canonical(change.size);
        one["text"] = change.text;
    }
    json["skin"] = comparison.skin;
    Json& carries = json["carries_over"];
    carries["roles"] = comparison.roles_kept;
    carries["rests"] = comparison.rests;
    carries["chains"] = comparison.chains;
    carries["touch_ups"] = comparison.touch_ups;
    json["lost"]["roles"] = comparison.roles_lost;
    json["lost"]["chains"] = comparison.chains_lost;
    return json;
}

}  // namespace nb
