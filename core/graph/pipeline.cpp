#include "core/graph/pipeline.h"

#include <algorithm>
#include <condition_variable>
#include <mutex>
#include <thread>
#include <utility>

namespace cask::graph {
namespace {

class Scheduler {
  public:
    Scheduler(std::span<const PipelineStage> stages, long long blocks, int slots,
              const std::function<bool()>& goesOn)
        : m_stages(stages), m_blocks(blocks), m_slots(slots), m_goesOn(goesOn), m_states(stages.size()) {
        for (std::size_t s = 0; s < stages.size(); ++s)
            for (const int need : stages[s].needs)
                m_states[static_cast<std::size_t>(need)].users.push_back(static_cast<int>(s));
    }

    void work(int thread) {
        std::unique_lock lock(m_mutex);
        for (;;) {
            if (m_isStopping || m_finished == m_stages.size())
                return;
            const int next = readyStage(thread);
            if (next < 0) {
                ++m_waiting;
                m_wake.wait(lock);
                --m_waiting;
                continue;
            }
            State& state = m_states[static_cast<std::size_t>(next)];
            state.isRunning = true;
            state.thread = thread;
            lock.unlock();
            const bool goesOn = m_goesOn();
            if (goesOn)
                m_stages[static_cast<std::size_t>(next)].run(state.done);
            lock.lock();
            state.isRunning = false;
            if (!goesOn)
                m_isStopping = true;
            else if (++state.done == m_blocks)
                ++m_finished;
            if (m_waiting > 0)
                m_wake.notify_all();
        }
    }

  private:
    struct State {
        std::vector<int> users;
        long long done = 0;
        bool isRunning = false;
        int thread = -1; ///< that ran it last; what the stage keeps is in its cache
    };

    bool isReady(std::size_t s) const {
        const State& state = m_states[s];
        if (state.isRunning || state.done == m_blocks)
            return false;
        return std::all_of(m_stages[s].needs.begin(), m_stages[s].needs.end(),
                           [&](int need) { return doneBy(need) > state.done; }) &&
               std::all_of(state.users.begin(), state.users.end(),
                           [&](int user) { return doneBy(user) > state.done - m_slots; });
    }
    /// First of those whose memory is not in another thread's cache, the one that is furthest behind; of
    /// these the last, so that a block is finished while it is near.
    int readyStage(int thread) const {
        const auto rank = [&](std::size_t s) {
            const State& state = m_states[s];
            return std::pair(state.thread >= 0 && state.thread != thread, state.done);
        };
        int best = -1;
        for (std::size_t s = 0; s < m_stages.size(); ++s)
            if (isReady(s) && (best < 0 || rank(s) <= rank(static_cast<std::size_t>(best))))
                best = static_cast<int>(s);
        return best;
    }
    long long doneBy(int stage) const { return m_states[static_cast<std::size_t>(stage)].done; }

    std::span<const PipelineStage> m_stages;
    long long m_blocks;
    int m_slots;
    const std::function<bool()>& m_goesOn;
    std::mutex m_mutex; // guards all below
    std::condition_variable m_wake;
    std::vector<State> m_states;
    std::size_t m_finished = 0;
    int m_waiting = 0;
    bool m_isStopping = false;
};

} // namespace

void runPipeline(std::span<const PipelineStage> stages, long long blocks, int slots, int threads,
                 const std::function<bool()>& goesOn) {
    if (blocks <= 0 || stages.empty())
        return;
    Scheduler scheduler(stages, blocks, slots, goesOn);
    std::vector<std::thread> others;
    for (int i = 1; i < threads; ++i)
        others.emplace_back([&, i] { scheduler.work(i); });
    scheduler.work(0);
    for (auto& thread : others)
        thread.join();
}

} // namespace cask::graph
