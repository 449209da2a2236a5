// Of the program, as CMakeLists.txt has it.
#pragma once

namespace nb {

const char* version();  ///< "0.1.0"

}  // namespace nb
