// Corrections that a body always needs, found again: the same constant touch-up on several takes.
#pragma once
#include <map>
#include <string>
#include <vector>

#include "core/body/touch_layers.hpp"

namespace nb {

struct Habit {
    TouchUp touch;                   ///< turns and places: the mean of all
    TouchUp like;                    ///< the one that all of them are like
    std::vector<std::string> takes;  ///< by their keys; one touch-up in each
    bool operator==(const Habit&) const = default;
};

inline constexpr size_t takes_of_a_habit = 3;

/// Turns, places and hand poses that act in full over whole takes, in layers that are neither muted nor weighed, on the
/// same bone by the same axes and at the same stage in at least `takes_of_a_habit` takes; turns within 2 degrees or a
/// quarter of each other, places within 1 cm or a quarter. The one on most takes first.
std::vector<Habit> find_habits(const std::map<std::string, TouchLayers>& by_take);

/// The layers of takes without what the habit is made of; layers and takes that are empty then go.
std::map<std::string, TouchLayers> without_habit(std::map<std::string, TouchLayers> by_take,
                                                 const Habit& habit);

}  // namespace nb
