// Touch-ups in documents: so far one of their own, which the command line takes.
#pragma once
#include <string>

#include "core/body/touch_layers.hpp"
#include "core/documents/format.hpp"

namespace nb {

/// Layers as a list; of each touch-up only what its kind uses and what is not usual. Degrees, centimetres, seconds.
Json touch_layers_json(const TouchLayers& layers);
/// Throws FileError: which layer and touch-up, key, the value met, what is expected. `path` names the document.
TouchLayers read_touch_layers(const Json& list, const std::string& path);
/// A document of its own, "touch-ups", as the command line takes it: its layers.
TouchLayers read_touch_ups(const std::string& path);

}  // namespace nb
