#include "core/batch/runs.hpp"

#include <fmt/format.h>
#include <signal.h>
#include <unistd.h>

#include <algorithm>
#include <array>
#include <chrono>
#include <filesystem>

#include "core/base/files.hpp"
#include "core/base/name_table.hpp"

namespace nb {

namespace fs = std::filesystem;

namespace {

constexpr double tells_every_s = 1.0;
constexpr double silent_after_s = 60.0;
constexpr double kept_for_s = 2 * 86400.0;
constexpr size_t most_faults = 50;
constexpr std::array<std::pair<BatchState::Is, const char*>, 4> state_names{
    {{BatchState::Is::under_way, "under way"},
     {BatchState::Is::ended, "ended"},
     {BatchState::Is::cancelled, "cancelled"},
     {BatchState::Is::silent, "silent"}}};

std::string own_host() {
    std::array<char, 256> name{};
    ::gethostname(name.data(), name.size() - 1);
    return name.data();
}

fs::path folder_of(const std::string& library_folder) {
    return fs::path(library_folder) / "ledger" / "runs";
}

double now_s() {
    return std::chrono::duration<double>(std::chrono::system_clock::now().time_since_epoch()).count();
}

BatchState state_from(const Json& document, const std::string& path) {
    BatchState state;
    state.path = path;
    state.what = text_in(document, "order", path);
    state.host = text_in(document, "host", path);
    state.process = whole_in(document, "process", 1, 2000000000, path);
    state.shard = whole_in(document, "shard", 1, 1000000, path) - 1;
    state.shards = whole_in(document, "shards", 1, 1000000, path);
    state.progress.done = whole_in(document, "done", 0, frame_limit, path);
    state.progress.of = whole_in(document, "of", 0, frame_limit, path);
    state.progress.failed = whole_in(document, "failed", 0, frame_limit, path);
    state.progress.name = text_in(document, "name", path);
    state.is = value_in(state_names, text_in(document, "state", path)).value_or(BatchState::Is::silent);
    state.faults = texts_or_none(document, "faults", path);
    state.report = text_in(document, "report", "", path);
    return state;
}

}  // namespace

std::string_view batch_state_name(BatchState::Is is) {
    return name_in(state_names, is);
}

bool BatchState::is_of_this_machine() const {
    return host == own_host();
}

BatchTeller::BatchTeller(const std::string& library_folder, const Batch& batch, const BatchOptions& options) {
    state_.what = batch.order ? batch.order->name : "";
    state_.host = own_host();
    state_.process = ::getpid();
    state_.shard = options.shard;
    state_.shards = options.shards;
    state_.path =
        (folder_of(library_folder) / fmt::format("{}-{}.json", state_.host, state_.process)).string();
    std::error_code error;
    fs::create_directories(folder_of(library_folder), error);
}

void BatchTeller::tell(const BatchProgress& progress, bool is_forced) {
    state_.progress = progress;
    const double now = now_s();
    if (!is_forced && now - told_s_ < tells_every_s) return;
    told_s_ = now;
    write();
}

void BatchTeller::end(const BatchOutcome& outcome, bool is_cancelled) {
    state_.is = is_cancelled ? BatchState::Is::cancelled : BatchState::Is::ended;
    state_.faults = outcome.faults;
    if (state_.faults.size() > most_faults) state_.faults.resize(most_faults);
    state_.report = outcome.report;
    state_.progress.done = state_.progress.of - outcome.left;
    state_.progress.failed = outcome.failed;
    state_.progress.name.clear();
    write();
}

void BatchTeller::write() const {
    Json document = document_header("run", "");
    document.erase("id");
    document["order"] = state_.what;
    document["state"] = std::string(batch_state_name(state_.is));
    document["host"] = state_.host;
    document["process"] = state_.process;
    document["shard"] = state_.shard + 1;
    document["shards"] = state_.shards;
    document["done"] = state_.progress.done;
    document["of"] = state_.progress.of;
    document["failed"] = state_.progress.failed;
    document["name"] = state_.progress.name;
    document["faults"] = state_.faults;
    document["report"] = state_.report;
    try {
        write_file_soon(state_.path, format_document(document));
    } catch (const std::exception&) {
        // Nobody is told how far it is; the work goes on.
    }
}

std::vector<BatchState> batches_of(const std::string& library_folder) {
    std::vector<std::pair<double, BatchState>> found;
    for (const fs::path& file : sorted_entries(folder_of(library_folder).string())) {
        if (file.extension() != ".json" || file.filename().string().starts_with(".")) continue;
        const double changed_s = 1e-9 * double(stamp_of(file.string()).changed_ns);
        const double age_s = now_s() - changed_s;
        try {
            BatchState state = reading(file.string(), [&] {
                return state_from(read_document(file.string(), "run"), file.string());
            });
            if (state.is == BatchState::Is::under_way) {
                const bool is_gone = state.is_of_this_machine()
                                         ? ::kill(pid_t(state.process), 0) != 0 && errno == ESRCH
                                         : age_s > silent_after_s;
                if (is_gone) state.is = BatchState::Is::silent;
            }
            if (age_s > kept_for_s && state.is != BatchState::Is::under_way) {
                std::error_code error;
                fs::remove(file, error);
                continue;
            }
            found.emplace_back(changed_s, std::move(state));
        } catch (const std::exception&) {
            // It is being written, or is no such file.
        }
    }
    std::stable_sort(found.begin(), found.end(),
                     [](const auto& a, const auto& b) { return a.first > b.first; });
    std::vector<BatchState> states;
    states.reserve(found.size());
    for (auto& [changed_s, state] : found) states.push_back(std::move(state));
    return states;
}

bool ask_to_end(const BatchState& state) {
    return state.is == BatchState::Is::under_way && state.is_of_this_machine() &&
           ::kill(pid_t(state.process), SIGTERM) == 0;
}

}  // namespace nb
