// nbone picture: one frame of a take, alone or with its transfer, drawn without a display.
#include <fmt/format.h>

#include "cli/commands.hpp"
#include "core/base/fault.hpp"
#include "core/library/library.hpp"
#include "core/library/scenes.hpp"
#include "core/motion/kinematics.hpp"
#include "core/solve/engine.hpp"
#include "draw/renderer.hpp"

namespace nb::cli {

namespace {

/// Frames all bodies of the scene with a margin.
void frame_bodies(const Scene& scene, Camera& camera, double aspect) {
    Vec3 low = Vec3::Constant(1e30);
    Vec3 high = Vec3::Constant(-1e30);
    // Joints lie inside: heads, hands and clothes reach further.
    const Vec3 air(0.12, 0.16, 0.12);
    for (const SceneBody& body : scene.bodies)
        for (const Vec3& p : body.pose.p) {
            low = low.cwiseMin(p + body.moved_m - air);
            high = high.cwiseMax(p + body.moved_m + air);
        }
    low.y() = std::min(low.y(), 0.0);
    camera.focus_m = 0.5 * (low + high);
    double wide = 0.0;
    double tall = 0.0;
    for (int corner = 0; corner < 8; ++corner) {
        const Vec3 p(corner & 1 ? low.x() : high.x(), corner & 2 ? low.y() : high.y(),
                     corner & 4 ? low.z() : high.z());
        wide = std::max(wide, std::abs((p - camera.focus_m).dot(camera.right())));
        tall = std::max(tall, std::abs((p - camera.focus_m).dot(camera.up())));
    }
    camera.height_m = 2.0 * std::max(tall * 1.08, wide * 1.08 / aspect);
}

}  // namespace

namespace {

constexpr int width = 1280;
constexpr int height = 800;

Actor actor_of(const std::shared_ptr<const LoadedFile>& file, Pose pose, BodyLook look) {
    return {&file->character, std::make_shared<const Figure>(make_figure(file->character)),
            rig_of(file, file->character), std::move(pose), look};
}

void write_picture(const std::string& path, const Scene& scene, Camera& camera) {
    frame_bodies(scene, camera, double(width) / height);
    const OffscreenContext context;
    Renderer renderer;
    write_png(path, draw_picture(renderer, scene, camera, width, height));
}

/// All casts at a frame of the first.
int picture_of_scene(const Options& options, Camera& camera, BodyLook look) {
    const OpenScene open = opened_scene(options.scene, options);
    const SceneResult result = carry_scene(open);
    const int frames = open.casts.front().take->frames;
    if (options.frame < 0 || options.frame >= frames)
        throw WrongUse(
            fmt::format("--frame {}: the first cast has frames 0 to {}", options.frame, frames - 1));
    const double scene_s = open.casts.front().scene_time_s(options.frame);
    std::vector<std::string> notes = result.notes;
    Scene scene;
    scene.theme = stage_theme(options.theme);
    for (size_t i = 0; i < open.casts.size(); ++i) {
        const double t_s = open.casts[i].take_time_s(scene_s);
        const Pose source = pose_between(result.results[i].source, t_s);
        const Pose target = pose_between(result.results[i].target, t_s);
        add_body(scene, actor_of(open.targets[i], target, look), scene.theme.target);
        std::vector<Prop> props = load_props(*open.takes[i], notes);
        std::erase_if(props, [&](const Prop& prop) { return is_shown_before(open, i, prop.piece); });
        add_cast_props(scene, props, {source.R, source.p, t_s}, result.results[i].plan.program, target, true);
    }
    write_picture(options.out, scene, camera);
    for (const auto& note : notes) fmt::print("  note: {}\n", note);
    return exit_done;
}

}  // namespace

int picture(const Options& options) {
    if (!options.out.ends_with(".png")) throw WrongUse("--out: choose a name ending in .png");
    if (options.take.empty() == options.scene.empty()) throw WrongUse("give --take or --scene, one of them");
    std::vector<std::string> notes;
    View view = View::three_quarter;
    for (const View named : {View::front, View::side, View::top, View::back, View::other_side, View::below})
        if (options.view == view_name(named)) view = named;
    Camera camera;
    set_view(camera, view);
    const BodyLook look = options.body_look == "bones"  ? BodyLook::bones
                          : options.body_look == "xray" ? BodyLook::xray
                                                        : BodyLook::mesh;
    if (!options.scene.empty()) return picture_of_scene(options, camera, look);
    LoadedFile source = load_take(options.take, options.source_character, notes, options.animation - 1);
    if (options.frame < 0 || options.frame >= source.take->frames)
        throw WrongUse(
            fmt::format("--frame {}: the take has frames 0 to {}", options.frame, source.take->frames - 1));
    const auto source_file = std::make_shared<const LoadedFile>(std::move(source));
    const Pose source_pose = pose_at(source_file->character.rig.skeleton, *source_file->take, options.frame);
    Scene scene;
    std::shared_ptr<const LoadedFile> target_file;
    std::optional<Program> program;
    Pose target_pose;
    double t_s = 0.0;
    if (options.target.empty()) {
        scene = make_scene(actor_of(source_file, source_pose, look), {}, 0.0, camera.right(),
                           stage_theme(options.theme));
    } else {
        target_file = std::make_shared<const LoadedFile>(
            load_character(options.target, options.target_character, notes));
        // The whole take: what is held, and how the hips give way, is known only along time.
        const TransferResult result =
            nb::transfer(source_file->character, *source_file->take, target_file->character,
                         pairing_settings(options), options.threads);
        program = result.plan.program;
        target_pose = pose_of(result.target, options.frame);
        t_s = result.source.time_s(options.frame);
        scene = make_scene(actor_of(source_file, pose_of(result.source, options.frame), BodyLook::bones),
                           actor_of(target_file, target_pose, look), 1.4 * options.spread.value_or(1.0),
                           camera.right(), stage_theme(options.theme));
    }
    add_props(scene, load_props(*source_file, notes), {source_pose.R, source_pose.p, t_s},
              program ? &*program : nullptr, target_pose);
    write_picture(options.out, scene, camera);
    for (const auto& note : notes) fmt::print("  note: {}\n", note);
    return exit_done;
}

}  // namespace nb::cli
