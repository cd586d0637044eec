// Long work reports how far it is and can be stopped.
#pragma once

#include <atomic>
#include <functional>
#include <memory>

namespace cask {

/// Shared between the one who may stop a job and the job. Thread-safe.
class CancelToken {
  public:
    void cancel() { m_flag->store(true, std::memory_order_relaxed); }
    [[nodiscard]] bool isCancelled() const { return m_flag->load(std::memory_order_relaxed); }

  private:
    std::shared_ptr<std::atomic<bool>> m_flag = std::make_shared<std::atomic<bool>>(false);
};

/// Called with the share done, 0 to 1, from the thread that works.
using ProgressFn = std::function<void(double share)>;

/// What a part of the work reports to, as a stretch of the whole's progress.
[[nodiscard]] inline ProgressFn partOf(const ProgressFn& whole, double from, double to) {
    if (!whole)
        return {};
    return [whole, from, to](double share) { whole(from + (to - from) * share); };
}

} // namespace cask
