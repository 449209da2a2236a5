#include "app/work/shown_pair.hpp"

#include <filesystem>

namespace nb {

std::string name_in_library(const Choice& choice, bool is_character) {
    const std::filesystem::path path(choice.path.toStdString());
    return is_character ? path.parent_path().filename().string() : path.stem().string();
}

std::optional<OrderedPair> shown_pair(const Workspace& workspace) {
    const int take = workspace.take_index(), target = workspace.target_index();
    if (take < 0 || target < 0 || !workspace.has_library()) return {};
    const Choice& of = workspace.takes()[size_t(take)];
    const Choice& on = workspace.targets()[size_t(target)];
    if (!of.is_of_library || !on.is_of_library) return {};
    return OrderedPair{name_in_library(of, false), name_in_library(on, true)};
}

}  // namespace nb
