#include "core/handover/fbx_angles.hpp"

#include <fmt/format.h>

#include <array>
#include <charconv>
#include <cmath>
#include <map>
#include <string_view>
#include <vector>

namespace nb {

namespace {

using Angles = std::array<double, 3>;

/// The numbers of a curve and where they stand in the text.
struct Curve {
    size_t from = 0, to = 0;
    std::vector<double> values;
};

long long number_after(std::string_view text, size_t at) {
    while (at < text.size() && text[at] == ' ') ++at;
    long long value = -1;
    std::from_chars(text.data() + at, text.data() + text.size(), value);
    return value;
}

std::map<long long, Curve> curves_of(const std::string& text) {
    constexpr std::string_view curve_word = "AnimationCurve: ", values_word = "KeyValueFloat: ";
    std::map<long long, Curve> curves;
    for (size_t at = text.find(curve_word); at != std::string::npos; at = text.find(curve_word, at + 1)) {
        const size_t values = text.find(values_word, at);
        const size_t open = values == std::string::npos ? values : text.find("a:", values);
        const size_t close = open == std::string::npos ? open : text.find('}', open);
        if (close == std::string::npos) break;
        Curve curve{open + 2, close, {}};
        const char* now = text.data() + curve.from;
        const char* const end = text.data() + close;
        while (now < end) {
            double value = 0.0;
            const auto [next, error] = std::from_chars(now, end, value);
            if (error == std::errc()) curve.values.push_back(value);
            now = error == std::errc() ? next : now + 1;
        }
        curves[number_after(text, at + curve_word.size())] = std::move(curve);
    }
    return curves;
}

/// The curves of X, Y, Z of each rotation, by their numbers.
std::vector<std::array<long long, 3>> rotations_of(const std::string& text) {
    constexpr std::string_view node_word = "AnimationCurveNode: ", link_word = "C: \"OP\",";
    std::map<long long, std::array<long long, 3>> nodes;
    for (size_t at = text.find(node_word); at != std::string::npos; at = text.find(node_word, at + 1)) {
        const std::string_view line(text.data() + at, text.find('\n', at) - at);
        if (line.find("AnimCurveNode::R\"") != line.npos)
            nodes[number_after(text, at + node_word.size())] = {-1, -1, -1};
    }
    for (size_t at = text.find(link_word); at != std::string::npos; at = text.find(link_word, at + 1)) {
        const std::string_view line(text.data() + at, text.find('\n', at) - at);
        const size_t axis = line.find("\"d|");
        const size_t comma = line.find(',', link_word.size());
        if (axis == line.npos || comma == line.npos || axis + 3 >= line.size()) continue;
        const auto node = nodes.find(number_after(line, comma + 1));
        const int which = line[axis + 3] - 'X';
        if (node != nodes.end() && which >= 0 && which < 3)
            node->second[size_t(which)] = number_after(line, link_word.size());
    }
    std::vector<std::array<long long, 3>> all;
    all.reserve(nodes.size());
    for (const auto& [node, of] : nodes) all.push_back(of);
    return all;
}

double nearest_turn(double angle, double to) {
    return angle + 360.0 * std::round((to - angle) / 360.0);
}

Angles led_on(const Angles& now, const Angles& before) {
    Angles best = now;
    double least = 1e300;
    for (const Angles& same : {now, Angles{now[0] + 180.0, 180.0 - now[1], now[2] + 180.0}}) {
        Angles near{};
        double way = 0.0;
        for (size_t i = 0; i < 3; ++i) {
            near[i] = nearest_turn(same[i], before[i]);
            way += std::abs(near[i] - before[i]);
        }
        if (way >= least) continue;
        least = way;
        best = near;
    }
    return best;
}

std::string text_of(const std::vector<double>& values) {
    constexpr size_t a_line = 100;
    std::string text = " ";
    for (size_t i = 0; i < values.size(); ++i) {
        if (i > 0) text += i % a_line == 0 ? ",\n" : ",";
        text += fmt::format("{:.9g}", values[i]);
    }
    return text + "\n\t\t";
}

}  // namespace

std::string lead_angles_on(const std::string& fbx) {
    std::map<long long, Curve> curves = curves_of(fbx);
    std::map<size_t, const Curve*> changed;  // by where it stands
    for (const auto& of : rotations_of(fbx)) {
        std::array<Curve*, 3> xyz{};
        for (size_t i = 0; i < 3; ++i)
            if (const auto found = curves.find(of[i]); found != curves.end()) xyz[i] = &found->second;
        if (!xyz[0] || !xyz[1] || !xyz[2] || xyz[0]->values.size() != xyz[1]->values.size() ||
            xyz[0]->values.size() != xyz[2]->values.size())
            continue;
        const auto at = [&](size_t k) {
            return Angles{xyz[0]->values[k], xyz[1]->values[k], xyz[2]->values[k]};
        };
        bool is_changed = false;
        for (size_t k = 1; k < xyz[0]->values.size(); ++k) {
            const Angles now = at(k), better = led_on(now, at(k - 1));
            is_changed |= better != now;
            for (size_t i = 0; i < 3; ++i) xyz[i]->values[k] = better[i];
        }
        if (is_changed)
            for (const Curve* one : xyz) changed[one->from] = one;
    }
    std::string text;
    size_t done = 0;
    for (const auto& [from, curve] : changed) {
        text.append(fbx, done, from - done);
        text += text_of(curve->values);
        done = curve->to;
    }
    return text.append(fbx, done);
}

}  // namespace nb
