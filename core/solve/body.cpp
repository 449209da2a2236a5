#include "core/solve/body.hpp"

#include "core/body/carried.hpp"
#include "core/body/lines.hpp"
#include "core/body/measures.hpp"
#include "core/solve/paired.hpp"
#include "core/solve/program.hpp"

namespace nb {

void compile_body(const PairedBodies& bodies, Program& program) {
    const Skeleton& tree = bodies.T_tree;
    const RoleMap& roles = bodies.T.roles;
    CarriedBody& body = program.body;
    body.parents = tree.parents;
    body.offsets = tree.rest_p;
    body.below.resize(size_t(tree.size()));
    for (int j = 0; j < tree.size(); ++j)
        for (int above = tree.parents[size_t(j)]; above >= 0; above = tree.parents[size_t(above)])
            body.below[size_t(above)].push_back(j);
    body.hips = roles.joint("hips");
    body.thigh_left = roles.joint("thigh.left");
    body.thigh_right = roles.joint("thigh.right");
    body.top = body_top(tree, roles);
    body.lines = lines_of(roles);
    if (const int root = roles.joint("root");
        bodies.settings.has_root_track && root >= 0 && tree.is_ancestor(root, body.top) && root != body.top)
        body.root = root;
    if (body.top != body.hips)
        for (int j = 0; j < tree.size(); ++j)
            if (tree.is_ancestor(body.top, j)) body.below_top.push_back(j);
    body.own_places = {body.top};
    for (const Carried& c : find_carried(bodies.T.rig.skeleton, roles)) body.own_places.push_back(c.joint);
    body.stature_m = stature(tree, roles);
    if (const ChainPlan* spine = body_plan(roles.plan).chain("spine"))
        for (const std::string& role : spine->roles)
            if (const int joint = roles.joint(role); joint >= 0 && joint != body.hips)
                program.trunk.push_back(joint);
    program.spine_joints = program.trunk.size();
    for (const char* role : {"clavicle.left", "clavicle.right"})
        if (const int joint = roles.joint(role); joint >= 0) program.trunk.push_back(joint);
}

namespace {

/// No bone's place or length goes with the source's.
bool has_own_offsets(const Program& program) {
    return program.placed_of.empty() && program.length_of.empty();
}

void place_on_parent(const Program& program, const SourceFrame& source, TargetFrame& target, size_t j,
                     bool is_rigid) {
    const size_t parent = size_t(program.body.parents[j]);
    target.p[j] = target.p[parent] +
                  target.R[parent] * (is_rigid ? program.body.offsets[j] : offset_now(program, source, j));
}

}  // namespace

/// Positions below the hips from rotations; what stands outside the body stays at rest.
// NOLINTNEXTLINE(performance-unnecessary-value-param): callers give the very place that is written here
void place_joints(const Program& program, const SourceFrame& source, Vec3 p_WH, TargetFrame& target) {
    const bool is_rigid = has_own_offsets(program);
    for (size_t j = 0; j < program.body.parents.size(); ++j) {
        const int parent = program.body.parents[j];
        if (int(j) == program.body.top)
            target.p[j] = p_WH;
        else if (parent < 0)
            target.p[j] = program.body.offsets[j];
        else
            place_on_parent(program, source, target, j, is_rigid);
    }
    if (program.body.below_top.empty()) return;
    const Vec3 move = p_WH - target.p[size_t(program.body.hips)];
    for (const int j : program.body.below_top) target.p[size_t(j)] += move;
}

namespace {

/// What follows turned bones keeps its rest relative to them, or the turn of what it follows in the source; roles keep
/// their world rotation, and so do twist bones that are turned already.
void follow_parent(const Program& program, const SourceFrame& source, TargetFrame& target, size_t j,
                   bool are_twists_turned) {
    const AngleOp& op = program.angles[j];
    const int parent = program.body.parents[j];
    if (op.kind == AngleOp::Kind::follow || (op.kind == AngleOp::Kind::twist && !are_twists_turned)) {
        const bool is_touched = op.touched >= 0 && !target.touched_R_PJ.empty();
        const Quat& R_PJ = is_touched ? target.touched_R_PJ[size_t(op.touched)] : op.C;
        target.R[j] = (target.R[size_t(parent)] * R_PJ).normalized();
    } else if (op.kind == AngleOp::Kind::with && program.passes.angles) {
        target.R[j] = (target.R[size_t(parent)] * turn_with(program, source, j)).normalized();
    }
}

}  // namespace

void follow(const Program& program, const SourceFrame& source, TargetFrame& target, bool are_twists_turned) {
    for (size_t j = 0; j < program.angles.size(); ++j)
        if (program.body.parents[j] >= 0) follow_parent(program, source, target, j, are_twists_turned);
}

void follow_below(const Program& program, const SourceFrame& source, TargetFrame& target, int joint,
                  bool are_twists_turned) {
    const bool is_rigid = has_own_offsets(program);
    for (const int below : program.body.below[size_t(joint)]) {
        const size_t j = size_t(below);
        follow_parent(program, source, target, j, are_twists_turned);
        place_on_parent(program, source, target, j, is_rigid);
    }
}

/// The same, and positions after it.
void follow_anew(const Program& program, const SourceFrame& source, TargetFrame& target,
                 bool are_twists_turned) {
    follow(program, source, target, are_twists_turned);
    place_joints(program, source, target.p[size_t(program.body.hips)], target);
}

}  // namespace nb
