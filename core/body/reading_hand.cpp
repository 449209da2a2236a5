// Fingers: which chain of a hand is which.
#include <fmt/format.h>

#include <algorithm>

#include "core/body/reading.hpp"

namespace nb {

namespace {
const std::array<std::string, 5> finger_names{"thumb", "index", "middle", "ring", "little"};
}

std::vector<BodyReading::Finger> BodyReading::fingers_of(int hand) const {
    std::vector<int> starts;
    const auto branches = [&](int joint) {
        starts.clear();
        for (const int c : children_[size_t(joint)])
            if (!is_side_[size_t(c)]) starts.push_back(c);
    };
    branches(hand);
    // One child that itself parts into fingers is a palm.
    for (int guard = 0; guard < 2 && starts.size() == 1; ++guard) {
        branches(starts[0]);
        if (starts.empty()) return {};
    }
    std::vector<Finger> all;
    static const int thumb = part_index("thumb");
    for (const int c : starts) {
        Finger finger;
        finger.joints = run(c);
        // Joints that stand on the wrist only part the fingers.
        const double hand_reach = reach_[size_t(hand)];
        const auto is_named = [&](int j) {
            for (int f = 0; f < 5; ++f)
                if (names_.fit(thumb + f, j) > 0.4) return true;
            return false;
        };
        while (finger.joints.size() > 1 && !is_named(finger.joints.front()) &&
               (at(finger.joints.front()) - at(hand)).norm() < 0.02 * hand_reach)
            finger.joints.erase(finger.joints.begin());
        while (!finger.joints.empty() && !names_.helper(finger.joints.back()).empty())
            finger.joints.pop_back();
        if (finger.joints.empty()) continue;
        finger.base = at(finger.joints.front());
        finger.tip = tip_of(finger.joints.back());
        if ((finger.tip - finger.base).norm() < 1e-9 && finger.joints.size() < 2) continue;
        double best = 0.4;
        for (int f = 0; f < 5; ++f)
            for (const int j : finger.joints)
                if (names_.fit(thumb + f, j) > best) {
                    best = finger.fit = names_.fit(thumb + f, j);
                    finger.named = f;
                }
        all.push_back(std::move(finger));
    }
    return all;
}

/// The thumb: starts nearest to the wrist, ends short, and points aside of the others.
size_t BodyReading::find_thumb(const std::vector<Finger>& all, const Vec3& wrist, bool& is_found) const {
    size_t thumb = 0;
    double most = -1e9;
    for (size_t i = 0; i < all.size(); ++i) {
        Vec3 mean = Vec3::Zero();
        double others = 0.0;
        double others_along = 0.0;
        for (size_t k = 0; k < all.size(); ++k) {
            if (k == i) continue;
            const double share = 1.0 / double(all.size() - 1);
            mean += share * (all[k].tip - all[k].base).normalized();
            others += share * (all[k].tip - wrist).norm();
            others_along += share * all[k].along;
        }
        const Vec3 own = (all[i].tip - all[i].base).normalized();
        const double score = 1.5 * (1.0 - own.dot(mean.normalized())) + 2.0 * (others_along - all[i].along) +
                             1.5 * (1.0 - (all[i].tip - wrist).norm() / std::max(1e-9, others));
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
    const int hand = hand_fill->joint;
    const double hand_sure = hand_fill->confidence;
    std::vector<Finger> all = fingers_of(hand);
    const bool is_named = std::any_of(all.begin(), all.end(), [](const Finger& f) { return f.named >= 0; });
    if (is_named && all.size() == 1)
        return name_finger(finger_names[size_t(all[0].named)], side, all[0], 0.9 * hand_sure, true);
    if (all.size() < 2 || all.size() > 6) return;
    const Vec3 wrist = at(hand);
    double reach = 0.0;
    for (const Finger& f : all) reach = std::max(reach, (f.tip - wrist).norm());
    for (Finger& f : all) f.along = (f.base - wrist).norm() / std::max(1e-9, reach);
    bool has_thumb = false;
    size_t thumb = find_thumb(all, wrist, has_thumb);
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
    Vec3 ray = Vec3::Zero();
    for (const size_t i : order) ray += (all[i].tip - wrist).normalized();
    ray.normalize();
    Vec3 across = Vec3::Zero();
    // The two knuckles farthest apart span the palm.
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
    if (across.norm() < 1e-9) across = ray.unitOrthogonal();
    across.normalize();
    Vec3 mean = Vec3::Zero();
    for (const size_t i : order) mean += knuckle(all[i]) / double(order.size());
    const Vec3 toward = has_thumb ? Vec3(0.5 * (knuckle(all[thumb]) + all[thumb].tip) - mean) : ahead_;
    if (toward.dot(across) < 0) across = -across;
    std::sort(order.begin(), order.end(),
              [&](size_t i, size_t k) { return knuckle(all[i]).dot(across) > knuckle(all[k]).dot(across); });
    if (is_named) {
        bool is_in_order = true;
        int before = 0;
        for (const size_t i : order) {
            if (all[i].named < 0) continue;
            is_in_order &= all[i].named > before;
            before = all[i].named;
        }
        const double confidence = is_in_order ? 0.97 : 0.5;
        if (!is_in_order)
            map_.notes.push_back(
                fmt::format("the fingers of the {} hand are named in another order than they stand",
                            is_left ? "left" : "right"));
        for (const Finger& f : all)
            if (f.named >= 0)
                name_finger(finger_names[size_t(f.named)], side, f,
                            (f.fit > 0.8 ? confidence : 0.55) * hand_sure, true);
        return;
    }
    const double confidence = (has_thumb ? 0.97 : 0.55) * hand_sure;
    if (has_thumb) name_finger("thumb", side, all[thumb], confidence, false);
    // Fewer than four beside a thumb may lack any: which, only their count says. One alone is all in one.
    const size_t first = order.size() == 1 ? 2 : 1;
    const double sure = order.size() == 4 ? 1.0 : order.size() == 3 ? 0.9 : 0.55;
    for (size_t i = 0; i < order.size() && i < 4; ++i)
        name_finger(finger_names[i + first], side, all[order[i]], sure * confidence, false);
}

/// Where a finger leaves the palm: beyond its metacarpal, if it has one.
Vec3 BodyReading::knuckle(const Finger& f) const {
    return at(f.joints[has_palm(f) ? 1 : 0]);
}

bool BodyReading::has_palm(const Finger& f) const {
    if (f.joints.size() > 1) {
        for (const auto* word : {"palm", "metacarpal", "carpal", "meta", "carpometacarpal", "base"})
            if (names_.words(f.joints[0]).has(word)) return true;
        if (names_.says() > 0 && f.named >= 0) {
            // A number 0, or the first of more than three with numbers from 1.
            const int number = names_.words(f.joints[0]).number;
            if (number == 0) return true;
        }
    }
    return f.joints.size() >= 4 && f.along < 0.30 && bone(f.joints[1]) > 1.1 * bone(f.joints[2]);
}

void BodyReading::name_finger(const std::string& name, const std::string& side, const Finger& f,
                              double confidence, bool is_by_name) {
    std::vector<int> joints = f.joints;
    const std::string how = is_by_name ? std::string() : std::string("by its place across the palm");
    if (name != "thumb" && has_palm(f)) {
        give(name + ".palm" + side, joints.front(), confidence,
             {name_says(name, joints.front()), "it lies in the palm"});
        joints.erase(joints.begin());
    }
    // A fourth joint is the tip.
    const bool ends_bare = reach_[size_t(joints.back())] < 1e-9;
    if (joints.size() > 3 && ends_bare) joints.pop_back();
    for (size_t i = 0; i < joints.size() && i < 4; ++i)
        give(fmt::format("{}.{}{}", name, i + 1, side), joints[i], confidence,
             {name_says(name, joints[i]), fmt::format("bone {} of a finger", i + 1), how});
}

}  // namespace nb
