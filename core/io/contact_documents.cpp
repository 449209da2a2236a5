#include "core/io/contact_documents.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <stdexcept>

#include "core/contact/sole.hpp"
#include "core/io/file_error.hpp"

namespace nb {

namespace {

constexpr const char* by_hand_key = "contacts_by_hand";

/// Frames of the file for one of the take.
double file_frames_per_frame(const LoadedFile& file) {
    return file.take && file.file_fps > 0.0 ? file.file_fps * file.take->frame_time_s : 1.0;
}

bool is_level(double level) {
    return std::isfinite(level) && std::abs(level) < 1000.0;
}

}  // namespace

void write_contacts(Json& document, const LoadedFile& file) {
    if (!file.take || !file.take->contacts.is_by_hand) {
        if (document.contains(by_hand_key)) document["contacts"] = Json::array();
        document.erase(by_hand_key);
        document.erase("floor_levels_m");
        return;
    }
    const double rate = file_frames_per_frame(file);
    const int first = file.character.rig.options.trim_first;
    Json list = Json::array();
    for (const Contact& contact : file.take->contacts.list)
        list.push_back({{"point", contact.point},
                        {"first", first + int(std::lround(contact.first * rate))},
                        {"last", first + int(std::lround(contact.last * rate))},
                        {"kind", contact_kind_name(contact.kind)},
                        {"level_m", canonical(contact.level_m)}});
    document["contacts"] = list;
    document[by_hand_key] = true;
    document["floor_levels_m"] = Json::array();
    for (const double level : file.take->contacts.floor.levels_m)
        document["floor_levels_m"].push_back(canonical(level));
}

Contacts read_contacts(const Json& document, const std::string& path, const LoadedFile& file) {
    Contacts contacts;
    if (!file.take) return contacts;
    try {
        if (!document.value(by_hand_key, false)) return contacts;
        contacts.is_by_hand = true;
        for (const Json& level : document.value("floor_levels_m", Json::array())) {
            contacts.floor.levels_m.push_back(level.get<double>());
            if (!is_level(contacts.floor.levels_m.back()))
                throw FileError(path, "'floor_levels_m' holds no height", "write metres");
        }
        std::sort(contacts.floor.levels_m.begin(), contacts.floor.levels_m.end());
        const double rate = file_frames_per_frame(file);
        const int first = file.character.rig.options.trim_first;
        int number = 0;
        if (!document.at("contacts").is_array())
            throw FileError(path, "'contacts' is no list", "compare with docs/schema/take.schema.json");
        for (const Json& entry : document.at("contacts")) {
            ++number;
            Contact contact;
            contact.point = entry.at("point").get<std::string>();
            const int from = entry.at("first").get<int>();
            const int to = entry.at("last").get<int>();
            contact.level_m = entry.value("level_m", 0.0);
            if (!contact_point(contact.point))
                throw FileError(path,
                                fmt::format("contact {}: '{}' is no point of a body", number, contact.point),
                                "write heel, ball, toetip, wrist, knee, hindpaw or forepaw with .left or "
                                ".right, or seat");
            if (from < 0 || to <= from || !is_level(contact.level_m))
                throw FileError(path, fmt::format("contact {} has no span or no height", number),
                                "write first < last in frames, level_m in metres");
            try {
                contact.kind = contact_kind(entry.value("kind", "stay"));
            } catch (const std::invalid_argument& error) {
                throw FileError(path, fmt::format("contact {}: {}", number, error.what()),
                                "compare with docs/schema/take.schema.json");
            }
            contact.first = int(std::lround((from - first) / rate));
            contact.last = int(std::lround((to - first) / rate));
            contacts.list.push_back(contact);
        }
    } catch (const Json::exception&) {
        throw FileError(path, "a contact is missing a value or has one of the wrong kind",
                        "compare with docs/schema/take.schema.json");
    }
    tidy_contacts(contacts, file.take->frames);
    return contacts;
}

}  // namespace nb
