#include "core/library/joined.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <filesystem>
#include <stdexcept>

#include "core/base/files.hpp"
#include "core/base/uuid.hpp"
#include "core/documents/take.hpp"
#include "core/library/changes.hpp"
#include "core/library/kept.hpp"

namespace nb {

namespace fs = std::filesystem;

Json join_document(const JoinPlan& plan) {
    Json document = document_header("join", plan.id);
    document["name"] = plan.name;
    document["character"] = plan.character;
    document["clips"] = Json::array();
    for (const JoinPlan::Clip& clip : plan.clips)
        document["clips"].push_back({{"take", clip.take},
                                     {"first", clip.first},
                                     {"last", clip.last},
                                     {"pace_percent", canonical(clip.pace)}});
    document["seams"] = Json::array();
    for (const Seam& seam : plan.seams)
        document["seams"].push_back({{"meets", seam.point},
                                     {"overlap_s", canonical(seam.overlap_s)},
                                     {"searched", seam.is_searched},
                                     {"search_s", canonical(seam.search_s)}});
    document["pad_first_s"] = canonical(plan.pad_first_s);
    document["pad_last_s"] = canonical(plan.pad_last_s);
    return document;
}

JoinPlan read_join(const Json& document, const std::string& path) {
    return reading(path, [&] {
        JoinPlan plan;
        plan.id = text_in(document, "id", "", path);
        plan.name = text_in(document, "name", path);
        plan.character = text_in(document, "character", path);
        for (const Json& one : list_or_none(document, "clips", path)) {
            JoinPlan::Clip clip;
            clip.take = text_in(one, "take", path);
            clip.first = whole_in(one, "first", 0, frame_limit, 0, path);
            clip.last = whole_in(one, "last", 0, frame_limit, 0, path);
            if (clip.last != 0 && clip.last <= clip.first)
                throw FileError(path, fmt::format("the clip '{}' ends before it begins", clip.take),
                                "give 'last' beyond 'first', or 0 for the end");
            clip.pace = number_in(one, "pace_percent", 10.0, 1000.0, 100.0, path);
            plan.clips.push_back(clip);
        }
        if (plan.clips.empty()) throw FileError(path, "it has no clips", "give at least one");
        for (const Json& one : list_or_none(document, "seams", path)) {
            Seam seam;
            seam.point = text_in(one, "meets", "hips", path);
            seam.overlap_s = number_in(one, "overlap_s", 0.0, 10.0, seam.overlap_s, path);
            seam.is_searched = flag_in(one, "searched", true, path);
            seam.search_s = number_in(one, "search_s", 0.0, 10.0, seam.search_s, path);
            plan.seams.push_back(seam);
        }
        if (plan.seams.size() >= plan.clips.size())
            throw FileError(path, "there are more seams than places between clips", "leave some out");
        plan.seams.resize(plan.clips.size() - 1);
        plan.pad_first_s = number_in(document, "pad_first_s", 0.0, 600.0, 0.0, path);
        plan.pad_last_s = number_in(document, "pad_last_s", 0.0, 600.0, 0.0, path);
        return plan;
    });
}

std::vector<KeptJoin> joins_of(const Library& library, std::vector<std::string>& troubles) {
    return kept_documents<KeptJoin>(library, "joins", troubles, [](const std::string& path) {
        return read_join(read_document(path, "join"), path);
    });
}

std::string join_place(const Library& library, const std::string& name) {
    return kept_place(library, "joins", name);
}

bool CarriedTakes::has_all(const JoinPlan& plan) const {
    return character == plan.character &&
           std::all_of(plan.clips.begin(), plan.clips.end(),
                       [&](const JoinPlan::Clip& clip) { return takes.contains(clip.take); });
}

void carry_takes(const JoinPlan& plan, LibraryFiles& files, CarriedTakes& carried, int threads) {
    if (carried.character != plan.character) carried = {plan.character, {}};
    for (const JoinPlan::Clip& clip : plan.clips)
        if (!carried.takes.contains(clip.take))
            carried.takes.emplace(clip.take, std::make_shared<const Handed>(
                                                 carry_pair(files, {clip.take, plan.character}, threads)));
}

Joined join_takes(const JoinPlan& plan, LibraryFiles& files, int threads) {
    CarriedTakes carried;
    carry_takes(plan, files, carried, threads);
    return join_carried(plan, carried);
}

Joined join_carried(const JoinPlan& plan, const CarriedTakes& all) {
    std::vector<Handed> clips;
    for (const JoinPlan::Clip& clip : plan.clips) {
        Handed carried = *all.takes.at(clip.take);
        if (clip.first >= carried.motion.frames)
            throw FileError(plan.name,
                            fmt::format("the clip '{}' begins at frame {}, but has {}", clip.take, clip.first,
                                        carried.motion.frames),
                            "begin it earlier");
        cut(carried, clip.first, clip.last == 0 ? carried.motion.frames : clip.last);
        pace_clip(carried, clip.pace);
        carried.name = clip.take;
        clips.push_back(std::move(carried));
    }
    Joined joined;
    try {
        joined.motion =
            join_clips(std::move(clips), plan.seams, plan.pad_first_s, plan.pad_last_s, joined.seams);
    } catch (const std::invalid_argument& fault) {
        throw FileError(plan.name, fault.what(), "change the plan");
    }
    if (!plan.name.empty()) joined.motion.name = plan.name;
    return joined;
}

namespace {

/// Joints that go with the body, on every fourth frame from `first` on.
std::vector<Vec3> cloud(const Handed& handed, int first, int frames) {
    const std::vector<char> goes = with_the_body(handed);
    std::vector<Vec3> points;
    for (int f = 0; f < frames; f += 4)
        for (int j = 0; j < handed.motion.joints; ++j)
            if (goes[size_t(j)]) points.push_back(handed.motion.p[handed.motion.at(first + f, j)]);
    return points;
}

}  // namespace

Padded pad_take(const std::string& take, const std::string& idle, const std::string& character,
                double before_s, double after_s, LibraryFiles& files, int threads) {
    constexpr double overlap_s = 0.3;
    constexpr int most_idles = 200;
    Padded padded;
    padded.plan.name = take + " padded";
    padded.plan.character = character;
    CarriedTakes carried;
    padded.plan.clips = {{take, 0, 0, 100.0}, {idle, 0, 0, 100.0}};
    carry_takes(padded.plan, files, carried, threads);
    const Handed own = *carried.takes.at(take);
    const WorldMotion& motion = own.motion;
    const WorldMotion& stance = carried.takes.at(idle)->motion;
    const double idle_s = (stance.frames - 1) * stance.frame_time_s - overlap_s;
    const double fills = std::max(before_s, after_s) / std::max(1e-3, idle_s);
    if (idle_s < overlap_s || fills > most_idles)
        throw FileError(idle, fmt::format("is too short to fill {:.1f} s", std::max(before_s, after_s)),
                        "choose a longer take to pad with");
    const auto needed = [&](double s) { return s > 0.0 ? int(std::ceil(s / idle_s)) : 0; };
    const int first = needed(before_s);
    padded.plan.clips.assign(size_t(first), {idle, 0, 0, 100.0});
    padded.plan.clips.push_back({take, 0, 0, 100.0});
    padded.plan.clips.insert(padded.plan.clips.end(), size_t(needed(after_s)), {idle, 0, 0, 100.0});
    padded.plan.seams.assign(padded.plan.clips.size() - 1, {"hips", overlap_s, false, 0.0});
    padded.joined = join_carried(padded.plan, carried);
    Handed& joined = padded.joined.motion;
    const int begins = first > 0 ? padded.joined.seams[size_t(first) - 1].first : 0;
    // Between its blends the take is where it was.
    const int blend = int(std::lround(overlap_s / motion.frame_time_s)) + 1;
    if (const int whole = motion.frames - 2 * blend; whole > 8) {
        double left_m = 0.0;
        const Rigid X =
            nearest_floor_move(cloud(own, blend, whole), cloud(joined, begins + blend, whole), left_m)
                .rigid();
        move_body(joined, [&X](int) { return Rigid{X.R, X.p}; });
    }
    padded.before = std::min(begins, int(std::lround(before_s / motion.frame_time_s)));
    const int last = begins + motion.frames + int(std::lround(after_s / motion.frame_time_s));
    cut(joined, begins - padded.before, std::min(last, joined.motion.frames));
    return padded;
}

LibraryEntry keep_joined(const Library& library, const JoinPlan& plan, const Joined& joined,
                         LibraryFiles& files) {
    const LoadedFile& body = files.character(plan.character);
    const fs::path motion = fs::path(library.folder) / "takes" / (unfinished_prefix + make_uuid() + ".bvh");
    std::error_code error;
    fs::create_directories(motion.parent_path(), error);
    LibraryEntry entry;
    try {
        write_handed(motion.string(), joined.motion, {});
        entry = add_take(library, motion.string(), body.character_document.path, plan.name);
    } catch (...) {
        fs::remove(motion, error);
        throw;
    }
    fs::remove(motion, error);
    TakeDocument document = read_take_document(read_document(entry.document, "take"), entry.document);
    std::string parts;
    for (const JoinPlan::Clip& clip : plan.clips)
        parts +=
            fmt::format("{}{}{}{}", parts.empty() ? "" : ", ", clip.take,
                        clip.first != 0 || clip.last != 0
                            ? fmt::format(" {} to {}", clip.first,
                                          clip.last == 0 ? std::string("its end") : std::to_string(clip.last))
                            : "",
                        clip.pace != 100.0 ? fmt::format(" at {:.4g} %", clip.pace) : "");
    document.notes = fmt::format("Joined on {}: {}.", plan.character, parts);
    write_file(entry.document, format_document(take_document(document)));
    return entry;
}

}  // namespace nb
