// The headroom ladder: how much of the range is used by the kick, the kit, kit and bass, and everything.
#pragma once

#include <array>
#include <core/base/units.h>
#include <string_view>

namespace cask {

enum class Rung { Kick, Kit, KitAndBass, Master };
inline constexpr int kRungs = 4;
inline constexpr std::array<std::string_view, kRungs> kRungNames = {"the kick alone", "the kit",
                                                                    "kit and bass", "the master"};

struct Headroom {
    std::array<double, kRungs> truePeakDb{kSilenceDb, kSilenceDb, kSilenceDb,
                                          kSilenceDb}; ///< at the master, dBTP
    friend bool operator==(const Headroom&, const Headroom&) = default;
};

} // namespace cask
