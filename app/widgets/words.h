// Words of the core for the window.
#pragma once

#include <QString>

#include <string_view>

namespace cask::app {

[[nodiscard]] inline QString words(std::string_view text) {
    return QString::fromUtf8(text.data(), static_cast<int>(text.size()));
}

/// "1 file", "3 files".
[[nodiscard]] inline QString counted(long long count, const QString& one, const QString& many) {
    return QStringLiteral("%1 %2").arg(count).arg(count == 1 ? one : many);
}

} // namespace cask::app
