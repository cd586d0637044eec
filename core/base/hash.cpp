#include "core/base/hash.h"

#include "core/base/system_error.h"

#include <fmt/format.h>
#include <xxhash.h>

#include <cerrno>
#include <memory>
#include <unistd.h>
#include <vector>

namespace cask {
namespace {

std::string hex(XXH128_hash_t h) {
    return fmt::format("{:016x}{:016x}", h.high64, h.low64);
}

} // namespace

std::string hashBytes(std::span<const std::byte> bytes) {
    return hex(XXH3_128bits(bytes.data(), bytes.size()));
}

Result<std::string> hashFile(const std::filesystem::path& path) {
    const auto opened = openRegularFile(path);
    if (!opened)
        return opened.error();
    const int fd = *opened;
    const std::unique_ptr<XXH3_state_t, decltype(&XXH3_freeState)> state(XXH3_createState(), &XXH3_freeState);
    XXH3_128bits_reset(state.get());
    std::vector<char> buffer(1 << 20);
    int failed = 0;
    for (;;) {
        const ssize_t n = ::read(fd, buffer.data(), buffer.size());
        if (n < 0 && errno == EINTR)
            continue;
        failed = n < 0 ? errno : 0;
        if (n <= 0)
            break;
        XXH3_128bits_update(state.get(), buffer.data(), static_cast<std::size_t>(n));
    }
    ::close(fd);
    if (failed != 0)
        return systemError(path, "can't be read to its end", failed);
    return hex(XXH3_128bits_digest(state.get()));
}

} // namespace cask
