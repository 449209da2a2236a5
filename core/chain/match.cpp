#include "core/chain/match.hpp"

#include <cstddef>
#include <numeric>

namespace nb {

namespace {
constexpr double no_length_m = 1e-6;
}

std::vector<ChainSample> match_chain(const std::vector<double>& source, const std::vector<double>& target) {
    std::vector<ChainSample> samples(target.size());
    if (source.empty()) return samples;
    if (source.size() == target.size()) {
        for (size_t i = 0; i < target.size(); ++i) samples[i] = {int(i), int(i), 0.0};
        return samples;
    }
    const double source_whole = std::accumulate(source.begin(), source.end(), 0.0);
    const double target_whole = std::accumulate(target.begin(), target.end(), 0.0);
    struct Knot {
        double s;
        int bone;
    };
    std::vector<Knot> knots{{0.0, -1}};
    double length = 0.0;
    const int last = int(source.size()) - 1;
    for (int i = 0; i <= last; ++i) {
        length += source[size_t(i)];
        if (source[size_t(i)] > no_length_m)
            knots.push_back({source_whole > no_length_m ? length / source_whole : 1.0, i});
        else if (i == last) {
            // The last bone carries what follows: its rotation ends the curve even without length.
            if (knots.size() > 1)
                knots.back().bone = i;
            else
                knots.push_back({1.0, i});
        }
    }
    knots.back().s = 1.0;
    double end = 0.0;
    for (size_t j = 0; j < target.size(); ++j) {
        end += target[j];
        const bool is_last = j + 1 == target.size();
        const double s = is_last || target_whole <= no_length_m ? 1.0 : end / target_whole;
        size_t k = 1;
        while (k + 1 < knots.size() && knots[k].s < s) ++k;
        const double from = knots[k - 1].s;
        const double u = knots[k].s > from ? (s - from) / (knots[k].s - from) : 1.0;
        if (u >= 1.0 - 1e-12)
            samples[j] = {knots[k].bone, knots[k].bone, 0.0};
        else if (u <= 1e-12)
            samples[j] = {knots[k - 1].bone, knots[k - 1].bone, 0.0};
        else
            samples[j] = {knots[k - 1].bone, knots[k].bone, u};
    }
    return samples;
}

}  // namespace nb
