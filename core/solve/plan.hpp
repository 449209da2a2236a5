// The compiled plan of a transfer: its program, and what is told of it.
#pragma once
#include <memory>
#include <string>

#include "core/contact/touches.hpp"
#include "core/motion/take.hpp"
#include "core/rest/character.hpp"
#include "core/solve/program.hpp"
#include "core/solve/report.hpp"

namespace nb {

struct Plan {
    Program program;
    Report report;
};

/// `take`: whose own settings speak, whose first place the place map keeps, and whose hands touch and hold; `marks`: what
/// they do, where that is known (null: it is found); `beside`: what goes on in its scene. Throws FileError when one of the
/// characters lacks hips or legs.
Plan compile_plan(const Character& source, const Character& target, const PairingSettings& settings,
                  const Take* take = nullptr, const HandMarks* marks = nullptr,
                  std::shared_ptr<const Beside> beside = nullptr);

}  // namespace nb
