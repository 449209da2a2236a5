#include "draw/renderer.hpp"

#include <epoxy/gl.h>

#include <algorithm>
#include <cstring>
#include <stdexcept>

#include "draw/gl_parts.hpp"
#include "draw/shaders.hpp"

namespace nb {

namespace {

constexpr int shadow_size = 256;
constexpr double shadow_span_m = 6.0;

/// Toward the main light, which stands over the viewer's left shoulder.
Vec3 key_light(const Camera& camera) {
    return Vec3(-camera.forward() + 0.9 * camera.up() - 0.7 * camera.right()).normalized();
}

bool has_skin_shown(const SceneBody& body) {
    return body.rig && !body.rig->meshes.empty() &&
           (body.look == BodyLook::mesh || body.look == BodyLook::xray);
}

}  // namespace

Renderer::Renderer() {
    if (epoxy_gl_version() < 33 || !epoxy_is_desktop_gl())
        throw std::runtime_error("OpenGL 3.3 is needed for the stage; this machine's driver offers less");
    backdrop_ = std::make_unique<Program>(fullscreen_source, backdrop_source);
    floor_ = std::make_unique<Program>(floor_vertex_source, floor_source);
    body_ = std::make_unique<Program>(body_vertex_source, body_source);
    mesh_ = std::make_unique<Program>(mesh_vertex_source, mesh_source);
    piece_ = std::make_unique<Program>(mesh_vertex_source, piece_source);
    shadow_ = std::make_unique<Program>(body_vertex_source, shadow_source);
    blur_ = std::make_unique<Program>(fullscreen_source, blur_source);
    dots_ = std::make_unique<Program>(dots_vertex_source, dots_source);
    letters_ = std::make_unique<Program>(letters_vertex_source, letters_source);
    shadow_map_ = std::make_unique<Surface>(shadow_size, shadow_size, GL_R8, false);
    shadow_blurred_ = std::make_unique<Surface>(shadow_size, shadow_size, GL_R8, false);
    glGenVertexArrays(1, &empty_array_);
    glGenBuffers(1, &joints_buffer_);
    glGenTextures(1, &joints_texture_);
    glGenVertexArrays(1, &lines_array_);
    glGenBuffers(1, &lines_buffer_);
}

Renderer::~Renderer() {
    glDeleteVertexArrays(1, &empty_array_);
    glDeleteVertexArrays(1, &lines_array_);
    glDeleteBuffers(1, &joints_buffer_);
    glDeleteBuffers(1, &lines_buffer_);
    glDeleteTextures(1, &joints_texture_);
}

const Renderer::Buffers& Renderer::buffers_of(const std::shared_ptr<const Figure>& figure) {
    auto& entry = figures_[figure.get()];
    if (!entry.second) entry = {figure, std::make_unique<Buffers>(*figure)};
    return *entry.second;
}

const std::vector<std::unique_ptr<Renderer::MeshBuffers>>& Renderer::mesh_buffers_of(
    const std::shared_ptr<const Rig>& rig) {
    auto& entry = meshes_[rig.get()];
    if (!entry.first) {
        entry.first = rig;
        for (const Mesh& mesh : rig->meshes)
            entry.second.push_back(std::make_unique<MeshBuffers>(mesh, *rig));
    }
    return entry.second;
}

void Renderer::add_palettes(const Rig& rig, const Pose& pose, double scale, std::vector<int>& first_rows) {
    for (const Mesh& mesh : rig.meshes) {
        first_rows.push_back(int(joints_.size() / 12));
        for (const MeshJoint& bound : mesh.palette) {
            Eigen::Matrix4d X = Eigen::Matrix4d::Identity();
            X.block<3, 3>(0, 0) = scale * pose.R[size_t(bound.joint)].toRotationMatrix();
            X.block<3, 1>(0, 3) = pose.p[size_t(bound.joint)];
            const Eigen::Matrix4f m = (X * bound.attach).cast<float>();
            for (int row = 0; row < 3; ++row)
                joints_.insert(joints_.end(), {m(row, 0), m(row, 1), m(row, 2), m(row, 3)});
        }
    }
}

void Renderer::upload_joints(const Scene& scene) {
    // Figures that only this renderer still holds have left the stage.
    std::erase_if(figures_, [](const auto& entry) { return entry.second.first.use_count() == 1; });
    std::erase_if(meshes_, [](const auto& entry) { return entry.second.first.use_count() == 1; });
    joints_.clear();
    first_joint_.clear();
    first_palette_.clear();
    for (const SceneBody& body : scene.bodies) {
        first_joint_.push_back(int(joints_.size() / 12));
        for (size_t j = 0; j < body.pose.R.size(); ++j) {
            const Eigen::Matrix3f R = (body.size * body.pose.R[j].toRotationMatrix()).cast<float>();
            for (int row = 0; row < 3; ++row)
                joints_.insert(joints_.end(), {R(row, 0), R(row, 1), R(row, 2), float(body.pose.p[j][row])});
        }
        auto& palettes = first_palette_.emplace_back();
        if (!has_skin_shown(body)) continue;
        add_palettes(*body.rig, body.pose, body.size, palettes);
    }
    for (const ScenePiece& piece : scene.pieces) {
        // A piece moves as one: all its nodes ride on the frame it is given.
        Pose pose = rest_pose(piece.rig->skeleton);
        for (size_t j = 0; j < pose.p.size(); ++j) {
            pose.p[j] = piece.p_m + piece.scale * (piece.R * pose.p[j]);
            pose.R[j] = piece.R * pose.R[j];
        }
        add_palettes(*piece.rig, pose, piece.scale, first_palette_.emplace_back());
    }
    glBindBuffer(GL_TEXTURE_BUFFER, joints_buffer_);
    glBufferData(GL_TEXTURE_BUFFER, GLsizeiptr(std::max<size_t>(joints_.size(), 4) * sizeof(float)),
                 joints_.data(), GL_STREAM_DRAW);
    glActiveTexture(GL_TEXTURE0);
    glBindTexture(GL_TEXTURE_BUFFER, joints_texture_);
    glTexBuffer(GL_TEXTURE_BUFFER, GL_RGBA32F, joints_buffer_);
}

void Renderer::draw_shadows(const Scene& scene, const Vec3& centre) {
    glViewport(0, 0, shadow_size, shadow_size);
    glBindFramebuffer(GL_FRAMEBUFFER, shadow_map_->framebuffer);
    glDisable(GL_DEPTH_TEST);
    glClearColor(0, 0, 0, 0);
    glClear(GL_COLOR_BUFFER_BIT);
    glEnable(GL_BLEND);
    glBlendEquation(GL_MAX);
    glBlendFunc(GL_ONE, GL_ONE);
    Mat4f from_above = Mat4f::Zero();
    const float s = float(2.0 / shadow_span_m);
    from_above(0, 0) = s;
    from_above(1, 2) = s;
    from_above(0, 3) = float(-centre.x()) * s;
    from_above(1, 3) = float(-centre.z()) * s;
    from_above(3, 3) = 1.0f;
    glUseProgram(shadow_->id);
    shadow_->set("world_to_clip", from_above);
    shadow_->set("joints", 0);
    for (size_t i = 0; i < scene.bodies.size(); ++i) {
        const SceneBody& body = scene.bodies[i];
        if (body.opacity < 0.99f || body.look == BodyLook::hidden) continue;
        const Buffers& buffers = buffers_of(body.figure);
        shadow_->set("first_joint", first_joint_[i]);
        shadow_->set("moved", body.moved_m);
        glBindVertexArray(buffers.array);
        glDrawElements(GL_TRIANGLES, buffers.shadow_count, GL_UNSIGNED_INT, nullptr);
    }
    glBlendEquation(GL_FUNC_ADD);
    glDisable(GL_BLEND);
    glUseProgram(blur_->id);
    glBindVertexArray(empty_array_);
    blur_->set("image", 1);
    glActiveTexture(GL_TEXTURE1);
    const float pixel = 1.0f / shadow_size;
    for (const bool is_second : {false, true}) {
        glBindFramebuffer(GL_FRAMEBUFFER, (is_second ? shadow_map_ : shadow_blurred_)->framebuffer);
        glBindTexture(GL_TEXTURE_2D, (is_second ? shadow_blurred_ : shadow_map_)->texture);
        glUniform2f(blur_->place("step"), is_second ? 0.0f : pixel, is_second ? pixel : 0.0f);
        glDrawArrays(GL_TRIANGLES, 0, 3);
    }
    glActiveTexture(GL_TEXTURE0);
}

void Renderer::draw_bodies(const Scene& scene, const Shot& shot, const Mat4f& world_to_clip) {
    const Camera& camera = shot.camera;
    const auto is_left_out = [&](size_t body) { return shot.only_body >= 0 && int(body) != shot.only_body; };
    for (size_t i = 0; i < scene.bodies.size(); ++i)
        if (has_skin_shown(scene.bodies[i]) && !is_left_out(i))
            draw_meshes(scene.bodies[i], i, scene, camera, world_to_clip);
    glUseProgram(body_->id);
    body_->set("world_to_clip", world_to_clip);
    body_->set("joints", 0);
    body_->set("mark", scene.theme.mark);
    body_->set("horizon", scene.theme.horizon);
    body_->set("to_eye", Vec3(-camera.forward()));
    body_->set("key", key_light(camera));
    for (size_t i = 0; i < scene.bodies.size(); ++i) {
        const SceneBody& body = scene.bodies[i];
        if (is_left_out(i) || body.look == BodyLook::hidden ||
            (body.look == BodyLook::mesh && has_skin_shown(body)))
            continue;
        const Buffers& buffers = buffers_of(body.figure);
        body_->set("first_joint", first_joint_[i]);
        body_->set("moved", body.moved_m);
        body_->set("tone", body.colour);
        body_->set("selected", float(body.selected_joint));
        body_->set("opacity", body.opacity);
        glBindVertexArray(buffers.array);
        glDrawElements(GL_TRIANGLES, buffers.count, GL_UNSIGNED_INT, nullptr);
    }
}

void Renderer::draw_pieces(const Scene& scene, const Shot& shot, const Mat4f& world_to_clip,
                           const Vec3& shadow_centre) {
    glUseProgram(piece_->id);
    piece_->set("world_to_clip", world_to_clip);
    piece_->set("joints", 0);
    piece_->set("shadow", 1);
    piece_->set("floor_tone", scene.theme.floor_near);
    piece_->set("shadow_tone", scene.theme.shadow);
    piece_->set("shadow_centre", shadow_centre);
    piece_->set("shadow_span", float(shadow_span_m));
    piece_->set("to_eye", Vec3(-shot.camera.forward()));
    piece_->set("key", key_light(shot.camera));
    piece_->set("moved", Vec3(Vec3::Zero()));
    glActiveTexture(GL_TEXTURE1);
    glBindTexture(GL_TEXTURE_2D, shadow_map_->texture);
    glActiveTexture(GL_TEXTURE0);
    for (size_t i = 0; i < scene.pieces.size(); ++i) {
        if (shot.only_body >= 0 && scene.pieces[i].is_ground) continue;
        const auto& buffers = mesh_buffers_of(scene.pieces[i].rig);
        for (size_t m = 0; m < buffers.size(); ++m) {
            piece_->set("first_row", first_palette_[scene.bodies.size() + i][m]);
            piece_->set("sets", buffers[m]->sets);
            glBindVertexArray(buffers[m]->array);
            glDrawElements(GL_TRIANGLES, buffers[m]->count, GL_UNSIGNED_INT, nullptr);
        }
    }
}

void Renderer::draw_meshes(const SceneBody& body, size_t index, const Scene& scene, const Camera& camera,
                           const Mat4f& world_to_clip) {
    glUseProgram(mesh_->id);
    mesh_->set("world_to_clip", world_to_clip);
    mesh_->set("joints", 0);
    mesh_->set("image", 1);
    mesh_->set("mark", scene.theme.mark);
    mesh_->set("tone", body.colour);
    mesh_->set("to_eye", Vec3(-camera.forward()));
    mesh_->set("key", key_light(camera));
    mesh_->set("moved", body.moved_m);
    mesh_->set("paled", body.paled);
    mesh_->set("opacity", body.look == BodyLook::xray ? 0.5f : body.opacity);
    const auto& buffers = mesh_buffers_of(body.rig);
    for (size_t m = 0; m < buffers.size(); ++m) {
        mesh_->set("first_row", first_palette_[index][m]);
        mesh_->set("sets", buffers[m]->sets);
        mesh_->set("has_image", buffers[m]->texture ? 1 : 0);
        glActiveTexture(GL_TEXTURE1);
        glBindTexture(GL_TEXTURE_2D, buffers[m]->texture);
        glActiveTexture(GL_TEXTURE0);
        glBindVertexArray(buffers[m]->array);
        glDrawElements(GL_TRIANGLES, buffers[m]->count, GL_UNSIGNED_INT, nullptr);
    }
}

void Renderer::draw_trails(const Scene& scene, const Mat4f& world_to_clip, double scale) {
    glUseProgram(dots_->id);
    dots_->set("world_to_clip", world_to_clip);
    dots_->set("scale", float(scale));
    glEnable(GL_PROGRAM_POINT_SIZE);
    glBindVertexArray(lines_array_);
    glBindBuffer(GL_ARRAY_BUFFER, lines_buffer_);
    glEnableVertexAttribArray(0);
    glVertexAttribPointer(0, 4, GL_FLOAT, GL_FALSE, 0, nullptr);
    std::vector<float> dots;
    for (const SceneTrail& trail : scene.trails) {
        dots.clear();
        for (size_t i = 0; i < trail.places_m.size(); ++i) {
            const Vec3& p = trail.places_m[i];
            dots.insert(dots.end(),
                        {float(p.x()), float(p.y()), float(p.z()), int(i) == trail.now ? 8.0f : 3.2f});
        }
        dots_->set("tone", trail.colour);
        glBufferData(GL_ARRAY_BUFFER, GLsizeiptr(dots.size() * sizeof(float)), dots.data(), GL_STREAM_DRAW);
        glDrawArrays(GL_POINTS, 0, GLsizei(trail.places_m.size()));
    }
}

void Renderer::draw_letters(const Scene& scene, const Camera& camera, int width, int height) {
    // Strokes of the two letters in a unit box.
    using Stroke = std::array<float, 4>;
    static const std::vector<Stroke> L{{0, 0, 0, 1}, {0, 0, .62f, 0}};
    static const std::vector<Stroke> R{{0, 0, 0, 1},           {0, 1, .42f, 1},        {.42f, 1, .6f, .86f},
                                       {.6f, .86f, .6f, .64f}, {.6f, .64f, .42f, .5f}, {.42f, .5f, 0, .5f},
                                       {.3f, .5f, .62f, 0}};
    const float size = 11.0f;
    const float half_stroke = 0.85f;
    std::vector<float> corners;
    const auto add = [&](const Vec3& place, const std::vector<Stroke>& strokes) {
        const Vec3 at = camera.project(place, width, height);
        for (const Stroke& s : strokes) {
            const Eigen::Vector2f a(float(at.x()) + 12 + s[0] * size, float(at.y()) + 4 - s[1] * size);
            const Eigen::Vector2f b(float(at.x()) + 12 + s[2] * size, float(at.y()) + 4 - s[3] * size);
            const Eigen::Vector2f d = (b - a).normalized() * half_stroke;
            const Eigen::Vector2f n(-d.y(), d.x());
            const std::array<Eigen::Vector2f, 6> quad{a - d - n, b + d - n, b + d + n,
                                                      a - d - n, b + d + n, a - d + n};
            for (const auto& c : quad)
                corners.insert(corners.end(), {2 * c.x() / float(width) - 1, 1 - 2 * c.y() / float(height)});
        }
    };
    for (const SceneBody& body : scene.bodies) {
        if (body.opacity < 0.99f || body.look == BodyLook::hidden) continue;
        for (const int j : body.left_marks) add(body.pose.p[size_t(j)] + body.moved_m, L);
        for (const int j : body.right_marks) add(body.pose.p[size_t(j)] + body.moved_m, R);
    }
    draw_flat(corners, scene.theme.mark);
}

void Renderer::draw_strokes(const Shot& shot, const Colour& tone) {
    std::vector<float> corners;
    for (const Stroke2& stroke : shot.strokes) {
        const Eigen::Vector2d d = (stroke.to - stroke.from).normalized();
        const Eigen::Vector2d n = 0.5 * stroke.width_px * Eigen::Vector2d(-d.y(), d.x());
        const std::array<Eigen::Vector2d, 6> quad{stroke.from - n, stroke.to - n, stroke.to + n,
                                                  stroke.from - n, stroke.to + n, stroke.from + n};
        for (const auto& c : quad)
            corners.insert(corners.end(),
                           {float(2 * c.x() / shot.width_px - 1), float(1 - 2 * c.y() / shot.height_px)});
    }
    draw_flat(corners, tone);
}

/// Triangles in the picture's own coordinates, -1..1.
void Renderer::draw_flat(const std::vector<float>& corners, const Colour& tone) {
    if (corners.empty()) return;
    glUseProgram(letters_->id);
    letters_->set("tone", tone);
    glBindVertexArray(lines_array_);
    glBindBuffer(GL_ARRAY_BUFFER, lines_buffer_);
    glBufferData(GL_ARRAY_BUFFER, GLsizeiptr(corners.size() * sizeof(float)), corners.data(), GL_STREAM_DRAW);
    glEnableVertexAttribArray(0);
    glVertexAttribPointer(0, 2, GL_FLOAT, GL_FALSE, 0, nullptr);
    glDrawArrays(GL_TRIANGLES, 0, GLsizei(corners.size() / 2));
}

void Renderer::draw_backdrop(const Scene& scene, const Camera& camera, double aspect) {
    glUseProgram(backdrop_->id);
    glBindVertexArray(empty_array_);
    const double half_height = std::tan(0.5 * camera.lens_rad);
    backdrop_->set("zenith", scene.theme.zenith);
    backdrop_->set("horizon", scene.theme.horizon);
    backdrop_->set("forward", camera.forward());
    backdrop_->set("up_half", Vec3(half_height * camera.up()));
    backdrop_->set("right_half", Vec3(half_height * aspect * camera.right()));
    glDrawArrays(GL_TRIANGLES, 0, 3);
}

void Renderer::draw(const Scene& scene, const std::vector<Shot>& shots, unsigned target, int samples) {
    upload_joints(scene);
    Vec3 centre = shots.empty() ? Vec3(Vec3::Zero()) : shots.front().camera.focus_m;
    if (!scene.bodies.empty()) {
        centre.setZero();
        for (const SceneBody& body : scene.bodies)
            centre += (body.pose.p.empty() ? Vec3(Vec3::Zero()) : body.pose.p[0] + body.moved_m) /
                      double(scene.bodies.size());
    }
    glDisable(GL_CULL_FACE);
    glDisable(GL_SCISSOR_TEST);
    glDisable(GL_BLEND);
    glDepthMask(GL_TRUE);
    glColorMask(GL_TRUE, GL_TRUE, GL_TRUE, GL_TRUE);
    draw_shadows(scene, centre);
    // Surfaces of sizes no longer drawn go.
    std::erase_if(surfaces_, [&](const auto& entry) {
        return std::none_of(shots.begin(), shots.end(), [&](const Shot& shot) {
            return entry.first == std::pair(shot.width_px * samples, shot.height_px * samples);
        });
    });
    for (const Shot& shot : shots)
        if (shot.width_px > 0 && shot.height_px > 0) draw_shot(scene, shot, centre, target, samples);
    glBindFramebuffer(GL_FRAMEBUFFER, target);
    glBindVertexArray(0);
    glUseProgram(0);
}

void Renderer::draw_shot(const Scene& scene, const Shot& shot, const Vec3& centre, unsigned target,
                         int samples) {
    const Camera& camera = shot.camera;
    const int width = shot.width_px;
    const int height = shot.height_px;
    const int w = width * samples;
    const int h = height * samples;
    auto& surface = surfaces_[{w, h}];
    if (!surface) surface = std::make_unique<Surface>(w, h, GL_RGBA8, true);
    glBindFramebuffer(GL_FRAMEBUFFER, surface->framebuffer);
    glViewport(0, 0, w, h);
    glClearColor(0, 0, 0, 0);
    glClear(GL_DEPTH_BUFFER_BIT | GL_COLOR_BUFFER_BIT);
    glEnable(GL_DEPTH_TEST);
    glDepthFunc(GL_LEQUAL);
    const Mat4f world_to_clip = camera.projection(double(width) / height) * camera.view();
    // Near things first: floor and backdrop are then shaded only where they are seen.
    glBindTexture(GL_TEXTURE_BUFFER, joints_texture_);
    draw_bodies(scene, shot, world_to_clip);
    if (!scene.pieces.empty()) draw_pieces(scene, shot, world_to_clip, centre);
    if (scene.has_floor) {
        glUseProgram(floor_->id);
        floor_->set("world_to_clip", world_to_clip);
        floor_->set("centre", camera.focus_m);
        floor_->set("reach", 120.0f);
        floor_->set("near_tone", scene.theme.floor_near);
        floor_->set("far_tone", scene.theme.floor_far);
        floor_->set("grid_tone", scene.theme.grid);
        floor_->set("shadow_tone", scene.theme.shadow);
        floor_->set("shadow_centre", centre);
        floor_->set("shadow_span", float(shadow_span_m));
        floor_->set("shadow", 1);
        glActiveTexture(GL_TEXTURE1);
        glBindTexture(GL_TEXTURE_2D, shadow_map_->texture);
        glActiveTexture(GL_TEXTURE0);
        glBindVertexArray(empty_array_);
        glDrawArrays(GL_TRIANGLE_STRIP, 0, 4);
    }
    if (!scene.is_cut_out) draw_backdrop(scene, camera, double(width) / height);
    const bool is_whole = shot.only_body < 0;
    if (is_whole && !scene.trails.empty()) draw_trails(scene, world_to_clip, samples);
    glDisable(GL_DEPTH_TEST);
    if (is_whole) draw_letters(scene, camera, width, height);
    if (!shot.strokes.empty()) draw_strokes(shot, scene.theme.mark);

    glBindFramebuffer(GL_READ_FRAMEBUFFER, surface->framebuffer);
    glBindFramebuffer(GL_DRAW_FRAMEBUFFER, target);
    glBlitFramebuffer(0, 0, w, h, shot.x_px, shot.y_px, shot.x_px + width, shot.y_px + height,
                      GL_COLOR_BUFFER_BIT, samples > 1 ? GL_LINEAR : GL_NEAREST);
}

Picture draw_picture(Renderer& renderer, const Scene& scene, const Camera& camera, int width, int height) {
    unsigned texture = 0;
    unsigned framebuffer = 0;
    glGenTextures(1, &texture);
    glBindTexture(GL_TEXTURE_2D, texture);
    glTexImage2D(GL_TEXTURE_2D, 0, GL_RGBA8, width, height, 0, GL_RGBA, GL_UNSIGNED_BYTE, nullptr);
    glTexParameteri(GL_TEXTURE_2D, GL_TEXTURE_MIN_FILTER, GL_NEAREST);
    glGenFramebuffers(1, &framebuffer);
    glBindFramebuffer(GL_FRAMEBUFFER, framebuffer);
    glFramebufferTexture2D(GL_FRAMEBUFFER, GL_COLOR_ATTACHMENT0, GL_TEXTURE_2D, texture, 0);
    renderer.draw(scene, camera, width, height, framebuffer, 2);
    Picture picture{width, height, std::vector<std::uint8_t>(size_t(width) * size_t(height) * 4)};
    std::vector<std::uint8_t> rows(picture.rgba.size());
    glBindFramebuffer(GL_READ_FRAMEBUFFER, framebuffer);
    glPixelStorei(GL_PACK_ALIGNMENT, 1);
    glReadPixels(0, 0, width, height, GL_RGBA, GL_UNSIGNED_BYTE, rows.data());
    const size_t row = size_t(width) * 4;
    for (size_t y = 0; y < size_t(height); ++y)
        std::memcpy(&picture.rgba[y * row], &rows[(size_t(height) - 1 - y) * row], row);
    if (!scene.is_cut_out)
        for (size_t i = 3; i < picture.rgba.size(); i += 4) picture.rgba[i] = 255;
    glDeleteFramebuffers(1, &framebuffer);
    glDeleteTextures(1, &texture);
    return picture;
}

}  // namespace nb
