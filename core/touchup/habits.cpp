#include "core/touchup/habits.hpp"

#include <algorithm>

namespace nb {

namespace {

bool is_constant(const TouchUp& touch) {
    return touch.when.is_whole &&
           (touch.kind == TouchKind::turn || touch.kind == TouchKind::place || touch.kind == TouchKind::hand);
}

bool is_plain(const TouchLayer& layer) {
    return !layer.is_muted && layer.weight == 1.0;
}

bool is_same(const TouchUp& a, const TouchUp& b) {
    TouchUp alike = b;
    alike.turn_rad = a.turn_rad;
    alike.place_m = a.place_m;
    const auto near = [](const Vec3& one, const Vec3& other, double least) {
        return (one - other).norm() <= std::max(least, 0.25 * std::max(one.norm(), other.norm()));
    };
    return alike == a && near(a.turn_rad, b.turn_rad, deg_to_rad(2.0)) && near(a.place_m, b.place_m, 0.01);
}

/// The first of a take that is the same.
const TouchUp* same_in(const TouchLayers& layers, const TouchUp& touch) {
    for (const TouchLayer& layer : layers)
        if (is_plain(layer))
            for (const TouchUp& one : layer.touches)
                if (is_constant(one) && is_same(touch, one)) return &one;
    return nullptr;
}

}  // namespace

std::vector<Habit> find_habits(const std::map<std::string, TouchLayers>& by_take) {
    std::vector<Habit> habits;
    for (const auto& [take, layers] : by_take)
        for (const TouchLayer& layer : layers) {
            if (!is_plain(layer)) continue;
            for (const TouchUp& touch : layer.touches) {
                const bool is_known = std::ranges::any_of(
                    habits, [&](const Habit& habit) { return is_same(habit.like, touch); });
                if (is_known || !is_constant(touch)) continue;
                Habit habit{touch, touch, {}};
                Vec3 turn = Vec3::Zero(), place = Vec3::Zero();
                for (const auto& [other, its] : by_take)
                    if (const TouchUp* same = same_in(its, touch)) {
                        habit.takes.push_back(other);
                        turn += same->turn_rad;
                        place += same->place_m;
                    }
                if (habit.takes.size() < takes_of_a_habit) continue;
                habit.touch.turn_rad = turn / double(habit.takes.size());
                habit.touch.place_m = place / double(habit.takes.size());
                habits.push_back(std::move(habit));
            }
        }
    std::ranges::stable_sort(habits,
                             [](const Habit& a, const Habit& b) { return a.takes.size() > b.takes.size(); });
    return habits;
}

std::map<std::string, TouchLayers> without_habit(std::map<std::string, TouchLayers> by_take,
                                                 const Habit& habit) {
    for (const std::string& take : habit.takes) {
        TouchLayers& layers = by_take[take];
        const TouchUp* gone = same_in(layers, habit.like);
        for (TouchLayer& layer : layers)
            std::erase_if(layer.touches, [gone](const TouchUp& touch) { return &touch == gone; });
        std::erase_if(layers, [](const TouchLayer& layer) { return layer.touches.empty(); });
        if (layers.empty()) by_take.erase(take);
    }
    return by_take;
}

}  // namespace nb
