#include "core/base/sha256.h"

#include "core/base/file_pieces.h"

#include <fmt/format.h>

#include <array>
#include <cerrno>
#include <memory>
#include <openssl/evp.h>
#include <unistd.h>
#include <vector>

namespace cask {

Result<std::string> sha256OfFile(const std::filesystem::path& path) {
    const std::unique_ptr<EVP_MD_CTX, decltype(&EVP_MD_CTX_free)> context(EVP_MD_CTX_new(), &EVP_MD_CTX_free);
    EVP_DigestInit_ex(context.get(), EVP_sha256(), nullptr);
    const auto read = readPieces(path, [&](std::string_view piece) -> Status {
        EVP_DigestUpdate(context.get(), piece.data(), piece.size());
        return Done{};
    });
    if (!read)
        return read.error();
    std::array<unsigned char, EVP_MAX_MD_SIZE> digest{};
    unsigned length = 0;
    EVP_DigestFinal_ex(context.get(), digest.data(), &length);
    return fmt::format("{:02x}", fmt::join(digest.begin(), digest.begin() + length, ""));
}

} // namespace cask
