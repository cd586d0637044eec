// SHA-256 of files: what other programs can check a delivery with.
#pragma once

#include <core/base/result.h>
#include <filesystem>
#include <string>

namespace cask {

/// 64 hexadecimal digits, as sha256sum prints them (FIPS 180-4, by OpenSSL).
[[nodiscard]] Result<std::string> sha256OfFile(const std::filesystem::path& path);

} // namespace cask
