// How much of strangers is read rightly: roles, fingers, sides, how sure, what was taken for what.
#pragma once
#include <array>
#include <functional>
#include <map>
#include <string>
#include <vector>

#include "core/body/roles.hpp"
#include "tests/support/strangers.hpp"

namespace nb::test {

struct StrangerScore {
    int body = 0, body_right = 0;
    int fingers = 0, fingers_right = 0;
    int tails = 0, tails_right = 0;
    int swapped = 0;  ///< bodies whose sides are exchanged, shown as sure
    int plans = 0, plans_right = 0;
    int sure = 0, sure_right = 0;           ///< shown 0.9 and more
    std::array<int, 10> shown{}, right{};   ///< by confidence, ten bins
    std::map<std::string, int> confused;    ///< "role -> what its bone was taken for"
    std::map<std::string, int> sure_wrong;  ///< roles shown 0.9 sure on a wrong bone
    double ms = 0.0;

    double body_share() const { return body ? double(body_right) / body : 1.0; }
    double finger_share() const { return fingers ? double(fingers_right) / fingers : 1.0; }
    void add(const StrangerScore& other);
};

/// Reads a stranger and compares with what the grammar says.
StrangerScore score_stranger(const Stranger& stranger, const RoleMap& map);
/// The program's reading of it.
RoleMap read_stranger(const Stranger& stranger);

struct StrangerRun {
    StrangerScore all;
    double worst = 1.0;
    std::vector<std::pair<double, std::uint64_t>> each;  ///< share of the body's roles, seed; worst first
    std::vector<std::pair<double, std::uint64_t>> by_fingers;  ///< the same by fingers
    std::vector<std::uint64_t> swapped;                        ///< seeds
};
StrangerRun run_strangers(std::uint64_t first_seed, int count, StrangerNames names);
/// The table: one line a run.
std::string table_head();
std::string table_line(const std::string& name, const StrangerRun& run);

/// Bodies from the front and the side with the roles given, as SVG text; `found`: also what was read.
std::string draw_strangers(const std::vector<Stranger>& strangers, bool has_found, int columns);

}  // namespace nb::test
