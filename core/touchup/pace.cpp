#include "core/touchup/pace.hpp"

#include <algorithm>
#include <cmath>

#include "core/motion/sample.hpp"

namespace nb {

namespace {

constexpr int fine = 16;  // steps a frame by which the clock is summed

}  // namespace

double Pace::to_new(double frame) const {
    const auto above = std::lower_bound(at.begin(), at.end(), frame);
    if (above == at.begin()) return 0.0;
    if (above == at.end()) return double(at.size()) - 1.0 + (frame - at.back());
    const double below = *(above - 1);
    return double(above - at.begin()) - (*above - frame) / (*above - below);
}

Pace pace_of(const Take& take, const TouchSpan& when, double percent, double start_s) {
    Pace pace;
    if (take.frames < 1) return pace;
    const double dt = take.frame_time_s;
    const int last = take.frames - 1;
    const int first_of_motion = std::min(take.first_motion_frame, last);
    const auto frame_of = [&](double t_s) { return (t_s - start_s) / dt; };
    const int from = when.is_whole
                         ? first_of_motion
                         : std::clamp(int(std::floor(frame_of(when.begin_s()))), first_of_motion, last);
    const int to = when.is_whole ? last : std::clamp(int(std::ceil(frame_of(when.end_s()))), from, last);
    const double target = std::max(1.0, percent) / 100.0;
    // New time at each fine step of the span, in frames.
    std::vector<double> clock{0.0};
    for (int i = 0; i < (to - from) * fine; ++i) {
        const double frame = from + (i + 0.5) / fine;
        const double w = when.weight(start_s + frame * dt);
        clock.push_back(clock.back() + 1.0 / (fine * (1.0 + w * (target - 1.0))));
    }
    const double wanted = clock.back();
    const int length = to > from ? std::max(1, int(std::lround(wanted))) : 0;
    pace.percent = wanted > 0.0 ? percent * wanted / length : 100.0;
    for (int f = 0; f < from; ++f) pace.at.push_back(f);
    size_t step = 0;
    for (int n = 0; n < length; ++n) {
        const double now = n * wanted / length;
        while (step + 2 < clock.size() && clock[step + 1] < now) ++step;
        const double u = (now - clock[step]) / (clock[step + 1] - clock[step]);
        pace.at.push_back(n == 0 ? from : from + (double(step) + u) / fine);
    }
    for (int f = to; f <= last; ++f) pace.at.push_back(f);
    return pace;
}

Take paced(const Take& take, const Pace& pace) {
    Take result = sampled(take, pace.at);
    for (Contact& contact : result.contacts.list) {
        contact.first = int(std::lround(pace.to_new(contact.first)));
        contact.last = int(std::lround(pace.to_new(contact.last)));
    }
    tidy_contacts(result.contacts, result.frames);
    return result;
}

}  // namespace nb
