#include "app/stage/picking.hpp"

#include <algorithm>

namespace nb {

std::vector<std::pair<bool, int>> bones_under(const std::vector<Pickable>& bodies, const Camera& camera,
                                              const QSize& view, const QPointF& at) {
    struct Hit {
        double score;
        bool in_target;
        int joint;
    };
    std::vector<Hit> hits;
    for (const auto& [body, loaded, is_target] : bodies) {
        if (!loaded || body->look == BodyLook::hidden) continue;
        for (const BoneSegment& bone : loaded->segments) {
            const Vec3 start = body->pose.p[size_t(bone.joint)] + body->moved_m;
            const Vec3 end = start + body->size * (body->pose.R[size_t(bone.joint)] * bone.end_m);
            const Vec3 a = camera.project(start, view.width(), view.height());
            const Vec3 b = camera.project(end, view.width(), view.height());
            const Eigen::Vector2d d = (b - a).head<2>();
            const Eigen::Vector2d m = Eigen::Vector2d(at.x(), at.y()) - a.head<2>();
            const double u = d.squaredNorm() > 1e-9 ? std::clamp(m.dot(d) / d.squaredNorm(), 0.0, 1.0) : 0.0;
            const double off = (m - u * d).norm();
            const double reach =
                std::max(5.0, 1.4 * body->size * bone.radius_m / camera.metres_per_pixel(view.height()));
            const double depth = a.z() + u * (b.z() - a.z());
            if (off < reach) hits.push_back({off / reach + 0.02 * depth, is_target, bone.joint});
        }
    }
    std::sort(hits.begin(), hits.end(), [](const Hit& a, const Hit& b) { return a.score < b.score; });
    std::vector<std::pair<bool, int>> bones;
    bones.reserve(hits.size());
    for (const Hit& hit : hits) bones.emplace_back(hit.in_target, hit.joint);
    return bones;
}

}  // namespace nb
