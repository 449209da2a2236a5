#include "core/body/touch_layers.hpp"

#include <algorithm>
#include <array>
#include <utility>

#include "core/base/name_table.hpp"
#include "core/math/hermite.hpp"

namespace nb {

namespace {

constexpr std::array<std::pair<TouchKind, std::string_view>, 10> kinds{{{TouchKind::turn, "turn"},
                                                                        {TouchKind::place, "place"},
                                                                        {TouchKind::body, "body"},
                                                                        {TouchKind::hand, "hand"},
                                                                        {TouchKind::calm, "calm"},
                                                                        {TouchKind::damp, "damp"},
                                                                        {TouchKind::settle, "settle"},
                                                                        {TouchKind::loop, "loop"},
                                                                        {TouchKind::pace, "pace"},
                                                                        {TouchKind::straight, "straight"}}};
constexpr std::array<std::pair<TouchStage, std::string_view>, 3> stages{
    {{TouchStage::source, "source"}, {TouchStage::angles, "angles"}, {TouchStage::last, "last"}}};

}  // namespace

std::string_view touch_kind_name(TouchKind kind) {
    return name_in(kinds, kind);
}
std::optional<TouchKind> touch_kind(std::string_view name) {
    return value_in(kinds, name);
}
std::string_view touch_stage_name(TouchStage stage) {
    return name_in(stages, stage);
}
std::optional<TouchStage> touch_stage(std::string_view name) {
    return value_in(stages, name);
}

double TouchSpan::weight(double t_s) const {
    if (is_whole || (t_s >= from_s && t_s <= to_s)) return 1.0;
    const double beside = t_s < from_s ? from_s - t_s : t_s - to_s;
    const double ease = t_s < from_s ? arrive_s : release_s;
    return beside >= ease ? 0.0 : smooth_step(1.0 - beside / ease);
}

}  // namespace nb
