// The project's own documents: JSON in a canonical form, keys in fixed order, two spaces, one value a line,
// 12 significant digits, unknown keys kept, a final newline. What holds for each of them; a file a document
// beside.
#pragma once
#include <string>

#include "core/base/fault.hpp"
#include "core/base/json_fields.hpp"
#include "core/math/canonical.hpp"

namespace nb {

inline constexpr int document_version = 1;
/// Frames of a file, joints of a rig: beyond what any file holds.
inline constexpr int frame_limit = 100000000;

/// Text of a document in canonical form. Throws FileError when it holds a number that is not finite.
std::string format_document(const Json& document);
/// Reads a document and checks its format and version: "nimble-bone/<kind>", 1. Throws FileError for another
/// kind, a newer version, or broken JSON (with line and column).
Json read_document(const std::string& path, const std::string& kind);
/// The same from text that was read; `path` names it.
Json parse_document(const std::string& text, const std::string& path, const std::string& kind);
/// JSON of any kind, at most 64 deep. Throws FileError with line and column.
Json parse_json(const std::string& text, const std::string& path);

/// The first keys of every document: "format" (nimble-bone/<kind>), "version", "id".
Json document_header(const char* kind, const std::string& id);

/// Calls `read`; whatever else is wrong in the shape of a document becomes one line as well.
template <typename Read>
auto reading(const std::string& path, Read&& read) {
    try {
        return read();
    } catch (const Json::exception&) {
        throw FileError(path, "a value is missing or of the wrong kind", "compare with docs/schema");
    }
}

}  // namespace nb
