#include "core/base/hash.h"

#include <fmt/format.h>
#include <xxhash.h>

#include <fstream>
#include <memory>
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
    std::ifstream in(path, std::ios::binary);
    if (!in)
        return Error{ErrorCode::NotReadable, path.string() + " can't be read."};
    const std::unique_ptr<XXH3_state_t, decltype(&XXH3_freeState)> state(XXH3_createState(), &XXH3_freeState);
    XXH3_128bits_reset(state.get());
    std::vector<char> buffer(1 << 20);
    while (in) {
        in.read(buffer.data(), static_cast<std::streamsize>(buffer.size()));
        XXH3_128bits_update(state.get(), buffer.data(), static_cast<std::size_t>(in.gcount()));
    }
    if (in.bad())
        return Error{ErrorCode::NotReadable, path.string() + " can't be read to its end."};
    return hex(XXH3_128bits_digest(state.get()));
}

} // namespace cask
