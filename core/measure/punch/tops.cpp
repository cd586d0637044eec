#include "core/measure/punch/tops.h"

#include "core/base/units.h"
#include "core/measure/statistics.h"

#include <algorithm>
#include <cmath>

namespace cask::measure {
namespace {

constexpr double kLookedAtS = 0.050;
constexpr double kPeakWithinS = 0.030;
constexpr double kTopDb = 1;
constexpr double kHeldDb = 1.5;

struct Top {
    double peakDb, crestDb, flatShare, heldMs;
};

/// Of the louder channel; nothing where it is silent.
Top topOf(const std::vector<float>& x, std::size_t from, std::size_t to, std::size_t peakTo, double rateHz) {
    std::size_t at = from;
    double power = 0;
    for (std::size_t n = from; n < to; ++n) {
        if (n < peakTo && std::abs(x[n]) > std::abs(x[at]))
            at = n;
        power += static_cast<double>(x[n]) * x[n];
    }
    const float peak = std::abs(x[at]);
    if (peak <= 0)
        return {kSilenceDb, 0, 0, 0};
    const float near = peak * static_cast<float>(dbToLinear(-kTopDb));
    const float sign = x[at] > 0 ? 1.0F : -1.0F;
    // The half wave around the peak, down to half of it.
    std::size_t first = at;
    std::size_t last = at;
    while (first > from && sign * x[first - 1] > peak / 2)
        --first;
    while (last + 1 < to && sign * x[last + 1] > peak / 2)
        ++last;
    int top = 0;
    for (std::size_t n = first; n <= last; ++n)
        top += sign * x[n] >= near ? 1 : 0;
    const auto step = static_cast<std::size_t>(std::lround(0.001 * rateHz));
    const float held = peak * static_cast<float>(dbToLinear(-kHeldDb));
    int heldMs = 0;
    for (std::size_t n = from; n + step <= to; n += step) {
        float most = 0;
        for (std::size_t k = n; k < n + step; ++k)
            most = std::max(most, std::abs(x[k]));
        heldMs += most >= held ? 1 : 0;
    }
    return {linearToDb(static_cast<double>(peak)),
            linearToDb(static_cast<double>(peak)) - powerToDb(power / static_cast<double>(to - from)),
            static_cast<double>(top) / static_cast<double>(last - first + 1), static_cast<double>(heldMs)};
}

} // namespace

bool areHeld(const HitTops& tops, Role role) {
    constexpr int kFewest = 4;
    constexpr double kHeldMs = 10;
    constexpr double kKickHeldMs = 12;
    constexpr double kKickFlatShare = 0.55;
    if (tops.hits < kFewest)
        return false;
    if (role == Role::KickIn || role == Role::KickOut || role == Role::SubKick)
        return tops.heldMs >= kKickHeldMs && tops.flatShare >= kKickFlatShare;
    const auto group = roleInfo(role).group;
    return (group == RoleGroup::Shells || group == RoleGroup::Cymbals) && tops.heldMs >= kHeldMs;
}

HitTops measureTops(const HitMaterial& m) {
    std::vector<Top> tops;
    for (std::size_t i = 0; i < m.hits.size(); ++i) {
        const double at = (m.hits[i].timeS - m.startS) * m.rateHz;
        if (!m.hits[i].isOwn || m.hits[i].hitClass == HitClass::Ghost || at < 0 ||
            at >= static_cast<double>(m.frames()))
            continue;
        const auto from = static_cast<std::size_t>(at);
        const auto within = [&](double s) {
            return std::min(m.frames(), from + static_cast<std::size_t>(s * m.rateHz));
        };
        Top best{kSilenceDb, 0, 0, 0};
        for (const auto& channel : m.sound)
            if (const Top top = topOf(channel, from, within(kLookedAtS), within(kPeakWithinS), m.rateHz);
                top.peakDb > best.peakDb)
                best = top;
        if (best.peakDb > kSilenceDb)
            tops.push_back(best);
    }
    HitTops result;
    if (tops.empty())
        return result;
    std::sort(tops.begin(), tops.end(), [](const Top& a, const Top& b) { return a.peakDb > b.peakDb; });
    tops.resize((tops.size() + 1) / 2);
    const auto middle = [&](double Top::*value) {
        std::vector<double> values(tops.size());
        std::transform(tops.begin(), tops.end(), values.begin(), [&](const Top& top) { return top.*value; });
        return median(std::move(values));
    };
    result.hits = static_cast<int>(tops.size());
    result.crestDb = middle(&Top::crestDb);
    result.flatShare = middle(&Top::flatShare);
    result.heldMs = middle(&Top::heldMs);
    return result;
}

} // namespace cask::measure
