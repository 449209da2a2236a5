// A character standing in the common stance's facing, arms let down, cut out of its background: for the
// library.
#pragma once
#include "core/intake/load.hpp"
#include "draw/renderer.hpp"

namespace nb {

/// Height a portrait spans, m: the same for all, so that bodies stand side by side on one scale.
inline constexpr double portrait_span_m = 2.4;

/// The picture is `height_px` high and half as wide; the soles stand on its lower edge. Needs a current
/// context.
Picture draw_portrait(Renderer& renderer, const std::shared_ptr<const LoadedFile>& file, int height_px);

}  // namespace nb
