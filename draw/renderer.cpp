#include "draw/renderer.hpp"

#include <epoxy/gl.h>

#include <algorithm>
#include <cstring>
#include <stdexcept>

namespace nb {

namespace {

constexpr int shadow_size = 256;
constexpr double shadow_span_m = 6.0;

constexpr const char* fullscreen_source = R"(#version 330 core
out vec2 place;
void main() {
    vec2 corner = vec2(gl_VertexID == 1 ? 3.0 : -1.0, gl_VertexID == 2 ? 3.0 : -1.0);
    place = corner;
    gl_Position = vec4(corner, 1.0, 1.0);
})";

// Sky above, the haze of the horizon at the height of the eye.
constexpr const char* backdrop_source = R"(#version 330 core
in vec2 place;
out vec4 colour;
uniform vec3 zenith, horizon;
uniform vec3 forward, up_half, right_half;
void main() {
    vec3 ray = normalize(forward + place.x * right_half + place.y * up_half);
    float rise = clamp(ray.y / 0.20, 0.0, 1.0);
    colour = vec4(mix(horizon, zenith, smoothstep(0.0, 1.0, rise)), 1.0);
})";

constexpr const char* floor_vertex_source = R"(#version 330 core
out vec3 world;
uniform mat4 world_to_clip;
uniform vec3 centre;
uniform float reach;
void main() {
    vec2 corner = vec2(gl_VertexID % 2 == 0 ? -1.0 : 1.0, gl_VertexID < 2 ? -1.0 : 1.0);
    world = vec3(centre.x, 0.0, centre.z) + reach * vec3(corner.x, 0.0, corner.y);
    gl_Position = world_to_clip * vec4(world, 1.0);
})";

constexpr const char* floor_source = R"(#version 330 core
in vec3 world;
out vec4 colour;
uniform vec3 near_tone, far_tone, grid_tone, shadow_tone;
uniform vec3 centre;
uniform float reach;
uniform sampler2D shadow;
uniform vec3 shadow_centre;
uniform float shadow_span;
float line(vec2 at, float spacing, float width) {
    vec2 cell = at / spacing;
    vec2 d = fwidth(cell);
    vec2 off = abs(fract(cell - 0.5) - 0.5);
    vec2 cover = 1.0 - smoothstep(vec2(0.0), d * width, off);
    vec2 fade = clamp(1.0 - d * 2.5, 0.0, 1.0);
    return max(cover.x * fade.x, cover.y * fade.y);
}
void main() {
    float away = length(world.xz - centre.xz) / reach;
    vec3 tone = mix(near_tone, far_tone, smoothstep(0.02, 0.45, away));
    float fade = 1.0 - smoothstep(0.05, 0.4, away);
    tone = mix(tone, grid_tone, fade * (0.75 * line(world.xz, 1.0, 1.3) + 0.16 * line(world.xz, 0.25, 1.0)));
    vec2 at = (world.xz - shadow_centre.xz) / shadow_span + 0.5;
    if (all(greaterThan(at, vec2(0.0))) && all(lessThan(at, vec2(1.0))))
        tone = mix(tone, shadow_tone, 0.95 * pow(texture(shadow, at).r, 0.8));
    colour = vec4(tone, 1.0);
})";

// Rigidly carried by one joint each: rows of the joint's frame stand in a buffer texture.
constexpr const char* body_vertex_source = R"(#version 330 core
layout(location = 0) in vec3 position;
layout(location = 1) in vec3 normal;
layout(location = 2) in vec3 kind;  // along, joint, dash
uniform samplerBuffer joints;
uniform int first_joint;
uniform mat4 world_to_clip;
uniform vec3 moved;
out vec3 seen_normal;
out vec3 world;
flat out float joint;
out vec2 dash;
void main() {
    int row = 3 * (first_joint + int(kind.y + 0.5));
    vec4 x = texelFetch(joints, row), y = texelFetch(joints, row + 1), z = texelFetch(joints, row + 2);
    vec4 p = vec4(position, 1.0);
    world = vec3(dot(x, p), dot(y, p), dot(z, p)) + moved;
    seen_normal = vec3(dot(x.xyz, normal), dot(y.xyz, normal), dot(z.xyz, normal));
    joint = kind.y;
    dash = vec2(kind.x, kind.z);
    gl_Position = world_to_clip * vec4(world, 1.0);
})";

constexpr const char* body_source = R"(#version 330 core
in vec3 seen_normal;
in vec3 world;
flat in float joint;
in vec2 dash;
out vec4 colour;
uniform vec3 tone, mark, to_eye, key;
uniform float selected, opacity;
uniform vec3 horizon;
void main() {
    // Bones whose role is unsure are drawn in dashes.
    if (dash.y > 0.5 && fract(dash.x * 5.0) < 0.38) discard;
    if (opacity < 0.99) {
        // Every other pixel, so that nothing behind needs sorting.
        ivec2 at = ivec2(gl_FragCoord.xy);
        if (((at.x + at.y) & 1) == 0) discard;
    }
    vec3 n = normalize(seen_normal);
    float light = dot(n, key);
    float sky = 0.5 + 0.5 * n.y;
    float rim = pow(1.0 - clamp(dot(n, to_eye), 0.0, 1.0), 3.0);
    float shine = pow(clamp(dot(n, normalize(key + to_eye)), 0.0, 1.0), 24.0);
    vec3 base = abs(joint - selected) < 0.5 ? mark : tone;
    vec3 lit = base * (0.30 + 0.28 * sky + 0.58 * max(light, 0.0)) + mark * (0.10 * shine);
    lit = mix(lit, horizon, 0.35 * rim);
    colour = vec4(lit, 1.0);
})";

// Linear blend of up to eight joints; their frames times what attaches the mesh stand in the buffer texture.
constexpr const char* mesh_vertex_source = R"(#version 330 core
layout(location = 0) in vec3 position;
layout(location = 1) in vec3 normal;
layout(location = 2) in vec4 tint;
layout(location = 3) in vec2 uv;
layout(location = 4) in uvec4 bones_a;
layout(location = 5) in uvec4 bones_b;
layout(location = 6) in vec4 weights_a;
layout(location = 7) in vec4 weights_b;
uniform samplerBuffer joints;
uniform int first_row;
uniform int sets;
uniform mat4 world_to_clip;
uniform vec3 moved;
out vec3 seen_normal;
out vec3 world;
out vec4 own;
out vec2 at_image;
vec4 x, y, z;
void add(uint bone, float w) {
    if (w <= 0.0) return;
    int row = 3 * (first_row + int(bone));
    x += w * texelFetch(joints, row);
    y += w * texelFetch(joints, row + 1);
    z += w * texelFetch(joints, row + 2);
}
void main() {
    x = y = z = vec4(0.0);
    for (int k = 0; k < 4; ++k) add(bones_a[k], weights_a[k]);
    if (sets > 1)
        for (int k = 0; k < 4; ++k) add(bones_b[k], weights_b[k]);
    vec4 p = vec4(position, 1.0);
    seen_normal = vec3(dot(x.xyz, normal), dot(y.xyz, normal), dot(z.xyz, normal));
    own = tint;
    at_image = uv;
    world = vec3(dot(x, p), dot(y, p), dot(z, p)) + moved;
    gl_Position = world_to_clip * vec4(world, 1.0);
})";

// What stands beside the bodies: its own colours, paled toward the floor, with the bodies' contact shadows on
// it.
constexpr const char* piece_source = R"(#version 330 core
in vec3 seen_normal;
in vec3 world;
in vec4 own;
in vec2 at_image;
out vec4 colour;
uniform vec3 floor_tone, shadow_tone, shadow_centre, to_eye, key;
uniform float shadow_span;
uniform sampler2D shadow;
void main() {
    vec3 n = normalize(seen_normal);
    if (!gl_FrontFacing) n = -n;
    float sky = 0.5 + 0.5 * n.y;
    vec3 lit = mix(own.rgb, floor_tone, 0.42) * (0.40 + 0.34 * sky + 0.38 * max(dot(n, key), 0.0));
    vec2 at = (world.xz - shadow_centre.xz) / shadow_span + 0.5;
    if (n.y > 0.7 && all(greaterThan(at, vec2(0.0))) && all(lessThan(at, vec2(1.0))))
        lit = mix(lit, shadow_tone, 0.8 * pow(texture(shadow, at).r, 0.8));
    colour = vec4(lit, 1.0);
})";

// The body's own colours; its edge in the tone that says source or target.
constexpr const char* mesh_source = R"(#version 330 core
in vec3 seen_normal;
in vec4 own;
in vec2 at_image;
out vec4 colour;
uniform vec3 tone, mark, to_eye, key;
uniform float opacity;
uniform bool has_image;
uniform sampler2D image;
void main() {
    if (opacity < 0.99) {
        ivec2 at = ivec2(gl_FragCoord.xy);
        if (((at.x + at.y) & 1) == 0) discard;
    }
    vec3 n = normalize(seen_normal);
    if (!gl_FrontFacing) n = -n;
    vec3 base = own.rgb;
    if (has_image) base *= texture(image, at_image).rgb;
    float light = dot(n, key);
    float sky = 0.5 + 0.5 * n.y;
    float facing = clamp(dot(n, to_eye), 0.0, 1.0);
    float rim = pow(1.0 - facing, 3.0);
    vec3 lit = base * (0.36 + 0.30 * sky + 0.52 * max(light, 0.0));
    lit = mix(lit, tone * (0.75 + 0.35 * max(light, 0.0)), 0.85 * smoothstep(0.15, 0.75, rim));
    colour = vec4(lit, 1.0);
})";

// From above: how near to the floor what is seen stands.
constexpr const char* shadow_source = R"(#version 330 core
in vec3 seen_normal;
in vec3 world;
flat in float joint;
in vec2 dash;
out vec4 colour;
void main() { colour = vec4(0.25 * exp(-max(world.y, 0.0) / 0.7) + 0.75 * exp(-max(world.y, 0.0) / 0.07)); })";

constexpr const char* blur_source = R"(#version 330 core
in vec2 place;
out vec4 colour;
uniform sampler2D image;
uniform vec2 step;
void main() {
    // A bell over seven pixels by four samples that lie between two each.
    vec2 at = 0.5 + 0.5 * place;
    float sum = 0.19 * (texture(image, at - 2.4 * step).r + texture(image, at + 2.4 * step).r)
              + 0.31 * (texture(image, at - 0.65 * step).r + texture(image, at + 0.65 * step).r);
    colour = vec4(sum);
})";

constexpr const char* dots_vertex_source = R"(#version 330 core
layout(location = 0) in vec4 at;  // place, size
uniform mat4 world_to_clip;
uniform float scale;
void main() {
    gl_Position = world_to_clip * vec4(at.xyz, 1.0);
    gl_Position.z -= 0.0005 * gl_Position.w;
    gl_PointSize = at.w * scale;
})";
constexpr const char* dots_source = R"(#version 330 core
out vec4 colour;
uniform vec3 tone;
void main() {
    vec2 d = gl_PointCoord - 0.5;
    if (dot(d, d) > 0.25) discard;
    colour = vec4(tone, 1.0);
})";

constexpr const char* letters_vertex_source = R"(#version 330 core
layout(location = 0) in vec2 at;
void main() { gl_Position = vec4(at, 0.0, 1.0); })";
constexpr const char* letters_source = R"(#version 330 core
out vec4 colour;
uniform vec3 tone;
void main() { colour = vec4(tone, 1.0); })";

/// Toward the main light, which stands over the viewer's left shoulder.
Vec3 key_light(const Camera& camera) {
    return Vec3(-camera.forward() + 0.9 * camera.up() - 0.7 * camera.right()).normalized();
}

bool has_skin_shown(const SceneBody& body) {
    return body.rig && !body.rig->meshes.empty() &&
           (body.look == BodyLook::mesh || body.look == BodyLook::xray);
}

unsigned compile(GLenum kind, const char* source) {
    const unsigned shader = glCreateShader(kind);
    glShaderSource(shader, 1, &source, nullptr);
    glCompileShader(shader);
    GLint ok = 0;
    glGetShaderiv(shader, GL_COMPILE_STATUS, &ok);
    if (!ok) {
        char log[1024] = {};
        glGetShaderInfoLog(shader, sizeof log, nullptr, log);
        throw std::runtime_error(std::string("this OpenGL driver refuses a shader: ") + log);
    }
    return shader;
}

}  // namespace

struct Renderer::Program {
    unsigned id = 0;
    Program(const char* vertex, const char* fragment) : id(glCreateProgram()) {
        const unsigned v = compile(GL_VERTEX_SHADER, vertex);
        const unsigned f = compile(GL_FRAGMENT_SHADER, fragment);
        glAttachShader(id, v);
        glAttachShader(id, f);
        glLinkProgram(id);
        glDeleteShader(v);
        glDeleteShader(f);
        GLint ok = 0;
        glGetProgramiv(id, GL_LINK_STATUS, &ok);
        if (!ok) throw std::runtime_error("this OpenGL driver cannot link a shader");
    }
    ~Program() { glDeleteProgram(id); }
    Program(const Program&) = delete;
    Program& operator=(const Program&) = delete;

    int place(const char* name) const { return glGetUniformLocation(id, name); }
    void set(const char* name, float v) const { glUniform1f(place(name), v); }
    void set(const char* name, int v) const { glUniform1i(place(name), v); }
    void set(const char* name, const Colour& c) const { glUniform3f(place(name), c[0], c[1], c[2]); }
    void set(const char* name, const Vec3& v) const {
        glUniform3f(place(name), float(v.x()), float(v.y()), float(v.z()));
    }
    void set(const char* name, const Mat4f& m) const {
        glUniformMatrix4fv(place(name), 1, GL_FALSE, m.data());
    }
};

struct Renderer::Buffers {
    unsigned array = 0, vertices = 0, indices = 0;
    int count = 0;
    int shadow_count = 0;
    explicit Buffers(const Figure& figure)
        : count(int(figure.indices.size())), shadow_count(int(figure.shadow_index_count)) {
        glGenVertexArrays(1, &array);
        glBindVertexArray(array);
        glGenBuffers(1, &vertices);
        glBindBuffer(GL_ARRAY_BUFFER, vertices);
        glBufferData(GL_ARRAY_BUFFER, GLsizeiptr(figure.vertices.size() * sizeof(FigureVertex)),
                     figure.vertices.data(), GL_STATIC_DRAW);
        glGenBuffers(1, &indices);
        glBindBuffer(GL_ELEMENT_ARRAY_BUFFER, indices);
        glBufferData(GL_ELEMENT_ARRAY_BUFFER, GLsizeiptr(figure.indices.size() * sizeof(unsigned)),
                     figure.indices.data(), GL_STATIC_DRAW);
        const auto attribute = [](unsigned index, size_t offset) {
            glEnableVertexAttribArray(index);
            glVertexAttribPointer(index, 3, GL_FLOAT, GL_FALSE, sizeof(FigureVertex),
                                  reinterpret_cast<const void*>(offset));
        };
        attribute(0, offsetof(FigureVertex, position));
        attribute(1, offsetof(FigureVertex, normal));
        attribute(2, offsetof(FigureVertex, along));
        glBindVertexArray(0);
    }
    ~Buffers() {
        glDeleteVertexArrays(1, &array);
        glDeleteBuffers(1, &vertices);
        glDeleteBuffers(1, &indices);
    }
    Buffers(const Buffers&) = delete;
    Buffers& operator=(const Buffers&) = delete;
};

struct Renderer::MeshBuffers {
    unsigned array = 0, indices = 0, texture = 0;
    std::array<unsigned, 6> buffers{};
    int count = 0;
    int sets = 1;

    MeshBuffers(const Mesh& mesh, const Rig& rig) : count(int(mesh.indices.size())) {
        glGenVertexArrays(1, &array);
        glBindVertexArray(array);
        glGenBuffers(6, buffers.data());
        const size_t n = mesh.positions.size();
        const auto fill = [&](size_t buffer, const void* data, size_t bytes) {
            glBindBuffer(GL_ARRAY_BUFFER, buffers[buffer]);
            glBufferData(GL_ARRAY_BUFFER, GLsizeiptr(bytes), data, GL_STATIC_DRAW);
        };
        const auto floats = [](unsigned index, int width, size_t stride, size_t offset) {
            glEnableVertexAttribArray(index);
            glVertexAttribPointer(index, width, GL_FLOAT, GL_FALSE, GLsizei(stride),
                                  reinterpret_cast<const void*>(offset));
        };
        fill(0, mesh.positions.data(), n * 12);
        floats(0, 3, 12, 0);
        fill(1, mesh.normals.data(), n * 12);
        floats(1, 3, 12, 0);
        // Colours of the file are linear; what is shown is sRGB.
        const auto shown = [](float linear) {
            return linear <= 0.0031308f ? 12.92f * linear : 1.055f * std::pow(linear, 1.0f / 2.4f) - 0.055f;
        };
        std::vector<float> tints;
        tints.reserve(4 * n);
        for (size_t v = 0; v < n; ++v)
            for (int k = 0; k < 4; ++k) {
                const float linear = mesh.base_colour[k] * (mesh.colours.empty() ? 1.0f : mesh.colours[v][k]);
                tints.push_back(k < 3 ? shown(std::clamp(linear, 0.0f, 1.0f)) : linear);
            }
        fill(2, tints.data(), tints.size() * 4);
        floats(2, 4, 16, 0);
        if (!mesh.uvs.empty()) {
            fill(3, mesh.uvs.data(), n * 8);
            floats(3, 2, 8, 0);
        }
        std::vector<std::uint16_t> bones;
        std::vector<float> weights;
        for (const VertexSkin& skin : mesh.skin) {
            bones.insert(bones.end(), skin.palette.begin(), skin.palette.end());
            weights.insert(weights.end(), skin.weight.begin(), skin.weight.end());
            for (size_t k = 4; k < 8; ++k)
                if (skin.weight[k] > 0) sets = 2;
        }
        fill(4, bones.data(), bones.size() * 2);
        for (unsigned set = 0; set < 2; ++set) {
            glEnableVertexAttribArray(4 + set);
            glVertexAttribIPointer(4 + set, 4, GL_UNSIGNED_SHORT, 16,
                                   reinterpret_cast<const void*>(size_t(8 * set)));
        }
        fill(5, weights.data(), weights.size() * 4);
        floats(6, 4, 32, 0);
        floats(7, 4, 32, 16);
        glGenBuffers(1, &indices);
        glBindBuffer(GL_ELEMENT_ARRAY_BUFFER, indices);
        glBufferData(GL_ELEMENT_ARRAY_BUFFER, GLsizeiptr(mesh.indices.size() * 4), mesh.indices.data(),
                     GL_STATIC_DRAW);
        glBindVertexArray(0);
        if (mesh.image >= 0 && size_t(mesh.image) < rig.images.size() && !mesh.uvs.empty())
            load_image(rig.images[size_t(mesh.image)]);
    }
    ~MeshBuffers() {
        glDeleteVertexArrays(1, &array);
        glDeleteBuffers(6, buffers.data());
        glDeleteBuffers(1, &indices);
        if (texture) glDeleteTextures(1, &texture);
    }
    MeshBuffers(const MeshBuffers&) = delete;
    MeshBuffers& operator=(const MeshBuffers&) = delete;

    void load_image(const std::string& encoded) {
        const Picture picture = decode_picture(encoded);
        if (picture.width < 1) return;
        glGenTextures(1, &texture);
        glBindTexture(GL_TEXTURE_2D, texture);
        glTexImage2D(GL_TEXTURE_2D, 0, GL_RGBA8, picture.width, picture.height, 0, GL_RGBA, GL_UNSIGNED_BYTE,
                     picture.rgba.data());
        glGenerateMipmap(GL_TEXTURE_2D);
        glTexParameteri(GL_TEXTURE_2D, GL_TEXTURE_MIN_FILTER, GL_LINEAR_MIPMAP_LINEAR);
        glTexParameteri(GL_TEXTURE_2D, GL_TEXTURE_MAG_FILTER, GL_LINEAR);
    }
};

/// A framebuffer with one colour texture, and depth if asked for.
struct Renderer::Surface {
    unsigned framebuffer = 0, texture = 0, depth = 0;
    int width = 0, height = 0;
    Surface(int w, int h, GLenum format, bool has_depth) : width(w), height(h) {
        glGenTextures(1, &texture);
        glBindTexture(GL_TEXTURE_2D, texture);
        glTexImage2D(GL_TEXTURE_2D, 0, GLint(format), w, h, 0, format == GL_R8 ? GL_RED : GL_RGBA,
                     GL_UNSIGNED_BYTE, nullptr);
        for (const GLenum filter : {GL_TEXTURE_MIN_FILTER, GL_TEXTURE_MAG_FILTER})
            glTexParameteri(GL_TEXTURE_2D, filter, GL_LINEAR);
        for (const GLenum wrap : {GL_TEXTURE_WRAP_S, GL_TEXTURE_WRAP_T})
            glTexParameteri(GL_TEXTURE_2D, wrap, GL_CLAMP_TO_EDGE);
        glGenFramebuffers(1, &framebuffer);
        glBindFramebuffer(GL_FRAMEBUFFER, framebuffer);
        glFramebufferTexture2D(GL_FRAMEBUFFER, GL_COLOR_ATTACHMENT0, GL_TEXTURE_2D, texture, 0);
        if (has_depth) {
            glGenRenderbuffers(1, &depth);
            glBindRenderbuffer(GL_RENDERBUFFER, depth);
            glRenderbufferStorage(GL_RENDERBUFFER, GL_DEPTH_COMPONENT24, w, h);
            glFramebufferRenderbuffer(GL_FRAMEBUFFER, GL_DEPTH_ATTACHMENT, GL_RENDERBUFFER, depth);
        }
    }
    ~Surface() {
        glDeleteFramebuffers(1, &framebuffer);
        glDeleteTextures(1, &texture);
        if (depth) glDeleteRenderbuffers(1, &depth);
    }
    Surface(const Surface&) = delete;
    Surface& operator=(const Surface&) = delete;
};

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
