#include "draw/scene.hpp"

namespace nb {

void set_side_marks(SceneBody& body, const Character& character) {
    for (const auto& [side, marks] :
         {std::pair{".left", &body.left_marks}, std::pair{".right", &body.right_marks}}) {
        marks->clear();
        for (const std::string part : {"hand", "foot"})
            if (const int j = character.roles.joint(part + side); j >= 0) marks->push_back(j);
    }
}

namespace {

SceneBody scene_body(const Actor& actor, const Colour& colour, const Vec3& moved_m) {
    SceneBody body;
    body.figure = actor.figure;
    body.rig = actor.rig;
    body.look = actor.rig && !actor.rig->meshes.empty() ? actor.look : BodyLook::bones;
    body.pose = actor.pose;
    body.colour = colour;
    body.moved_m = moved_m;
    set_side_marks(body, *actor.character);
    return body;
}

}  // namespace

Scene make_scene(const Actor& source, const Actor& target, double spread_m, const Vec3& aside,
                 const StageTheme& theme) {
    Scene scene;
    scene.theme = theme;
    const Vec3 half = target.character ? Vec3(0.5 * spread_m * aside) : Vec3(Vec3::Zero());
    scene.bodies.push_back(scene_body(source, theme.source, -half));
    if (target.character) scene.bodies.push_back(scene_body(target, theme.target, half));
    return scene;
}

Pose pose_of(const WorldMotion& motion, int frame) {
    const auto first = std::ptrdiff_t(motion.at(frame, 0));
    const auto last = first + motion.joints;
    return {{motion.R.begin() + first, motion.R.begin() + last},
            {motion.p.begin() + first, motion.p.begin() + last}};
}

}  // namespace nb
