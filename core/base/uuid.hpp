// Names of documents that nobody has to agree on (RFC 4122).
#pragma once
#include <string>

namespace nb {

/// A random version 4 UUID.
std::string make_uuid();

}  // namespace nb
