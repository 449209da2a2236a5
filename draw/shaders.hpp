// The programs of the stage, in GLSL 3.30: backdrop, floor, bodies as figures and as meshes, shadows, trails,
// letters.
#pragma once

namespace nb {

inline constexpr const char* fullscreen_source = R"(#version 330 core
out vec2 place;
void main() {
    vec2 corner = vec2(gl_VertexID == 1 ? 3.0 : -1.0, gl_VertexID == 2 ? 3.0 : -1.0);
    place = corner;
    gl_Position = vec4(corner, 1.0, 1.0);
})";

// Sky above, the haze of the horizon at the height of the eye.
inline constexpr const char* backdrop_source = R"(#version 330 core
in vec2 place;
out vec4 colour;
uniform vec3 zenith, horizon;
uniform vec3 forward, up_half, right_half;
void main() {
    vec3 ray = normalize(forward + place.x * right_half + place.y * up_half);
    float rise = clamp(ray.y / 0.20, 0.0, 1.0);
    colour = vec4(mix(horizon, zenith, smoothstep(0.0, 1.0, rise)), 1.0);
})";

inline constexpr const char* floor_vertex_source = R"(#version 330 core
out vec3 world;
uniform mat4 world_to_clip;
uniform vec3 centre;
uniform float reach;
void main() {
    vec2 corner = vec2(gl_VertexID % 2 == 0 ? -1.0 : 1.0, gl_VertexID < 2 ? -1.0 : 1.0);
    world = vec3(centre.x, 0.0, centre.z) + reach * vec3(corner.x, 0.0, corner.y);
    gl_Position = world_to_clip * vec4(world, 1.0);
})";

inline constexpr const char* floor_source = R"(#version 330 core
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
inline constexpr const char* body_vertex_source = R"(#version 330 core
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

inline constexpr const char* body_source = R"(#version 330 core
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
inline constexpr const char* mesh_vertex_source = R"(#version 330 core
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
inline constexpr const char* piece_source = R"(#version 330 core
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
inline constexpr const char* mesh_source = R"(#version 330 core
in vec3 seen_normal;
in vec4 own;
in vec2 at_image;
out vec4 colour;
uniform vec3 tone, mark, to_eye, key;
uniform float opacity, paled;
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
    base = mix(base, tone, paled);
    float light = dot(n, key);
    float sky = 0.5 + 0.5 * n.y;
    float facing = clamp(dot(n, to_eye), 0.0, 1.0);
    float rim = pow(1.0 - facing, 3.0);
    vec3 lit = base * (0.36 + 0.30 * sky + 0.52 * max(light, 0.0));
    lit = mix(lit, tone * (0.75 + 0.35 * max(light, 0.0)), 0.85 * smoothstep(0.15, 0.75, rim));
    colour = vec4(lit, 1.0);
})";

// From above: how near to the floor what is seen stands.
inline constexpr const char* shadow_source = R"(#version 330 core
in vec3 seen_normal;
in vec3 world;
flat in float joint;
in vec2 dash;
out vec4 colour;
void main() { colour = vec4(0.25 * exp(-max(world.y, 0.0) / 0.7) + 0.75 * exp(-max(world.y, 0.0) / 0.07)); })";

inline constexpr const char* blur_source = R"(#version 330 core
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

inline constexpr const char* dots_vertex_source = R"(#version 330 core
layout(location = 0) in vec4 at;  // place, size
uniform mat4 world_to_clip;
uniform float scale;
void main() {
    gl_Position = world_to_clip * vec4(at.xyz, 1.0);
    gl_Position.z -= 0.0005 * gl_Position.w;
    gl_PointSize = at.w * scale;
})";
inline constexpr const char* dots_source = R"(#version 330 core
out vec4 colour;
uniform vec3 tone;
void main() {
    vec2 d = gl_PointCoord - 0.5;
    if (dot(d, d) > 0.25) discard;
    colour = vec4(tone, 1.0);
})";

inline constexpr const char* letters_vertex_source = R"(#version 330 core
layout(location = 0) in vec2 at;
void main() { gl_Position = vec4(at, 0.0, 1.0); })";
inline constexpr const char* letters_source = R"(#version 330 core
out vec4 colour;
uniform vec3 tone;
void main() { colour = vec4(tone, 1.0); })";

}  // namespace nb
