// Waits for what another thread does.
#pragma once

#include <chrono>
#include <functional>
#include <thread>

namespace cask::test {

/// False: it did not come true within twenty seconds.
[[nodiscard]] inline bool waitFor(const std::function<bool()>& condition) {
    const auto end = std::chrono::steady_clock::now() + std::chrono::seconds(20);
    while (!condition()) {
        if (std::chrono::steady_clock::now() > end)
            return false;
        std::this_thread::sleep_for(std::chrono::milliseconds(2));
    }
    return true;
}

} // namespace cask::test
