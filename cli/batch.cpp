// nbone batch, nbone coverage: orders over a whole library, and what became of them.
#include <fmt/format.h>

#include <chrono>
#include <csignal>
#include <filesystem>
#include <map>

#include "cli/commands.hpp"
#include "cli/outputs.hpp"
#include "core/base/fault.hpp"
#include "core/base/files.hpp"
#include "core/base/text_encoding.hpp"
#include "core/batch/batch.hpp"
#include "core/batch/coverage.hpp"
#include "core/batch/take_query.hpp"
#include "core/library/beside.hpp"
#include "core/library/changes.hpp"
#include "core/library/renewal.hpp"

namespace nb::cli {

namespace fs = std::filesystem;

namespace {

volatile std::sig_atomic_t is_stopped = 0;
void stop(int /*signal*/) {
    is_stopped = 1;
}

/// "2/7": the second of seven.
void read_shard(const std::string& text, BatchOptions& options) {
    if (text.empty()) return;
    int shard = 0, of = 0;
    char rest = 0;
    if (std::sscanf(text.c_str(), "%d/%d%c", &shard, &of, &rest) != 2 || of < 1 || of > 100000 || shard < 1 ||
        shard > of)
        throw WrongUse(fmt::format("--shard '{}': write I/N, I from 1 to N", shown_text(text)));
    options.shard = shard - 1;
    options.shards = of;
}

std::string time_words(double seconds) {
    if (seconds < 100.0) return fmt::format("{:.0f} s", seconds);
    if (seconds < 6000.0) return fmt::format("{:.0f} min", seconds / 60.0);
    return fmt::format("{:.1f} h", seconds / 3600.0);
}

int tell_plan(const Batch& batch, const Library& library, Ledger& ledger, const Options& options) {
    ledger.look();
    const auto jobs = jobs_of(batch, library, ledger);
    const BatchEstimate plan = estimate(jobs, library, ledger);
    if (options.as_json) {
        const Json told{{"jobs", plan.jobs},
                        {"done", plan.done},
                        {"refused", plan.refused},
                        {"seconds", canonical(plan.seconds)},
                        {"memory_bytes", plan.memory_bytes},
                        {"shards", plan.shards}};
        fmt::print("{}\n", told.dump(2));
        return plan.refused > 0 ? exit_bad_input : exit_done;
    }
    if (options.verbose)
        for (const BatchJob& job : jobs)
            for (const OrderedPair& pair : job.pairs)
                fmt::print("  {:8} {} on {}\n",
                           job.is_done       ? "done"
                           : job.why.empty() ? "to do"
                                             : "refused",
                           shown_text(pair.take), shown_text(pair.character));
    for (const BatchJob& job : jobs)
        if (!job.why.empty())
            fmt::print("refused  {} on {}: {}\n", shown_text(job.pairs.front().take),
                       shown_text(job.pairs.front().character), shown_text(job.why));
    const size_t left = plan.jobs - plan.done - plan.refused;
    fmt::print(
        "{} jobs, {} done, {} to do: about {} on one core ({}), {} on {} cores; {:.0f} MB a process; {} "
        "shard{}\n",
        plan.jobs, plan.done, left, time_words(plan.seconds),
        plan.is_measured ? "by what was done before" : "by the usual rate",
        time_words(plan.seconds / plan.shards), plan.shards, double(plan.memory_bytes) / 1e6, plan.shards,
        plan.shards == 1 ? "" : "s of about half an hour");
    return plan.refused > 0 ? exit_bad_input : exit_done;
}

}  // namespace

int batch(const Options& options) {
    const bool is_trial = fs::is_directory(options.file);
    const Library library = open_library(is_trial ? options.file : library_of(options));
    Ledger ledger(library.folder);
    const Batch batch = is_trial ? trial_of(library, ledger, options.takes, options.characters)
                                 : batch_of(read_order(read_document(options.file, "order"), options.file));
    if (options.is_plan_asked) return tell_plan(batch, library, ledger, options);
    BatchOptions how;
    how.jobs = options.jobs;
    read_shard(options.shard, how);
    std::signal(SIGINT, stop);
    std::signal(SIGTERM, stop);
    auto told = std::chrono::steady_clock::now();
    const BatchOutcome outcome = run_batch(batch, library, ledger, how, [&](const BatchProgress& progress) {
        const auto now = std::chrono::steady_clock::now();
        if (now - told > std::chrono::seconds(1)) {
            told = now;
            fmt::print("  {} of {}, {} failed: {}\n", progress.done, progress.of, progress.failed,
                       shown_text(progress.name));
            std::fflush(stdout);
        }
        return is_stopped == 0;
    });
    for (const std::string& fault : outcome.faults) fmt::print("failed  {}\n", shown_text(fault));
    fmt::print("{} done, {} done before, {} failed, {} left; {} at {} a time", outcome.done, outcome.was_done,
               outcome.failed, outcome.left, time_words(outcome.seconds), how.jobs);
    if (outcome.done > 0)
        fmt::print("; the batch's own share {:.2f} ms a job", 1e3 * outcome.own_seconds / outcome.done);
    fmt::print("\n");
    if (!outcome.report.empty()) fmt::print("{}\n", shown_text(outcome.report));
    return outcome.failed > 0 ? exit_bad_input : exit_done;
}

namespace {

void print_comparison(const RigComparison& found) {
    if (found.is_same()) fmt::print("the same skeleton and skin\n");
    if (found.size != 1.0)
        fmt::print("{:.4g} times as large{}\n", found.size, found.is_unit ? ": another unit" : "");
    if (found.turned_deg != 0.0) fmt::print("turned as a whole by {:.1f} degrees\n", found.turned_deg);
    for (const RigChange& change : found.changes) fmt::print("{}\n", shown_text(change.text));
    if (!found.skin.empty()) fmt::print("{}\n", found.skin);
    const auto listed = [](const std::vector<std::string>& names) {
        return shown_text(fmt::format("{}", fmt::join(names, ", ")));
    };
    fmt::print("carries over: {} of {} roles, {} rests, {} chains, {} touch-ups\n", found.roles_kept.size(),
               found.roles_kept.size() + found.roles_lost.size(), found.rests.size(), found.chains.size(),
               found.touch_ups);
    if (!found.roles_lost.empty()) fmt::print("lost: {}\n", listed(found.roles_lost));
    if (!found.chains_lost.empty()) fmt::print("ticks lost: {}\n", listed(found.chains_lost));
}

}  // namespace

int compare_rigs(const Options& options) {
    std::vector<std::string> notes;
    if (options.take_in) {
        const auto of = character_of_library(options.file);
        if (!of) throw WrongUse("--take-in: the older must be the rig of a character of a library");
        const auto& [library, character] = *of;
        const Renewal renewal = renewal_of(character, options.against);
        std::string laid_aside;
        const LibraryEntry now = renew_character(library, character, renewal, laid_aside);
        if (options.as_json) {
            fmt::print("{}\n", rig_comparison_json(renewal.comparison).dump(2));
            return exit_done;
        }
        print_comparison(renewal.comparison);
        if (!renewal.roles_new.empty())
            fmt::print("new roles: {}\n", shown_text(fmt::format("{}", fmt::join(renewal.roles_new, ", "))));
        for (const std::string& note : renewal.notes) fmt::print("{}\n", shown_text(note));
        fmt::print("{} is in force; the older lies in {}\n", shown_text(now.path), shown_text(laid_aside));
        Ledger ledger(library.folder);
        ledger.look();
        if (const int pairs = pairs_made_of(library, ledger, now.name); pairs > 0)
            fmt::print("stale now: {} pair{} that had been tried\n", pairs, pairs == 1 ? "" : "s");
        return exit_done;
    }
    std::string document = options.target_character;
    if (document.empty()) document = character_document_beside(options.file);
    const LoadedFile older = load_character(options.file, document, notes),
                     newer = load_file(options.against);
    const RigComparison found = nb::compare_rigs(older.character, newer.character.rig);
    if (options.as_json)
        fmt::print("{}\n", rig_comparison_json(found).dump(2));
    else
        print_comparison(found);
    return exit_done;
}

int coverage(const Options& options) {
    const Library library = open_library(options.file);
    Ledger ledger(library.folder);
    ledger.look();
    const Coverage table = coverage_of(library, ledger);
    ledger.keep_summary();
    const CoverageCount all = table.count();
    LibraryInputs inputs(library, ledger.hashes());
    if (!options.out.empty()) {
        const std::string ending = fs::path(options.out).extension().string();
        if (ending == ".csv")
            write_file(options.out, coverage_csv(table));
        else if (ending == ".html")
            write_file(options.out, coverage_page(table, library.name));
        else if (ending == ".json")
            write_file(options.out, format_document(coverage_document(table, library)));
        else
            throw WrongUse(fmt::format("--out {}: write a .csv, .html or .json", shown_text(options.out)));
    }
    for (size_t t = 0; t < table.takes.size() && (options.out.empty() || options.verbose); ++t)
        for (size_t c = 0; c < table.characters.size(); ++c) {
            const CoverageCell& cell = table.at(t, c);
            if (cell.state == CoverageCell::State::not_tried && !options.verbose) continue;
            fmt::print("{:20} {:16} {:>6} {}{}\n", shown_text(table.takes[t].name),
                       shown_text(table.characters[c].name),
                       cell.state == CoverageCell::State::carried
                           ? fmt::format("{:.0f} %", 100.0 * double(cell.share))
                           : "",
                       cell.is_accepted ? "accepted; " : "",
                       shown_text(words_of_cell(table, t, c, inputs, ledger)));
        }
    fmt::print("{} cells: {} inside, {} outside, {} accepted, {} stale, {} failed, {} not tried\n",
               table.cells.size(), all.inside, all.outside, all.accepted, all.stale, all.failed,
               all.not_tried);
    return all.stale > 0 ? exit_stale : exit_done;
}

int takes(const Options& options) {
    const Library library = open_library(options.file);
    const TakeQuery query(fmt::format("{}", fmt::join(options.takes, " ")));
    if (!query.troubles().empty()) throw WrongUse(query.troubles().front());
    Ledger ledger(library.folder);
    if (query.asks_ledger()) ledger.look();
    std::map<std::string, TakeKnown> tried;
    for (const auto& [key, brief] : ledger.briefs()) {
        tried[brief.take].tried.push_back(brief.character);
        if (brief.is_failed || brief.share > 1.0) tried[brief.take].outside.push_back(brief.character);
    }
    LibraryInputs inputs(library, ledger.hashes());
    Json found = Json::array();
    for (size_t t = 0; t < library.takes.size(); ++t) {
        const LibraryEntry& take = library.takes[t];
        const TakeAccount account = account_in(library, take);
        const LibraryInputs::Side& side = inputs.take(t);
        TakeKnown known = tried[take.name];
        ItemWords words;
        try {
            words = words_of(take, false);
        } catch (const FileError&) {  // without a document nothing is said of it
        }
        known.body = body_of_take(library, take);
        known.words = fmt::format("{} {} {} {} {} {}", take.name, side.name, known.body, words.notes,
                                  words.terms, fmt::join(words.tags, " "));
        known.seconds = account.seconds;
        known.account = &account;
        if (!query.fits(known)) continue;
        if (options.as_json) {
            Json& one = found.emplace_back();
            one["take"] = take.name;
            one["body"] = known.body;
            put_account(one, account);
            continue;
        }
        if (!account.why.empty()) {
            fmt::print("{}: {}\n", shown_text(take.name), shown_text(account.why));
            continue;
        }
        fmt::print("{:20} {:12} {:6.1f} s {:5.1f} m  {}; touches {}\n", shown_text(take.name),
                   shown_text(known.body), account.seconds, account.travel_m,
                   account.moves.empty() ? "moves little" : fmt::format("{}", fmt::join(account.moves, ", ")),
                   account.touches.empty() ? "nothing" : fmt::format("{}", fmt::join(account.touches, ", ")));
    }
    if (options.as_json) fmt::print("{}\n", found.dump(2));
    return exit_done;
}

}  // namespace nb::cli
