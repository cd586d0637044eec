#include "core/base/file_pieces.h"

#include "core/base/system_error.h"

#include <cerrno>
#include <string>
#include <unistd.h>

namespace cask {

Status readPieces(const std::filesystem::path& path, const std::function<Status(std::string_view)>& take) {
    const auto opened = openRegularFile(path);
    if (!opened)
        return opened.error();
    constexpr std::size_t kPieceBytes = std::size_t{1} << 20U;
    std::string piece(kPieceBytes, '\0');
    Status status = Done{};
    while (status) {
        const ssize_t n = ::read(*opened, piece.data(), piece.size());
        if (n < 0 && errno == EINTR)
            continue;
        if (n < 0)
            status = systemError(path, "can't be read to its end", errno);
        if (n <= 0)
            break;
        status = take({piece.data(), static_cast<std::size_t>(n)});
    }
    ::close(*opened);
    return status;
}

} // namespace cask
