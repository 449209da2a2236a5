// What was said of takes on a target, as it stands in a pairing: "judged", by the take.
#pragma once
#include "core/documents/format.hpp"
#include "core/review/judgement.hpp"

namespace nb {

/// {} when nothing was said.
Json judgements_json(const Judgements& judgements);
/// Throws FileError naming `path`.
Judgements read_judgements(const Json& json, const std::string& path);
const Shape& judgements_shape();

}  // namespace nb
