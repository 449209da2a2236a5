#include "core/rest/solve.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>

#include "core/body/carried.hpp"
#include "core/body/measures.hpp"
#include "core/motion/kinematics.hpp"
#include "core/rest/evidence.hpp"
#include "core/rest/reference.hpp"

namespace nb {

namespace {

constexpr double least_bend = deg_to_rad(10.0);        // below it the bend plane is not to be trusted
constexpr double most_hinge_error = deg_to_rad(75.0);  // beyond it a bend at rest is no bend of the hinge
constexpr double steady_upper = 0.8;
constexpr double steady_lower = 0.98;  // cos 11 degrees: the bone carries no turn of its own
constexpr double level_sole = deg_to_rad(8.0), level_palm = deg_to_rad(12.0);

Quat rolled(const Vec3& s, const Vec3& from, const Vec3& to) {
    return exp_rotation(roll_about(s, from, to) * s);
}

class Solver {
  public:
    Solver(const Rig& rig, const RoleMap& roles, const RestRequest& request)
        : rig_(rig),
          skeleton_(carried_skeleton(rig.skeleton, roles)),
          top_(body_top(skeleton_, roles)),
          roles_(roles),
          request_(request),
          stance_(request.stance),
          is_skinned_(!rig.meshes.empty()) {}

    RestAlignment solve() {
        reference_ = choose_reference(skeleton_, rig_, roles_, request_);
        rest_.reference = reference_.name;
        rest_.deviations = reference_.deviations;
        rest_.mean_deviation_rad = reference_.deviation;
        rest_.is_of_stance = reference_.is_stance;
        model_ = !is_skinned_               ? reference_.pose
                 : skeleton_.bind_R.empty() ? rest_pose(skeleton_)
                                            : bind_pose(skeleton_);
        if (is_skinned_) points_ = mesh_points(rig_, model_);
        limbs_ = limbs_of(rig_.skeleton, roles_);
        turn_ = body_turn(roles_, reference_.pose);
        model_turn_ = body_turn(roles_, model_);
        for (const LimbJoints& limb : limbs_)
            rest_.hinges[limb.name] = {stance_hinge(limb.name), HingeSource::assumed};
        find_bends();
        find_soles();
        R_.resize(skeleton_.names.size());
        for (int joint = 0; joint < skeleton_.size(); ++joint) place(joint);
        take_stance();
        rest_.name = stance_name(stance_);
        rest_.stance = stance_;
        const Pose stored = rest_pose(skeleton_);
        rest_.D_W.resize(R_.size());
        for (size_t j = 0; j < R_.size(); ++j) rest_.D_W[j] = (R_[j] * stored.R[j].conjugate()).normalized();
        apply_alignment(skeleton_, roles_, rest_);
        find_ankle_height();
        apply_alignment(skeleton_, roles_, rest_);
        return std::move(rest_);
    }

  private:
    struct LimbBend {
        std::optional<Vec3> upper_J, lower_J;  // the axis in the bones' own frames
        HingeSource source = HingeSource::assumed;
        double upper_sure = 0.0, lower_sure = 0.0;
    };

    const Rig& rig_;
    const Skeleton skeleton_;  // as the body is carried
    const int top_;
    const RoleMap& roles_;
    const RestRequest& request_;
    const Stance& stance_;
    bool is_skinned_;
    Reference reference_;
    Pose model_;  // the pose whose relations between bones travel with the mesh; else the reference
    MeshPoints points_;
    std::vector<LimbJoints> limbs_;
    std::map<std::string, LimbBend> bends_;
    std::map<int, Vec3> soles_;
    bool are_soles_off_ = false;
    Quat turn_, model_turn_;
    std::vector<Quat> R_;  // world, in the T
    RestAlignment rest_;

    /// Up of the soles by the mesh, body turned ahead. Both feet are levelled, or none.
    void find_soles() {
        if (!is_skinned_) return;
        for (const auto* role : {"foot.left", "foot.right"}) {
            const int foot = roles_.joint(role);
            if (foot < 0) continue;
            const auto normal =
                sole_normal(points_.below(skeleton_, foot), model_turn_.conjugate() * Vec3::UnitY());
            if (!normal) continue;
            soles_[foot] = model_turn_ * *normal;
            are_soles_off_ |= angle_between(soles_[foot], Vec3::UnitY()) > level_sole;
        }
    }

    void find_bends() {
        for (const LimbJoints& limb : limbs_) {
            LimbBend& bend = bends_[limb.name];
            if (request_.take) {
                const auto seen = bend_in_take(skeleton_, *request_.take, limb);
                if (seen && seen->upper.steadiness >= steady_upper) {
                    bend.upper_J = seen->upper.n_J;
                    bend.upper_sure = seen->upper.steadiness;
                    bend.source = HingeSource::take;
                }
                if (seen && seen->lower.steadiness >= steady_lower) {
                    bend.lower_J = seen->lower.n_J;
                    bend.lower_sure = seen->lower.steadiness;
                }
            }
            const auto bend_in = [&](const Pose& pose, HingeSource source, double sure) {
                if (bend.upper_J) return;
                const auto axis =
                    bend_in_pose(pose.p[size_t(limb.lower)] - pose.p[size_t(limb.upper)],
                                 pose.p[size_t(limb.tip)] - pose.p[size_t(limb.lower)], least_bend);
                if (!axis) return;
                const Quat& R = pose.R[size_t(limb.upper)];
                // Seen after the least turn onto the stance: a bend far off it is none of the hinge.
                const Vec3 own = pose.p[size_t(limb.lower)] - pose.p[size_t(limb.upper)];
                const Quat turn = body_turn(roles_, pose);
                const std::string role = roles_.role_of(limb.upper);
                const Quat to_stance = shortest_arc(turn * own, stance_direction(role)) * turn;
                if (angle_between(Vec3(to_stance * *axis), stance_hinge(limb.name)) >= most_hinge_error)
                    return;
                bend.upper_J = R.conjugate() * *axis;
                bend.source = source;
                bend.upper_sure = sure;
            };
            if (is_skinned_) bend_in(model_, HingeSource::bind_pose, 0.85);
            bend_in(reference_.pose, HingeSource::rest_bend, 0.75);
        }
    }

    Quat relation(const Pose& pose, int joint) const {
        const int parent = skeleton_.parents[size_t(joint)];
        return parent < 0 ? pose.R[size_t(joint)]
                          : Quat(pose.R[size_t(parent)].conjugate() * pose.R[size_t(joint)]);
    }

    void place(int joint) {
        const size_t j = size_t(joint);
        const int hips = roles_.joint("hips");
        const int parent = skeleton_.parents[j];
        if (!skeleton_.is_ancestor(top_, joint)) {
            // Above and beside the body the stored rest stays.
            R_[j] = parent < 0 ? skeleton_.rest_R[j] : Quat(R_[size_t(parent)] * skeleton_.rest_R[j]);
            return;
        }
        if (joint == top_ && joint != hips) {
            R_[j] = turn_ * reference_.pose.R[j];
            return;
        }
        if (joint == hips) {
            R_[j] = turn_ * reference_.pose.R[j];
            rest_.found["hips"] = {RollSource::own, 1.0};
            return;
        }
        const std::string role = roles_.role_of(joint);
        const Quat kept = R_[size_t(parent)] * relation(reference_.pose, joint);
        R_[j] = kept;
        if (role.empty()) return;
        RoleRest& found = rest_.found[role];
        found = {RollSource::own, 1.0};
        Vec3 end;
        const bool has_end = find_bone_end(skeleton_, roles_, role, reference_.pose, end);
        const Vec3 own_J = has_end ? Vec3(reference_.pose.R[j].conjugate() * (end - reference_.pose.p[j]))
                                   : Vec3(Vec3::Zero());
        const std::string part = role_part(role);
        const RestRule rule = rest_rule(role, body_plan(roles_.plan));
        if (rule == RestRule::match && has_end) return match(role, joint, own_J, found);
        if (rule == RestRule::sole) return stand(joint, own_J, has_end, found);
        if (rule == RestRule::gaze && reference_.is_stance) {
            R_[j] = turn_ * reference_.pose.R[j];
            return;
        }
        const bool is_trunk = part == "spine" || part == "chest" || part == "neck" || rule == RestRule::gaze;
        if (is_trunk && !reference_.is_stance) {
            // A motion's lean and its turned shoulders are none of the body's zero.
            if (has_end) R_[j] = shortest_arc(kept * own_J, Vec3::UnitY()) * kept;
            if (part == "chest") turn_shoulders(joint);
            return;
        }
        if (is_trunk && stance_.straight_spine && has_end)
            R_[j] = shortest_arc(kept * own_J, Vec3::UnitY()) * kept;
        if (part == "clavicle" && stance_.level_clavicles && has_end) {
            const Vec3 now = kept * own_J;
            // In the frontal plane: what reaches ahead goes on reaching ahead.
            R_[j] = shortest_arc(Vec3(now.x(), now.y(), 0.0), Vec3(now.x(), 0.0, 0.0), Vec3::UnitZ()) * kept;
        }
    }

    /// The line through the shoulders to the side, about the vertical.
    void turn_shoulders(int chest) {
        const int left = roles_.joint("upperarm.left");
        const int right = roles_.joint("upperarm.right");
        if (left < 0 || right < 0) return;
        const Pose& seen = reference_.pose;
        Quat& R = R_[size_t(chest)];
        Vec3 line = R * (seen.R[size_t(chest)].conjugate() * (seen.p[size_t(left)] - seen.p[size_t(right)]));
        line.y() = 0.0;
        if (line.norm() > 1e-6) R = shortest_arc(line, Vec3::UnitX()) * R;
    }

    /// Where a finger points: along the hand, with its own spread when that is kept.
    Vec3 direction_of(const std::string& role, const Vec3& now) const {
        if (!is_finger_role(role)) return stance_direction(role);
        const double out = role_side(role) == Side::right ? -1.0 : 1.0;
        if (role_part(role) == "thumb") return stance_direction(role, stance_.thumb_rad.value_or(0.0));
        if (stance_.closed_fingers) return out * Vec3::UnitX();
        const Vec3 flat(now.x(), 0.0, now.z());
        const bool is_first = role.find(".1.") != std::string::npos;
        if (is_first) return flat.norm() < 1e-9 ? Vec3(out * Vec3::UnitX()) : Vec3(flat.normalized());
        // What follows goes on straight.
        const int parent = roles_.joint(roles_.parent_role(role));
        Vec3 end;
        if (parent < 0 || !find_bone_end(skeleton_, roles_, roles_.role_of(parent), reference_.pose, end))
            return flat.normalized();
        const Vec3 before = R_[size_t(parent)] * (reference_.pose.R[size_t(parent)].conjugate() *
                                                  (end - reference_.pose.p[size_t(parent)]));
        return before.normalized();
    }

    void match(const std::string& role, int joint, const Vec3& own_J, RoleRest& found) {
        const size_t j = size_t(joint);
        const std::string part = role_part(role);
        const bool is_finger = is_finger_role(role);
        if (is_finger && (!stance_.straight_fingers || (part == "thumb" && !stance_.thumb_rad))) {
            found = {RollSource::own, 1.0};
            return;
        }
        const Quat carried = R_[size_t(skeleton_.parents[j])] * relation(model_, joint);
        const Vec3 s = direction_of(role, carried * own_J);
        // Onto the stance the shortest way from the aligned bone above.
        R_[j] = shortest_arc(carried * own_J, s, Vec3::UnitZ()) * carried;
        found = is_skinned_ ? RoleRest{RollSource::bind_pose, 0.8} : RoleRest{RollSource::unknown, 0.3};
        for (const LimbJoints& limb : limbs_) {
            const LimbBend& bend = bends_.at(limb.name);
            const auto turn_onto_hinge = [&](const Vec3& axis_J, double sure) {
                R_[j] = rolled(s, R_[j] * axis_J, stance_hinge(limb.name)) * R_[j];
                rest_.hinges[limb.name].source = bend.source;
                found = {bend.source == HingeSource::take        ? RollSource::take
                         : bend.source == HingeSource::bind_pose ? RollSource::bind_pose
                                                                 : RollSource::rest_bend,
                         sure};
            };
            if (limb.upper == joint && bend.upper_J) turn_onto_hinge(*bend.upper_J, bend.upper_sure);
            if (limb.lower != joint) continue;
            if (bend.lower_J)
                turn_onto_hinge(*bend.lower_J, bend.lower_sure);
            else if (bend.source == HingeSource::rest_bend)
                found = {RollSource::rest_bend, 0.7};
        }
        if (part == "hand") turn_palm(role, joint, s, found);
        if (is_finger) turn_finger(role, joint, own_J, s, found);
    }

    void turn_palm(const std::string& role, int joint, const Vec3& s, RoleRest& found) {
        const size_t j = size_t(joint);
        const std::string side(side_suffix(role_side(role)));
        const int index = roles_.joint("index.1" + side);
        const int little = roles_.joint("little.1" + side);
        if (index >= 0 && little >= 0) {
            const Vec3 fan_J = model_.R[j].conjugate() * (model_.p[size_t(index)] - model_.p[size_t(little)]);
            const Vec3 fan = R_[j] * fan_J;
            if ((fan - s * s.dot(fan)).norm() > 1e-4) {
                R_[j] = rolled(s, fan, Vec3::UnitZ()) * R_[j];
                found = {RollSource::finger_fan, 0.95};
                return;
            }
        }
        if (!is_skinned_) return;
        const auto normal = flat_normal(points_.below(skeleton_, joint));
        if (!normal) return;
        Vec3 palm = R_[j] * (model_.R[j].conjugate() * *normal);
        if (std::abs(palm.dot(s)) > 0.7) return;
        if (palm.y() < 0.0) palm = -palm;
        // The flat of a mesh is known to some degrees only: a modeller's palm that lies level enough stays.
        const double roll = roll_about(s, palm, Vec3::UnitY());
        if (std::abs(roll) > level_palm) R_[j] = exp_rotation(roll * s) * R_[j];
        found = {RollSource::hand_mesh, 0.8};
    }

    void turn_finger(const std::string& role, int joint, const Vec3& own_J, const Vec3& s, RoleRest& found) {
        const size_t j = size_t(joint);
        const auto hand = rest_.found.find("hand" + std::string(side_suffix(role_side(role))));
        if (hand != rest_.found.end() && hand->second.is_roll_known())
            found = {RollSource::palm, 0.9 * hand->second.sure};
        if (role_part(role) == "thumb") return;
        // Its own bend toward the next bone, when it bends the way fingers do.
        const ChainPlan* chain = biped_chain_of(role);
        if (!chain) return;
        const auto at = std::find(chain->roles.begin(), chain->roles.end(), role);
        const int next = at + 1 < chain->roles.end() ? roles_.joint(*(at + 1)) : -1;
        Vec3 end;
        if (next < 0 || !find_bone_end(skeleton_, roles_, *(at + 1), model_, end)) return;
        const auto axis = bend_in_pose(model_.R[j] * own_J, end - model_.p[size_t(next)], deg_to_rad(12.0));
        if (!axis) return;
        const Vec3 wanted = role_side(role) == Side::right ? Vec3(Vec3::UnitZ()) : Vec3(-Vec3::UnitZ());
        const Vec3 now = R_[j] * (model_.R[j].conjugate() * *axis);
        if (angle_between(now, wanted) > deg_to_rad(30.0)) return;
        R_[j] = rolled(s, now, wanted) * R_[j];
    }

    static const ChainPlan* biped_chain_of(const std::string& role) {
        return body_plan("biped").chain_of(role);
    }

    void stand(int joint, const Vec3& own_J, bool has_end, RoleRest& found) {
        const size_t j = size_t(joint);
        const Quat level = turn_ * reference_.pose.R[j];
        Quat R = level;
        found = {RollSource::sole_bones, 0.6};
        if (!reference_.is_stance)
            if (const auto up = standing_up(rig_.skeleton, request_.take, joint))
                R = shortest_arc(R * *up, Vec3::UnitY()) * R;
        const bool is_by_mesh = soles_.contains(joint);
        if (is_by_mesh) {
            // A sole that is level enough is left as the modeller set it.
            const Quat modelled = model_turn_ * model_.R[j];
            R = are_soles_off_ ? shortest_arc(soles_.at(joint), Vec3::UnitY()) * modelled : modelled;
            found = {RollSource::sole_mesh, 0.9};
        }
        const Vec3 ahead = R * own_J;
        const double pitch = std::atan2(-ahead.y(), std::hypot(ahead.x(), ahead.z()));
        if (!has_end || (!is_by_mesh && (pitch > deg_to_rad(65.0) || pitch < deg_to_rad(-25.0)))) {
            if (!is_by_mesh) found = {RollSource::unknown, 0.2};
            if (is_by_mesh) R_[j] = R;
            return;
        }
        R_[j] = shortest_arc(Vec3(ahead.x(), 0.0, ahead.z()), Vec3::UnitZ()) * R;
    }

    void take_stance() {
        if (stance_.arms_down_rad == 0.0) return;
        std::vector<Quat> turn(R_.size(), Quat::Identity());
        for (int joint = 0; joint < skeleton_.size(); ++joint) {
            const size_t j = size_t(joint);
            if (!skeleton_.is_ancestor(top_, joint)) continue;
            const std::string role = roles_.role_of(joint);
            if (skeleton_.parents[j] >= 0) turn[j] = turn[size_t(skeleton_.parents[j])];
            if (!role.empty()) turn[j] = stance_turn(stance_, role);
        }
        for (size_t j = 0; j < R_.size(); ++j) R_[j] = turn[j] * R_[j];
        for (auto& [limb, hinge] : rest_.hinges)
            if (limb.starts_with("arm"))
                hinge.n_W =
                    stance_turn(stance_, "upperarm" + std::string(side_suffix(role_side(limb)))) * hinge.n_W;
    }

    double lowest_point(const Pose& pose, int foot) const {
        double lowest = 1e30;
        if (foot < 0) return lowest;
        for (int j = foot; j < skeleton_.size(); ++j)
            if (skeleton_.is_ancestor(foot, j)) lowest = std::min(lowest, pose.p[size_t(j)].y());
        for (const EndSite& site : skeleton_.end_sites)
            if (skeleton_.is_ancestor(foot, site.joint))
                lowest = std::min(
                    lowest, (pose.p[size_t(site.joint)] + pose.R[size_t(site.joint)] * site.offset_m).y());
        return lowest;
    }

    void find_ankle_height() {
        const double leg = leg_length(skeleton_, roles_);
        const std::array<int, 2> feet{roles_.joint("foot.left"), roles_.joint("foot.right")};
        if (!rig_.meshes.empty() && by_mesh(leg, feet)) return;
        const auto lowest = [&](const Pose& pose) {
            return std::min(lowest_point(pose, feet[0]), lowest_point(pose, feet[1]));
        };
        const auto ankle = [&](const Pose& pose) {
            double low = 1e30;
            double sum = 0.0;
            int count = 0;
            for (const int foot : feet) {
                if (foot < 0) continue;
                low = std::min(low, pose.p[size_t(foot)].y());
                sum += pose.p[size_t(foot)].y();
                ++count;
            }
            if (count == 0) return 0.0;
            return sum / count - low < 0.015 * leg ? sum / count : low;
        };
        const auto stands = [&](const Pose& pose) {
            const double low = lowest(pose);
            return low > -0.02 * leg && low < 0.15 * leg;
        };
        if (reference_.is_stance && stands(reference_.pose)) {
            rest_.ankle_height_m = ankle(reference_.pose);
            rest_.ankle_reason = "the " + rest_.reference + " stands on the floor";
            return;
        }
        if (const Take* take = request_.take; take && take->frames > take->first_motion_frame) {
            std::vector<std::pair<double, int>> heights;
            const int step = std::max(1, take->frames / 600);
            heights.reserve(size_t(take->frames / step) + 1);
            for (int f = take->first_motion_frame; f < take->frames; f += step)
                heights.emplace_back(ankle(pose_at(rig_.skeleton, *take, f)), f);
            const auto tenth = heights.begin() + std::ptrdiff_t(heights.size() / 10);
            std::nth_element(heights.begin(), tenth, heights.end());
            if (stands(pose_at(rig_.skeleton, *take, tenth->second))) {
                rest_.ankle_height_m = tenth->first;
                rest_.ankle_reason = "low tenth of the ankle's height over the take";
                return;
            }
        }
        const Pose aligned = aligned_pose(rest_);
        const double sole = 0.015 * leg / leg_share_of_stature;
        rest_.ankle_height_m = std::max(0.0, ankle(aligned) - lowest(aligned)) + sole;
        rest_.ankle_reason =
            fmt::format("the lowest joint of the foot, and {:.1f} cm of sole assumed below it", 100.0 * sole);
    }

    /// By the lowest vertices under foot and toe, heel or ball, whichever is lower.
    bool by_mesh(double leg, const std::array<int, 2>& feet) {
        const Pose aligned = aligned_pose(rest_);
        const MeshPoints points = mesh_points(rig_, aligned);
        double sum = 0.0;
        int count = 0;
        for (const int foot : feet) {
            if (foot < 0) continue;
            double low = 1e30;
            const auto below = points.below(skeleton_, foot);
            for (const Vec3& p : below) low = std::min(low, p.y());
            const double height = aligned.p[size_t(foot)].y() - low;
            if (below.size() < 6 || !(height > 0.0 && height < 0.4 * leg)) continue;
            sum += height;
            ++count;
        }
        if (count == 0) return false;
        rest_.ankle_height_m = sum / count;
        rest_.ankle_reason = "lowest point of the mesh under foot and toe";
        return true;
    }
};

}  // namespace

RestAlignment solve_rest(const Rig& rig, const RoleMap& roles, const RestRequest& request) {
    if (roles.is_four_legged()) return rest_on_paws(rig, roles);
    if (request.stance.kind != Stance::Kind::own) return Solver(rig, roles, request).solve();
    RestRequest in_t = request;
    in_t.stance = Stance();
    const RestAlignment solved = Solver(rig, roles, in_t).solve();
    const Pose own = solved.reference == "first frame" && request.take
                         ? start_pose(rig.skeleton, *request.take)
                     : solved.reference == "bind pose" ? bind_pose(rig.skeleton)
                                                       : rest_pose(rig.skeleton);
    RestAlignment rest = rest_of_pose(rig, roles, own, solved);
    rest.stance = request.stance;
    rest.name = stance_name(rest.stance);
    return rest;
}

}  // namespace nb
