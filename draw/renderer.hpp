// Draws a scene with OpenGL 3.3 core into the framebuffer that is bound. Needs a current context; knows
// nothing of widgets or of where the context came from.
#pragma once
#include <map>
#include <memory>

#include "draw/camera.hpp"
#include "draw/picture.hpp"
#include "draw/scene.hpp"

namespace nb {

/// A line over a finished picture, pixels from its upper left corner.
struct Stroke2 {
    Eigen::Vector2d from, to;
    double width_px = 1.0;
};

/// A camera and where in the framebuffer its picture goes; from the lower left corner, pixels.
struct Shot {
    Camera camera;
    int x_px = 0, y_px = 0, width_px = 0, height_px = 0;
    int only_body = -1;  ///< a body of the scene that is shown alone, without letters, trails and set ground
    std::vector<Stroke2> strokes;  ///< drawn in the theme's mark
};

class Renderer {
  public:
    Renderer();   ///< throws std::runtime_error with a plain sentence when OpenGL 3.3 is not there
    ~Renderer();  ///< needs the context current
    Renderer(const Renderer&) = delete;
    Renderer& operator=(const Renderer&) = delete;

    /// Draws into framebuffer `target` of that size. `samples`: 1, or 2 for twice the resolution a side,
    /// averaged (for still pictures).
    void draw(const Scene& scene, const Camera& camera, int width_px, int height_px, unsigned target,
              int samples = 1) {
        draw(scene, {{camera, 0, 0, width_px, height_px, -1, {}}}, target, samples);
    }
    /// The same scene by several cameras, each into its own rectangle, later ones over earlier ones.
    void draw(const Scene& scene, const std::vector<Shot>& shots, unsigned target, int samples = 1);

  private:
    struct Buffers;
    struct Program;
    struct Surface;
    struct MeshBuffers;
    std::unique_ptr<Program> backdrop_, floor_, body_, mesh_, piece_, shadow_, blur_, dots_, letters_;
    std::unique_ptr<Surface> shadow_map_, shadow_blurred_;
    std::map<std::pair<int, int>, std::unique_ptr<Surface>> surfaces_;  ///< by size
    std::map<const Figure*, std::pair<std::shared_ptr<const Figure>, std::unique_ptr<Buffers>>> figures_;
    std::map<const Rig*, std::pair<std::shared_ptr<const Rig>, std::vector<std::unique_ptr<MeshBuffers>>>>
        meshes_;
    unsigned empty_array_ = 0;
    unsigned joints_buffer_ = 0;
    unsigned joints_texture_ = 0;
    unsigned lines_array_ = 0;
    unsigned lines_buffer_ = 0;
    std::vector<float> joints_;  ///< rows of all bodies' joint frames, three texels a joint
    std::vector<int> first_joint_;
    std::vector<std::vector<int>> first_palette_;  ///< a body, a mesh

    void upload_joints(const Scene& scene);
    const Buffers& buffers_of(const std::shared_ptr<const Figure>& figure);
    void add_palettes(const Rig& rig, const Pose& pose, double scale, std::vector<int>& first_rows);
    void draw_pieces(const Scene& scene, const Shot& shot, const Mat4f& world_to_clip,
                     const Vec3& shadow_centre_m);
    void draw_shot(const Scene& scene, const Shot& shot, const Vec3& shadow_centre_m, unsigned target,
                   int samples);
    void draw_backdrop(const Scene& scene, const Camera& camera, double aspect);
    void draw_shadows(const Scene& scene, const Vec3& centre_m);
    void draw_bodies(const Scene& scene, const Shot& shot, const Mat4f& world_to_clip);
    void draw_meshes(const SceneBody& body, size_t index, const Scene& scene, const Camera& camera,
                     const Mat4f& world_to_clip);
    const std::vector<std::unique_ptr<MeshBuffers>>& mesh_buffers_of(const std::shared_ptr<const Rig>& rig);
    void draw_trails(const Scene& scene, const Mat4f& world_to_clip, double scale);
    void draw_letters(const Scene& scene, const Camera& camera, int width_px, int height_px);
    void draw_strokes(const Shot& shot, const Colour& tone);
    void draw_flat(const std::vector<float>& corners, const Colour& tone);
};

/// A context of its own without a window or display (EGL, surfaceless), current on this thread.
class OffscreenContext {
  public:
    OffscreenContext();  ///< throws std::runtime_error with a plain sentence when there is none
    ~OffscreenContext();
    OffscreenContext(const OffscreenContext&) = delete;
    OffscreenContext& operator=(const OffscreenContext&) = delete;

  private:
    void* display_ = nullptr;
    void* context_ = nullptr;
};

/// Draws into memory. Needs a current context.
Picture draw_picture(Renderer& renderer, const Scene& scene, const Camera& camera, int width_px,
                     int height_px);

}  // namespace nb
