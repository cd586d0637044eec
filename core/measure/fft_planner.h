// FFTW's planner is the one part of it that is not thread-safe.
#pragma once

#include <mutex>

namespace cask::measure {

/// Held while a plan is made or destroyed.
[[nodiscard]] inline std::mutex& fftPlannerMutex() {
    static std::mutex mutex;
    return mutex;
}

} // namespace cask::measure
