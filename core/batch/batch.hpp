// Orders over whole libraries: job by job, on as many cores and machines as there are, taken up again where they ended.
//
// A job is a take on a character, or all takes of a character that go into one file. Its word is a hash of all it is made
// from and of what the order says: a job whose entry in the ledger has that word and whose files are there is done, and is
// not done again. Shard i of n takes the jobs i, i + n, i + 2n ... of the order. What was written is the same bytes for any
// number of shards and cores, and so is the report that is merged from the ledger.
#pragma once
#include <functional>
#include <optional>
#include <string>
#include <vector>

#include "core/batch/ledger.hpp"

namespace nb {

/// What is to be done with pairs of a library: files as an order says, or, without one, carried and reviewed alone.
struct Batch {
    std::optional<HandOverOrder> order;
    std::vector<OrderedPair> pairs;
};
Batch batch_of(const HandOverOrder& order);
/// Every take of the library on every character whose body plan goes with it, or those of them that are named.
Batch trial_of(const Library& library, Ledger& ledger, const std::vector<std::string>& takes = {},
               const std::vector<std::string>& characters = {});

struct BatchJob {
    std::vector<OrderedPair> pairs;
    std::string key;   ///< of its entry
    std::string word;  ///< of all it is made from
    std::string why;   ///< why it cannot be done: another job has the file's name
    bool is_done = false;
};
/// All jobs in their order, and which are done. `ledger`: as looked at.
std::vector<BatchJob> jobs_of(const Batch& batch, const Library& library, Ledger& ledger);

struct BatchEstimate {
    size_t jobs = 0, done = 0, refused = 0;
    double seconds = 0.0;      ///< on one core
    bool is_measured = false;  ///< from what was done before; else from rates measured once (docs/scale.md)
    size_t memory_bytes = 0;   ///< of a process that does one job at a time
    int shards = 1;            ///< a sensible number: half an hour each
};
BatchEstimate estimate(const std::vector<BatchJob>& jobs, const Library& library, Ledger& ledger);

struct BatchOptions {
    int jobs = 1;               ///< at a time
    int shard = 0, shards = 1;  ///< which of how many, from 0
};

struct BatchProgress {
    int done = 0, of = 0, failed = 0;
    std::string name;  ///< what is being done
};
struct BatchOutcome {
    int done = 0;       ///< now
    int was_done = 0;   ///< before
    int by_others = 0;  ///< of these: by other programs, meanwhile
    int failed = 0;
    int left = 0;                             ///< of this shard: it was cancelled
    std::vector<std::string> faults;          ///< a line each
    std::string report;                       ///< where the merged report is; a trial has none
    double seconds = 0.0, own_seconds = 0.0;  ///< the batch's own: all but load, solve, review and write
};
/// `progress` is called from several threads, one at a time; false cancels: jobs under way end first. Throws FileError when the
/// ledger cannot be written.
BatchOutcome run_batch(const Batch& batch, const Library& library, Ledger& ledger,
                       const BatchOptions& options,
                       const std::function<bool(const BatchProgress&)>& progress = {});

/// What all shards together have done by now, as one report: docs/schema/hand-over-report.schema.json.
Json merged_report(const Batch& batch, const Library& library, Ledger& ledger);

}  // namespace nb
