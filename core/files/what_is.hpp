// What a file really is, by its first bytes, for files whose name says something else.
#pragma once
#include <string>
#include <string_view>

namespace nb {

/// "a BVH motion file", "a PNG picture", "text" ... Signatures from the formats' own documents.
std::string what_is(std::string_view bytes);

}  // namespace nb
