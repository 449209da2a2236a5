#include "core/motion/marks.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <stdexcept>

namespace nb {

namespace {
constexpr std::array<std::string_view, 3> kind_names{"stay", "pivot", "slide"};
}

std::string_view contact_kind_name(ContactKind kind) {
    return kind_names[size_t(kind)];
}

ContactKind contact_kind(std::string_view name) {
    const auto at = std::find(kind_names.begin(), kind_names.end(), name);
    if (at == kind_names.end())
        throw std::invalid_argument(fmt::format("'{}' is no kind of contact; of stay, pivot, slide", name));
    return ContactKind(at - kind_names.begin());
}

double Floor::nearest(double height_m) const {
    double best = levels_m.empty() ? 0.0 : levels_m.front();
    for (const double level : levels_m)
        if (std::abs(level - height_m) < std::abs(best - height_m)) best = level;
    return best;
}

double Floor::room_m(double level_m) const {
    double room = 1e30;
    for (const double level : levels_m)
        if (level != level_m) room = std::min(room, std::abs(level - level_m));
    return room;
}

bool comes_before(const Contact& a, const Contact& b) {
    return a.point != b.point ? a.point < b.point : a.first < b.first;
}

void put_touches(Contacts& contacts, const std::vector<Contact>& touches) {
    std::erase_if(contacts.list, [](const Contact& one) { return one.is_touch(); });
    contacts.list.insert(contacts.list.end(), touches.begin(), touches.end());
    std::stable_sort(contacts.list.begin(), contacts.list.end(), comes_before);
}

void tidy_contacts(Contacts& contacts, int frames) {
    auto& list = contacts.list;
    for (Contact& contact : list) {
        contact.first = std::max(0, contact.first);
        contact.last = std::min(frames, contact.last);
    }
    std::sort(list.begin(), list.end(), comes_before);
    for (size_t i = 1; i < list.size(); ++i)
        if (list[i].point == list[i - 1].point) list[i].first = std::max(list[i].first, list[i - 1].last);
    list.erase(std::remove_if(list.begin(), list.end(), [](const Contact& c) { return c.last <= c.first; }),
               list.end());
}

}  // namespace nb
