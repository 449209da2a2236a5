// What a document is of. Drafts, commands and undo address documents by it, never "what is on stage".
#pragma once
#include <compare>
#include <string>

#include "core/base/json_fields.hpp"
#include "core/documents/format.hpp"

namespace nb {

struct DocumentKey {
    enum class Kind { character, take, pairing, scene };
    Kind kind = Kind::character;
    std::string path;   ///< the rig, the motion file, the scene; of a pairing the folder it is kept in
    int animation = 0;  ///< of a take, from 0
    std::string source_id, target_id;  ///< of a pairing
    std::string body;  ///< of a take of a file with several bodies: a bone of its tree; empty: the likeliest

    auto operator<=>(const DocumentKey&) const = default;
    bool is_empty() const { return path.empty() && source_id.empty(); }
};

DocumentKey character_key(const std::string& rig_path);
DocumentKey take_key(const std::string& motion_path, int animation, const std::string& body = {});
DocumentKey scene_key(const std::string& scene_path);

Json key_json(const DocumentKey& key);
/// Throws FileError naming `path`.
DocumentKey read_key(const Json& json, const std::string& path);

}  // namespace nb
