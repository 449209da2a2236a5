// strangers: bodies nobody here made, read by the program; prints the table of what is right.
//   strangers [--count N] [--first SEED] [--list] [--confused] [--draw out.svg [--found]] [--seed S ...]
//            [--dump] [--names 0..3] [--samples] [--reliability out.svg]
#include <fmt/format.h>

#include <cmath>
#include <cstdio>
#include <cstdlib>
#include <fstream>
#include <numeric>
#include <string>

#include "core/body/propose.hpp"
#include "tests/support/stranger_score.hpp"

using namespace nb;
using namespace nb::test;

namespace {

void print_most(const std::map<std::string, int>& what, size_t most) {
    std::vector<std::pair<int, std::string>> order;
    for (const auto& [text, times] : what) order.emplace_back(times, text);
    std::sort(order.rbegin(), order.rend());
    for (size_t i = 0; i < std::min(order.size(), most); ++i)
        fmt::print("  {:>5} x {}\n", order[i].first, order[i].second);
}

/// Kind, share of the readings, right or not: for tools/fit-confidence. Only where sides are known.
void print_samples(const Stranger& stranger) {
    RoleRequest request;
    request.skin = measure_skin(stranger.skeleton, stranger.meshes);
    request.is_confidence_plain = true;
    const RoleMap map = propose_roles(stranger.skeleton, request);
    const RoleFill* thigh = map.fill("thigh.left");
    if (!stranger.is_facing_known || !thigh || thigh->confidence < 0.3) return;
    for (const RoleFill& fill : map.fills) {
        const std::string part = role_part(fill.role);
        if (part == "root" || part == "eye" || part == "jaw" || part == "ear") continue;
        const bool is_trunk = role_side(fill.role) == Side::none && part != "tail";
        const char* kind = is_finger_role(fill.role)                          ? "finger"
                           : is_trunk                                         ? "trunk"
                           : part == "toe" || part == "paw" || part == "tail" ? "end"
                                                                              : "limb";
        const double side = is_trunk || part == "tail" ? 1.0 : 0.995;
        fmt::print("{} {:.5f} {}\n", kind, std::min(0.99, fill.confidence / side),
                   int(is_right(stranger, fill.role, fill.joint)));
    }
}

/// How often a role is right by how sure it is shown, ten bins; a square's area is how many are shown so.
std::string draw_reliability(int count) {
    constexpr double w = 360, h = 330, left = 46, side = 270;
    std::string svg = fmt::format(
        "<svg xmlns='http://www.w3.org/2000/svg' width='{}' height='{}' font-family='sans-serif' "
        "font-size='11'>"
        "<rect width='100%' height='100%' fill='#f4efe4'/>\n",
        2 * w, 2 * h + 40);
    int row = 0;
    for (const auto& [set, seed] :
         {std::pair{"tuned", tuned_seed}, std::pair{"kept out", kept_out_stranger_seed}}) {
        int column = 0;
        for (const auto& [kind, name] :
             {std::pair{StrangerNames::off, "names off"}, std::pair{StrangerNames::telling, "names on"}}) {
            const StrangerScore s = run_strangers(seed, count, kind).all;
            const double x0 = column++ * w + left;
            const double y0 = row * h + 34;
            svg +=
                fmt::format("<text x='{}' y='{}' font-weight='bold'>{}, {}</text>\n", x0, y0 - 12, set, name);
            svg += fmt::format("<rect x='{}' y='{}' width='{}' height='{}' fill='none' stroke='#6b6558'/>\n",
                               x0, y0, side, side);
            svg += fmt::format("<line x1='{}' y1='{}' x2='{}' y2='{}' stroke='#a9a294'/>\n", x0, y0 + side,
                               x0 + side, y0);
            const double all = std::accumulate(s.shown.begin(), s.shown.end(), 0.0);
            for (size_t bin = 0; bin < 10; ++bin) {
                if (s.shown[bin] == 0) continue;
                const double right = double(s.right[bin]) / s.shown[bin];
                const double size = 4.0 + 26.0 * std::sqrt(s.shown[bin] / all);
                const double x = x0 + side * (double(bin) + 0.5) / 10.0;
                const double y = y0 + side * (1.0 - right);
                svg += fmt::format(
                    "<rect x='{:.1f}' y='{:.1f}' width='{:.1f}' height='{:.1f}' fill='#26323f'/>\n",
                    x - 0.5 * size, y - 0.5 * size, size, size);
                svg += fmt::format(
                    "<text x='{:.1f}' y='{:.1f}' font-size='8' text-anchor='middle' "
                    "fill='#6b6558'>{}</text>\n",
                    x, y0 + side - 4, s.shown[bin]);
            }
            for (int tick = 0; tick <= 10; tick += 2) {
                svg += fmt::format("<text x='{}' y='{}' text-anchor='middle'>{:.1f}</text>\n",
                                   x0 + side * tick / 10.0, y0 + side + 14, tick / 10.0);
                svg += fmt::format("<text x='{}' y='{}' text-anchor='end'>{:.1f}</text>\n", x0 - 5,
                                   y0 + side - side * tick / 10.0 + 4, tick / 10.0);
            }
        }
        ++row;
    }
    for (const auto& [line, text] :
         {std::pair{16.0, "across: how sure a role is shown; up: share of such roles that are right"},
          std::pair{30.0, "a square's area, and the number below it: how many roles are shown so"}})
        svg += fmt::format("<text x='{}' y='{}'>{}</text>\n", left, 2 * h + line, text);
    return svg + "</svg>\n";
}

}  // namespace

int main(int count_of_words, char** words) {
    int count = 500;
    std::uint64_t first = 0;
    bool is_listed = false, is_confused = false, has_found = false, is_dumped = false, is_sampled = false;
    std::string draw, reliability;
    std::vector<std::uint64_t> seeds;
    StrangerNames only = StrangerNames::off;
    for (int i = 1; i < count_of_words; ++i) {
        const std::string word = words[i];
        const auto next = [&] { return i + 1 < count_of_words ? std::string(words[++i]) : std::string(); };
        if (word == "--count") count = std::atoi(next().c_str());
        if (word == "--first") first = std::strtoull(next().c_str(), nullptr, 10);
        if (word == "--list") is_listed = true;
        if (word == "--confused") is_confused = true;
        if (word == "--found") has_found = true;
        if (word == "--dump") is_dumped = true;
        if (word == "--samples") is_sampled = true;
        if (word == "--names") only = StrangerNames(std::atoi(next().c_str()));
        if (word == "--draw") draw = next();
        if (word == "--reliability") reliability = next();
        if (word == "--seed") seeds.push_back(std::strtoull(next().c_str(), nullptr, 10));
    }
    if (is_dumped)
        for (const auto seed : seeds) {
            const Stranger s = make_stranger(seed, only);
            const RoleMap map = read_stranger(s);
            const Pose pose = rest_pose(s.skeleton);
            fmt::print("{} {}\n read as {}\n", seed, s.what, map.plan);
            for (const auto& note : map.notes) fmt::print(" note: {}\n", note);
            std::vector<int> depth(s.skeleton.names.size(), 0);
            for (int j = 0; j < s.skeleton.size(); ++j) {
                const int parent = s.skeleton.parents[size_t(j)];
                if (parent >= 0) depth[size_t(j)] = depth[size_t(parent)] + 1;
                std::string known;
                for (const auto& [role, k] : s.joint_of_role)
                    if (k == j) known = role;
                const RoleFill* fill = map.fill(map.role_of(j));
                fmt::print("{}{:>3} {} [{:.3f} {:.3f} {:.3f}] {} | {} {:.2f}{}\n",
                           std::string(size_t(2 * depth[size_t(j)]), ' '), j, s.skeleton.names[size_t(j)],
                           pose.p[size_t(j)].x(), pose.p[size_t(j)].y(), pose.p[size_t(j)].z(),
                           known.empty() ? "(" + s.tray.at(j) + ")" : known, fill ? fill->role : "-",
                           fill ? fill->confidence : 0.0, (fill ? fill->role : "") != known ? "  <<<" : "");
            }
        }
    if (!reliability.empty()) {
        std::ofstream(reliability) << draw_reliability(count);
        return 0;
    }
    if (is_sampled) {
        for (int i = 0; i < count; ++i)
            for (const auto kind : {StrangerNames::off, StrangerNames::telling, StrangerNames::partial})
                print_samples(make_stranger(first + std::uint64_t(i), kind));
        return 0;
    }
    if (!draw.empty()) {
        std::vector<Stranger> all;
        if (seeds.empty())
            for (int i = 0; i < 48; ++i) seeds.push_back((first ? first : tuned_seed) + std::uint64_t(i));
        for (const auto seed : seeds) all.push_back(make_stranger(seed, only));
        std::ofstream(draw) << draw_strangers(all, has_found, seeds.size() > 12 ? 6 : 5);
        return 0;
    }
    if (is_dumped) return 0;
    const std::vector<std::pair<std::string, std::uint64_t>> sets =
        first ? std::vector<std::pair<std::string, std::uint64_t>>{{"", first}}
              : std::vector<std::pair<std::string, std::uint64_t>>{{"tuned", tuned_seed},
                                                                   {"kept out", kept_out_stranger_seed}};
    fmt::print("{}", table_head());
    for (const auto& [set, seed] : sets)
        for (const auto& [kind, name] :
             {std::pair{StrangerNames::off, "names off"}, std::pair{StrangerNames::telling, "names on"},
              std::pair{StrangerNames::partial, "names in part"},
              std::pair{StrangerNames::misleading, "names exchanged"}}) {
            const StrangerRun run = run_strangers(seed, count, kind);
            fmt::print("{}", table_line(fmt::format("{} {}", set, name), run));
            if (is_listed)
                for (size_t i = 0; i < std::min<size_t>(run.each.size(), 12); ++i)
                    fmt::print("  {:>5.1f}% {} {}\n", 100 * run.each[i].first, run.each[i].second,
                               make_stranger(run.each[i].second, kind).what);
            if (is_listed)
                for (size_t i = 0; i < 12 && run.by_fingers[i].first < 1.0; ++i)
                    fmt::print("  fingers {:>5.1f}% {} {}\n", 100 * run.by_fingers[i].first,
                               run.by_fingers[i].second, make_stranger(run.by_fingers[i].second, kind).what);
            if (is_listed)
                for (const auto wrong : run.swapped)
                    fmt::print("  swapped {} {}\n", wrong, make_stranger(wrong, kind).what);
            if (is_confused) {
                print_most(run.all.confused, 25);
                fmt::print(" wrong though 0.9 sure:\n");
                print_most(run.all.sure_wrong, 12);
                fmt::print(" by tenth:");
                for (size_t i = 0; i < 10; ++i) fmt::print(" {}/{}", run.all.right[i], run.all.shown[i]);
                fmt::print("\n");
            }
            std::fflush(stdout);
        }
    return 0;
}
