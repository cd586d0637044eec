// Work that can be done in any order.
#pragma once

#include <algorithm>
#include <core/base/progress.h>
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

/// Calls a function for pieces [from, to) of 0 to count - 1, of at most so many each.
inline void inPieces(const ParallelFor& parallel, std::size_t count, std::size_t most,
                     const std::function<void(std::size_t from, std::size_t to)>& run) {
    parallel((count + most - 1) / most,
             [&](std::size_t piece) { run(piece * most, std::min((piece + 1) * most, count)); });
}

/// On all cores: the caller works too, helped by threads that all callers share, so that work inside of such
/// work makes no further threads and can't wait for itself. `run` must stand being called from several
/// threads.
void inParallel(std::size_t count, const std::function<void(std::size_t)>& run);

/// The same with progress, which comes from one thread at a time; once cancelled, the rest is left out.
void inParallel(std::size_t count, const CancelToken& cancel, const ProgressFn& progress,
                const std::function<void(std::size_t)>& run);

} // namespace cask
