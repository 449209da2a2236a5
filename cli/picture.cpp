#include "cli/commands.hpp"
namespace nb::cli {
int picture(const Options&) {
    return exit_wrong_use;
}
}  // namespace nb::cli
