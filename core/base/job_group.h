// The jobs that one owner has in a shared pool.
#pragma once

#include <condition_variable>
#include <core/base/worker_pool.h>
#include <functional>
#include <memory>
#include <mutex>

namespace cask {

/// Thread-safe. The destructor drops the owner's jobs that have not begun and waits for those that run, and
/// for nobody else's: the owner cancels first, and declares the group as its last member, so that its jobs
/// end while the rest of it is there. The pool must outlive it.
class JobGroup {
  public:
    explicit JobGroup(WorkerPool& pool) : m_pool(pool), m_state(std::make_shared<State>()) {}
    JobGroup(const JobGroup&) = delete;
    JobGroup& operator=(const JobGroup&) = delete;
    ~JobGroup() { close(); }

    void post(std::function<void()> job, int priority = 0) {
        m_pool.post(
            [state = m_state, job = std::move(job)] {
                {
                    const std::lock_guard lock(state->mutex);
                    if (state->isClosed)
                        return;
                    ++state->running;
                }
                job();
                const std::lock_guard lock(state->mutex);
                if (--state->running == 0)
                    state->idle.notify_all();
            },
            priority);
    }
    /// What is posted from now on is dropped too.
    void close() {
        std::unique_lock lock(m_state->mutex);
        m_state->isClosed = true;
        m_state->idle.wait(lock, [this] { return m_state->running == 0; });
    }

  private:
    struct State {
        std::mutex mutex; // guards all below
        std::condition_variable idle;
        int running = 0;
        bool isClosed = false;
    };
    WorkerPool& m_pool;
    std::shared_ptr<State> m_state;
};

} // namespace cask
