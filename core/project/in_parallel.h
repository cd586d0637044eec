// The same work for many things on a few threads, with progress.
#pragma once

#include <core/base/progress.h>
#include <core/base/worker_pool.h>
#include <cstddef>
#include <functional>
#include <mutex>

namespace cask::project {

/// Runs work(0) to work(count - 1), two at a time, and returns when all are done. `work` must stand being
/// called from several threads; progress comes from one at a time.
inline void inParallel(std::size_t count, const ProgressFn& progress,
                       const std::function<void(std::size_t)>& work) {
    constexpr int kThreads = 2;
    std::mutex mutex; // guards done
    std::size_t done = 0;
    WorkerPool pool(kThreads);
    for (std::size_t i = 0; i < count; ++i)
        pool.post([&, i] {
            work(i);
            const std::lock_guard lock(mutex);
            ++done;
            if (progress)
                progress(static_cast<double>(done) / static_cast<double>(count));
        });
    pool.waitIdle();
}

} // namespace cask::project
