// Takes of a library joined on one of its characters: a plan says which parts in which order, and how they meet.
#pragma once
#include <map>
#include <memory>
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

/// Plans kept with a library, in its folder "joins".
struct KeptJoin {
    std::string path;
    JoinPlan plan;
};
std::vector<KeptJoin> joins_of(const Library& library, std::vector<std::string>& troubles);
/// Where a plan of that name is kept. Throws FileError for a name that cannot be one.
std::string join_place(const Library& library, const std::string& name);

/// Takes carried onto one body, to be joined again in another way.
struct CarriedTakes {
    std::string character;
    std::map<std::string, std::shared_ptr<const Handed>> takes;
    bool has_all(const JoinPlan& plan) const;
};
/// Those of a plan that are not carried yet; of another character all. Throws FileError.
void carry_takes(const JoinPlan& plan, LibraryFiles& files, CarriedTakes& carried, int threads = 0);

struct Joined {
    Handed motion;
    std::vector<SeamReport> seams;
};
/// Joins what is carried: all takes of the plan. Throws FileError.
Joined join_carried(const JoinPlan& plan, const CarriedTakes& carried);
/// Carries each clip onto the character, and joins them. Throws FileError.
Joined join_takes(const JoinPlan& plan, LibraryFiles& files, int threads = 0);
/// A take with another one, an idle stance, before and after it, for a scene in which it begins late or ends early: the idle
/// take as often as is needed, each blended into the next over 0.3 s; the take itself stays where it is on the floor.
struct Padded {
    JoinPlan plan;
    Joined joined;
    int before = 0;  ///< frames by which it begins earlier than the take
};
/// Both of the library and carried onto `character` of it: whose body the take is of. Throws FileError.
Padded pad_take(const std::string& take, const std::string& idle, const std::string& character,
                double before_s, double after_s, LibraryFiles& files, int threads = 0);
/// The joined motion as a new take of the library, on its character; its notes name the parts. The parts stay.
LibraryEntry keep_joined(const Library& library, const JoinPlan& plan, const Joined& joined,
                         LibraryFiles& files);

}  // namespace nb
