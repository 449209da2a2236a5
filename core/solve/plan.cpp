#include "core/solve/plan.hpp"

#include <utility>

#include "core/body/lines.hpp"
#include "core/body/measures.hpp"
#include "core/motion/kinematics.hpp"
#include "core/solve/beside.hpp"
#include "core/solve/clear.hpp"
#include "core/solve/near.hpp"
#include "core/solve/paired.hpp"

namespace nb {

namespace {

Vec3 map_centre(const MapCentre& about, const Character& source, const Take* take) {
    Vec3 o = Vec3::Zero();
    if (about.kind == MapCentre::Kind::place) o = about.at_m;
    if (about.kind == MapCentre::Kind::first_place && take && take->frames > take->first_motion_frame) {
        const BodyLines lines = lines_of(source.roles);
        if (lines.thigh_left >= 0 && lines.thigh_right >= 0)
            o = hip_centre(pose_at(source.rig.skeleton, *take, take->first_motion_frame).p, lines);
    }
    return {o.x(), 0.0, o.z()};
}

}  // namespace

Plan compile_plan(const Character& source, const Character& target, const PairingSettings& settings,
                  const Take* take, const Known& known, std::shared_ptr<const Beside> beside) {
    const std::string take_key = take ? take->key() : std::string();
    const PairedBodies bodies(source, target, settings, take_key);
    Plan plan;
    Program& program = plan.program;
    program.passes = settings.passes;
    const double T_leg = leg_length(bodies.T_tree, target.roles);
    const double S_leg = leg_length(source.rig.skeleton, source.roles);
    program.map.k = settings.scale.value_or(T_leg > 0.0 && S_leg > 0.0 ? T_leg / S_leg : 1.0);
    program.map.about = map_centre(settings.about, source, take);
    program.map.aside = settings.about.aside_m;
    program.is_k_asked = settings.scale.has_value();
    program.S_stature_m = stature(source.rig.skeleton, source.roles);
    compile_body(bodies, program);
    compile_root(bodies, program);
    compile_angles(bodies, program);
    compile_limbs(bodies, program);
    compile_ranges(bodies, program);
    if (take) {
        const HandMarks found = known.marks ? HandMarks() : hand_marks(source, *take);
        const HandMarks& of_hands = known.marks ? *known.marks : found;
        const BodySurface read =
            known.T_skin || target.roles.is_four_legged() ? BodySurface() : surface_of(target);
        const BodySurface& T_surface = known.T_skin ? *known.T_skin : read;
        compile_near(bodies, *take, of_hands, T_surface, program);
        for (const auto& [thing, rule] : take->contacts.things)
            if (const int joint = source.rig.skeleton.find(thing); joint >= 0 && rule.is_scaled)
                program.scaled_things.emplace_back(joint, program.map.k);
        program.beside = std::move(beside);
        compile_holds(bodies, *take, of_hands, T_surface, program);
        compile_on_set(bodies, *take, of_hands, T_surface, program);
        compile_beside(bodies, program);
        compile_clear(bodies, of_hands.surface.parts.empty() ? surface_of(source) : of_hands.surface,
                      T_surface, program);
        program.hand_touches = of_hands.touches;
    }
    compile_runs(bodies, program);
    compile_ends(bodies, program);
    compile_lengths(bodies, program);
    std::vector<std::string> idle;
    compile_bone_rules(bodies, program, idle);
    compile_twists(bodies, program);
    plan.report = report_on(bodies, program);
    compile_touches(source.rig.skeleton, target, touches_in_force(target, settings, take_key), program, idle);
    plan.report.notes.insert(plan.report.notes.end(), idle.begin(), idle.end());
    return plan;
}

}  // namespace nb
