// nbone scene: several takes on several targets, carried together, written and reviewed.
#include <fmt/format.h>

#include <algorithm>
#include <filesystem>

#include "cli/commands.hpp"
#include "core/base/fault.hpp"
#include "core/base/files.hpp"
#include "core/base/text_encoding.hpp"
#include "core/library/scenes.hpp"

namespace nb::cli {

namespace fs = std::filesystem;

OpenScene opened_scene(const std::string& path, const Options& options) {
    OpenScene scene = read_scene_file(path);
    for (const std::string& text : options.set) {
        const auto equals = text.find('=');
        const int cast = equals == std::string::npos ? -1 : scene.document.cast(text.substr(0, equals));
        if (cast < 0)
            throw WrongUse(
                fmt::format("--set '{}': write CAST=TARGET with a cast of the scene", shown_text(text)));
        scene.document.casts[size_t(cast)].target = text.substr(equals + 1);
    }
    load_casts(scene);
    return scene;
}

namespace {

/// Of the review's document, a line a touch and a pair of bodies.
void print_review(const Json& review) {
    for (const Json& touch : review["touches"])
        fmt::print("  {} {} on {} {}: kept in {} of {} looks; largest gap {:.1f} mm, deepest {:.1f} mm\n",
                   shown_text(touch["cast"].get<std::string>()), touch["point"].get<std::string>(),
                   touch["on"].get<std::string>(), shown_text("of " + touch["with"].get<std::string>()),
                   touch["kept"].get<int>(), touch["looks"].get<int>(), touch["largest_gap_mm"].get<double>(),
                   touch["deepest_mm"].get<double>());
    for (const Json& pair : review["between"])
        fmt::print(
            "  {} and {}: deepest in each other {:.1f} mm at {:.2f} s; deeper than 2 cm in {:.1f} % of "
            "looks\n",
            shown_text(pair["of"].get<std::string>()), shown_text(pair["and"].get<std::string>()),
            pair["deepest_mm"].get<double>(), pair["at_s"].get<double>(),
            100.0 * pair["deep_share"].get<double>());
    for (const Json& cast : review["casts"])
        for (const Json& bar : cast["bars"])
            if (!bar["met"].get<bool>())
                fmt::print("  {}: {} is {:.4g}, its bar {:.4g}\n",
                           shown_text(cast["name"].get<std::string>()), bar["name"].get<std::string>(),
                           bar["value"].get<double>(), bar["bar"].get<double>());
}

}  // namespace

int scene(const Options& options) {
    const OpenScene scene = opened_scene(options.file, options);
    const std::vector<std::string> files =
        options.out.empty() ? std::vector<std::string>() : scene_files(scene, options.out);
    for (const std::string& file : files)
        if (!options.is_forced && fs::exists(file))
            throw WrongUse(fmt::format("{}: is there already; --force writes over it", shown_text(file)));
    const SceneResult result = carry_scene(scene, options.threads);
    fmt::print("{}: {} casts, place map x{:.3f}\n", shown_text(scene.document.name), scene.casts.size(),
               result.k);
    for (size_t i = 0; i < scene.casts.size(); ++i) {
        const SceneDocument::CastEntry& cast = scene.document.casts[i];
        fmt::print("  {}: {} onto {}, {} frames from {:.2f} s{}\n", shown_text(cast.name),
                   shown_text(cast.take), shown_text(cast.target), result.results[i].take.frames,
                   cast.start_s,
                   result.steps.empty()
                       ? ""
                       : fmt::format("; steps {:+.0f} % beside its own legs", 100.0 * result.steps[i]));
    }
    if (result.rounds > 0)
        fmt::print("  {} touches between bodies; settled in {} rounds, the last moved {:.2f} mm\n",
                   std::count_if(result.touches.begin(), result.touches.end(),
                                 [](const BodyTouch& touch) { return !touch.is_unsure; }),
                   result.rounds, 1e3 * result.moved_m);
    std::vector<std::string> notes = scene.notes;
    notes.insert(notes.end(), result.notes.begin(), result.notes.end());
    if (!files.empty()) {
        for (std::string& note : write_scene(scene, result, options.out)) notes.push_back(std::move(note));
        for (const std::string& file : files) fmt::print("  wrote {}\n", shown_text(file));
    }
    if (!options.review.empty()) {
        const Json review = scene_review_document(scene, result);
        write_file(options.review, format_document(review));
        print_review(review);
    }
    for (const std::string& note : notes) fmt::print("  note: {}\n", shown_text(note));
    return exit_done;
}

}  // namespace nb::cli
