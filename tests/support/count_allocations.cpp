#include "tests/support/count_allocations.hpp"

#include <atomic>
#include <cstdlib>
#include <new>

namespace {
std::atomic<long> count{0};
void* counted(std::size_t size) {
    ++count;
    if (void* room = std::malloc(size ? size : 1)) return room;
    throw std::bad_alloc();
}
}  // namespace

namespace nb::test {
long allocations() {
    return count;
}
}  // namespace nb::test

void* operator new(std::size_t size) {
    return counted(size);
}
void* operator new[](std::size_t size) {
    return counted(size);
}
// Algorithms that ask for a buffer (std::stable_sort) do so without exceptions.
void* operator new(std::size_t size, const std::nothrow_t&) noexcept {
    ++count;
    return std::malloc(size ? size : 1);
}
void* operator new[](std::size_t size, const std::nothrow_t&) noexcept {
    ++count;
    return std::malloc(size ? size : 1);
}
void operator delete(void* room, const std::nothrow_t&) noexcept {
    std::free(room);
}
void operator delete[](void* room, const std::nothrow_t&) noexcept {
    std::free(room);
}
void operator delete(void* room) noexcept {
    std::free(room);
}
void operator delete[](void* room) noexcept {
    std::free(room);
}
void operator delete(void* room, std::size_t) noexcept {
    std::free(room);
}
void operator delete[](void* room, std::size_t) noexcept {
    std::free(room);
}
