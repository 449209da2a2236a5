// nbone hand-over: what an order names, written, read back and kept account of; nbone controls, nbone join.
#include <fmt/format.h>

#include <algorithm>
#include <filesystem>

#include "cli/commands.hpp"
#include "core/base/fault.hpp"
#include "core/base/files.hpp"
#include "core/base/text_encoding.hpp"
#include "core/base/uuid.hpp"
#include "core/files/gltf/gltf.hpp"
#include "core/handover/goals.hpp"
#include "core/library/controls.hpp"
#include "core/library/hand_over.hpp"
#include "core/library/joined.hpp"

namespace nb::cli {

namespace fs = std::filesystem;

std::string library_of(const Options& options) {
    if (!options.library.empty()) return options.library;
    const fs::path folder = fs::absolute(options.file).parent_path();
    if (folder.filename() == "orders" || folder.filename() == "joins") return folder.parent_path().string();
    throw WrongUse(fmt::format("{}: it lies in no library's 'orders' or 'joins'; give --library FOLDER",
                               shown_text(options.file)));
}

namespace {

std::string row_state(const HandOverRow& row, Clash clash) {
    switch (row.state) {
        case HandOverRow::State::free:
            return "new";
        case HandOverRow::State::there:
            return clash == Clash::skip ? "is there: skipped" : std::string(clash_name(clash));
        case HandOverRow::State::twice:
        case HandOverRow::State::refused:
            return row.why;
    }
    return "";
}

void print_rows(const HandOverOrder& order, const std::vector<HandOverRow>& rows) {
    for (const HandOverRow& row : rows) {
        fmt::print("  {:44} {:>6} frames at {:<7.4g} about {:>7.2f} MB  {}\n", shown_text(row.name),
                   row.frames, row.fps, double(row.bytes) / 1e6, shown_text(row_state(row, order.clash)));
        for (const std::string& lost : row.lost) fmt::print("      {}\n", shown_text(lost));
    }
}

/// Exit code 5: something is stale.
int tell_stale(const Options& options) {
    const auto stale = stale_rows(read_document(options.file, "hand-over-report"), options.file);
    for (const StaleRow& row : stale)
        fmt::print("stale  {}: {}\n", shown_text(row.name), shown_text(row.why));
    fmt::print("{}\n", stale.empty() ? "nothing is stale" : fmt::format("{} stale", stale.size()));
    return stale.empty() ? exit_done : exit_stale;
}

}  // namespace

int hand_over(const Options& options) {
    if (options.is_stale_asked) return tell_stale(options);
    const HandOverOrder order = read_order(read_document(options.file, "order"), options.file);
    LibraryFiles files(open_library(library_of(options)));
    if (options.is_dry) {
        const auto rows = plan_hand_over(order, files);
        fmt::print("{}: {} files into {}\n", shown_text(order.name), rows.size(),
                   shown_text(order_folder(order, files.library())));
        print_rows(order, rows);
        const bool is_clear = std::all_of(rows.begin(), rows.end(), [](const HandOverRow& row) {
            return row.state == HandOverRow::State::free || row.state == HandOverRow::State::there;
        });
        return is_clear ? exit_done : exit_bad_input;
    }
    const HandOverReport report = run_hand_over(order, files, options.threads);
    for (const Json& file : report.document["files"]) {
        const std::string state = file["state"];
        fmt::print("  {:10} {}", state, shown_text(file["name"].get<std::string>()));
        if (file.contains("why")) fmt::print(": {}", shown_text(file["why"].get<std::string>()));
        if (state == "written")
            fmt::print("  {} frames, {} of {} keys, read back within {:.4f} mm and {:.4f} degrees",
                       file["frames"].get<int>(), file["keys"].get<size_t>(),
                       file["keys_before"].get<size_t>(), file["read_back"]["place_mm"].get<double>(),
                       file["read_back"]["turn_deg"].get<double>());
        fmt::print("\n");
    }
    fmt::print("{} written, {} skipped, {} failed; {}\n", report.written, report.skipped, report.failed,
               shown_text(report.page_path));
    return report.failed > 0 ? exit_bad_input : exit_done;
}

int controls(const Options& options) {
    std::vector<std::string> notes;
    const LoadedFile body = load_character(options.target, options.target_character, notes);
    const std::vector<std::string> nodes = read_gltf(options.file).skeleton.names;
    ControlRig rig;
    rig.path = options.file;
    rig.controls = propose_controls(nodes, body.character.roles);
    const auto put = [&](const Control& control) {
        std::erase_if(rig.controls, [&](const Control& one) { return one.node == control.node; });
        rig.controls.push_back(control);
    };
    for (const std::string& given : options.set) {
        const size_t at = given.rfind('=');
        if (at == std::string::npos)
            throw WrongUse(fmt::format("--set '{}': write NODE=GOAL", shown_text(given)));
        Control control{given.substr(0, at), given.substr(at + 1)};
        if (std::find(nodes.begin(), nodes.end(), control.node) == nodes.end())
            throw FileError(options.file, fmt::format("has no node '{}'", shown_text(control.node)),
                            "give one of its nodes");
        if (!has_goal(body.character.roles, control.goal))
            throw FileError(options.target, fmt::format("the body has no '{}'", shown_text(control.goal)),
                            "give a role, or hips, wrist.left, knee.right, look ...");
        control.has_turn = !is_pole(control.goal) && control.goal != "look";
        put(control);
        if (const Control other = mirrored_control(control, nodes); !other.node.empty()) put(other);
    }
    rig.limbs = propose_limbs(nodes);
    for (const Control& control : rig.controls)
        fmt::print("{:28} {:18} {}{}\n", shown_text(control.node), control.goal,
                   control.has_place ? "place " : "", control.has_turn ? "turn" : "");
    for (const auto& [limb, keys] : rig.limbs)
        if (!keys.node.empty()) fmt::print("{:28} {:18} share\n", shown_text(keys.node), limb);
    for (const std::string& node : nodes)
        if (std::none_of(rig.limbs.begin(), rig.limbs.end(),
                         [&](const auto& limb) { return limb.second.node == node; }) &&
            std::none_of(rig.controls.begin(), rig.controls.end(),
                         [&](const Control& one) { return one.node == node; }))
            fmt::print("{:28} -\n", shown_text(node));
    if (!options.out.empty()) write_file(options.out, format_document(controls_document(rig, make_uuid())));
    return exit_done;
}

int join(const Options& options) {
    const JoinPlan plan = read_join(read_document(options.file, "join"), options.file);
    if (options.out.empty() && options.take.empty())
        throw WrongUse("join: say where it goes, --out FILE or --take NAME");
    LibraryFiles files(open_library(library_of(options)));
    const Joined joined = join_takes(plan, files, options.threads);
    if (!options.out.empty()) write_handed(options.out, joined.motion, {});
    fmt::print("{}: {} clips, {} frames, {:.2f} s\n", shown_text(joined.motion.name), plan.clips.size(),
               joined.motion.motion.frames, joined.motion.motion.frames * joined.motion.motion.frame_time_s);
    for (size_t i = 0; i < joined.seams.size(); ++i) {
        const SeamReport& seam = joined.seams[i];
        fmt::print(
            "  seam at {}: {} meets within {:.1f} cm and {:.1f} degrees over {:.2f} s; poses {:.1f} cm "
            "apart; jerk "
            "{:.0f} m/s3 (the clips' own {:.0f}); raised by {:.1f} cm; {} and {} frames left out\n",
            seam.frame, plan.seams[i].point, 100.0 * seam.place_error_m, rad_to_deg(seam.heading_error_rad),
            plan.seams[i].overlap_s, 100.0 * seam.distance_m, seam.jerk, seam.own_jerk, 100.0 * seam.step_m,
            seam.cut_earlier, seam.cut_later);
    }
    if (!options.take.empty()) {
        JoinPlan named = plan;
        named.name = options.take;
        const LibraryEntry entry = keep_joined(files.library(), named, joined, files);
        fmt::print("  {} is in the library now\n", shown_text(entry.path));
    }
    return exit_done;
}

}  // namespace nb::cli
