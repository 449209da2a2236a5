// What stands on the stage: bodies in a pose, trails, and how they are shown. No OpenGL.
#pragma once
#include <memory>
#include <string>
#include <vector>

#include "core/motion/take.hpp"
#include "draw/figure.hpp"
#include "draw/theme.hpp"

namespace nb {

/// What of a body is drawn: its solid bones, its skin, or the bones seen through the skin.
enum class BodyLook { bones, mesh, xray };

/// One body of the scene. Figure and rig are shared and keep their identity: they are sent to the GPU once.
struct SceneBody {
    std::shared_ptr<const Figure> figure;
    std::shared_ptr<const Rig> rig;  ///< for its meshes; may be null
    BodyLook look = BodyLook::bones;
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
    bool is_cut_out = false;  ///< nothing behind the bodies: the picture is clear there
};

/// The rig of a character that is kept by somebody else, sharing its life.
template <typename Owner>
std::shared_ptr<const Rig> rig_of(const std::shared_ptr<Owner>& owner, const Character& character) {
    return {owner, &character.rig};
}

/// Joints where L and R are written: hands, and feet.
void set_side_marks(SceneBody& body, const Character& character);

/// One body with what it is drawn from. Without a character: nobody.
struct Actor {
    const Character* character = nullptr;
    std::shared_ptr<const Figure> figure;
    std::shared_ptr<const Rig> rig;
    Pose pose;
    BodyLook look = BodyLook::bones;
};

/// The source and the target of a transfer at one frame, spread by half `spread_m` to either side of `aside`
/// (unit vector). The target may be nobody.
Scene make_scene(const Actor& source, const Actor& target, double spread_m, const Vec3& aside,
                 const StageTheme& theme);

/// The frame of a world motion as a pose.
Pose pose_of(const WorldMotion& motion, int frame);

}  // namespace nb
