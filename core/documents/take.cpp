#include "core/documents/take.hpp"

#include <fmt/format.h>

#include <filesystem>

#include "core/base/uuid.hpp"
#include "core/documents/contacts.hpp"
#include "core/documents/intake.hpp"

namespace nb {

namespace {

const Shape& take_shape() {
    static const Shape shape = object_of({"conventions", "intake", "contacts_by_hand", "touches_by_hand",
                                          "held_things", "floor_levels_m", "floor_velocity_m_s", "animation"},
                                         {{"character", object_of({})},
                                          {"conventions", object_of({"unit_m", "up", "facing"})},
                                          {"trim", object_of({})},
                                          {"intake", intake_shape()},
                                          {"contacts", list_of(object_of({}), {"point", "first", "last"})}});
    return shape;
}

}  // namespace

Json take_document(const TakeDocument& take) {
    Json document = document_header("take", take.id);
    document["file"] = take.file;
    document["character"]["id"] = take.character_id;
    document["character"]["path"] = take.character_path;
    if (take.other.is_object() && take.other.contains("conventions"))
        document["conventions"] = take.other["conventions"];
    document["frame_time_s"] = take.frame_time_text;
    document["frames"] = take.frames;
    document["first_motion_frame"] = take.first_motion_frame;
    document["trim"]["first"] = take.trim_first;
    document["trim"]["last"] = take.trim_last;
    if (take.animation > 0) document["animation"] = take.animation;
    document["contacts"] = Json::array();
    document["props"] = Json::array();
    if (!take.gaps.empty()) {
        Json& gaps = document["gaps"] = Json::array();
        for (const StreamGap& gap : take.gaps) gaps.push_back({{"first", gap.first}, {"last", gap.last}});
    }
    if (!take.marks.empty()) {
        Json& marks = document["marks"] = Json::array();
        for (const StreamMark& mark : take.marks)
            marks.push_back({{"frame", mark.frame}, {"word", mark.word}});
    }
    if (take.other.is_object() && take.other.contains("set")) document["set"] = take.other["set"];
    document["notes"] = take.notes;
    keep_unknown(take.other, document, object_of({"animation"}));
    for (const auto* list : {"contacts", "props"})
        if (take.other.is_object() && take.other.contains(list)) document[list] = take.other[list];
    return document;
}

TakeDocument read_take_document(const Json& document, const std::string& path) {
    TakeDocument take;
    take.id = text_in(document, "id", path);
    take.file = text_in(document, "file", path);
    const Json& character = object_in(document, "character", path);
    take.character_id = text_in(character, "id", path);
    take.character_path = text_in(character, "path", path);
    take.frame_time_text = text_in(document, "frame_time_s", path);
    take.frames = whole_in(document, "frames", 0, frame_limit, path);
    take.first_motion_frame = whole_in(document, "first_motion_frame", 0, frame_limit, path);
    take.animation = whole_in(document, "animation", 1, 100000, 0, path);
    const Json& trim = object_in(document, "trim", path);
    take.trim_first = whole_in(trim, "first", 0, frame_limit, path);
    take.trim_last = whole_in(trim, "last", 0, frame_limit, path);
    if (take.trim_first > 0 && take.trim_first >= take.trim_last)
        throw FileError(path, fmt::format("'trim' runs from {} to {}", take.trim_first, take.trim_last),
                        "write first < last in frames of the file");
    take.notes = text_in(document, "notes", "", path);
    LoadOptions stated;
    read_conventions(document, path, stated);
    take.unit_m = stated.unit_m.value_or(0.0);
    take.up = stated.up.value_or("");
    take.facing = stated.facing.value_or("");
    for (const Json& prop : list_or_none(document, "props", path))
        if (prop.contains("file"))
            take.pieces.push_back(
                {text_in(prop, "file", path), text_in(prop, "joint", path), Vec3::Zero(), false});
    for (const Json& piece : list_or_none(document, "set", path)) {
        Vec3 at_m = Vec3::Zero();
        if (piece.contains("at_m")) {
            const auto at = numbers_in(piece, "at_m", 3, -1e6, 1e6, path);
            at_m = {at[0], at[1], at[2]};
        }
        take.pieces.push_back(
            {text_in(piece, "file", path), "", at_m, flag_in(piece, "is_ground", false, path)});
    }
    for (const Json& gap : list_or_none(document, "gaps", path))
        take.gaps.push_back(
            {whole_in(gap, "first", 0, frame_limit, path), whole_in(gap, "last", 0, frame_limit, path)});
    for (const Json& mark : list_or_none(document, "marks", path))
        take.marks.push_back({whole_in(mark, "frame", 0, frame_limit, path), text_in(mark, "word", path)});
    take.other = document;
    return take;
}

Json changed_take_document(const LoadedFile& file, const std::string& path) {
    const Rig& rig = file.character.rig;
    TakeDocument take;
    if (const std::string& text =
            file.take_document.text.empty() ? file.document_of_all : file.take_document.text;
        !text.empty()) {
        take = read_take_document(parse_document(text, path, "take"), path);
        if (file.take_document.text.empty() && file.take) take.id = file.take->id;
    } else {
        take.id = file.take && !file.take->id.empty() ? file.take->id : make_uuid();
        take.file = std::filesystem::path(rig.path).filename().string();
        take.frames = file.file_frames;
        take.first_motion_frame =
            rig.options.trim_first == 0 && file.take ? file.take->first_motion_frame : 0;
        take.frame_time_text = file.take ? file.take->frame_time_text : "0.0333333";
        take.other = Json::object();
    }
    const Json read = take.other;
    if (file.animations.size() > 1) take.animation = rig.options.animation + 1;
    take.trim_first = rig.options.trim_first;
    take.trim_last = rig.options.trim_last > 0 ? rig.options.trim_last : file.file_frames;
    Json& conventions = take.other["conventions"];
    conventions = Json::object();
    if (rig.options.unit_m) conventions["unit_m"] = canonical(*rig.options.unit_m);
    if (rig.options.up) conventions["up"] = *rig.options.up;
    if (rig.options.facing) conventions["facing"] = *rig.options.facing;
    if (conventions.empty()) take.other.erase("conventions");
    const Json intake = intake_document(rig.options);
    if (intake.is_null())
        take.other.erase("intake");
    else
        take.other["intake"] = intake;
    write_contacts(take.other, file);
    Json document = take_document(take);
    keep_unknown(read, document, take_shape());
    return document;
}

}  // namespace nb
