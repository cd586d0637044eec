// A team of threads that runs the groups of a block together: fork and join.
#pragma once

#include <atomic>
#include <condition_variable>
#include <core/graph/runner.h>
#include <mutex>
#include <thread>
#include <vector>

namespace cask::graph {

/// Used by one caller at a time; the caller works too. A team of one runs everything on the caller.
class ThreadTeam {
  public:
    explicit ThreadTeam(int threads);
    ThreadTeam(const ThreadTeam&) = delete;
    ThreadTeam& operator=(const ThreadTeam&) = delete;
    ~ThreadTeam();

    void run(int count, const std::function<void(int)>& job);
    [[nodiscard]] ParallelFor parallelFor() {
        return [this](int count, const std::function<void(int)>& job) { run(count, job); };
    }

  private:
    void work();
    void takeJobs();

    std::mutex m_mutex; // guards all below but the atomics
    std::condition_variable m_wake;
    std::condition_variable m_done;
    const std::function<void(int)>* m_job = nullptr;
    int m_count = 0;
    int m_round = 0;
    int m_busy = 0;
    bool m_isStopping = false;
    std::atomic<int> m_next{0};
    std::vector<std::thread> m_threads;
};

} // namespace cask::graph
