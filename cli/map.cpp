// nbone map: the bone map of a pair, its coverage, and what to expect of it.
#include <fmt/format.h>

#include "cli/commands.hpp"
#include "core/base/files.hpp"
#include "core/documents/pairing.hpp"
#include "core/forecast/bone_map.hpp"
#include "core/library/library.hpp"

namespace nb::cli {

int map_bones(const Options& options) {
    std::vector<std::string> notes;
    const LoadedFile source = load_take(options.take, options.source_character, notes);
    const LoadedFile target = load_character(options.target, options.target_character, notes);
    const Plan plan =
        compile_plan(source.character, target.character, pairing_settings(options), &*source.take);
    const BoneMap map = bone_map(source.character, target.character, plan);
    if (!options.out.empty()) write_file(options.out, bone_map_csv(map));
    for (const BoneMapRow& row : map.rows)
        fmt::print("{:24} {:18} {:16} {}{}  {}\n", row.bone, row.role.empty() ? "-" : row.role,
                   driven_text(row.how), row.from,
                   row.from_next.empty() ? "" : fmt::format(" .. {} ({:.2f})", row.from_next, row.share),
                   row.evidence);
    fmt::print("{} bones driven, {} between two, {} twist, {} keep their rest, {} left out\n",
               map.count(Driven::alone), map.count(Driven::between), map.count(Driven::twist),
               map.count(Driven::rest), map.count(Driven::left_out));
    for (const SourceBone& bone : map.sources)
        if (bone.fate != SourceBone::Fate::mapped)
            fmt::print("not taken: {} ({}): {}\n", bone.bone, bone.role, bone.means);
    for (const Expectation& expected : forecast(source.character, target.character, plan))
        fmt::print("expect: {}\n", expected.text);
    return exit_done;
}

}  // namespace nb::cli
