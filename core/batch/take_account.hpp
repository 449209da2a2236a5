// What happens in a take, in a few words, so that it is found by it: how the body moves, what touches what.
//
// Read from the source alone, at the size of its own body (lengths and speeds told for a stature of 175 cm). With the hip
// centre h(t), its speed over the floor v(t) over +-0.25 s, its height H(t), its heading a(t), and contacts of feet (heights over the
// level they rest on):
//
//   walks    2 s at least in all, v from 0.3 to 2 m/s, a foot on the floor
//   runs     0.5 s in all, v over 1.8 m/s, and both feet off the floor in a tenth of that time at least; or v over 2.5 m/s
//            (people change from walking to running at about 2 m/s: Hreljac 1995; from memory)
//   stands   half of the take, v under 0.15 m/s and H over 0.85 of the standing height
//   turns    the heading changes by 100 degrees at least within 3 s
//   climbs   feet come to rest on levels 0.25 m apart at least, or the hips end so much higher or lower
//   jumps    both feet off the floor for 0.2 s at least while v is under 2.5 m/s, the hips rising by 0.08 m
//   crouches 0.5 s in all, H under 0.72 of the standing height
//   treads   steps on the spot: four contacts of each foot at least, and less than 1 m of travel
//
// Bounds are this program's own starting values; common practice, no source. Standing height: the 90th percentile of H.
// Kept in the library as accounts/<take>.json ("nimble-bone/account"), by size and time of the take's files; made anew when
// missing or another.
#pragma once
#include <string>
#include <vector>

#include "core/base/json_fields.hpp"
#include "core/library/library.hpp"
#include "core/motion/kinematics.hpp"

namespace nb {

/// All words an account may have.
inline constexpr const char* account_moves[] = {"walks",  "runs",  "stands",   "turns",
                                                "climbs", "jumps", "crouches", "treads"};
inline constexpr const char* account_touches[] = {"feet", "hands", "things", "body"};

struct TakeAccount {
    int frames = 0;
    double seconds = 0.0;
    double travel_m = 0.0;           ///< of the hip centre over the floor
    std::vector<std::string> moves;  ///< of `account_moves`
    std::vector<std::string>
        touches;  ///< of `account_touches`: feet on the floor; hands at all; on things; on the own body
    std::vector<std::string> things;  ///< by name: what hands hold
    std::string why;                  ///< why the take cannot be read; empty: it was
    bool has(const std::string& word) const;
};

/// Its words and lengths, and why it cannot be read, as further keys of `json`.
void put_account(Json& json, const TakeAccount& account);

/// `source`: with its take.
TakeAccount account_of(const LoadedFile& source);

/// As kept, when it is of the files as they are now; false else.
bool find_account(const Library& library, const LibraryEntry& take, TakeAccount& account);
/// As kept, else made and kept; what cannot be written is not kept. Never throws: `why` says what is wrong with the take.
TakeAccount account_in(const Library& library, const LibraryEntry& take);

}  // namespace nb
