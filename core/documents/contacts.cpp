#include "core/documents/contacts.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <stdexcept>

#include "core/base/fault.hpp"
#include "core/contact/sole.hpp"
#include "core/contact/touches.hpp"

namespace nb {

namespace {

constexpr const char* by_hand_key = "contacts_by_hand";
constexpr const char* touches_key = "touches_by_hand";
constexpr const char* things_key = "held_things";
constexpr double highest_m = 1000.0;
constexpr double fastest_m_s = 1000.0;

/// How frames and heights in force lie in the file's.
struct FileScale {
    FileFrames frames;
    double unit_m = 1.0;  ///< metres in force of one of the file's units, its legs' factor included

    explicit FileScale(const LoadedFile& file) {
        const Rig& rig = file.character.rig;
        frames = frames_in_file(file);
        const auto legs = rig.options.lengths.find("legs");
        unit_m = rig.conventions.unit_m * (legs == rig.options.lengths.end() ? 1.0 : legs->second);
    }
    int to_file(int frame) const { return frames.to_file(frame); }
    int from_file(int frame) const { return frames.from_file(frame); }
    double to_file(double level_m) const { return canonical(level_m / unit_m); }
    double from_file(double level) const { return canonical(level * unit_m); }
};

/// A contact of the file as it is in force; empty when it lies outside the trim.
Contact in_force(const Contact& in_file, const FileScale& scale, int frames) {
    Contact contact = in_file;
    contact.first = std::clamp(scale.from_file(in_file.first), 0, frames);
    contact.last = std::clamp(scale.from_file(in_file.last), 0, frames);
    contact.level_m = scale.from_file(in_file.level_m);
    return contact;
}

bool is_same(const Contact& a, const Contact& b) {
    return a.point == b.point && a.first == b.first && a.last == b.last && a.kind == b.kind && a.on == b.on &&
           a.is_unsure == b.is_unsure && std::abs(a.level_m - b.level_m) < 1e-9;
}

bool any_by_hand(const Contacts& contacts) {
    return !contacts.is_all_found() || !contacts.things.empty();
}

bool is_kept(const Contact& contact, const Contacts& contacts) {
    return contact.is_touch() ? contacts.are_touches_by_hand : contacts.is_by_hand;
}

Contact read_contact(const Json& entry, int number, const std::string& path, const FileScale& scale) {
    Contact contact;
    contact.point = text_in(entry, "point", path);
    contact.first = whole_in(entry, "first", 0, 100000000, path);
    contact.last = whole_in(entry, "last", 0, 100000000, path);
    contact.level_m = scale.to_file(number_in(entry, "level_m", -highest_m, highest_m, 0.0, path));
    contact.on = text_in(entry, "on", "", path);
    contact.is_unsure = flag_in(entry, "unsure", false, path);
    if (contact.is_touch() && !is_hand_point(contact.point))
        throw FileError(
            path, fmt::format("contact {}: '{}' is no point of a hand", number, contact.point),
            "write palm, tips, back, elbow or sole with .left or .right; of what stands on the floor "
            "leave out \"on\"");
    if (!contact.is_touch() && !contact_point(contact.point))
        throw FileError(path, fmt::format("contact {}: '{}' is no point of a body", number, contact.point),
                        "write heel, ball, toetip, wrist, knee, hindpaw or forepaw with .left or "
                        ".right, or seat; of palm and tips write what they lie \"on\"");
    if (contact.last <= contact.first)
        throw FileError(path, fmt::format("contact {} has no span", number), "write first < last in frames");
    try {
        contact.kind = contact_kind(text_in(entry, "kind", "stay", path));
    } catch (const std::invalid_argument& error) {
        throw FileError(path, fmt::format("contact {}: {}", number, error.what()),
                        "compare with docs/schema/take.schema.json");
    }
    return contact;
}

Contacts tidied(Contacts in_file, const LoadedFile& file) {
    tidy_contacts(in_file, std::max(file.file_frames, 1));
    return in_file;
}

}  // namespace

void set_contacts_in_file(LoadedFile& file, Contacts in_file) {
    if (!file.take) return;
    in_file = tidied(std::move(in_file), file);
    const FileScale scale(file);
    Contacts& contacts = file.take->contacts;
    contacts = {};
    contacts.is_by_hand = in_file.is_by_hand;
    contacts.are_touches_by_hand = in_file.are_touches_by_hand;
    contacts.things = in_file.things;
    for (const Contact& contact : in_file.list)
        contacts.list.push_back(in_force(contact, scale, file.take->frames));
    for (const double level : in_file.floor.levels_m)
        contacts.floor.levels_m.push_back(scale.from_file(level));
    contacts.floor.velocity_m_s = scale.unit_m * in_file.floor.velocity_m_s;
    tidy_contacts(contacts, file.take->frames);
    file.contacts_in_file = std::move(in_file);
}

Contacts contacts_to_file(const Contacts& contacts, const LoadedFile& file) {
    Contacts in_file;
    in_file.is_by_hand = contacts.is_by_hand;
    in_file.are_touches_by_hand = contacts.are_touches_by_hand;
    in_file.things = contacts.things;
    if (!file.take || !any_by_hand(contacts)) return in_file;
    const FileScale scale(file);
    const int frames = file.take->frames;
    const std::vector<Contact>& before = file.contacts_in_file.list;
    for (Contact contact : contacts.list) {
        if (!is_kept(contact, contacts)) continue;
        const auto unchanged = std::find_if(before.begin(), before.end(), [&](const Contact& old) {
            return is_same(in_force(old, scale, frames), contact);
        });
        if (unchanged != before.end()) {
            in_file.list.push_back(*unchanged);
            continue;
        }
        // One that the trim cuts off goes on beyond it.
        const auto beyond = [&](bool at_start) -> const Contact* {
            for (const Contact& old : before) {
                const Contact shown = in_force(old, scale, frames);
                if (old.point != contact.point || shown.last <= shown.first || shown.first >= contact.last ||
                    shown.last <= contact.first)
                    continue;
                if (at_start ? shown.first == 0 && old.first < scale.to_file(0)
                             : shown.last == frames && old.last > scale.to_file(frames))
                    return &old;
            }
            return nullptr;
        };
        const Contact* from = contact.first == 0 ? beyond(true) : nullptr;
        const Contact* to = contact.last == frames ? beyond(false) : nullptr;
        contact.first = from ? from->first : scale.to_file(contact.first);
        contact.last = to ? to->last : scale.to_file(contact.last);
        contact.level_m = scale.to_file(contact.level_m);
        in_file.list.push_back(contact);
    }
    for (const Contact& old : before) {
        const Contact shown = in_force(old, scale, frames);
        if (shown.last <= shown.first && is_kept(old, contacts)) in_file.list.push_back(old);
    }
    if (!contacts.is_by_hand) return tidied(std::move(in_file), file);
    for (const double level : contacts.floor.levels_m) in_file.floor.levels_m.push_back(scale.to_file(level));
    in_file.floor.velocity_m_s = contacts.floor.velocity_m_s / scale.unit_m;
    return tidied(std::move(in_file), file);
}

void write_contacts(Json& document, const LoadedFile& file) {
    const Contacts& contacts = file.contacts_in_file;
    const bool is_kept_here = file.take && any_by_hand(contacts);
    const bool was_kept = document.contains(by_hand_key) || document.contains(touches_key);
    for (const char* key : {by_hand_key, touches_key, things_key, "floor_levels_m", "floor_velocity_m_s"})
        document.erase(key);
    if (!is_kept_here) {
        if (was_kept) document["contacts"] = Json::array();
        return;
    }
    const FileScale scale(file);
    Json list = Json::array();
    for (const Contact& contact : contacts.list) {
        Json entry{{"point", contact.point},
                   {"first", contact.first},
                   {"last", contact.last},
                   {"kind", contact_kind_name(contact.kind)}};
        if (contact.is_touch()) {
            entry["on"] = contact.on;
            if (contact.is_unsure) entry["unsure"] = true;
        } else {
            entry["level_m"] = canonical(scale.from_file(contact.level_m));
        }
        list.push_back(std::move(entry));
    }
    document["contacts"] = list;
    if (contacts.are_touches_by_hand) document[touches_key] = true;
    for (const auto& [thing, rule] : contacts.things)
        document[things_key][thing] = {{"leads", rule.leads}, {"scaled", rule.is_scaled}};
    if (!contacts.is_by_hand) return;
    document[by_hand_key] = true;
    document["floor_levels_m"] = Json::array();
    for (const double level : contacts.floor.levels_m)
        document["floor_levels_m"].push_back(canonical(scale.from_file(level)));
    if (const Floor& floor = contacts.floor; floor.is_running())
        document["floor_velocity_m_s"] = {canonical(scale.unit_m * floor.velocity_m_s.x()),
                                          canonical(scale.unit_m * floor.velocity_m_s.z())};
}

Contacts read_contacts(const Json& document, const std::string& path, const LoadedFile& file) {
    Contacts contacts;
    if (!file.take) return contacts;
    contacts.is_by_hand = flag_in(document, by_hand_key, false, path);
    contacts.are_touches_by_hand = flag_in(document, touches_key, false, path);
    const Json& things = object_or_none(document, things_key, path);
    for (const auto& [thing, said] : things.items()) {
        if (!said.is_object())
            throw FileError(path, fmt::format("what is said of the thing '{}' is no object", thing),
                            "write \"leads\" and \"scaled\", true or false");
        const ThingRule rule{flag_in(said, "leads", false, path), flag_in(said, "scaled", false, path)};
        if (!rule.is_usual()) contacts.things[thing] = rule;
    }
    if (!any_by_hand(contacts)) return contacts;
    const FileScale scale(file);
    for (const Json& level : list_or_none(document, "floor_levels_m", path))
        contacts.floor.levels_m.push_back(
            scale.to_file(number_of(level, "floor_levels_m", -highest_m, highest_m, path)));
    std::sort(contacts.floor.levels_m.begin(), contacts.floor.levels_m.end());
    if (const Json& velocity = list_or_none(document, "floor_velocity_m_s", path); velocity.size() == 2)
        contacts.floor.velocity_m_s =
            Vec3(number_of(velocity[0], "floor_velocity_m_s", -fastest_m_s, fastest_m_s, path), 0.0,
                 number_of(velocity[1], "floor_velocity_m_s", -fastest_m_s, fastest_m_s, path)) /
            scale.unit_m;
    int number = 0;
    for (const Json& entry : list_or_none(document, "contacts", path)) {
        Contact contact = read_contact(entry, ++number, path, scale);
        if (is_kept(contact, contacts)) contacts.list.push_back(std::move(contact));
    }
    return contacts;
}

}  // namespace nb
