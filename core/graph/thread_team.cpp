#include "core/graph/thread_team.h"

namespace cask::graph {

ThreadTeam::ThreadTeam(int threads) {
    for (int i = 1; i < threads; ++i)
        m_threads.emplace_back([this] { work(); });
}

ThreadTeam::~ThreadTeam() {
    {
        const std::lock_guard lock(m_mutex);
        m_isStopping = true;
    }
    m_wake.notify_all();
    for (auto& thread : m_threads)
        thread.join();
}

void ThreadTeam::takeJobs() {
    for (int i = m_next.fetch_add(1); i < m_count; i = m_next.fetch_add(1))
        (*m_job)(i);
}

void ThreadTeam::run(int count, const std::function<void(int)>& job) {
    if (m_threads.empty() || count < 2) {
        for (int i = 0; i < count; ++i)
            job(i);
        return;
    }
    {
        const std::lock_guard lock(m_mutex);
        m_job = &job;
        m_count = count;
        m_next.store(0);
        m_busy = static_cast<int>(m_threads.size());
        ++m_round;
    }
    m_wake.notify_all();
    takeJobs();
    std::unique_lock lock(m_mutex);
    m_done.wait(lock, [this] { return m_busy == 0; });
}

void ThreadTeam::work() {
    int seen = 0;
    std::unique_lock lock(m_mutex);
    for (;;) {
        m_wake.wait(lock, [&] { return m_isStopping || m_round != seen; });
        if (m_isStopping)
            return;
        seen = m_round;
        lock.unlock();
        takeJobs();
        lock.lock();
        if (--m_busy == 0)
            m_done.notify_one();
    }
}

} // namespace cask::graph
