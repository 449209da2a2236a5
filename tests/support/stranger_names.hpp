// What strangers call their bones: a dozen made-up conventions of words, sides, numbers and joints between
// them.
#pragma once
#include <cstdint>
#include <string>

#include "core/body/plan.hpp"
#include "tests/support/strangers.hpp"

namespace nb::test {

struct BoneLabel {
    std::string part{};  ///< "thigh", "spine", "goal" ...
    Side side = Side::none;
    int number = -1;     ///< in a series, from 1
    std::string text{};  ///< what it belongs to: of an end, a roll bone, a goal
    int segment = 0;     ///< of a split bone, from 1
    bool is_finger = false;
    int finger = -1;  ///< 0 thumb ... 4 little
};

class NameMaker {
  public:
    NameMaker(std::uint64_t seed, StrangerNames kind);
    std::string name(const BoneLabel& label, int index);
    std::string style() const;

  private:
    StrangerNames kind_;
    int words_, sides_, numbers_, joiner_, case_;
    bool is_swapped_ = false;
    std::string prefix_;
    std::uint64_t state_;
    std::uint64_t next();
};

}  // namespace nb::test
