// The compiled plan of a transfer: its program, and what is told of it.
#pragma once
#include <string>

#include "core/rest/character.hpp"
#include "core/solve/program.hpp"
#include "core/solve/report.hpp"

namespace nb {

struct Plan {
    Program program;
    Report report;
};

/// `take_key`: of the take whose own settings speak (`Take::key`). Throws FileError when one of the
/// characters lacks hips or legs.
Plan compile_plan(const Character& source, const Character& target, const PairingSettings& settings,
                  const std::string& take_key = {});

}  // namespace nb
