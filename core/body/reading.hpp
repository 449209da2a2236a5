// The reading of a body: which joints are hips, limbs, trunk, head and fingers. Internal to core/body.
//
// A reading is a pair of branches that are legs, a pair that are arms, the places of hip, knee, ankle,
// shoulder, elbow, wrist on them (limb_fit.hpp), and the trunk between with neck and head (trunk_fit.hpp).
// Branches are pairs that mirror each other bone by bone (tree_shape.hpp): what is on one side alone, a
// weapon or a strap, is left out before the body is read. Each reading has one cost, the sum of all evidence
// in units in which a difference of 1 is clear; the cheapest of all is taken, and the others say how sure it
// is: the share of exp(-sharpness x cost) that all readings with the same bone in a role have together. What
// that share means in right answers is fitted on bodies drawn from a grammar (confidence.hpp).
//
// Sides: ahead is where the feet point and the knees bend, left follows. Where names say the other way round
// the body goes before, both are unsure, and a note says so; where the body says nothing, names decide. A
// body whose limbs all hang the same way, square to the trunk, stands on four legs.
#pragma once
#include <array>
#include <functional>

#include "core/body/trunk_fit.hpp"

namespace nb {

class BodyReading {
  public:
    /// `figure`: "biped", "quadruped", or empty: as the shape says.
    BodyReading(const Skeleton& skeleton, const NameTable& names, int root, std::string figure,
                const RoleRequest& request = {});
    /// Empty fills when no two pairs of limbs are found.
    RoleMap read();
    /// Roles of one limb that goes along `joints`: the three joints, and collarbone or toe.
    std::vector<std::pair<std::string, int>> read_limb(const std::vector<int>& joints, bool is_leg,
                                                       const std::string& side) const;
    /// From a joint along the longest way to the end.
    std::vector<int> run(int first) const { return tree_.run(first); }

  private:
    struct Body {
        BodyLimbs limbs;
        TrunkFit trunk;
        double cost = 1e9;
        Vec3 up = Vec3::UnitY(), ahead = Vec3::UnitZ(), left = Vec3::UnitX();
        double facing = 0.0;  ///< 0..1 how plainly the body says where ahead is
        bool is_facing_by_arms = false;
        std::array<size_t, 2> first_is_left{};  ///< which side of the runs is the left one: of legs, of arms
    };
    struct Finger {
        std::vector<int> joints;
        Vec3 base = Vec3::Zero(), tip = Vec3::Zero();
        double along = 0.0;    ///< of the base from the wrist, share of the whole reach
        int named = -1;        ///< 0 thumb ... 4 little, as its names say
        double fit = 0.0;      ///< how plainly
        bool is_only = false;  ///< all fingers beside the thumb in one
        bool has_end = false;  ///< its last joint is a mere end
    };
    struct Links {
        struct Link {
            int number, joint;  ///< number 0: of the palm
            double sure;
        };
        std::vector<Link> each;
    };

    const Skeleton& s_;
    const NameTable& names_;
    int root_;
    std::string figure_;
    bool is_confidence_plain_;
    GivenRoles given_;
    TreeShape tree_;
    LimbFitter fitter_;
    std::vector<PairRun> runs_;
    Body body_;
    std::vector<Body> others_;  ///< readings that were weighed, the taken one among them
    RoleMap map_;
    double ends_ = 0.0;  ///< above 0: last joints of the rig are mere ends, below 0: they are bones

    const Vec3& at(int j) const { return tree_.at(j); }
    double sure_of(double share, std::string_view part, bool is_bare) const;
    void give(std::string role, int j, double confidence, std::vector<std::string> evidence);
    std::string name_says(std::string_view part, int j) const;

    std::vector<Body> find_bodies();
    double limbs_cost(const Body& body, double longest) const;
    bool stands_on_four(const BodyLimbs& limbs) const;
    void finish(Body& body) const;
    void find_sides(Body& body) const;
    void vote_feet(const Body& body, const Vec3& ahead, double& vote, double& weight) const;
    void vote_arms(const Body& body, const Vec3& ahead, double& vote, double& weight) const;
    /// The bone that has a role in most of the other readings; -1 when none comes near.
    int rival(int taken, const std::function<int(const Body&)>& joint_of) const;
    std::string rival_says(int rival) const;
    double share_with(const std::function<bool(const Body&)>& is_same) const;

    /// Of legs, of arms: how sure the sides are, and who says so.
    struct Sides {
        std::array<double, 2> sure;
        std::array<std::string, 2> how;
    };
    Sides decide_sides();
    void write_limb(bool is_leg, size_t i, double side_sure, const std::string& how);
    void write_limbs();
    void write_trunk();
    void write_tail();
    void find_plan();
    void find_ends();
    void find_far_hands();

    std::vector<Finger> fingers_of(int hand, const Vec3& wrist, double reach) const;
    std::vector<int> finger_ways(int joint) const;
    void collect(int joint, Finger finger, std::vector<Finger>& all, int depth) const;
    bool is_finger_palm(int joint, const std::vector<int>& ways, int& inline_way) const;
    void drop_held(std::vector<Finger>& all, const Vec3& wrist, const std::vector<Finger>& others,
                   const Vec3& other_wrist) const;
    int far_hand(const std::string& role) const;
    size_t find_thumb(const std::vector<Finger>& all, const Vec3& wrist, const Vec3& forearm,
                      const Vec3& ahead, bool& is_found) const;
    void read_hand(bool is_left);
    Links number_links(const Finger& finger, bool is_thumb, const Vec3& wrist, double reach) const;
    void name_finger(const std::string& name, const std::string& side, const Finger& finger,
                     double confidence, bool is_by_name, const Vec3& wrist, double reach);
};

}  // namespace nb
