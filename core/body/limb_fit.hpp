// Where a limb's joints lie on a run of bones: hip, knee, ankle or shoulder, elbow, wrist. Internal to
// core/body.
//
// Every place of the three on the run has a cost, the sum of what speaks against it; 1 is clear:
//   proportion  upper to lower bone 1.00 in legs, 1.27 in arms (Drillis & Contini, in Winter, Biomechanics
//               and Motor Control of Human Movement; from memory)
//   bend        a limb bends at its middle; a joint that lies straight between its neighbours may be a piece
//               of one bone, a joint that is bent is none
//   pieces      pieces of one bone are equally long, and upper and lower bone have as many
//   ends        a foot turns ahead of the shin; a hand is where the fingers part; a clavicle starts near the
//               middle and is shorter than the arm
//   names       what each name says of a part (names.hpp)
//   skin        a joint that carries none, on a rig that has a skin
//   motion      a hinge is a middle; what never moves is a piece of the bone before it
//   given       what a person said
#pragma once
#include "core/body/tree_shape.hpp"

namespace nb {

enum class LimbKind { leg, arm, hind, fore };
inline bool is_leg_kind(LimbKind kind) {
    return kind == LimbKind::leg || kind == LimbKind::hind;
}

struct LimbFit {
    std::array<int, 3> at{-1, -1, -1};  ///< places on the run; -1: the limb has no such joint
    double cost = 1e9;
    int upper_pieces = 1, lower_pieces = 1;
};

/// Of readings and choices: a cost of 1 more makes them exp(-sharpness) as likely.
inline constexpr double sharpness = 1.6;
/// The parts of legs and of arms that a fit finds.
inline constexpr std::array<std::array<std::string_view, 3>, 2> limb_parts{
    {{"thigh", "shin", "foot"}, {"upperarm", "forearm", "hand"}}};
/// |log(ratio / expected)| in units of a spread, at most `most`.
double log_off(double ratio, double expected, double spread, double most = 3.0);

/// From the limb's start to wrist or ankle along the bones, mean of both sides.
double limb_length(const PairRun& run, const LimbFit& fit);

/// What a person said of bones: role and joint.
class GivenRoles {
  public:
    explicit GivenRoles(const std::map<std::string, int>& given) : given_(given) {}
    bool is_empty() const { return given_.empty(); }
    /// Negative when the joint was given for the part (of either side), positive when the part was given to
    /// another joint or the joint to another part.
    double cost(std::string_view part, int joint) const;
    /// +1 when the joint was given for a role of the left side, -1 of the right, 0 of neither.
    int side_of(int joint) const;

  private:
    std::map<std::string, int> given_;
};

class LimbFitter {
  public:
    LimbFitter(const TreeShape& tree, const NameTable& names, const GivenRoles& given)
        : tree_(tree), names_(names), given_(given) {}
    /// The best places, cheapest first, `most` of them.
    std::vector<LimbFit> fit(const PairRun& run, LimbKind kind, size_t most) const;

  private:
    const TreeShape& tree_;
    const NameTable& names_;
    const GivenRoles& given_;

    double part_cost(const PairRun& run, int part, std::string_view name, size_t i) const;
    double cost_of(const PairRun& run, LimbKind kind, LimbFit& fit) const;
    double pieces_cost(const PairRun& run, int from, int to, double short_end) const;
    double start_cost(const PairRun& run, LimbKind kind, int start, double limb, double upper) const;
    double end_cost(const PairRun& run, LimbKind kind, int mid, int end, double limb, double ratio,
                    double after) const;
};

}  // namespace nb
