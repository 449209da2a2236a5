#include "core/body/reading.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <functional>
#include <map>

#include "core/body/by_name.hpp"
#include "core/body/confidence.hpp"

namespace nb {

namespace {

/// What costs more is no body.
constexpr double most_cost = 12.0;
/// Share of the votes for ahead above which it counts as known.
constexpr double known_facing = 0.35;
/// Where a limb ends: wrist or ankle; of a limb of one or two bones its tip.
Vec3 limb_end(const PairRun& run, const LimbFit& fit, size_t side) {
    return fit.at[2] >= 0 ? run.p[size_t(fit.at[2])][side] : run.p.back()[side];
}

Vec3 hang_of(const PairRun& run, const LimbFit& fit) {
    Vec3 sum = Vec3::Zero();
    for (size_t side = 0; side < 2; ++side) sum += limb_end(run, fit, side) - run.p[size_t(fit.at[0])][side];
    return sum;
}

}  // namespace

BodyReading::BodyReading(const Skeleton& skeleton, const NameTable& names, int root, std::string figure,
                         const RoleRequest& request)
    : s_(skeleton),
      names_(names),
      root_(root),
      figure_(std::move(figure)),
      is_confidence_plain_(request.is_confidence_plain),
      given_(request.given),
      tree_(skeleton, names, request),
      fitter_(tree_, names_, given_) {}

RoleMap BodyReading::read() {
    runs_ = tree_.pair_runs(root_);
    others_ = find_bodies();
    if (others_.empty()) return {};
    body_ = *std::min_element(others_.begin(), others_.end(),
                              [](const Body& a, const Body& b) { return a.cost < b.cost; });
    if (body_.cost > most_cost) return {};
    write_limbs();
    write_trunk();
    write_tail();
    find_far_hands();
    find_ends();
    if (!body_.limbs.is_four_legged)
        for (const bool is_left : {true, false}) read_hand(is_left);
    find_plan();
    read_face(s_, names_, map_);
    return std::move(map_);
}

double BodyReading::sure_of(double share, std::string_view part, bool is_bare) const {
    if (is_confidence_plain_) return share;
    // Bodies that were drawn cost 1.5 in the middle and 8 at the most: what costs more is hardly a body.
    const double is_body = 1.0 / (1.0 + std::exp((body_.cost - 9.5) / 0.6));
    return role_confidence(share, part, is_bare) * is_body;
}

void BodyReading::give(std::string role, int j, double confidence, std::vector<std::string> evidence) {
    if (j < 0 || !map_.role_of(j).empty() || map_.joint(role) >= 0) return;
    std::erase(evidence, std::string());
    map_.fills.push_back({std::move(role), j, std::clamp(confidence, 0.0, 0.99), std::move(evidence), false});
}

std::string BodyReading::name_says(std::string_view part, int j) const {
    const int index = part_index(part);
    const double fit = index < 0 ? 0.0 : names_.fit(index, j);
    if (fit < 0.3) {
        if (names_.says() <= 0) return {};
        const std::string_view other = names_.best_part(j);
        return other.empty() ? fmt::format("the name '{}' says nothing of it", s_.names[size_t(j)])
                             : fmt::format("the name '{}' says {} instead", s_.names[size_t(j)], other);
    }
    return fmt::format("the name '{}' {} {}", s_.names[size_t(j)], fit > 0.85 ? "says" : "may mean", part);
}

// ---- the readings ----------------------------------------------------------------------------------------

/// Four legs: both pairs hang the same way, square to the trunk between them, down to one floor.
bool BodyReading::stands_on_four(const BodyLimbs& limbs) const {
    if (!figure_.empty()) return figure_ == "quadruped";
    const Vec3 legs = hang_of(*limbs.legs, limbs.leg);
    const Vec3 arms = hang_of(*limbs.arms, limbs.arm);
    const Vec3 trunk = limbs.trunk();
    if (legs.norm() < 1e-9 || arms.norm() < 1e-9 || trunk.norm() < 1e-9) return false;
    if (angle_between(legs, trunk) > deg_to_rad(125.0) || angle_between(legs, trunk) < deg_to_rad(50.0))
        return false;
    if (angle_between(legs, arms) > deg_to_rad(45.0)) return false;
    const Vec3 down = (legs + arms).normalized();
    double low_legs = 0.0, low_arms = 0.0;
    for (size_t side = 0; side < 2; ++side) {
        low_legs += 0.5 * limbs.legs->p.back()[side].dot(down);
        low_arms += 0.5 * limbs.arms->p.back()[side].dot(down);
    }
    return std::abs(low_legs - low_arms) < 0.45 * limb_length(*limbs.legs, limbs.leg);
}

/// What two pairs cost as legs and arms of one body, without the trunk.
double BodyReading::limbs_cost(const Body& body, double longest) const {
    const BodyLimbs& l = body.limbs;
    const PairRun& legs = *l.legs;
    const PairRun& arms = *l.arms;
    const double leg = limb_length(legs, l.leg);
    const double arm = limb_length(arms, l.arm);
    const Vec3 U = l.trunk();
    if (leg < 1e-9 || arm < 1e-9 || U.norm() < 0.05 * leg) return 1e9;
    double cost = l.leg.cost + l.arm.cost;
    for (const PairRun* run : {&legs, &arms}) {
        double unlike = std::min(3.0, 1.2 * run->unlikeness);
        // Names that say two sides of one limb make up for unlike bones.
        if (run->named != 0) unlike = 0.3 * unlike - 0.4;
        cost += unlike;
        // Hair and skirts come in rows of strands, limbs in pairs.
        if (run->strands > 0) cost += 1.8;
    }
    // Long limbs rather than short ones.
    cost += 1.3 * (2.0 - std::min(1.0, legs.total / longest) - std::min(1.0, arms.total / longest));
    const auto depth = [&](int j) { return s_.path(root_, j).size(); };
    if (depth(legs.node) > depth(arms.node)) cost += 0.8;
    cost += 0.35 * log_off(leg / arm, l.is_four_legged ? 1.0 : 1.4, 0.55);
    cost += 0.3 * log_off(U.norm() / leg, l.is_four_legged ? 1.3 : 0.62, 0.9);
    const Vec3 hang = hang_of(legs, l.leg);
    // Both pairs mirror in one plane.
    const Vec3 across_legs = legs.p[size_t(l.leg.at[0])][0] - legs.p[size_t(l.leg.at[0])][1];
    const Vec3 across_arms = arms.p[size_t(l.arm.at[0])][0] - arms.p[size_t(l.arm.at[0])][1];
    if (across_legs.norm() > 1e-9 && across_arms.norm() > 1e-9)
        cost += 2.5 * std::max(0.0, 0.85 - std::abs(across_legs.dot(across_arms)) /
                                               (across_legs.norm() * across_arms.norm()));
    if (!l.is_four_legged) {
        const double cosine = hang.dot(U) / (hang.norm() * U.norm());
        cost += 1.6 * std::max(0.0, cosine + 0.25);
        const Vec3 down = -U.normalized();
        double lowest = -1e30, reached = 0.0, shin = 0.0;
        for (const PairRun& run : runs_)
            for (const auto& pair : run.p) lowest = std::max(lowest, 0.5 * (pair[0] + pair[1]).dot(down));
        for (size_t side = 0; side < 2; ++side) {
            const Vec3 end = limb_end(legs, l.leg, side);
            reached += 0.5 * std::max(end.dot(down), legs.p.back()[side].dot(down));
            if (l.leg.at[2] < 0) continue;
            const Vec3 lower = end - legs.p[size_t(l.leg.at[1])][side];
            shin += 0.5 * lower.dot(down) / std::max(1e-9, lower.norm());
        }
        // Legs reach lowest of all that is on both sides, and a shin does not lie along the floor as a foot
        // does.
        cost += 1.5 * std::clamp((lowest - reached) / leg - 0.15, 0.0, 1.0);
        if (l.leg.at[2] >= 0) cost += 1.5 * std::clamp((0.25 - shin) / 0.25, 0.0, 1.0);
        const double hips = 0.5 * (legs.p[size_t(l.leg.at[0])][0] - legs.p[size_t(l.leg.at[0])][1]).norm();
        const double wide = 0.5 * (arms.p[size_t(l.arm.at[0])][0] - arms.p[size_t(l.arm.at[0])][1]).norm();
        if (hips > wide) cost += 0.7 * std::log(hips / std::max(1e-9, wide));
        // Arms end in fans, legs do not.
        double arm_fan = 0.0, leg_fan = 0.0;
        for (size_t k = size_t(std::max(1, l.arm.at[1])); k < arms.fan.size(); ++k)
            arm_fan = std::max(arm_fan, arms.fan[k] >= 2 ? 0.6 : 0.0);
        for (size_t k = size_t(std::max(1, l.leg.at[1])); k < legs.fan.size(); ++k)
            leg_fan = std::max(leg_fan, legs.fan[k] >= 3 ? 0.8 : 0.0);
        cost += leg_fan - arm_fan;
    }
    if (l.is_four_legged) {
        // A trunk lies between fore and hind legs, and all four reach the ground.
        if (legs.node == arms.node) cost += 2.5;
        const Vec3 down = (hang + hang_of(arms, l.arm)).normalized();
        double lowest = -1e30;
        for (const PairRun& run : runs_)
            for (const auto& pair : run.p) lowest = std::max(lowest, 0.5 * (pair[0] + pair[1]).dot(down));
        for (const PairRun* run : {&legs, &arms}) {
            const double reached = 0.5 * (run->p.back()[0] + run->p.back()[1]).dot(down);
            cost += 1.5 * std::clamp((lowest - reached) / leg - 0.2, 0.0, 1.5);
        }
    }
    cost += 0.12 * std::abs(l.leg.upper_pieces - l.arm.upper_pieces);
    return cost;
}

std::vector<BodyReading::Body> BodyReading::find_bodies() {
    struct Limb {
        const PairRun* run;
        LimbFit fit;
    };
    double longest = 0.0;
    for (const PairRun& run : runs_) longest = std::max(longest, run.total);
    std::array<std::vector<Limb>, 4> limbs;
    for (const PairRun& run : runs_) {
        if (run.unlikeness > 4.0 && run.named == 0) continue;
        if (run.total < 0.15 * longest) continue;
        for (const LimbKind kind : {LimbKind::leg, LimbKind::arm, LimbKind::hind, LimbKind::fore}) {
            const bool is_four = kind == LimbKind::hind || kind == LimbKind::fore;
            if (!figure_.empty() && is_four != (figure_ == "quadruped")) continue;
            for (const LimbFit& fit : fitter_.fit(run, kind, 3)) limbs[size_t(kind)].push_back({&run, fit});
        }
    }
    const auto weight = [&](const Limb& limb) {
        return limb.fit.cost + 1.3 * (1.0 - limb.run->total / longest) +
               std::min(3.0, 1.2 * limb.run->unlikeness) * (limb.run->named != 0 ? 0.3 : 1.0);
    };
    for (auto& some : limbs) {
        std::stable_sort(some.begin(), some.end(),
                         [&](const Limb& a, const Limb& b) { return weight(a) < weight(b); });
        // The cheapest, and limbs of one or two bones, which cost more by themselves.
        std::vector<Limb> kept;
        size_t short_limbs = 0;
        for (const Limb& limb : some)
            if (kept.size() < 36 || (limb.fit.at[2] < 0 && short_limbs++ < 12)) kept.push_back(limb);
        some = std::move(kept);
    }
    std::vector<Body> all;
    for (const bool is_four : {false, true})
        for (const Limb& p : limbs[size_t(is_four ? LimbKind::hind : LimbKind::leg)])
            for (const Limb& q : limbs[size_t(is_four ? LimbKind::fore : LimbKind::arm)]) {
                bool is_apart = true;
                for (const int leg : p.run->joints[0]) {
                    is_apart &= !tree_.is_within(leg, q.run->node);
                    for (const int arm : q.run->joints[0])
                        is_apart &= leg != arm && !tree_.is_within(arm, p.run->node);
                }
                if (!is_apart) continue;
                Body body;
                body.limbs.legs = p.run;
                body.limbs.arms = q.run;
                body.limbs.leg = p.fit;
                body.limbs.arm = q.fit;
                const auto middle = [](const Limb& limb) {
                    const auto& pair = limb.run->p[size_t(limb.fit.at[0])];
                    return Vec3(0.5 * (pair[0] + pair[1]));
                };
                body.limbs.hip_centre = middle(p);
                body.limbs.shoulders = middle(q);
                body.limbs.is_four_legged = is_four;
                if (stands_on_four(body.limbs) != is_four) continue;
                body.cost = limbs_cost(body, longest);
                if (body.cost < 1e8) all.push_back(body);
            }
    std::stable_sort(all.begin(), all.end(), [](const Body& a, const Body& b) { return a.cost < b.cost; });
    // The trunk is read for those that can still be the cheapest.
    std::vector<Body> read;
    for (Body& body : all) {
        if (read.size() >= 60 || (!read.empty() && read.size() >= 24 && body.cost > all.front().cost + 5.0))
            break;
        body.trunk = fit_trunk(tree_, names_, given_, body.limbs);
        if (body.trunk.cost > 1e8) continue;
        body.cost += body.trunk.cost;
        finish(body);
        read.push_back(body);
    }
    return read;
}

/// Sides, and what only they can say: arms that lie behind the trunk are wings.
void BodyReading::finish(Body& body) const {
    find_sides(body);
    if (body.limbs.is_four_legged || body.facing < known_facing || body.is_facing_by_arms) return;
    const PairRun& arms = *body.limbs.arms;
    Vec3 mean = Vec3::Zero();
    for (const auto& pair : arms.p) mean += (pair[0] + pair[1]) / (2.0 * double(arms.p.size()));
    const double behind = -(mean - body.limbs.shoulders).dot(body.ahead) / limb_length(arms, body.limbs.arm);
    const double root_behind = -(arms.p[0][0] + arms.p[0][1] - 2.0 * body.limbs.hip_centre).dot(body.ahead) /
                               (2.0 * body.limbs.trunk().norm());
    body.cost += 2.0 * std::max(0.0, behind - 0.1) + 1.5 * std::max(0.0, root_behind - 0.15);
}

/// What feet and knees say of `ahead`: sum of votes and of their weights, in leg lengths.
void BodyReading::vote_feet(const Body& body, const Vec3& ahead, double& vote, double& weight) const {
    const PairRun& legs = *body.limbs.legs;
    const auto [h, k, a] = body.limbs.leg.at;
    const double leg = std::max(1e-9, limb_length(legs, body.limbs.leg));
    const auto add = [&](double by, const Vec3& v) {
        vote += by * v.dot(ahead) / leg;
        weight += std::abs(by) * v.norm() / leg;
    };
    for (size_t side = 0; side < 2; ++side) {
        if (a < 0) continue;
        const Vec3& ankle = legs.p[size_t(a)][side];
        Vec3 foot = legs.p.back()[side] - ankle;
        if (int(legs.p.size()) > a + 1 && foot.norm() > 0.03 * leg) {
            // What goes on straight from the shin is no foot that points anywhere.
            const Vec3 shin = ankle - legs.p[size_t(k)][side];
            const double turn = shin.norm() > 1e-9 ? rad_to_deg(angle_between(shin, foot)) : 90.0;
            foot -= body.up * body.up.dot(foot);
            add(3.0 * std::clamp((turn - 10.0) / 25.0, 0.0, 1.0), foot);
        }
        const Vec3 line = ankle - legs.p[size_t(h)][side];
        const Vec3 knee = legs.p[size_t(k)][side] - legs.p[size_t(h)][side];
        if (line.squaredNorm() > 1e-12) add(2.0, knee - line * line.dot(knee) / line.squaredNorm());
    }
}

/// What arms and thumbs say of it, in arm lengths.
void BodyReading::vote_arms(const Body& body, const Vec3& ahead, double& vote, double& weight) const {
    const PairRun& arms = *body.limbs.arms;
    const auto [s, e, w] = body.limbs.arm.at;
    const double arm = limb_length(arms, body.limbs.arm);
    if (w < 0 || arm < 1e-9) return;
    const auto add = [&](double by, const Vec3& v) {
        vote += by * v.dot(ahead);
        weight += std::abs(by) * v.norm();
    };
    for (size_t side = 0; side < 2; ++side) {
        const Vec3& wrist = arms.p[size_t(w)][side];
        const Vec3 line = wrist - arms.p[size_t(s)][side];
        const double forward = (line - body.up * body.up.dot(line)).dot(ahead) / arm;
        if (std::abs(forward) > 0.3) {
            vote += forward;
            weight += std::abs(forward);
        }
        if (line.norm() > 0.1 * arm) {
            const Vec3 elbow = arms.p[size_t(e)][side] - arms.p[size_t(s)][side];
            const Vec3 bent = elbow - line * line.dot(elbow) / line.squaredNorm();
            if (bent.norm() > 0.03 * arm) add(-2.0 / arm, bent);
        }
        const std::vector<Finger> all = fingers_of(arms.joints[size_t(w)][side], wrist, 0.6 * arm);
        if (all.size() < 2 || std::abs(forward) > 0.5) continue;
        bool has_thumb = false;
        const size_t thumb = find_thumb(all, wrist, wrist - arms.p[size_t(e)][side], Vec3::Zero(), has_thumb);
        if (!has_thumb) continue;
        Vec3 mean = Vec3::Zero();
        for (size_t i = 0; i < all.size(); ++i)
            if (i != thumb) mean += all[i].tip / double(all.size() - 1);
        const Vec3 ray = mean - wrist;
        Vec3 aside = all[thumb].tip - wrist;
        if (ray.norm() > 1e-9) aside -= ray * ray.dot(aside) / ray.squaredNorm();
        if (aside.norm() > 1e-9) add(0.3, aside.normalized());
    }
}

/// Up from the hips to the shoulders; ahead by feet, knees and arms; left by both.
void BodyReading::find_sides(Body& body) const {
    const BodyLimbs& l = body.limbs;
    // Whole limbs stand apart where their first joints may lie in one place.
    const auto apart = [](const PairRun& run) {
        Vec3 sum = Vec3::Zero();
        for (const auto& pair : run.p) sum += (pair[0] - pair[1]) / double(run.p.size());
        return sum;
    };
    Vec3 side = apart(*l.legs);
    const Vec3 arms_side = apart(*l.arms);
    side += side.dot(arms_side) < 0 ? Vec3(-arms_side) : arms_side;
    Vec3 up = l.trunk();
    if (l.is_four_legged) {
        const Vec3 hang = hang_of(*l.legs, l.leg) + hang_of(*l.arms, l.arm);
        body.ahead = l.trunk();
        up = -hang;
        up -= body.ahead * body.ahead.dot(up) / body.ahead.squaredNorm();
        body.up = up.norm() > 1e-9 ? Vec3(up.normalized()) : body.ahead.unitOrthogonal();
        body.ahead.normalize();
        body.left = body.up.cross(body.ahead);
        body.facing = 1.0;
    } else {
        // The trunk may lean and the legs may be bent: up is between both.
        const Vec3 hang = hang_of(*l.legs, l.leg);
        up.normalize();
        if (hang.norm() > 1e-9 && up.dot(hang) < -0.5 * hang.norm()) up -= hang.normalized();
        side -= up * up.dot(side) / up.squaredNorm();
        up.normalize();
        if (side.norm() < 1e-9) side = up.unitOrthogonal();
        side.normalize();
        body.up = up;
        Vec3 ahead = side.cross(up);
        double vote = 0.0, weight = 0.0;
        vote_feet(body, ahead, vote, weight);
        body.facing = weight > 0.12 ? std::min(1.0, std::abs(vote) / weight) : 0.0;
        if (weight > 0 && std::abs(vote) < 0.04) body.facing *= std::abs(vote) / 0.04;
        if (body.facing <= known_facing) {
            // Feet and knees say little: hands reach ahead, elbows point back, thumbs lie to the front.
            if (weight <= 0.02) vote = weight = 0.0;
            vote_arms(body, ahead, vote, weight);
            if (body.trunk.head >= 0) {
                // A bent back brings the head ahead of the line from the hips to the shoulders.
                const Vec3 line = l.trunk();
                Vec3 beside = at(body.trunk.head) - l.hip_centre;
                beside -= line * line.dot(beside) / line.squaredNorm();
                if (beside.norm() > 0.12 * line.norm()) {
                    vote += 3.0 * beside.dot(ahead) / line.norm();
                    weight += 3.0 * beside.norm() / line.norm();
                }
            }
            body.facing = weight > 0.03 && std::abs(vote) > 0.3 * weight ? known_facing + 0.01 : 0.0;
            body.is_facing_by_arms = body.facing > known_facing;
        }
        body.ahead = vote < 0 ? Vec3(-ahead) : ahead;
        body.left = body.up.cross(body.ahead);
    }
    for (const bool is_leg : {true, false}) {
        const PairRun& run = is_leg ? *l.legs : *l.arms;
        const LimbFit& fit = is_leg ? l.leg : l.arm;
        // Where the limb stands apart most: its start and its knee or elbow; its tip may cross the middle.
        Vec3 d = Vec3::Zero();
        for (const int k : {fit.at[0], fit.at[1] < 0 ? int(run.p.size()) - 1 : fit.at[1]})
            d += run.p[size_t(k)][0] - run.p[size_t(k)][1];
        body.first_is_left[is_leg ? 0 : 1] = d.dot(body.left) >= 0 ? 0 : 1;
    }
}

double BodyReading::share_with(const std::function<bool(const Body&)>& is_same) const {
    double all = 0.0, same = 0.0;
    for (const Body& other : others_) {
        const double w = std::exp(-sharpness * (other.cost - body_.cost));
        all += w;
        if (is_same(other)) same += w;
    }
    return all > 0.0 ? same / all : 1.0;
}

int BodyReading::rival(int taken, const std::function<int(const Body&)>& joint_of) const {
    std::map<int, double> weight;
    double all = 0.0;
    for (const Body& other : others_) {
        const double w = std::exp(-sharpness * (other.cost - body_.cost));
        all += w;
        if (const int j = joint_of(other); j >= 0 && j != taken) weight[j] += w;
    }
    int best = -1;
    for (const auto& [j, w] : weight)
        if (w > 0.12 * all && (best < 0 || w > weight[best])) best = j;
    return best;
}

std::string BodyReading::rival_says(int rival) const {
    return rival < 0 ? std::string() : fmt::format("'{}' fits nearly as well", s_.names[size_t(rival)]);
}

// ---- what is given ---------------------------------------------------------------------------------------

/// Which side is the left one, how sure, and who says so; of legs, of arms.
BodyReading::Sides BodyReading::decide_sides() {
    const bool is_known = body_.facing > known_facing;
    const auto run_of = [&](size_t limb) -> const PairRun& {
        return limb == 0 ? *body_.limbs.legs : *body_.limbs.arms;
    };
    const auto exchange = [&] {
        for (size_t& first : body_.first_is_left) first = 1 - first;
        body_.left = -body_.left;
        body_.ahead = -body_.ahead;
    };
    const double sure = body_.is_facing_by_arms ? 0.85 : is_known ? 0.995 : 0.5;
    const std::string how = body_.is_facing_by_arms      ? "its side by where hands and elbows point"
                            : body_.limbs.is_four_legged ? "its side by where the head is"
                            : is_known                   ? "its side by where the feet point"
                                                         : "nothing says where ahead is: the side is a guess";
    Sides sides{{sure, sure}, {how, how}};
    // What a person said goes before all.
    int given = 0;
    for (size_t limb = 0; limb < 2 && !given_.is_empty(); ++limb)
        for (const auto& pair : run_of(limb).joints)
            for (size_t i = 0; i < 2; ++i)
                given += (i == body_.first_is_left[limb] ? 1 : -1) * given_.side_of(pair[i]);
    if (given != 0) {
        if (given < 0) exchange();
        return {{1.0, 1.0}, {"its side as it was given", "its side as it was given"}};
    }
    std::array<int, 2> said{};  // +1 as the body has it, -1 the other way round, 0 nothing
    for (size_t limb = 0; limb < 2; ++limb)
        said[limb] = run_of(limb).named * (body_.first_is_left[limb] == 0 ? 1 : -1);
    if (said[0] == 0 && said[1] == 0) return sides;
    const bool do_they_differ = said[0] * said[1] < 0;
    if (!is_known || (body_.is_facing_by_arms && !do_they_differ && said[0] + said[1] < 0)) {
        // The body says little: names decide.
        const bool is_against = body_.is_facing_by_arms && said[0] + said[1] < 0;
        if (said[0] + said[1] < 0) exchange();
        const double named_sure = do_they_differ ? 0.5 : is_against ? 0.55 : 0.97;
        const std::string named_how = do_they_differ ? "legs and arms are named for different sides"
                                      : is_against
                                          ? "its side by its name; elbows, hands or thumbs say the other"
                                          : "its side by its name";
        if (do_they_differ) map_.notes.emplace_back("the names of legs and arms say different sides");
        return {{named_sure, named_sure}, {named_how, named_how}};
    }
    for (size_t limb = 0; limb < 2; ++limb) {
        if (said[limb] > 0) sides.how[limb] = how + ", and by its name";
        if (said[limb] >= 0) continue;
        sides.sure[limb] = 0.5;
        sides.how[limb] = body_.limbs.is_four_legged
                              ? "its name says the other side; the head shows where ahead is"
                              : "its name says the other side; feet, knees and head show where ahead is";
        map_.notes.push_back(
            fmt::format("the names of the {} say the sides the other way round than the body does",
                        limb == 0 ? "legs" : "arms"));
    }
    return sides;
}

}  // namespace nb
