// A few threads for analysis and offline rendering.
#pragma once

#include <condition_variable>
#include <core/base/parallel.h>
#include <deque>
#include <functional>
#include <mutex>
#include <thread>
#include <vector>

namespace cask {

/// Runs jobs in the order of their priority, then of their arrival. Thread-safe.
/// The destructor drops jobs that have not begun and waits for those that have.
class WorkerPool {
  public:
    explicit WorkerPool(int threads);
    WorkerPool(const WorkerPool&) = delete;
    WorkerPool& operator=(const WorkerPool&) = delete;
    ~WorkerPool();

    /// Jobs must not throw. A lower `priority` number runs earlier.
    void post(std::function<void()> job, int priority = 0);
    /// Waits until nothing is queued or running. REQUIRES: not called from a job.
    void waitIdle();
    [[nodiscard]] int threadCount() const { return static_cast<int>(m_threads.size()); }

  private:
    struct Job {
        std::function<void()> run;
        int priority;
    };
    void work();

    std::mutex m_mutex; // guards all below but the threads
    std::condition_variable m_wake;
    std::condition_variable m_idle;
    std::deque<Job> m_jobs;
    int m_running = 0;
    bool m_isStopping = false;
    std::vector<std::thread> m_threads;
};

/// Hands work to a pool that has nothing else to do. The pool must outlive it.
[[nodiscard]] ParallelFor parallelOn(WorkerPool& pool);

} // namespace cask
