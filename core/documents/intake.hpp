// What the intake repairs and what is said of a file's unit and axes, as character and take documents hold
// it.
#pragma once
#include "core/documents/format.hpp"
#include "core/rig/load_options.hpp"

namespace nb {

/// What the intake repairs, as both character and take documents hold it under "intake"; null when nothing
/// is.
Json intake_document(const LoadOptions& options);
/// Reads it into `options`; values that are none are refused.
void read_intake(const Json& document, const std::string& path, LoadOptions& options);

/// "conventions": unit, up, facing as stated; absent when nothing is.
void read_conventions(const Json& document, const std::string& path, LoadOptions& options);
/// What a document has under "intake".
Shape intake_shape();

}  // namespace nb
