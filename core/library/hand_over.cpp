#include "core/library/hand_over.hpp"

#include <fmt/chrono.h>
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <ctime>
#include <filesystem>
#include <set>

#include "core/base/files.hpp"
#include "core/base/hash.hpp"
#include "core/base/text_encoding.hpp"
#include "core/base/uuid.hpp"
#include "core/base/version.hpp"
#include "core/documents/chains.hpp"
#include "core/documents/review.hpp"
#include "core/files/sound.hpp"
#include "core/handover/name_pattern.hpp"
#include "core/handover/props.hpp"
#include "core/intake/along.hpp"
#include "core/library/beside.hpp"
#include "core/library/controls.hpp"
#include "core/review/bars.hpp"

namespace nb {

std::vector<PropTrack> prop_tracks(const LoadedFile& take, const TransferResult& result) {
    const WorldMotion& source = result.source;
    std::vector<PropTrack> tracks;
    for (const StagePiece& piece : take.pieces) {
        const int joint = piece.joint.empty() ? -1 : take.character.rig.skeleton.find(piece.joint);
        if (joint < 0) continue;
        PropTrack track{piece.joint, {}, thing_scale(result.plan.program, joint)};
        track.X_W.reserve(size_t(source.frames));
        for (int f = 0; f < source.frames; ++f)
            track.X_W.push_back(
                thing_beside(result.plan.program, joint, frame_of(source, f), frame_of(result.target, f)));
        tracks.push_back(std::move(track));
    }
    return tracks;
}

namespace fs = std::filesystem;

std::string today() {
    return fmt::format("{:%Y-%m-%d}", fmt::localtime(std::time(nullptr)));
}

namespace {

const LibraryEntry& entry_of(const std::vector<LibraryEntry>& entries, const std::string& name,
                             const std::string& folder, const char* kind) {
    const auto found = std::find_if(entries.begin(), entries.end(),
                                    [&](const LibraryEntry& entry) { return entry.name == name; });
    if (found == entries.end())
        throw FileError(folder, fmt::format("has no {} called '{}'", kind, shown_text(name)),
                        "choose one it has, or take it out of the order");
    return *found;
}

std::string date_of(const HandOverOrder& order) {
    return order.date.empty() ? today() : order.date;
}

std::string rate_word(double fps) {
    return fmt::format("{:.4g}", fps);
}

std::string layer_word(const TouchLayers& layers) {
    std::string word;
    for (const TouchLayer& layer : layers)
        if (!layer.is_idle()) word += (word.empty() ? "" : "+") + layer.name;
    return word.empty() ? "plain" : word;
}

double fps_of(const HandOverOrder& order, const Take& take) {
    return order.fps.value_or(take.nominal_fps());
}
int frames_of(const HandOverOrder& order, const Take& take) {
    const int first = std::clamp(order.first, 0, std::max(0, take.frames - 1));
    const int last = order.last == 0 ? take.frames : std::clamp(order.last, first + 1, take.frames);
    // As core/motion/edit.hpp counts them.
    const int frames = order.fps
                           ? int(std::floor((last - first - 1) * *order.fps / take.nominal_fps() + 1e-9)) + 1
                           : last - first;
    return frames + (order.has_stance_first ? 1 : 0);
}

/// About what a file takes; exact only afterwards.
size_t size_of(const std::string& ending, const Character& character, int frames,
               const HandOverOrder& order) {
    const size_t joints = character.rig.skeleton.names.size();
    const size_t values = size_t(frames) * joints;
    if (ending == ".csv") return 110 * values;
    if (ending == ".bvh") return 200 * joints + 30 * values;
    std::error_code error;
    const size_t own = ending == ".glb" && !order.is_motion_alone && !character.rig.nodes.empty()
                           ? size_t(fs::file_size(character.rig.path, error))
                           : 300 * joints;
    return own + size_t(order.reduce ? 0.25 * 20.0 * double(values) : 16.0 * double(values));
}

}  // namespace

const LoadedFile& LibraryFiles::held(Shelf& shelf, const std::string& name,
                                     const std::function<std::shared_ptr<LoadedFile>()>& read) {
    const auto found = shelf.find(name);
    if (found != shelf.end()) {
        found->second.used = ++uses_;
        return *found->second.file;
    }
    Held held{read(), ++uses_};
    if (most_ > 0 && shelf.size() >= most_)
        shelf.erase(std::min_element(shelf.begin(), shelf.end(), [](const auto& a, const auto& b) {
            return a.second.used < b.second.used;
        }));
    return *shelf.emplace(name, std::move(held)).first->second.file;
}

const LoadedFile& LibraryFiles::take(const std::string& name) {
    return held(takes_, name, [&] {
        const LibraryEntry& entry = entry_of(library_.takes, name, library_.folder, "take");
        auto file = std::make_shared<LoadedFile>(
            load_take(entry.document.empty() ? entry.path : entry.document, "", notes_));
        if (!file->take) throw FileError(entry.path, "holds no motion", "choose a take that does");
        return file;
    });
}

const LoadedFile& LibraryFiles::character(const std::string& name) {
    return held(characters_, name, [&] {
        const LibraryEntry& entry = entry_of(library_.characters, name, library_.folder, "character");
        return std::make_shared<LoadedFile>(load_character(entry.path, entry.document, notes_));
    });
}

std::pair<Pairing, ReadDocument> LibraryFiles::pairing(const LoadedFile& take, const LoadedFile& character) {
    const std::string &source = take.character.id, &target = character.character.id;
    if (!pairings_) {
        pairings_.emplace();
        for (const fs::path& file : sorted_entries((fs::path(library_.folder) / "pairings").string())) {
            if (file.extension() != ".json" || file.filename().string().starts_with(".")) continue;
            try {
                const Json document = read_document(file.string(), "pairing");
                pairings_->emplace(
                    std::pair{
                        text_in(object_or_none(document, "source", file.string()), "id", "", file.string()),
                        text_in(object_or_none(document, "target", file.string()), "id", "", file.string())},
                    file.string());
            } catch (const std::exception& fault) {
                notes_.emplace_back(fault.what());
            }
        }
    }
    std::pair<Pairing, ReadDocument> found;
    if (!pairings_->contains({source, target})) return found;
    find_pairing(&library_, character.character.rig.path, source, target, found.first, found.second, notes_);
    return found;
}

std::string order_folder(const HandOverOrder& order, const Library& library) {
    const fs::path folder(order.folder);
    return folder.is_absolute() ? folder.string() : (fs::path(library.folder) / folder).string();
}

bool is_of_several(const HandOverOrder& order, const HandOverRow& row) {
    return order.is_together && row.what == HandOverRow::What::body && row.ending == ".glb";
}

std::string report_place(const HandOverOrder& order, const Library& library) {
    return (fs::path(order_folder(order, library)) / (file_stem(order.name) + ".report.json")).string();
}

namespace {

using What = HandOverRow::What;

constexpr float sound_limit = 2.0F / 32768.0F;  // of 16 bits

/// What is written of each pair: its files by kind and ending.
std::vector<std::pair<What, std::string>> wanted_of(const HandOverOrder& order) {
    std::vector<std::pair<What, std::string>> wanted;
    for (const std::string& ending : order.formats) wanted.emplace_back(What::body, ending);
    for (const std::string& ending : order.formats)
        if (order.goals && (ending == ".glb" || ending == ".bvh")) wanted.emplace_back(What::goals, ending);
    if (order.has_controls) wanted.emplace_back(What::controls, ".glb");
    if (order.has_sound) wanted.emplace_back(What::sound, ".wav");
    return wanted;
}

const char* word_of(What what) {
    return what == What::goals ? ".goals" : what == What::controls ? ".controls" : "";
}

bool is_there(const std::string& path) {
    std::error_code error;
    return fs::exists(path, error);
}

/// Where the sound of a take lies; empty: it has none.
std::string sound_of(const LoadedFile& take) {
    const Rig& rig = take.character.rig;
    return rig.options.sound.file.empty() ? std::string() : path_along(rig.path, rig.options.sound.file);
}

bool has_props(const LoadedFile& take) {
    return std::any_of(take.pieces.begin(), take.pieces.end(),
                       [](const StagePiece& piece) { return !piece.joint.empty(); });
}

/// The pairs as they are written: what goes into one file one after another.
std::vector<OrderedPair> pairs_in_turn(const HandOverOrder& order) {
    std::vector<OrderedPair> pairs = order.pairs;
    if (order.is_together)
        std::stable_sort(pairs.begin(), pairs.end(), [](const OrderedPair& a, const OrderedPair& b) {
            return a.character < b.character;
        });
    return pairs;
}

/// The files of one pair, not looked for on the disk yet.
std::vector<HandOverRow> rows_of_pair(const HandOverOrder& order, const OrderedPair& pair,
                                      LibraryFiles& files) {
    std::vector<HandOverRow> rows;
    for (const auto& [what, ending] : wanted_of(order)) {
        HandOverRow& row = rows.emplace_back();
        row.pair = pair;
        row.what = what;
        row.ending = ending;
    }
    try {
        const LoadedFile& take = files.take(pair.take);
        const LoadedFile& body = files.character(pair.character);
        if (sound_of(take).empty())
            std::erase_if(rows, [](const HandOverRow& row) { return row.what == What::sound; });
        const int frames = frames_of(order, *take.take);
        const double fps = fps_of(order, *take.take);
        const PairingSettings settings = files.pairing(take, body).first.settings;
        std::map<std::string, std::string> words{
            {"take", pair.take},
            {"source", take.character.name},
            {"character", pair.character},
            {"library", files.library().name},
            {"layer", layer_word(touches_in_force(body.character, settings, take.take->key()))},
            {"fps", rate_word(fps)},
            {"frames", std::to_string(frames)},
            {"date", date_of(order)},
            {"version", order.version}};
        const std::string name = fill_pattern(order.pattern, words);
        words["take"] = "takes";
        const std::string of_several = fill_pattern(order.pattern, words);
        for (HandOverRow& row : rows) {
            row.frames = frames;
            row.fps = fps;
            row.name = (is_of_several(order, row) ? of_several : name) + word_of(row.what) + row.ending;
            row.why = why_illegal(row.name);
            row.bytes = size_t(frames) * 25 * 28;
            if (row.what == What::sound) {
                row.bytes = size_t(double(frames) / fps * 2.0 * 48000.0);
                if (!is_there(sound_of(take))) row.why = fmt::format("{} is not there", sound_of(take));
            }
            if (row.what == What::body) {
                row.bytes = size_of(row.ending, body.character, frames, order);
                row.lost = lost_in(row.ending, body.character);
                if (order.has_props && !holds_props(row.ending) && has_props(take))
                    row.lost.emplace_back("props stay behind");
                if (row.why.empty()) row.why = why_not_in(row.ending, body.character);
            } else if (row.what == What::controls) {
                const auto rig = controls_beside(body.character.rig.path);
                if (!rig) row.why = "the character has no control rig: controls.json beside its rig";
                for (const Control& control : rig ? rig->controls : std::vector<Control>())
                    if (const std::string wanted = unmet(control, body.character.roles); !wanted.empty())
                        row.lost.push_back(wanted);
            }
        }
    } catch (const std::exception& error) {
        for (HandOverRow& row : rows) row.why = error.what();
    }
    return rows;
}

}  // namespace

std::vector<HandOverRow> plan_hand_over(const HandOverOrder& order, LibraryFiles& files) {
    std::vector<HandOverRow> rows;
    const std::string folder = order_folder(order, files.library());
    std::set<std::string> taken;
    std::map<std::string, size_t>
        whole;  // by the name it would have: the first row of a file of several takes
    for (const OrderedPair& pair : pairs_in_turn(order))
        for (HandOverRow& row : rows_of_pair(order, pair, files)) {
            row.path = (fs::path(folder) / row.name).string();
            std::error_code error;
            const bool may_be_added = is_of_several(order, row);
            const auto of = may_be_added && row.why.empty() ? whole.find(row.name) : whole.end();
            if (may_be_added && row.why.empty() && of == whole.end()) whole.emplace(row.name, rows.size());
            if (!row.why.empty()) {
                row.state = HandOverRow::State::refused;
            } else if (of != whole.end() && rows[of->second].pair.character == pair.character) {
                const HandOverRow& first = rows[of->second];
                row.is_added = true;
                row.name = first.name;
                row.path = first.path;
                row.state = first.state;
            } else if (!taken.insert(row.path).second) {
                row.state = HandOverRow::State::twice;
                row.why = "another file of this order has the name: add a word to the pattern";
            } else if (fs::exists(row.path, error)) {
                row.state = HandOverRow::State::there;
                if (order.clash == Clash::number) {
                    const fs::path stem = fs::path(row.path).replace_extension();
                    for (int n = 2; fs::exists(row.path, error) || taken.contains(row.path); ++n)
                        row.path = fmt::format("{}_{}{}", stem.string(), n, row.ending);
                    taken.insert(row.path);
                    row.name = fs::path(row.path).lexically_relative(folder).string();
                }
            }
            rows.push_back(std::move(row));
        }
    return rows;
}

Handed carry_pair(LibraryFiles& files, const OrderedPair& pair, int threads) {
    const LoadedFile& take = files.take(pair.take);
    const LoadedFile& body = files.character(pair.character);
    const PairingSettings settings = files.pairing(take, body).first.settings;
    return handed_of(body.character, transfer(take.character, *take.take, body.character, settings, threads));
}

void take_steps(const HandOverOrder& order, Handed& handed) {
    const int last = order.last == 0 ? handed.motion.frames : order.last;
    cut(handed, order.first, last);
    if (order.fps) at_rate(handed, *order.fps);
    place_take(handed, order.placement);
    take_travel(handed, order.travel);
    if (order.has_stance_first) put_stance_first(handed);
}

Json settings_of(const HandOverOrder& order) {
    Json settings = order_document(order);
    for (const char* own : {"format", "version", "id", "name", "pairs"}) settings.erase(own);
    return settings;
}

Json report_head(const HandOverOrder& order, const Library& library, const std::string& id) {
    Json document = document_header("hand-over-report", id);
    document["order"] = order.name;
    document["order_hash"] = hash_word(format_document(order_document(order)));
    document["tool"] = fmt::format("nimble bone {}", version());
    document["date"] = date_of(order);
    document["library"] = library.name;
    return document;
}

namespace {

class Run {
  public:
    Run(const HandOverOrder& order, LibraryFiles& files, int threads, const HandOverProgress& progress)
        : order_(order),
          files_(files),
          threads_(threads),
          progress_(progress),
          folder_(order_folder(order, files.library())),
          rows_(plan_hand_over(order, files)) {}

    HandOverReport run() {
        report_.path = report_place(order_, files_.library());
        report_.page_path = fs::path(report_.path).replace_extension(".html").string();
        write_all();
        save();
        write_file(report_.page_path, report_page(report_.document));
        if (progress_) progress_(int(rows_.size()), int(rows_.size()), "");
        return report_;
    }

    /// Without a report: its files.
    Json run_part(const PartWatch& watch) {
        watch_ = watch;
        // Another program may be at the same files.
        own_mark_ = "." + make_uuid().substr(0, 8);
        write_all();
        return std::move(report_.document["files"]);
    }

  private:
    void write_all() {
        std::error_code error;
        fs::create_directories(folder_, error);
        if (error)
            throw FileError(folder_, fmt::format("cannot be made: {}", error.message()),
                            "choose a folder you may write to");
        begin_report();
        const OrderedPair* of = nullptr;
        for (size_t i = 0; i < rows_.size(); ++i) {
            HandOverRow& row = rows_[i];
            Json& told = report_.document["files"][i];
            if (!row.is_written(order_.clash)) {
                const bool is_skipped = row.state == HandOverRow::State::there;
                told["state"] = is_skipped ? "skipped" : "failed";
                if (!is_skipped) told["why"] = row.why;
                (is_skipped ? report_.skipped : report_.failed) += 1;
                continue;
            }
            if (progress_ && !progress_(int(i), int(rows_.size()), row.name)) break;
            told["state"] = "under way";
            save();
            try {
                if (!of || !(*of == row.pair)) solve(row.pair);
                of = &row.pair;
                row.what == What::sound ? write_sound(i) : write(i);
                if (!is_of_several(order_, row)) put_in_place(row.path, {i});
            } catch (const std::exception& fault) {
                if (std::string_view(fault.what()) == "cancelled") {
                    told["state"] = "to do";
                    break;
                }
                // The next file of the same pair begins anew.
                of = nullptr;
                told["state"] = "failed";
                told["why"] = fault.what();
                ++report_.failed;
            }
            if (is_of_several(order_, row) && !goes_on(i)) finish(row);
        }
        for (const auto& [path, rows] : waiting_) leave(rows);
        for (const Json& told : report_.document["files"]) report_.left += told["state"] == "to do" ? 1 : 0;
    }

    const HandOverOrder& order_;
    LibraryFiles& files_;
    const int threads_;
    const HandOverProgress& progress_;
    const std::string folder_;
    std::vector<HandOverRow> rows_;
    HandOverReport report_;
    Handed handed_;
    std::map<std::string, std::vector<size_t>> waiting_;  ///< files of several takes: those they hold so far
    PartWatch watch_;
    std::string own_mark_;  ///< of files that are not proved yet
    Json of_pair_;          ///< what is the same in all files of a pair

    /// Where a file is until it is proved; with one more take in it, until that is.
    std::string beside_of(const HandOverRow& row, const std::string& mark = "") const {
        return fs::path(row.path).replace_extension(mark + own_mark_ + ".unproved" + row.ending).string();
    }

    void begin_report() {
        // What a run that was killed left.
        for (const HandOverRow& row : rows_)
            for (const char* mark : {"", ".more"}) {
                std::error_code error;
                fs::remove(beside_of(row, mark), error);
            }
        Json& document = report_.document = report_head(order_, files_.library(), make_uuid());
        document["files"] = Json::array();
        for (const HandOverRow& row : rows_)
            document["files"].push_back({{"name", row.name},
                                         {"take", row.pair.take},
                                         {"character", row.pair.character},
                                         {"state", "to do"}});
        document["settings"] = settings_of(order_);
    }
    void save() {
        if (!report_.path.empty()) write_file_soon(report_.path, format_document(report_.document));
    }

    void solve(const OrderedPair& pair) {
        const LoadedFile& take = files_.take(pair.take);
        const LoadedFile& body = files_.character(pair.character);
        const auto [pairing, read] = files_.pairing(take, body);
        const PairingSettings& settings = pairing.settings;
        TransferResult result = transfer(take.character, *take.take, body.character, settings, threads_,
                                         [&](int, int) { return !progress_ || progress_(-1, 0, ""); });
        const Review review = review_result(take.character, body.character, result);
        if (watch_.carried) watch_.carried({pair, review, result, settings});
        of_pair_ = Json::object();
        Json& inputs = of_pair_["inputs"] = Json::object();
        const auto add_input = [&](const std::string& path) {
            // Seen from the report: both may be moved together.
            // What went along and is gone is told as that, so that its coming back is seen.
            if (!path.empty())
                inputs[fs::absolute(path)
                           .lexically_normal()
                           .lexically_relative(fs::absolute(folder_).lexically_normal())
                           .generic_string()] = is_there(path) ? hash_word(read_file(path)) : "gone";
        };
        add_input(take.character.rig.path);
        add_input(take.take_document.path);
        add_input(take.character_document.path);
        add_input(body.character.rig.path);
        add_input(body.character_document.path);
        add_input(read.path);
        for (const TakePart& part : take.character.rig.options.along)
            add_input(path_along(take.character.rig.path, part.file));
        if (order_.has_sound) add_input(sound_of(take));
        if (const auto rig = order_.has_controls ? controls_beside(body.character.rig.path) : std::nullopt) {
            add_input(controls_place(body.character.rig.path));
            add_input(rig->path);
        }
        Json& levels = of_pair_["levels"] = Json::object();
        const std::string key = take.take->key();
        put_chains(levels, "character", body.character.chains);
        put_chains(levels, "pairing", settings.chains);
        if (const auto it = settings.takes.find(key); it != settings.takes.end())
            put_chains(levels, "take", it->second);
        levels["touch_ups"] = layer_word(touches_in_force(body.character, settings, key));
        levels["place_map"] = canonical(result.plan.program.map.k);
        levels["place_map_about"] = map_centre_json(settings.about);
        Json& bars = of_pair_["review"] = Json::object();
        int missed = 0;
        for (const Bar& bar : bars_of(review, result, settings)) {
            bars[bar.name] = canonical(bar.value);
            missed += bar.is_met() ? 0 : 1;
        }
        bars["bars_missed"] = missed;
        of_pair_["notes"] = notes_of(result);
        for (const std::string& away : take.character.rig.facts.away) of_pair_["notes"].push_back(away);
        if (order_.has_sound && !sound_of(take).empty() && result.source.frames != take.take->frames)
            of_pair_["notes"].push_back("touch-ups change the take's pace; the sound keeps its own");
        const auto props = order_.has_props ? prop_tracks(take, result) : std::vector<PropTrack>();
        handed_ = handed_of(body.character, std::move(result));
        handed_.starts_at_s = take.character.rig.options.starts_at_s;
        add_props(handed_, props);
        take_steps(order_, handed_);
        for (const std::string& line : handed_.told) of_pair_["notes"].push_back(line);
    }

    /// A later row is an animation more of the same file.
    bool goes_on(size_t at) const {
        return std::any_of(
            rows_.begin() + std::ptrdiff_t(at) + 1, rows_.end(),
            [&](const HandOverRow& later) { return later.is_added && later.path == rows_[at].path; });
    }
    /// A file of several takes, all of them in it.
    void finish(const HandOverRow& row) {
        const auto found = waiting_.find(row.path);
        if (found == waiting_.end()) return;
        try {
            put_in_place(row.path, found->second);
        } catch (const std::exception& fault) {
            for (const size_t i : found->second) {
                report_.document["files"][i]["state"] = "failed";
                report_.document["files"][i]["why"] = fault.what();
                ++report_.failed;
            }
        }
        waiting_.erase(found);
    }
    /// What was begun and is not whole goes.
    void leave(const std::vector<size_t>& rows) {
        std::error_code error;
        for (const size_t i : rows) {
            fs::remove(beside_of(rows_[i]), error);
            report_.document["files"][i]["state"] = "to do";
        }
    }
    /// What was proved beside its name gets it.
    void put_in_place(const std::string& path, const std::vector<size_t>& rows) {
        std::error_code error;
        const std::string beside = beside_of(rows_[rows.front()]);
        const std::string hash = hash_word(read_file(beside));
        if (watch_.placing) watch_.placing(rows_[rows.front()].name, hash);
        if (order_.clash == Clash::replace) {
            fs::rename(beside, path);
        } else if (!move_to_free(beside, path)) {
            fs::remove(beside, error);
            // Another program at the same order has made the same.
            if (hash_word(read_file(path)) != hash)
                throw FileError(path, "is there since a moment ago", "hand over again");
        }
        for (const size_t i : rows) {
            Json& told = report_.document["files"][i];
            told["bytes"] = size_t(fs::file_size(path, error));
            told["hash"] = hash;
            told["state"] = "written";
            ++report_.written;
        }
    }

    /// Where the row's file is made.
    void make_folder(const HandOverRow& row) const {
        std::error_code error;
        fs::create_directories(fs::path(row.path).parent_path(), error);
    }
    void tell_length(Json& told) const {
        told["frames"] = handed_.motion.frames;
        told["fps"] = canonical(1.0 / handed_.motion.frame_time_s);
    }
    /// What is the same in whatever is written of a result.
    void tell_result(const HandOverRow& row, Json& told) const {
        told["lost"] = row.lost;
        for (const auto& [key, value] : of_pair_.items()) told[key] = value;
        if (handed_.starts_at_s != 0.0)
            told["starts_at_s"] = canonical(handed_.starts_at_s + handed_.motion.start_s);
    }

    /// The take's sound from the result's first frame to its end; read back, sample by sample.
    void write_sound(size_t at) {
        const HandOverRow& row = rows_[at];
        Json& told = report_.document["files"][at];
        const LoadedFile& take = files_.take(row.pair.take);
        make_folder(row);
        const Sound cut = cut_sound(read_sound(sound_of(take)),
                                    handed_.motion.start_s - take.character.rig.options.sound.offset_s,
                                    handed_.motion.frames * handed_.motion.frame_time_s);
        const std::string beside = beside_of(row);
        write_wave(beside, cut);
        const Sound back = read_sound(beside);
        float worst = back.samples.size() == cut.samples.size() ? 0.0F : 1.0F;
        for (size_t i = 0; i < cut.samples.size() && worst < 1.0F; ++i)
            worst = std::max(worst, std::abs(back.samples[i] - std::clamp(cut.samples[i], -1.0F, 1.0F)));
        if (worst > sound_limit) {
            std::error_code error;
            fs::remove(beside, error);
            throw FileError(row.path, fmt::format("read back, the sound is {:.4f} off", worst),
                            "it was not handed over; look at its file");
        }
        tell_length(told);
        told["keys_before"] = told["keys"] = 0;
        told["read_back"] = {{"place_mm", 0.0}, {"turn_deg", 0.0}, {"frames", handed_.motion.frames}};
        tell_result(row, told);
    }

    void write(size_t at) {
        const HandOverRow& row = rows_[at];
        Json& told = report_.document["files"][at];
        make_folder(row);
        WriteOptions options;
        options.reduce = order_.reduce;
        options.is_motion_alone = order_.is_motion_alone;
        // Beside its name until it is proved: nothing that is not whole and right ever has it.
        const std::string whole = beside_of(row);
        const bool is_more = is_of_several(order_, row) && waiting_.contains(row.path);
        if (is_more) options.added_to = whole;
        const std::string beside = is_more ? beside_of(row, ".more") : whole;
        const bool is_alone = handed_.props > 0 && !(row.what == What::body && holds_props(row.ending));
        const Handed alone = is_alone ? without_props(handed_) : Handed{};
        const Handed& body = is_alone ? alone : handed_;
        const Handed shown = row.what == HandOverRow::What::goals ? goals_as_nodes(body, *order_.goals)
                             : row.what == HandOverRow::What::controls
                                 ? controls_as_handed(body, *controls_beside(body.character.rig.path))
                                 : Handed{};
        const Handed& out = row.what == HandOverRow::What::body ? body : shown;
        const Written written = write_handed(
            beside, out, options, Watch([&](double) { return !progress_ || progress_(-1, 0, ""); }));
        Proof proof;
        try {
            proof = prove(beside, out);
            const double limit = proof_limit_m + (order_.reduce ? order_.reduce->place_m : 0.0);
            if (proof.place_m > limit)
                throw FileError(row.path,
                                fmt::format("read back, '{}' is {:.2f} mm off in frame {}", proof.place_joint,
                                            1e3 * proof.place_m, proof.place_frame),
                                "it was not handed over; choose another format");
        } catch (...) {
            std::error_code error;
            fs::remove(beside, error);
            throw;
        }
        if (is_more) fs::rename(beside, whole);
        if (is_of_several(order_, row)) waiting_[row.path].push_back(at);
        if (order_.has_track_file && !handed_.track.empty() && row.what == HandOverRow::What::body)
            write_file(fs::path(row.path).replace_extension(".track.csv").string(), track_csv(handed_));
        tell_length(told);
        told["keys_before"] = written.keys_before;
        told["keys"] = written.keys;
        told["bones_without_keys"] = written.without_keys;
        const Skeleton& skeleton = out.character.rig.skeleton;
        const auto name = [&](int joint) {
            return joint < 0 ? std::string() : skeleton.names[size_t(joint)];
        };
        if (order_.reduce)
            told["reduction"] = {{"place_mm", canonical(1e3 * written.error.place_m)},
                                 {"joint", name(written.error.place_joint)},
                                 {"frame", written.error.place_frame},
                                 {"turn_deg", canonical(rad_to_deg(written.error.turn_rad))},
                                 {"turn_joint", name(written.error.turn_joint)},
                                 {"turn_frame", written.error.turn_frame},
                                 {"channels", written.channels},
                                 {"curved", written.curved}};
        told["read_back"] = {{"place_mm", canonical(1e3 * proof.place_m)},
                             {"joint", proof.place_joint},
                             {"frame", proof.place_frame},
                             {"turn_deg", canonical(rad_to_deg(proof.turn_rad))},
                             {"joints", proof.joints},
                             {"frames", proof.frames},
                             {"missing", proof.missing}};
        tell_result(row, told);
        for (const std::string& note : written.notes) told["notes"].push_back(note);
        for (const std::string& note : shown.told) told["notes"].push_back(note);
    }
};

}  // namespace

HandOverReport run_hand_over(const HandOverOrder& order, LibraryFiles& files, int threads,
                             const HandOverProgress& progress) {
    return Run(order, files, threads, progress).run();
}

Json hand_over_part(const HandOverOrder& part, LibraryFiles& files, int threads, const PartWatch& watch) {
    return Run(part, files, threads, {}).run_part(watch);
}

void write_report(const Json& report, const std::string& path) {
    write_file(path, format_document(report));
    write_file(fs::path(path).replace_extension(".html").string(), report_page(report));
}

std::vector<StaleRow> stale_rows(const Json& report, const std::string& path) {
    return reading(path, [&] {
        std::vector<StaleRow> stale;
        std::map<std::string, std::string> hashes;
        const auto hash_now = [&](const std::string& file) {
            auto& hash = hashes[file];
            if (hash.empty()) {
                try {
                    hash = hash_word(read_file(file));
                } catch (const FileError&) {
                    hash = "gone";
                }
            }
            return hash;
        };
        const fs::path folder = fs::absolute(path).lexically_normal().parent_path();
        for (const Json& file : list_or_none(report, "files", path)) {
            if (text_in(file, "state", path) != "written") continue;
            const std::string name = text_in(file, "name", path);
            std::string why;
            const std::string own = hash_now((folder / name).string());
            if (own == "gone")
                why = "the file is gone";
            else if (own != text_in(file, "hash", path))
                why = "the file was changed after it was handed over";
            for (const auto& [input, hash] : object_in(file, "inputs", path).items()) {
                if (!why.empty()) break;
                const std::string now = hash_now((folder / input).lexically_normal().string());
                if (now != hash.get<std::string>())
                    why = fmt::format("{} {}", fs::path(input).filename().string(),
                                      now == "gone" ? "is gone" : "has changed");
            }
            if (!why.empty()) stale.push_back({name, why});
        }
        return stale;
    });
}

std::string report_page(const Json& report) {
    std::string page = fmt::format(
        R"(<!DOCTYPE html>
<html lang="en"><head><meta charset="utf-8"><title>Handed over: {0}</title>
<style>
body{{font:15px/1.5 system-ui,sans-serif;background:#f6f1e4;color:#1d2a3a;margin:2.5rem auto;max-width:72rem;padding:0 1.5rem}}
h1{{font-size:1.5rem;margin:0}} p{{margin:.3rem 0}} table{{border-collapse:collapse;width:100%;margin:1.5rem 0}}
th,td{{text-align:left;padding:.35rem .7rem;border-bottom:1px solid #1d2a3a33;vertical-align:top}} td.n{{text-align:right;font-variant-numeric:tabular-nums}}
th{{font-weight:600}} .not{{border-left:4px solid #1d2a3a;padding-left:.6rem}} details{{margin:.2rem 0}} summary{{cursor:pointer}} code{{font-size:.9em}}
</style></head><body>
<h1>Handed over: {0}</h1>
<p>{1}, library {2}, {3}</p>
)",
        escaped_markup(report.value("order", "")), escaped_markup(report.value("date", "")),
        escaped_markup(report.value("library", "")), escaped_markup(report.value("tool", "")));
    std::map<std::string, int> states;
    for (const Json& file : report["files"]) ++states[file.value("state", "")];
    page += "<p>";
    for (const auto& [state, count] : states) page += fmt::format("{} {} &nbsp; ", count, state);
    page +=
        "</p>\n<table><tr><th>File</th><th>Frames</th><th>Keys</th><th>Read back</th><th>Left out</th>"
        "<th>Bars missed</th></tr>\n";
    for (const Json& file : report["files"]) {
        const std::string state = file.value("state", "");
        if (state != "written") {
            page += fmt::format("<tr><td class=\"not\">{}</td><td colspan=\"5\">{}{}</td></tr>\n",
                                escaped_markup(file.value("name", "")), escaped_markup(state),
                                file.contains("why") ? ": " + escaped_markup(file.value("why", "")) : "");
            continue;
        }
        const Json& back = file["read_back"];
        std::string details;
        for (const char* list : {"lost", "notes", "bones_without_keys"}) {
            if (!file.contains(list) || file[list].empty()) continue;
            std::string items;
            for (const Json& one : file[list])
                items += (items.empty()                               ? ""
                          : std::string(list) == "bones_without_keys" ? ", "
                                                                      : "<br>") +
                         escaped_markup(one.get<std::string>());
            details += fmt::format("<p><b>{}</b><br>{}</p>",
                                   std::string(list) == "lost"    ? "stays behind"
                                   : std::string(list) == "notes" ? "told"
                                                                  : "bones that never move, without keys",
                                   items);
        }
        details += "<p><b>made from</b><br>";
        for (const auto& [input, hash] : file["inputs"].items())
            details += fmt::format("{} <code>{}</code><br>", escaped_markup(input),
                                   escaped_markup(hash.get<std::string>()));
        details += "</p><p><b>review</b><br>";
        for (const auto& [bar, value] : file["review"].items())
            details += fmt::format("{} {:.4g}<br>", escaped_markup(bar), value.get<double>());
        details += "</p>";
        page += fmt::format(
            "<tr><td><details><summary>{}</summary>{}</details></td><td class=\"n\">{} at {:.4g}</td>"
            "<td class=\"n\">{} of {}</td><td class=\"n\">{:.4f} mm<br>{:.4f}&deg;</td><td "
            "class=\"n\">{}</td>"
            "<td class=\"n\">{}</td></tr>\n",
            escaped_markup(file.value("name", "")), details, file.value("frames", 0), file.value("fps", 0.0),
            file.value("keys", 0), file.value("keys_before", 0), back.value("place_mm", 0.0),
            back.value("turn_deg", 0.0),
            file.contains("reduction")
                ? fmt::format("{:.3f} mm, {:.3f}&deg;", file["reduction"].value("place_mm", 0.0),
                              file["reduction"].value("turn_deg", 0.0))
                : "nothing",
            file["review"].value("bars_missed", 0));
    }
    page +=
        "</table>\n<p>Read back: the largest distance and turn of any joint in any frame between the file, "
        "read "
        "again, and what was shown. Left out: by how much the fewest keys err.</p>\n</body></html>\n";
    return page;
}

}  // namespace nb
