#include "draw/scene.hpp"
#include "core/motion/kinematics.hpp"
#include "core/solve/hold.hpp"
#include "core/solve/program.hpp"

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
    const bool has_mesh = actor.rig && !actor.rig->meshes.empty();
    body.look = has_mesh || actor.look == BodyLook::hidden ? actor.look : BodyLook::bones;
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

void add_body(Scene& scene, const Actor& actor, const Colour& colour) {
    if (actor.character) scene.bodies.push_back(scene_body(actor, colour, Vec3::Zero()));
}

std::vector<Prop> load_props(const LoadedFile& take, std::vector<std::string>& notes) {
    std::vector<Prop> props;
    for (const StagePiece& piece : take.pieces) {
        Prop prop{piece, nullptr, -1};
        if (!piece.joint.empty()) {
            prop.joint = take.character.rig.skeleton.find(piece.joint);
            if (prop.joint < 0) {
                notes.push_back("no track '" + piece.joint + "' for " + piece.path + ": it is not shown");
                continue;
            }
        }
        try {
            const auto file = std::make_shared<const LoadedFile>(load_file(piece.path));
            prop.rig = rig_of(file, file->character);
            props.push_back(std::move(prop));
        } catch (const std::exception& error) {
            notes.emplace_back(error.what());
        }
    }
    return props;
}

namespace {

/// One beside the source (`program` null), or beside its target; false where it is not there.
bool place_piece(const Prop& prop, const SourceFrame& source, const Program* program, const Pose& target,
                 const Vec3& moved_m, ScenePiece& piece) {
    piece.rig = prop.rig;
    const PlaceMap in = program ? program->map : PlaceMap();
    if (prop.piece.is_ground) {
        piece.p_m = prop.piece.at_m;
        piece.is_ground = true;
    } else if (const size_t joint = size_t(prop.joint); prop.joint >= 0) {
        if (joint >= source.p.size()) return false;
        const Rigid X = program ? thing_beside(*program, prop.joint, source, {target.R, target.p})
                                : Rigid{source.R[joint], source.p[joint]};
        piece.R = X.R;
        piece.p_m = X.p + moved_m;
        if (program) piece.scale = thing_scale(*program, prop.joint);
    } else {
        piece.p_m = in(prop.piece.at_m) + moved_m;
        piece.scale = in.k;
    }
    return true;
}

}  // namespace

void add_props(Scene& scene, const std::vector<Prop>& props, const SourceFrame& source,
               const Program* program, const Pose& target) {
    for (size_t i = 0; i < scene.bodies.size(); ++i) {
        const bool is_target = i == 1;
        for (const Prop& prop : props) {
            ScenePiece piece;
            if (prop.piece.is_ground && is_target) continue;
            if (place_piece(prop, source, is_target ? program : nullptr, target, scene.bodies[i].moved_m,
                            piece))
                scene.pieces.push_back(std::move(piece));
        }
    }
}

void add_cast_props(Scene& scene, const std::vector<Prop>& props, const SourceFrame& source,
                    const Program& program, const Pose& target, bool has_ground) {
    for (const Prop& prop : props) {
        ScenePiece piece;
        if (prop.piece.is_ground && !has_ground) continue;
        if (place_piece(prop, source, &program, target, Vec3::Zero(), piece))
            scene.pieces.push_back(std::move(piece));
    }
}

}  // namespace nb
