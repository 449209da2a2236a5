// What became of every pair, and of every job of an order: a folder of small files with the library.
//
//   ledger/tried/<2 digits>/<key>.json           what a take made of a character ("nimble-bone/tried")
//   ledger/orders/<order>/<2 digits>/<key>.json  what was written of a job ("nimble-bone/job")
//   ledger/accepted/<key>.json                   a person's word that a pair is good enough ("nimble-bone/accepted")
//   ledger/summary                               all of it as lines: to open quickly, never trusted over the files
//
// Each file is written whole and renamed, by whoever did the work: no server, no lock. Keys are hashes of names
// (core/base/hash); the names stand in the files.
#pragma once
#include <map>
#include <optional>
#include <string>
#include <unordered_map>
#include <vector>

#include "core/batch/inputs.hpp"
#include "core/library/hand_over.hpp"

namespace nb {

/// A take on a character, carried and reviewed.
struct Tried {
    struct Measure {
        std::string name, text;  ///< of core/review/bars
        double value = 0.0, bar = 0.0;
        bool is_at_least = false;
        /// The value by its bar: 1 at the bar, above it outside.
        double share() const;
    };
    OrderedPair pair;
    Inputs inputs;
    std::string word;  ///< of the inputs, `LibraryInputs::word_of_pair`
    std::string why;   ///< why it failed; empty: it was carried
    int frames = 0;
    std::vector<Measure> measures;
    int worst_frame = 0;
    std::string
        text;  ///< what is worst, in a sentence, and what helps; what the take does itself last; empty: nothing falls short
    std::string owner;
    int events = 0;
    double took_s = 0.0;  ///< on one core; nothing else depends on it

    /// The measure farthest from being met; null without measures.
    const Measure* worst() const;
};
Tried tried_of(const CarriedPair& carried);
Json tried_document(const Tried& tried);
/// Throws FileError.
Tried read_tried(const Json& document, const std::string& path);

/// What a job of an order made. A job is a pair, or all takes of a character that go into one file.
struct JobEntry {
    std::vector<OrderedPair> pairs;
    std::string word;  ///< of all it was made from, and of what the order says
    Json files = Json::array();
    bool is_failed() const;
};
Json job_document(const JobEntry& job, const std::string& order);
JobEntry read_job(const Json& document, const std::string& path);

struct Accepted {
    OrderedPair pair;
    std::string word;  ///< of the inputs it holds for
    std::string note;
    std::string date;
};

/// What of a tried pair a table shows.
struct Brief {
    std::string take, character, word;
    bool is_failed = false;
    double share = 0.0;
    std::string measure;  ///< for people
    int worst_frame = 0;
    std::string text;  ///< of what is worst, or why it failed
    double took_s = 0.0;
    int frames = 0;
};

class Ledger {
  public:
    explicit Ledger(std::string library_folder);
    const std::string& folder() const { return folder_; }

    static std::string key_of(const OrderedPair& pair);
    /// Throws FileError when it cannot be written.
    void put(const Tried& tried) const;
    std::optional<Tried> tried(const OrderedPair& pair) const;
    std::string order_folder(const std::string& order) const;
    void put(const std::string& order, const std::string& key, const JobEntry& job) const;
    /// Empty when there is none, or when it cannot be read.
    std::optional<JobEntry> job(const std::string& order, const std::string& key) const;

    void accept(const Accepted& accepted) const;
    void accept_no_more(const OrderedPair& pair) const;

    /// Looks at what has changed since the summary was written or looked at last; true when anything had. Files that cannot be
    /// read count as not there.
    bool look();
    /// By key. As last looked at.
    const std::unordered_map<std::string, Brief>& briefs() const { return briefs_; }
    const std::unordered_map<std::string, Accepted>& accepted() const { return accepted_; }
    FileHashes& hashes();
    /// Kept for the next who opens the library. What cannot be written is left.
    void keep_summary();

  private:
    /// A folder of files, as it was when it was read.
    struct Shelf {
        std::int64_t changed_ns = 0;
        std::map<std::string, FileStamp> files;  ///< by key
    };
    std::string folder_;
    std::map<std::string, Shelf> shelves_;  ///< "tried/ab", "accepted"
    std::unordered_map<std::string, Brief> briefs_;
    std::unordered_map<std::string, Accepted> accepted_;
    FileHashes hashes_;
    bool has_news_ = true;          ///< since the summary was read or written
    bool is_summary_read_ = false;  ///< once somebody asks what is known: to note one thing it is not needed

    std::string tried_place(const std::string& key) const;
    std::string job_place(const std::string& order, const std::string& key) const;
    std::string accepted_place(const std::string& key) const;
    bool look_at(const std::string& shelf);
    void read_summary();
};

}  // namespace nb
