#include "core/measure/hits/own_onset.h"

#include <algorithm>

namespace cask::measure {
namespace {

constexpr long kMs = kFineStepsPerStep; // fine steps in a millisecond
constexpr long kBack = 6 * kMs;         // a slow rise is found so much late at the most
constexpr long kPeak = 15 * kMs;        // by which it is at its peak
constexpr float kOnsetDb = 20;          // under the peak
constexpr float kRiseDb = 12;           // of highs over the ring, for them to say when
constexpr float kOutDb = 6;
constexpr float kJumpDb = 8; // of a stroke out of spill
constexpr float kClearDb = 3;
constexpr long kLatest = 9 * kMs; // after the spill

class Envelope {
  public:
    Envelope(std::span<const BandTrail* const> channels, std::vector<LevelByte> BandTrail::*which)
        : m_channels(channels), m_which(which) {}
    /// Greatest level from one step to another, dB.
    [[nodiscard]] float most(long from, long to) const {
        LevelByte loudest = 0;
        for (const auto* trail : m_channels) {
            const auto& levels = trail->*m_which;
            const auto size = static_cast<long>(levels.size());
            for (long k = std::clamp(from, 0L, size); k < std::clamp(to, 0L, size); ++k)
                loudest = std::max(loudest, levels[static_cast<std::size_t>(k)]);
        }
        return dbOfLevelByte(loudest);
    }
    [[nodiscard]] float at(long k) const { return most(k, k + 1); }

  private:
    std::span<const BandTrail* const> m_channels;
    std::vector<LevelByte> BandTrail::*m_which;
};

/// Where it first rises out of the ring before it, if that is earlier.
long riseBefore(const Envelope& high, long found) {
    const float peak = high.most(found, found + kPeak);
    const float ring = high.most(found - 2 * kBack, found - kBack);
    if (found < 2 * kBack || peak < ring + kRiseDb)
        return found;
    const float threshold = std::max(peak - kOnsetDb, ring + kOutDb);
    long k = found - kBack;
    while (k < found && high.at(k) < threshold)
        ++k;
    return k;
}

/// Where it jumps out of what sounded from the rise on.
long jumpAfter(const Envelope& envelope, long found) {
    const float peak = envelope.most(found, found + kPeak);
    for (long k = found + kMs; k < found + kLatest; ++k) {
        const float before = envelope.most(found, k);
        const float soon = envelope.most(k, k + 2 * kMs);
        if (envelope.at(k) >= before + kClearDb && soon >= before + kJumpDb && soon >= peak - kClearDb)
            return k;
    }
    return found;
}

} // namespace

double ownOnsetS(std::span<const BandTrail* const> channels, const Arrival& arrival, StrokeKind kind) {
    const auto found = static_cast<long>(arrival.timeS / kFineStepS);
    long onset = found;
    if (kind.isAlone && kind.isSnare)
        onset = riseBefore({channels, &BandTrail::fineHigh}, found);
    else if (!kind.isAlone && kind.isMetal)
        onset = jumpAfter({channels, &BandTrail::fineHigh}, found);
    else if (!kind.isAlone && kind.isSnare)
        onset = jumpAfter({channels, &BandTrail::fine}, found);
    return onset == found ? arrival.timeS : (static_cast<double>(onset) + 0.5) * kFineStepS;
}

} // namespace cask::measure
