#include "core/base/memory.hpp"

#include <cstdlib>
#if defined(__GLIBC__)
#include <malloc.h>
#endif

namespace nb {

void give_back_memory() {
#if defined(__GLIBC__)
    malloc_trim(0);
#endif
}

}  // namespace nb
