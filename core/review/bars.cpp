#include "core/review/bars.hpp"

#include <algorithm>

#include "core/contact/on_set.hpp"
#include "core/contact/touches.hpp"
#include "core/review/asked.hpp"

namespace nb {

namespace {

/// Hands on things and on what stands there; where these are beside the target is as the transfer has it.
std::vector<ToldHold> told_holds(const Character& source, const TransferResult& result) {
    std::vector<ToldHold> holds;
    const Program& program = result.plan.program;
    if (!program.passes.hold) return holds;
    for (const Contact& contact : result.contacts.list) {
        if (!contact.is_sure_touch() || contact.is_place() || source.roles.joint(contact.on) >= 0) continue;
        ToldHold hold{role_side(contact.point),
                      contact.first,
                      contact.last,
                      contact.on,
                      {},
                      {},
                      1.0,
                      set_piece(result.take, contact.on),
                      contact.kind == ContactKind::slide};
        const int thing = source.rig.skeleton.find(contact.on);
        hold.scale = thing < 0 ? program.map.k : thing_scale(program, thing);
        for (int f = contact.first; f < contact.last; ++f) {
            if (thing < 0) {
                hold.X_source.emplace_back();
                hold.X_target.push_back({Quat::Identity(), program.map(Vec3::Zero())});
                continue;
            }
            const SourceFrame S = frame_of(result.source, f);
            hold.X_source.push_back({S.R[size_t(thing)], S.p[size_t(thing)]});
            hold.X_target.push_back(thing_beside(program, thing, S, frame_of(result.target, f)));
        }
        holds.push_back(std::move(hold));
    }
    return holds;
}

}  // namespace

Review review_result(const Character& source, const Character& target, const TransferResult& result) {
    ReviewTold told;
    told.map_about = result.plan.program.map.about;
    told.map_aside = result.plan.program.map.aside;
    if (result.plan.program.is_k_asked) told.asked_k = result.plan.program.map.k;
    told.held_frames = result.corrections.held_frames;
    for (const Deficit& deficit : result.corrections.deficits)
        told.deficits.push_back(
            {deficit.point, deficit.first, deficit.last, deficit.worst_frame, 100.0 * deficit.missing_m});
    for (const Contact& contact : result.contacts.list)
        if (contact.is_sure_touch() && source.roles.joint(contact.on) >= 0 && is_of_hand(contact.point))
            told.touches.push_back({role_side(contact.point), contact.first, contact.last});
    told.holds = told_holds(source, result);
    return review_transfer(source, result.source, target, result.target, result.take.frame_time_s,
                           result.take.first_motion_frame, told);
}

double cover_of(const std::vector<ReviewWindow>& windows, const Contacts& contacts) {
    int all = 0;
    int held = 0;
    for (const ReviewWindow& window : windows) {
        all += window.last - window.first;
        for (const Contact& contact : contacts.list)
            if (contact.point == window.point)
                held +=
                    std::max(0, std::min(contact.last, window.last) - std::max(contact.first, window.first));
    }
    return all > 0 ? double(held) / all : 1.0;
}

std::vector<Bar> bars_of(const Review& review, const TransferResult& result,
                         const PairingSettings& settings) {
    // Of arms that go as the source's: not where a setting or a held hand moves them aside on purpose.
    double p95 = 0.0;
    double worst = 0.0;
    for (const ReviewSeries& series : review.series) {
        if (series.measure != ReviewMeasure::direction || series.row.find("arm") == std::string::npos)
            continue;
        const std::string limb = limb_of(series.row);
        if (is_turned_aside(result.plan.report.chains, limb) || goes_by_tip(result, settings, limb)) continue;
        const std::vector<char> held = held_frames(result, limb);
        const std::vector<char> touched = touched_frames(result, series.row);
        std::vector<double> values;
        for (size_t f = size_t(result.take.first_motion_frame); f < series.values.size(); ++f)
            if (!held[f] && !touched[f]) values.push_back(double(series.values[f]));
        if (values.empty()) continue;
        worst = std::max(worst, *std::max_element(values.begin(), values.end()));
        p95 = std::max(p95, nearest_rank(values, 0.95));
    }
    const double no_longer = has_following_lengths(result) ? review.bone_length_change : 1e-6;
    return {
        {"window_cover", "review windows that were held", cover_of(review.windows, result.contacts), 0.95,
         true},
        {"slide_core_p95_cm_s", "foot slide in the core, p95", review.target_slide_cm_s.p95, 0.2, false},
        {"drift_max_mm", "drift of a window", review.drift_mm.max, 1.0, false},
        {"slide_edge_p95_cm_s", "foot slide at the ends, p95, beside the source's own",
         review.target_edge_cm_s.p95, review.source_edge_cm_s.p95, false},
        {"below_floor_max_mm", "below the floor, largest", review.below_mm.max, 1.0, false},
        {"height_p95_mm", "height of a held point over its support, p95", review.height_mm.p95, 3.0, false},
        {"released_share", "held frames released", review.released_share(), 0.01, false},
        {"direction_p95_deg", "direction of the arms, p95 of the worst role", p95, 0.5, false},
        {"direction_max_deg", "direction of the arms, largest", worst, 2.0, false},
        {"pops", "pops", double(review.pop_count()), 0.0, false},
        {"jitter", "angular acceleration by the source's, worst role", review.worst_jitter(), most_jitter,
         false},
        {"bone_length_change", "change of bone lengths", review.bone_length_change, no_longer, false},
        {"touches_kept", "looks at touches of the own body that are kept", review.touching.kept_share(), 0.95,
         true},
        {"hold_slide_p95_mm", "slide of hands on what they hold, p95, beside the source's own",
         review.holding.slide_mm.p95, std::max(2.0, review.holding.source_slide_mm.p95), false},
        {"deep_share", "looks at hands and forearms deeper than 2 cm in the body",
         review.touching.deep_share(), review.touching.source_deep_share.value_or(1.0), false},
        {"hip_path", "hip path beside the source's, by leg length", review.hip_path, 0.02, false},
    };
}

}  // namespace nb
