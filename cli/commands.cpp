#include "cli/commands.hpp"

#include <fmt/format.h>
#include <unistd.h>

#include <algorithm>
#include <chrono>
#include <cmath>
#include <cstdlib>
#include <filesystem>

#include "core/base/fault.hpp"
#include "core/base/files.hpp"
#include "core/base/text_encoding.hpp"
#include "core/body/check.hpp"
#include "core/body/measures.hpp"
#include "core/body/reuse.hpp"
#include "core/documents/character.hpp"
#include "core/documents/pairing.hpp"
#include "core/documents/review.hpp"
#include "core/documents/roles.hpp"
#include "core/documents/touch_ups.hpp"
#include "core/handover/export.hpp"
#include "core/handover/vrm.hpp"
#include "core/intake/findings.hpp"
#include "core/library/hand_over.hpp"
#include "core/library/library.hpp"
#include "core/library/shipped.hpp"
#include "core/motion/edit.hpp"
#include "core/review/events.hpp"
#include "core/rig/trees.hpp"
#include "core/solve/baked.hpp"
#include "core/solve/passes.hpp"
#include "core/touchup/apply.hpp"

namespace nb::cli {

namespace {

void print_notes(const std::vector<std::string>& notes) {
    for (const auto& note : notes) fmt::print("  note: {}\n", note);
}

/// "A:B", either side may be empty.
std::pair<int, int> parse_range(const std::string& text, int frames) {
    const auto colon = text.find(':');
    const auto number = [&](const std::string& part, int otherwise) {
        if (part.empty()) return otherwise;
        if (part.size() > 9 || part.find_first_not_of("0123456789") != std::string::npos)
            throw WrongUse(fmt::format("--frames '{}': write A:B in whole frames", text));
        return std::stoi(part);
    };
    if (colon == std::string::npos) throw WrongUse(fmt::format("--frames '{}': write A:B", text));
    const int first = number(text.substr(0, colon), 0);
    const int last = number(text.substr(colon + 1), frames);
    if (first >= last || last > frames)
        throw WrongUse(fmt::format("--frames {}: the take has frames 0 to {}; from A up to, not including, B",
                                   text, frames));
    return {first, last};
}

/// Lists what is unsure or missing; true when there is anything.
bool report_roles(const char* who, const Character& character) {
    const auto unsure = character.roles.unsure();
    for (const auto& role : character.roles.missing)
        fmt::print(stderr, "nbone: {} {}: no bone for {}\n", who, character.name, role);
    for (const auto& role : unsure) {
        const RoleFill& fill = *character.roles.fill(role);
        fmt::print(stderr, "nbone: {} {}: {} is '{}', unsure ({:.0f} %)\n", who, character.name, role,
                   character.rig.skeleton.names[size_t(fill.joint)], 100.0 * fill.confidence);
    }
    return !unsure.empty() || !character.roles.missing.empty();
}

/// Shows progress on a terminal once a second has passed.
class TerminalProgress {
  public:
    explicit TerminalProgress(const char* what) : what_(what) {}
    ~TerminalProgress() {
        if (is_shown_) fmt::print(stderr, "\r{:60}\r", "");
    }
    TerminalProgress(const TerminalProgress&) = delete;
    TerminalProgress& operator=(const TerminalProgress&) = delete;
    bool operator()(int done, int of) {
        if (::isatty(2) && std::chrono::steady_clock::now() - start_ > std::chrono::seconds(1)) {
            is_shown_ = true;
            fmt::print(stderr, "\r{} {:3.0f} %", what_, 100.0 * done / of);
        }
        return true;
    }

  private:
    const char* what_;
    std::chrono::steady_clock::time_point start_ = std::chrono::steady_clock::now();
    std::atomic<bool> is_shown_{false};
};

/// Roles by hand take the place of the proposed ones.
void give_roles(const std::string& path, LoadedFile& loaded) {
    Json document;
    try {
        document = Json::parse(read_file(path));
    } catch (const Json::exception&) {
        throw FileError(path, "is no valid JSON",
                        R"(write {"plan": "biped", "roles": {"hips": "bone", ...}})");
    }
    Character& character = loaded.character;
    character.roles = read_given_roles(document, path, character.rig.skeleton);
    std::string why;
    if (!can_be_transferred(character.roles, why)) throw FileError(path, why, "give them a bone");
    align_to_t(character, loaded.take ? &*loaded.take : nullptr);
}

/// The roles of another character, as far as they fit; what differs.
std::vector<std::string> apply_roles(const std::string& path, LoadedFile& loaded) {
    Character& character = loaded.character;
    Reuse reuse =
        reuse_roles(read_known_roles(read_document(path, "character"), path), character.rig.skeleton);
    std::string why;
    if (!can_be_transferred(reuse.roles, why))
        throw FileError(path, fmt::format("does not fit {}: {}", loaded.character.rig.path, why),
                        "give the characterization of a rig of the same kind");
    character.roles = std::move(reuse.roles);
    align_to_t(character, loaded.take ? &*loaded.take : nullptr);
    reuse.differences.insert(
        reuse.differences.begin(),
        fmt::format("{} bones by their very name, {} by a name like it, {} roles by evidence", reuse.exact,
                    reuse.alike, reuse.proposed));
    return reuse.differences;
}

Json finding_json(const Finding& finding, const Skeleton& skeleton) {
    Json json;
    json["kind"] = finding.kind;
    json["state"] = finding.state == Finding::State::open   ? "open"
                    : finding.state == Finding::State::done ? "done"
                                                            : "told";
    json["what"] = finding.what;
    json["evidence"] = finding.evidence;
    if (!finding.repair.empty()) json["repair"] = finding.repair;
    Json& choices = json["choices"] = Json::array();
    for (const auto& [choice, options] : finding.choices) choices.push_back(choice);
    Json& bones = json["bones"] = Json::array();
    for (const int joint : finding.joints) bones.push_back(skeleton.names[size_t(joint)]);
    json["frames"] = finding.frames;
    return json;
}

Json role_json(const Character& character) {
    Json roles = Json::object();
    for (const RoleFill& fill : character.roles.fills)
        roles[fill.role] = {{"bone", character.rig.skeleton.names[size_t(fill.joint)]},
                            {"confidence", canonical(std::round(fill.confidence * 1000.0) / 1000.0)},
                            {"evidence", fill.evidence}};
    return roles;
}

}  // namespace

std::string pass_names() {
    std::string names;
    for (const PassRow& pass : pass_table) {
        if (!names.empty()) names += ',';
        names += pass.name;
    }
    return names;
}

Passes parse_passes(const std::string& text) {
    Passes passes;
    for (const PassRow& pass : pass_table) passes.*pass.is_on = false;
    size_t at = 0;
    while (at <= text.size()) {
        const size_t end = std::min(text.find(',', at), text.size());
        const std::string name = text.substr(at, end - at);
        const auto pass = std::find_if(pass_table.begin(), pass_table.end(),
                                       [&](const PassRow& known) { return name == known.name; });
        if (pass != pass_table.end())
            passes.*pass->is_on = true;
        else if (!name.empty())
            throw WrongUse(fmt::format("--passes: '{}' is no pass; of {}", name, pass_names()));
        at = end + 1;
    }
    return passes;
}

int inspect(const Options& options) {
    const LoadedFile loaded = load_file(options.file);
    const Character& character = loaded.character;
    const Rig& rig = character.rig;
    const double height_cm = 100.0 * body_height(rig.skeleton, character.roles);
    if (options.as_json) {
        Json document;
        document["file"] = options.file;
        document["format"] = rig.format;
        document["bones"] = rig.skeleton.size();
        document["roots"] = std::count(rig.skeleton.parents.begin(), rig.skeleton.parents.end(), -1);
        document["bodies"] = Json::array();
        for (const int root : body_trees(rig.skeleton))
            document["bodies"].push_back(rig.skeleton.names[size_t(root)]);
        document["unit_m"] = canonical(rig.conventions.unit_m);
        document["unit_is_guessed"] = rig.conventions.is_unit_guessed;
        document["unit_reason"] = rig.conventions.unit_reason;
        document["up"] = rig.conventions.up;
        document["facing"] = rig.conventions.facing;
        document["height_cm"] = canonical(std::round(height_cm * 10.0) / 10.0);
        document["frames"] = loaded.take ? loaded.take->frames : 0;
        document["frame_time_s"] = loaded.take ? Json(loaded.take->frame_time_text) : Json(nullptr);
        document["fps"] = loaded.take ? Json(canonical(loaded.take->fps())) : Json(nullptr);
        document["reference"] = character.rest.reference;
        document["roles"] = character.roles.fills.size();
        document["missing"] = character.roles.missing;
        document["unsure"] = character.roles.unsure();
        document["animations"] = loaded.animations;
        document["findings"] = Json::array();
        for (const Finding& finding : find_in(loaded))
            document["findings"].push_back(finding_json(finding, rig.skeleton));
        document["notes"] = rig.notes;
        fmt::print("{}", format_document(document));
        return exit_done;
    }
    fmt::print("{}\n  {} bones", shown_text(options.file), rig.skeleton.size());
    if (loaded.take)
        fmt::print(", {} frames at {:.4g} frames/s ({} s a frame), {:.2f} s", loaded.take->frames,
                   loaded.take->fps(), loaded.take->frame_time_text,
                   loaded.take->frames * loaded.take->frame_time_s);
    else
        fmt::print(", no motion");
    fmt::print("\n  unit {:.6g} m{}: {}\n", rig.conventions.unit_m,
               rig.conventions.is_unit_guessed ? " (guessed)" : "", rig.conventions.unit_reason);
    fmt::print("  up {}, facing {}: {}\n", rig.conventions.up, rig.conventions.facing,
               rig.conventions.axes_reason);
    if (height_cm > 0)
        fmt::print("  a body about {:.0f} cm tall, leg {:.1f} cm, arm {:.1f} cm\n", height_cm,
                   100.0 * leg_length(rig.skeleton, character.roles),
                   100.0 * arm_length(rig.skeleton, character.roles));
    fmt::print("  {} roles found, {} needed ones missing, {} unsure\n", character.roles.fills.size(),
               character.roles.missing.size(), character.roles.unsure().size());
    if (!character.rest.reference.empty())
        fmt::print(
            "  stands nearest to the common stance in its {}: limbs {:.1f} degrees off in the mean; ankle "
            "{:.1f} cm over the floor ({})\n",
            character.rest.reference, rad_to_deg(character.rest.mean_deviation_rad),
            100.0 * character.rest.ankle_height_m, character.rest.ankle_reason);
    if (const std::vector<int> bodies = body_trees(rig.skeleton); bodies.size() > 1) {
        fmt::print("  {} bodies:", bodies.size());
        for (const int root : bodies) fmt::print(" {}", shown_text(rig.skeleton.names[size_t(root)]));
        fmt::print("; a scene casts each by its own\n");
    }
    for (const Finding& finding : find_in(loaded)) {
        const char* state = finding.state == Finding::State::open   ? "open"
                            : finding.state == Finding::State::done ? "done"
                                                                    : "told";
        fmt::print("  {}  {}: {}{}{}\n", state, finding.kind, finding.what,
                   finding.evidence.empty() ? "" : "; ", finding.evidence);
        if (finding.state == Finding::State::open) fmt::print("        to do: {}\n", finding.repair);
    }
    return exit_done;
}

int characterize(const Options& options) {
    LoadOptions load;
    load.ignore_names = options.ignore_names;
    if (!options.plan.empty())
        load.plan = find_body_plan(options.plan) ? options.plan : load_body_plan(options.plan);
    LoadedFile loaded = load_file(options.file, load);
    if (!options.roles.empty()) give_roles(options.roles, loaded);
    std::vector<std::string> differences;
    if (!options.apply.empty()) differences = apply_roles(options.apply, loaded);
    const Character& character = loaded.character;
    if (character.roles.fills.empty())
        throw FileError(options.file, "no body is found in it: no two pairs of limbs that mirror each other",
                        "look whether it is the right file, or give roles by hand with --roles");
    if (!options.out.empty()) write_file(options.out, format_document(character_document(character)));
    if (!options.vrm.empty()) write_vrm(options.vrm, character, {.name = character.name});
    if (!options.iso.empty()) write_with_iso_names(options.iso, character);
    const auto& names = character.rig.skeleton.names;
    if (options.as_json) {
        Json document;
        document["plan"] = character.roles.plan;
        document["roles"] = role_json(character);
        document["missing"] = character.roles.missing;
        document["unassigned"] = Json::array();
        for (const Unassigned& u : character.roles.unassigned)
            document["unassigned"].push_back({{"bone", names[size_t(u.joint)]}, {"reason", u.reason}});
        document["twists"] = Json::array();
        for (const TwistBone& twist : character.roles.twists)
            document["twists"].push_back({{"bone", names[size_t(twist.joint)]},
                                          {"role", twist.role},
                                          {"share", canonical(std::round(twist.share * 1000.0) / 1000.0)}});
        document["check"] = Json::array();
        for (const CheckEntry& entry : check_roles(character.rig.skeleton, character.roles))
            document["check"].push_back({{"kind", entry.kind}, {"what", entry.what}, {"roles", entry.roles}});
        if (!options.apply.empty()) document["differences"] = differences;
        fmt::print("{}", format_document(document));
    } else {
        for (const RoleFill& fill : character.roles.fills)
            fmt::print("{:18} {:24} {:3.0f} %{}  {}\n", fill.role, shown_text(names[size_t(fill.joint)]),
                       100.0 * fill.confidence, fill.is_unsure() ? " unsure" : "",
                       fmt::join(fill.evidence, "; "));
        for (const Unassigned& u : character.roles.unassigned)
            fmt::print("{:18} {:24} {}\n", "-", shown_text(names[size_t(u.joint)]), shown_text(u.reason));
        for (const auto& role : character.roles.missing) fmt::print("{:18} missing\n", role);
        for (const auto& difference : differences) fmt::print("differs: {}\n", difference);
        const auto check = check_roles(character.rig.skeleton, character.roles);
        for (const CheckEntry& entry : check) fmt::print("check: {}\n", entry.what);
        if (check.empty()) fmt::print("check: all is in order\n");
    }
    return exit_done;
}

namespace {

MapCentre map_centre_of(const std::string& text) {
    if (text == "first") return {};
    if (text == "origin") return {MapCentre::Kind::origin};
    double x = 0.0, z = 0.0;
    int read = 0;
    if (std::sscanf(text.c_str(), "%lf,%lf%n", &x, &z, &read) != 2 || size_t(read) != text.size() ||
        !(std::abs(x) <= 1e4 && std::abs(z) <= 1e4))
        throw WrongUse(fmt::format("--about '{}': write first, origin, or X,Z in metres", shown_text(text)));
    return {MapCentre::Kind::place, Vec3(x, 0.0, z)};
}

}  // namespace

PairingSettings pairing_settings(const Options& options) {
    PairingSettings settings;
    if (!options.pairing.empty())
        settings = read_pairing(read_document(options.pairing, "pairing"), options.pairing).settings;
    if (!options.passes.empty()) settings.passes = parse_passes(options.passes);
    if (!options.about.empty()) settings.about = map_centre_of(options.about);
    return settings;
}

namespace {

/// What of an order a transfer may have: the steps after the solve.
HandOverOrder order_of(const Options& options) {
    HandOverOrder order;
    if (!options.travel.empty()) order.travel.kind = *travel_kind(options.travel);
    order.has_stance_first = options.has_stance_first;
    order.placement.starts_at_origin = options.starts_at_origin;
    if (options.reduce.empty()) {
        if (options.may_curve) throw WrongUse("--curved: say how far keys may be off, --reduce MM");
        return order;
    }
    const auto comma = options.reduce.find(',');
    const auto number = [&](const std::string& text) {
        char* end = nullptr;
        const double value = std::strtod(text.c_str(), &end);
        if (text.empty() || *end != 0 || !(value >= 0.001 && value <= 1000.0))
            throw WrongUse(fmt::format("--reduce '{}': write MM or MM,DEGREES", shown_text(options.reduce)));
        return value;
    };
    order.reduce = KeyTolerance{};
    order.reduce->may_curve = options.may_curve;
    order.reduce->place_m = 1e-3 * number(options.reduce.substr(0, comma));
    if (comma != std::string::npos)
        order.reduce->turn_rad = deg_to_rad(number(options.reduce.substr(comma + 1)));
    return order;
}
bool is_plain(const HandOverOrder& order, const LoadedFile& source) {
    return source.character.rig.options.starts_at_s == 0.0 && !order.reduce && order.placement.is_none() &&
           !order.has_stance_first && order.travel == Travel{};
}

}  // namespace

int transfer(const Options& options) {
    const std::string ending = std::filesystem::path(options.out).extension().string();
    if (!is_file_format(ending))
        throw WrongUse("--out: choose a name ending in .bvh, .glb, .vrma, .fbx, .dae or .csv");
    const HandOverOrder order = order_of(options);
    std::vector<std::string> notes;
    LoadedFile source = load_take(options.take, options.source_character, notes, options.animation - 1);
    LoadedFile target = load_character(options.target, options.target_character, notes);
    PairingSettings settings = pairing_settings(options);
    if (options.has_root_track) {
        settings.has_root_track = true;
        if (target.character.roles.joint("root") < 0)
            throw FileError(options.target, "has no root bone above the hips for --root-track",
                            "name it in a character file, or leave the option out");
    }
    Take take = std::move(*source.take);
    if (!options.frames.empty()) {
        const auto [first, last] = parse_range(options.frames, take.frames);
        take = trim(take, first, last);
    }
    if (options.fps) take = resample(take, *options.fps);
    if (options.has_no_touch_up) {
        target.character.touches.clear();
        settings.touches.clear();
        settings.take_touches.clear();
    }
    if (!options.touch_up.empty()) {
        const TouchLayers layers = read_touch_ups(options.touch_up);
        TouchLayers& own = settings.take_touches[take.key()];
        own.insert(own.end(), layers.begin(), layers.end());
    }

    TerminalProgress progress("transfer");
    const std::string take_name = take.name;
    TransferResult result =
        transfer_lean(source.character, std::move(take), target.character, settings, options.threads,
                      [&](int done, int of) { return progress(done, of); });
    const Review review = review_result(source.character, target.character, result);
    const auto events = find_events(review, result, settings);
    // What writing needs is the target's motion alone.
    result.source = {};
    const int frames = result.take.frames;
    const PlaceMap map = result.plan.program.map;
    const char* const kept = settings.about.kind == MapCentre::Kind::first_place ? "where it begins"
                             : settings.about.kind == MapCentre::Kind::origin    ? "the origin"
                                                                                 : "a place";
    const std::vector<std::string> told = notes_of(result);
    if (is_plain(order, source) && (ending == ".bvh" || ending == ".glb")) {
        export_motion(options.out, target.character, ResultView(target.character.rig.skeleton, result),
                      &notes);
    } else {
        Handed handed = handed_of(target.character, std::move(result));
        handed.starts_at_s = source.character.rig.options.starts_at_s;
        take_steps(order, handed);
        WriteOptions how;
        how.reduce = order.reduce;
        const Written written = write_handed(options.out, handed, how);
        notes.insert(notes.end(), handed.told.begin(), handed.told.end());
        notes.insert(notes.end(), written.notes.begin(), written.notes.end());
        if (order.reduce)
            notes.push_back(
                fmt::format("{} of {} keys, {} of {} channels curved; the largest error is {:.3f} mm "
                            "and {:.3f} degrees",
                            written.keys, written.keys_before, written.curved, written.channels,
                            1e3 * written.error.place_m, rad_to_deg(written.error.turn_rad)));
    }
    if (!options.review.empty()) {
        Json document = review_document(review);
        document["events"] = events_document(events);
        write_file(options.review, format_document(document));
    }

    fmt::print("{} onto {}: {} frames, place map x{:.3f} about {} ({:.2f} · {:.2f} m)\n", take_name,
               target.character.name, frames, map.k, kept, map.about.x(), map.about.z());
    fmt::print(
        "  foot slide p95 {:.1f} cm/s at 175 cm (the capture's own {:.1f}); tips within {:.2f} cm p95; "
        "directions within {:.2f} degrees p95\n",
        review.target_slide_cm_s.p95, review.source_slide_cm_s.p95, review.worst_tip_p95_cm(),
        review.worst_direction_p95_deg());
    for (size_t i = 0; i < std::min<size_t>(events.size(), 5); ++i)
        fmt::print("  frame {}: {}\n", events[i].worst_frame, events[i].text);
    if (events.size() > 5) fmt::print("  and {} more places (--review)\n", events.size() - 5);
    print_notes(notes);
    print_notes(told);
    const bool source_is_unsure = report_roles("source", source.character);
    const bool target_is_unsure = report_roles("target", target.character);
    return source_is_unsure || target_is_unsure ? exit_unsure_roles : exit_done;
}

int limber(const Options& options) {
    std::vector<std::string> notes;
    const LoadedFile source = load_take(limbering_document(), "", notes);
    const LoadedFile target = load_character(options.file, options.target_character, notes);
    const TransferResult result = nb::transfer(source.character, *source.take, target.character, {}, 0, {});
    const Review review = review_result(source.character, target.character, result);
    if (!options.out.empty())
        write_file(options.out, format_document(certificate_document(target.character, review)));
    fmt::print("{}: limbering, {} frames; directions within {:.2f} degrees p95, tips within {:.2f} cm p95\n",
               target.character.name, result.take.frames, review.worst_direction_p95_deg(),
               review.worst_tip_p95_cm());
    print_notes(notes_of(result));
    return report_roles("rig", target.character) ? exit_unsure_roles : exit_done;
}

}  // namespace nb::cli
