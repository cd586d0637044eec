#include "core/layers/live_take.h"

#include "core/layers/live_kit.h"

#include <algorithm>
#include <cmath>

namespace cask::layers {

Strike playedStrike(double timeS, int velocity, int note) {
    return {timeS, static_cast<double>(velocity),
            velocity >= LiveKit::kAccentVelocity ? "accent"
            : velocity < LiveKit::kGhostVelocity ? "ghost"
                                                 : "normal",
            note};
}

Stack withTake(Stack stack, const std::vector<Strike>& take,
               const std::optional<std::pair<double, double>>& instead) {
    auto& strikes = stack.strikes;
    if (instead)
        std::erase_if(
            strikes, [&](const Strike& s) { return s.timeS >= instead->first && s.timeS < instead->second; });
    strikes.insert(strikes.end(), take.begin(), take.end());
    std::stable_sort(strikes.begin(), strikes.end(),
                     [](const Strike& a, const Strike& b) { return a.timeS < b.timeS; });
    std::vector<Strike> kept;
    for (auto& strike : strikes) {
        const auto same = std::find_if(kept.rbegin(), kept.rend(), [&](const Strike& s) {
            return s.note == strike.note && strike.timeS - s.timeS < kOneStrikeS;
        });
        if (same == kept.rend())
            kept.push_back(std::move(strike));
        else if (strike.velocity > same->velocity)
            *same = std::move(strike);
    }
    std::stable_sort(kept.begin(), kept.end(),
                     [](const Strike& a, const Strike& b) { return a.timeS < b.timeS; });
    strikes = std::move(kept);
    constexpr double kRingS = 1;
    if (stack.lengthS > 0 && !strikes.empty())
        stack.lengthS = std::max(stack.lengthS, strikes.back().timeS + kRingS);
    return stack;
}

Pattern patternOf(const std::vector<Strike>& strikes, double bpm, int note) {
    constexpr int kDrumChannel = 9;
    constexpr int kMostMidiNote = 127;
    constexpr int kDefaultBpm = 120;
    Pattern pattern;
    const double beatS = 60 / (bpm > 0 ? bpm : kDefaultBpm);
    pattern.tempi = {{0, 0, 60 / beatS}};
    pattern.metres = {{0, 4, 4}};
    for (const auto& strike : strikes)
        pattern.strokes.push_back({strike.timeS, strike.timeS / beatS,
                                   std::min(kMostMidiNote, strike.note >= 0 ? strike.note : note),
                                   std::clamp(static_cast<int>(std::lround(strike.velocity)), 1, 127),
                                   kDrumChannel});
    if (!strikes.empty())
        pattern.lengthBeats = 4 * std::ceil((strikes.back().timeS / beatS + 1e-9) / 4);
    return pattern;
}

} // namespace cask::layers
