// A queue between two threads without locks.
#pragma once

#include <readerwriterqueue.h>

#include <cstddef>
#include <utility>

#if defined(__SANITIZE_THREAD__)
#include <sanitizer/tsan_interface.h>
#endif

namespace cask::engine {

/// One thread puts in, one takes out. The library orders the two with fences, which the thread sanitizer does
/// not see; here it is told, so that it can judge what is handed over.
template <class T> class MessageQueue {
  public:
    explicit MessageQueue(std::size_t room) : m_queue(room) {}

    /// May allocate when the queue is full.
    void enqueue(T message) {
        release();
        m_queue.enqueue(std::move(message));
    }
    /// False when it is full. RT: no alloc, no lock.
    [[nodiscard]] bool tryEnqueue(T message) noexcept {
        release();
        return m_queue.try_enqueue(std::move(message));
    }
    /// False when it is empty. RT: no alloc, no lock.
    [[nodiscard]] bool tryDequeue(T& message) noexcept {
        const bool got = m_queue.try_dequeue(message);
        if (got)
            acquire();
        return got;
    }

  private:
    void release() noexcept {
#if defined(__SANITIZE_THREAD__)
        __tsan_release(this);
#endif
    }
    void acquire() noexcept {
#if defined(__SANITIZE_THREAD__)
        __tsan_acquire(this);
#endif
    }
    moodycamel::ReaderWriterQueue<T> m_queue;
};

} // namespace cask::engine
