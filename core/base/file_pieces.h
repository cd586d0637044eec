// A file read from start to end, in pieces.
#pragma once

#include <core/base/result.h>
#include <filesystem>
#include <functional>
#include <string_view>

namespace cask {

/// Hands over each piece until the file ends or `take` returns an error, which is then the result. Errors of
/// reading name the file.
[[nodiscard]] Status readPieces(const std::filesystem::path& path,
                                const std::function<Status(std::string_view piece)>& take);

} // namespace cask
