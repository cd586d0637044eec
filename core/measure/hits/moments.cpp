#include "core/measure/hits/moments.h"

#include <algorithm>
#include <cmath>

namespace cask::measure {
namespace {

constexpr double kCloseSpreadS = 0.005;
constexpr double kAmbientSpreadS = 0.011;
constexpr double kEarlyS = 0.001; // an ambient microphone may hear a drum without a microphone first

struct TimedArrival {
    double timeS;
    int input;
    int index;
};

/// Mean power of a channel's bands between two session times, low bands over `lowFrames` more.
float meanPower(const TrailChannel& channel, std::size_t band, long from, long to) {
    const auto steps = static_cast<long>(channel.trail->steps());
    from = std::clamp(from, 0L, steps);
    to = std::clamp(to, from, steps);
    if (from == to)
        return 0;
    float sum = 0;
    for (long n = from; n < to; ++n)
        sum += powerOfLevelByte(channel.trail->bands[static_cast<std::size_t>(n) * kTrailBands + band]);
    return sum / static_cast<float>(to - from);
}

void measure(Moment& moment, const std::vector<TrailChannel>& channels, double nextS) {
    moment.heard.resize(channels.size() * kTrailBands);
    moment.background.resize(channels.size() * kTrailBands);
    for (std::size_t c = 0; c < channels.size(); ++c) {
        const auto& channel = channels[c];
        const auto at = std::lround((moment.timeS - channel.offsetS) / kTrailStepS);
        for (std::size_t b = 0; b < kTrailBands; ++b) {
            const bool isLow = b < 2;
            // Until the next moment, so that a flam's second stroke does not count for the first.
            const long whole = isLow ? 24 : 14;
            const long most = std::max(6L, std::lround((nextS - moment.timeS) / kTrailStepS) + 1);
            const float heard = meanPower(channel, b, at, at + std::min(whole, most));
            const float before = meanPower(channel, b, at - (isLow ? 14 : 8), at - 1);
            const std::size_t e = c * kTrailBands + b;
            moment.heard[e] = heard + channel.floor[b];
            moment.background[e] = 0.8F * before + channel.floor[b];
        }
    }
}

} // namespace

std::vector<Moment> gatherMoments(const KitModel& kit, std::span<const HitInput> inputs,
                                  const std::vector<TrailChannel>& channels,
                                  const std::vector<std::vector<Arrival>>& arrivals) {
    std::vector<TimedArrival> close;
    std::vector<TimedArrival> ambient;
    for (const int input : kit.listening) {
        const auto i = static_cast<std::size_t>(input);
        auto& list = kit.drumOf[i] >= 0 ? close : ambient;
        for (std::size_t a = 0; a < arrivals[i].size(); ++a)
            list.push_back({arrivals[i][a].timeS + inputs[i].offsetS, input, static_cast<int>(a)});
    }
    const auto byTime = [](const TimedArrival& a, const TimedArrival& b) { return a.timeS < b.timeS; };
    std::sort(close.begin(), close.end(), byTime);
    std::sort(ambient.begin(), ambient.end(), byTime);
    std::vector<Moment> moments;
    const auto take = [](Moment& m, const TimedArrival& a) {
        m.arrivals[static_cast<std::size_t>(a.input)] = a.index;
        m.arrivedS[static_cast<std::size_t>(a.input)] = a.timeS;
    };
    const auto begin = [&](const TimedArrival& a) {
        Moment m;
        m.timeS = a.timeS;
        m.arrivals.assign(inputs.size(), -1);
        m.arrivedS.assign(inputs.size(), 0);
        moments.push_back(std::move(m));
        take(moments.back(), a);
    };
    for (const auto& a : close) {
        const bool joins = !moments.empty() && a.timeS - moments.back().timeS < kCloseSpreadS &&
                           moments.back().arrivals[static_cast<std::size_t>(a.input)] < 0;
        if (joins)
            take(moments.back(), a);
        else
            begin(a);
    }
    // Ambient arrivals join the last moment that may have made them; the others stand for themselves.
    const std::size_t withClose = moments.size();
    std::size_t first = 0;
    std::vector<TimedArrival> alone;
    for (const auto& a : ambient) {
        while (first < withClose && moments[first].timeS < a.timeS - kAmbientSpreadS)
            ++first;
        bool joined = false;
        for (std::size_t m = first; m < withClose && moments[m].timeS < a.timeS + kEarlyS; ++m) {
            if (moments[m].arrivals[static_cast<std::size_t>(a.input)] < 0)
                take(moments[m], a);
            joined = true;
        }
        if (!joined)
            alone.push_back(a);
    }
    for (const auto& a : alone) {
        const bool joins = moments.size() > withClose && a.timeS - moments.back().timeS < kCloseSpreadS &&
                           moments.back().arrivals[static_cast<std::size_t>(a.input)] < 0;
        if (joins)
            take(moments.back(), a);
        else
            begin(a);
    }
    std::sort(moments.begin(), moments.end(), [](const Moment& a, const Moment& b) { return a.timeS < b.timeS; });
    for (std::size_t m = 0; m < moments.size(); ++m)
        measure(moments[m], channels, m + 1 < moments.size() ? moments[m + 1].timeS : moments[m].timeS + 1);
    return moments;
}

} // namespace cask::measure
