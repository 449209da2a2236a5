// nbone: everything the core can do, without a window.
#include <CLI/CLI.hpp>
#include <cerrno>
#include <cstdio>
#include <cstdlib>
#include <cstring>
#include <new>

#include "cli/outputs.hpp"
#include "core/base/fault.hpp"
#include "core/base/text_encoding.hpp"
#include "core/base/version.hpp"
#include "core/documents/pairing.hpp"
#include "core/files/scene/child.hpp"

namespace {

int run(const CLI::App& command, const nb::cli::Options& options) {
    nb::cli::check_outputs(options);
    const std::string& name = command.get_name();
    if (name == "inspect") return nb::cli::inspect(options);
    if (name == "characterize") return nb::cli::characterize(options);
    if (name == "align") return nb::cli::align(options);
    if (name == "transfer") return nb::cli::transfer(options);
    if (name == "map") return nb::cli::map_bones(options);
    if (name == "review-table") return nb::cli::review_table(options);
    if (name == "hand-over") return nb::cli::hand_over(options);
    if (name == "controls") return nb::cli::controls(options);
    if (name == "join") return nb::cli::join(options);
    if (name == "scene") return nb::cli::scene(options);
    if (name == "batch") return nb::cli::batch(options);
    if (name == "compare-rigs") return nb::cli::compare_rigs(options);
    if (name == "takes") return nb::cli::takes(options);
    if (name == "family") return nb::cli::family(options);
    if (name == "coverage") return nb::cli::coverage(options);
    if (name == "listen") return nb::cli::listen(options);
    if (name == "limber") return nb::cli::limber(options);
    return nb::cli::picture(options);
}

/// CLI11's own range lets "nan" through.
std::string is_rate(const std::string& text) {
    char* end = nullptr;
    const double fps = std::strtod(text.c_str(), &end);
    return end && *end == 0 && fps >= 0.1 && fps <= 1000.0 ? ""
                                                           : "'" + text + "' is no rate: give 0.1 to 1000";
}

}  // namespace

int main(int argc, char** argv) {
    int read_apart = 0;
    if (nb::serve_scene_reader(argc, argv, read_apart)) return read_apart;
    CLI::App app{"Nimble Bone: carries captured motion between unlike bodies."};
    app.require_subcommand(1);
    app.set_version_flag("--version", std::string("nbone ") + nb::version());
    nb::cli::Options options;

    auto* inspect = app.add_subcommand("inspect", "What a file holds.");
    inspect->add_option("FILE", options.file, "A .bvh, .glb or .gltf file")->required();
    inspect->add_flag("--json", options.as_json, "As JSON");

    auto* characterize = app.add_subcommand("characterize", "Which bone plays which part of the body.");
    characterize->add_option("RIG", options.file, "Any file with a skeleton")->required();
    characterize->add_option("--out", options.out, "Write character.json here");
    characterize->add_option(
        "--roles", options.roles,
        "Roles by hand: JSON, {\"plan\": \"biped\"|\"quadruped\", \"roles\": {role: bone}}");
    characterize->add_flag("--ignore-names", options.ignore_names, "By shape and tree alone");
    characterize->add_option("--plan", options.plan,
                             "A body plan by its name (biped, quadruped) or its file");
    characterize->add_option("--apply", options.apply,
                             "The roles of this character.json, as far as they fit; the rest by evidence");
    characterize->add_option("--vrm", options.vrm,
                             "Write a copy of the rig (.glb) with the humanoid mapping of VRM 1.0 here");
    characterize->add_option("--iso-names", options.iso,
                             "Write a copy of the rig (.glb or .bvh) with ISO/IEC 19774-1 joint names here");
    characterize->add_flag("--json", options.as_json, "As JSON");

    auto* align = app.add_subcommand("align", "Brings a rig's rest into a stance; degrees a role.");
    align->add_option("RIG", options.file, "Any file with a skeleton")->required();
    align->add_option("--character", options.target_character, "character.json of the rig");
    align->add_option("--stance", options.stance,
                      "t, a:DEGREES, down, own, or a file with a body that stands in it");
    align->add_option("--fingers", options.fingers, "straight or keep")
        ->check(CLI::IsMember({"straight", "keep"}));
    align->add_option("--spread", options.spread_fingers, "Of the fingers: closed or keep")
        ->check(CLI::IsMember({"closed", "keep"}));
    align->add_option("--thumb", options.thumb, "Degrees off the index, or keep");
    align->add_option("--clavicles", options.clavicles, "keep their slope, or level")
        ->check(CLI::IsMember({"keep", "level"}));
    align->add_option("--spine", options.spine, "keep its curve, or straight")
        ->check(CLI::IsMember({"keep", "straight"}));
    align->add_option("--as-rest", options.as_rest,
                      "Write a copy of the rig (.glb) here whose own rest is the aligned one");
    align->add_option(
        "--against", options.against,
        "A rig, take or .take.json to compare with: how far apart each role is, before and now");
    align->add_option("--against-character", options.source_character, "character.json of that body");
    align->add_option("--out", options.out, "Write character.json here");
    align->add_flag("--json", options.as_json, "As JSON");

    auto* transfer = app.add_subcommand("transfer", "Carries a take onto another body.");
    transfer->add_option("--take", options.take, "The take: .bvh, .glb or .take.json")->required();
    transfer->add_option("--target", options.target, "The rig it goes to: any file with a skeleton")
        ->required();
    transfer->add_option("--animation", options.animation,
                         "Which, of a take file that holds several; from 1");
    transfer->add_option("--source-character", options.source_character, "character.json of the take's body");
    transfer->add_option("--target-character", options.target_character, "character.json of the target");
    transfer->add_option("--pairing", options.pairing, "Pairing document");
    transfer->add_option("--out", options.out, "OUT.bvh, .glb, .vrma, .fbx, .dae or .csv")->required();
    transfer->add_option(
        "--about", options.about,
        "What stays in its place when distances over the floor are scaled: first (where the take "
        "begins), origin, or X,Z in metres");
    transfer->add_option("--passes", options.passes, "Of " + nb::cli::pass_names() + ", those to run");
    transfer->add_flag("--root-track", options.has_root_track,
                       "Travel and heading go onto the target's root bone; the hips keep what is left");
    transfer->add_option("--frames", options.frames, "A:B, from A up to, not including, B");
    transfer->add_option("--fps", options.fps, "Frame rate of the result; duration is kept")->check(is_rate);
    transfer->add_option("--threads", options.threads, "At most so many threads")->check(CLI::Range(0, 1024));
    transfer->add_option("--review", options.review, "Write the review as JSON here");
    transfer->add_option("--touch-up", options.touch_up,
                         "Touch-ups: a document of layers (docs/touch-up.md), after those of pair and body");
    transfer->add_flag("--no-touch-up", options.has_no_touch_up,
                       "Leave out what pairing and character document keep of touch-ups");

    transfer
        ->add_option(
            "--travel", options.travel,
            "Where the travel goes: 'in hips', 'on root' (added where the rig has none) or 'in place'")
        ->check(CLI::IsMember({"in hips", "on root", "in place"}));
    transfer->add_option("--reduce", options.reduce,
                         "The fewest keys with which no joint errs by more: MM or MM,DEGREES (.glb, .vrma)");
    transfer->add_flag("--curved", options.may_curve, "With --reduce: cubic keys where that halves them");
    transfer->add_flag("--stance-first", options.has_stance_first,
                       "One frame more at the beginning: the aligned rest");
    transfer->add_flag("--at-origin", options.starts_at_origin, "The take begins over the origin, facing +Z");

    auto* hand_over =
        app.add_subcommand("hand-over", "Writes what an order of a library names, and proves it.");
    hand_over->add_option("ORDER", options.file, "orders/NAME.json of a library; with --stale a report")
        ->required();
    hand_over->add_option("--library", options.library,
                          "The library's folder, when the order lies elsewhere");
    hand_over->add_flag("--dry", options.is_dry, "List every file and clash, write nothing");
    hand_over->add_flag("--stale", options.is_stale_asked,
                        "Which files of a report are no longer up to date");
    hand_over->add_option("--threads", options.threads, "At most so many threads")
        ->check(CLI::Range(0, 1024));

    auto* batch = app.add_subcommand(
        "batch", "Does an order over a whole library, job by job; what is done is not done again.");
    batch
        ->add_option(
            "ORDER", options.file,
            "orders/NAME.json of a library; or a library's folder: every pair is carried and reviewed")
        ->required();
    batch->add_option("--library", options.library, "The library's folder, when the order lies elsewhere");
    batch->add_option("--take", options.takes, "With a folder: these takes alone; more than once");
    batch->add_option("--character", options.characters, "With a folder: these characters alone");
    batch->add_option("--jobs", options.jobs, "So many at a time")->check(CLI::Range(1, 1024));
    batch->add_option("--shard", options.shard, "I/N: the jobs I, I + N, I + 2 N ... alone");
    batch->add_flag("--plan", options.is_plan_asked,
                    "Tell jobs, time, memory and a sensible number of shards; do nothing");
    batch->add_flag("--verbose", options.verbose, "With --plan: every job");
    batch->add_flag("--json", options.as_json, "With --plan: as JSON");

    auto* compare = app.add_subcommand(
        "compare-rigs", "What is another in a newer file of a character, and what of the work carries over.");
    compare->add_option("OLD", options.file, "The rig as it was")->required();
    compare->add_option("NEW", options.against, "The rig as it is")->required();
    compare->add_option("--character", options.target_character,
                        "character.json of the older; else the one beside it");
    compare->add_flag("--take-in", options.take_in,
                      "Put the newer in force with all the work; the older, of a library, is laid aside");
    compare->add_flag("--json", options.as_json, "As JSON");

    auto* family = app.add_subcommand(
        "family", "Families of characters that share a characterization, and templates that fill rigs.");
    family->add_option("VERB", options.verb, "make, list, fit, fill, join, give or leave")
        ->required()
        ->check(CLI::IsMember({"make", "list", "fit", "fill", "join", "give", "leave"}));
    family->add_option("FILES", options.files, "Rigs; with list, fit and fill a library's folder, too")
        ->required();
    family->add_option("--name", options.name, "make, join: the family's name");
    family->add_option("--out", options.out, "make: write a template, FILE.family.json, instead of a family");
    family->add_option("--character", options.target_character, "make: character.json of the rig");
    family->add_option("--by", options.by, "fit, fill: .family.json or a library; more than once");
    family->add_option("--part", options.parts,
                       "give: roles, rest, chains or touch-ups alone; more than once");
    family->add_flag("--dry", options.is_dry, "Tell what would become of it; write nothing");
    family->add_flag("--force", options.is_forced, "Existing files may be written over");

    auto* takes =
        app.add_subcommand("takes", "The takes of a library and what happens in each; all, or those sought.");
    takes->add_option("LIBRARY", options.file, "The library's folder")->required();
    takes->add_option("WORDS", options.takes,
                      "Words, and filters: on:BODY longer:S shorter:S does:walks travels:M touches:hands "
                      "tried:CHARACTER untried:CHARACTER outside:CHARACTER");
    takes->add_flag("--json", options.as_json, "As JSON");

    auto* coverage =
        app.add_subcommand("coverage", "Which take works on which character, how well, and what is stale.");
    coverage->add_option("LIBRARY", options.file, "The library's folder")->required();
    coverage->add_option("--out", options.out, "Write the table: .csv, .html or .json");
    coverage->add_flag("--verbose", options.verbose, "Tell every cell");

    auto* controls =
        app.add_subcommand("controls", "Which node of a control rig takes what of a body, by its name.");
    controls->add_option("RIG", options.file, "A .glb whose nodes are controls")->required();
    controls->add_option("--target", options.target, "The body's rig")->required();
    controls->add_option("--target-character", options.target_character, "character.json of the body");
    controls->add_option("--set", options.set, "NODE=GOAL by hand, the other side, too; more than once");
    controls->add_option("--out", options.out, "Write controls.json here");

    auto* join = app.add_subcommand("join", "Clips of one body in a row, met and blended at their seams.");
    join->add_option("PLAN", options.file, "A join document")->required();
    join->add_option("--library", options.library, "The library's folder, when the plan lies elsewhere");
    join->add_option("--out", options.out, "OUT.bvh, .glb, .vrma, .fbx, .dae or .csv");
    join->add_option("--take", options.take, "Take it into the library under this name");
    join->add_option("--threads", options.threads, "At most so many threads")->check(CLI::Range(0, 1024));

    auto* map = app.add_subcommand("map", "Which bones drive which, what is left over, what to expect.");
    map->add_option("--take", options.take, "A take of the source, or its rig with motion")->required();
    map->add_option("--target", options.target, "The rig it goes to")->required();
    map->add_option("--source-character", options.source_character, "character.json of the take's body");
    map->add_option("--target-character", options.target_character, "character.json of the target");
    map->add_option("--pairing", options.pairing, "Pairing document");
    map->add_option("--out", options.out, "Write the map as CSV here");

    auto* table = app.add_subcommand(
        "review-table", "Every take of a library onto every biped of it, measured against the bars.");
    table->add_option("LIBRARY", options.file, "The library's folder")->required();
    table->add_option("--take", options.takes, "A further take, from outside; more than once");
    table->add_option("--passes", options.passes, "Of " + nb::cli::pass_names() + ", those to run");
    table->add_option("--fps", options.fps, "Takes at this frame rate; duration is kept")->check(is_rate);
    table->add_option("--threads", options.threads, "At most so many threads")->check(CLI::Range(0, 1024));
    table->add_option("--out", options.out, "Write the table as CSV here");
    table->add_flag("--verbose", options.verbose, "Say where a bar is missed");

    auto* scene = app.add_subcommand("scene", "Several bodies on one clock and one floor, carried together.");
    scene->add_option("FILE", options.file, "A scene: NAME.scene.json")->required();
    scene->add_option("--out", options.out, "A folder: CAST.glb for each cast");
    scene->add_option("--review", options.review, "Write the review as JSON here, and say what it finds");
    scene->add_option("--set", options.set, "CAST=TARGET: another body for a cast; more than once");
    scene->add_option("--threads", options.threads, "At most so many threads")->check(CLI::Range(0, 1024));

    auto* limber = app.add_subcommand(
        "limber", "Plays the shipped limbering take on a rig and reviews it: its certificate.");
    limber->add_option("RIG", options.file, "Any file with a skeleton")->required();
    limber->add_option("--character", options.target_character, "character.json of the rig");
    limber->add_option("--out", options.out, "Write the certificate as JSON here");

    auto* listen =
        app.add_subcommand("listen", "Follows a stream: BVH over TCP or OSC over UDP (docs/live.md).");
    listen->add_option("ADDRESS", options.file, "Where to listen: 127.0.0.1:7300, or a port");
    listen->add_flag("--beyond-this-machine", options.may_leave_machine,
                     "Allows addresses that other machines reach, to listen and to send");
    listen->add_option("--performer", options.performer, "Whom to follow; else the first that comes");
    listen->add_option("--source", options.source, "The body that is expected: any file with its skeleton");
    listen->add_option("--source-character", options.source_character, "character.json of that body");
    listen->add_option("--target", options.target, "The rig it is carried onto");
    listen->add_option("--target-character", options.target_character, "character.json of the target");
    listen->add_option("--pairing", options.pairing, "Pairing document");
    listen->add_option("--passes", options.passes, "Of " + nb::cli::pass_names() + ", those to run");
    listen
        ->add_option("--buffer", options.buffer_ms,
                     "Milliseconds what comes is held back, so that it comes evenly")
        ->check(CLI::Range(0.0, 500.0));
    listen->add_option("--record", options.record,
                       "Record to NAME.live.bvh, and make NAME.bvh of it at the end");
    listen->add_option("--finish", options.finish,
                       "Make the take of a recording whose program was ended: NAME");
    listen->add_option("--send", options.send,
                       "Send the target's pose on: osc:127.0.0.1:7400 or bvh:127.0.0.1:7400");
    listen->add_option("--seconds", options.seconds, "End after so many")->check(CLI::Range(0.0, 1e6));
    listen->add_flag("--until-stopped", options.is_until_end, "End when the stream does");
    listen->add_flag("--json", options.as_json, "A line of JSON a second");

    auto* picture = app.add_subcommand("picture", "Draws one frame; no display needed.");
    picture->add_option("--take", options.take, "The take");
    picture->add_option("--scene", options.scene, "A scene instead: all its casts");
    picture->add_option("--set", options.set, "CAST=TARGET of the scene: another body; more than once");
    picture->add_option("--target", options.target, "The rig it goes to");
    picture->add_option("--animation", options.animation, "Which, of a take file that holds several; from 1");
    picture->add_option("--source-character", options.source_character, "character.json of the take's body");
    picture->add_option("--target-character", options.target_character, "character.json of the target");
    picture->add_option("--pairing", options.pairing, "Pairing document");
    picture->add_option("--passes", options.passes, "Of " + nb::cli::pass_names() + ", those to run");
    picture->add_option("--frame", options.frame, "Frame, from 0")->required();
    picture
        ->add_option("--view", options.view, "front, back, side, 'other side', top, below or three-quarter")
        ->required()
        ->check(CLI::IsMember({"front", "back", "side", "other side", "top", "below", "three-quarter"}));
    picture->add_option("--spread", options.spread, "0: over each other, 1: side by side")
        ->check(CLI::Range(0.0, 1.0));
    picture->add_option("--body", options.body_look, "How the target is drawn: mesh, bones or xray")
        ->check(CLI::IsMember({"mesh", "bones", "xray"}));
    picture->add_option("--theme", options.theme, "ink or paper")->check(CLI::IsMember({"ink", "paper"}));
    picture->add_option("--out", options.out, "P.png")->required();

    for (auto* command :
         {characterize, align, transfer, controls, join, map, table, limber, picture, scene, coverage})
        command->add_flag("--force", options.is_forced, "Write over files that are there");

    try {
        app.parse(argc, argv);
    } catch (const CLI::ParseError& error) {
        return app.exit(error) == 0 ? 0 : nb::cli::exit_wrong_use;
    }
    try {
        const int code = run(*app.get_subcommands().front(), options);
        // What was said may not have arrived: a full disk, a closed pipe.
        if (std::fflush(stdout) == 0 && std::ferror(stdout) == 0) return code;
        std::fprintf(stderr, "nbone: what was found could not be written: %s\n", std::strerror(errno));
        return nb::cli::exit_bad_input;
    } catch (const nb::cli::WrongUse& error) {
        std::fprintf(stderr, "nbone: %s\n", nb::shown_text(error.what()).c_str());
        return nb::cli::exit_wrong_use;
    } catch (const std::bad_alloc&) {
        std::fprintf(stderr, "nbone: there is not enough memory for that; trim the take\n");
        return nb::cli::exit_bad_input;
    } catch (const std::exception& error) {
        std::fprintf(stderr, "nbone: %s\n", error.what());
        return nb::cli::exit_bad_input;
    }
}
