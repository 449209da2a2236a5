// Handing over what an order names: every file told before, written whole, read back, and kept account of.
//
// The report is written anew before and after each file, so that whatever ends the program it says which files are
// whole. A row is stale when a file it was made from, or the order, is no longer what it was (hashes: core/base/hash).
#pragma once
#include <functional>
#include <map>
#include <memory>
#include <optional>
#include <string>
#include <utility>
#include <vector>

#include "core/documents/pairing.hpp"
#include "core/handover/props.hpp"
#include "core/library/order.hpp"
#include "core/review/review.hpp"

namespace nb {

/// The props a take's document names, where they are beside the target (core/solve/hold.hpp).
std::vector<PropTrack> prop_tracks(const LoadedFile& take, const TransferResult& result);

/// Takes and characters of a library, each read once.
class LibraryFiles {
  public:
    /// `most`: so many takes, and so many characters, are held at once, those used last; 0: all.
    explicit LibraryFiles(const Library& library, size_t most = 0) : library_(library), most_(most) {}
    const Library& library() const { return library_; }
    /// Throws FileError, also for a name the library has not. It stays until `most` others were asked for.
    const LoadedFile& take(const std::string& name);
    const LoadedFile& character(const std::string& name);
    /// What is kept for a pair, and where; nothing is kept: the usual. Which documents are there is looked up once.
    std::pair<Pairing, ReadDocument> pairing(const LoadedFile& take, const LoadedFile& character);
    /// What was odd in reading.
    const std::vector<std::string>& notes() const { return notes_; }
    void forget() { takes_.clear(); }

  private:
    struct Held {
        std::shared_ptr<LoadedFile> file;
        size_t used = 0;
    };
    using Shelf = std::map<std::string, Held>;
    const Library library_;
    const size_t most_;
    size_t uses_ = 0;
    Shelf takes_, characters_;
    std::vector<std::string> notes_;
    std::optional<std::map<std::pair<std::string, std::string>, std::string>> pairings_;  ///< ids: where

    const LoadedFile& held(Shelf& shelf, const std::string& name,
                           const std::function<std::shared_ptr<LoadedFile>()>& read);
};

/// One file to be.
struct HandOverRow {
    OrderedPair pair;
    enum class What { body, goals, controls, sound } what = What::body;
    std::string ending;
    std::string name;  ///< with its ending, relative to the order's folder
    std::string path;
    /// free: nothing is there. there: something is, and the order says what then. twice: another row has the name.
    /// refused: it cannot be written.
    enum class State { free, there, twice, refused };
    State state = State::free;
    std::string why;        ///< of what is twice or refused
    bool is_added = false;  ///< a further animation of the file of an earlier row
    int frames = 0;
    double fps = 0.0;
    size_t bytes = 0;               ///< about
    std::vector<std::string> lost;  ///< what stays behind in this format
    bool is_written(Clash clash) const {
        return state == State::free || (state == State::there && clash != Clash::skip);
    }
};

/// As reports and names have it: "2026-01-31".
std::string today();

/// A .glb that takes of a character go into together.
bool is_of_several(const HandOverOrder& order, const HandOverRow& row);
/// Where the order's files go.
std::string order_folder(const HandOverOrder& order, const Library& library);
/// Where the report of its runs is.
std::string report_place(const HandOverOrder& order, const Library& library);
/// Every file that would be written, in the order it would be. Throws nothing: what is wrong stands in its row.
std::vector<HandOverRow> plan_hand_over(const HandOverOrder& order, LibraryFiles& files);

/// Told before each file and at the end; false cancels: what is done stays.
using HandOverProgress = std::function<bool(int done, int of, const std::string& name)>;

struct HandOverReport {
    Json document;                ///< docs/schema/hand-over-report.schema.json
    std::string path, page_path;  ///< where document and page are
    int written = 0, skipped = 0, failed = 0, left = 0;
};

/// A pair that was carried on the way, before its files are written.
struct CarriedPair {
    const OrderedPair& pair;
    const Review& review;
    const TransferResult& result;
    const PairingSettings& settings;
};
/// Told while a part of an order is handed over; either may be empty.
struct PartWatch {
    std::function<void(const CarriedPair&)> carried;
    /// A file is proved, and gets its name next.
    std::function<void(const std::string& name, const std::string& hash)> placing;
};
/// Writes the files of an order as a part of it: what became of each, as a report has it; no report is written.
Json hand_over_part(const HandOverOrder& part, LibraryFiles& files, int threads, const PartWatch& watch);
/// What of an order holds for every file of it: all but its name and its pairs.
Json settings_of(const HandOverOrder& order);
/// The first keys of a report of an order, without its files. `id`: of the report.
Json report_head(const HandOverOrder& order, const Library& library, const std::string& id);
/// Writes it with its page. Throws FileError.
void write_report(const Json& report, const std::string& path);

/// Writes what the order names. Files that fail are told in the report and do not stop the rest. Throws FileError when
/// the folder or the report cannot be written.
HandOverReport run_hand_over(const HandOverOrder& order, LibraryFiles& files, int threads = 0,
                             const HandOverProgress& progress = {});

/// A take of the library on a character of it, with what is kept for the pair.
Handed carry_pair(LibraryFiles& files, const OrderedPair& pair, int threads = 0);

/// A result through the steps of an order: span, rate, placement, stance, travel.
void take_steps(const HandOverOrder& order, Handed& handed);

/// Rows of a report whose inputs have changed or are gone, or whose file is no longer what was written: name and why.
struct StaleRow {
    std::string name, why;
};
std::vector<StaleRow> stale_rows(const Json& report, const std::string& path);

/// The report as a page of its own, without scripts and without other files.
std::string report_page(const Json& report);

}  // namespace nb
