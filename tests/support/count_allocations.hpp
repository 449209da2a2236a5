// How often operator new was called, in tests that link nb_count_allocations.
#pragma once
namespace nb::test {
long allocations();
}
