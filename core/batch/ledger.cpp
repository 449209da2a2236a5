#include "core/batch/ledger.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <chrono>
#include <cmath>
#include <filesystem>
#include <limits>
#include <utility>

#include "core/base/files.hpp"
#include "core/base/hash.hpp"
#include "core/base/tab_fields.hpp"
#include "core/handover/name_pattern.hpp"

namespace nb {

namespace fs = std::filesystem;

namespace {

constexpr std::string_view summary_head = "nimble-bone summary 2 ";
constexpr std::int64_t settles_ns =
    2000000000;  // a folder that changed so shortly ago may change again unseen
constexpr double far_outside = 1e6;

Json pair_json(const OrderedPair& pair) {
    return {{"take", pair.take}, {"character", pair.character}};
}
OrderedPair read_pair(const Json& json, const std::string& path) {
    return {text_in(json, "take", path), text_in(json, "character", path)};
}

/// On one line of a table.
std::string plain(std::string text) {
    for (char& c : text)
        if (c == '\t' || c == '\n') c = ' ';
    return text;
}

void write_in_folder(const std::string& path, const std::string& text) {
    std::error_code error;
    fs::create_directories(fs::path(path).parent_path(), error);
    write_file_soon(path, text);
}

std::int64_t now_ns() {
    return std::chrono::duration_cast<std::chrono::nanoseconds>(
               std::chrono::system_clock::now().time_since_epoch())
        .count();
}

}  // namespace

double Tried::Measure::share() const {
    if (is_at_least) {
        // What is missing, by what may be.
        const double may = 1.0 - bar;
        return may > 0.0 ? std::max(0.0, 1.0 - value) / may : value >= bar ? 0.0 : far_outside;
    }
    if (bar > 0.0) return std::min(value / bar, far_outside);
    return value > 0.0 ? 1.0 + value : 0.0;
}

const Tried::Measure* Tried::worst() const {
    const auto worst =
        std::max_element(measures.begin(), measures.end(),
                         [](const Measure& a, const Measure& b) { return a.share() < b.share(); });
    return worst == measures.end() ? nullptr : &*worst;
}

Tried tried_of(const CarriedPair& carried) {
    Tried tried;
    tried.pair = carried.pair;
    tried.frames = carried.review.frames;
    for (const Bar& bar : bars_of(carried.review, carried.result, carried.settings))
        tried.measures.push_back({bar.name, bar.text, bar.value, bar.bar, bar.is_at_least});
    const std::vector<ReviewEvent> events = find_events(carried.review, carried.result, carried.settings);
    tried.events = int(events.size());
    auto worst = std::find_if(events.begin(), events.end(),
                              [](const ReviewEvent& event) { return event.owner != Owner::take; });
    if (worst == events.end()) worst = events.begin();
    if (worst != events.end()) {
        tried.worst_frame = worst->worst_frame;
        tried.text = worst->text;
        for (size_t i = 0; i < worst->remedies.size(); ++i)
            tried.text += (i == 0 ? " · what helps: " : ", or: ") + worst->remedies[i].what;
        tried.owner = owner_name(worst->owner);
    }
    return tried;
}

Json tried_document(const Tried& tried) {
    Json document = document_header("tried", Ledger::key_of(tried.pair));
    document.update(pair_json(tried.pair));
    document["state"] = tried.why.empty() ? "carried" : "failed";
    if (!tried.why.empty()) document["why"] = tried.why;
    document["frames"] = tried.frames;
    Json& measures = document["measures"] = Json::object();
    for (const Tried::Measure& one : tried.measures)
        measures[one.name] = {{"text", one.text},
                              {"value", canonical(one.value)},
                              {"bar", canonical(one.bar)},
                              {"at_least", one.is_at_least}};
    document["worst_frame"] = tried.worst_frame;
    document["text"] = tried.text;
    document["owner"] = tried.owner;
    document["events"] = tried.events;
    document["word"] = tried.word;
    document["inputs"] = Json::object();
    for (const auto& [what, hash] : tried.inputs) document["inputs"][what] = hash;
    document["took_s"] = canonical(tried.took_s);
    return document;
}

Tried read_tried(const Json& document, const std::string& path) {
    return reading(path, [&] {
        constexpr double most = std::numeric_limits<double>::max();
        Tried tried;
        tried.pair = read_pair(document, path);
        tried.why = text_in(document, "why", "", path);
        tried.frames = whole_in(document, "frames", 0, frame_limit, path);
        for (const auto& [name, one] : object_in(document, "measures", path).items())
            tried.measures.push_back(
                {name, text_in(one, "text", path), number_in(one, "value", -most, most, path),
                 number_in(one, "bar", -most, most, path), flag_in(one, "at_least", path)});
        tried.worst_frame = whole_in(document, "worst_frame", 0, frame_limit, path);
        tried.text = text_in(document, "text", path);
        tried.owner = text_in(document, "owner", path);
        tried.events = whole_in(document, "events", 0, frame_limit, path);
        tried.word = text_in(document, "word", path);
        for (const auto& [what, hash] : object_in(document, "inputs", path).items())
            tried.inputs[what] = hash.get<std::string>();
        tried.took_s = number_in(document, "took_s", 0.0, most, 0.0, path);
        return tried;
    });
}

bool JobEntry::is_failed() const {
    return std::any_of(files.begin(), files.end(), [](const Json& file) {
        return file.is_object() && file.value("state", "") == "failed";
    });
}

Json job_document(const JobEntry& job, const std::string& order) {
    Json document = document_header("job", "");
    document.erase("id");
    document["order"] = order;
    document["pairs"] = Json::array();
    for (const OrderedPair& pair : job.pairs) document["pairs"].push_back(pair_json(pair));
    document["word"] = job.word;
    document["files"] = job.files;
    return document;
}

JobEntry read_job(const Json& document, const std::string& path) {
    return reading(path, [&] {
        JobEntry job;
        for (const Json& pair : list_or_none(document, "pairs", path))
            job.pairs.push_back(read_pair(pair, path));
        job.word = text_in(document, "word", path);
        job.files = list_or_none(document, "files", path);
        for (const Json& file : job.files) text_in(file, "state", path);
        return job;
    });
}

Ledger::Ledger(std::string library_folder)
    : folder_((fs::path(std::move(library_folder)) / "ledger").string()) {}

std::string Ledger::key_of(const OrderedPair& pair) {
    return hash_word(pair.take + "\n" + pair.character);
}

std::string Ledger::tried_place(const std::string& key) const {
    return (fs::path(folder_) / "tried" / key.substr(0, 2) / (key + ".json")).string();
}
std::string Ledger::order_folder(const std::string& order) const {
    return (fs::path(folder_) / "orders" / file_stem(order)).string();
}
std::string Ledger::job_place(const std::string& order, const std::string& key) const {
    return (fs::path(order_folder(order)) / key.substr(0, 2) / (key + ".json")).string();
}
std::string Ledger::accepted_place(const std::string& key) const {
    return (fs::path(folder_) / "accepted" / (key + ".json")).string();
}

void Ledger::put(const Tried& tried) const {
    write_in_folder(tried_place(key_of(tried.pair)), format_document(tried_document(tried)));
}

std::optional<Tried> Ledger::tried(const OrderedPair& pair) const {
    try {
        const std::string path = tried_place(key_of(pair));
        Tried tried = read_tried(read_document(path, "tried"), path);
        if (tried.pair == pair) return tried;
    } catch (const std::exception&) {
    }
    return {};
}

void Ledger::put(const std::string& order, const std::string& key, const JobEntry& job) const {
    write_in_folder(job_place(order, key), format_document(job_document(job, order)));
}

std::optional<JobEntry> Ledger::job(const std::string& order, const std::string& key) const {
    try {
        const std::string path = job_place(order, key);
        return read_job(read_document(path, "job"), path);
    } catch (const std::exception&) {
        return {};
    }
}

void Ledger::accept(const Accepted& accepted) const {
    const std::string key = key_of(accepted.pair);
    Json document = document_header("accepted", key);
    document.update(pair_json(accepted.pair));
    document["note"] = accepted.note;
    document["date"] = accepted.date;
    document["word"] = accepted.word;
    std::error_code error;
    fs::create_directories(fs::path(accepted_place(key)).parent_path(), error);
    write_file(accepted_place(key), format_document(document));
}

void Ledger::accept_no_more(const OrderedPair& pair) const {
    std::error_code error;
    fs::remove(accepted_place(key_of(pair)), error);
    if (error)
        throw FileError(accepted_place(key_of(pair)), fmt::format("cannot be removed: {}", error.message()),
                        "see whether you may write to the library");
}

bool Ledger::look_at(const std::string& name) {
    Shelf& shelf = shelves_[name];
    const std::string folder = (fs::path(folder_) / name).string();
    const FileStamp now = stamp_of(folder);
    if (now.changed_ns == shelf.changed_ns) return false;
    const bool is_accepted = name == "accepted";
    Shelf seen;
    // One that changed a moment ago is looked at again.
    seen.changed_ns = now_ns() - now.changed_ns < settles_ns ? 0 : now.changed_ns;
    bool has_changed = false;
    for (const fs::path& file : sorted_entries(folder)) {
        if (file.extension() != ".json" || file.filename().string().starts_with(".")) continue;
        const std::string key = file.stem().string();
        const FileStamp& stamp = seen.files[key] = stamp_of(file.string());
        const auto before = shelf.files.find(key);
        if (before != shelf.files.end() && before->second == stamp) continue;
        has_changed = true;
        try {
            const std::string path = file.string();
            if (is_accepted) {
                const Json document = read_document(path, "accepted");
                accepted_[key] = {read_pair(document, path), text_in(document, "word", path),
                                  text_in(document, "note", path), text_in(document, "date", "", path)};
                continue;
            }
            const Tried tried = read_tried(read_document(path, "tried"), path);
            const Tried::Measure* worst = tried.worst();
            briefs_[key] = {plain(tried.pair.take),
                            plain(tried.pair.character),
                            plain(tried.word),
                            !tried.why.empty(),
                            worst ? worst->share() : 0.0,
                            worst ? plain(worst->text) : "",
                            tried.worst_frame,
                            plain(tried.why.empty() ? tried.text : tried.why),
                            tried.took_s,
                            tried.frames};
        } catch (const std::exception&) {
            is_accepted ? accepted_.erase(key) : briefs_.erase(key);
        }
    }
    for (const auto& [key, stamp] : shelf.files) {
        if (seen.files.contains(key)) continue;
        has_changed = true;
        is_accepted ? accepted_.erase(key) : briefs_.erase(key);
    }
    shelf = std::move(seen);
    has_news_ = true;
    return has_changed;
}

FileHashes& Ledger::hashes() {
    if (!std::exchange(is_summary_read_, true)) read_summary();
    return hashes_;
}

bool Ledger::look() {
    if (!std::exchange(is_summary_read_, true)) read_summary();
    bool has_changed = look_at("accepted");
    for (int i = 0; i < 256; ++i) has_changed = look_at(fmt::format("tried/{:02x}", i)) || has_changed;
    return has_changed;
}

// The head with a hash of what follows; then lines: S shelf time | F key size time | B key, a brief | A key, accepted; then an empty line and the hashes
// of files.
void Ledger::keep_summary() {
    if (!has_news_ && !hashes_.has_news()) return;
    std::string text;
    for (const auto& [name, shelf] : shelves_) {
        if (shelf.files.empty()) continue;
        text += fmt::format("S\t{}\t{}\n", name, shelf.changed_ns);
        for (const auto& [key, stamp] : shelf.files) {
            text += fmt::format("F\t{}\t{}\t{}\n", key, stamp.size, stamp.changed_ns);
            if (const auto brief = briefs_.find(key); name != "accepted" && brief != briefs_.end()) {
                const Brief& b = brief->second;
                text += fmt::format("B\t{}\t{}\t{}\t{}\t{}\t{:.6g}\t{}\t{}\t{}\t{:.6g}\t{}\n", key, b.take,
                                    b.character, b.word, int(b.is_failed), b.share, b.measure, b.worst_frame,
                                    b.text, b.took_s, b.frames);
            }
            if (const auto word = accepted_.find(key); name == "accepted" && word != accepted_.end())
                text += fmt::format("A\t{}\t{}\t{}\t{}\t{}\t{}\n", key, plain(word->second.pair.take),
                                    plain(word->second.pair.character), plain(word->second.word),
                                    plain(word->second.note), plain(word->second.date));
        }
    }
    text += "\n" + hashes_.text();
    text = fmt::format("{}{}\n", summary_head, hash_word(text)) + text;
    try {
        std::error_code error;
        if (fs::is_directory(folder_, error)) write_file_soon((fs::path(folder_) / "summary").string(), text);
    } catch (const std::exception&) {
        // The next one reads the files.
    }
}

void Ledger::read_summary() {
    std::string text;
    try {
        text = read_file((fs::path(folder_) / "summary").string());
    } catch (const std::exception&) {
        return;
    }
    std::string_view left = text;
    const std::string_view first = take_line(left);
    if (!first.starts_with(summary_head)) return;
    if (first.substr(summary_head.size()) != hash_word(left)) return;
    Shelf* shelf = nullptr;
    while (!left.empty()) {
        const std::string_view line = take_line(left);
        if (line.empty()) break;
        const std::vector<std::string_view> fields = tab_fields(line);
        if (fields[0] == "S" && fields.size() == 3) {
            shelf = &shelves_[std::string(fields[1])];
            if (!read_number(fields[2], shelf->changed_ns)) shelf->changed_ns = 0;
        } else if (fields[0] == "F" && fields.size() == 4 && shelf) {
            FileStamp& stamp = shelf->files[std::string(fields[1])];
            if (!read_number(fields[2], stamp.size) || !read_number(fields[3], stamp.changed_ns)) stamp = {};
        } else if (fields[0] == "B" && fields.size() == 12) {
            Brief brief;
            int failed = 0;
            if (!read_number(fields[5], failed) || !read_number(fields[6], brief.share) ||
                !read_number(fields[8], brief.worst_frame) || !read_number(fields[10], brief.took_s) ||
                !read_number(fields[11], brief.frames))
                continue;
            brief.take = fields[2];
            brief.character = fields[3];
            brief.word = fields[4];
            brief.is_failed = failed != 0;
            brief.measure = fields[7];
            brief.text = fields[9];
            briefs_[std::string(fields[1])] = std::move(brief);
        } else if (fields[0] == "A" && fields.size() == 7) {
            accepted_[std::string(fields[1])] = {{std::string(fields[2]), std::string(fields[3])},
                                                 std::string(fields[4]),
                                                 std::string(fields[5]),
                                                 std::string(fields[6])};
        }
    }
    hashes_.read(left);
    has_news_ = false;
}

}  // namespace nb
