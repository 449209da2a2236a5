// Bodies in plates and with bellies, made of the demo's.
#pragma once
#include <string>
#include <utility>
#include <vector>

#include "tests/support/test_rigs.hpp"

namespace nb::test {

/// Roles of bones, each with the one it goes to.
using Bones = std::vector<std::pair<std::string, std::string>>;
Bones arms_and_legs();
Bones legs();
Bones trunk();

/// The skin of these bones so many times as far from them.
LoadedFile widened(LoadedFile body, const Bones& bones, double times);

}  // namespace nb::test
