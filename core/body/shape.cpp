#include "core/body/shape.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <numeric>

namespace nb {

namespace {

/// Log ratio in units of a spread: 0 is as expected.
double off(double ratio, double expected, double spread) {
    return ratio > 1e-9 ? std::log(ratio / expected) / spread : 9.0;
}

class Reader {
  public:
    Reader(const Skeleton& skeleton, int root) : s_(skeleton), root_(root), pose_(rest_pose(skeleton)) {
        children_ = skeleton.children();
        is_side_ = find_side_bones(skeleton);
        // Farthest point below a joint along the bones.
        reach_.assign(size_t(skeleton.size()), 0.0);
        for (const EndSite& site : skeleton.end_sites)
            reach_[size_t(site.joint)] = std::max(reach_[size_t(site.joint)], site.offset_m.norm());
        for (int j = skeleton.size() - 1; j > 0; --j) {
            const int parent = skeleton.parents[size_t(j)];
            if (parent < 0 || is_side_[size_t(j)]) continue;
            reach_[size_t(parent)] = std::max(reach_[size_t(parent)], reach_[size_t(j)] + bone(j));
        }
    }

    RoleMap read() {
        RoleMap map;
        if (!find_pairs()) return map;
        map_ = &map;
        find_sides();
        if (!read_limbs()) {
            map = {};
            return map;
        }
        trunk();
        if (is_four_legged_) {
            map.plan = "quadruped";
            tail();
            return map;
        }
        for (const bool is_left : {true, false}) fingers(is_left);
        return map;
    }

  private:
    struct Pair {
        int node = -1;  ///< where the two part
        std::array<int, 2> first{};
        double length = 0.0;
        double unlikeness = 0.0;
    };

    const Skeleton& s_;
    int root_;
    Pose pose_;
    std::vector<std::vector<int>> children_;
    std::vector<char> is_side_;
    std::vector<double> reach_;
    Pair legs_, arms_;
    Vec3 up_ = Vec3::UnitY(), ahead_ = Vec3::UnitZ(), left_ = Vec3::UnitX();
    double facing_confidence_ = 0.0;
    bool is_four_legged_ = false;
    double hip_half_ = 0.0;
    Vec3 shoulder_middle_ = Vec3::Zero();
    RoleMap* map_ = nullptr;

    double bone(int j) const { return s_.rest_p[size_t(j)].norm(); }
    const Vec3& at(int j) const { return pose_.p[size_t(j)]; }

    void give(std::string role, int j, double confidence, std::vector<std::string> evidence) {
        map_->fills.push_back({std::move(role), j, confidence, std::move(evidence), false});
    }

    /// The child that leads farthest on; -1 at the end.
    int onward(int j) const {
        int best = -1;
        double far = -1.0;
        for (const int c : children_[size_t(j)]) {
            if (is_side_[size_t(c)]) continue;
            const double reach = bone(c) + reach_[size_t(c)];
            if (reach > far) {
                far = reach;
                best = c;
            }
        }
        return best;
    }
    std::vector<int> run(int first) const {
        std::vector<int> result;
        for (int j = first; j >= 0; j = onward(j)) result.push_back(j);
        return result;
    }
    /// Places along a run including the end site beyond its last joint.
    std::vector<double> run_lengths(const std::vector<int>& joints) const {
        std::vector<double> lengths;
        for (size_t i = 1; i < joints.size(); ++i) lengths.push_back(bone(joints[i]));
        lengths.push_back(reach_[size_t(joints.back())]);
        return lengths;
    }

    /// Branches that part at a joint; bones that lie beside another do not count.
    int branches_at(int j) const {
        const auto& own = children_[size_t(j)];
        return int(std::count_if(own.begin(), own.end(), [&](int c) { return !is_side_[size_t(c)]; }));
    }

    int count_below(int j) const {
        int count = 1;
        for (const int c : children_[size_t(j)])
            if (!is_side_[size_t(c)]) count += count_below(c);
        return count;
    }

    /// How unlike two branches are: whole reach, first long bones, number of joints.
    double unlikeness(int a, int b) const {
        const double whole_a = reach_[size_t(a)];
        const double whole_b = reach_[size_t(b)];
        if (std::min(whole_a, whole_b) < 1e-9) return 9.0;
        double sum = std::abs(std::log(whole_a / whole_b)) / 0.15;
        const auto longest = [&](int first) {
            std::vector<double> l = run_lengths(run(first));
            std::sort(l.rbegin(), l.rend());
            l.resize(3, 1e-9);
            return l;
        };
        const auto la = longest(a);
        const auto lb = longest(b);
        for (size_t i = 0; i < 2; ++i) sum += std::abs(std::log(la[i] / lb[i])) / 0.2;
        sum += 0.15 * std::abs(count_below(a) - count_below(b));
        return sum;
    }

    /// Of all pairs of branches that part at a joint, alike and long, the two that read best as legs and
    /// arms.
    bool find_pairs() {
        std::vector<Pair> pairs;
        double whole = 0.0;
        for (int j = 0; j < s_.size(); ++j)
            if (j == root_ || s_.is_ancestor(root_, j)) whole = std::max(whole, reach_[size_t(j)]);
        for (int j = 0; j < s_.size(); ++j) {
            if (j != root_ && !s_.is_ancestor(root_, j)) continue;
            const auto& own = children_[size_t(j)];
            for (size_t a = 0; a < own.size(); ++a)
                for (size_t b = a + 1; b < own.size(); ++b) {
                    if (is_side_[size_t(own[a])] || is_side_[size_t(own[b])]) continue;
                    const double length =
                        0.5 * (reach_[size_t(own[a])] + reach_[size_t(own[b])] + bone(own[a]) + bone(own[b]));
                    if (length < 0.18 * whole || run(own[a]).size() < 3 || run(own[b]).size() < 3) continue;
                    const double unlike = unlikeness(own[a], own[b]);
                    if (unlike > 2.5) continue;
                    pairs.push_back({j, {own[a], own[b]}, length, unlike});
                }
        }
        double best = 1e9;
        for (const Pair& p : pairs)
            for (const Pair& q : pairs) {
                if (&p == &q) continue;
                // p the legs, q the arms: neither lies in a limb of the other.
                bool is_apart = true;
                for (const int limb : p.first)
                    is_apart &= !s_.is_ancestor(limb, q.node) && limb != q.node && limb != q.first[0] &&
                                limb != q.first[1];
                for (const int limb : q.first) is_apart &= !s_.is_ancestor(limb, p.node) && limb != p.node;
                if (!is_apart) continue;
                double cost = p.unlikeness + q.unlikeness;
                // The arms part farther from the root than the legs.
                const auto depth = [&](int j) { return s_.path(root_, j).size(); };
                if (depth(p.node) > depth(q.node)) cost += 1.5;
                // Long limbs rather than short ones.
                cost += 2.0 * (2.0 - (p.length + q.length) / whole);
                // Arms end in fans, legs do not.
                for (const int limb : q.first) cost -= has_fan(limb) ? 0.6 : 0.0;
                for (const int limb : p.first) cost += has_fan(limb) ? 1.2 : 0.0;
                // Between the arms something goes on to the head.
                cost += head_side(q) >= 0 ? 0.0 : 1.0;
                if (cost < best) {
                    best = cost;
                    legs_ = p;
                    arms_ = q;
                }
            }
        return best < 1e8;
    }

    /// Three or more branches that part at one joint of a run.
    bool has_fan(int first) const {
        for (const int j : run(first))
            if (branches_at(j) >= 3) return true;
        return false;
    }

    /// The branch of the arms' node that is no arm and leads farthest; -1 for none.
    int head_side(const Pair& arms) const {
        int best = -1;
        double far = 0.0;
        for (const int c : children_[size_t(arms.node)]) {
            if (c == arms.first[0] || c == arms.first[1] || is_side_[size_t(c)]) continue;
            if (s_.is_ancestor(c, legs_.node) || c == legs_.node) continue;
            const double reach = bone(c) + reach_[size_t(c)];
            if (reach > far) {
                far = reach;
                best = c;
            }
        }
        return best;
    }

    /// Four legs: both pairs hang the same way, square to the trunk between them.
    void find_plan(const Vec3& low, const Vec3& high) {
        const auto hangs = [&](const Pair& pair) {
            Vec3 sum = Vec3::Zero();
            for (const int first : pair.first) {
                const std::vector<int> joints = run(first);
                sum += at(joints.back()) - at(joints.front());
            }
            return sum;
        };
        const Vec3 legs = hangs(legs_);
        const Vec3 arms = hangs(arms_);
        const Vec3 trunk = high - low;
        if (legs.norm() < 1e-9 || arms.norm() < 1e-9 || trunk.norm() < 1e-9) return;
        is_four_legged_ =
            angle_between(legs, trunk) < deg_to_rad(125.0) && angle_between(legs, arms) < deg_to_rad(40.0);
        if (is_four_legged_) up_ = -(legs + arms);
    }

    /// Up from the legs' joints to the arms'; ahead by feet, knees and head; left by both.
    void find_sides() {
        const auto middle = [&](const Pair& pair) {
            return Vec3(0.5 * (at(pair.first[0]) + at(pair.first[1])));
        };
        const Vec3 low = middle(legs_);
        const Vec3 high = middle(arms_);
        // Whole limbs stand apart where their first joints may lie in one place.
        const auto apart = [&](const Pair& pair) {
            std::array<Vec3, 2> mean{Vec3::Zero(), Vec3::Zero()};
            for (size_t i = 0; i < 2; ++i) {
                const std::vector<int> joints = run(pair.first[i]);
                for (const int j : joints) mean[i] += at(j) / double(joints.size());
            }
            return Vec3(mean[0] - mean[1]);
        };
        find_plan(low, high);
        Vec3 side = apart(legs_);
        const Vec3 arms_side = apart(arms_);
        side += side.dot(arms_side) < 0 ? Vec3(-arms_side) : arms_side;
        if (!is_four_legged_) up_ = high - low;
        if (up_.norm() < 1e-9) up_ = Vec3::UnitY();
        side -= up_ * up_.dot(side) / up_.squaredNorm();
        up_.normalize();
        if (side.norm() < 1e-9) side = up_.unitOrthogonal();
        side.normalize();
        if (is_four_legged_) {
            // The trunk lies: ahead is from the hind legs to the fore legs.
            ahead_ = high - low;
            up_ -= ahead_ * ahead_.dot(up_) / ahead_.squaredNorm();
            up_.normalize();
            ahead_.normalize();
            left_ = up_.cross(ahead_);
            facing_confidence_ = 1.0;
            return;
        }
        Vec3 ahead = side.cross(up_);
        // Votes in lengths along `ahead`: toes beyond the ankle, knees before the line of hip and ankle.
        double vote = 0.0;
        double weight = 0.0;
        for (const int first : legs_.first) {
            const std::vector<int> joints = run(first);
            const auto [h, k, a] = limb_joints({joints, joints}, true)[0];
            if (a < 0) continue;
            Vec3 toe = at(joints.back());
            for (const EndSite& site : s_.end_sites)
                if (site.joint == joints.back())
                    toe = at(joints.back()) + pose_.R[size_t(joints.back())] * site.offset_m;
            const double leg = (at(joints[size_t(h)]) - at(joints[size_t(a)])).norm() + 1e-9;
            const Vec3 foot = toe - at(joints[size_t(a)]);
            if (foot.norm() > 0.03 * leg) {
                vote += 3.0 * foot.dot(ahead) / leg;
                weight += 3.0 * foot.norm() / leg;
            }
            const Vec3 line = at(joints[size_t(a)]) - at(joints[size_t(h)]);
            const Vec3 knee = at(joints[size_t(k)]) - at(joints[size_t(h)]);
            const Vec3 bent = knee - line * line.dot(knee) / line.squaredNorm();
            vote += 2.0 * bent.dot(ahead) / leg;
            weight += 2.0 * bent.norm() / leg;
        }
        facing_confidence_ = weight > 0.05 ? std::min(1.0, std::abs(vote) / weight) : 0.0;
        if (weight > 0 && std::abs(vote) < 0.02) facing_confidence_ *= 0.5;
        ahead_ = vote < 0 ? Vec3(-ahead) : ahead;
        left_ = up_.cross(ahead_);
    }

    using Triple = std::array<int, 3>;  ///< indices in a run: hip, knee, ankle or shoulder, elbow, wrist

    /// Of both sides together when their runs have as many joints: what is seen on one side holds on the
    /// other. -1 when a run is too short.
    std::array<Triple, 2> limb_joints(const std::array<std::vector<int>, 2>& runs, bool is_leg) const {
        std::array<Triple, 2> best{Triple{-1, -1, -1}, Triple{-1, -1, -1}};
        const bool are_alike = runs[0].size() == runs[1].size();
        std::array<double, 2> least{1e9, 1e9};
        const int n = int(std::max(runs[0].size(), runs[1].size()));
        for (int a = 0; a < n; ++a)
            for (int b = a + 1; b < n; ++b)
                for (int c = b + 1; c < n; ++c) {
                    std::array<double, 2> cost{};
                    for (size_t i = 0; i < 2; ++i)
                        cost[i] = is_leg ? leg_cost(runs[i], {a, b, c}) : arm_cost(runs[i], {a, b, c});
                    if (are_alike) cost[0] = cost[1] = cost[0] + cost[1];
                    for (size_t i = 0; i < 2; ++i)
                        if (cost[i] < least[i]) {
                            least[i] = cost[i];
                            best[i] = {a, b, c};
                        }
                }
        return best;
    }

    struct Lengths {
        std::vector<double> each;
        double before = 0.0, upper = 0.0, lower = 0.0, after = 0.0;
    };
    /// Lengths along a run split at three joints; false when the run is too short for them.
    bool split(const std::vector<int>& joints, const Triple& at_joints, Lengths& l) const {
        const auto [a, b, c] = at_joints;
        if (c >= int(joints.size())) return false;
        l.each = run_lengths(joints);
        l.before = std::accumulate(l.each.begin(), l.each.begin() + a, 0.0);
        l.upper = std::accumulate(l.each.begin() + a, l.each.begin() + b, 0.0);
        l.lower = std::accumulate(l.each.begin() + b, l.each.begin() + c, 0.0);
        l.after = std::accumulate(l.each.begin() + c, l.each.end(), 0.0);
        return l.upper > 1e-9 && l.lower > 1e-9;
    }
    /// What both kinds share: the expected ratio, most of the run's length, few joints in between.
    static double common_cost(const Lengths& l, const Triple& t, double ratio) {
        const double whole = l.before + l.upper + l.lower + l.after;
        return std::abs(off(l.upper / l.lower, ratio, 0.25)) + 2.2 * (1.0 - (l.upper + l.lower) / whole) +
               0.9 * (t[1] - t[0] - 1) + 0.9 * (t[2] - t[1] - 1);
    }

    double leg_cost(const std::vector<int>& joints, const Triple& t) const {
        Lengths l;
        if (!split(joints, t, l)) return 1e9;
        // The foot is a quarter of the leg or less, the way to the thigh short.
        const double limb = l.upper + l.lower;
        return common_cost(l, t, 1.0) + 2.0 * l.before / limb +
               (l.after > 1e-6 ? 0.3 * std::abs(off(l.after / limb, 0.28, 0.5)) : 0.25);
    }

    double arm_cost(const std::vector<int>& joints, const Triple& t) const {
        Lengths l;
        if (!split(joints, t, l)) return 1e9;
        const auto [a, b, c] = t;
        const double limb = l.upper + l.lower;
        double cost = common_cost(l, t, is_four_legged_ ? 0.8 : 0.186 / 0.146);
        // The joint where the fingers part is the wrist, or a palm just beyond it.
        int fan = -1;
        for (size_t i = 2; i < joints.size() && fan < 0; ++i)
            if (branches_at(joints[i]) >= 2) fan = int(i);
        if (fan >= 0)
            cost += c == fan ? 0.0 : c < fan && l.each[size_t(c)] < 0.25 * limb ? 1.2 : 2.5;
        else
            cost += l.after > 1e-6 ? 0.3 * std::abs(off(l.after / limb, 0.30, 0.5)) : 0.35;
        // A collarbone is about half an upper arm; none at all is rare but there.
        cost += a == 0 ? 0.55 : 0.45 * std::abs(off(l.before / l.upper, 0.55, 0.45)) + 0.35 * (a - 1);
        // A shoulder stands farther aside than a hip, a collarbone starts near the middle.
        if (hip_half_ > 1e-9 && !is_four_legged_) {
            const double aside = std::abs((at(joints[size_t(a)]) - shoulder_middle_).dot(left_)) / hip_half_;
            if (aside < 1.0) cost += 1.6 * (1.0 - aside);
        }
        return cost;
    }

    bool read_limbs() {
        const double side_confidence = facing_confidence_ > 0.35 ? 0.92 : 0.5;
        const std::string how = facing_confidence_ > 0.35
                                    ? "its side by where the feet point"
                                    : "nothing says where ahead is: the side is a guess";
        for (const bool is_leg : {true, false}) {
            if (!is_leg) {
                shoulder_middle_ = 0.5 * (at(arms_.first[0]) + at(arms_.first[1]));
                hip_half_ =
                    0.5 *
                    std::abs((at(map_->joint("thigh.left")) - at(map_->joint("thigh.right"))).dot(left_));
            }
            const Pair& pair = is_leg ? legs_ : arms_;
            const Vec3 middle = 0.5 * (at(pair.first[0]) + at(pair.first[1]));
            // Where the limb stands apart most: its knee or elbow.
            std::array<std::vector<int>, 2> runs{run(pair.first[0]), run(pair.first[1])};
            const std::array<Triple, 2> found = limb_joints(runs, is_leg);
            if (found[0][2] < 0 || found[1][2] < 0) return false;
            const auto aside = [&](size_t i) {
                double sum = 0.0;
                for (const int k : {found[i][0], found[i][1]})
                    sum += (at(runs[i][size_t(k)]) - middle).dot(left_);
                return sum;
            };
            const size_t left = aside(0) >= aside(1) ? 0 : 1;
            for (const size_t i : {left, 1 - left}) {
                const std::string side = i == left ? ".left" : ".right";
                const auto& joints = runs[i];
                const auto [a, b, c] = found[i];
                const double confidence =
                    std::min(side_confidence, 0.9 - 0.05 * std::abs(double(pair.unlikeness)));
                const std::array<const char*, 3> parts =
                    is_leg ? std::array<const char*, 3>{"thigh", "shin", "foot"}
                           : std::array<const char*, 3>{"upperarm", "forearm", "hand"};
                const std::array<int, 3> which{a, b, c};
                for (size_t k = 0; k < 3; ++k)
                    give(parts[k] + side, joints[size_t(which[k])], confidence,
                         {fmt::format("joint {} of a limb that has its like on the other side", which[k] + 1),
                          how});
                if (!is_leg && a > 0)
                    give("clavicle" + side, joints[size_t(a - 1)], confidence,
                         {"it carries the upper arm out from the trunk", how});
                if (is_leg && c + 1 < int(joints.size()))
                    give("toe" + side, joints[size_t(c) + 1], confidence, {"it follows the ankle", how});
            }
        }
        return true;
    }

    void trunk() {
        const int meet = s_.common_ancestor(legs_.node, arms_.node);
        const int hips = meet >= 0 ? meet : legs_.node;
        give("hips", hips, 0.9, {"legs and trunk part here"});
        // What stands above the hips on the ground is a root.
        for (int up = s_.parents[size_t(hips)]; up >= 0; up = s_.parents[size_t(up)])
            if (s_.parents[size_t(up)] < 0 && map_->joint("root") < 0 && up != hips)
                give("root", up, 0.7, {"it stands above the hips in the tree and carries no limb"});
        const std::vector<int> spine = s_.path(hips, arms_.node);
        for (size_t i = 0; i < spine.size(); ++i) {
            const bool is_last = i + 1 == spine.size();
            give(is_last ? std::string("chest") : fmt::format("spine.{}", i + 1), spine[i], 0.88,
                 {is_last ? "both arms part here" : "it lies between hips and chest"});
        }
        const int neck = head_side(arms_);
        if (neck < 0) return;
        std::vector<int> joints = run(neck);
        // The head is where the face parts, or the last joint that is no mere end.
        size_t head = joints.size() - 1;
        for (size_t i = 1; i < joints.size(); ++i)
            if (branches_at(joints[i]) >= 2) {
                head = i;
                break;
            }
        const bool has_site = reach_[size_t(joints.back())] > 1e-9;
        if (head + 1 == joints.size() && head >= 1 && !has_site && head >= 2 &&
            bone(joints[head]) > 1.15 * bone(joints[head - 1]))
            --head;
        for (size_t i = 0; i < head; ++i)
            give(fmt::format("neck.{}", i + 1), joints[i], 0.85, {"it leads from the chest to the head"});
        give("head", joints[head], 0.88, {"it ends what leaves the chest between the arms"});
    }

    /// What leaves the hips and is neither leg nor trunk.
    void tail() {
        const int hips = map_->joint("hips");
        int best = -1;
        for (const int c : children_[size_t(hips)]) {
            const bool is_taken = c == legs_.first[0] || c == legs_.first[1] || c == arms_.node ||
                                  s_.is_ancestor(c, arms_.node) || is_side_[size_t(c)];
            if (!is_taken && (best < 0 || reach_[size_t(c)] > reach_[size_t(best)])) best = c;
        }
        if (best < 0) return;
        int number = 0;
        for (const int j : run(best))
            give(fmt::format("tail.{}", ++number), j, 0.8, {"it leaves the hips, neither leg nor trunk"});
    }

    struct Finger {
        std::vector<int> joints;
        Vec3 base = Vec3::Zero(), tip = Vec3::Zero();
        double along = 0.0;  ///< of the base from the wrist, share of the whole reach
    };

    /// Chains of a hand, thumb first, then by their place across the palm.
    void fingers(bool is_left) {
        const std::string side = is_left ? ".left" : ".right";
        const int hand = map_->joint("hand" + side);
        if (hand < 0) return;
        std::vector<Finger> all;
        std::vector<int> starts;
        for (const int c : children_[size_t(hand)])
            if (!is_side_[size_t(c)]) starts.push_back(c);
        // One child that itself parts into fingers is a palm.
        for (int guard = 0; guard < 2 && starts.size() == 1; ++guard) {
            const int only = starts[0];
            starts.clear();
            for (const int c : children_[size_t(only)])
                if (!is_side_[size_t(c)]) starts.push_back(c);
            if (starts.size() < 2) return;
        }
        for (const int c : starts) {
            Finger finger;
            finger.joints = run(c);
            // Joints that stand on the wrist only part the fingers.
            const double hand_reach = reach_[size_t(hand)];
            while (finger.joints.size() > 1 &&
                   (at(finger.joints.front()) - at(hand)).norm() < 0.02 * hand_reach)
                finger.joints.erase(finger.joints.begin());
            finger.base = at(finger.joints.front());
            const int last = finger.joints.back();
            finger.tip = at(last);
            for (const EndSite& site : s_.end_sites)
                if (site.joint == last) finger.tip = at(last) + pose_.R[size_t(last)] * site.offset_m;
            if ((finger.tip - finger.base).norm() < 1e-9 && finger.joints.size() < 2) continue;
            all.push_back(std::move(finger));
        }
        if (all.size() < 2 || all.size() > 6) return;
        const Vec3 wrist = at(hand);
        double reach = 0.0;
        for (const Finger& f : all) reach = std::max(reach, (f.tip - wrist).norm());
        for (Finger& f : all) f.along = (f.base - wrist).norm() / std::max(1e-9, reach);
        // The thumb: starts nearest to the wrist, ends short, and points aside of the others.
        size_t thumb = 0;
        double most = -1e9;
        for (size_t i = 0; i < all.size(); ++i) {
            Vec3 mean = Vec3::Zero();
            double others = 0.0;
            for (size_t k = 0; k < all.size(); ++k)
                if (k != i) {
                    mean += (all[k].tip - all[k].base).normalized() / double(all.size() - 1);
                    others += (all[k].tip - wrist).norm() / double(all.size() - 1);
                }
            const Vec3 own = (all[i].tip - all[i].base).normalized();
            double others_along = 0.0;
            for (size_t k = 0; k < all.size(); ++k)
                if (k != i) others_along += all[k].along / double(all.size() - 1);
            const double score = 1.5 * (1.0 - own.dot(mean.normalized())) +
                                 2.0 * (others_along - all[i].along) +
                                 1.5 * (1.0 - (all[i].tip - wrist).norm() / std::max(1e-9, others));
            if (score > most) {
                most = score;
                thumb = i;
            }
        }
        const bool has_thumb = most > 0.35 || all.size() == 5;
        // Across the palm, from the thumb on.
        std::vector<size_t> order;
        for (size_t i = 0; i < all.size(); ++i)
            if (!has_thumb || i != thumb) order.push_back(i);
        Vec3 ray = Vec3::Zero();
        for (const size_t i : order) ray += (all[i].tip - wrist).normalized();
        ray.normalize();
        Vec3 across = Vec3::Zero();
        if (order.size() >= 2) {
            // The two bases farthest apart span the palm.
            double wide = -1.0;
            for (const size_t i : order)
                for (const size_t k : order) {
                    Vec3 d = knuckle(all[i]) - knuckle(all[k]);
                    d -= ray * ray.dot(d);
                    if (d.norm() > wide) {
                        wide = d.norm();
                        across = d;
                    }
                }
        }
        if (across.norm() < 1e-9) across = ray.unitOrthogonal();
        across.normalize();
        Vec3 mean = Vec3::Zero();
        for (const size_t i : order) mean += knuckle(all[i]) / double(order.size());
        const Vec3 toward = has_thumb ? Vec3(0.5 * (knuckle(all[thumb]) + all[thumb].tip) - mean) : ahead_;
        if (toward.dot(across) < 0) across = -across;
        std::sort(order.begin(), order.end(), [&](size_t i, size_t k) {
            return knuckle(all[i]).dot(across) > knuckle(all[k]).dot(across);
        });
        const double confidence = has_thumb ? 0.8 : 0.55;
        if (has_thumb) name_finger("thumb", side, all[thumb], confidence);
        static const std::array<const char*, 4> names{"index", "middle", "ring", "little"};
        for (size_t i = 0; i < order.size() && i < 4; ++i)
            name_finger(names[i], side, all[order[i]], confidence);
    }

    /// Where a finger leaves the palm: beyond its metacarpal, if it has one.
    Vec3 knuckle(const Finger& f) const { return at(f.joints[has_palm(f) ? 1 : 0]); }
    bool has_palm(const Finger& f) const {
        return f.joints.size() >= 4 && f.along < 0.30 && bone(f.joints[1]) > 1.1 * bone(f.joints[2]);
    }

    void name_finger(const std::string& name, const std::string& side, const Finger& f, double confidence) {
        std::vector<int> joints = f.joints;
        const bool is_thumb = name == "thumb";
        if (!is_thumb && has_palm(f)) {
            give(name + ".palm" + side, joints.front(), confidence, {"it lies in the palm"});
            joints.erase(joints.begin());
        }
        // A fourth joint is the tip.
        const bool ends_bare = reach_[size_t(joints.back())] < 1e-9;
        if (joints.size() > 3 && ends_bare) joints.pop_back();
        for (size_t i = 0; i < joints.size() && i < 4; ++i)
            give(fmt::format("{}.{}{}", name, i + 1, side), joints[i], confidence,
                 {fmt::format("bone {} of a finger, by its place across the palm", i + 1)});
    }
};

}  // namespace

std::vector<char> find_side_bones(const Skeleton& skeleton) {
    const Pose pose = rest_pose(skeleton);
    const auto children = skeleton.children();
    std::vector<char> has_end(size_t(skeleton.size()), 0);
    std::vector<double> site_length(size_t(skeleton.size()), 0.0);
    for (const EndSite& site : skeleton.end_sites) {
        has_end[size_t(site.joint)] = 1;
        site_length[size_t(site.joint)] = std::max(site_length[size_t(site.joint)], site.offset_m.norm());
    }
    // Joints below, and the farthest way on: what goes on farthest is the bone, what ends beside it is not.
    std::vector<double> reach(site_length);
    for (int j = skeleton.size() - 1; j > 0; --j)
        if (const int parent = skeleton.parents[size_t(j)]; parent >= 0)
            reach[size_t(parent)] =
                std::max(reach[size_t(parent)], reach[size_t(j)] + skeleton.rest_p[size_t(j)].norm());
    std::vector<char> is_side(size_t(skeleton.size()), 0);
    for (int j = 0; j < skeleton.size(); ++j) {
        const int parent = skeleton.parents[size_t(j)];
        if (parent < 0 || !children[size_t(j)].empty()) continue;
        const Vec3 p = pose.p[size_t(j)] - pose.p[size_t(parent)];
        for (const int other : children[size_t(parent)]) {
            if (other == j) continue;
            const Vec3 d = pose.p[size_t(other)] - pose.p[size_t(parent)];
            const double length = d.norm();
            if (length < 1e-9 || reach[size_t(other)] < 1e-9) continue;
            // Beside a bone that goes on: near its line, between its ends.
            const double along = p.dot(d) / (length * length);
            const double beside = (p - along * d).norm();
            if (along > -0.02 && along < 0.98 && beside < 0.12 * length && reach[size_t(j)] < 0.5 * length)
                is_side[size_t(j)] = 1;
            if (p.norm() < 0.02 * length && reach[size_t(j)] < 0.02 * length) is_side[size_t(j)] = 1;
        }
    }
    return is_side;
}

RoleMap propose_roles_by_shape(const Skeleton& skeleton) {
    RoleMap best;
    for (int j = 0; j < skeleton.size(); ++j) {
        if (skeleton.parents[size_t(j)] >= 0) continue;
        RoleMap map = Reader(skeleton, j).read();
        if (map.fills.size() > best.fills.size()) best = std::move(map);
    }
    update_role_lists(skeleton, best);
    return best;
}

RoleMap propose_roles_by_shape(const Skeleton& skeleton, int root) {
    RoleMap map = Reader(skeleton, root).read();
    update_role_lists(skeleton, map);
    return map;
}

}  // namespace nb
