// Measures kept for the next time: whatever is wrong with them costs time, never a wrong number.
#pragma once

#include <filesystem>
#include <optional>
#include <string>
#include <string_view>

namespace cask {

/// The bytes that writeCache() put there; nothing when there are none or they are no longer what was written
/// (a checksum says so).
[[nodiscard]] std::optional<std::string> readCache(const std::filesystem::path& folder,
                                                   const std::string& name);

/// Writes "CASKCHK1", 32 hexadecimal digits of the bytes' XXH3, then the bytes. Failing is no problem.
void writeCache(const std::filesystem::path& folder, const std::string& name, std::string_view bytes);

} // namespace cask
