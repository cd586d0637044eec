#include "core/kit_measures/drum_mix.h"

#include "core/graph/offline_render.h"
#include "core/measure/hits/kit_hits.h"
#include "core/measure/integrated_loudness.h"

#include <algorithm>
#include <cmath>

namespace cask::kit {
namespace {

using measure::LoopDrum;

constexpr double kFreeBeforeS = 0.08; ///< nothing else is struck so long before a stroke that is alone
constexpr double kFreeAfterS = 0.12;
constexpr double kOneStrokeS = 0.03; ///< strokes so near are heard as one
constexpr std::size_t kFewestClear = 3;
constexpr std::size_t kMostAlone = 3; ///< of each drum

double medianOfLouderHalf(std::vector<double> levels) {
    std::sort(levels.begin(), levels.end(), std::greater<>());
    levels.resize((levels.size() + 1) / 2);
    return levels[levels.size() / 2];
}

std::vector<double> patternOf(const std::vector<double>& timesS, const measure::Tempo& tempo) {
    if (!tempo.isKnown)
        return {};
    const int steps = kPatternSteps / 4 * tempo.beatsPerBar;
    std::vector<double> pattern(static_cast<std::size_t>(steps), 0);
    const double bars =
        std::max(1.0, std::floor(static_cast<double>(tempo.beatsS.size()) / tempo.beatsPerBar));
    for (const double t : timesS) {
        const auto step = std::llround(tempo.beatAt(t) * 4);
        if (step >= 0)
            pattern[static_cast<std::size_t>(step % steps)] += 1 / bars;
    }
    for (double& share : pattern)
        share = std::min(1.0, share);
    return pattern;
}

/// The clearest strokes of each drum that no other is near.
std::vector<LoneStroke> loneStrokes(const std::vector<LoneStroke>& all) {
    std::vector<LoneStroke> alone;
    for (std::size_t i = 0; i < all.size(); ++i) {
        const bool isFree = (i == 0 || all[i].timeS - all[i - 1].timeS >= kFreeBeforeS) &&
                            (i + 1 == all.size() || all[i + 1].timeS - all[i].timeS >= kFreeAfterS);
        if (isFree)
            alone.push_back(all[i]);
    }
    std::stable_sort(alone.begin(), alone.end(),
                     [](const LoneStroke& a, const LoneStroke& b) { return a.levelDb > b.levelDb; });
    std::array<std::size_t, measure::kLoopDrums> taken{};
    std::erase_if(alone, [&](const LoneStroke& stroke) {
        return ++taken[static_cast<std::size_t>(stroke.drum)] > kMostAlone;
    });
    std::stable_sort(alone.begin(), alone.end(),
                     [](const LoneStroke& a, const LoneStroke& b) { return a.timeS < b.timeS; });
    return alone;
}

/// Levels are of a drum's own bands; those of metal lie where snares and the click of a kick are too.
/// Whichever is louder, so that a fader that is moved does not change which strokes count.
bool isClear(const LoneStroke& stroke, const std::vector<LoneStroke>& all) {
    const auto isMetal = [](LoopDrum drum) {
        return drum == LoopDrum::Hat || drum == LoopDrum::Ride || drum == LoopDrum::Crash;
    };
    return !isMetal(stroke.drum) || std::none_of(all.begin(), all.end(), [&](const LoneStroke& other) {
        return !isMetal(other.drum) && std::abs(other.timeS - stroke.timeS) < kOneStrokeS;
    });
}

} // namespace

const MixDrum* DrumMix::drum(LoopDrum which) const {
    for (const auto& one : drums)
        if (one.drum == which)
            return &one;
    return nullptr;
}

std::optional<double> DrumMix::againstKickDb(LoopDrum which) const {
    const auto* kick = drum(LoopDrum::Kick);
    const auto* other = drum(which);
    if (kick == nullptr || other == nullptr)
        return std::nullopt;
    return other->levelDb - kick->levelDb;
}

DrumMix describeDrumMix(const measure::FileTrails& trails, double lufs) {
    DrumMix mix;
    mix.lufs = lufs;
    measure::HitInput input{"mix", Role::Loop, {}, 0};
    input.arrivals = &trails.arrivals;
    for (const auto& channel : trails.channels)
        if (input.channels.size() < 2)
            input.channels.push_back(&channel);
    if (input.channels.empty())
        return mix;
    const auto hits = measure::findKitHits(std::span(&input, 1));
    mix.tempo = measure::findTempo(measure::playedNotes(hits));
    std::array<std::vector<double>, measure::kLoopDrums> levels;
    std::array<std::vector<double>, measure::kLoopDrums> clearLevels; // of strokes that stand out
    std::array<std::vector<double>, measure::kLoopDrums> times;
    std::vector<LoneStroke> all;
    for (const auto& stroke : hits.strokes) {
        const auto name = measure::loopDrumName(hits.kit.drums[static_cast<std::size_t>(stroke.drum)]);
        const auto drum = measure::loopDrumFromName(name);
        if (!drum)
            continue;
        levels[static_cast<std::size_t>(*drum)].push_back(stroke.levelDb);
        times[static_cast<std::size_t>(*drum)].push_back(stroke.timeS);
        all.push_back({*drum, stroke.timeS, stroke.levelDb});
    }
    for (const auto& stroke : all)
        if (isClear(stroke, all))
            clearLevels[static_cast<std::size_t>(stroke.drum)].push_back(stroke.levelDb);
    for (std::size_t d = 0; d < measure::kLoopDrums; ++d)
        if (clearLevels[d].size() >= kFewestClear) // what is struck together is heard together
            levels[d] = clearLevels[d];
    for (std::size_t d = 0; d < measure::kLoopDrums; ++d)
        if (!levels[d].empty())
            mix.drums.push_back({static_cast<LoopDrum>(d), static_cast<int>(times[d].size()),
                                 medianOfLouderHalf(levels[d]) - lufs, patternOf(times[d], mix.tempo)});
    mix.alone = loneStrokes(all);
    return mix;
}

Result<DrumMix> describeDrumMix(const session::Session& session, const graph::SourceLookup& sources,
                                Frames from, Frames frames, const CancelToken& cancel,
                                const ProgressFn& progress) {
    measure::IntegratedLoudness loudness(session.sampleRateHz, 2);
    std::array meters{measure::BandTrailMeter(session.sampleRateHz),
                      measure::BandTrailMeter(session.sampleRateHz)};
    graph::RenderOptions options;
    options.from = from;
    options.frames = frames;
    const auto status = graph::renderOffline(
        session, sources, options,
        [&](int, std::span<const float> sound) -> Status {
            loudness.add(sound);
            meters[0].add(sound, 2);
            meters[1].add(sound.subspan(1), 2);
            return Done{};
        },
        cancel, progress);
    if (!status)
        return status.error();
    measure::FileTrails trails;
    trails.channels = {meters[0].take(), meters[1].take()};
    trails.arrivals = measure::findArrivals(
        std::array{&std::as_const(trails.channels[0]), &std::as_const(trails.channels[1])});
    return describeDrumMix(trails, loudness.lufs());
}

} // namespace cask::kit
