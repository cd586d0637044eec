#include "tests/support/random_mix.h"

#include "core/base/units.h"

#include <algorithm>
#include <cmath>
#include <random>

namespace cask::test {

std::vector<std::vector<float>> mixOf(const RandomTake& take, unsigned long long seed, double spreadDb) {
    std::mt19937_64 random(seed);
    std::uniform_real_distribution<double> spread(-spreadDb, spreadDb);
    std::uniform_real_distribution<double> place(-0.6, 0.6);
    std::vector<std::vector<float>> mix(2);
    for (const auto& mic : take.microphones) {
        double peak = 1e-9;
        for (const auto& channel : mic.channels)
            for (const float x : channel)
                peak = std::max(peak, std::abs(static_cast<double>(x)));
        const bool isShell =
            mic.role < Role::SideStick || mic.role == Role::RackTom || mic.role == Role::FloorTom;
        const double db = (isShell ? -7 : mic.drum < 0 ? -14 : -18) + spread(random);
        const double side = mic.role < Role::SideStick ? 0 : place(random);
        const double gain = std::pow(10.0, db / 20) / peak;
        for (std::size_t s = 0; s < 2; ++s) {
            const auto& x = mic.channels[std::min(s, mic.channels.size() - 1)];
            const double pan = mic.channels.size() > 1
                                   ? 1
                                   : std::sqrt(2.0) * std::cos((side * (s == 0 ? 1 : -1) + 1) * kPi / 4);
            const auto share = static_cast<float>(gain * pan);
            mix[s].resize(std::max(mix[s].size(), x.size()));
            for (std::size_t n = 0; n < x.size(); ++n)
                mix[s][n] += share * x[n];
        }
    }
    return mix;
}

} // namespace cask::test
