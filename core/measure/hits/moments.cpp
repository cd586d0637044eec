#include "core/measure/hits/moments.h"

#include <algorithm>
#include <cmath>

namespace cask::measure {
namespace {

constexpr double kGapS = 0.003;
constexpr double kMostSpanS = 0.014;
constexpr double kFlamS = 0.0095; // two strokes of one drum are at least so far apart
constexpr double kAmbientSpreadS = 0.011;
constexpr double kEarlyS = 0.001; // an ambient microphone may hear a drum without a microphone first

struct TimedArrival {
    double timeS;
    int input;
    int index;
    double riseDb;
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

/// Where each region of the spectrum begins to rise in an input: first within 10 dB of its greatest power,
/// with parts of a step by straight lines in dB.
void measureRegions(Moment& moment, int input, const std::vector<TrailChannel>& channels, double nextS) {
    for (std::size_t r = 0; r < kRegions; ++r) {
        float& arrived = moment.regionMs[static_cast<std::size_t>(input)][r];
        arrived = kNeverMs;
        for (const auto& channel : channels) {
            if (channel.input != input)
                continue;
            const double startS = moment.timeS - channel.offsetS;
            const auto steps = static_cast<long>(channel.trail->steps());
            const long from = std::clamp(std::lround(startS / kTrailStepS) - 3, 0L, steps);
            const long whole = std::lround(moment.spanS / kTrailStepS) + 15;
            const long to = std::clamp(
                from + std::min(whole, std::max(9L, std::lround((nextS - moment.timeS) / kTrailStepS) + 3)),
                from, steps);
            const auto [low, high] = kRegionBands[r];
            const auto powerAt = [&, low = low, high = high](long n) {
                float sum = 1e-12F;
                for (std::size_t b = low; b <= high; ++b)
                    sum +=
                        powerOfLevelByte(channel.trail->bands[static_cast<std::size_t>(n) * kTrailBands + b]);
                return sum;
            };
            float most = 0;
            for (long n = from; n < to; ++n)
                most = std::max(most, powerAt(n));
            float before = 1e-12F;
            for (std::size_t b = low; b <= high; ++b)
                before +=
                    moment
                        .background[(static_cast<std::size_t>(&channel - channels.data())) * kTrailBands + b];
            if (most < 4 * before)
                continue;
            const float threshold = std::max(0.1F * most, 2 * before);
            for (long n = from; n < to; ++n) {
                const float here = powerAt(n);
                if (here < threshold)
                    continue;
                double at = static_cast<double>(n);
                if (n > from) {
                    const float last = powerAt(n - 1);
                    if (here > last)
                        at -= 1 - std::log(threshold / last) / std::log(here / last);
                }
                arrived = std::min(arrived, static_cast<float>(1000 * (at * kTrailStepS - startS)));
                break;
            }
        }
    }
}

void measureFall(Moment& moment, const std::vector<TrailChannel>& channels, double nextS) {
    constexpr long kLaterFrom = 50;
    constexpr long kLaterTo = 80;
    if (nextS - moment.timeS < kLaterTo * kTrailStepS)
        return;
    float start = 1e-12F;
    float later = 1e-12F;
    for (const auto& channel : channels) {
        if (!channel.isAmbient)
            continue;
        const auto at = std::lround((moment.timeS - channel.offsetS) / kTrailStepS);
        for (std::size_t b = 6; b < kTrailBands; ++b) {
            start += meanPower(channel, b, at, at + 14);
            later += meanPower(channel, b, at + kLaterFrom, at + kLaterTo);
        }
    }
    moment.highFallDb = static_cast<float>(powerToDb(start) - powerToDb(later));
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
            const long whole = (isLow ? 24 : 14) + std::lround(moment.spanS / kTrailStepS);
            const long most = std::max(6L, std::lround((nextS - moment.timeS) / kTrailStepS) + 1);
            const float heard = meanPower(channel, b, at, at + std::min(whole, most));
            const float before = meanPower(channel, b, at - (isLow ? 14 : 8), at - 1);
            const std::size_t e = c * kTrailBands + b;
            moment.heard[e] = heard + channel.floor[b];
            moment.background[e] = 0.8F * before + channel.floor[b];
        }
    }
    measureFall(moment, channels, nextS);
    moment.regionMs.resize(moment.arrivals.size());
    for (std::size_t i = 0; i < moment.arrivals.size(); ++i)
        measureRegions(moment, static_cast<int>(i), channels, nextS);
}

void take(Moment& m, const TimedArrival& a) {
    const auto i = static_cast<std::size_t>(a.input);
    m.arrivals[i] = a.index;
    m.arrivedS[i] = a.timeS;
    m.riseDb[i] = a.riseDb;
}

Moment momentOf(std::span<const TimedArrival> arrivals, std::size_t inputs) {
    Moment m;
    m.timeS = arrivals.front().timeS;
    m.spanS = arrivals.back().timeS - m.timeS;
    m.arrivals.assign(inputs, -1);
    m.arrivedS.assign(inputs, 0);
    m.riseDb.assign(inputs, 0);
    // The stronger of two arrivals in one microphone stands for both.
    for (const auto& a : arrivals) {
        const auto i = static_cast<std::size_t>(a.input);
        if (m.arrivals[i] < 0 || a.riseDb > m.riseDb[i])
            take(m, a);
    }
    return m;
}

/// True when two of them in one microphone are as far apart as a flam, or all together are too far.
bool mustPart(std::span<const TimedArrival> arrivals) {
    if (arrivals.back().timeS - arrivals.front().timeS > kMostSpanS)
        return true;
    for (std::size_t j = arrivals.size(); j-- > 0;)
        if (arrivals[j].input == arrivals.back().input && arrivals.back().timeS - arrivals[j].timeS > kFlamS)
            return true;
    return false;
}

/// Parts arrivals (by time) at gaps that are longer than sound takes between neighbouring microphones, and
/// where they still belong to more than one moment at the longest gap.
std::vector<Moment> momentsOf(std::span<const TimedArrival> arrivals, std::size_t inputs) {
    std::vector<Moment> moments;
    std::size_t from = 0;
    for (std::size_t i = 0; i < arrivals.size(); ++i) {
        while (from < i) {
            const bool isGap = arrivals[i].timeS - arrivals[i - 1].timeS > kGapS;
            if (!isGap && !mustPart(arrivals.subspan(from, i + 1 - from)))
                break;
            std::size_t at = i;
            if (!isGap)
                for (std::size_t j = i; j > from; --j)
                    if (arrivals[j].timeS - arrivals[j - 1].timeS >
                        arrivals[at].timeS - arrivals[at - 1].timeS)
                        at = j;
            moments.push_back(momentOf(arrivals.subspan(from, at - from), inputs));
            from = at;
        }
    }
    if (from < arrivals.size())
        moments.push_back(momentOf(arrivals.subspan(from), inputs));
    return moments;
}

} // namespace

std::vector<Moment> gatherMoments(const KitModel& kit, std::span<const HitInput> inputs,
                                  const std::vector<TrailChannel>& channels,
                                  const std::vector<std::vector<Arrival>>& arrivals,
                                  const ParallelFor& parallel) {
    std::vector<TimedArrival> close;
    std::vector<TimedArrival> ambient;
    for (const int input : kit.listening) {
        const auto i = static_cast<std::size_t>(input);
        auto& list = kit.drumOf[i] >= 0 ? close : ambient;
        for (std::size_t a = 0; a < arrivals[i].size(); ++a)
            list.push_back({arrivals[i][a].timeS + inputs[i].offsetS, input, static_cast<int>(a),
                            arrivals[i][a].riseDb});
    }
    const auto byTime = [](const TimedArrival& a, const TimedArrival& b) { return a.timeS < b.timeS; };
    std::sort(close.begin(), close.end(), byTime);
    std::sort(ambient.begin(), ambient.end(), byTime);
    auto moments = momentsOf(close, inputs.size());
    // Ambient arrivals join the moments that may have made them; the others stand for themselves.
    std::size_t first = 0;
    std::vector<TimedArrival> alone;
    for (const auto& a : ambient) {
        while (first < moments.size() &&
               moments[first].timeS + moments[first].spanS < a.timeS - kAmbientSpreadS)
            ++first;
        bool joined = false;
        for (std::size_t m = first; m < moments.size() && moments[m].timeS < a.timeS + kEarlyS; ++m) {
            if (moments[m].arrivals[static_cast<std::size_t>(a.input)] < 0)
                take(moments[m], a);
            joined = true;
        }
        if (!joined)
            alone.push_back(a);
    }
    for (auto& moment : momentsOf(alone, inputs.size()))
        moments.push_back(std::move(moment));
    std::sort(moments.begin(), moments.end(),
              [](const Moment& a, const Moment& b) { return a.timeS < b.timeS; });
    constexpr std::size_t kAtOnce = 256;
    inPieces(parallel, moments.size(), kAtOnce, [&](std::size_t from, std::size_t to) {
        for (std::size_t m = from; m < to; ++m)
            measure(moments[m], channels,
                    m + 1 < moments.size() ? moments[m + 1].timeS : moments[m].timeS + 1);
    });
    return moments;
}

} // namespace cask::measure
