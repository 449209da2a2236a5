// Touch-ups: few corrections of a transfer, each with the span of time it acts in, in layers.
//
// A layer is named, muted, weighed. What is given of a touch-up depends on its kind; what it does with it stands with
// the passes that run it. Times are seconds of the clock of the take's file, so that trims and rates do not move them.
#pragma once
#include <algorithm>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "core/body/hand_pose.hpp"
#include "core/body/turn_axes.hpp"
#include "core/math/rotation.hpp"

namespace nb {

enum class TouchKind { turn, place, body, hand, calm, damp, settle, loop, pace, straight };
std::string_view touch_kind_name(TouchKind kind);
std::optional<TouchKind> touch_kind(std::string_view name);

/// Where it acts: on the source, before everything; on the target's turns before reach and contacts, so that what is
/// held stays; after contacts, which it may break.
enum class TouchStage { source, angles, last };
std::string_view touch_stage_name(TouchStage stage);
std::optional<TouchStage> touch_stage(std::string_view name);

/// Arrive, hold, release. Seconds of the file's clock.
struct TouchSpan {
    bool is_whole = true;             ///< always in full; the rest says nothing then
    double from_s = 0.0, to_s = 0.0;  ///< in full between them
    double arrive_s = usual_ease_s;   ///< before `from_s`
    double release_s = usual_ease_s;  ///< after `to_s`

    static constexpr double usual_ease_s = 0.25;
    /// 0..1: exactly 1 within, exactly 0 from the ends of the eases on, between them u^2 (3 - 2u): continuous in value
    /// and slope. An ease of no length is a step.
    double weight(double t_s) const;
    /// Where it begins and ends to be anything, s.
    double begin_s() const { return from_s - arrive_s; }
    double end_s() const { return to_s + release_s; }
    bool operator==(const TouchSpan&) const = default;
};

struct TouchUp {
    TouchKind kind = TouchKind::turn;
    TouchStage stage = TouchStage::angles;
    TouchSpan when;
    std::string what;             ///< role, limb or chain; empty: the whole body
    bool has_other_side = false;  ///< mirrored onto the other side, too
    TurnAxes axes = TurnAxes::bone;
    Vec3 turn_rad = Vec3::Zero();  ///< turn, body: rotation vector in `axes`
    Vec3 place_m = Vec3::Zero();   ///< place, body: in `axes`
    std::string support;  ///< place: in the axes of this bone or prop of the take's file instead, as it moves
    std::string pose;     ///< hand: its name
    std::optional<HandPose> own_pose;  ///< hand: of one's own, not a shipped one
    double opening = 0.0;              ///< hand: 0 as posed .. 1 straight
    bool replaces = false;             ///< hand: instead of the take's own fingers, not over them
    double cut_off_hz = 6.0;           ///< calm
    double keep =
        0.0;  ///< calm: share of peaks of fast motion that is kept; damp: share of the amplitude; straight: of the bend
    double range_rad = 0.0;  ///< damp: held inside so much to either side of its middle; 0: scaled instead
    double percent = 100.0;  ///< pace
    bool has_travel = true;  ///< loop
    bool ends_stay =
        false;  ///< body: hands and feet where they were, as far as limbs reach; else they go with it
    bool operator==(const TouchUp&) const = default;
};

struct TouchLayer {
    std::string name;
    bool is_muted = false;
    double weight = 1.0;  ///< 0..1
    std::vector<TouchUp> touches;

    /// Does nothing: muted, weighed 0, empty.
    bool is_idle() const { return is_muted || weight <= 0.0 || touches.empty(); }
    bool operator==(const TouchLayer&) const = default;
};

/// In their order: turns multiply so.
using TouchLayers = std::vector<TouchLayer>;

/// Whether any touch-up of a layer that is not idle is so.
template <typename Is>
bool any_touch(const TouchLayers& layers, const Is& is) {
    return std::any_of(layers.begin(), layers.end(), [&](const TouchLayer& layer) {
        return !layer.is_idle() && std::any_of(layer.touches.begin(), layer.touches.end(), is);
    });
}

/// The layers with those touch-ups alone that are so.
template <typename Is>
TouchLayers touches_that(TouchLayers layers, const Is& is) {
    for (TouchLayer& layer : layers)
        std::erase_if(layer.touches, [&](const TouchUp& touch) { return !is(touch); });
    return layers;
}

}  // namespace nb
