#include "core/contact/touch_spans.hpp"

#include <algorithm>
#include <cmath>
#include <map>
#include <tuple>
#include <utility>

namespace nb {

namespace {

constexpr double end_over_least_m = 0.01;
constexpr double lands_m_s = 0.03;
constexpr double stays_m = 0.03;

/// [first, last) without its ends in which it still comes or already goes.
void trim(const std::vector<Nearest>& along, double frame_time_s, double least, int& first, int& last) {
    const auto h = [&](int f) { return along[size_t(f)].h_m; };
    const double most = std::max(least, 0.0) + end_over_least_m;
    const auto is_on_its_way = [&](int f) {
        const int a = std::max(f - 1, 0), b = std::min(f + 1, int(along.size()) - 1);
        return std::abs(h(b) - h(a)) > lands_m_s * (b - a) * frame_time_s;
    };
    while (first < last && (h(first) > most || is_on_its_way(first))) ++first;
    while (last > first && (h(last - 1) > most || is_on_its_way(last - 1))) --last;
}

}  // namespace

std::vector<TouchSpanFound> touch_spans(const std::vector<Nearest>& along, int first_frame,
                                        double frame_time_s,
                                        const std::function<Vec3(int part, int point, int frame)>& place_m,
                                        const TouchRules& rules) {
    std::vector<TouchSpanFound> found;
    const int frames = int(along.size());
    for (int f = first_frame; f < frames; ++f) {
        if (along[size_t(f)].h_m >= rules.enter_m) continue;
        TouchSpanFound span;
        span.first = f;
        span.last = f + 1;
        span.least_m = along[size_t(f)].h_m;
        for (; span.last < frames && along[size_t(span.last)].h_m < rules.leave_m; ++span.last)
            span.least_m = std::min(span.least_m, along[size_t(span.last)].h_m);
        f = span.last;
        trim(along, frame_time_s, span.least_m, span.first, span.last);
        span.seconds = (span.last - span.first) * frame_time_s;
        if (span.last - span.first < 2 || span.seconds < rules.least_s) continue;
        std::map<std::pair<int, int>, int> count;
        for (int g = span.first; g < span.last; ++g) ++count[{along[size_t(g)].part, along[size_t(g)].point}];
        std::tie(span.part, span.point) =
            std::max_element(count.begin(), count.end(), [](const auto& a, const auto& b) {
                return a.second < b.second;
            })->first;
        const Vec3 begin = place_m(span.part, span.point, span.first);
        for (int g = span.first; g < span.last; ++g)
            if ((place_m(span.part, span.point, g) - begin).norm() > stays_m) span.kind = ContactKind::slide;
        found.push_back(span);
    }
    return found;
}

}  // namespace nb
