// Fingers: which chain of a hand is which, at any depth below it, and which of its bones are links.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numeric>

#include "core/body/reading.hpp"

namespace nb {

namespace {

/// Of a hand with all that hangs on it; more are a brush.
constexpr size_t most_fingers = 64;
const std::array<std::string, 5> finger_names{"thumb", "index", "middle", "ring", "little"};
}  // namespace

/// A bone in which two chains part is one finger's own palm bone when one of them goes on from its end and
/// the other leaves it near its start, as a thumb does; else the palm of all that part there.
bool BodyReading::is_finger_palm(int joint, const std::vector<int>& ways, int& inline_way) const {
    if (ways.size() != 2) return false;
    static const int thumb = part_index("thumb");
    for (size_t i = 0; i < 2; ++i)
        if (names_.fit(thumb, ways[i]) > 0.8 && names_.fit(thumb, ways[1 - i]) < 0.5) {
            inline_way = ways[1 - i];
            return true;
        }
    const double a = (at(ways[0]) - at(joint)).norm();
    const double b = (at(ways[1]) - at(joint)).norm();
    inline_way = a > b ? ways[0] : ways[1];
    if (std::min(a, b) < 0.6 * std::max(a, b)) return true;
    // As far away, yet it leaves aside.
    const Vec3 along = at(joint) - at(tree_.parent(joint));
    const Vec3 u = at(ways[0]) - at(joint);
    const Vec3 v = at(ways[1]) - at(joint);
    if (along.norm() < 1e-9 || u.norm() < 1e-9 || v.norm() < 1e-9) return false;
    const double au = angle_between(along, u);
    const double av = angle_between(along, v);
    inline_way = au < av ? ways[0] : ways[1];
    return std::abs(au - av) > deg_to_rad(35.0);
}

/// Children that may be of a finger, also those that a coarse skin does not reach.
std::vector<int> BodyReading::finger_ways(int joint) const {
    std::vector<int> ways;
    for (const int c : tree_.children(joint))
        if (names_.helper(c).empty() && !tree_.is_side(c)) ways.push_back(c);
    return ways;
}

/// Follows a chain from its first joint on; where others part from it they start chains of their own.
void BodyReading::collect(int joint, Finger finger, std::vector<Finger>& all, int depth) const {
    if (depth > 12) return;
    finger.joints.push_back(joint);
    const std::vector<int> ways = finger_ways(joint);
    if (ways.empty()) {
        all.push_back(std::move(finger));
    } else if (ways.size() == 1) {
        collect(ways[0], std::move(finger), all, depth + 1);
    } else {
        int inline_way = -1;
        const bool is_own = is_finger_palm(joint, ways, inline_way);
        for (const int way : ways)
            if (is_own && way == inline_way) {
                collect(way, finger, all, depth + 1);
            } else {
                collect(way, {}, all, depth + 1);
            }
    }
}

std::vector<BodyReading::Finger> BodyReading::fingers_of(int hand, const Vec3& wrist,
                                                         double most_reach) const {
    std::vector<Finger> found;
    for (const int way : finger_ways(hand)) collect(way, {}, found, 0);
    const auto carries = [&](const Finger& f) {
        return std::any_of(f.joints.begin(), f.joints.end(), [&](int j) { return !tree_.is_bare(j); });
    };
    // Beside chains that carry skin those that carry none are controls.
    const bool has_skinned = std::count_if(found.begin(), found.end(), carries) >= 2;
    std::vector<Finger> all;
    static const int thumb = part_index("thumb");
    for (Finger& finger : found) {
        const auto is_named = [&](int j) {
            for (int f = 0; f < 5; ++f)
                if (names_.fit(thumb + f, j) > 0.4) return true;
            return false;
        };
        double reach = 0.0;
        for (const int j : finger.joints) reach = std::max(reach, (at(j) - wrist).norm());
        while (!finger.joints.empty() && !names_.helper(finger.joints.back()).empty()) {
            finger.has_end = true;
            finger.joints.pop_back();
        }
        if (finger.joints.empty()) continue;
        // An empty leaf ends a chain that carries skin.
        if (finger.joints.size() > 1 && tree_.is_bare(finger.joints.back()) && !finger.has_end &&
            !is_named(finger.joints.back())) {
            finger.tip = at(finger.joints.back());
            finger.joints.pop_back();
            finger.has_end = true;
        } else {
            finger.tip = at(finger.joints.back());
            tree_.tip_of(finger.joints.back(), finger.tip);
        }
        // A joint that stands on the wrist is of the palm: the finger starts at the next one.
        const auto base = std::find_if(finger.joints.begin(), finger.joints.end(),
                                       [&](int j) { return (at(j) - wrist).norm() >= 0.03 * reach; });
        finger.base = at(base == finger.joints.end() ? finger.joints.front() : *base);
        double best = 0.4;
        for (int f = 0; f < 5; ++f)
            for (const int j : finger.joints)
                if (names_.fit(thumb + f, j) > best) {
                    best = finger.fit = names_.fit(thumb + f, j);
                    finger.named = f;
                }
        // What is far longer than a hand, or carries nothing on a hand that does, is held in it.
        if (!names_.other(finger.joints.front()).empty()) continue;
        if (finger.named < 0 && (finger.tip - wrist).norm() > most_reach) continue;
        if (finger.fit < 0.8 && has_skinned && !carries(finger)) continue;
        if ((finger.tip - finger.base).norm() < 1e-9 && finger.joints.size() < 2 && finger.named < 0 &&
            found.size() < 3)
            continue;
        all.push_back(std::move(finger));
    }
    // One name for several chains ("finger") does not say which it is.
    for (Finger& finger : all)
        if (finger.fit < 0.8 && std::count_if(all.begin(), all.end(),
                                              [&](const Finger& f) { return f.named == finger.named; }) > 1)
            finger.fit = 0.0;
    for (Finger& finger : all)
        if (finger.fit < 0.4) finger.named = -1;
    return all;
}

/// What one hand has and the other has not is held in it; of more than five alike the least like a finger.
void BodyReading::drop_held(std::vector<Finger>& all, const Vec3& wrist, const std::vector<Finger>& others,
                            const Vec3& other_wrist) const {
    const auto way = [](const Finger& f, const Vec3& from) {
        const Vec3 own = f.tip - from;
        return own.norm() > 1e-9 ? Vec3(own.normalized()) : Vec3(Vec3::UnitX());
    };
    const auto length = [&](const Finger& f, const Vec3& from) { return (f.tip - from).norm(); };
    std::vector<double> unlike(all.size(), 0.0);
    for (size_t i = 0; i < all.size() && !others.empty(); ++i) {
        double least = 9.0;
        for (const Finger& o : others) {
            const double own = length(all[i], wrist);
            const double there = length(o, other_wrist);
            const double cost =
                std::abs(std::log(std::max(1e-6, own) / std::max(1e-6, there))) +
                0.5 * std::abs(double(all[i].joints.size()) - double(o.joints.size())) +
                std::abs((all[i].base - wrist).norm() - (o.base - other_wrist).norm()) / std::max(1e-9, own);
            least = std::min(least, cost);
        }
        unlike[i] = least;
    }
    while (all.size() > others.size() && others.size() >= 2) {
        const auto worst = std::max_element(unlike.begin(), unlike.end());
        if (*worst < 0.05) break;
        all.erase(all.begin() + (worst - unlike.begin()));
        unlike.erase(worst);
    }
    while (all.size() > 5) {
        std::vector<double> lengths;
        Vec3 mean = Vec3::Zero();
        for (const Finger& f : all) {
            lengths.push_back(length(f, wrist));
            mean += way(f, wrist);
        }
        std::nth_element(lengths.begin(), lengths.begin() + std::ptrdiff_t(lengths.size() / 2),
                         lengths.end());
        const double middle = lengths[lengths.size() / 2];
        size_t worst = 0;
        double most = -1.0;
        for (size_t i = 0; i < all.size(); ++i) {
            const double cost =
                1.5 * std::abs(std::log(std::max(1e-6, length(all[i], wrist)) / std::max(1e-6, middle))) +
                angle_between(way(all[i], wrist), mean) + (all[i].named >= 0 ? -5.0 : 0.0);
            if (cost > most) {
                most = cost;
                worst = i;
            }
        }
        all.erase(all.begin() + std::ptrdiff_t(worst));
    }
}

/// The thumb: starts nearest to the wrist, ends short, and points aside of the others.
size_t BodyReading::find_thumb(const std::vector<Finger>& all, const Vec3& wrist, const Vec3& forearm,
                               const Vec3& ahead, bool& is_found) const {
    size_t thumb = 0;
    double most = -1e9;
    is_found = false;
    if (all.size() > most_fingers) return thumb;
    const auto way = [&](const Finger& f) {
        const Vec3 own = f.tip - f.base;
        return own.norm() > 1e-9 ? Vec3(own.normalized()) : Vec3((f.base - wrist).normalized());
    };
    double reach = 1e-9;
    for (const Finger& f : all) reach = std::max(reach, (f.tip - wrist).norm());
    for (size_t i = 0; i < all.size(); ++i) {
        Vec3 mean = Vec3::Zero();
        double others = 0.0, others_along = 0.0, knuckles = 0.0;
        for (size_t k = 0; k < all.size(); ++k) {
            if (k == i) continue;
            const double share = 1.0 / double(all.size() - 1);
            mean += share * way(all[k]);
            others += share * (all[k].tip - wrist).norm();
            others_along += share * (all[k].base - wrist).norm() / reach;
            knuckles += share * double(all[k].joints.size());
        }
        const double along = (all[i].base - wrist).norm() / reach;
        const double turned = mean.norm() > 1e-9 ? 1.0 - way(all[i]).dot(mean.normalized()) : 0.0;
        double score = 1.8 * turned + 2.0 * (others_along - along) +
                       1.5 * (1.0 - (all[i].tip - wrist).norm() / std::max(1e-9, others));
        if (double(all[i].joints.size()) < knuckles - 0.5) score += 0.25;
        // Fingers go on from the forearm, a thumb's joint lies beside it.
        const auto beside = [&](const Finger& f) {
            const Vec3 d = f.base - wrist;
            return d.norm() > 1e-9 && forearm.norm() > 1e-9 ? angle_between(d, forearm) : 0.0;
        };
        double others_beside = 0.0;
        for (size_t k = 0; k < all.size(); ++k)
            if (k != i) others_beside += beside(all[k]) / double(all.size() - 1);
        score += 0.6 * std::clamp(beside(all[i]) - others_beside, -0.8, 0.8);
        // In most rests palms look down or to the thighs: the thumb lies to the front.
        double others_ahead = 0.0;
        for (size_t k = 0; k < all.size(); ++k)
            if (k != i)
                others_ahead += (all[k].base - wrist).normalized().dot(ahead) / double(all.size() - 1);
        score += 0.35 * ((all[i].base - wrist).normalized().dot(ahead) - others_ahead);
        if (score > most) {
            most = score;
            thumb = i;
        }
    }
    is_found = most > 0.35 || all.size() == 5;
    return thumb;
}

/// Chains of a hand, thumb first, then by their place across the palm. Names that say which finger it is go
/// before; where they stand in another order than the palm has them, all are unsure.
void BodyReading::read_hand(bool is_left) {
    const std::string side = is_left ? ".left" : ".right";
    const RoleFill* hand_fill = map_.fill("hand" + side);
    if (!hand_fill) return;
    int hand = hand_fill->joint;
    const double hand_sure = std::min(1.0, hand_fill->confidence / 0.985);
    const Vec3 wrist = at(hand);
    hand = far_hand("hand" + side);
    const double arm = limb_length(*body_.limbs.arms, body_.limbs.arm);
    std::vector<Finger> all = fingers_of(hand, wrist, 0.95 * arm);
    if (all.size() > most_fingers) return;
    if (const int other = far_hand(is_left ? "hand.right" : "hand.left"); other >= 0) {
        const Vec3& other_wrist = at(map_.joint(is_left ? "hand.right" : "hand.left"));
        drop_held(all, wrist, fingers_of(other, other_wrist, 0.95 * arm), other_wrist);
    }
    const bool is_named = std::any_of(all.begin(), all.end(), [](const Finger& f) { return f.named >= 0; });
    if (all.empty() || all.size() > 8) return;
    double reach = 0.0;
    for (const Finger& f : all) reach = std::max(reach, (f.tip - wrist).norm());
    for (Finger& f : all) f.along = (f.base - wrist).norm() / std::max(1e-9, reach);
    if (is_named && all.size() == 1)
        return name_finger(finger_names[size_t(all[0].named)], side, all[0], 0.9 * hand_sure, true, wrist,
                           reach);
    // One chain beyond the hand is all fingers in one, or a bone held in it: unsure.
    if (all.size() == 1) return;
    bool has_thumb = false;
    size_t thumb = find_thumb(
        all, wrist, wrist - at(map_.joint("forearm" + side)),
        body_.is_facing_by_arms || body_.facing < 0.5 ? Vec3(Vec3::Zero()) : body_.ahead, has_thumb);
    for (size_t i = 0; i < all.size() && is_named; ++i)
        if (all[i].named == 0) {
            thumb = i;
            has_thumb = true;
        }
    if (is_named && has_thumb && all[thumb].named > 0) has_thumb = false;
    // Across the palm, from the thumb on.
    std::vector<size_t> order;
    for (size_t i = 0; i < all.size(); ++i)
        if (!has_thumb || i != thumb) order.push_back(i);
    if (order.size() == 1) all[order[0]].is_only = true;
    Vec3 ray = Vec3::Zero();
    for (const size_t i : order) ray += (all[i].tip - wrist).normalized();
    ray.normalize();
    Vec3 across = Vec3::Zero();
    // The two knuckles farthest apart span the palm.
    double wide = -1.0;
    for (const size_t i : order)
        for (const size_t k : order) {
            Vec3 d = all[i].base - all[k].base;
            d -= ray * ray.dot(d);
            if (d.norm() > wide) {
                wide = d.norm();
                across = d;
            }
        }
    if (across.norm() < 1e-9) across = ray.unitOrthogonal();
    across.normalize();
    Vec3 mean = Vec3::Zero();
    for (const size_t i : order) mean += all[i].base / double(order.size());
    const Vec3 toward = has_thumb ? Vec3(0.5 * (all[thumb].base + all[thumb].tip) - mean) : body_.ahead;
    if (toward.dot(across) < 0) across = -across;
    std::sort(order.begin(), order.end(),
              [&](size_t i, size_t k) { return all[i].base.dot(across) > all[k].base.dot(across); });
    if (is_named) {
        bool is_in_order = true;
        int before = 0;
        for (const size_t i : order) {
            if (all[i].named < 0) continue;
            is_in_order &= all[i].named > before;
            before = all[i].named;
        }
        const double confidence = is_in_order ? 0.985 : 0.5;
        if (!is_in_order)
            map_.notes.push_back(
                fmt::format("the fingers of the {} hand are named in another order than they stand",
                            is_left ? "left" : "right"));
        std::array<bool, 5> is_taken{};
        for (const Finger& f : all)
            if (f.named >= 0) {
                is_taken[size_t(f.named)] = true;
                name_finger(finger_names[size_t(f.named)], side, f,
                            (f.fit > 0.8 ? confidence : 0.55) * hand_sure, true, wrist, reach);
            }
        // Names in part: what stands between two named fingers is the one between.
        for (size_t k = 0; k < order.size() && order.size() <= 4; ++k) {
            if (all[order[k]].named >= 0) continue;
            int low = 0, high = 5;
            for (size_t m = 0; m < order.size(); ++m) {
                const int named = all[order[m]].named;
                if (named < 1) continue;
                if (m < k) low = std::max(low, named + int(k - m) - 1);
                if (m > k) high = std::min(high, named - int(m - k) + 1);
            }
            const int guess = order.size() == 4 ? int(k) + 1 : std::min(low + 1, high - 1);
            if (guess < 1 || guess > 4 || is_taken[size_t(guess)]) continue;
            is_taken[size_t(guess)] = true;
            name_finger(finger_names[size_t(guess)], side, all[order[k]], 0.9 * confidence * hand_sure, false,
                        wrist, reach);
        }
        if (has_thumb && all[thumb].named < 0 && !is_taken[0])
            name_finger("thumb", side, all[thumb], 0.9 * confidence * hand_sure, false, wrist, reach);
        return;
    }
    const double confidence = (has_thumb ? 0.98 : 0.55) * hand_sure;
    if (has_thumb) name_finger("thumb", side, all[thumb], confidence, false, wrist, reach);
    // Fewer than four beside a thumb may lack any: which, only their count says. One alone is all in one.
    const size_t first = order.size() == 1 ? 2 : 1;
    const double sure = order.size() == 4 ? 1.0 : order.size() == 3 ? 0.9 : 0.8;
    for (size_t i = 0; i < order.size() && i < 4; ++i)
        name_finger(finger_names[i + first], side, all[order[i]], sure * confidence, false, wrist, reach);
}

/// Which joints of a chain are links, which the palm's bone, which a piece of the first link, which the mere
/// end. A knuckle stands about half way from the wrist to the tip; links get shorter outward, by about 0.6
/// and 0.8 (bones of the hand; from memory); pieces lie straight and are as long.
BodyReading::Links BodyReading::number_links(const Finger& f, bool is_thumb, const Vec3& wrist,
                                             double reach) const {
    const std::vector<int>& joints = f.joints;
    const int n = int(joints.size());
    std::vector<Vec3> p;
    p.reserve(joints.size() + 1);
    for (const int j : joints) p.push_back(at(j));
    const bool is_tip_known = (f.tip - p.back()).norm() > 1e-9;
    if (is_tip_known) p.push_back(f.tip);
    const auto length = [&](int from, int to) {
        double sum = 0.0;
        for (int k = from; k < to && k + 1 < int(p.size()); ++k)
            sum += (p[size_t(k) + 1] - p[size_t(k)]).norm();
        return sum;
    };
    const auto turn = [&](int k) {
        if (k <= 0 || k + 1 >= int(p.size())) return 0.0;
        const Vec3 a = p[size_t(k)] - p[size_t(k) - 1];
        const Vec3 b = p[size_t(k) + 1] - p[size_t(k)];
        return a.norm() < 1e-9 || b.norm() < 1e-9 ? 0.0 : rad_to_deg(angle_between(a, b));
    };
    struct Option {
        double cost;
        bool has_palm, has_end;
        std::vector<int> starts;  ///< of links, places on the chain
    };
    std::vector<Option> options;
    const BoneWords& words = names_.words(joints.front());
    const bool says_palm =
        words.has("palm") || words.has("metacarpal") || words.has("carpal") || words.has("meta");
    const bool are_numbered = names_.says() > 0 && f.named >= 0;
    for (const bool has_palm : {false, true}) {
        if (has_palm && n < 2) continue;
        for (const bool has_end : {false, true}) {
            const int first = has_palm ? 1 : 0;
            const int last = has_end ? n - 1 : n;  // links lie in [first, last)
            if (last <= first || (has_end && (f.has_end || (is_tip_known && tree_.has_skin())))) continue;
            // At most one link is in two pieces.
            for (int split = -1; split < last - first - 1; ++split) {
                Option option{0.0, has_palm, has_end, {}};
                double& cost = option.cost;
                for (int k = first; k < last; ++k)
                    if (split < 0 || k != first + split + 1) option.starts.push_back(k);
                const auto links = int(option.starts.size());
                if (links > 4) continue;
                static constexpr std::array<double, 5> by_count{9.0, 1.4, 0.8, 0.0, 1.6};
                cost += by_count[size_t(links)];
                if (has_end) cost += 0.5;
                if (!f.has_end && !is_tip_known) cost += has_end ? -0.8 * ends_ : 0.8 * ends_;
                if (has_palm) cost += is_thumb ? 1.6 : 0.5;
                // The joint that only parts thumb and fingers lies in the palm.
                if (f.is_only && n == 2 && (p[0] - wrist).norm() < 0.42 * reach)
                    cost += has_palm ? -1.5 : 1.5;
                if (split >= 0) {
                    const int k = first + split + 1;
                    const double a = length(k - 1, k);
                    const double b = length(k, k + 1);
                    cost += split == 0 ? 0.7 : 1.6;
                    cost += 0.15 * std::min(turn(k), 20.0);
                    if (b > 1e-9) cost += std::min(3.0, std::abs(std::log(a / b)) / 0.25);
                }
                // Where the knuckle stands.
                const double base = (p[size_t(first)] - wrist).norm() / std::max(1e-9, reach);
                if (!is_thumb) {
                    cost += std::min(
                        3.0, std::max(0.0, std::abs(std::log(std::max(0.02, base) / 0.46)) - 0.12) / 0.3);
                    if (has_palm)
                        cost += std::min(
                            2.0, std::max(0.0, (p[0] - wrist).norm() / std::max(1e-9, reach) - 0.25) / 0.12);
                } else if (base > 0.45) {
                    cost += 2.0 * (base - 0.45) / 0.2;
                }
                // Links get shorter.
                std::vector<double> each;
                for (int i = 0; i < links; ++i) {
                    const int from = option.starts[size_t(i)];
                    const int to = i + 1 < links ? option.starts[size_t(i) + 1]
                                   : has_end     ? n - 1
                                                 : int(p.size()) - 1;
                    if (to > from) each.push_back(length(from, to));
                }
                for (size_t i = 1; i < each.size(); ++i) {
                    const double expected = i == 1 ? 0.63 : 0.82;
                    cost += std::min(
                        2.0,
                        0.8 * std::abs(std::log(std::max(1e-6, each[i] / each[i - 1]) / expected)) / 0.35);
                }
                // What the names say of it.
                if (says_palm && f.named >= 0) cost += has_palm ? -2.0 : 2.0;
                if (are_numbered && !says_palm && n >= 2) {
                    const int number = words.number;
                    const bool counts_on = names_.words(joints[1]).number == number + 1 && number >= 0;
                    if (counts_on && number == 1 && has_palm) cost += 0.8;
                    const bool said_piece = names_.has_piece_mark(joints[1]);
                    if (said_piece) cost += split >= 0 ? -1.5 : 1.0;
                }
                for (const int j : joints)
                    if (const JointMotion* moves = tree_.motion(j); moves && !is_thumb)
                        if (has_palm && j == joints.front()) cost += moves->range_rad > 0.3 ? 0.8 : -0.2;
                options.push_back(std::move(option));
            }
        }
    }
    Links links;
    if (options.empty()) return links;
    const Option& best = *std::min_element(options.begin(), options.end(),
                                           [](const Option& a, const Option& b) { return a.cost < b.cost; });
    const auto joint_of = [&](const Option& o, int number) {
        if (number == 0) return o.has_palm ? joints.front() : -1;
        return number <= int(o.starts.size()) ? joints[size_t(o.starts[size_t(number) - 1])] : -1;
    };
    for (int number = best.has_palm ? 0 : 1; number <= int(best.starts.size()); ++number) {
        double all = 0.0, same = 0.0;
        for (const Option& o : options) {
            const double w = std::exp(-sharpness * (o.cost - best.cost));
            all += w;
            if (joint_of(o, number) == joint_of(best, number)) same += w;
        }
        links.each.push_back({number, joint_of(best, number), same / all});
    }
    return links;
}

void BodyReading::name_finger(const std::string& name, const std::string& side, const Finger& f,
                              double confidence, bool is_by_name, const Vec3& wrist, double reach) {
    const Links links = number_links(f, name == "thumb", wrist, reach);
    const std::string how = is_by_name ? std::string() : std::string("by its place across the palm");
    for (const auto& [number, joint, link_sure] : links.each) {
        const double sure = sure_of(confidence * link_sure, name, tree_.is_bare(joint));
        if (number == 0)
            give(fmt::format("{}.palm{}", name, side), joint, sure,
                 {name_says(name, joint), "it lies in the palm"});
        else
            give(fmt::format("{}.{}{}", name, number, side), joint, sure,
                 {name_says(name, joint), fmt::format("bone {} of a finger", number), how});
    }
}

}  // namespace nb
