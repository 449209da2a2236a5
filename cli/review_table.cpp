// nbone review-table: every take of a library onto every biped of it, measured against the bars.
#include <fmt/format.h>

#include <filesystem>

#include "cli/commands.hpp"
#include "core/base/csv.hpp"
#include "core/base/fault.hpp"
#include "core/base/files.hpp"
#include "core/intake/load.hpp"
#include "core/library/library.hpp"
#include "core/motion/edit.hpp"
#include "core/review/bars.hpp"

namespace nb::cli {

int review_table(const Options& options) {
    const Library library = open_library(options.file);
    struct Body {
        std::string name;
        LoadedFile file;
    };
    std::vector<std::string> notes;
    std::vector<Body> characters;
    // Takes are read one after another: a library may hold thousands.
    std::vector<std::pair<std::string, std::string>> takes;
    for (const LibraryEntry& entry : library.takes)
        takes.emplace_back(entry.name, entry.document.empty() ? entry.path : entry.document);
    const size_t of_library = takes.size();
    for (const std::string& path : options.takes)
        takes.emplace_back(std::filesystem::path(path).stem().string(), path);
    for (const LibraryEntry& entry : library.characters) {
        LoadedFile loaded = load_character(entry.path, entry.document, notes);
        if (!loaded.character.roles.is_four_legged()) characters.push_back({entry.name, std::move(loaded)});
    }
    const PairingSettings settings = pairing_settings(options);
    std::string table;
    int missed = 0;
    int carried = 0;
    int unread = 0;
    for (size_t t = 0; t < takes.size(); ++t) {
        Body take{takes[t].first, {}};
        try {
            take.file = load_take(takes[t].second, "", notes);
        } catch (const FileError& fault) {
            // One that cannot be read does not keep the others waiting.
            if (t >= of_library) throw;
            fmt::print(stderr, "nbone: {}\n", fault.what());
            ++unread;
            continue;
        }
        if (!take.file.take || (t < of_library && take.file.character.roles.is_four_legged())) continue;
        if (options.fps) *take.file.take = resample(*take.file.take, *options.fps);
        ++carried;
        for (const Body& character : characters) {
            const Character& source = take.file.character;
            const Character& target = character.file.character;
            const TransferResult result =
                nb::transfer(source, *take.file.take, target, settings, options.threads, {});
            const Review review = review_result(source, target, result);
            const auto bars = bars_of(review, result, settings);
            if (table.empty()) {
                table = "take,character,frames,windows,floor_levels,without_floor";
                for (const Bar& bar : bars) table += "," + bar.name;
                table += ",slide_edge_source_p95_cm_s,missed\n";
            }
            table += fmt::format("{},{},{},{},{},{}", csv_cell(take.name), csv_cell(character.name),
                                 review.frames, review.windows.size(), result.contacts.floor.levels_m.size(),
                                 review.frames_without_floor);
            std::string missing;
            for (const Bar& bar : bars) {
                table += fmt::format(",{:.4g}", bar.value);
                if (bar.is_met()) continue;
                missing += (missing.empty() ? "" : " ") + bar.name;
                ++missed;
            }
            table += fmt::format(",{:.4g},{}\n", review.source_edge_cm_s.p95, csv_cell(missing));
            fmt::print("{:16} {:16}", take.name, character.name);
            for (const Bar& bar : bars) fmt::print(" {:>8.3g}{}", bar.value, bar.is_met() ? ' ' : '!');
            fmt::print("\n");
            if (options.verbose) {
                for (const RoleSmoothness& role : review.smoothness) {
                    for (const Pop& pop : role.pops)
                        fmt::print("    pop {} frame {} {:.0f} deg/s\n", pop.role, pop.frame,
                                   pop.change_deg_s);
                    if (role.jitter() > most_jitter)
                        fmt::print("    jitter {} {:.0f} rad/s2, source {:.0f}\n", role.role,
                                   role.target_acceleration_rad_s2, role.source_acceleration_rad_s2);
                }
                for (const ReachDeficit& deficit : review.deficits)
                    fmt::print("    missing {} frames {} to {}: {:.2f} cm at {}\n", deficit.point,
                               deficit.first, deficit.last, deficit.missing_cm, deficit.worst_frame);
                fmt::print("    edge {} drift {} height {} below {} slide {}\n",
                           review.target_edge_cm_s.worst_frame, review.drift_mm.worst_frame,
                           review.height_mm.worst_frame, review.below_mm.worst_frame,
                           review.target_slide_cm_s.worst_frame);
            }
        }
    }
    if (!options.out.empty()) write_file(options.out, table);
    fmt::print("{} takes onto {} characters; {} bars missed (!)\n", carried, characters.size(), missed);
    return unread > 0 ? exit_bad_input : exit_done;
}

}  // namespace nb::cli
