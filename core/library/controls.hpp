// controls.json: the control rig of a character, kept beside its rig.
#pragma once
#include <optional>

#include "core/documents/format.hpp"
#include "core/handover/controls.hpp"

namespace nb {

/// `read`: as it was, for keys this program does not know; null: it is new.
Json controls_document(const ControlRig& rig, const std::string& id, const Json& read = {});
/// `path` of the document; the rig's is seen from it. Throws FileError.
ControlRig read_controls(const std::string& path);
/// Where it is kept.
std::string controls_place(const std::string& rig_path);
/// Of the character whose rig lies there; empty when it has none. Throws FileError.
std::optional<ControlRig> controls_beside(const std::string& rig_path);

}  // namespace nb
