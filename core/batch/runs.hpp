// Batches that are under way at a library, on whatever machine: each writes how far it is into ledger/runs/, once a second.
#pragma once
#include <string>
#include <vector>

#include "core/batch/batch.hpp"

namespace nb {

struct BatchState {
    enum class Is { under_way, ended, cancelled, silent };
    std::string what;  ///< the order's name; empty: a trial of pairs
    std::string host;
    long process = 0;
    int shard = 0, shards = 1;
    BatchProgress progress;
    Is is = Is::under_way;
    std::vector<std::string> faults;  ///< the first of them
    std::string report;
    std::string path;  ///< of the file

    bool is_of_this_machine() const;
};
std::string_view batch_state_name(BatchState::Is is);

/// Writes how a batch is; what cannot be written is left, a batch does not end for that.
class BatchTeller {
  public:
    BatchTeller(const std::string& library_folder, const Batch& batch, const BatchOptions& options);
    void tell(const BatchProgress& progress, bool is_forced = false);
    void end(const BatchOutcome& outcome, bool is_cancelled);

  private:
    BatchState state_;
    double told_s_ = -1e9;
    void write() const;
};

/// Those of the last two days, newest first; older files go. One of this machine whose program is gone, and one of another that
/// has said nothing for a minute, are silent.
std::vector<BatchState> batches_of(const std::string& library_folder);
/// Asks a batch of this machine to end after the jobs under way. False when it is not there.
bool ask_to_end(const BatchState& state);

}  // namespace nb
