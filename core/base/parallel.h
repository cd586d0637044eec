// Work that can be done in any order, for those who may not have threads of their own.
#pragma once

#include <cstddef>
#include <functional>

namespace cask {

/// Calls a function for 0 to count - 1, perhaps several at a time; returns when all are done.
using ParallelFor = std::function<void(std::size_t count, const std::function<void(std::size_t)>& run)>;

/// One after the other, in the caller's thread.
inline void oneByOne(std::size_t count, const std::function<void(std::size_t)>& run) {
    for (std::size_t i = 0; i < count; ++i)
        run(i);
}

} // namespace cask
