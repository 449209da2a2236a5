// What is set by hand for one chain of a pairing.
#pragma once
#include <optional>
#include <string>
#include <utility>
#include <vector>

namespace nb {

struct ChainSettings {
    bool is_left_out = false;  ///< on purpose: the target's bones keep their rest relative to their parent
    std::string driven_by;     ///< another chain of the source; empty: the one of the same name
    /// Roles of source and target whose bones' far ends are matched, from the body outward. Between them
    /// length decides; the ends of both chains are matched anyway.
    std::vector<std::pair<std::string, std::string>> ticks;
    std::optional<double> tip_share;    ///< of a limb: how much of its tip's place crosses, 0 angles .. 1 tip
    std::optional<double> soften_from;  ///< stretch beyond which a limb's reach is eased; 0.97 by itself

    bool operator==(const ChainSettings&) const = default;
};

inline constexpr double usual_soften_from = 0.97;

}  // namespace nb
