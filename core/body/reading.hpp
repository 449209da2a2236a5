// The reading of a body: which joints are hips, limbs, trunk, head and fingers. Internal to core/body.
//
// A reading is a pair of branches that are legs, a pair that are arms, and the place of hip, knee, ankle,
// shoulder, elbow, wrist on them; what lies between is the trunk, what leaves the chest in the middle is neck
// and head. Each reading has one cost, the sum of all evidence in units in which a difference of 1 is clear:
//   shape    how alike the two branches are; segments that stand to each other as in a human (thigh : shin
//            1.00, upper arm : forearm 1.27; Drillis & Contini, in Winter, Biomechanics and Motor Control of
//            Human Movement; from memory); a shoulder stands farther aside than a hip
//   tree     legs part nearer to the root than arms; arms end in the fan of the fingers; few joints between
//   names    what each name says of a part, nothing when it says nothing (names.hpp)
//   skin     a joint that carries none, on a rig that has a skin, is a little less likely (roll bones may
//   carry
//            a limb's)
// All pairs of pairs and all places on them are gone through, so the cheapest is the least of all, not the
// first found. Confidence of a role: the share of exp(-sharpness x cost) that all readings with the same bone
// in it have together, times how sure the side is. `sharpness` is set so that of roles at 0.9 and more at
// least 98 of 100 are right on the test set (tests/core/test_characterization.cpp).
//
// Sides: ahead is where the feet point and the knees bend, left follows; names say theirs. Where they
// disagree both are unsure and a note says so. A body whose limbs all hang the same way, square to the trunk,
// is a quadruped.
#pragma once
#include <array>

#include "core/body/names.hpp"
#include "core/body/roles.hpp"

namespace nb {

class BodyReading {
  public:
    /// `figure`: "biped", "quadruped", or empty: as the shape says.
    BodyReading(const Skeleton& skeleton, const NameTable& names, int root, std::string figure,
                std::vector<char> carries_skin = {});
    /// Empty fills when no two pairs of limbs are found.
    RoleMap read();
    /// Roles of one limb that goes along `joints`: the three joints, and collarbone or toe.
    std::vector<std::pair<std::string, int>> read_limb(const std::vector<int>& joints, bool is_leg,
                                                       const std::string& side) const;
    /// From a joint along the longest way to the end.
    std::vector<int> run(int first) const;

  private:
    struct Pair {
        int node = -1;  ///< where the two part
        std::array<int, 2> first{};
        double length = 0.0;
        double unlikeness = 0.0;
        double leg_cost = 0.0, arm_cost = 0.0;
    };
    using Triple = std::array<int, 3>;  ///< indices in a run: hip, knee, ankle or shoulder, elbow, wrist
    struct LimbFit {
        Triple at{-1, -1, -1};
        std::array<double, 3> sure{};
        double cost = 1e9;
    };
    struct Lengths {
        std::vector<double> each;
        double before = 0.0, upper = 0.0, lower = 0.0, after = 0.0;
    };
    struct Finger {
        std::vector<int> joints;
        Vec3 base = Vec3::Zero(), tip = Vec3::Zero();
        double along = 0.0;  ///< of the base from the wrist, share of the whole reach
        int named = -1;      ///< 0 thumb ... 4 little, as its names say
        double fit = 0.0;    ///< how plainly
    };

    const Skeleton& s_;
    const NameTable& names_;
    int root_;
    std::string figure_;
    std::vector<char> carries_skin_;
    Pose pose_;
    std::vector<std::vector<int>> children_;
    std::vector<char> is_side_;
    std::vector<double> reach_;
    Pair legs_, arms_;
    double pairs_sure_ = 1.0;
    Vec3 up_ = Vec3::UnitY(), ahead_ = Vec3::UnitZ(), left_ = Vec3::UnitX();
    double facing_confidence_ = 0.0;
    bool is_facing_by_arms_ = false;
    bool is_four_legged_ = false;
    double hip_half_ = 0.0;
    Vec3 shoulder_middle_ = Vec3::Zero();
    RoleMap map_;

    double bone(int j) const { return s_.rest_p[size_t(j)].norm(); }
    const Vec3& at(int j) const { return pose_.p[size_t(j)]; }
    Vec3 tip_of(int joint) const;
    void give(std::string role, int j, double confidence, std::vector<std::string> evidence);
    std::string name_says(std::string_view part, int j) const;

    int onward(int j) const;
    std::vector<double> run_lengths(const std::vector<int>& joints) const;
    int branches_at(int j) const;
    int count_below(int j) const;
    double unlikeness(int a, int b) const;
    bool has_fan(int first) const;
    int head_side(const Pair& arms) const;

    std::vector<Pair> all_pairs(double whole) const;
    bool find_pairs();
    void find_figure(const Vec3& low, const Vec3& high);
    void find_sides();
    std::pair<double, double> arms_vote(const Vec3& ahead) const;
    bool split(const std::vector<int>& joints, const Triple& at_joints, Lengths& l) const;
    double common_cost(const std::vector<int>& joints, const Lengths& l, const Triple& t, double ratio) const;
    double leg_cost(const std::vector<int>& joints, const Triple& t) const;
    double arm_cost(const std::vector<int>& joints, const Triple& t) const;
    std::array<LimbFit, 2> fit_limbs(const std::array<std::vector<int>, 2>& runs, bool is_leg) const;
    int named_side(const std::vector<int>& joints) const;
    bool read_limbs();
    void read_trunk();
    void read_head(const std::vector<int>& joints);
    void read_tail();
    void read_hand(bool is_left);
    std::vector<Finger> fingers_of(int hand) const;
    size_t find_thumb(const std::vector<Finger>& all, const Vec3& wrist, bool& is_found) const;
    Vec3 knuckle(const Finger& f) const;
    bool has_palm(const Finger& f) const;
    void name_finger(const std::string& name, const std::string& side, const Finger& f, double confidence,
                     bool is_by_name);
};

}  // namespace nb
