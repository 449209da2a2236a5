// What a skeleton's tree, places and skin say before any part of a body is named: which bones lead on, which
// lie beside others or carry nothing, and which branches mirror each other, bone by bone. Internal to
// core/body.
#pragma once
#include <array>
#include <map>
#include <set>
#include <unordered_map>
#include <vector>

#include "core/body/names.hpp"
#include "core/body/propose.hpp"

namespace nb {

/// Two branches that mirror each other, bone by bone from where they part. Only what is on both sides is in
/// it: a weapon in one hand is not.
struct PairRun {
    int node = -1;                           ///< where the two part
    std::vector<std::array<int, 2>> joints;  ///< one side's and the other's
    std::vector<std::array<Vec3, 2>> p;      ///< their places, and last where the run ends (site, end, skin)
    std::vector<double> length;              ///< from place i to i + 1, mean of both sides
    std::vector<double> turn_deg;            ///< at place i, between the bones before and after it, mean
    std::vector<int> fan;                    ///< branches on both sides that part at joint i
    double unlikeness = 0.0;                 ///< of lengths, sum of |log ratio|
    double total = 0.0;                      ///< m
    int strands = 0;                         ///< further branches beside the two that are just as long
    int named = 0;                           ///< +1: names say that the first side is the left one
};

class TreeShape {
  public:
    TreeShape(const Skeleton& skeleton, const NameTable& names, const RoleRequest& request);

    const Skeleton& skeleton() const { return s_; }
    const std::vector<int>& children(int j) const { return children_[size_t(j)]; }
    /// Those that may be limbs beside each other: all, or of a brush of bones the longest.
    const std::vector<int>& branches(int j) const { return branches_[size_t(j)]; }
    const Vec3& at(int j) const { return pose_.p[size_t(j)]; }
    int parent(int j) const { return s_.parents[size_t(j)]; }
    /// Of the bone that leads to a joint.
    double bone(int j) const { return length_[size_t(j)]; }
    /// Farthest point below a joint along the bones.
    double reach(int j) const { return reach_[size_t(j)]; }
    bool leads_on(int j) const { return !is_out_[size_t(j)]; }
    bool is_side(int j) const { return is_side_[size_t(j)]; }
    bool has_skin() const { return has_skin_; }
    /// On a rig that has a skin: the joint carries none.
    bool is_bare(int j) const { return has_skin_ && skin_[size_t(j)].weight <= 0.0; }
    /// Nor does anything below it.
    bool is_bare_below(int j) const { return has_skin_ && !carries_below_[size_t(j)]; }
    const JointSkin* skin(int j) const { return has_skin_ ? &skin_[size_t(j)] : nullptr; }
    const JointMotion* motion(int j) const { return motion_.empty() ? nullptr : &motion_[size_t(j)]; }
    /// Where the bone of a last joint ends: end site, empty leaf, the far side of its skin; false: unknown.
    bool tip_of(int joint, Vec3& tip) const;
    /// Children that lead on.
    std::vector<int> ways(int j) const;
    /// The way that leads farthest; -1 at the end.
    int onward(int j) const;
    std::vector<int> run(int first) const;
    bool is_within(int above, int j) const { return j == above || s_.is_ancestor(above, j); }

    /// Branches that mirror each other anywhere below `root`, longest way first, with the other ways that are
    /// nearly as long.
    std::vector<PairRun> pair_runs(int root) const;
    /// Bones on both sides that can be each other's mirror.
    bool is_alike(int a, int b) const;
    /// The run of a joint with itself: one side alone.
    PairRun single(const std::vector<int>& joints) const;

  private:
    const Skeleton& s_;
    const NameTable& names_;
    Pose pose_;
    std::vector<std::vector<int>> children_;
    std::vector<std::vector<int>> branches_;
    std::vector<int> site_of_;  ///< the end site of a joint, -1: none
    std::vector<double> length_, reach_;
    std::vector<char> is_side_, is_out_, carries_below_;
    bool has_skin_ = false;
    std::vector<JointSkin> skin_;
    std::vector<JointMotion> motion_;
    double extent_ = 0.0;
    mutable std::unordered_map<std::uint64_t, double> common_;

    double common(int a, int b) const;
    void measure(PairRun& run) const;
    void grow(PairRun run, std::vector<PairRun>& all, int& budget) const;
};

}  // namespace nb
