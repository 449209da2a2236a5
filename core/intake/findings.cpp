// Longer than other files: one kind of finding a function, in the order in which they are told; a reader looks
// for one of them.
#include "core/intake/findings.hpp"
#include "core/intake/travel.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <filesystem>
#include <functional>
#include <optional>
#include <set>

#include "core/body/measures.hpp"
#include "core/intake/along.hpp"
#include "core/intake/repair.hpp"
#include "core/intake/take_faults.hpp"
#include "core/rig/units.hpp"

namespace nb {

std::vector<double> bind_differences_deg(const Skeleton& skeleton) {
    std::vector<double> degrees;
    if (skeleton.bind_R.empty()) return degrees;
    degrees.reserve(skeleton.rest_R.size());
    for (size_t j = 0; j < skeleton.rest_R.size(); ++j)
        degrees.push_back(rad_to_deg(angle_between(skeleton.bind_R[j], skeleton.rest_R[j])));
    return degrees;
}

namespace {

class Finder {
  public:
    Finder(const LoadedFile& file, const Character* partner)
        : file_(file), c_(file.character), rig_(c_.rig), s_(rig_.skeleton), partner_(partner) {
        std::string why;
        has_body_ = can_be_transferred(c_.roles, why);
        stature_ = has_body_ ? body_height(s_, c_.roles) : 0.0;
    }

    std::vector<Finding> find() {
        unit();
        axes();
        trees();
        nodes();
        scale();
        names();
        rest();
        place();
        lengths();
        skin();
        if (file_.take) take();
        if (partner_) compare_with_partner();
        std::stable_sort(all_.begin(), all_.end(), [](const Finding& a, const Finding& b) {
            const auto rank = [](Finding::State s) {
                return s == Finding::State::open ? 0 : s == Finding::State::done ? 1 : 2;
            };
            return rank(a.state) < rank(b.state);
        });
        return std::move(all_);
    }

  private:
    const LoadedFile& file_;
    const Character& c_;
    const Rig& rig_;
    const Skeleton& s_;
    const Character* partner_;
    bool has_body_ = false;
    double stature_ = 0.0;
    std::vector<Finding> all_;

    Finding& add(std::string kind, Finding::State state, std::string what, std::string evidence) {
        Finding finding;
        finding.kind = std::move(kind);
        finding.what = std::move(what);
        finding.evidence = std::move(evidence);
        finding.state = state;
        all_.push_back(std::move(finding));
        return all_.back();
    }
    const std::string& name(int joint) const { return s_.names[size_t(joint)]; }
    std::string some(const std::vector<std::string>& names, size_t most = 4) const {
        if (names.size() <= most) return fmt::format("{}", fmt::join(names, ", "));
        return fmt::format("{} and {} more",
                           fmt::join(names.begin(), names.begin() + std::ptrdiff_t(most), ", "),
                           names.size() - most);
    }
    std::string some(const std::vector<int>& joints, size_t most = 4) const {
        std::vector<std::string> names;
        names.reserve(joints.size());
        for (const int j : joints) names.push_back(name(j));
        return some(names, most);
    }
    LoadOptions with(const std::function<void(LoadOptions&)>& change) const {
        LoadOptions options = rig_.options;
        change(options);
        return options;
    }

    void unit() {
        const FileConventions& of = rig_.conventions;
        const double height = stature_;
        const bool is_odd = has_body_ && !c_.roles.is_four_legged() && (height < 0.6 || height > 2.6);
        Finding& f =
            add("unit", is_odd && !rig_.options.unit_m ? Finding::State::open : Finding::State::done,
                has_body_ ? fmt::format("one unit of the file is {:.6g} cm: the body is {:.0f} cm tall",
                                        100.0 * of.unit_m, 100.0 * height)
                          : fmt::format("one unit of the file is {:.6g} cm", 100.0 * of.unit_m),
                of.unit_reason);
        for (const KnownUnit& u : known_units) {
            const double metres = has_body_ ? height * u.metres / of.unit_m : 1.0;
            if (metres < 0.25 || metres > 4.0 || std::abs(u.metres / of.unit_m - 1.0) < 1e-6) continue;
            const auto options = with([&](LoadOptions& o) { o.unit_m = u.metres; });
            f.choices.emplace_back(has_body_ ? fmt::format("1 {}: {:.0f} cm tall", u.name, 100.0 * metres)
                                             : fmt::format("1 {}", u.name),
                                   options);
            if (is_odd && f.repair.empty() && metres > 1.2 && metres < 2.2) {
                f.repair = fmt::format("take one unit as 1 {}", u.name);
                f.repaired = options;
            }
        }
        if (rig_.options.unit_m && rig_.options.is_by_hand) {
            f.repair = "take the unit as the file suggests it";
            f.repaired = with([](LoadOptions& o) { o.unit_m.reset(); });
        }
    }

    void axes() {
        const FileConventions& of = rig_.conventions;
        axis("up axis", fmt::format("{} of the file points up", of.up), of.axes_reason, of.up, of.facing,
             &LoadOptions::up);
        axis("facing", fmt::format("the body faces {} of the file", of.facing),
             rig_.options.facing && rig_.options.is_by_hand ? "said by hand"
             : has_body_                                    ? "hips, feet and knees show it"
                                                            : "nothing shows it",
             of.facing, of.up, &LoadOptions::facing);
    }

    /// One of the two axes, with those that it could be beside the `other`.
    void axis(const char* kind, std::string what, std::string evidence, const std::string& in_force,
              const std::string& other, std::optional<std::string> LoadOptions::*option) {
        Finding& f = add(kind, Finding::State::done, std::move(what), std::move(evidence));
        for (const auto* name : {"+X", "-X", "+Y", "-Y", "+Z", "-Z"})
            if (in_force != name && other[1] != name[1])
                f.choices.emplace_back(name, with([&](LoadOptions& o) { o.*option = name; }));
        if (!(rig_.options.*option) || !rig_.options.is_by_hand) return;
        f.repair = "take the axis as the file suggests it";
        f.repaired = with([&](LoadOptions& o) { (o.*option).reset(); });
    }

    void trees() {
        std::vector<int> roots;
        for (int j = 0; j < s_.size(); ++j)
            if (s_.parents[size_t(j)] < 0) roots.push_back(j);
        if (roots.size() < 2) return;
        const int hips = c_.roles.joint("hips");
        int own = hips;
        while (own >= 0 && s_.parents[size_t(own)] >= 0) own = s_.parents[size_t(own)];
        std::string sizes;
        for (const int root : roots) {
            int count = 0;
            for (int j = 0; j < s_.size(); ++j) count += j == root || s_.is_ancestor(root, j);
            sizes += fmt::format("{}{} ({} bones)", sizes.empty() ? "" : ", ", name(root), count);
        }
        Finding& f =
            add("several skeletons", Finding::State::done,
                own >= 0 ? fmt::format("{} trees of bones: the body is at '{}'", roots.size(), name(own))
                         : fmt::format("{} trees of bones, none of them a body", roots.size()),
                sizes);
        f.joints = roots;
        for (const int root : roots)
            if (root != own)
                f.choices.emplace_back(fmt::format("the body is at '{}'", name(root)),
                                       with([&](LoadOptions& o) { o.tree = name(root); }));
        if (!rig_.options.tree.empty()) {
            f.repair = "take the likeliest";
            f.repaired = with([](LoadOptions& o) { o.tree.clear(); });
        }
    }

    void nodes() {
        std::vector<int> wrappers;
        std::vector<int> doubles;
        for (const Unassigned& u : c_.roles.unassigned) {
            if (u.reason.starts_with("wrapper")) wrappers.push_back(u.joint);
            if (u.reason.starts_with("helper: doubles")) doubles.push_back(u.joint);
        }
        if (const int root = c_.roles.joint("root");
            root >= 0 && wrappers.empty() && s_.parents[size_t(root)] < 0)
            add("root", Finding::State::told,
                fmt::format("'{}' is a root above the hips '{}'", name(root), name(c_.roles.joint("hips"))),
                "it carries the whole body and no limb parts from it; the hips carry the body")
                .joints = {root};
        if (!wrappers.empty())
            add("wrapper nodes", Finding::State::done,
                fmt::format("{} stand{} above the body and only wrap{} it", some(wrappers),
                            wrappers.size() == 1 ? "s" : "", wrappers.size() == 1 ? "s" : ""),
                "no limb parts there; their turn and scale are in the rest pose, no motion goes to them")
                .joints = wrappers;
        if (!doubles.empty())
            add("doubled nodes", Finding::State::done,
                fmt::format("{} double{} the bone above", some(doubles), doubles.size() == 1 ? "s" : ""),
                "in the same place, with one child: it follows at rest, and its turns count with those "
                "of the bone below it")
                .joints = doubles;
    }

    void scale() {
        const FileFacts& facts = rig_.facts;
        if (!facts.constant_scale_keys.empty())
            add("constant scale keys", Finding::State::done,
                fmt::format("scale keys of {} never change", some(facts.constant_scale_keys)),
                "they are no motion: the rest's scale holds");
        if (!facts.animated_scale.empty())
            add("animated scale", Finding::State::told,
                fmt::format("the scale of {} changes over the take", some(facts.animated_scale)),
                "it stays in the file and is not carried: bones keep their lengths");
        if (!facts.uneven_scale.empty())
            add("uneven scale", Finding::State::told,
                fmt::format("{} {} scaled unevenly", some(facts.uneven_scale),
                            facts.uneven_scale.size() == 1 ? "is" : "are"),
                "bones below would be sheared: the mean scale is used");
    }

    void names() {
        if (rig_.facts.renamed.empty()) return;
        Finding& f =
            add("name collisions", Finding::State::done,
                fmt::format("{} bone name{} used twice: {} here", rig_.facts.renamed.size(),
                            rig_.facts.renamed.size() == 1 ? " was" : "s were", some(rig_.facts.renamed)),
                "documents tell bones by name; the file keeps its own");
        for (const auto& renamed : rig_.facts.renamed) f.joints.push_back(s_.find(renamed));
    }

    double first_frame_off_rest_deg(const Take& take) const {
        double sum = 0.0;
        for (int j = 0; j < s_.size(); ++j)
            sum += rad_to_deg(angle_between(take.R[size_t(j)], s_.rest_R[size_t(j)]));
        return sum / std::max(1, s_.size());
    }

    void rest() {
        if (!has_body_) {
            add("no body", Finding::State::told, "no body with two legs and hips is found",
                "give the roles by hand, in the station Roles");
            return;
        }
        if (c_.roles.is_four_legged()) return;
        const double off = rad_to_deg(c_.rest.mean_deviation_rad);
        std::vector<std::pair<std::string, LoadOptions>> choices;
        for (const auto* reference : {"rest pose", "bind pose", "first frame"}) {
            if (reference == c_.rest.reference) continue;
            if (reference == std::string_view("bind pose") && s_.bind_R.empty()) continue;
            if (reference == std::string_view("first frame") && !file_.take) continue;
            choices.emplace_back(fmt::format("start from the {}", reference),
                                 with([&](LoadOptions& o) { o.reference = reference; }));
        }
        const bool is_first_frame = file_.take && first_frame_off_rest_deg(*file_.take) < 0.05;
        if (!c_.rest.is_of_stance) {
            Finding& f = add(
                "rest pose", Finding::State::told,
                "no pose of the file is a stance: body and limbs stand as out of a motion",
                fmt::format("{}: {:.0f} degrees off in the mean, and left is not as right; spine, neck and "
                            "head are set upright, the roll of hands is not known",
                            c_.rest.reference, off));
            f.choices = choices;
        } else if (c_.rest.reference != "rest pose") {
            Finding& f =
                add("rest pose", Finding::State::done,
                    fmt::format("the rest pose is no stance: the {} stands nearer", c_.rest.reference),
                    fmt::format("limbs {:.0f} degrees off the common stance in the mean there", off));
            f.choices = choices;
        } else if (is_first_frame && off > 12.0) {
            Finding& f =
                add("rest pose", s_.bind_R.empty() ? Finding::State::told : Finding::State::open,
                    "the rest pose is the first frame of the take",
                    fmt::format("no joint is turned in frame 0; limbs {:.0f} degrees off the stance", off));
            f.choices = choices;
            if (!s_.bind_R.empty()) {
                f.repair = "start from the bind pose";
                f.repaired = with([](LoadOptions& o) { o.reference = "bind pose"; });
            }
        } else if (off > 35.0) {
            Finding& f = add(
                "rest pose", Finding::State::told,
                fmt::format("the rest pose is far from the common stance: {:.0f} degrees in the mean", off),
                "the alignment turns it; the roll of straight limbs may be assumed");
            f.choices = choices;
        }
        if (!rig_.options.reference.empty()) {
            Finding& f =
                add("reference", Finding::State::done,
                    fmt::format("the alignment starts from the {}, as said by hand", c_.rest.reference), "");
            f.repair = "take the one nearest to the stance";
            f.repaired = with([](LoadOptions& o) { o.reference.clear(); });
        }
        const std::vector<double> bind = bind_differences_deg(s_);
        if (!bind.empty()) {
            std::vector<int> joints;
            for (int j = 0; j < s_.size(); ++j)
                if (bind[size_t(j)] > 0.5) joints.push_back(j);
            std::sort(joints.begin(), joints.end(),
                      [&](int a, int b) { return bind[size_t(a)] > bind[size_t(b)]; });
            std::string worst;
            for (size_t i = 0; i < std::min<size_t>(4, joints.size()); ++i)
                worst += fmt::format("{}{} {:.0f}", i ? ", " : "", name(joints[i]), bind[size_t(joints[i])]);
            if (!joints.empty()) {
                Finding& f =
                    add("bind pose", Finding::State::told,
                        fmt::format("the skin was bound in another pose than the rest: {} bones turned",
                                    joints.size()),
                        "degrees between them: " + worst);
                f.joints = joints;
                f.choices = choices;
            }
        }
    }

    void place() {
        if (!has_body_) return;
        const Pose rest = rest_pose(s_);
        const double low = lowest_foot_point(s_, c_.roles, rest);
        const Vec3 centre = body_centre(c_.roles, rest);
        const bool is_taken = file_.take.has_value();
        const double tall = std::max(0.3, stature_);
        const std::string harmless = "; of no consequence for the take, which places the hips in every frame";
        if (std::abs(low) > 0.04 * tall || rig_.options.on_floor) {
            Finding& f =
                add("floor",
                    rig_.options.on_floor ? Finding::State::done
                    : is_taken            ? Finding::State::told
                                          : Finding::State::open,
                    rig_.options.on_floor ? std::string("the rest pose was set on the floor")
                    : centre.y() < 0.2 * tall
                        ? fmt::format("the hips are at or below the floor in the rest pose ({:.0f} cm)",
                                      100.0 * centre.y())
                        : fmt::format("the rest pose stands {:.0f} cm {} the floor", 100.0 * std::abs(low),
                                      low > 0 ? "above" : "below"),
                    fmt::format("the lowest point of the feet is at {:.1f} cm{}", 100.0 * low,
                                is_taken ? harmless : ""));
            f.repair =
                rig_.options.on_floor ? "leave it where the file has it" : "set it on the floor by its soles";
            f.repaired = with([&](LoadOptions& o) { o.on_floor = !o.on_floor; });
        }
        const double aside = std::hypot(centre.x(), centre.z());
        if (aside > 0.06 * tall || rig_.options.over_origin) {
            Finding& f = add("origin",
                             rig_.options.over_origin ? Finding::State::done
                             : is_taken               ? Finding::State::told
                                                      : Finding::State::open,
                             rig_.options.over_origin
                                 ? std::string("the rest pose was moved over the origin")
                                 : fmt::format("the body stands {:.0f} cm beside the origin", 100.0 * aside),
                             fmt::format("hip centre at {:.0f}, {:.0f} cm{}", 100.0 * centre.x(),
                                         100.0 * centre.z(), is_taken ? harmless : ""));
            f.repair =
                rig_.options.over_origin ? "leave it where the file has it" : "move it over the origin";
            f.repaired = with([&](LoadOptions& o) { o.over_origin = !o.over_origin; });
        }
    }

    void lengths() {
        std::vector<int> zero;
        for (int j = 0; j < s_.size(); ++j)
            if (s_.parents[size_t(j)] >= 0 && s_.rest_p[size_t(j)].norm() < 1e-6) zero.push_back(j);
        if (!zero.empty())
            add("zero-length bones", Finding::State::told,
                fmt::format("{} bone{} no length: {}", zero.size(), zero.size() == 1 ? " has" : "s have",
                            some(zero)),
                "they stand in the place of their parent; their turn goes to the next bone")
                .joints = zero;
        if (!rig_.options.lengths.empty()) {
            std::string parts;
            for (const auto& [part, factor] : rig_.options.lengths)
                parts += fmt::format("{}{} x {:.3g}", parts.empty() ? "" : ", ", part, factor);
            Finding& f = add("proportions", Finding::State::done, "the body is re-proportioned: " + parts,
                             "as said by hand; rotations are as recorded");
            f.repair = "give it its own proportions back";
            f.repaired = with([](LoadOptions& o) { o.lengths.clear(); });
        }
    }

    /// Single meshes are left out, and taken in again.
    void offer_meshes(Finding& f) {
        std::vector<std::string> names;
        for (const Mesh& mesh : rig_.meshes)
            if (!mesh.name.empty() && std::ranges::find(names, mesh.name) == names.end())
                names.push_back(mesh.name);
        for (const std::string& name : names)
            f.choices.emplace_back(fmt::format("leave out '{}'", name),
                                   with([&](LoadOptions& o) { o.without_meshes.push_back(name); }));
        for (const std::string& name : rig_.options.without_meshes)
            f.choices.emplace_back(fmt::format("take in '{}' again", name),
                                   with([&](LoadOptions& o) { std::erase(o.without_meshes, name); }));
    }

    void skin() {
        const FileFacts& facts = rig_.facts;
        const std::vector<std::string>& without = rig_.options.without_meshes;
        if (rig_.meshes.empty()) {
            Finding& f = add("mesh", Finding::State::told,
                             without.empty() ? "there is no mesh" : "no mesh is taken in",
                             "a skeleton alone: it is drawn as bones");
            offer_meshes(f);
            return;
        }
        std::set<int> carrying;
        size_t vertices = 0;
        size_t triangles = 0;
        for (const Mesh& mesh : rig_.meshes) {
            vertices += mesh.positions.size();
            triangles += mesh.indices.size() / 3;
            for (const VertexSkin& v : mesh.skin)
                for (size_t k = 0; k < v.weight.size(); ++k)
                    if (v.weight[k] > 0.0f && v.palette[k] < mesh.palette.size())
                        carrying.insert(mesh.palette[v.palette[k]].joint);
        }
        std::vector<int> bare;
        std::vector<int> bare_with_role;
        for (int j = 0; j < s_.size(); ++j) {
            if (carrying.contains(j)) continue;
            bare.push_back(j);
            const std::string role = c_.roles.role_of(j);
            if (!role.empty() && role != "root") bare_with_role.push_back(j);
        }
        add("mesh", Finding::State::told,
            fmt::format("{} mesh{} of {} vertices and {} triangles", rig_.meshes.size(),
                        rig_.meshes.size() == 1 ? "" : "es", vertices, triangles),
            fmt::format("{} of {} bones carry skin{}", carrying.size(), s_.size(),
                        without.empty() ? "" : fmt::format("; left out: {}", fmt::join(without, ", "))));
        offer_meshes(all_.back());
        if (!bare.empty()) {
            Finding& f = add("bones without skin", Finding::State::told,
                             fmt::format("{} bone{} no skin: {}", bare.size(),
                                         bare.size() == 1 ? " carries" : "s carry", some(bare)),
                             bare_with_role.empty() ? "none of them has a role that moves skin"
                                                    : "with a role all the same: " + some(bare_with_role));
            f.joints = bare;
        }
        if (facts.vertices_without)
            add("weights", Finding::State::done,
                fmt::format("{} of {} vertices have no weight", facts.vertices_without, facts.vertices),
                "they follow the first bone of their skin");
        if (facts.vertices_off_sum)
            add("weights", Finding::State::done,
                fmt::format("the weights of {} of {} vertices do not add up to 1", facts.vertices_off_sum,
                            facts.vertices),
                fmt::format("the worst sum is {:.3f}; they are brought to 1", facts.worst_weight_sum));
        if (facts.vertices_over_four)
            add("weights", Finding::State::told,
                fmt::format("{} of {} vertices have more than four weights", facts.vertices_over_four,
                            facts.vertices),
                "all up to eight are used; some engines take four");
    }

    /// Where the take stands, and whether it treads on the spot.
    void stands() {
        const Standing standing = file_.standing ? *file_.standing : standing_of(c_, *file_.take);
        const double speed = standing.floor_m_s.norm();
        if (rig_.options.give_travel || speed > 0.0) {
            const bool is_given = rig_.options.give_travel && speed <= 0.0;
            Finding& f = add(
                "treads on the spot", is_given ? Finding::State::done : Finding::State::open,
                is_given ? std::string("a cycle that trod on the spot was given its travel")
                         : fmt::format("treads on the spot: its floor runs at {:.2f} m/s", speed),
                is_given
                    ? std::string("stance feet stand; its poses are as they were")
                    : std::string("the feet, when they are low, all go back at one speed while the hips stay "
                                  "about; contacts are held on a floor that runs"));
            f.repair = is_given ? "let it tread on the spot as in the file" : "give it its travel";
            f.repaired = with([&](LoadOptions& o) { o.give_travel = !is_given; });
        }
        const double tall = std::max(0.3, stature_);
        if (rig_.options.set_down || std::abs(standing.height_m) > 0.008 * tall) {
            const bool is_down = rig_.options.set_down;
            Finding& f = add(
                "stands off the floor",
                is_down                       ? Finding::State::done
                : standing.rests_share > 0.05 ? Finding::State::open
                                              : Finding::State::told,
                is_down
                    ? std::string("the take was set down on the floor")
                    : fmt::format("its feet rest {:.1f} cm {} the floor", 100.0 * std::abs(standing.height_m),
                                  standing.height_m > 0 ? "above" : "below"),
                is_down ? std::string("its lowest level is at 0")
                        : fmt::format(
                              "the lowest height at which balls come to rest; a foot rests in {:.0f} % of "
                              "the frames; contacts are held where they are",
                              100.0 * standing.rests_share));
            f.repair = is_down ? "leave it at the height of the file" : "set it down";
            f.repaired = with([&](LoadOptions& o) { o.set_down = !is_down; });
        }
    }

    void take() {
        const Take& take = *file_.take;
        const double rate = file_.file_fps;
        const double whole = std::round(rate);
        const bool is_broadcast = std::abs(rate * 1.001 - std::round(rate * 1.001)) < 0.002;
        const bool is_odd = std::abs(rate - whole) > 0.01 && !is_broadcast;
        Finding& f =
            add("frame rate", is_odd && !rig_.options.fps ? Finding::State::open : Finding::State::told,
                fmt::format("{} frames at {:.6g} frames a second, {:.2f} s", file_.file_frames, rate,
                            file_.file_frames / rate),
                is_odd ? "no usual rate" : fmt::format("{} s a frame", take.frame_time_text));
        if (is_odd) {
            const auto usual = {24.0, 25.0, 30.0, 50.0, 60.0, 100.0, 120.0};
            double best = whole;
            for (const double u : usual)
                if (std::abs(u - rate) < 0.75) best = u;
            f.repair = fmt::format("resample to {:.6g} frames a second; the duration stays", best);
            f.repaired = with([&](LoadOptions& o) { o.fps = best; });
        }
        if (rig_.options.fps) {
            f.state = Finding::State::done;
            f.what += fmt::format(", resampled to {:.6g}", *rig_.options.fps);
            f.repair = "take the file's own rate";
            f.repaired = with([](LoadOptions& o) { o.fps.reset(); });
        }
        if (rig_.facts.keys_off_frames)
            add("keys off frames", Finding::State::done,
                fmt::format("{} of {} keys lie off whole frames", rig_.facts.keys_off_frames,
                            rig_.facts.keys),
                fmt::format("the take is sampled at {:.6g} frames a second", rate));
        if (rig_.facts.announced_frames && rig_.facts.announced_frames != file_.file_frames)
            add("frame count", Finding::State::done,
                fmt::format("the header announces {} frames, the data hold {}", rig_.facts.announced_frames,
                            file_.file_frames),
                "the data are used");
        if (has_body_ && c_.rest.is_there()) stands();
        const bool is_trimmed = rig_.options.trim_first > 0 || rig_.options.trim_last > 0;
        if (is_trimmed) {
            Finding& t = add(
                "trim", Finding::State::done,
                fmt::format("frames {} to {} of the file are used", rig_.options.trim_first,
                            (rig_.options.trim_last > 0 ? rig_.options.trim_last : file_.file_frames) - 1),
                "the rest stays in the file");
            t.repair = "use the whole take";
            t.repaired = with([](LoadOptions& o) { o.trim_first = o.trim_last = 0; });
        } else if (take.first_motion_frame > 0) {
            Finding& t =
                add("first frame", Finding::State::done, "frame 0 is a pose of its own before the motion",
                    "the step to frame 1 turns joints far more than any other; it is left out of "
                    "reviews and contacts");
            t.choices.emplace_back("trim it off", with([](LoadOptions& o) { o.trim_first = 1; }));
            t.frames = {0};
        }
        if (file_.animations.size() > 1)
            add("animations", Finding::State::told,
                fmt::format("the file holds {} animations; this is number {}", file_.animations.size(),
                            rig_.options.animation + 1),
                some(file_.animations));
        if (const auto& away = rig_.facts.away; !away.empty()) {
            Finding& without = add("along", Finding::State::open, away.front(), some(away));
            without.repair = "do without what goes along";
            without.repaired = with([this](LoadOptions& o) {
                o.along.clear();
                std::erase_if(o.things, [this](const StageThing& thing) {
                    std::error_code error;
                    return !std::filesystem::exists(path_along(rig_.path, thing.file), error);
                });
            });
        }
        faults(take);
    }

    void faults(const Take& take) {
        if (!file_.gaps.empty()) {
            int lost = 0;
            for (const StreamGap& gap : file_.gaps) lost += gap.last - gap.first;
            const FileFrames at = frames_in_file(file_);
            Finding& f = add("gaps", Finding::State::told,
                             fmt::format("{} frame{} of the stream never came, in {} gap{}, and {} bridged",
                                         lost, lost == 1 ? "" : "s", file_.gaps.size(),
                                         file_.gaps.size() == 1 ? "" : "s", lost == 1 ? "is" : "are"),
                             fmt::format("first at frame {} of the recording", file_.gaps[0].first));
            for (const StreamGap& gap : file_.gaps)
                if (const int frame = at.from_file(gap.first); frame >= 0 && frame < take.frames)
                    f.frames.push_back(frame);
        }
        const auto breaks = find_breaks(take);
        if (!breaks.empty() || rig_.options.bridge_breaks) {
            Finding& f = add(
                "one-frame breaks", rig_.options.bridge_breaks ? Finding::State::done : Finding::State::open,
                rig_.options.bridge_breaks
                    ? fmt::format("{} one-frame breaks are led straight through", file_.bridged)
                    : fmt::format("{} time{} a joint leaves for one frame and comes back", breaks.size(),
                                  breaks.size() == 1 ? "" : "s"),
                breaks.empty()
                    ? std::string("none is left")
                    : fmt::format("first '{}' at frame {}, by {:.0f} degrees", name(breaks[0].joint),
                                  breaks[0].frame, rad_to_deg(breaks[0].angle_rad)));
            f.repair = rig_.options.bridge_breaks
                           ? "leave them as recorded"
                           : "lead straight through from the frame before to the one after";
            f.repaired = with([](LoadOptions& o) { o.bridge_breaks = !o.bridge_breaks; });
            for (const Break& b : breaks) {
                f.frames.push_back(b.frame);
                f.joints.push_back(b.joint);
            }
        }
        const auto jitter = find_jitter(take);
        if (!jitter.empty()) {
            Finding& f =
                add("jitter", Finding::State::told,
                    fmt::format("{} joint{} from frame to frame", jitter.size(),
                                jitter.size() == 1 ? " trembles" : "s tremble"),
                    fmt::format("worst '{}': {:.1f} degrees to and fro in {:.0f} % of the frames",
                                name(jitter[0].joint), jitter[0].median_deg, 100.0 * jitter[0].share));
            f.cure = "calm";
            for (const Jitter& j : jitter) {
                TouchUp calm;
                calm.kind = TouchKind::calm;
                calm.stage = TouchStage::source;
                calm.what = c_.roles.role_of(j.joint);
                if (!calm.what.empty()) f.cure_by.push_back(calm);
                f.joints.push_back(j.joint);
                f.frames.push_back(j.worst_frame);
            }
        }
        const auto frozen = find_frozen(take);
        if (!frozen.empty()) {
            int longest = 0;
            for (const Span& span : frozen) longest = std::max(longest, span.last - span.first);
            Finding& f = add("frozen stretches", Finding::State::told,
                             fmt::format("{} time{} nothing moves at all, at most {} frames", frozen.size(),
                                         frozen.size() == 1 ? "" : "s", longest),
                             fmt::format("first at frame {}: every number repeats", frozen[0].first));
            for (const Span& span : frozen) f.frames.push_back(span.first);
        }
        if (!has_body_) return;
        const auto hops = find_foot_hops(s_, c_.roles, take);
        if (!hops.empty()) {
            const auto worst = std::max_element(hops.begin(), hops.end(), [](const Hop& a, const Hop& b) {
                return a.distance_m < b.distance_m;
            });
            Finding& f =
                add("foot hops", Finding::State::told,
                    fmt::format("{} time{} a standing foot leaves its place and comes back", hops.size(),
                                hops.size() == 1 ? "" : "s"),
                    fmt::format("most the {} foot at frame {}: {:.1f} cm", worst->is_left ? "left" : "right",
                                worst->frame, 100.0 * worst->distance_m));
            f.cure = "settle";
            TouchUp settle;
            settle.kind = TouchKind::settle;
            settle.stage = TouchStage::source;
            f.cure_by = {settle};
            for (const Hop& hop : hops) f.frames.push_back(hop.frame);
        }
        const auto still = find_still(c_.roles, take);
        if (!still.empty()) {
            Finding& f =
                add("still joints", Finding::State::told,
                    fmt::format("{} bone{} never turn{}: {}", still.size(), still.size() == 1 ? "" : "s",
                                still.size() == 1 ? "s" : "", some(still)),
                    "the take holds no motion for them");
            f.joints = still;
        }
    }

    void compare_with_partner() {
        std::set<std::string> lacking;
        for (const RoleFill& fill : partner_->roles.fills) {
            const std::string part = role_part(fill.role);
            if ((is_finger_role(fill.role) || part == "toe") && c_.roles.joint(fill.role) < 0) {
                // A finger of fewer bones is no missing one.
                bool has_any = false;
                for (const RoleFill& own : c_.roles.fills)
                    has_any |= role_part(own.role) == part && role_side(own.role) == role_side(fill.role);
                if (!has_any) lacking.insert(part + std::string(side_suffix(role_side(fill.role))));
            }
        }
        if (lacking.empty()) return;
        std::vector<std::string> spoken(lacking.begin(), lacking.end());
        for (std::string& text : spoken) std::replace(text.begin(), text.end(), '.', ' ');
        add("missing against the take", Finding::State::told,
            fmt::format("the take's body has {} that this rig lacks", some(spoken, 6)),
            "their motion is left out; the hand and the foot go on as a whole");
    }
};

}  // namespace

std::vector<Finding> find_in(const LoadedFile& file, const Character* partner) {
    return Finder(file, partner).find();
}

}  // namespace nb
