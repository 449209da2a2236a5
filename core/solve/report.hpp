// What is told of a program: the settings in force, and which roles have no partner.
#pragma once
#include <map>
#include <set>
#include <string>
#include <vector>

#include "core/solve/settings.hpp"

namespace nb {

struct PairedBodies;
struct Program;

/// A role that only one of the two bodies has, or the fingers of a hand together.
struct MissingPartner {
    std::string who;   ///< the body that lacks it
    std::string role;  ///< "toe.left", "index.right"
    std::string means;
};

/// One line for all that a body lacks to the same end.
std::vector<std::string> partner_lines(const std::vector<MissingPartner>& partners);

struct Report {
    ChainTable chains;                      ///< settings in force, of all levels
    std::map<std::string, BoneRule> bones;  ///< as the pair has them, whether they do something or not
    std::set<std::string> lost;             ///< roles of the source
    std::set<std::string> forgotten;  ///< roles of the source whose motion nothing of the target takes up
    std::vector<MissingPartner> partners;
    std::vector<std::string> notes;  ///< the same, a sentence each
};

Report report_on(const PairedBodies& bodies, const Program& program);

}  // namespace nb
