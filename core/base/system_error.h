// What the system says about a failed call, as a sentence that a person can act on.
#pragma once

#include <core/base/result.h>
#include <filesystem>
#include <string>
#include <string_view>

namespace cask {

/// The reason alone, with no full stop: "the disk is full", "too many files are open".
[[nodiscard]] std::string systemReason(int number);

/// "PATH WHAT: REASON." with a code that fits; `what` reads like "can't be written".
[[nodiscard]] Error systemError(const std::filesystem::path& path, std::string_view what, int number);

/// Opens a regular file for reading, without waiting for pipes or devices. The caller closes it.
[[nodiscard]] Result<int> openRegularFile(const std::filesystem::path& path);

} // namespace cask
