// The bone map: which bones of the source drive which bones of the target, read off the compiled plan; its
// coverage; and the forecast, what is to be expected of a pair before it runs.
#pragma once
#include <string>
#include <vector>

#include "core/solve/plan.hpp"

namespace nb {

/// How a target bone gets its motion.
enum class Driven { alone, between, twist, rest, left_out, outside };
std::string_view driven_text(Driven how);

struct BoneMapRow {
    int joint = -1;  ///< of the target
    std::string bone, role, chain;
    Driven how = Driven::rest;
    std::string from, from_next;  ///< bones of the source; the second where it lies between two
    double share = 0.0;           ///< of the way from the first to the second, or a twist bone's share
    BoneRule rule;                ///< what the pair says of it beside
    std::string evidence;         ///< why: of the match and of both roles
    double sure = 1.0;            ///< the less sure of the two roles
};

/// A bone of the source and what becomes of its motion.
struct SourceBone {
    int joint = -1;
    std::string bone, role;
    /// given_up: lost, and a person has said that it may be.
    enum class Fate { mapped, handed_on, left_out, forgotten, given_up } fate = Fate::mapped;
    std::string means;
};

struct BoneMap {
    std::vector<BoneMapRow> rows;     ///< a target bone, in the skeleton's order
    std::vector<SourceBone> sources;  ///< a source bone with a role
    int count(Driven how) const;
    int count(SourceBone::Fate fate) const;
};

BoneMap bone_map(const Character& source, const Character& target, const Plan& plan);

/// The map as CSV: a line a target bone, then a line a source bone that nobody takes.
std::string bone_map_csv(const BoneMap& map);

/// Something to expect of a pair, with the chain it is about.
struct Expectation {
    std::string chain;
    std::string text;  ///< one sentence with its number
    double size = 0.0;
};

/// No partner; arms and trunk of another length than the legs' ratio asks for (by 3 % and more); rests that
/// differ by 2 degrees and more; unknown rolls; unlike counts;
/// ticks by hand that find no bone. Worst first within each kind.
std::vector<Expectation> forecast(const Character& source, const Character& target, const Plan& plan);

}  // namespace nb
