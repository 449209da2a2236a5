// Which bones of a scene lie under a point of the view.
#pragma once
#include <QPointF>
#include <QSize>
#include <utility>
#include <vector>

#include "app/work/loaded.hpp"
#include "draw/camera.hpp"

namespace nb {

/// A body of the scene that can be picked on.
struct Pickable {
    const SceneBody* body = nullptr;
    LoadedPtr loaded;
    bool is_target = false;
};

/// Nearest first: (in target, joint). What is hidden is not picked.
std::vector<std::pair<bool, int>> bones_under(const std::vector<Pickable>& bodies, const Camera& camera,
                                              const QSize& view, const QPointF& at);

}  // namespace nb
