// Takes of a library joined on one of its characters: a plan says which parts in which order, and how they meet.
#pragma once
#include <string>
#include <vector>

#include "core/handover/join.hpp"
#include "core/library/hand_over.hpp"

namespace nb {

struct JoinPlan {
    struct Clip {
        std::string take;
        int first = 0, last = 0;  ///< frames of its result, `last` not included; 0: to its end
        double pace = 100.0;      ///< percent
    };
    std::string id, name, character;
    std::vector<Clip> clips;
    std::vector<Seam> seams;  ///< one fewer than clips; of those left out the usual
    double pad_first_s = 0.0, pad_last_s = 0.0;
};
Json join_document(const JoinPlan& plan);
/// Throws FileError.
JoinPlan read_join(const Json& document, const std::string& path);

struct Joined {
    Handed motion;
    std::vector<SeamReport> seams;
};
/// Carries each clip onto the character, and joins them. Throws FileError.
Joined join_takes(const JoinPlan& plan, LibraryFiles& files, int threads = 0);
/// The joined motion as a new take of the library, on its character; its notes name the parts. The parts stay.
LibraryEntry keep_joined(const Library& library, const JoinPlan& plan, const Joined& joined,
                         LibraryFiles& files);

}  // namespace nb
