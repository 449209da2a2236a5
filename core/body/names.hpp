// What a bone's name says: its words, its side, and how well it fits a part of the body.
#pragma once
#include <array>
#include <string>
#include <string_view>
#include <vector>

#include "core/body/plan.hpp"
#include "core/rig/skeleton.hpp"

namespace nb {

struct BoneWords {
    std::vector<std::string> words;  ///< lower case, side marks and numbers taken out
    Side side = Side::none;
    int number = -1;                  ///< last number in the name, -1 when there is none
    std::vector<std::string> digits;  ///< all numbers as they are written
    bool has(std::string_view word) const;
};

/// Splits at separators, at changes of case and at digits; a name space before ':' or '|' is dropped; side
/// marks (l, r, lf, rt, left, right ...) are taken in any place, also stuck to a known word ("lfemur").
BoneWords read_bone_name(std::string_view name);

/// How well the words fit a part ("thigh", "clavicle", "index" ...): 0 not at all, 1 beyond doubt. A word
/// that different rigs use for different parts ("leg", "shoulder", "arm", "hip") fits each of them partly.
double name_fit(std::string_view part, const BoneWords& words);

/// A helper that never plays a part of the body: twist, roll, end, control, goal. Empty when it is none.
std::string helper_reason(const BoneWords& words);

/// What else a bone may be, as its name says: "tail", "wing", "skirt", "hair", "weapon", "ear" ... Empty when
/// the name says no such thing.
std::string other_part(const BoneWords& words);

inline constexpr size_t part_count = 20;
/// 0 ... part_count - 1 of "hips", "thigh" ...; -1 for a part no name is known for.
int part_index(std::string_view part);

/// What all names of a skeleton say; silent on everything when names are ignored.
class NameTable {
  public:
    NameTable(const Skeleton& skeleton, bool is_ignored);
    double fit(int part, int joint) const { return fit_[size_t(joint)][size_t(part)]; }
    /// What it costs to give the part to a joint: below 0 the name says it, above it says something else, 0
    /// it says nothing.
    double cost(int part, int joint) const;
    /// Of its own mark, else of its nearest marked ancestor.
    Side side(int joint) const { return side_[size_t(joint)]; }
    Side own_side(int joint) const { return words_[size_t(joint)].side; }
    const BoneWords& words(int joint) const { return words_[size_t(joint)]; }
    const std::string& helper(int joint) const { return helper_[size_t(joint)]; }
    const std::string& other(int joint) const { return other_[size_t(joint)]; }
    /// The part a name says most plainly; empty when it says none.
    std::string_view best_part(int joint) const;
    /// The name says a part of the body, or something that is none.
    bool own_says(int joint) const { return !best_part(joint).empty() || !other(joint).empty(); }
    /// The name is its parent's, with the next letter or the next last number: a piece of the same bone.
    bool has_piece_mark(int joint) const { return is_piece_[size_t(joint)]; }
    /// Joints whose names say a part of the body.
    int says() const { return says_; }

  private:
    std::vector<BoneWords> words_;
    std::vector<std::string> helper_, other_;
    std::vector<char> is_piece_;
    std::vector<Side> side_;
    std::vector<std::array<double, part_count>> fit_;
    int says_ = 0;

    void drop_shared_words();
    void read_series(const Skeleton& skeleton);
    void read_numbered_fingers(const Skeleton& skeleton);
    void find_pieces(const Skeleton& skeleton);
};

}  // namespace nb
