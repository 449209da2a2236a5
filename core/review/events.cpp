#include "core/review/events.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>

#include "core/review/asked.hpp"

namespace nb {

namespace {

constexpr double slide_pass_cm_s = 0.5;
constexpr double below_pass_cm = 0.2;
constexpr double tip_pass_cm = 3.0;
constexpr double direction_pass_deg = 2.0;
constexpr double deficit_pass_cm = 0.1;
constexpr double pop_pass_deg_s = 200.0;
constexpr double wring_pass_deg = 100.0;  // of roll between two bones, without a twist bone to take it
constexpr double gap_pass_cm = 1.5;
constexpr double depth_pass_cm = 2.0;
constexpr double range_pass_deg = 10.0;
constexpr double one_run_s = 0.25;

struct Run {
    int first, last, worst;
    double size;
};

std::vector<Run> runs_over(const std::vector<float>& values, double pass, int gap) {
    std::vector<Run> runs;
    for (int f = 0; f < int(values.size()); ++f) {
        const double value = double(values[size_t(f)]);
        if (value <= pass) continue;
        if (runs.empty() || f - runs.back().last > gap) runs.push_back({f, f + 1, f, value});
        runs.back().last = f + 1;
        if (value > runs.back().size) {
            runs.back().size = value;
            runs.back().worst = f;
        }
    }
    return runs;
}

/// "left hand": a role or row in words.
std::string spoken(const std::string& row) {
    const Side side = role_side(row);
    std::string part = role_part(row);
    if (part == "upperarm") part = "upper arm";
    return side == Side::none ? part : (side == Side::left ? "left " : "right ") + part;
}

/// "left knee": the joint a role's bone turns in.
std::string spoken_joint(const std::string& role) {
    constexpr std::array<std::array<const char*, 2>, 6> joints{{{"upperarm", "shoulder"},
                                                                {"forearm", "elbow"},
                                                                {"hand", "wrist"},
                                                                {"thigh", "hip"},
                                                                {"shin", "knee"},
                                                                {"head", "neck"}}};
    for (const auto& [part, joint] : joints)
        if (role_part(role) == part) return spoken(joint + std::string(side_suffix(role_side(role))));
    return spoken(role);
}

/// The limb that ends in a held point, in words.
std::string limb_of_end(const std::string& point) {
    const std::string part = role_part(point);
    return part == "wrist" ? "arm" : part == "forepaw" ? "foreleg" : part == "hindpaw" ? "hind leg" : "leg";
}

/// A measure of a limb, or of a role of it, where its end is free and nobody touched it up; held, it goes where it is
/// held.
std::vector<float> where_free(const TransferResult& result, const std::string& limb, const std::string& row,
                              std::vector<float> values) {
    const std::vector<char> held = held_frames(result, limb);
    const std::vector<char> touched = touched_frames(result, row);
    for (size_t f = 0; f < std::min(values.size(), held.size()); ++f)
        if (held[f] || touched[f]) values[f] = 0.0f;
    return values;
}

/// What a hand ("hand.left") touches in a frame, in words.
std::string touched_at(const TransferResult& result, const std::string& row, int frame) {
    for (const Contact& contact : result.contacts.list)
        if (contact.is_sure_touch() && role_side(contact.point) == role_side(row) && contact.first <= frame &&
            frame < contact.last)
            return spoken(contact.on);
    return "body";
}

bool has_twist_bone(const Plan& plan, const std::string& role) {
    return std::any_of(plan.program.twists.begin(), plan.program.twists.end(),
                       [&](const TwistOp& op) { return op.role == role; });
}

}  // namespace

std::string_view owner_name(Owner owner) {
    constexpr std::array<std::string_view, 4> names{"take", "proportions", "setting", "skin"};
    return names[size_t(owner)];
}

std::vector<ReviewEvent> find_events(const Review& review, const TransferResult& result,
                                     const PairingSettings& settings) {
    std::vector<ReviewEvent> events;
    const int gap = std::max(1, int(std::lround(one_run_s * review.fps)));
    const bool is_held = settings.passes.contacts && settings.passes.reach;
    const auto add = [&](const std::string& measure, const std::string& row, const Run& run,
                         const std::string& unit, double pass) -> ReviewEvent& {
        ReviewEvent event;
        event.measure = measure;
        event.row = row;
        event.first = run.first;
        event.last = run.last;
        event.worst_frame = run.worst;
        event.size = run.size;
        event.unit = unit;
        event.weight = run.size / pass;
        events.push_back(std::move(event));
        return events.back();
    };
    for (const ReachDeficit& deficit : review.deficits) {
        if (deficit.missing_cm < deficit_pass_cm) continue;
        ReviewEvent& event = add("reach", deficit.point,
                                 {deficit.first, deficit.last, deficit.worst_frame, deficit.missing_cm}, "cm",
                                 deficit_pass_cm);
        const std::string limb = limb_of_end(deficit.point);
        event.text = fmt::format("{} {:.1f} cm short of where it is held: the {} is at its full length",
                                 spoken(deficit.point), deficit.missing_cm, limb);
        const size_t f = size_t(deficit.worst_frame);
        if (limb != "arm" && result.corrections.hips_m.size() > f)
            event.text += fmt::format(", and the hips already gave {:.1f} cm",
                                      100.0 * result.corrections.hips_m[f].norm());
        event.remedies = {{"shorten the contact", "contacts"}};
    }
    for (const ReviewSeries& series : review.series) {
        const std::string& row = series.row;
        switch (series.measure) {
            case ReviewMeasure::slide: {
                const ReviewSeries* own = review.find_series(ReviewMeasure::source_slide, row);
                // At the ends of a contact the source's own slide is let pass.
                std::vector<float> beyond = series.values;
                for (size_t f = 0; own && is_held && f < beyond.size(); ++f)
                    if (beyond[f] <= own->values[f]) beyond[f] = 0.0f;
                for (const Run& run : runs_over(beyond, slide_pass_cm_s, gap)) {
                    ReviewEvent& event = add("slide", row, run, "cm/s", slide_pass_cm_s);
                    const double source = own ? double(own->values[size_t(run.worst)]) : 0.0;
                    if (!is_held) {
                        event.owner = Owner::setting;
                        event.setting = "contacts";
                        event.remedies = {{"run the pass contacts", "pass=contacts"}};
                        event.text = fmt::format(
                            "{} slides {:.1f} cm/s while it rests, the capture {:.1f}: contacts are "
                            "left out",
                            spoken(row), run.size, source);
                    } else {
                        event.owner = source > 0.8 * run.size ? Owner::take : Owner::setting;
                        if (event.owner == Owner::setting) event.setting = "contact window";
                        event.remedies = {{"move the contact's end", "contacts"}};
                        event.text =
                            fmt::format("{} slides {:.1f} cm/s at the end of a contact, the capture {:.1f}",
                                        spoken(row), run.size, source);
                    }
                }
                break;
            }
            case ReviewMeasure::below:
                for (const Run& run : runs_over(series.values, below_pass_cm, gap)) {
                    ReviewEvent& event = add("below floor", row, run, "cm", below_pass_cm);
                    event.owner = is_held ? Owner::take : Owner::setting;
                    if (!is_held) {
                        event.setting = "contacts";
                        event.remedies = {{"run the pass contacts", "pass=contacts"}};
                    }
                    event.text = is_held
                                     ? fmt::format(
                                           "{} is {:.1f} cm below the floor: the capture's toes turn over "
                                           "there",
                                           spoken(row), run.size)
                                     : fmt::format("{} is {:.1f} cm below the floor: contacts are left out",
                                                   spoken(row), run.size);
                }
                break;
            case ReviewMeasure::tip: {
                if (!row.starts_with("arm")) break;
                for (const Run& run :
                     runs_over(where_free(result, row, row, series.values), tip_pass_cm, 2 * gap)) {
                    ReviewEvent& event = add("tip", row, run, "cm", tip_pass_cm);
                    const bool by_tip = goes_by_tip(result, settings, row);
                    event.text =
                        by_tip ? fmt::format("{} hand {:.1f} cm from where the source's is: out of reach",
                                             row.ends_with(".left") ? "left" : "right", run.size)
                               : fmt::format(
                                     "{} hand {:.1f} cm from where the source's is, in the arm's own scale: "
                                     "only angles are carried",
                                     row.ends_with(".left") ? "left" : "right", run.size);
                    if (!by_tip) event.remedies = {{"carry the tip", "carry=" + row + ":limb"}};
                    event.remedies.push_back(
                        {"place the hand there", "touch=hand" + std::string(side_suffix(role_side(row)))});
                }
                break;
            }
            case ReviewMeasure::direction: {
                const std::string limb = limb_of(row);
                if (goes_by_tip(result, settings, limb) || is_turned_aside(result.plan.report.chains, limb))
                    break;
                for (const Run& run :
                     runs_over(where_free(result, limb, row, series.values), direction_pass_deg, 4 * gap)) {
                    ReviewEvent& event = add("direction", row, run, "degrees", direction_pass_deg);
                    event.owner = Owner::setting;
                    event.setting = settings.passes.angles ? "rest alignment" : "angles";
                    event.text =
                        settings.passes.angles
                            ? fmt::format(
                                  "{} points {:.1f} degrees beside the source's: so far apart are the "
                                  "rests",
                                  spoken(row), run.size)
                            : fmt::format("{} points {:.1f} degrees beside the source's: angles are left out",
                                          spoken(row), run.size);
                    event.remedies = {settings.passes.angles ? Remedy{"compare the rests", "rest=" + row}
                                                             : Remedy{"run the pass angles", "pass=angles"}};
                    if (settings.passes.angles) event.remedies.push_back({"turn it there", "touch=" + row});
                }
                break;
            }
            case ReviewMeasure::wring: {
                // Skin follows the bones it hangs on: without a twist bone all of the roll is at one joint.
                if (!settings.passes.twist || has_twist_bone(result.plan, row)) break;
                for (const Run& run : runs_over(series.values, wring_pass_deg, 4 * gap)) {
                    ReviewEvent& event = add("wring", row, run, "degrees", wring_pass_deg);
                    event.owner = Owner::skin;
                    event.text = fmt::format(
                        "{} rolls {:.0f} degrees against the next bone and has no twist bone: skin wrings "
                        "there",
                        spoken(row), run.size);
                }
                break;
            }
            case ReviewMeasure::turn_change:
                for (const Run& run : runs_over(series.values, 0.0, gap)) {
                    ReviewEvent& event = add("pop", row, run, "degrees/s", pop_pass_deg_s);
                    event.text = fmt::format(
                        "{} turns {:.0f} degrees/s faster from one frame to the next, the source does not",
                        spoken(row), run.size);
                    event.remedies = {{"calm it there", "calm=" + row}};
                }
                break;
            case ReviewMeasure::gap:
                for (const Run& run : runs_over(series.values, gap_pass_cm, gap)) {
                    ReviewEvent& event = add("gap", row, run, "cm", gap_pass_cm);
                    event.text = fmt::format("{} {:.1f} cm off the {} that it touches in the take",
                                             spoken(row), run.size, touched_at(result, row, run.worst));
                    if (settings.passes.touch) {
                        event.text += ": out of reach";
                        event.remedies = {{"place the hand there", "touch=" + row}};
                    } else {
                        event.owner = Owner::setting;
                        event.setting = "touch";
                        event.text += ": touch is left out";
                        event.remedies = {{"run the pass touch", "pass=touch"}};
                    }
                }
                break;
            case ReviewMeasure::depth:
                for (const Run& run : runs_over(series.values, depth_pass_cm, gap)) {
                    ReviewEvent& event = add("depth", row, run, "cm", depth_pass_cm);
                    const std::string side(side_suffix(role_side(row)));
                    event.text = fmt::format("{} hand or forearm {:.1f} cm inside the body",
                                             side == ".left" ? "left" : "right", run.size);
                    event.remedies = {{"place the hand there", "touch=hand" + side},
                                      {"turn it there", "touch=upperarm" + side}};
                    if (!settings.passes.clear) {
                        event.owner = Owner::setting;
                        event.setting = "clear";
                        event.text += ": clear is left out";
                        event.remedies = {{"run the pass clear", "pass=clear"}};
                    }
                }
                break;
            default:
                break;
        }
    }
    for (const RangeExcess& over : review.over_range) {
        const JointRange& range = joint_ranges[over.range];
        for (const Run& run : runs_over(over.over_deg, range_pass_deg, 4 * gap)) {
            ReviewEvent& event = add("range", over.role, run, "degrees", range_pass_deg);
            double source = 0.0;
            for (const RangeExcess& own : review.source_over_range)
                if (own.role == over.role && own.range == over.range)
                    source = double(own.over_deg[size_t(run.worst)]);
            event.owner = source > 0.5 * run.size ? Owner::take : Owner::proportions;
            event.text = fmt::format("{} {} {:.0f} degrees, {:.0f} more than people's do{}",
                                     spoken_joint(over.role), range.way, range.most_deg + run.size, run.size,
                                     event.owner == Owner::take ? ": so does the take's" : "");
            event.remedies = {{"turn it there", "touch=" + over.role}};
        }
    }
    std::sort(events.begin(), events.end(), [](const ReviewEvent& a, const ReviewEvent& b) {
        return a.weight != b.weight ? a.weight > b.weight : a.worst_frame < b.worst_frame;
    });
    return events;
}

}  // namespace nb
