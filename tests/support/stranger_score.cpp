#include "tests/support/stranger_score.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <chrono>
#include <numeric>

#include "core/body/propose.hpp"

namespace nb::test {

void StrangerScore::add(const StrangerScore& o) {
    body += o.body;
    body_right += o.body_right;
    fingers += o.fingers;
    fingers_right += o.fingers_right;
    tails += o.tails;
    tails_right += o.tails_right;
    swapped += o.swapped;
    plans += o.plans;
    plans_right += o.plans_right;
    sure += o.sure;
    sure_right += o.sure_right;
    ms += o.ms;
    for (size_t i = 0; i < shown.size(); ++i) {
        shown[i] += o.shown[i];
        right[i] += o.right[i];
    }
    for (const auto& [what, times] : o.confused) confused[what] += times;
    for (const auto& [what, times] : o.sure_wrong) sure_wrong[what] += times;
}

RoleMap read_stranger(const Stranger& stranger) {
    RoleRequest request;
    request.skin = measure_skin(stranger.skeleton, stranger.meshes);
    return propose_roles(stranger.skeleton, request);
}

namespace {

/// Where nothing in the body says where ahead is, its sides may be read either way.
Stranger as_read(Stranger stranger, const RoleMap& map) {
    if (stranger.is_facing_known || !stranger.joint_of_role.contains("thigh.right")) return stranger;
    if (map.joint("thigh.left") != stranger.joint_of_role.at("thigh.right")) return stranger;
    std::map<std::string, int> mirrored;
    for (const auto& [role, joint] : stranger.joint_of_role) mirrored[mirrored_role(role)] = joint;
    stranger.joint_of_role = mirrored;
    std::map<std::string, std::set<int>> also;
    for (const auto& [role, joints] : stranger.also) also[mirrored_role(role)] = joints;
    stranger.also = also;
    return stranger;
}

}  // namespace

StrangerScore score_stranger(const Stranger& known_stranger, const RoleMap& map) {
    const Stranger stranger = as_read(known_stranger, map);
    StrangerScore score;
    score.plans = 1;
    score.plans_right = map.plan == stranger.plan;
    int crossed = 0;
    int sided = 0;
    const auto taken_for = [&](int joint) {
        const std::string role = map.role_of(joint);
        return role.empty() ? std::string("none") : role;
    };
    const auto plain = [](const std::string& role) {
        const Side side = role_side(role);
        return side == Side::none ? role_part(role) : role.substr(0, role.rfind('.'));
    };
    for (const auto& [role, joint] : stranger.joint_of_role) {
        const std::string part = role_part(role);
        const int found = map.joint(role);
        bool is_right_here = is_right(stranger, role, found);
        // Spine and neck bones count by their bone: the number in the series is another matter.
        if (part == "spine" || part == "neck") is_right_here = role_part(map.role_of(joint)) == part;
        if (part == "tail") {
            ++score.tails;
            score.tails_right += is_right_here;
        } else if (is_finger_role(role)) {
            ++score.fingers;
            score.fingers_right += is_right_here;
        } else {
            ++score.body;
            score.body_right += is_right_here;
            if (role_side(role) != Side::none) {
                ++sided;
                const auto mirror = stranger.joint_of_role.find(mirrored_role(role));
                const RoleFill* fill = map.fill(role);
                crossed += mirror != stranger.joint_of_role.end() && fill && fill->joint == mirror->second &&
                           !fill->is_unsure();
            }
        }
        if (!is_right_here) ++score.confused[plain(role) + " -> " + plain(taken_for(joint))];
    }
    score.swapped = stranger.is_facing_known && crossed > 0 && 4 * crossed >= sided;
    for (const RoleFill& fill : map.fills) {
        const std::string part = role_part(fill.role);
        if (part == "root" || part == "eye" || part == "jaw" || part == "ear") continue;
        const bool is_right_here = is_right(stranger, fill.role, fill.joint);
        const size_t bin = std::min<size_t>(9, size_t(fill.confidence * 10.0));
        ++score.shown[bin];
        score.right[bin] += is_right_here;
        if (fill.confidence >= 0.9) {
            ++score.sure;
            score.sure_right += is_right_here;
            if (!is_right_here) ++score.sure_wrong[plain(fill.role)];
        }
    }
    return score;
}

StrangerRun run_strangers(std::uint64_t first_seed, int count, StrangerNames names) {
    StrangerRun run;
    for (int i = 0; i < count; ++i) {
        const Stranger stranger = make_stranger(first_seed + std::uint64_t(i), names);
        const auto start = std::chrono::steady_clock::now();
        const RoleMap map = read_stranger(stranger);
        const auto end = std::chrono::steady_clock::now();
        StrangerScore score = score_stranger(stranger, map);
        score.ms = std::chrono::duration<double, std::milli>(end - start).count();
        run.worst = std::min(run.worst, score.body_share());
        run.each.emplace_back(score.body_share() + 0.01 * score.finger_share(), stranger.seed);
        run.by_fingers.emplace_back(score.finger_share(), stranger.seed);
        if (score.swapped) run.swapped.push_back(stranger.seed);
        run.all.add(score);
    }
    std::sort(run.each.begin(), run.each.end());
    std::sort(run.by_fingers.begin(), run.by_fingers.end());
    return run;
}

std::string table_head() {
    return fmt::format("{:<26} {:>7} {:>7} {:>7} {:>7} {:>7} {:>7} {:>9} {:>7} {:>8}\n", "", "body", "worst",
                       "fingers", "tails", "plan", "swapped", "0.9 sure", "right", "ms each");
}

std::string table_line(const std::string& name, const StrangerRun& run) {
    const StrangerScore& s = run.all;
    const auto share = [](int right, int all) { return all ? 100.0 * right / all : 100.0; };
    return fmt::format(
        "{:<26} {:>6.2f}% {:>6.1f}% {:>6.1f}% {:>6.1f}% {:>6.1f}% {:>7} {:>8.1f}% {:>6.2f}% {:>8.2f}\n", name,
        share(s.body_right, s.body), 100 * run.worst, share(s.fingers_right, s.fingers),
        share(s.tails_right, s.tails), share(s.plans_right, s.plans), s.swapped,
        share(s.sure, std::accumulate(s.shown.begin(), s.shown.end(), 0)), share(s.sure_right, s.sure),
        s.ms / double(std::max<size_t>(1, run.each.size())));
}

std::string draw_strangers(const std::vector<Stranger>& strangers, bool has_found, int columns) {
    constexpr double cell_w = 330, cell_h = 300;
    const int rows = (int(strangers.size()) + columns - 1) / columns;
    std::string svg = fmt::format(
        "<svg xmlns='http://www.w3.org/2000/svg' width='{}' height='{}' font-family='sans-serif' "
        "font-size='6'>"
        "<rect width='100%' height='100%' fill='#f4efe4'/>\n",
        columns * cell_w, rows * cell_h);
    for (size_t i = 0; i < strangers.size(); ++i) {
        const Stranger& s = strangers[i];
        const Pose pose = rest_pose(s.skeleton);
        const RoleMap map = has_found ? read_stranger(s) : RoleMap{};
        // Into the body's own axes, by what the grammar says of it.
        const auto at = [&](const char* role) { return pose.p[size_t(s.joint_of_role.at(role))]; };
        const Vec3 left = (at("thigh.left") - at("thigh.right")).normalized();
        Vec3 ahead = s.plan == "quadruped" ? Vec3(at("chest") - at("hips"))
                                           : Vec3(left.cross(at("head") - at("hips")));
        ahead = (ahead - ahead.dot(left) * left).normalized();
        const Vec3 up = ahead.cross(left);
        Vec3 low = Vec3::Constant(1e9);
        Vec3 high = Vec3::Constant(-1e9);
        std::vector<Vec3> p;
        for (const Vec3& q : pose.p) {
            p.emplace_back(q.dot(left), q.dot(up), q.dot(ahead));
            low = low.cwiseMin(p.back());
            high = high.cwiseMax(p.back());
        }
        const double x0 = double(i % size_t(columns)) * cell_w;
        const double y0 = double(i / size_t(columns)) * cell_h;
        const Vec3 size = high - low;
        const double k = std::min((cell_h - 60) / size.y(), (cell_w - 30) / (size.x() + size.z()));
        const auto place = [&](const Vec3& q, bool is_side) {
            const double u = is_side ? size.x() + 0.04 * size.y() + (q.z() - low.z()) : high.x() - q.x();
            return std::pair{x0 + 12 + k * u, y0 + cell_h - 14 - k * (q.y() - low.y())};
        };
        std::string text = s.what;
        for (size_t line = 0; line < 4 && !text.empty(); ++line) {
            const std::string piece = text.size() > 100 ? text.substr(0, text.rfind(' ', 100)) : text;
            svg += fmt::format("<text x='{}' y='{}'>{}{}</text>\n", x0 + 8, y0 + 10 + 8 * double(line),
                               line == 0 ? fmt::format("{} ", s.seed) : "", piece);
            text = text.substr(std::min(text.size(), piece.size() + 1));
        }
        std::map<int, std::string> role_of;
        for (const auto& [role, j] : s.joint_of_role) role_of[j] = role;
        for (const bool is_side : {false, true})
            for (int j = 0; j < s.skeleton.size(); ++j) {
                const int parent = s.skeleton.parents[size_t(j)];
                const auto [x, y] = place(p[size_t(j)], is_side);
                const bool has_role = role_of.contains(j);
                if (parent >= 0) {
                    const auto [px, py] = place(p[size_t(parent)], is_side);
                    svg += fmt::format(
                        "<line x1='{:.1f}' y1='{:.1f}' x2='{:.1f}' y2='{:.1f}' stroke='{}' "
                        "stroke-width='{}'/>\n",
                        px, py, x, y, has_role ? "#26323f" : "#a9a294", has_role ? 1.1 : 0.6);
                }
                const std::string found = has_found ? map.role_of(j) : std::string();
                const std::string& known = has_role ? role_of[j] : "";
                const bool is_wrong = has_found && found != known &&
                                      !(role_part(found) == role_part(known) &&
                                        (role_part(known) == "spine" || role_part(known) == "neck")) &&
                                      found != "root" && !(known.empty() && is_right(s, found, j)) &&
                                      !found.starts_with("eye") && found != "jaw";
                svg += fmt::format("<circle cx='{:.1f}' cy='{:.1f}' r='{}' fill='{}'/>\n", x, y,
                                   is_wrong ? 2.6 : 1.4,
                                   is_wrong   ? "#000000"
                                   : has_role ? "#26323f"
                                              : "#a9a294");
                const bool is_small = has_role && is_finger_role(known);
                if (is_wrong && !is_small)
                    svg += fmt::format("<text x='{:.1f}' y='{:.1f}'>{} as {}</text>\n", x + 3, y - 1,
                                       known.empty() ? "none" : known, found.empty() ? "none" : found);
                else if (has_role && !is_side && !is_small && known.ends_with(".left"))
                    svg += fmt::format("<text x='{:.1f}' y='{:.1f}' fill='#6b6558'>{}</text>\n", x + 2, y - 1,
                                       known.substr(0, known.size() - 5));
                else if (has_role && is_side && role_side(known) == Side::none)
                    svg += fmt::format("<text x='{:.1f}' y='{:.1f}' fill='#6b6558'>{}</text>\n", x + 2, y - 1,
                                       known);
            }
    }
    return svg + "</svg>\n";
}

}  // namespace nb::test
