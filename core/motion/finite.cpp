#include "core/motion/finite.hpp"

#include <fmt/format.h>

#include "core/base/fault.hpp"

namespace nb {

void require_finite(const std::string& path, const Skeleton& skeleton, const Take& take) {
    const auto refuse = [&](const std::string& where) {
        throw FileError(path, fmt::format("was not written: {} is no finite number", where),
                        "look at the body and the take at this place");
    };
    for (size_t j = 0; j < skeleton.names.size(); ++j)
        if (!skeleton.rest_p[j].allFinite() || !skeleton.rest_R[j].coeffs().allFinite())
            refuse(fmt::format("the rest of '{}'", skeleton.names[j]));
    for (const EndSite& site : skeleton.end_sites)
        if (!site.offset_m.allFinite())
            refuse(fmt::format("the end of '{}'", skeleton.names[size_t(site.joint)]));
    const size_t joints = size_t(take.joints);
    for (size_t i = 0; i < take.R.size(); ++i)
        if (!take.R[i].coeffs().allFinite())
            refuse(fmt::format("'{}' in frame {}", skeleton.names[i % joints], i / joints));
    for (size_t i = 0; i < take.p.size(); ++i)
        if (!take.p[i].allFinite())
            refuse(fmt::format("'{}' in frame {}",
                               skeleton.names[size_t(take.translated[i % take.translated.size()])],
                               i / take.translated.size()));
}

}  // namespace nb
