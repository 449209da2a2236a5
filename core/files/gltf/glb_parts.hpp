// A glTF file taken apart into its JSON and one binary buffer, changed, and put together as .glb. Internal to
// core/files.
#pragma once
#include <initializer_list>
#include <nlohmann/json.hpp>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "core/base/fault.hpp"
#include "core/base/json_fields.hpp"
#include "core/rig/rig.hpp"

namespace nb {

/// What a writer does with a file's JSON; a value of a kind it does not expect becomes one line.
template <typename Make>
auto with_json_of(const std::string& path, Make make) {
    try {
        return make();
    } catch (const Json::exception&) {
        throw FileError(path, "has a value of the wrong kind in its JSON", "export the file again");
    }
}

class GlbParts {
  public:
    /// Reads the rig's own file; buffers and pictures beside it are packed in. Throws FileError, also when it
    /// is no longer the file that was read.
    explicit GlbParts(const Rig& rig);
    /// A new file; `made_for` stands in messages.
    explicit GlbParts(const std::string& made_for);

    nlohmann::ordered_json json;
    /// Appends data as a buffer view; returns its index.
    size_t add_view(std::string_view data);
    /// Appends an accessor of floats ("SCALAR", "VEC3" ...); returns its index. Throws FileError for what is not finite.
    size_t add_floats(std::span<const float> values, const char* type, size_t width);
    size_t add_floats(std::initializer_list<float> values, const char* type, size_t width) {
        return add_floats(std::span<const float>(values.begin(), values.size()), type, width);
    }
    /// To a list of the file ("skins", "animations" ...), which is made where it is missing; its index. References into
    /// `json` do not outlive it.
    size_t append(const char* list, nlohmann::ordered_json item);
    /// Where a node stands below its parent, in the file's own units.
    Vec3 translation_of(size_t node) const;
    /// Makes a node stand in translation, rotation and scale, not in a matrix, as animated ones must.
    void free_of_matrix(size_t node);
    /// Writes the whole file.
    void write(const std::string& path);

  private:
    std::string path_;  ///< of the rig's file
    std::string binary_;

    std::string beside(const std::string& uri) const;
    void pack_buffers();
};

}  // namespace nb
