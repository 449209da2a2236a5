// A skinned mesh: vertices as they were attached, and which joints carry them.
//
// A vertex stands at  p_W = sum_i w_i X_WJ(i) A_i v,  linear blend (glTF 2.0, ISO/IEC 12113,
// section 3.7.3.3), where A = attach is the inverse bind matrix brought into the rigid joint frame, metres,
// static scale and mirroring included.
#pragma once
#include <Eigen/Core>
#include <array>
#include <cstdint>
#include <string>
#include <vector>

#include "core/rig/skeleton.hpp"

namespace nb {

/// One joint of a mesh's palette. `attach`: mesh coordinates to the joint's frame, affine.
struct MeshJoint {
    int joint = -1;
    Eigen::Matrix4d attach = Eigen::Matrix4d::Identity();
};

/// Up to eight joints a vertex; unused ones have weight 0. Weights add up to 1.
struct VertexSkin {
    std::array<std::uint16_t, 8> palette{};
    std::array<float, 8> weight{};
};

/// Brings the weights of a vertex to a sum of 1; a vertex without weight follows the first joint of its
/// palette. Returns the sum as it was.
float normalise_weights(VertexSkin& skin);
/// The same, counted: what a reader met in a file's weights.
struct FileFacts;
float normalise_weights(VertexSkin& skin, FileFacts& facts);

struct Mesh {
    std::string name;
    std::vector<Eigen::Vector3f> positions;
    std::vector<Eigen::Vector3f> normals;  ///< unit length, one a vertex
    std::vector<Eigen::Vector4f> colours;  ///< linear; empty or one a vertex
    std::vector<Eigen::Vector2f> uvs;      ///< empty or one a vertex
    std::vector<VertexSkin> skin;          ///< one a vertex
    std::vector<std::uint32_t> indices;    ///< triangles
    std::vector<MeshJoint> palette;
    Eigen::Vector4f base_colour = Eigen::Vector4f::Ones();  ///< linear
    int image = -1;                                         ///< index in the rig's images
    int morph_target_count = 0;                             ///< kept in the file, not shown
};

/// World positions of all vertices in a pose, m. The reference for what the GPU does. `which`: one a vertex, those that
/// are asked for (null: all); the others are at zero.
std::vector<Vec3> skin_vertices(const Mesh& mesh, const Pose& pose, const std::vector<char>* which = nullptr);

}  // namespace nb
