#include "draw/portrait.hpp"

#include "core/body/measures.hpp"

namespace nb {

namespace {

/// The aligned rest with the arms let down beside the body.
Pose standing(const Character& c) {
    const Skeleton& skeleton = c.rig.skeleton;
    if (c.rest.R_WJ0.empty()) return rest_pose(skeleton);
    Pose pose{c.rest.R_WJ0, c.rest.p_WJ0};
    if (c.roles.is_four_legged()) return pose;  // it stands on them
    for (const Side side : {Side::left, Side::right}) {
        const std::string suffix(side_suffix(side));
        const int arm = c.roles.joint("upperarm" + suffix);
        if (arm < 0) continue;
        const double x = side == Side::left ? -1.0 : 1.0;
        const Quat down = axis_rotation(1, -0.12 * x) * axis_rotation(2, x * deg_to_rad(72.0));
        const Vec3 pivot = pose.p[size_t(arm)];
        for (int j = arm; j < skeleton.size(); ++j) {
            if (!skeleton.is_ancestor(arm, j)) continue;
            pose.R[size_t(j)] = down * pose.R[size_t(j)];
            pose.p[size_t(j)] = pivot + down * (pose.p[size_t(j)] - pivot);
        }
    }
    return pose;
}

}  // namespace

Picture draw_portrait(Renderer& renderer, const std::shared_ptr<const LoadedFile>& file, int height_px) {
    const Character& c = file->character;
    const Actor actor{&c, std::make_shared<const Figure>(make_figure(c)), rig_of(file, c), standing(c),
                      BodyLook::mesh};
    Scene scene = make_scene(actor, {}, 0.0, Vec3::UnitX(), ink_stage);
    scene.has_floor = false;
    scene.is_cut_out = true;
    // Neither source nor target yet: the edge is bone-white.
    scene.bodies[0].colour = scene.bodies[0].rig->meshes.empty() ? hex(0xb9b4a8) : ink_stage.mark;
    scene.bodies[0].left_marks.clear();
    scene.bodies[0].right_marks.clear();
    Camera camera;
    set_view(camera, View::front);
    camera.yaw_rad = 0.35;
    camera.pitch_rad = 0.0;
    camera.lens_rad = 0.05;
    camera.height_m = portrait_span_m;
    camera.focus_m = Vec3(0, 0.5 * portrait_span_m, 0);
    return draw_picture(renderer, scene, camera, height_px / 2, height_px);
}

}  // namespace nb
