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

Scene make_scene(const Character& source, const std::shared_ptr<const Figure>& source_figure,
                 const Pose& source_pose, const Character* target,
                 const std::shared_ptr<const Figure>& target_figure, const Pose& target_pose, double spread_m,
                 const Vec3& aside, const StageTheme& theme) {
    Scene scene;
    scene.theme = theme;
    SceneBody body;
    body.figure = source_figure;
    body.pose = source_pose;
    body.colour = theme.source;
    body.moved_m = target ? Vec3(-0.5 * spread_m * aside) : Vec3(Vec3::Zero());
    set_side_marks(body, source);
    scene.bodies.push_back(body);
    if (target) {
        body.figure = target_figure;
        body.pose = target_pose;
        body.colour = theme.target;
        body.moved_m = 0.5 * spread_m * aside;
        set_side_marks(body, *target);
        scene.bodies.push_back(body);
    }
    return scene;
}

Pose pose_of(const WorldMotion& motion, int frame) {
    const auto first = std::ptrdiff_t(motion.at(frame, 0));
    const auto last = first + motion.joints;
    return {{motion.R.begin() + first, motion.R.begin() + last},
            {motion.p.begin() + first, motion.p.begin() + last}};
}

}  // namespace nb
