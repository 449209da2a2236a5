// What stands on the stage: bodies in a pose, trails, and how they are shown. No OpenGL.
#pragma once
#include <memory>
#include <string>
#include <vector>

#include "core/intake/load.hpp"
#include "core/motion/kinematics.hpp"
#include "core/motion/take.hpp"
#include "core/solve/frames.hpp"
#include "draw/figure.hpp"
#include "draw/theme.hpp"

namespace nb {

struct Program;

/// What of a body is drawn: its solid bones, its skin, the bones seen through the skin, or nothing.
enum class BodyLook { bones, mesh, xray, hidden };

/// One body of the scene. Figure and rig are shared and keep their identity: they are sent to the GPU once.
struct SceneBody {
    std::shared_ptr<const Figure> figure;
    std::shared_ptr<const Rig> rig;  ///< for its meshes; may be null
    BodyLook look = BodyLook::bones;
    Pose pose;                    ///< world, m
    double size = 1.0;            ///< of what hangs on the joints; their places are given as shown
    Vec3 moved_m = Vec3::Zero();  ///< where it is shown, beside where it is
    Colour colour{};
    float opacity = 1.0f;
    float paled = 0.0f;  ///< by how much a skin's own colours give way to `colour`
    int selected_joint = -1;
    /// Joints at which the letters L and R stand; -1 for none.
    std::vector<int> left_marks, right_marks;
};

/// A thing beside the bodies, in its own colours: x_W = scale R v + p.
struct ScenePiece {
    std::shared_ptr<const Rig> rig;
    Quat R = Quat::Identity();
    Vec3 p_m = Vec3::Zero();
    double scale = 1.0;
    bool is_ground = false;
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
    std::vector<ScenePiece> pieces;
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

/// A further body, where it is.
void add_body(Scene& scene, const Actor& actor, const Colour& colour);

/// A stage piece with what it is drawn from; `joint` of the take carries it, -1: it stands still.
struct Prop {
    StagePiece piece;
    std::shared_ptr<const Rig> rig;
    int joint = -1;
};
/// Reads the pieces of a take. What cannot be read is said in `notes` and left out.
std::vector<Prop> load_props(const LoadedFile& take, std::vector<std::string>& notes);

/// Puts the pieces of the source's take on the stage: beside the source as recorded, and beside the target
/// where the place map x -> k x puts them: what stands still is scaled, what is carried keeps its size and
/// stands on its mapped base, or lies in the hands that hold it (core/solve/hold.hpp). The ground is shared.
/// `program`: null: there is no target.
void add_props(Scene& scene, const std::vector<Prop>& props, const SourceFrame& source,
               const Program* program, const Pose& target);
/// The same of a cast of a scene: beside its target alone. `has_ground`: what is shared by all stands there, too.
void add_cast_props(Scene& scene, const std::vector<Prop>& props, const SourceFrame& source,
                    const Program& program, const Pose& target, bool has_ground);

}  // namespace nb
