#include "core/measure/drive/push.h"

#include "core/base/units.h"
#include "core/measure/statistics.h"

#include <algorithm>
#include <cmath>
#include <map>

namespace cask::measure {
namespace {

constexpr double kLookS = 0.080;
constexpr double kBodyS = 0.120;
constexpr double kPeakS = 0.020;
constexpr double kAttackS = 0.010;
constexpr double kBeforeFromS = 0.015; // the onset itself is no sharper than a few milliseconds
constexpr double kBeforeToS = 0.005;
constexpr std::size_t kMostHits = 24; // of a drum: more change no median

double powerOf(const Sound& sound, std::ptrdiff_t from, std::ptrdiff_t to) {
    double sum = 0;
    for (const auto& channel : sound)
        for (auto n = std::max<std::ptrdiff_t>(0, from);
             n < std::min<std::ptrdiff_t>(to, static_cast<std::ptrdiff_t>(channel.size())); ++n)
            sum += static_cast<double>(channel[static_cast<std::size_t>(n)]) *
                   channel[static_cast<std::size_t>(n)];
    return sum / std::max<double>(1, static_cast<double>(to - from));
}

double peakOf(const Sound& sound, std::ptrdiff_t from, std::ptrdiff_t to) {
    double peak = 0;
    for (const auto& channel : sound)
        for (auto n = from; n < std::min<std::ptrdiff_t>(to, static_cast<std::ptrdiff_t>(channel.size()));
             ++n)
            peak = std::max(peak, std::abs(static_cast<double>(channel[static_cast<std::size_t>(n)])));
    return peak;
}

struct HitLook {
    double bentDb = kSilenceDb;
    double crestDb = 0;
    double clarityDb = 0;
};

HitLook lookAt(const Sound& first, const Sound& now, std::ptrdiff_t onset, double rateHz) {
    const auto after = [&](double s) { return onset + static_cast<std::ptrdiff_t>(std::lround(s * rateHz)); };
    HitLook look;
    double both = 0;
    double own = 0;
    const auto end = after(kLookS);
    for (std::size_t c = 0; c < now.size(); ++c)
        for (auto n = onset; n < std::min<std::ptrdiff_t>(end, static_cast<std::ptrdiff_t>(now[c].size()));
             ++n) {
            const double x = first[c][static_cast<std::size_t>(n)];
            both += x * now[c][static_cast<std::size_t>(n)];
            own += x * x;
        }
    const double copy = own > 0 ? both / own : 0;
    double left = 0;
    for (std::size_t c = 0; c < now.size(); ++c)
        for (auto n = onset; n < std::min<std::ptrdiff_t>(end, static_cast<std::ptrdiff_t>(now[c].size()));
             ++n) {
            const double d =
                now[c][static_cast<std::size_t>(n)] - copy * first[c][static_cast<std::size_t>(n)];
            left += d * d;
        }
    const double copied = copy * copy * own;
    if (left > 0 && copied > 0)
        look.bentDb = std::max(kSilenceDb, powerToDb(left / copied));
    const double rms = powerOf(now, onset, after(kBodyS));
    const double peak = peakOf(now, onset, after(kPeakS));
    look.crestDb = rms > 0 && peak > 0 ? linearToDb(peak) - powerToDb(rms) : 0;
    const double before = powerOf(now, after(-kBeforeFromS), after(-kBeforeToS));
    const double attack = powerOf(now, onset, after(kAttackS));
    constexpr double kFloor = 1e-9;
    look.clarityDb = powerToDb((attack + kFloor) / (before + kFloor));
    return look;
}

/// Where a value passes a limit on its way over the drives; nothing where it never does.
std::optional<double> passesAt(const std::vector<double>& values, double limit) {
    for (std::size_t i = 1; i < values.size(); ++i)
        if (values[i] > limit) {
            const double was = std::max(values[i - 1], limit - 60); // silence is no place to draw a line from
            const double share = was >= limit ? 0 : (limit - was) / (values[i] - was);
            return kPushDrivesDb[i - 1] + share * (kPushDrivesDb[i] - kPushDrivesDb[i - 1]);
        }
    return std::nullopt;
}

void findBreak(DrumPush& push, const PushLimits& limits) {
    const auto take = [&](const std::vector<double>& values, double limit, PushBreak why) {
        if (const auto at = passesAt(values, limit);
            at && (push.why == PushBreak::None || *at < push.breaksAtDb)) {
            push.why = why;
            push.breaksAtDb = *at;
        }
    };
    take(push.bentDb, limits.bentDb, PushBreak::Bent);
    take(push.crestLossDb, limits.crestLossDb, PushBreak::Crest);
    take(push.clarityLossDb, limits.clarityLossDb, PushBreak::Clarity);
}

} // namespace

std::vector<DrumPush> pushTest(const HitMaterial& m, const PushedSound& at, const PushLimits& limits,
                               const CancelToken& cancel, const ParallelFor& parallel) {
    // The loudest hits of each drum, ghosts aside: those that come to the limit first.
    std::map<int, std::vector<const MaterialHit*>> byDrum;
    for (const auto& hit : m.hits)
        if (hit.hitClass != HitClass::Ghost && hit.timeS - kBeforeFromS >= m.startS &&
            hit.timeS + kBodyS < m.endS())
            byDrum[hit.drum].push_back(&hit);
    std::erase_if(byDrum, [](const auto& one) { return one.second.size() < kFewestPushHits; });
    for (auto& [drum, hits] : byDrum) {
        std::stable_sort(hits.begin(), hits.end(),
                         [](const auto* a, const auto* b) { return a->levelDb > b->levelDb; });
        hits.resize(std::min(hits.size(), kMostHits));
    }
    std::vector<Sound> sounds(kPushDrivesDb.size());
    parallel(sounds.size(), [&](std::size_t i) {
        if (!cancel.isCancelled())
            sounds[i] = at(kPushDrivesDb[i]);
    });
    std::vector<DrumPush> pushes;
    if (cancel.isCancelled() || sounds.front().empty())
        return pushes;
    for (const auto& [drum, hits] : byDrum) {
        DrumPush push;
        push.drum = drum;
        push.hits = static_cast<int>(hits.size());
        std::vector<HitLook> first;
        for (const auto& sound : sounds) {
            std::vector<double> bent;
            std::vector<double> crest;
            std::vector<double> clarity;
            for (std::size_t h = 0; h < hits.size(); ++h) {
                const auto onset =
                    static_cast<std::ptrdiff_t>(std::lround((hits[h]->timeS - m.startS) * m.rateHz));
                const HitLook look = lookAt(sounds.front(), sound, onset, m.rateHz);
                if (&sound == &sounds.front())
                    first.push_back(look);
                bent.push_back(look.bentDb);
                crest.push_back(first[h].crestDb - look.crestDb);
                clarity.push_back(first[h].clarityDb - look.clarityDb);
            }
            push.bentDb.push_back(&sound == &sounds.front() ? kSilenceDb : median(bent));
            push.crestLossDb.push_back(median(crest));
            push.clarityLossDb.push_back(median(clarity));
        }
        findBreak(push, limits);
        pushes.push_back(std::move(push));
    }
    std::stable_sort(pushes.begin(), pushes.end(), [](const DrumPush& a, const DrumPush& b) {
        const bool aBreaks = a.why != PushBreak::None;
        const bool bBreaks = b.why != PushBreak::None;
        return aBreaks != bBreaks ? aBreaks : aBreaks && a.breaksAtDb < b.breaksAtDb;
    });
    return pushes;
}

double lowerFirstByDb(const std::vector<DrumPush>& pushes) {
    if (pushes.size() < 2 || pushes[1].why == PushBreak::None)
        return 0;
    return pushes[1].breaksAtDb - pushes[0].breaksAtDb;
}

} // namespace cask::measure
