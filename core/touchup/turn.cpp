#include "core/touchup/turn.hpp"

#include "core/rest/edit.hpp"

namespace nb {

namespace {

TurnOp one_turn(const Skeleton& skeleton, const RestAlignment& rest, int joint, const TouchUp& touch,
                double weight, const Vec3& v_W) {
    TurnOp op;
    op.when = touch.when;
    op.weight = weight;
    op.is_by_heading = touch.axes == TurnAxes::body;
    op.is_one_piece = op.is_by_heading || touch.axes == TurnAxes::world;
    op.v_W = v_W;
    for (int k = joint; k < skeleton.size(); ++k) {
        if (!skeleton.is_ancestor(joint, k)) continue;
        op.joints.push_back(k);
        if (!op.is_one_piece) op.v_J.push_back(rest.R_WJ0[size_t(k)].conjugate() * v_W);
    }
    return op;
}

}  // namespace

std::vector<TurnOp> compile_turn(const Skeleton& skeleton, const RoleMap& roles, const RestAlignment& rest,
                                 const TouchUp& touch, double layer_weight) {
    std::vector<TurnOp> ops;
    const int joint = roles.joint(touch.what);
    if (touch.kind != TouchKind::turn || joint < 0 || layer_weight <= 0.0 || touch.turn_rad.norm() < 1e-12)
        return ops;
    const bool is_at_rest = touch.axes == TurnAxes::bone || touch.axes == TurnAxes::parent;
    const Vec3 v_W = is_at_rest
                         ? Vec3(axes_of(skeleton, roles, rest, touch.what, touch.axes) * touch.turn_rad)
                         : touch.turn_rad;
    ops.push_back(one_turn(skeleton, rest, joint, touch, layer_weight, v_W));
    const std::string other = mirrored_role(touch.what);
    if (const int there = roles.joint(other); touch.has_other_side && other != touch.what && there >= 0)
        ops.push_back(one_turn(skeleton, rest, there, touch, layer_weight, mirrored_vector(v_W)));
    return ops;
}

void turn_frame(const TurnOp& op, double t_s, double heading_rad, std::span<Quat> R) {
    const double w = op.weight * op.when.weight(t_s);
    if (w <= 0.0) return;
    if (op.is_one_piece) {
        const Vec3 v = op.is_by_heading ? Vec3(exp_rotation(heading_rad * Vec3::UnitY()) * op.v_W) : op.v_W;
        const Quat turn = exp_rotation(w * v);
        for (const int k : op.joints) R[size_t(k)] = (turn * R[size_t(k)]).normalized();
        return;
    }
    for (size_t i = 0; i < op.joints.size(); ++i) {
        Quat& R_k = R[size_t(op.joints[i])];
        R_k = (R_k * exp_rotation(w * op.v_J[i])).normalized();
    }
}

}  // namespace nb
