#include "core/base/parallel.h"

#include "core/base/worker_pool.h"

#include <algorithm>
#include <atomic>
#include <condition_variable>
#include <memory>
#include <mutex>
#include <thread>

namespace cask {
namespace {

WorkerPool& helpers() {
    static WorkerPool pool(std::max(1, static_cast<int>(std::thread::hardware_concurrency()) - 1));
    return pool;
}

/// One call's items: taken one by one by whoever is free.
struct Share {
    Share(std::size_t total, const std::function<void(std::size_t)>& work) : count(total), run(&work) {}
    const std::size_t count;
    const std::function<void(std::size_t)>* run; // not touched once all items are taken
    std::atomic<std::size_t> next{0};
    std::mutex mutex; // guards done
    std::condition_variable ended;
    std::size_t done = 0;

    void work() {
        for (std::size_t i = next++; i < count; i = next++) {
            (*run)(i);
            const std::lock_guard lock(mutex);
            if (++done == count)
                ended.notify_all();
        }
    }
};

} // namespace

void inParallel(std::size_t count, const std::function<void(std::size_t)>& run) {
    if (count < 2)
        return oneByOne(count, run);
    const auto share = std::make_shared<Share>(count, run);
    const auto helping = std::min(count - 1, static_cast<std::size_t>(helpers().threadCount()));
    for (std::size_t i = 0; i < helping; ++i)
        helpers().post([share] { share->work(); });
    share->work();
    std::unique_lock lock(share->mutex);
    share->ended.wait(lock, [&] { return share->done == count; });
}

void inParallel(std::size_t count, const CancelToken& cancel, const ProgressFn& progress,
                const std::function<void(std::size_t)>& run) {
    std::mutex mutex; // guards done, and orders the calls
    std::size_t done = 0;
    inParallel(count, [&](std::size_t i) {
        if (cancel.isCancelled())
            return;
        run(i);
        if (!progress)
            return;
        const std::lock_guard lock(mutex);
        progress(static_cast<double>(++done) / static_cast<double>(count));
    });
}

} // namespace cask
