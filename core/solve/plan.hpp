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

/// What need not be found anew; null: it is found.
struct Known {
    const HandMarks* marks = nullptr;     ///< what hands do in the take
    const BodySurface* T_skin = nullptr;  ///< of the target
};

/// `take`: whose own settings speak, whose first place the place map keeps, and whose hands touch and hold; `beside`: what
/// goes on in its scene. Throws FileError when one of the characters lacks hips or legs.
Plan compile_plan(const Character& source, const Character& target, const PairingSettings& settings,
                  const Take* take = nullptr, const Known& known = {},
                  std::shared_ptr<const Beside> beside = nullptr);

}  // namespace nb
