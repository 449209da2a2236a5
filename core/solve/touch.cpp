#include "core/solve/touch.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>

#include "core/solve/chain_bend.hpp"
#include "core/solve/passes.hpp"
#include "core/touchup/apply.hpp"

namespace nb {

namespace {

double yaw_of(const TouchProgram& touch, const Quat& R_hips) {
    return yaw_of_turn(R_hips * touch.hips_rest_inverse);
}

Vec3 shift_of(const PlaceOp& op, const TouchProgram& touch, const SourceFrame& source, const Quat& R_hips) {
    const double w = op.weight * op.when.weight(source.t_s);
    if (w <= 0.0) return Vec3::Zero();
    if (op.S_support >= 0) return w * (source.R[size_t(op.S_support)] * op.by_m);
    if (!op.is_by_heading) return w * op.by_m;
    return w * (exp_rotation(yaw_of(touch, R_hips) * Vec3::UnitY()) * op.by_m);
}

/// What stands where in the role's name: "hand.left" -> the tip of the left arm.
std::vector<PlaceOp> compile_place(const Character& target, const TouchUp& touch, double weight,
                                   const std::vector<LimbOp>& limbs) {
    std::vector<PlaceOp> ops;
    if (touch.place_m.norm() < 1e-12) return ops;
    const auto add = [&](const std::string& what, const Vec3& by_m) {
        PlaceOp op{touch.when, weight, PlaceOp::Part::tip, 0, touch.axes == TurnAxes::body, by_m};
        if (what == "hips" || what == "head") {
            op.part = what == "hips" ? PlaceOp::Part::hips : PlaceOp::Part::head;
            ops.push_back(op);
            return;
        }
        const int joint = target.roles.joint(what);
        for (size_t i = 0; i < limbs.size(); ++i) {
            const bool is_tip = limbs[i].T_tip == joint || what == limb_names[limbs[i].limb];
            if (!is_tip && limbs[i].T_mid != joint) continue;
            op.part = is_tip ? PlaceOp::Part::tip : PlaceOp::Part::mid;
            op.limb = i;
            ops.push_back(op);
            return;
        }
    };
    add(touch.what, touch.place_m);
    const std::string other = mirrored_role(touch.what);
    if (touch.has_other_side && other != touch.what)
        add(other, {-touch.place_m.x(), touch.place_m.y(), touch.place_m.z()});
    return ops;
}

void place_mid(const LimbOp& op, const Vec3& by, TargetFrame& target) {
    const Vec3 start = target.p[size_t(op.T_start)];
    const Vec3 along = target.p[size_t(op.T_tip)] - start;
    if (along.norm() < 1e-9) return;
    const Vec3 axis = along.normalized();
    const auto beside = [&](const Vec3& v) { return Vec3(v - axis * axis.dot(v)); };
    const Vec3 now = beside(target.p[size_t(op.T_mid)] - start);
    const Vec3 to = beside(target.p[size_t(op.T_mid)] + by - start);
    if (now.norm() < 1e-6 || to.norm() < 1e-6) return;
    const Quat turn = exp_rotation(std::atan2(axis.dot(now.cross(to)), now.dot(to)) * axis);
    turn_joint(target, op.T_start, turn);
    turn_joint(target, op.T_mid, turn);
    if (op.T_hock >= 0) turn_joint(target, op.T_hock, turn);
}

/// Spine and neck bend; the head keeps its turn.
void place_head(const Program& program, const Vec3& by, TargetFrame& target) {
    const TouchProgram& touch = program.touch;
    const auto p = [&](int joint) { return target.p[size_t(joint)]; };
    std::array<Vec3, most_bent_bones> bones;
    std::array<Quat, most_bent_bones> turns;
    const size_t count = touch.to_head.size();
    for (size_t i = 0; i < count; ++i)
        bones[i] = p(i + 1 < count ? touch.to_head[i + 1] : touch.head) - p(touch.to_head[i]);
    const Vec3 across = p(program.body.thigh_left) - p(program.body.thigh_right);
    const Vec3 side = across.norm() > 1e-6 ? Vec3(across.normalized()) : Vec3(Vec3::UnitX());
    bend_chain({bones.data(), count}, side, p(touch.head) + by - p(touch.to_head.front()),
               {turns.data(), count});
    for (size_t i = 0; i < count; ++i) turn_joint(target, touch.to_head[i], turns[i]);
}

/// Roles and limbs that a touch-up moves: its bone and what hangs on it; of a place its whole limb.
AskedTouch asked_of(const Character& target, const TouchUp& touch) {
    AskedTouch asked{touch.when, {}};
    const BodyPlan& plan = body_plan(target.roles.plan);
    const auto add = [&](const std::string& what) {
        const ChainPlan* chain = plan.chain(what);
        if (!chain && touch.kind == TouchKind::place) chain = plan.chain_of(what);
        const int from = target.roles.joint(chain && !chain->roles.empty() ? chain->roles.front() : what);
        if (from < 0 && !what.empty()) return;
        for (const RoleFill& fill : target.roles.fills) {
            if (from >= 0 && !target.rig.skeleton.is_ancestor(from, fill.joint)) continue;
            asked.rows.push_back(fill.role);
            if (const ChainPlan* own = plan.chain_of(fill.role)) asked.rows.push_back(own->name);
        }
    };
    add(touch.what);
    if (const std::string other = mirrored_role(touch.what); touch.has_other_side && other != touch.what)
        add(other);
    return asked;
}

}  // namespace

namespace {

/// Bones that follow the one above keep what touch-ups turn them by. What hangs on a turned bone goes with it anyway.
void find_followers(Program& program) {
    TouchProgram& touch = program.touch;
    const auto add = [&](int joint, const TouchSpan& when) {
        AngleOp& op = program.angles[size_t(joint)];
        const int parent = program.body.parents[size_t(joint)];
        if (op.kind != AngleOp::Kind::follow || parent < 0) return;
        if (op.touched < 0) {
            op.touched = int(touch.followers.size());
            touch.followers.push_back({joint, parent, op.C, {}});
        }
        touch.followers[size_t(op.touched)].whens.push_back(when);
    };
    for (const auto& one : touch.turns) {
        if (const auto* turn = std::get_if<TurnOp>(&one)) {
            if (!turn->joints.empty()) add(turn->joints.front(), turn->when);
        } else if (const auto* fingers = std::get_if<FingersOp>(&one)) {
            for (const PosedFinger& finger : fingers->fingers) add(finger.joint, fingers->when);
        }
    }
}

}  // namespace

bool TouchProgram::has_hips() const {
    return std::any_of(places.begin(), places.end(),
                       [](const PlaceOp& op) { return op.part == PlaceOp::Part::hips; });
}

void compile_touches(const Skeleton& source, const Character& target, const TouchLayers& layers,
                     Program& solve, std::vector<std::string>& notes) {
    TouchProgram& program = solve.touch;
    for (const TouchLayer& layer : layers) {
        if (layer.is_idle()) continue;
        for (const TouchUp& touch : layer.touches) {
            if (touch.stage != TouchStage::source) program.asked.push_back(asked_of(target, touch));
            if (touch.stage != TouchStage::angles) continue;
            const size_t before = program.turns.size() + program.places.size();
            std::string why = fmt::format("the body has no '{}' that it could act on", touch.what);
            switch (touch.kind) {
                case TouchKind::turn:
                    if (touch.turn_rad.norm() < 1e-12) why = "it turns by nothing";
                    for (TurnOp& op :
                         compile_turn(target.rig.skeleton, target.roles, target.rest, touch, layer.weight))
                        program.turns.emplace_back(std::move(op));
                    break;
                case TouchKind::hand:
                    why = pose_of(touch) ? std::string("the body has no fingers there")
                                         : fmt::format("there is no hand pose '{}'", touch.pose);
                    for (FingersOp& op :
                         compile_fingers(target.rig.skeleton, target.roles, target.rest, touch, layer.weight))
                        program.turns.emplace_back(std::move(op));
                    break;
                case TouchKind::place: {
                    if (touch.place_m.norm() < 1e-12) why = "it moves by nothing";
                    const int support = touch.support.empty() ? -1 : source.find(touch.support);
                    if (!touch.support.empty() && support < 0) {
                        why = fmt::format("the take has no '{}' to go by", touch.support);
                        break;
                    }
                    for (PlaceOp& op : compile_place(target, touch, layer.weight, solve.limbs)) {
                        op.S_support = support;
                        program.places.push_back(op);
                    }
                    break;
                }
                default:
                    why = "it acts on a motion: give it the stage source, or last";
            }
            if (program.turns.size() + program.places.size() == before)
                notes.push_back(idle_touch(touch.kind, layer.name, why));
        }
    }
    if (program.is_empty()) return;
    program.rest = std::make_shared<const RestAlignment>(target.rest);
    program.hips_rest_inverse = target.rest.R_WJ0[size_t(target.roles.joint("hips"))].conjugate();
    program.head = target.roles.joint("head");
    const Skeleton& skeleton = target.rig.skeleton;
    for (int j = program.head < 0 ? -1 : skeleton.parents[size_t(program.head)];
         j >= 0 && j != target.roles.joint("hips"); j = skeleton.parents[size_t(j)])
        // What follows the bone above it bends with that.
        if (const auto kind = solve.angles[size_t(j)].kind;
            kind == AngleOp::Kind::direct || kind == AngleOp::Kind::blend)
            program.to_head.insert(program.to_head.begin(), j);
    // Of very long necks what is nearest to the head.
    if (program.to_head.size() > most_bent_bones)
        program.to_head.erase(program.to_head.begin(), program.to_head.end() - most_bent_bones);
    find_followers(solve);
}

void touch_turns(const Program& program, const SourceFrame& source, TargetFrame& target) {
    const TouchProgram& touch = program.touch;
    for (const auto& one : touch.turns) {
        if (const auto* turn = std::get_if<TurnOp>(&one)) {
            const double yaw = turn->is_by_heading ? yaw_of(touch, target.R[size_t(program.body.hips)]) : 0.0;
            turn_frame(*turn, source.t_s, yaw, target.R);
        } else if (const auto* fingers = std::get_if<FingersOp>(&one)) {
            set_fingers(*touch.rest, fingers->hand, fingers->fingers,
                        fingers->weight * fingers->when.weight(source.t_s), fingers->is_added, target.R);
        }
    }
    if (target.touched_R_PJ.empty()) return;
    for (size_t i = 0; i < touch.followers.size(); ++i) {
        const TouchedFollower& follower = touch.followers[i];
        const bool is_turned = std::ranges::any_of(
            follower.whens, [&](const TouchSpan& when) { return when.weight(source.t_s) > 0.0; });
        // To the bit as it is where none acts.
        target.touched_R_PJ[i] =
            is_turned
                ? Quat((target.R[size_t(follower.parent)].conjugate() * target.R[size_t(follower.joint)])
                           .normalized())
                : follower.R_PJ;
    }
}

void touch_places(const Program& program, const SourceFrame& source, TargetFrame& target,
                  const FrameCorrection* held) {
    const TouchProgram& touch = program.touch;
    for (const PlaceOp& op : touch.places) {
        if (op.part == PlaceOp::Part::hips) continue;
        Vec3 by = shift_of(op, touch, source, target.R[size_t(program.body.hips)]);
        if (op.part == PlaceOp::Part::head) {
            if (by == Vec3::Zero() || touch.to_head.empty()) continue;
            place_head(program, by, target);
        } else {
            const LimbOp& limb = program.limbs[op.limb];
            if (held && op.part == PlaceOp::Part::tip && program.ends[limb.limb].limb == int(op.limb))
                by *= 1.0 - held->limbs[limb.limb].hold;
            if (by == Vec3::Zero()) continue;
            if (op.part == PlaceOp::Part::tip)
                move_tip(program, limb, by, source, target);
            else
                place_mid(limb, by, target);
        }
        follow_anew(program, source, target, false);
    }
}

Vec3 touched_hips(const Program& program, const SourceFrame& source, const Quat& R_hips) {
    Vec3 by = Vec3::Zero();
    for (const PlaceOp& op : program.touch.places)
        if (op.part == PlaceOp::Part::hips) by += shift_of(op, program.touch, source, R_hips);
    return by;
}

}  // namespace nb
