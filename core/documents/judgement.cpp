#include "core/documents/judgement.hpp"

#include <fmt/format.h>

#include <array>

#include "core/base/fault.hpp"

namespace nb {

namespace {

constexpr int most_frames = 100'000'000;

Verdict verdict_of(const std::string& name, const std::string& path) {
    for (const Verdict verdict : {Verdict::none, Verdict::accepted, Verdict::polish, Verdict::capture})
        if (name == verdict_name(verdict)) return verdict;
    throw FileError(path, fmt::format("the verdict '{}' is not known", name),
                    "write accepted, polish or capture");
}

JudgedEvent::State state_of(const std::string& name, const std::string& path) {
    for (const auto state : {JudgedEvent::State::accepted, JudgedEvent::State::done})
        if (name == state_name(state)) return state;
    throw FileError(path, fmt::format("the state '{}' of an event is not known", name),
                    "write accepted or done");
}

}  // namespace

const Shape& judgements_shape() {
    static const Shape shape = table_of(
        object_of({"verdict", "note"},
                  {{"events", list_of(object_of({"measure", "row", "first", "last", "size", "state", "note"}),
                                      {"measure", "row", "first"})},
                   {"frames", list_of(object_of({"frame", "note"}), {"frame"})}}));
    return shape;
}

Json judgements_json(const Judgements& judgements) {
    Json json = Json::object();
    for (const auto& [take, judgement] : judgements) {
        if (judgement.is_empty()) continue;
        Json& said = json[take] = Json::object();
        if (judgement.verdict != Verdict::none) said["verdict"] = verdict_name(judgement.verdict);
        if (!judgement.note.empty()) said["note"] = judgement.note;
        for (const JudgedEvent& event : judgement.events) {
            Json one;
            one["measure"] = event.measure;
            one["row"] = event.row;
            one["first"] = event.first;
            one["last"] = event.last;
            one["size"] = canonical(event.size);
            one["state"] = state_name(event.state);
            if (!event.note.empty()) one["note"] = event.note;
            said["events"].push_back(one);
        }
        for (const MarkedFrame& mark : judgement.frames) {
            Json one;
            one["frame"] = mark.frame;
            if (!mark.note.empty()) one["note"] = mark.note;
            said["frames"].push_back(one);
        }
    }
    return json;
}

Judgements read_judgements(const Json& json, const std::string& path) {
    Judgements judgements;
    for (const auto& [take, said] : json.items()) {
        TakeJudgement& judgement = judgements[take];
        judgement.verdict = verdict_of(text_in(said, "verdict", "none", path), path);
        judgement.note = text_in(said, "note", "", path);
        for (const Json& one : list_or_none(said, "events", path))
            judgement.events.push_back({text_in(one, "measure", path), text_in(one, "row", path),
                                        whole_in(one, "first", -most_frames, most_frames, path),
                                        whole_in(one, "last", -most_frames, most_frames, path),
                                        number_in(one, "size", 0.0, 1e9, path),
                                        state_of(text_in(one, "state", path), path),
                                        text_in(one, "note", "", path)});
        for (const Json& one : list_or_none(said, "frames", path))
            mark_frame(judgement, whole_in(one, "frame", -most_frames, most_frames, path),
                       text_in(one, "note", "", path));
        if (judgement.is_empty()) judgements.erase(take);
    }
    return judgements;
}

}  // namespace nb
