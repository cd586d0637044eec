// Classes of hits.
#pragma once

#include <optional>
#include <string_view>

namespace cask::measure {

enum class HitClass { Accent, Normal, Ghost, Flam, Roll };
inline constexpr int kHitClasses = 5;

/// Stored and printed: do not change.
[[nodiscard]] constexpr std::string_view hitClassName(HitClass c) {
    switch (c) {
    case HitClass::Accent:
        return "accent";
    case HitClass::Normal:
        return "normal";
    case HitClass::Ghost:
        return "ghost";
    case HitClass::Flam:
        return "flam";
    case HitClass::Roll:
        return "roll";
    }
    return "";
}

[[nodiscard]] constexpr std::optional<HitClass> hitClassFromName(std::string_view name) {
    for (int c = 0; c < kHitClasses; ++c)
        if (hitClassName(static_cast<HitClass>(c)) == name)
            return static_cast<HitClass>(c);
    return std::nullopt;
}

} // namespace cask::measure
