#include "core/scene/apart.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <utility>

#include "core/base/parallel.hpp"
#include "core/body/measures.hpp"

namespace nb {

namespace {

constexpr double looks_apart_a_second = 10.0;
constexpr int most_looks_apart = 2000;
constexpr double low_m = 0.05;        // what is higher than that over what is wanted asks for nothing
constexpr double least_across = 0.3;  // of a normal that goes over the floor
constexpr double settles_m = 5e-4;
constexpr int rounds = 6, sweeps = 60;
constexpr std::array<double, 4> rows_of_points{0.1, 0.37, 0.63, 0.9};
constexpr int points_around = 8;
constexpr double most_for_feet_m = 0.1;  // at 175 cm

using Vec2 = Eigen::Vector2d;

struct ApartRow {
    Vec2 n;
    double b = 0.0;  ///< n . c >= b
};

/// The shortest c that meets all rows, as far as they can be met.
Vec2 shortest(const std::vector<ApartRow>& rows) {
    std::vector<double> pressed(rows.size(), 0.0);
    Vec2 c = Vec2::Zero();
    for (int sweep = 0; sweep < sweeps; ++sweep)
        for (size_t i = 0; i < rows.size(); ++i) {
            const double by = std::max(-pressed[i], (rows[i].b - rows[i].n.dot(c)) / rows[i].n.squaredNorm());
            pressed[i] += by;
            c += by * rows[i].n;
        }
    return c;
}

/// A body as it may stand in another: points of trunk, head and legs.
struct StandingBody {
    struct Part {
        const PartSurface* surface = nullptr;
        std::vector<Vec3> points_F;
        double around_m = 0.0;
    };
    std::vector<Part> parts;

    StandingBody(const BodySurface& skin, bool has_feet) {
        for (const PartSurface& surface : skin.parts) {
            const std::string role = role_part(surface.role);
            if (!is_trunk(surface.role) && role != "head" && role != "neck" && role != "thigh" &&
                role != "shin" && !(has_feet && role == "foot"))
                continue;
            Part part{&surface, {}, 0.0};
            for (const double s : rows_of_points)
                for (int k = 0; k < points_around; ++k)
                    part.points_F.push_back(surface.point({s, 2.0 * pi * k / points_around, 0.0, 0.0}));
            for (const Vec3& point : part.points_F) part.around_m = std::max(part.around_m, point.norm());
            parts.push_back(std::move(part));
        }
    }
    std::vector<Rigid> frames(const WorldMotion& motion, double t_s) const {
        std::vector<Rigid> frames;
        for (const Part& part : parts) {
            const Rigid X = joint_at(motion, part.surface->joint, t_s);
            frames.push_back(part.surface->frame(X.R, X.p));
        }
        return frames;
    }
};

/// Low points of one body over another's parts, the lowest a pair of parts: `found(height, out)`.
template <typename Found>
void low_points(const StandingBody& one, const std::vector<Rigid>& X_one, const StandingBody& other,
                const std::vector<Rigid>& X_other, double below_m, const Found& found) {
    for (size_t i = 0; i < one.parts.size(); ++i)
        for (size_t j = 0; j < other.parts.size(); ++j) {
            const PartSurface& over = *other.parts[j].surface;
            const Rigid X = inverse(X_other[j]) * X_one[i];
            if (over.at_least_over(X.p) - one.parts[i].around_m > below_m) continue;
            double least = below_m;
            const Vec3* lowest = nullptr;
            for (const Vec3& point : one.parts[i].points_F) {
                const Vec3 u = X * point;
                if (over.at_least_over_there(u) >= least) continue;
                if (const double h = over.height(u); h < least) {
                    least = h;
                    lowest = &point;
                }
            }
            if (lowest) found(least, Vec3(X_other[j].R * Vec3(over.lie(over.place(X * *lowest)).col(0))));
        }
}

class Pair {
  public:
    Pair(std::span<const Cast> casts, std::span<const CastSkins> skins, std::span<const WorldMotion> alone,
         size_t a, size_t b, bool has_feet)
        : casts_(casts),
          skins_(skins),
          alone_(alone),
          a_(a),
          b_(b),
          T_a_(skins[a].T, has_feet),
          T_b_(skins[b].T, has_feet),
          S_a_(skins[a].S, has_feet),
          S_b_(skins[b].S, has_feet),
          size_(std::min(skins[a].T.stature_m, skins[b].T.stature_m) / reference_stature_m) {
        const double first = std::min(casts[a].start_s, casts[b].start_s);
        const double last = std::max(casts[a].end_s(), casts[b].end_s());
        const int looks =
            std::min(most_looks_apart, int(std::floor((last - first) * looks_apart_a_second)) + 1);
        for (int look = 0; look < looks; ++look)
            times_.push_back(first + (last - first) * look / std::max(1, looks - 1));
        wanted_.assign(times_.size(), 1e30);
    }

    /// a goes by c/2, b by -c/2, from where both stand aside already.
    Vec2 find(const Vec3& aside_a, const Vec3& aside_b) {
        Vec2 c = Vec2::Zero();
        for (int round = 0; round < rounds; ++round) {
            const std::vector<ApartRow> rows = rows_at(c, aside_a, aside_b);
            if (rows.empty()) break;
            const Vec2 next = shortest(rows);
            const double moved = (next - c).norm();
            c = next;
            if (moved < settles_m) break;
        }
        const double far = c.norm();
        return far > most_aside_m ? Vec2(c * (most_aside_m / far)) : far < settles_m ? Vec2(Vec2::Zero()) : c;
    }

  private:
    std::span<const Cast> casts_;
    std::span<const CastSkins> skins_;
    std::span<const WorldMotion> alone_;
    size_t a_, b_;
    StandingBody T_a_, T_b_, S_a_, S_b_;
    double size_;
    std::vector<double> times_;
    std::vector<double> wanted_;  ///< by look; 1e30: not asked for yet

    double wanted_at(size_t look) const {
        const auto X_a = S_a_.frames(skins_[a_].source, casts_[a_].take_time_s(times_[look]));
        const auto X_b = S_b_.frames(skins_[b_].source, casts_[b_].take_time_s(times_[look]));
        double least = 0.0;
        const auto found = [&](double h, const Vec3&) { least = std::min(least, h); };
        low_points(S_a_, X_a, S_b_, X_b, 0.0, found);
        low_points(S_b_, X_b, S_a_, X_a, 0.0, found);
        const double by_stature =
            std::min(1.0, std::max(skins_[a_].T.stature_m, skins_[b_].T.stature_m) /
                              std::max(0.01, std::max(skins_[a_].S.stature_m, skins_[b_].S.stature_m)));
        return std::min(0.0, by_stature * least);
    }

    std::vector<ApartRow> rows_at(const Vec2& c, const Vec3& aside_a, const Vec3& aside_b) {
        std::vector<std::vector<ApartRow>> by_look(times_.size());
        for_each_frame(int(times_.size()), 0, [&](int from, int to) {
            for (int look = from; look < to; ++look) {
                const double t = times_[size_t(look)];
                auto X_a = T_a_.frames(alone_[a_], casts_[a_].take_time_s(t));
                auto X_b = T_b_.frames(alone_[b_], casts_[b_].take_time_s(t));
                for (Rigid& X : X_a) X.p += aside_a + Vec3(0.5 * c.x(), 0.0, 0.5 * c.y());
                for (Rigid& X : X_b) X.p += aside_b - Vec3(0.5 * c.x(), 0.0, 0.5 * c.y());
                const auto add = [&](double sign) {
                    return [&, sign](double h, const Vec3& out) {
                        const Vec2 n(sign * out.x(), sign * out.z());
                        if (n.norm() < least_across) return;
                        double& wanted = wanted_[size_t(look)];
                        if (wanted > 1e29) wanted = wanted_at(size_t(look));
                        if (h < wanted + low_m) by_look[size_t(look)].push_back({n, wanted - h + n.dot(c)});
                    };
                };
                low_points(T_a_, X_a, T_b_, X_b, low_m * size_, add(1.0));
                low_points(T_b_, X_b, T_a_, X_a, low_m * size_, add(-1.0));
            }
        });
        std::vector<ApartRow> rows;
        for (const auto& one : by_look) rows.insert(rows.end(), one.begin(), one.end());
        const bool asks =
            std::any_of(rows.begin(), rows.end(), [](const ApartRow& row) { return row.b > 0.0; });
        return asks ? rows : std::vector<ApartRow>();
    }
};

}  // namespace

Asides stand_apart(std::span<const Cast> casts, std::span<const CastSkins> skins,
                   std::span<const WorldMotion> alone) {
    Asides asides{std::vector<Vec3>(casts.size(), Vec3::Zero()), {}};
    for (size_t a = 0; a < casts.size(); ++a)
        for (size_t b = a + 1; b < casts.size(); ++b) {
            if (!skins[a].T.is_from_mesh || !skins[b].T.is_from_mesh || skins[a].S.parts.empty() ||
                skins[b].S.parts.empty())
                continue;
            const auto found = [&](bool has_feet) {
                return Pair(casts, skins, alone, a, b, has_feet).find(asides.of_casts[a], asides.of_casts[b]);
            };
            // Feet of one on the other's: only where a little more is enough, else arms would not reach any more.
            const Vec2 without = found(false), with = found(true);
            const double size = std::min(skins[a].T.stature_m, skins[b].T.stature_m) / reference_stature_m;
            const Vec2 c = (with - without).norm() <= most_for_feet_m * size ? with : without;
            if (c.isZero(0.0)) continue;
            const Vec3 half(0.5 * c.x(), 0.0, 0.5 * c.y());
            asides.of_casts[a] += half;
            asides.of_casts[b] -= half;
            asides.notes.push_back(
                fmt::format("{} and {} stand {:.0f} cm farther apart than distances have it: "
                            "these bodies would stand in each other",
                            casts[a].name, casts[b].name, 100.0 * c.norm()));
        }
    return asides;
}

}  // namespace nb
