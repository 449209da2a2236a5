#include "core/intake/set_pieces.hpp"

#include <algorithm>
#include <filesystem>

#include "core/base/fault.hpp"
#include "core/rig/mesh.hpp"

namespace nb {

void read_set(LoadedFile& file) {
    if (!file.take) return;
    std::vector<SetPiece> set;
    for (const StagePiece& piece : file.pieces) {
        if (piece.is_ground) continue;
        SetPiece own;
        own.name = piece.joint.empty() ? std::filesystem::path(piece.path).stem().string() : piece.joint;
        own.joint = piece.joint.empty() ? -1 : file.character.rig.skeleton.find(piece.joint);
        const auto has_name = [&](const SetPiece& other) { return other.name == own.name; };
        if ((own.joint < 0 && !piece.joint.empty()) || std::any_of(set.begin(), set.end(), has_name))
            continue;
        try {
            const LoadedFile shape = load_file(piece.path);
            const Pose pose = rest_pose(shape.character.rig.skeleton);
            for (const Mesh& mesh : shape.character.rig.meshes) {
                const std::vector<Vec3> at = skin_vertices(mesh, pose);
                for (size_t i = 0; i + 2 < mesh.indices.size(); i += 3)
                    own.triangles.push_back({piece.at_m + at[mesh.indices[i]],
                                             piece.at_m + at[mesh.indices[i + 1]],
                                             piece.at_m + at[mesh.indices[i + 2]]});
            }
        } catch (const std::exception&) {
            continue;
        }
        own.measure();
        if (!own.triangles.empty()) set.push_back(std::move(own));
    }
    file.take->set = std::move(set);
}

}  // namespace nb
