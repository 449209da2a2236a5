// The review of a transfer as it was made, and the bars it is held against.
#pragma once
#include "core/review/review.hpp"
#include "core/solve/engine.hpp"

namespace nb {

Review review_result(const Character& source, const Character& target, const TransferResult& result);

/// The most a role's angular acceleration may be beside the source's.
inline constexpr double most_jitter = 1.3;

/// A measure of a whole transfer with the most it may be.
struct Bar {
    std::string name;  ///< with its unit: "slide_core_p95_cm_s"
    std::string text;  ///< for people
    double value = 0.0;
    double bar = 0.0;
    bool is_at_least = false;  ///< the value must not be below the bar
    bool is_met() const { return is_at_least ? value >= bar : value <= bar; }
};

/// Share of the frames of review windows in which the solve held that point too.
double cover_of(const std::vector<ReviewWindow>& windows, const Contacts& contacts);

/// What a person asked for does not count (core/review/asked.hpp): arms turned aside, arms that go by their tip, the
/// frames in which a hand is held, lengths that follow the source's.
std::vector<Bar> bars_of(const Review& review, const TransferResult& result, const PairingSettings& settings);

}  // namespace nb
