#include "core/batch/batch.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <atomic>
#include <chrono>
#include <cmath>
#include <filesystem>
#include <map>
#include <mutex>
#include <set>
#include <thread>
#include <unordered_map>

#include "core/base/files.hpp"
#include "core/base/hash.hpp"
#include "core/batch/runs.hpp"
#include "core/handover/name_pattern.hpp"
#include "core/library/beside.hpp"

namespace nb {

namespace fs = std::filesystem;

namespace {

using Clock = std::chrono::steady_clock;

constexpr size_t held_at_once = 24;  // takes and characters of a worker
// Before anything was done: measured on the demo library, docs/scale.md.
constexpr double usual_s_a_frame = 2.7e-4;
constexpr double shard_s = 1800.0;
constexpr int most_shards = 1000;
constexpr size_t own_memory_bytes = 24u << 20;
constexpr size_t bytes_a_frame = 16u << 10;  // of a result with its review, while it is made

double seconds_since(Clock::time_point then) {
    return std::chrono::duration<double>(Clock::now() - then).count();
}

std::map<std::string, size_t> by_name(const std::vector<LibraryEntry>& entries) {
    std::map<std::string, size_t> places;
    for (size_t i = 0; i < entries.size(); ++i) places.emplace(entries[i].name, i);
    return places;
}

/// What all jobs of an order say of themselves: its settings, not which pairs it has.
std::string word_of_order(const HandOverOrder& order) {
    return hash_word(settings_of(order).dump());
}

/// The day on which an order, as it is now, was begun; by whoever began it.
std::string begun_on(const HandOverOrder& order, const Ledger& ledger) {
    const std::string folder = ledger.order_folder(order.name);
    std::error_code error;
    fs::create_directories(folder, error);
    const std::string place = (fs::path(folder) / ("begun-" + word_of_order(order))).string();
    write_new_file(place, today() + "\n");
    const std::string text = read_file(place);
    return text.substr(0, text.find('\n'));
}

bool are_files_there(const JobEntry& entry, const std::string& folder) {
    return std::all_of(entry.files.begin(), entry.files.end(), [&](const Json& file) {
        if (file.value("state", "") != "written") return true;
        std::error_code error;
        const auto size = fs::file_size(fs::path(folder) / file.value("name", ""), error);
        return !error && size == file.value("bytes", std::uintmax_t(0));
    });
}

/// Whether an entry is of the job as it is now, and all it wrote is there.
bool is_whole(const std::optional<JobEntry>& entry, const BatchJob& job, const std::string& folder) {
    return entry && entry->word == job.word && !entry->is_failed() && are_files_there(*entry, folder);
}

/// Whether what is there of a job's files is what the job itself wrote before.
bool are_own(const JobEntry& entry, const std::vector<HandOverRow>& rows) {
    return std::all_of(rows.begin(), rows.end(), [&](const HandOverRow& row) {
        if (row.state != HandOverRow::State::there) return true;
        return std::any_of(entry.files.begin(), entry.files.end(), [&](const Json& file) {
            return file.value("name", "") == row.name &&
                   file.value("hash", "") == hash_word(read_file(row.path));
        });
    });
}

}  // namespace

Batch batch_of(const HandOverOrder& order) {
    return {order, order.pairs};
}

Batch trial_of(const Library& library, Ledger& ledger, const std::vector<std::string>& takes,
               const std::vector<std::string>& characters) {
    LibraryInputs inputs(library, ledger.hashes());
    const auto is_in = [](const std::vector<std::string>& names, const std::string& name) {
        return names.empty() || std::find(names.begin(), names.end(), name) != names.end();
    };
    Batch batch;
    for (size_t t = 0; t < library.takes.size(); ++t) {
        if (!is_in(takes, library.takes[t].name)) continue;
        for (size_t c = 0; c < library.characters.size(); ++c) {
            if (!is_in(characters, library.characters[c].name)) continue;
            if (plans_agree(inputs.take(t).plan, inputs.character(c).plan))
                batch.pairs.push_back({library.takes[t].name, library.characters[c].name});
        }
    }
    return batch;
}

std::vector<BatchJob> jobs_of(const Batch& batch, const Library& library, Ledger& ledger) {
    LibraryInputs inputs(library, ledger.hashes());
    const auto takes = by_name(library.takes), characters = by_name(library.characters);
    const auto word_of_pair = [&](const OrderedPair& pair) {
        const auto take = takes.find(pair.take), character = characters.find(pair.character);
        return take == takes.end() || character == characters.end()
                   ? std::string("gone")
                   : inputs.word_of_pair(take->second, character->second);
    };
    std::vector<BatchJob> jobs;
    std::map<std::string, size_t> together;  // by character
    const bool is_together = batch.order && batch.order->is_together;
    for (const OrderedPair& pair : batch.pairs) {
        if (is_together) {
            const auto [found, is_new] = together.emplace(pair.character, jobs.size());
            if (!is_new) {
                jobs[found->second].pairs.push_back(pair);
                continue;
            }
        }
        jobs.emplace_back().pairs.push_back(pair);
    }
    const std::string order_word = batch.order ? word_of_order(*batch.order) : "";
    const std::string folder = batch.order ? order_folder(*batch.order, library) : "";
    std::set<std::string> names;
    for (BatchJob& job : jobs) {
        std::string words = order_word;
        for (const OrderedPair& pair : job.pairs)
            words += fmt::format("{}\n{}\n{}\n", pair.take, pair.character, word_of_pair(pair));
        job.word = hash_word(words);
        job.key = is_together ? Ledger::key_of({"", job.pairs.front().character})
                              : Ledger::key_of(job.pairs.front());
        if (!batch.order) {
            const auto brief = ledger.briefs().find(job.key);
            job.is_done = brief != ledger.briefs().end() && !brief->second.is_failed &&
                          brief->second.word == word_of_pair(job.pairs.front());
            continue;
        }
        // The name in which only what tells pairs apart is put: two that are equal would be one file.
        std::map<std::string, std::string> known;
        for (const std::string& word : pattern_words()) known[word] = word;
        known["take"] = is_together ? "takes" : job.pairs.front().take;
        known["character"] = job.pairs.front().character;
        const std::string name = fill_pattern(batch.order->pattern, known);
        if (!names.insert(name).second) {
            job.why = fmt::format(
                "another pair of the order has the name '{}': put {{take}} and {{character}} into its "
                "pattern",
                name);
            continue;
        }
        job.is_done = is_whole(ledger.job(batch.order->name, job.key), job, folder);
    }
    return jobs;
}

BatchEstimate estimate(const std::vector<BatchJob>& jobs, const Library& library, Ledger& ledger) {
    BatchEstimate estimate;
    estimate.jobs = jobs.size();
    double took_s = 0.0;
    long took_frames = 0;
    long most_frames = 1;
    std::unordered_map<std::string, int> frames;  // by take
    for (const auto& [key, brief] : ledger.briefs()) {
        if (brief.is_failed) continue;
        took_s += brief.took_s;
        took_frames += brief.frames;
        frames[brief.take] = brief.frames;
    }
    estimate.is_measured = took_frames > 0 && took_s > 0.0;
    const double s_a_frame = estimate.is_measured ? took_s / double(took_frames) : usual_s_a_frame;
    const double usual_frames =
        frames.empty() ? 1000.0 : double(took_frames) / double(ledger.briefs().size());
    size_t largest = 0;
    for (const LibraryEntry& entry : library.takes)
        largest = std::max(largest, size_t(stamp_of(entry.path).size));
    size_t largest_rig = 0;
    for (const LibraryEntry& entry : library.characters)
        largest_rig = std::max(largest_rig, size_t(stamp_of(entry.path).size));
    for (const BatchJob& job : jobs) {
        estimate.done += job.is_done ? 1 : 0;
        estimate.refused += job.why.empty() ? 0 : 1;
        for (const OrderedPair& pair : job.pairs) {
            const auto known = frames.find(pair.take);
            const double count = known == frames.end() ? usual_frames : known->second;
            most_frames = std::max(most_frames, std::lround(count));
            if (!job.is_done && job.why.empty()) estimate.seconds += s_a_frame * count;
        }
    }
    // Of files that are held, each grows about threefold when it is read.
    estimate.memory_bytes = own_memory_bytes + 3 * std::min(held_at_once, library.takes.size()) * largest +
                            3 * std::min(held_at_once, library.characters.size()) * largest_rig +
                            size_t(most_frames) * bytes_a_frame;
    estimate.shards = std::clamp(int(std::ceil(estimate.seconds / shard_s)), 1, most_shards);
    return estimate;
}

namespace {

class BatchRun {
  public:
    BatchRun(const Batch& batch, const Library& library, Ledger& ledger, const BatchOptions& options,
             const std::function<bool(const BatchProgress&)>& progress)
        : batch_(batch),
          library_(library),
          options_(options),
          progress_(progress),
          ledger_(ledger),
          teller_(library.folder, batch, options),
          inputs_(library, ledger.hashes()),
          takes_(by_name(library.takes)),
          characters_(by_name(library.characters)) {}

    BatchOutcome run() {
        const auto began = Clock::now();
        ledger_.look();
        const std::vector<BatchJob> jobs = jobs_of(batch_, library_, ledger_);
        if (batch_.order) date_ = begun_on(*batch_.order, ledger_);
        std::vector<const BatchJob*> mine;
        for (size_t i = size_t(options_.shard); i < jobs.size(); i += size_t(options_.shards)) {
            if (jobs[i].is_done) {
                ++outcome_.was_done;
                continue;
            }
            mine.push_back(&jobs[i]);
        }
        ledger_.keep_summary();
        own_s_ += seconds_since(began);
        std::atomic<size_t> next = 0;
        std::vector<std::thread> workers;
        const auto work = [&] {
            LibraryFiles files(library_, held_at_once);
            for (size_t at = next++; at < mine.size() && !is_cancelled_; at = next++) {
                if (!tell(int(at), int(mine.size()), name_of(*mine[at]))) break;
                try {
                    do_job(*mine[at], files);
                } catch (const std::exception& error) {
                    // It could not even be noted: a full disk, a folder that is gone.
                    const std::lock_guard lock(mutex_);
                    ++outcome_.failed;
                    outcome_.faults.push_back(fmt::format("{}: {}", name_of(*mine[at]), error.what()));
                }
            }
        };
        const int count = std::clamp(options_.jobs, 1, int(std::max<size_t>(1, mine.size())));
        for (int i = 1; i < count; ++i) workers.emplace_back(work);
        work();
        for (std::thread& worker : workers) worker.join();
        const auto ended = Clock::now();
        outcome_.left = int(mine.size()) - outcome_.done - outcome_.failed - outcome_.by_others;
        ledger_.look();
        if (batch_.order) write_merged();
        ledger_.keep_summary();
        own_s_ += seconds_since(ended);
        outcome_.own_seconds = own_s_;
        outcome_.seconds = seconds_since(began);
        teller_.end(outcome_, is_cancelled_);
        if (progress_) progress_({int(mine.size()) - outcome_.left, int(mine.size()), outcome_.failed, ""});
        return outcome_;
    }

  private:
    const Batch& batch_;
    const Library& library_;
    const BatchOptions options_;
    const std::function<bool(const BatchProgress&)>& progress_;
    Ledger& ledger_;
    BatchTeller teller_;
    LibraryInputs inputs_;
    const std::map<std::string, size_t> takes_, characters_;  ///< their places, by name
    std::string date_;
    std::mutex mutex_;
    std::atomic<bool> is_cancelled_ = false;
    BatchOutcome outcome_;
    double own_s_ = 0.0;

    static std::string name_of(const BatchJob& job) {
        return job.pairs.size() == 1
                   ? fmt::format("{} on {}", job.pairs.front().take, job.pairs.front().character)
                   : fmt::format("{} takes on {}", job.pairs.size(), job.pairs.front().character);
    }

    bool tell(int at, int of, const std::string& name) {
        const std::lock_guard lock(mutex_);
        const BatchProgress now{at, of, outcome_.failed, name};
        teller_.tell(now, at == 0);
        if (progress_ && !progress_(now)) is_cancelled_ = true;
        return !is_cancelled_;
    }

    /// Tried pairs of a job by their keys, with what each is made from.
    using MadeFrom = std::map<std::string, Tried>;
    /// Before anything of it is read: a change meanwhile is seen as one.
    MadeFrom made_from(const BatchJob& job) {
        const std::lock_guard lock(mutex_);
        MadeFrom made;
        for (const OrderedPair& pair : job.pairs) {
            Tried& tried = made[Ledger::key_of(pair)];
            const auto take = takes_.find(pair.take), character = characters_.find(pair.character);
            if (take == takes_.end() || character == characters_.end()) continue;
            tried.inputs = inputs_.of_pair(take->second, character->second);
            tried.word = inputs_.word_of_pair(take->second, character->second);
        }
        return made;
    }

    using PutTried = std::function<void(const Tried&, const OrderedPair&)>;
    void put_tried(Tried tried, const OrderedPair& pair, const MadeFrom& made, double took_s) {
        const Tried& from = made.at(Ledger::key_of(pair));
        tried.pair = pair;
        tried.inputs = from.inputs;
        tried.word = from.word;
        tried.took_s = took_s;
        ledger_.put(tried);
    }

    void do_job(const BatchJob& job, LibraryFiles& files) {
        std::string fault = job.why;
        double own_s = 0.0;
        const auto timed = [&](const auto& own) {
            const auto began = Clock::now();
            own();
            own_s += seconds_since(began);
        };
        const auto began = Clock::now();
        const auto was_by_others = [&] {
            const std::lock_guard lock(mutex_);
            ++outcome_.was_done;
            ++outcome_.by_others;
        };
        if (batch_.order &&
            is_whole(ledger_.job(batch_.order->name, job.key), job, order_folder(*batch_.order, library_)))
            return was_by_others();
        JobEntry entry{job.pairs, job.word, Json::array()};
        if (fault.empty()) {
            try {
                MadeFrom made;
                timed([&] { made = made_from(job); });
                const PutTried put = [&](const Tried& tried, const OrderedPair& pair) {
                    timed([&] { put_tried(tried, pair, made, seconds_since(began)); });
                };
                const auto carried = [&](const CarriedPair& pair) { put(tried_of(pair), pair.pair); };
                for (const OrderedPair& pair : job.pairs) read(pair, files, put);
                if (!batch_.order) {
                    try_pair(job.pairs.front(), files, put);
                } else if (auto written = write_files(job, files, carried)) {
                    entry.files = std::move(*written);
                } else {
                    return was_by_others();
                }
            } catch (const std::exception& error) {
                fault = error.what();
            }
        }
        if (batch_.order) {
            if (!fault.empty() && entry.files.empty())
                for (const OrderedPair& pair : job.pairs)
                    entry.files.push_back({{"name", ""},
                                           {"take", pair.take},
                                           {"character", pair.character},
                                           {"state", "failed"},
                                           {"why", fault}});
            for (const Json& file : entry.files)
                if (fault.empty() && file.value("state", "") == "failed") fault = file.value("why", "");
            timed([&] { ledger_.put(batch_.order->name, job.key, entry); });
        }
        const std::lock_guard lock(mutex_);
        own_s_ += own_s;
        if (fault.empty()) {
            ++outcome_.done;
        } else {
            ++outcome_.failed;
            outcome_.faults.push_back(fmt::format("{}: {}", name_of(job), fault));
        }
    }

    /// Notes why a pair cannot be carried.
    template <typename Attempt>
    static void attempt(const OrderedPair& pair, const PutTried& put, const Attempt& what) {
        try {
            what();
        } catch (const std::exception& error) {
            Tried failed;
            failed.why = error.what();
            put(failed, pair);
            throw;
        }
    }

    static void read(const OrderedPair& pair, LibraryFiles& files, const PutTried& put) {
        attempt(pair, put, [&] {
            files.take(pair.take);
            files.character(pair.character);
        });
    }

    static void try_pair(const OrderedPair& pair, LibraryFiles& files, const PutTried& put) {
        attempt(pair, put, [&] {
            const LoadedFile& take = files.take(pair.take);
            const LoadedFile& body = files.character(pair.character);
            const PairingSettings settings = files.pairing(take, body).first.settings;
            const TransferResult result =
                transfer(take.character, *take.take, body.character, settings, 1, {});
            const Review review = review_result(take.character, body.character, result);
            put(tried_of({pair, review, result, settings}), pair);
        });
    }

    /// None where another program has done it meanwhile.
    std::optional<Json> write_files(const BatchJob& job, LibraryFiles& files,
                                    const std::function<void(const CarriedPair&)>& carried) {
        HandOverOrder part = *batch_.order;
        part.pairs = job.pairs;
        part.date = date_;
        for (;;) {
            part.clash = batch_.order->clash;
            // Files first, then the entry: whoever places a file has said so before.
            const std::vector<HandOverRow> rows = plan_hand_over(part, files);
            const auto before = ledger_.job(part.name, job.key);
            if (is_whole(before, job, order_folder(part, library_))) return {};
            // What this job wrote before goes; of what is anybody else's the order says what becomes.
            if (before && are_own(*before, rows)) part.clash = Clash::replace;
            // Whoever finds a file finds whose it is: the entry is first. It has no word until all is whole.
            JobEntry under_way{job.pairs, "", before ? before->files : Json::array()};
            const auto placing = [&](const std::string& name, const std::string& hash) {
                under_way.files.push_back({{"name", name},
                                           {"take", job.pairs.front().take},
                                           {"character", job.pairs.front().character},
                                           {"state", "to do"},
                                           {"hash", hash}});
                ledger_.put(part.name, job.key, under_way);
            };
            Json written = hand_over_part(part, files, 1, {carried, placing});
            if (!has_come_meanwhile(rows, written)) return written;
        }
    }
    /// Whether a file was passed over that was not there a moment before: another program's, at the same job.
    static bool has_come_meanwhile(const std::vector<HandOverRow>& rows, const Json& written) {
        return std::any_of(written.begin(), written.end(), [&](const Json& file) {
            return file.value("state", "") == "skipped" &&
                   std::any_of(rows.begin(), rows.end(), [&](const HandOverRow& row) {
                       return row.name == file.value("name", "") && row.state == HandOverRow::State::free;
                   });
        });
    }

    /// Others may be at it, too: until nothing new has come meanwhile.
    void write_merged() {
        std::string last;
        outcome_.report = report_place(*batch_.order, library_);
        for (;;) {
            const Json report = merged_report(batch_, library_, ledger_);
            std::string text = format_document(report);
            if (text == last) return;
            write_report(report, outcome_.report);
            last = std::move(text);
        }
    }
};

}  // namespace

BatchOutcome run_batch(const Batch& batch, const Library& library, Ledger& ledger,
                       const BatchOptions& options,
                       const std::function<bool(const BatchProgress&)>& progress) {
    return BatchRun(batch, library, ledger, options, progress).run();
}

Json merged_report(const Batch& batch, const Library& library, Ledger& ledger) {
    HandOverOrder order = batch.order.value_or(HandOverOrder());
    order.date = begun_on(order, ledger);
    Json report = report_head(order, library, pairing_id(order.id.empty() ? order.name : order.id, "report"));
    report["files"] = Json::array();
    for (const BatchJob& job : jobs_of(batch, library, ledger)) {
        const auto entry = ledger.job(order.name, job.key);
        if (entry && entry->word == job.word) {
            for (const Json& file : entry->files) report["files"].push_back(file);
            continue;
        }
        for (const OrderedPair& pair : job.pairs)
            report["files"].push_back(
                {{"name", ""}, {"take", pair.take}, {"character", pair.character}, {"state", "to do"}});
    }
    report["settings"] = settings_of(order);
    return report;
}

}  // namespace nb
