#include "core/base/sha256.h"

#include "core/base/system_error.h"

#include <fmt/format.h>

#include <array>
#include <cerrno>
#include <memory>
#include <openssl/evp.h>
#include <unistd.h>
#include <vector>

namespace cask {

Result<std::string> sha256OfFile(const std::filesystem::path& path) {
    const auto opened = openRegularFile(path);
    if (!opened)
        return opened.error();
    const std::unique_ptr<EVP_MD_CTX, decltype(&EVP_MD_CTX_free)> context(EVP_MD_CTX_new(), &EVP_MD_CTX_free);
    EVP_DigestInit_ex(context.get(), EVP_sha256(), nullptr);
    std::vector<char> piece(std::size_t{1} << 20U);
    int failed = 0;
    for (;;) {
        const ssize_t n = ::read(*opened, piece.data(), piece.size());
        if (n < 0 && errno == EINTR)
            continue;
        failed = n < 0 ? errno : 0;
        if (n <= 0)
            break;
        EVP_DigestUpdate(context.get(), piece.data(), static_cast<std::size_t>(n));
    }
    ::close(*opened);
    if (failed != 0)
        return systemError(path, "can't be read to its end", failed);
    std::array<unsigned char, EVP_MAX_MD_SIZE> digest{};
    unsigned length = 0;
    EVP_DigestFinal_ex(context.get(), digest.data(), &length);
    return fmt::format("{:02x}", fmt::join(digest.begin(), digest.begin() + length, ""));
}

} // namespace cask
