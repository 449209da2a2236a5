#include "core/scene/cast.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "core/base/fault.hpp"
#include "core/body/carried.hpp"
#include "core/body/measures.hpp"

namespace nb {

double own_scale(const Cast& cast) {
    const Character &S = *cast.source, &T = *cast.target;
    const double of_T = leg_length(carried_skeleton(T.rig.skeleton, T.roles), T.roles);
    const double of_S = leg_length(S.rig.skeleton, S.roles);
    return of_S > 0.0 && of_T > 0.0 ? of_T / of_S : 1.0;
}

double scale_of(const SceneDistances& distances, std::span<const Cast> casts) {
    if (distances.by == SceneDistances::By::number) return distances.k;
    if (distances.by == SceneDistances::By::cast) {
        for (const Cast& cast : casts)
            if (cast.name == distances.cast) return own_scale(cast);
        throw FileError("the scene", fmt::format("has no cast '{}' to take distances from", distances.cast),
                        "name one of its casts, or 'mean'");
    }
    double sum = 0.0;
    for (const Cast& cast : casts) sum += own_scale(cast);
    return casts.empty() ? 1.0 : sum / double(casts.size());
}

std::vector<double> stretch_of_steps(double k, std::span<const Cast> casts) {
    std::vector<double> shares;
    for (const Cast& cast : casts) shares.push_back(k / own_scale(cast) - 1.0);
    return shares;
}

namespace {

void move_root(Quat& R, Vec3& p, const Rigid& X) {
    p = X * p;
    R = (X.R * R).normalized();
}

}  // namespace

Take placed_take(const Skeleton& skeleton, const Take& take, double turn_deg, const Vec3& at_m) {
    Take placed = take;
    const Rigid X{exp_rotation(deg_to_rad(turn_deg) * Vec3::UnitY()), Vec3(at_m.x(), 0.0, at_m.z())};
    if (turn_deg == 0.0 && X.p == Vec3::Zero()) return placed;
    std::vector<int> still;  // roots whose place is that of the rest in every frame
    for (int j = 0; j < skeleton.size(); ++j)
        if (skeleton.parents[size_t(j)] < 0 &&
            std::find(take.translated.begin(), take.translated.end(), j) == take.translated.end())
            still.push_back(j);
    const auto place = [&](std::vector<Quat>& R, std::vector<Vec3>& p, int frames) {
        if (R.empty()) return;
        const size_t before = take.translated.size(), now = placed.translated.size();
        std::vector<Vec3> moved(size_t(frames) * now);
        for (int f = 0; f < frames; ++f)
            for (size_t i = 0; i < now; ++i) {
                const int joint = placed.translated[i];
                const auto at = std::find(take.translated.begin(), take.translated.end(), joint);
                Vec3& to = moved[size_t(f) * now + i];
                to = at == take.translated.end()
                         ? skeleton.rest_p[size_t(joint)]
                         : p[size_t(f) * before + size_t(at - take.translated.begin())];
                if (skeleton.parents[size_t(joint)] < 0)
                    move_root(R[size_t(f) * size_t(take.joints) + size_t(joint)], to, X);
            }
        p = std::move(moved);
    };
    placed.translated.insert(placed.translated.end(), still.begin(), still.end());
    std::sort(placed.translated.begin(), placed.translated.end());
    place(placed.R.edit(), placed.p.edit(), take.frames);
    place(placed.start_R.edit(), placed.start_p.edit(), take.start_R.empty() ? 0 : 1);
    for (SetPiece& piece : placed.set.edit()) {
        if (piece.joint >= 0) continue;
        for (auto& triangle : piece.triangles)
            for (Vec3& corner : triangle) corner = X * corner;
        piece.measure();
    }
    Vec3& runs = placed.contacts.floor.velocity_m_s;
    runs = X.R * runs;
    return placed;
}

}  // namespace nb
