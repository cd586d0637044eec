#include "core/base/cache_file.h"

#include "core/base/file_system.h"
#include "core/base/hash.h"

namespace cask {
namespace {

constexpr std::string_view kMagic = "CASKCHK1";
constexpr std::size_t kHashDigits = 32;

std::string checksum(std::string_view bytes) {
    return hashBytes(std::as_bytes(std::span(bytes.data(), bytes.size())));
}

} // namespace

std::optional<std::string> readCache(const std::filesystem::path& folder, const std::string& name) {
    auto file = diskFileSystem().read(folder / name);
    if (!file || !file->starts_with(kMagic) || file->size() < kMagic.size() + kHashDigits)
        return std::nullopt;
    const std::string_view bytes = std::string_view(*file).substr(kMagic.size() + kHashDigits);
    if (std::string_view(*file).substr(kMagic.size(), kHashDigits) != checksum(bytes))
        return std::nullopt;
    return file->substr(kMagic.size() + kHashDigits);
}

void writeCache(const std::filesystem::path& folder, const std::string& name, std::string_view bytes) {
    auto& files = diskFileSystem();
    if (files.makeFolder(folder))
        (void)files.writeAtomically(folder / name,
                                    std::string(kMagic) + checksum(bytes) + std::string(bytes));
}

} // namespace cask
