// The pairings of a library by the names of both bodies: who drives whom, and what of it is set.
#pragma once
#include <string>
#include <vector>

#include "core/library/library.hpp"

namespace nb {

struct SetUp {
    std::string path;
    std::string source, target;  ///< as shown; the id where nobody of the library has it
    std::string take_entry,
        target_entry;  ///< a take captured on the source, and the target, by which it is opened; may be empty
    std::vector<std::string> what;  ///< "chains", "touch-ups", "1 take by itself" ...
};
/// By the target's name, then the source's. What cannot be read is told in `troubles`.
std::vector<SetUp> set_ups_of(const Library& library, std::vector<std::string>& troubles);

}  // namespace nb
