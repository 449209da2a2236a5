// Bodies nobody here made, drawn from a grammar: trees, proportions, rests, skins and names as rigs of other
// makers have them. Written from anatomy and from what such rigs do, not from the rules that read them; what
// is expected of each bone comes from the grammar alone.
#pragma once
#include <cstdint>
#include <map>
#include <set>
#include <string>
#include <vector>

#include "core/rig/mesh.hpp"
#include "core/rig/skeleton.hpp"

namespace nb::test {

/// Whether names are as drawn from a convention that says what bones are, or say nothing.
enum class StrangerNames { off, telling, partial, misleading };

struct Stranger {
    std::uint64_t seed = 0;
    std::string what;  ///< the traits drawn, for a reader
    std::string plan;  ///< "biped", "tailed biped", "bird-legged", "quadruped"
    Skeleton skeleton;
    std::vector<Mesh> meshes;                   ///< empty: no skin
    std::map<std::string, int> joint_of_role;   ///< spine.N, neck.N, tail.N numbered from the body outward
    std::map<std::string, std::set<int>> also;  ///< as right as the one above: one role where a body has two
    std::map<int, std::string> tray;            ///< of bones without a role: the word they should lie under
    bool is_facing_known = true;                ///< something in the body says where ahead is
};

/// The same seed gives the same body whatever its names are.
Stranger make_stranger(std::uint64_t seed, StrangerNames names);

/// Of a role or what it may be counted as: any spine bone serves for any, any neck bone too.
bool is_right(const Stranger& stranger, const std::string& role, int joint);
/// Seeds of the bars: those that were looked at while tuning, and those that were not.
inline constexpr std::uint64_t tuned_seed = 1'000'000, kept_out_stranger_seed = 7'000'000;

}  // namespace nb::test
