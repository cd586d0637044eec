#include "core/media/descriptor_io.h"

#include <cerrno>
#include <sys/stat.h>
#include <unistd.h>

namespace cask::media {
namespace {

DescriptorIo& of(void* self) {
    return *static_cast<DescriptorIo*>(self);
}

} // namespace

SNDFILE* DescriptorIo::open(int mode, SF_INFO& info) {
    SF_VIRTUAL_IO io{&DescriptorIo::length, &DescriptorIo::seek, &DescriptorIo::read, &DescriptorIo::write,
                     &DescriptorIo::tell};
    return sf_open_virtual(&io, mode, &info, this);
}

sf_count_t DescriptorIo::length(void* self) {
    struct stat info {};
    return ::fstat(of(self).m_fd, &info) == 0 ? info.st_size : -1;
}

sf_count_t DescriptorIo::seek(sf_count_t offset, int whence, void* self) {
    return ::lseek(of(self).m_fd, offset, whence);
}

sf_count_t DescriptorIo::tell(void* self) {
    return ::lseek(of(self).m_fd, 0, SEEK_CUR);
}

template <class Call> sf_count_t DescriptorIo::all(sf_count_t count, Call call) {
    sf_count_t done = 0;
    while (done < count) {
        const ssize_t n = call(done, static_cast<std::size_t>(count - done));
        if (n < 0 && errno == EINTR)
            continue;
        if (n < 0 && m_failure == 0)
            m_failure = errno;
        if (n <= 0)
            break;
        done += n;
    }
    return done;
}

sf_count_t DescriptorIo::read(void* to, sf_count_t count, void* self) {
    return of(self).all(count, [&](sf_count_t done, std::size_t left) {
        return ::read(of(self).m_fd, static_cast<char*>(to) + done, left);
    });
}

sf_count_t DescriptorIo::write(const void* from, sf_count_t count, void* self) {
    return of(self).all(count, [&](sf_count_t done, std::size_t left) {
        return ::write(of(self).m_fd, static_cast<const char*>(from) + done, left);
    });
}

} // namespace cask::media
