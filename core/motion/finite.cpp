#include "core/motion/finite.hpp"

#include <fmt/format.h>

#include "core/base/fault.hpp"

namespace nb {

void require_finite(const std::string& path, const Skeleton& skeleton, const MotionView& motion) {
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
    const Take& about = motion.about();
    for (int f = 0; f < about.frames; ++f) {
        for (int j = 0; j < about.joints; ++j)
            if (!motion.rotation(f, j).coeffs().allFinite())
                refuse(fmt::format("'{}' in frame {}", skeleton.names[size_t(j)], f));
        for (size_t m = 0; m < about.translated.size(); ++m)
            if (!motion.translation(f, m).allFinite())
                refuse(fmt::format("'{}' in frame {}", skeleton.names[size_t(about.translated[m])], f));
    }
}

void require_finite(const std::string& path, const Skeleton& skeleton, const Take& take) {
    require_finite(path, skeleton, TakeView(take));
}

}  // namespace nb
