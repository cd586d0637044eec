#include "core/base/hash.h"

#include "core/base/file_pieces.h"

#include <fmt/format.h>
#include <xxhash.h>

#include <memory>

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
    const std::unique_ptr<XXH3_state_t, decltype(&XXH3_freeState)> state(XXH3_createState(), &XXH3_freeState);
    XXH3_128bits_reset(state.get());
    const auto read = readPieces(path, [&](std::string_view piece) -> Status {
        XXH3_128bits_update(state.get(), piece.data(), piece.size());
        return Done{};
    });
    if (!read)
        return read.error();
    return hex(XXH3_128bits_digest(state.get()));
}

} // namespace cask
