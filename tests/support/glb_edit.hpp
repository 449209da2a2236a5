// A .glb with what is said in its JSON changed; its buffers as they were.
#pragma once
#include <functional>
#include <string>

#include "core/base/json_fields.hpp"

namespace nb::test {

void edit_glb(const std::string& from, const std::string& to, const std::function<void(Json&)>& edit);
/// The node of that name; a null value when there is none.
Json& node_of(Json& gltf, const std::string& name);

}  // namespace nb::test
