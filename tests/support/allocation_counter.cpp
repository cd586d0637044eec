#include "tests/support/allocation_counter.h"

#include <cstddef>
#include <cstdlib>
#include <new>

namespace {

thread_local bool t_counts = false;
thread_local long t_count = 0;

void* allocate(std::size_t size, std::size_t alignment) {
    if (t_counts)
        ++t_count;
    void* p = alignment <= alignof(std::max_align_t)
                  ? std::malloc(size) // NOLINT
                  : std::aligned_alloc(alignment, (size + alignment - 1) / alignment * alignment);
    if (p == nullptr)
        throw std::bad_alloc();
    return p;
}

void release(void* p) noexcept {
    if (t_counts && p != nullptr)
        ++t_count;
    std::free(p); // NOLINT
}

} // namespace

void* operator new(std::size_t size) {
    return allocate(size, 1);
}
void* operator new[](std::size_t size) {
    return allocate(size, 1);
}
void* operator new(std::size_t size, std::align_val_t a) {
    return allocate(size, static_cast<std::size_t>(a));
}
void* operator new[](std::size_t size, std::align_val_t a) {
    return allocate(size, static_cast<std::size_t>(a));
}
void* operator new(std::size_t size, const std::nothrow_t&) noexcept {
    if (t_counts)
        ++t_count;
    return std::malloc(size); // NOLINT
}
void* operator new[](std::size_t size, const std::nothrow_t&) noexcept {
    if (t_counts)
        ++t_count;
    return std::malloc(size); // NOLINT
}
void operator delete(void* p) noexcept {
    release(p);
}
void operator delete[](void* p) noexcept {
    release(p);
}
void operator delete(void* p, std::size_t) noexcept {
    release(p);
}
void operator delete[](void* p, std::size_t) noexcept {
    release(p);
}
void operator delete(void* p, std::align_val_t) noexcept {
    release(p);
}
void operator delete[](void* p, std::align_val_t) noexcept {
    release(p);
}
void operator delete(void* p, std::size_t, std::align_val_t) noexcept {
    release(p);
}
void operator delete[](void* p, std::size_t, std::align_val_t) noexcept {
    release(p);
}

namespace cask::test {

AllocationCounter::AllocationCounter() {
    t_count = 0;
    t_counts = true;
}
AllocationCounter::~AllocationCounter() {
    t_counts = false;
}
long AllocationCounter::count() {
    return t_count;
}

} // namespace cask::test
