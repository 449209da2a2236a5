#include "core/body/reading.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numeric>

#include "core/body/by_name.hpp"
#include "core/body/shape.hpp"

namespace nb {

namespace {

constexpr double sharpness = 1.6;
/// Share of the votes for ahead above which it counts as known.
constexpr double known_facing = 0.35;

/// Log ratio in units of a spread: 0 is as expected.
double off(double ratio, double expected, double spread) {
    return ratio > 1e-9 ? std::log(ratio / expected) / spread : 9.0;
}

const std::array<std::array<std::string_view, 3>, 2> limb_parts{
    {{"thigh", "shin", "foot"}, {"upperarm", "forearm", "hand"}}};

}  // namespace

BodyReading::BodyReading(const Skeleton& skeleton, const NameTable& names, int root, std::string figure,
                         std::vector<char> carries_skin)
    : s_(skeleton),
      names_(names),
      root_(root),
      figure_(std::move(figure)),
      carries_skin_(std::move(carries_skin)),
      pose_(rest_pose(skeleton)) {
    children_ = skeleton.children();
    is_side_ = find_side_bones(skeleton);
    for (int j = 0; j < skeleton.size(); ++j)
        if (!names.helper(j).empty() && children_[size_t(j)].empty()) is_side_[size_t(j)] = 1;
    // Farthest point below a joint along the bones.
    reach_.assign(size_t(skeleton.size()), 0.0);
    for (const EndSite& site : skeleton.end_sites)
        reach_[size_t(site.joint)] = std::max(reach_[size_t(site.joint)], site.offset_m.norm());
    for (int j = skeleton.size() - 1; j > 0; --j) {
        const int parent = skeleton.parents[size_t(j)];
        if (parent < 0) continue;
        // A leaf that ends a bone lends it its length, also when it is a mere end.
        const bool is_end = is_side_[size_t(j)] && names.helper(j) == "end";
        if (is_side_[size_t(j)] && !is_end) continue;
        reach_[size_t(parent)] = std::max(reach_[size_t(parent)], reach_[size_t(j)] + bone(j));
    }
}

RoleMap BodyReading::read() {
    if (!find_pairs()) return {};
    find_sides();
    if (!read_limbs()) return {};
    read_trunk();
    if (is_four_legged_) {
        map_.plan = "quadruped";
        read_tail();
    } else {
        for (const bool is_left : {true, false}) read_hand(is_left);
    }
    read_face(s_, names_, map_);
    return std::move(map_);
}

Vec3 BodyReading::tip_of(int joint) const {
    for (const EndSite& site : s_.end_sites)
        if (site.joint == joint) return at(joint) + pose_.R[size_t(joint)] * site.offset_m;
    for (const int c : children_[size_t(joint)])
        if (names_.helper(c) == "end") return at(c);
    return at(joint);
}

void BodyReading::give(std::string role, int j, double confidence, std::vector<std::string> evidence) {
    if (!map_.role_of(j).empty() || map_.joint(role) >= 0) return;
    std::erase(evidence, std::string());
    map_.fills.push_back({std::move(role), j, std::clamp(confidence, 0.0, 0.99), std::move(evidence), false});
}

std::string BodyReading::name_says(std::string_view part, int j) const {
    const int index = part_index(part);
    const double fit = index < 0 ? 0.0 : names_.fit(index, j);
    if (fit < 0.3)
        return names_.says() > 0 ? fmt::format("the name '{}' says nothing of it", s_.names[size_t(j)])
                                 : std::string();
    return fmt::format("the name '{}' {} {}", s_.names[size_t(j)], fit > 0.85 ? "says" : "may mean", part);
}

/// The child that leads farthest on; -1 at the end.
int BodyReading::onward(int j) const {
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

std::vector<int> BodyReading::run(int first) const {
    std::vector<int> result;
    for (int j = first; j >= 0; j = onward(j)) result.push_back(j);
    return result;
}

/// Places along a run including the end site beyond its last joint.
std::vector<double> BodyReading::run_lengths(const std::vector<int>& joints) const {
    std::vector<double> lengths;
    for (size_t i = 1; i < joints.size(); ++i) lengths.push_back(bone(joints[i]));
    lengths.push_back(reach_[size_t(joints.back())]);
    return lengths;
}

/// Branches that part at a joint; bones that lie beside another do not count.
int BodyReading::branches_at(int j) const {
    const auto& own = children_[size_t(j)];
    return int(std::count_if(own.begin(), own.end(), [&](int c) { return !is_side_[size_t(c)]; }));
}

int BodyReading::count_below(int j) const {
    int count = 1;
    for (const int c : children_[size_t(j)])
        if (!is_side_[size_t(c)]) count += count_below(c);
    return count;
}

/// How unlike two branches are: whole reach, first long bones, number of joints.
double BodyReading::unlikeness(int a, int b) const {
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

/// All pairs of branches that part at a joint, alike and long, with what they cost as legs and as arms.
std::vector<BodyReading::Pair> BodyReading::all_pairs(double whole) const {
    std::vector<Pair> pairs;
    for (int j = 0; j < s_.size(); ++j) {
        if (j != root_ && !s_.is_ancestor(root_, j)) continue;
        const auto& own = children_[size_t(j)];
        for (size_t a = 0; a < own.size(); ++a)
            for (size_t b = a + 1; b < own.size(); ++b) {
                if (is_side_[size_t(own[a])] || is_side_[size_t(own[b])]) continue;
                const double length =
                    0.5 * (reach_[size_t(own[a])] + reach_[size_t(own[b])] + bone(own[a]) + bone(own[b]));
                const std::array<std::vector<int>, 2> runs{run(own[a]), run(own[b])};
                if (length < 0.18 * whole || runs[0].size() < 3 || runs[1].size() < 3) continue;
                double unlike = unlikeness(own[a], own[b]);
                const int sides = named_side(runs[0]) * named_side(runs[1]);
                // Names that say two sides of one limb make up for unlike bones.
                if (unlike > (sides < 0 ? 6.0 : 4.0) || sides > 0) continue;
                if (sides < 0) unlike = std::min(unlike, 2.5) - 1.0;
                Pair pair{j, {own[a], own[b]}, length, unlike};
                for (const bool is_leg : {true, false}) {
                    const auto fits = fit_limbs(runs, is_leg);
                    (is_leg ? pair.leg_cost : pair.arm_cost) = 0.25 * (fits[0].cost + fits[1].cost);
                }
                pairs.push_back(pair);
            }
    }
    return pairs;
}

/// Of all pairs of pairs the one that costs least as legs and arms.
bool BodyReading::find_pairs() {
    double whole = 0.0;
    for (int j = 0; j < s_.size(); ++j)
        if (j == root_ || s_.is_ancestor(root_, j)) whole = std::max(whole, reach_[size_t(j)]);
    const std::vector<Pair> pairs = all_pairs(whole);
    struct Reading {
        double cost;
        const Pair *legs, *arms;
    };
    std::vector<Reading> readings;
    const auto depth = [&](int j) { return s_.path(root_, j).size(); };
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
            double cost = p.unlikeness + q.unlikeness + p.leg_cost + q.arm_cost;
            // The arms part farther from the root than the legs.
            if (depth(p.node) > depth(q.node)) cost += 1.5;
            // Long limbs rather than short ones.
            cost += 2.0 * (2.0 - (p.length + q.length) / whole);
            // Arms end in fans, legs do not.
            for (const int limb : q.first) cost -= has_fan(limb) ? 0.6 : 0.0;
            for (const int limb : p.first) cost += has_fan(limb) ? 1.2 : 0.0;
            // Between the arms something goes on to the head.
            cost += head_side(q) >= 0 ? 0.0 : 1.0;
            readings.push_back({cost, &p, &q});
        }
    if (readings.empty()) return false;
    const Reading best = *std::min_element(readings.begin(), readings.end(),
                                           [](const auto& a, const auto& b) { return a.cost < b.cost; });
    legs_ = *best.legs;
    arms_ = *best.arms;
    // Readings of the same limbs that only start at another joint of them are no other readings.
    const auto is_same_limb = [&](int a, int b) {
        return a == b || s_.is_ancestor(a, b) || s_.is_ancestor(b, a);
    };
    const auto is_same = [&](const Pair& a, const Pair& b) {
        return (is_same_limb(a.first[0], b.first[0]) && is_same_limb(a.first[1], b.first[1])) ||
               (is_same_limb(a.first[0], b.first[1]) && is_same_limb(a.first[1], b.first[0]));
    };
    double all = 0.0;
    double same = 0.0;
    for (const Reading& r : readings) {
        const double weight = std::exp(-sharpness * (r.cost - best.cost));
        all += weight;
        if (is_same(*r.legs, legs_) && is_same(*r.arms, arms_)) same += weight;
    }
    pairs_sure_ = same / all;
    return true;
}

/// Three or more branches that part at one joint of a run.
bool BodyReading::has_fan(int first) const {
    for (const int j : run(first))
        if (branches_at(j) >= 3) return true;
    return false;
}

/// The branch of the arms' node that is no arm and leads farthest; -1 for none.
int BodyReading::head_side(const Pair& arms) const {
    int best = -1;
    double far = 0.0;
    static const int neck = part_index("neck");
    static const int head = part_index("head");
    for (const int c : children_[size_t(arms.node)]) {
        if (c == arms.first[0] || c == arms.first[1] || is_side_[size_t(c)]) continue;
        if (s_.is_ancestor(c, legs_.node) || c == legs_.node) continue;
        double reach = bone(c) + reach_[size_t(c)];
        if (std::max(names_.fit(neck, c), names_.fit(head, c)) > 0.8) reach += 1e6;
        if (reach > far) {
            far = reach;
            best = c;
        }
    }
    return best;
}

/// Four legs: both pairs hang the same way, square to the trunk between them.
void BodyReading::find_figure(const Vec3& low, const Vec3& high) {
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
    if (!figure_.empty()) is_four_legged_ = figure_ == "quadruped";
    if (is_four_legged_) up_ = -(legs + arms);
}

/// Up from the legs' joints to the arms'; ahead by feet, knees and head; left by both.
void BodyReading::find_sides() {
    const auto middle = [&](const Pair& pair) { return Vec3(0.5 * (at(pair.first[0]) + at(pair.first[1]))); };
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
    find_figure(low, high);
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
        const auto [h, k, a] = fit_limbs({joints, joints}, true)[0].at;
        if (a < 0) continue;
        const Vec3 toe = tip_of(joints.back());
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
    facing_confidence_ = weight > 0.18 ? std::min(1.0, std::abs(vote) / weight) : 0.0;
    if (weight > 0 && std::abs(vote) < 0.02) facing_confidence_ *= 0.5;
    if (facing_confidence_ <= known_facing) {
        // Feet and knees say nothing: hands reach ahead, elbows point back, thumbs lie to the front.
        const auto [by_arms, arms_weight] = arms_vote(ahead);
        vote = by_arms;
        facing_confidence_ =
            arms_weight > 0.05 && std::abs(by_arms) > 0.3 * arms_weight ? known_facing + 0.01 : 0.0;
        is_facing_by_arms_ = facing_confidence_ > known_facing;
    }
    ahead_ = vote < 0 ? Vec3(-ahead) : ahead;
    left_ = up_.cross(ahead_);
}

/// What the arms say of `ahead`: sum of votes and of their weights, in arm lengths.
std::pair<double, double> BodyReading::arms_vote(const Vec3& ahead) const {
    double vote = 0.0;
    double weight = 0.0;
    const auto add = [&](double by, const Vec3& v) {
        vote += by * v.dot(ahead);
        weight += std::abs(by) * v.norm();
    };
    for (const int first : arms_.first) {
        const std::vector<int> joints = run(first);
        const auto [s, e, w] = fit_limbs({joints, joints}, false)[0].at;
        if (w < 0) continue;
        const Vec3 wrist = at(joints[size_t(w)]);
        const Vec3 shoulder = at(joints[size_t(s)]);
        const double arm = (at(joints[size_t(e)]) - shoulder).norm() + (wrist - at(joints[size_t(e)])).norm();
        if (arm < 1e-9) continue;
        const Vec3 line = wrist - shoulder;
        Vec3 reach = line;
        reach -= up_ * up_.dot(reach);
        const double forward = reach.dot(ahead) / arm;
        if (std::abs(forward) > 0.15) vote += forward;
        if (std::abs(forward) > 0.15) weight += std::abs(forward);
        if (line.norm() > 0.1 * arm) {
            const Vec3 elbow = at(joints[size_t(e)]) - shoulder;
            const Vec3 bent = elbow - line * line.dot(elbow) / line.squaredNorm();
            if (bent.norm() > 0.05 * arm) add(-2.0 / arm, bent);
        }
        std::vector<Finger> all = fingers_of(joints[size_t(w)]);
        if (all.size() < 2 || std::abs(forward) > 0.5) continue;
        bool has_thumb = false;
        const size_t thumb = find_thumb(all, wrist, has_thumb);
        if (!has_thumb) continue;
        Vec3 mean = Vec3::Zero();
        for (size_t i = 0; i < all.size(); ++i)
            if (i != thumb) mean += all[i].tip / double(all.size() - 1);
        const Vec3 ray = mean - wrist;
        Vec3 aside = all[thumb].tip - wrist;
        if (ray.norm() > 1e-9) aside -= ray * ray.dot(aside) / ray.squaredNorm();
        if (aside.norm() > 1e-9) add(0.3, aside.normalized());
    }
    return {vote, weight};
}

/// Lengths along a run split at three joints; false when the run is too short for them.
bool BodyReading::split(const std::vector<int>& joints, const Triple& at_joints, Lengths& l) const {
    const auto [a, b, c] = at_joints;
    if (c >= int(joints.size())) return false;
    l.each = run_lengths(joints);
    l.before = std::accumulate(l.each.begin(), l.each.begin() + a, 0.0);
    l.upper = std::accumulate(l.each.begin() + a, l.each.begin() + b, 0.0);
    l.lower = std::accumulate(l.each.begin() + b, l.each.begin() + c, 0.0);
    l.after = std::accumulate(l.each.begin() + c, l.each.end(), 0.0);
    return l.upper > 1e-9 && l.lower > 1e-9;
}

/// What both kinds share: the expected ratio, most of the run's length, few joints in between. A joint in
/// between that lies straight on the line may be a segment of the limb: it costs less.
double BodyReading::common_cost(const std::vector<int>& joints, const Lengths& l, const Triple& t,
                                double ratio) const {
    const double whole = l.before + l.upper + l.lower + l.after;
    double between = 0.0;
    for (const auto& [from, to] : {std::pair{t[0], t[1]}, std::pair{t[1], t[2]}})
        for (int k = from + 1; k < to; ++k) {
            const Vec3 line = at(joints[size_t(to)]) - at(joints[size_t(from)]);
            const Vec3 p = at(joints[size_t(k)]) - at(joints[size_t(from)]);
            const Vec3 beside = p - line * (line.dot(p) / line.squaredNorm());
            between += beside.norm() < 0.08 * line.norm() ? 0.5 : 0.9;
        }
    // The short piece of a doubled knee or elbow belongs to the upper bone.
    if (t[2] - t[1] > 1 && l.each[size_t(t[1])] < 0.12 * (l.upper + l.lower)) between += 0.5;
    return std::abs(off(l.upper / l.lower, ratio, 0.25)) + 2.2 * (1.0 - (l.upper + l.lower) / whole) +
           between;
}

double BodyReading::leg_cost(const std::vector<int>& joints, const Triple& t) const {
    Lengths l;
    if (!split(joints, t, l)) return 1e9;
    // The foot is a quarter of the leg or less, the way to the thigh short.
    const double limb = l.upper + l.lower;
    return common_cost(joints, l, t, 1.0) + 2.0 * l.before / limb +
           (l.after > 1e-6 ? 0.3 * std::abs(off(l.after / limb, 0.28, 0.5)) : 0.25);
}

double BodyReading::arm_cost(const std::vector<int>& joints, const Triple& t) const {
    Lengths l;
    if (!split(joints, t, l)) return 1e9;
    const auto [a, b, c] = t;
    const double limb = l.upper + l.lower;
    double cost = common_cost(joints, l, t, is_four_legged_ ? 0.8 : 0.186 / 0.146);
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
    static const int clavicle = part_index("clavicle");
    if (a > 0) cost += 0.7 * names_.cost(clavicle, joints[size_t(a) - 1]);
    return cost;
}

/// The three joints of both limbs of a pair, over all places on their runs. Of both sides together when their
/// runs have as many joints: what is seen on one side holds on the other.
std::array<BodyReading::LimbFit, 2> BodyReading::fit_limbs(const std::array<std::vector<int>, 2>& runs,
                                                           bool is_leg) const {
    std::array<LimbFit, 2> best;
    const bool are_alike = runs[0].size() == runs[1].size();
    struct Entry {
        Triple at;
        std::array<double, 2> cost;
    };
    std::vector<Entry> all;
    std::array<int, 3> parts{};
    for (size_t k = 0; k < 3; ++k) parts[k] = part_index(limb_parts[is_leg ? 0 : 1][k]);
    const int n = int(std::max(runs[0].size(), runs[1].size()));
    for (int a = 0; a < n; ++a)
        for (int b = a + 1; b < n; ++b)
            for (int c = b + 1; c < n; ++c) {
                Entry entry{{a, b, c}, {}};
                for (size_t i = 0; i < 2; ++i) {
                    double& cost = entry.cost[i];
                    cost = is_leg ? leg_cost(runs[i], entry.at) : arm_cost(runs[i], entry.at);
                    for (size_t k = 0; k < 3 && cost < 1e8; ++k) {
                        const int j = runs[i][size_t(entry.at[k])];
                        cost += names_.cost(parts[k], j);
                        if (!carries_skin_.empty() && !carries_skin_[size_t(j)]) cost += 0.3;
                    }
                }
                if (are_alike) entry.cost[0] = entry.cost[1] = 0.5 * (entry.cost[0] + entry.cost[1]);
                all.push_back(entry);
            }
    for (size_t i = 0; i < 2; ++i) {
        for (const Entry& entry : all)
            if (entry.cost[i] < best[i].cost) {
                best[i].cost = entry.cost[i];
                best[i].at = entry.at;
            }
        double sum = 0.0;
        std::array<double, 3> same{};
        for (const Entry& entry : all) {
            if (entry.cost[i] > 1e8) continue;
            const double weight =
                std::exp(-sharpness * (are_alike ? 2.0 : 1.0) * (entry.cost[i] - best[i].cost));
            sum += weight;
            for (size_t k = 0; k < 3; ++k)
                if (entry.at[k] == best[i].at[k]) same[k] += weight;
        }
        for (size_t k = 0; k < 3; ++k) best[i].sure[k] = sum > 0 ? same[k] / sum : 0.0;
    }
    return best;
}

/// +1 when its names say left, -1 right, 0 neither.
int BodyReading::named_side(const std::vector<int>& joints) const {
    int sum = 0;
    for (const int j : joints)
        sum += names_.own_side(j) == Side::left ? 1 : names_.own_side(j) == Side::right ? -1 : 0;
    return (sum > 0) - (sum < 0);
}

bool BodyReading::read_limbs() {
    const bool is_facing_known = facing_confidence_ > known_facing;
    for (const bool is_leg : {true, false}) {
        if (!is_leg) {
            shoulder_middle_ = 0.5 * (at(arms_.first[0]) + at(arms_.first[1]));
            hip_half_ =
                0.5 * std::abs((at(map_.joint("thigh.left")) - at(map_.joint("thigh.right"))).dot(left_));
        }
        const Pair& pair = is_leg ? legs_ : arms_;
        const Vec3 middle = 0.5 * (at(pair.first[0]) + at(pair.first[1]));
        std::array<std::vector<int>, 2> runs{run(pair.first[0]), run(pair.first[1])};
        const std::array<LimbFit, 2> found = fit_limbs(runs, is_leg);
        if (found[0].at[2] < 0 || found[1].at[2] < 0) return false;
        // Where the limb stands apart most: its knee or elbow.
        const auto aside = [&](size_t i) {
            double sum = 0.0;
            for (const int k : {found[i].at[0], found[i].at[1]})
                sum += (at(runs[i][size_t(k)]) - middle).dot(left_);
            return sum;
        };
        size_t left = aside(0) >= aside(1) ? 0 : 1;
        double side_sure = is_facing_by_arms_ ? 0.85 : is_facing_known ? 0.97 : 0.5;
        std::string how = is_facing_by_arms_ ? "its side by where hands and elbows point"
                          : is_facing_known  ? "its side by where the feet point"
                                             : "nothing says where ahead is: the side is a guess";
        const std::array<int, 2> named{named_side(runs[0]), named_side(runs[1])};
        if (named[0] * named[1] < 0) {
            const size_t named_left = named[0] > 0 ? 0 : 1;
            if (!is_facing_known || (is_facing_by_arms_ && named_left != left)) {
                side_sure = 0.95;
                how = "its side by its name";
                if (is_leg && named_left != left) {
                    left_ = -left_;
                    ahead_ = -ahead_;
                }
            } else if (named_left != left) {
                side_sure = 0.5;
                how = "the body says the other side: feet and knees show where ahead is";
                map_.notes.push_back(
                    fmt::format("the names of the {} say the sides the other way round than the body does",
                                is_leg ? "legs" : "arms"));
            } else {
                side_sure = 0.995;
                how = "its side by its name and by where the feet point";
            }
            left = named_left;
        }
        for (const size_t i : {left, 1 - left}) {
            const std::string side = i == left ? ".left" : ".right";
            const auto& joints = runs[i];
            const double alike = std::clamp(1.0 - 0.02 * std::max(0.0, pair.unlikeness), 0.8, 1.0);
            const double base = pairs_sure_ * side_sure * alike;
            for (size_t k = 0; k < 3; ++k) {
                const std::string part(limb_parts[is_leg ? 0 : 1][k]);
                const int j = joints[size_t(found[i].at[k])];
                const auto& others = runs[1 - i];
                const int like = others[size_t(found[1 - i].at[k])];
                std::vector<std::string> evidence{name_says(part, j)};
                if (k < 2) {
                    Lengths l;
                    split(joints, found[i].at, l);
                    evidence.push_back(
                        fmt::format("it is {:.0f} % of the two long bones of its limb",
                                    100.0 * (k == 0 ? l.upper : l.lower) / (l.upper + l.lower)));
                } else if (!is_leg && branches_at(j) >= 2) {
                    evidence.emplace_back("the fingers part here");
                } else {
                    evidence.emplace_back("the limb's long bones end here");
                }
                evidence.push_back(fmt::format("'{}' mirrors it", s_.names[size_t(like)]));
                if (!carries_skin_.empty() && !carries_skin_[size_t(j)])
                    evidence.emplace_back("it carries no skin");
                evidence.push_back(how);
                give(part + side, j, base * found[i].sure[k], evidence);
            }
            const int a = found[i].at[0];
            const int c = found[i].at[2];
            if (!is_leg && a > 0) {
                int collar = a - 1;
                while (collar > 0 && !names_.helper(joints[size_t(collar)]).empty()) --collar;
                if (names_.helper(joints[size_t(collar)]).empty())
                    give("clavicle" + side, joints[size_t(collar)], base * found[i].sure[0],
                         {name_says("clavicle", joints[size_t(collar)]),
                          "it carries the upper arm out from the trunk", how});
            }
            static const int toe_part = part_index("toe");
            if (is_leg && c + 1 < int(joints.size())) {
                size_t toe = size_t(c) + 1;
                for (size_t k = toe; k < joints.size(); ++k)
                    if (names_.fit(toe_part, joints[k]) > names_.fit(toe_part, joints[toe]) + 0.2) toe = k;
                if (names_.helper(joints[toe]).empty())
                    give("toe" + side, joints[toe], base * found[i].sure[2],
                         {name_says("toe", joints[toe]), "it follows the ankle", how});
            }
        }
    }
    return true;
}

std::vector<std::pair<std::string, int>> BodyReading::read_limb(const std::vector<int>& joints, bool is_leg,
                                                                const std::string& side) const {
    std::vector<std::pair<std::string, int>> roles;
    const LimbFit fit = fit_limbs({joints, joints}, is_leg)[0];
    if (fit.at[2] < 0) return roles;
    for (size_t k = 0; k < 3; ++k)
        roles.emplace_back(std::string(limb_parts[is_leg ? 0 : 1][k]) + side, joints[size_t(fit.at[k])]);
    if (!is_leg && fit.at[0] > 0) roles.emplace_back("clavicle" + side, joints[size_t(fit.at[0]) - 1]);
    if (is_leg && size_t(fit.at[2]) + 1 < joints.size())
        roles.emplace_back("toe" + side, joints[size_t(fit.at[2]) + 1]);
    return roles;
}

void BodyReading::read_trunk() {
    const int meet = s_.common_ancestor(legs_.node, arms_.node);
    const int fork = meet >= 0 ? meet : legs_.node;
    static const int hips_part = part_index("hips");
    int hips = fork;
    double least = names_.cost(hips_part, fork);
    double other = 9.0;
    int distance = 0;
    for (int up = s_.parents[size_t(fork)]; up >= 0 && ++distance <= 2; up = s_.parents[size_t(up)]) {
        const double cost = names_.cost(hips_part, up) + 1.5 * distance;
        other = std::min(other, std::max(cost, least));
        if (cost < least) {
            least = cost;
            hips = up;
        }
    }
    const double hips_sure = 1.0 / (1.0 + std::exp(-sharpness * std::max(0.0, other - least)));
    give("hips", hips, 0.99 * pairs_sure_ * std::max(hips_sure, 0.9),
         {name_says("hips", hips),
          hips == fork ? "both legs and the trunk part here" : "legs and trunk part just below it"});
    // What stands above the hips on the ground is a root.
    for (int up = s_.parents[size_t(hips)]; up >= 0; up = s_.parents[size_t(up)])
        if (s_.parents[size_t(up)] < 0)
            give("root", up, 0.8 * pairs_sure_, {"it stands above the hips in the tree and carries no limb"});
    std::vector<int> spine;
    for (const int j : s_.path(fork, arms_.node))
        if (names_.helper(j).empty() || j == arms_.node) spine.push_back(j);
    for (size_t i = 0; i < spine.size(); ++i) {
        const bool is_last = i + 1 == spine.size();
        if (i >= 8 && !is_last) continue;
        give(is_last ? std::string("chest") : fmt::format("spine.{}", i + 1), spine[i], 0.97 * pairs_sure_,
             {name_says(is_last ? "chest" : "spine", spine[i]),
              is_last ? "both arms part here" : "it lies between hips and chest"});
    }
    if (const int neck = head_side(arms_); neck >= 0) read_head(run(neck));
}

/// The head is where the face parts, or the last joint that is no mere end; the joints before it are the
/// neck.
void BodyReading::read_head(const std::vector<int>& joints) {
    size_t likely = joints.size() - 1;
    for (size_t i = 1; i < joints.size(); ++i)
        if (branches_at(joints[i]) >= 2) {
            likely = i;
            break;
        }
    const bool has_site = reach_[size_t(joints.back())] > 1e-9;
    if (likely + 1 == joints.size() && likely >= 2 && !has_site &&
        bone(joints[likely]) > 1.15 * bone(joints[likely - 1]))
        --likely;
    static const int neck_part = part_index("neck");
    static const int head_part = part_index("head");
    std::vector<double> cost(joints.size());
    for (size_t head = 0; head < joints.size(); ++head) {
        cost[head] =
            1.4 * std::abs(double(head) - double(likely)) + 1.5 * names_.cost(head_part, joints[head]);
        for (size_t i = 0; i < head; ++i) cost[head] += 0.6 * names_.cost(neck_part, joints[i]);
    }
    const size_t head = size_t(std::min_element(cost.begin(), cost.end()) - cost.begin());
    double sum = 0.0;
    for (const double c : cost) sum += std::exp(-sharpness * (c - cost[head]));
    const double sure = pairs_sure_ / sum;
    int number = 0;
    for (size_t i = 0; i < head; ++i)
        if (names_.helper(joints[i]).empty() && number < 4)
            give(fmt::format("neck.{}", ++number), joints[i], 0.97 * std::max(sure, 0.8 * pairs_sure_),
                 {name_says("neck", joints[i]), "it leads from the chest to the head"});
    give("head", joints[head], sure,
         {name_says("head", joints[head]), "it ends what leaves the chest between the arms"});
}

/// What leaves the hips and is neither leg nor trunk.
void BodyReading::read_tail() {
    const int hips = map_.joint("hips");
    int best = -1;
    for (const int c : children_[size_t(hips)]) {
        const bool is_taken = c == legs_.first[0] || c == legs_.first[1] || c == arms_.node ||
                              s_.is_ancestor(c, arms_.node) || is_side_[size_t(c)];
        if (!is_taken && (best < 0 || reach_[size_t(c)] > reach_[size_t(best)])) best = c;
    }
    if (best < 0) return;
    int number = 0;
    for (const int j : run(best))
        if (number < 12)
            give(fmt::format("tail.{}", ++number), j, 0.85 * pairs_sure_,
                 {"it leaves the hips, neither leg nor trunk"});
}

}  // namespace nb
