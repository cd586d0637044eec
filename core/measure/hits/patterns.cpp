#include "core/measure/hits/patterns.h"

#include "core/measure/hits/pattern_math.h"

#include <cmath>
#include <limits>
#include <numeric>

namespace cask::measure {
std::size_t regionOf(Role role) {
    switch (role) {
    case Role::KickIn:
    case Role::RackTom:
    case Role::FloorTom:
        return 0;
    case Role::ClosedHat:
    case Role::Ride:
    case Role::Crash:
        return 2;
    default:
        return 1;
    }
}

namespace {

constexpr float kCloseWeight = 0.5F;   // bands of one microphone are not independent
constexpr float kRegionWeight = 0.8F;  // but those of its drum tell most
constexpr float kAmbientWeight = 0.3F; // they hear everything, and late

/// Level of strong arrivals of an input, as power.
double strongPower(const std::vector<Arrival>& arrivals) {
    if (arrivals.empty())
        return 1e-3;
    std::vector<float> levels;
    for (const auto& a : arrivals)
        levels.push_back(static_cast<float>(a.levelDb));
    return std::pow(10.0, quantile(levels, 0.95) / 10);
}

} // namespace

Patterns::Patterns(const KitModel& kit, std::vector<TrailChannel> channels,
                   const std::vector<std::vector<Arrival>>& arrivals)
    : m_kit(kit), m_channels(std::move(channels)) {
    const std::size_t drums = kit.drums.size();
    m_power.assign(drums * entries(), kLeastPower);
    m_weights.assign(entries(), kAmbientWeight);
    for (std::size_t e = 0; e < entries(); ++e) {
        const int drum = kit.drumOf[static_cast<std::size_t>(m_channels[e / kTrailBands].input)];
        if (drum < 0)
            continue;
        const auto [low, high] = kRegionBands[regionOf(kit.drums[static_cast<std::size_t>(drum)].role)];
        const std::size_t band = e % kTrailBands;
        m_weights[e] = band >= low && band <= high ? kRegionWeight : kCloseWeight;
    }
    m_isOwn.assign(drums * m_channels.size(), false);
    m_isKnown.assign(drums, false);
    m_strong.assign(drums, std::numeric_limits<float>::max());
    for (std::size_t d = 0; d < drums; ++d) {
        const Drum& drum = kit.drums[d];
        m_isKnown[d] = !drum.isMiked();
        const auto typical = typicalBands(drum.role);
        const auto& own = drum.isMiked() ? drum.inputs : kit.ambient;
        const double here = own.empty() ? 1e-3 : strongPower(arrivals[static_cast<std::size_t>(own.front())]);
        for (std::size_t c = 0; c < m_channels.size(); ++c) {
            const auto& channel = m_channels[c];
            const bool isMine = std::find(own.begin(), own.end(), channel.input) != own.end();
            m_isOwn[d * m_channels.size() + c] = isMine;
            const double there = strongPower(arrivals[static_cast<std::size_t>(channel.input)]);
            const double lessDb = isMine ? 0 : channel.isAmbient ? -5 : -18;
            for (std::size_t b = 0; b < kTrailBands; ++b)
                m_power[d * entries() + c * kTrailBands + b] =
                    static_cast<float>(typical[b] * there / here * std::pow(10.0, lessDb / 10));
        }
        normalise(static_cast<int>(d));
    }
}
float Patterns::powerBetween(int drum, const Moment& moment, std::size_t low, std::size_t high) const {
    float sum = 0;
    for (std::size_t c = 0; c < m_channels.size(); ++c)
        if (isOwn(drum, c))
            for (std::size_t b = low; b <= high; ++b) {
                const std::size_t e = c * kTrailBands + b;
                sum += std::max(0.0F, moment.heard[e] - moment.background[e]);
            }
    return sum;
}

float Patterns::ownPower(int drum, const Moment& moment) const {
    return powerBetween(drum, moment, 0, kTrailBands - 1);
}

float Patterns::loudestPower(int drum, const Moment& moment) const {
    float most = 0;
    for (std::size_t c = 0; c < m_channels.size(); ++c) {
        if (!isOwn(drum, c))
            continue;
        float sum = 0;
        for (std::size_t e = c * kTrailBands; e < (c + 1) * kTrailBands; ++e)
            sum += std::max(0.0F, moment.heard[e] - moment.background[e]);
        most = std::max(most, sum);
    }
    return most;
}

float Patterns::channelPower(int drum, std::size_t channel) const {
    const auto bands = of(drum).subspan(channel * kTrailBands, kTrailBands);
    return std::accumulate(bands.begin(), bands.end(), 0.0F);
}

float Patterns::regionPower(int drum, const Moment& moment) const {
    const auto [low, high] = kRegionBands[regionOf(m_kit.drums[static_cast<std::size_t>(drum)].role)];
    return powerBetween(drum, moment, low, high);
}

bool Patterns::isOtherDrum(int drum, std::size_t channel) const {
    const int its = m_kit.drumOf[static_cast<std::size_t>(m_channels[channel].input)];
    return its >= 0 && its != drum;
}

bool Patterns::canSpill(int drum, int input, const Moment& moment) const {
    const std::size_t region = regionOf(m_kit.drums[static_cast<std::size_t>(drum)].role);
    return moment.regionMs[static_cast<std::size_t>(input)][region] >=
           arrivedMs(drum, region, moment) + kLeastWayMs;
}
float Patterns::unlikeDb(int drum, Role role, const Moment& moment) const {
    const auto typical = typicalBands(role);
    std::array<float, kTrailBands> offDb{};
    std::size_t count = 0;
    float mean = 0;
    for (std::size_t b = 0; b < kTrailBands; ++b) {
        float heard = 0;
        float before = 0;
        for (std::size_t c = 0; c < m_channels.size(); ++c)
            if (isOwn(drum, c)) {
                heard += moment.heard[c * kTrailBands + b];
                before += moment.background[c * kTrailBands + b];
            }
        if (heard < 1.3F * before)
            continue; // says nothing
        offDb[count] = fastDb(heard - before) - fastDb(typical[b]);
        mean += offDb[count++];
    }
    constexpr std::size_t kFewBands = 3;
    if (count < kFewBands)
        return 100;
    mean /= static_cast<float>(count);
    float off = 0;
    for (std::size_t i = 0; i < count; ++i)
        off += std::abs(offDb[i] - mean);
    return off / static_cast<float>(count);
}
void Patterns::normalise(int drum) {
    float* power = m_power.data() + static_cast<std::size_t>(drum) * entries();
    float sum = 0;
    for (std::size_t c = 0; c < m_channels.size(); ++c)
        if (isOwn(drum, c))
            for (std::size_t b = 0; b < kTrailBands; ++b)
                sum += power[c * kTrailBands + b];
    for (std::size_t e = 0; e < entries(); ++e)
        power[e] = std::max(power[e] / std::max(sum, 1e-20F), kLeastPower);
}
bool Patterns::canBe(int drum, const Moment& moment) const {
    const Drum& d = m_kit.drums[static_cast<std::size_t>(drum)];
    const auto& own = d.isMiked() ? d.inputs : m_kit.ambient;
    return std::any_of(own.begin(), own.end(),
                       [&](int input) { return moment.arrivals[static_cast<std::size_t>(input)] >= 0; });
}

float Patterns::arrivedMs(int drum, std::size_t region, const Moment& moment) const {
    float first = kNeverMs;
    for (const int own : m_kit.drums[static_cast<std::size_t>(drum)].inputs)
        first = std::min(first, moment.regionMs[static_cast<std::size_t>(own)][region]);
    return first;
}

} // namespace cask::measure
