#include "core/measure/hits/side_lags.h"

#include "core/measure/hits/file_lags.h"
#include "core/measure/statistics.h"

#include <algorithm>
#include <cmath>
#include <optional>

namespace cask::measure {
namespace {

std::vector<double> timesIn(const BandTrail& trail, double offsetS) {
    const BandTrail* only = &trail;
    std::vector<double> times;
    for (const auto& a : findArrivals({&only, 1}))
        times.push_back(a.timeS + offsetS);
    return times;
}

/// Later by whole steps; what is not there is silence. As long as it was.
BandTrail laterBy(const BandTrail& trail, long steps) {
    const auto shift = [steps](const std::vector<LevelByte>& x, long perStep) {
        const long by = steps * perStep;
        const auto size = static_cast<long>(x.size());
        std::vector<LevelByte> out(x.size(), 0);
        for (long i = std::max(0L, by); i < std::min(size, size + by); ++i)
            out[static_cast<std::size_t>(i)] = x[static_cast<std::size_t>(i - by)];
        return out;
    };
    return {trail.sampleRateHz, shift(trail.bands, kTrailBands), shift(trail.fine, kFineStepsPerStep),
            shift(trail.fineHigh, kFineStepsPerStep)};
}

/// Median lag against the other microphones; nothing when too few say anything.
std::optional<double> lagToOthers(const std::vector<double>& times, const KitModel& kit, int input,
                                  const std::vector<std::vector<double>>& others) {
    std::vector<double> lags;
    for (const int other : kit.listening)
        if (other != input)
            if (const auto lag = sharpPeak(times, others[static_cast<std::size_t>(other)], kNaturalCloseS))
                lags.push_back(*lag);
    return lags.empty() ? std::nullopt : std::optional(median(lags));
}

} // namespace

std::vector<SideLag> alignSides(const KitModel& kit, std::vector<HitInput>& inputs,
                                std::deque<BandTrail>& moved) {
    std::vector<SideLag> found(inputs.size());
    std::vector<std::vector<double>> others; // made when a pair asks for them
    for (const int n : kit.listening) {
        const auto i = static_cast<std::size_t>(n);
        auto& input = inputs[i];
        if (input.channels.size() != 2)
            continue;
        const auto left = timesIn(*input.channels[0], input.offsetS);
        const auto right = timesIn(*input.channels[1], input.offsetS + input.rightLaterS);
        const double natural = input.role == Role::Room ? kNaturalAmbientS : kNaturalCloseS;
        const auto lag = sharpPeak(right, left, natural);
        auto& side = found[i];
        if (lag && std::abs(*lag) > natural) {
            if (others.empty())
                for (const auto& other : inputs)
                    others.push_back(other.channels.empty()
                                         ? std::vector<double>()
                                         : timesIn(*other.channels.front(), other.offsetS));
            const auto leftLag = lagToOthers(left, kit, n, others);
            const auto rightLag = lagToOthers(right, kit, n, others);
            const bool isLeft = leftLag && rightLag && std::abs(*leftLag) > std::abs(*rightLag);
            side = {isLeft ? 0 : 1, isLeft ? -*lag : *lag};
        }
        const double leftByS = side.side == 0 ? -side.lagS : 0;
        const double rightByS = input.rightLaterS - (side.side == 1 ? side.lagS : 0);
        for (const auto& [channel, byS] : {std::pair(0U, leftByS), std::pair(1U, rightByS)})
            if (const long steps = std::lround(byS / kTrailStepS); steps != 0) {
                moved.push_back(laterBy(*input.channels[channel], steps));
                input.channels[channel] = &moved.back();
                input.arrivals = nullptr; // they were of the channels as they stood
            }
    }
    return found;
}

} // namespace cask::measure
