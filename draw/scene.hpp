// What stands on the stage: bodies in a pose, trails, and how they are shown. No OpenGL.
#pragma once
#include <memory>
#include <string>
#include <vector>

#include "core/motion/take.hpp"
#include "draw/figure.hpp"
#include "draw/theme.hpp"

namespace nb {

/// One body of the scene. The figure is shared and keeps its identity, so that it is sent to the GPU once.
struct SceneBody {
    std::shared_ptr<const Figure> figure;
    Pose pose;                    ///< world, m
    Vec3 moved_m = Vec3::Zero();  ///< where it is shown, beside where it is
    Colour colour{};
    float opacity = 1.0f;
    int selected_joint = -1;
    /// Joints at which the letters L and R stand; -1 for none.
    std::vector<int> left_marks, right_marks;
};

/// Places of one bone over time, a dot a frame.
struct SceneTrail {
    std::vector<Vec3> places_m;
    int now = -1;  ///< index of the shown frame
    Colour colour{};
};

struct Scene {
    std::vector<SceneBody> bodies;
    std::vector<SceneTrail> trails;
    StageTheme theme = ink_stage;
    bool has_floor = true;
};

/// Joints where L and R are written: hands, and feet.
void set_side_marks(SceneBody& body, const Character& character);

/// The source and the target of a transfer at one frame, spread by half `spread_m` to either side of `aside`
/// (unit vector). `target` may be null.
Scene make_scene(const Character& source, const std::shared_ptr<const Figure>& source_figure,
                 const Pose& source_pose, const Character* target,
                 const std::shared_ptr<const Figure>& target_figure, const Pose& target_pose, double spread_m,
                 const Vec3& aside, const StageTheme& theme);

/// The frame of a world motion as a pose.
Pose pose_of(const WorldMotion& motion, int frame);

}  // namespace nb
