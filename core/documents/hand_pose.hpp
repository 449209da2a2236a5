// Hand poses in documents: within a touch-up, and one of its own in a library's `hands/`.
#pragma once
#include <string>

#include "core/body/hand_pose.hpp"
#include "core/documents/format.hpp"

namespace nb {

/// Puts `fingers` and `oppose_deg` into an object; degrees, what is zero left out.
void put_hand_shape(Json& json, const HandPose& pose);
/// Reads them. Throws FileError for fingers that are not known and turns beyond half a turn.
void read_hand_shape(const Json& json, HandPose& pose, const std::string& where);

/// "nimble-bone/hand-pose" (docs/schema).
Json hand_pose_document(const HandPose& pose, const std::string& id);
HandPose read_hand_pose(const std::string& path);

}  // namespace nb
