// What the renderer keeps on the graphics card: programs, buffers of figures and meshes, surfaces to draw on.
// For renderer.cpp alone; an OpenGL context must be current wherever one of these is made or let go.
#pragma once
#include <epoxy/gl.h>

#include <stdexcept>
#include <string>
#include <vector>

#include "draw/renderer.hpp"

namespace nb {

/// Throws std::runtime_error with what the driver says.
inline unsigned compile(GLenum kind, const char* source) {
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

}  // namespace nb
