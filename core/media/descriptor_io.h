// The sound file library on an open file, so that what the system says about a failed read or write is known.
#pragma once

#include <sndfile.h>

namespace cask::media {

/// Not thread-safe; it must not move while a SNDFILE uses it. Does not own the descriptor.
class DescriptorIo {
  public:
    explicit DescriptorIo(int fd) : m_fd(fd) {}
    DescriptorIo(const DescriptorIo&) = delete;
    DescriptorIo& operator=(const DescriptorIo&) = delete;

    /// Opens; null when the library refuses. The caller closes it before this object goes.
    [[nodiscard]] SNDFILE* open(int mode, SF_INFO& info);
    /// errno of the first call that failed; 0 while none has.
    [[nodiscard]] int failure() const { return m_failure; }

  private:
    static sf_count_t length(void* self);
    static sf_count_t seek(sf_count_t offset, int whence, void* self);
    static sf_count_t read(void* to, sf_count_t count, void* self);
    static sf_count_t write(const void* from, sf_count_t count, void* self);
    static sf_count_t tell(void* self);
    /// Calls until all is done, nothing more comes, or the system refuses.
    template <class Call> sf_count_t all(sf_count_t count, Call call);

    int m_fd;
    int m_failure = 0;
};

} // namespace cask::media
