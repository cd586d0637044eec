// Content hash: names the cache entries of a file by what is in it, not by where it lies.
#pragma once

#include <core/base/result.h>
#include <cstdint>
#include <filesystem>
#include <span>
#include <string>

namespace cask {

/// 128-bit XXH3 of the bytes as 32 hexadecimal digits.
[[nodiscard]] std::string hashBytes(std::span<const std::byte> bytes);

/// The same over a whole file, read in pieces; an error names the file.
[[nodiscard]] Result<std::string> hashFile(const std::filesystem::path& path);

} // namespace cask
