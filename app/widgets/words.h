// Words of the core for the window.
#pragma once

#include <QString>

#include <string_view>

namespace cask::app {

[[nodiscard]] inline QString words(std::string_view text) {
    return QString::fromUtf8(text.data(), static_cast<int>(text.size()));
}

} // namespace cask::app
