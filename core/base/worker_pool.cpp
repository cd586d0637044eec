#include "core/base/worker_pool.h"

#include <algorithm>

namespace cask {

WorkerPool::WorkerPool(int threads) {
    for (int i = 0; i < std::max(1, threads); ++i)
        m_threads.emplace_back([this] { work(); });
}

WorkerPool::~WorkerPool() {
    {
        const std::lock_guard lock(m_mutex);
        m_isStopping = true;
        m_jobs.clear();
    }
    m_wake.notify_all();
    for (auto& thread : m_threads)
        thread.join();
}

void WorkerPool::post(std::function<void()> job, int priority) {
    {
        const std::lock_guard lock(m_mutex);
        const auto at = std::upper_bound(m_jobs.begin(), m_jobs.end(), priority,
                                         [](int p, const Job& queued) { return p < queued.priority; });
        m_jobs.insert(at, Job{std::move(job), priority});
    }
    m_wake.notify_one();
}

void WorkerPool::waitIdle() {
    std::unique_lock lock(m_mutex);
    m_idle.wait(lock, [this] { return m_jobs.empty() && m_running == 0; });
}

void WorkerPool::work() {
    std::unique_lock lock(m_mutex);
    for (;;) {
        m_wake.wait(lock, [this] { return m_isStopping || !m_jobs.empty(); });
        if (m_isStopping)
            return;
        auto job = std::move(m_jobs.front());
        m_jobs.pop_front();
        ++m_running;
        lock.unlock();
        job.run();
        job.run = nullptr; // what the job holds is let go before the pool calls itself idle
        lock.lock();
        if (--m_running == 0 && m_jobs.empty())
            m_idle.notify_all();
    }
}

ParallelFor parallelOn(WorkerPool& pool) {
    return [&pool](std::size_t count, const std::function<void(std::size_t)>& run) {
        for (std::size_t i = 0; i < count; ++i)
            pool.post([&run, i] { run(i); });
        pool.waitIdle();
    };
}

} // namespace cask
