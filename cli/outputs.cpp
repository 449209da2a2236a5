#include "cli/outputs.hpp"

#include <fmt/format.h>

#include <filesystem>

#include "core/base/text_encoding.hpp"
#include "core/documents/take.hpp"
#include "core/library/beside.hpp"

namespace nb::cli {

namespace fs = std::filesystem;

namespace {

/// The same file by whatever name: links and hard links, too.
bool is_same_file(const std::string& a, const std::string& b) {
    std::error_code error;
    if (fs::exists(a, error) && fs::exists(b, error)) return fs::equivalent(a, b, error);
    return fs::weakly_canonical(fs::absolute(a), error) == fs::weakly_canonical(fs::absolute(b), error);
}

/// What a take's document reads besides itself.
void add_files_of_take(const std::string& path, std::vector<std::string>& inputs) {
    if (!path.ends_with(".take.json")) return;
    try {
        const TakeDocument take = read_take_document(read_document(path, "take"), path);
        const fs::path folder = fs::path(path).parent_path();
        inputs.push_back((folder / take.file).string());
        if (!take.character_path.empty()) inputs.push_back((folder / take.character_path).string());
    } catch (const std::exception&) {  // Reading it says why.
    }
}

}  // namespace

void check_outputs(const Options& options) {
    const std::vector<std::pair<const char*, std::string>> outputs{{"--out", options.out},
                                                                   {"--review", options.review},
                                                                   {"--vrm", options.vrm},
                                                                   {"--iso-names", options.iso},
                                                                   {"--as-rest", options.as_rest}};
    std::vector<std::string> inputs{options.file,   options.roles,   options.apply,
                                    options.take,   options.target,  options.source_character,
                                    options.plan,   options.pairing, options.target_character,
                                    options.against};
    inputs.push_back(options.stance);
    inputs.insert(inputs.end(), options.takes.begin(), options.takes.end());
    for (const std::string& path : std::vector<std::string>(inputs)) add_files_of_take(path, inputs);
    for (size_t i = 0; i < outputs.size(); ++i) {
        const auto& [name, path] = outputs[i];
        if (path.empty()) continue;
        for (const std::string& input : inputs)
            if (!input.empty() && is_same_file(path, input))
                throw WrongUse(fmt::format("{} {}: that is a file it reads; choose another name", name,
                                           shown_text(path)));
        for (size_t k = 0; k < i; ++k)
            if (!outputs[k].second.empty() && is_same_file(path, outputs[k].second))
                throw WrongUse(
                    fmt::format("{} and {} are the same file; choose two names", outputs[k].first, name));
        std::error_code error;
        if (!options.is_forced && fs::is_regular_file(path, error))
            throw WrongUse(
                fmt::format("{} {}: is there already; --force writes over it", name, shown_text(path)));
    }
}

}  // namespace nb::cli
