#include "core/kit_measures/path_sound.h"

#include "core/graph/offline_render.h"
#include "core/measure/integrated_loudness.h"
#include "core/session/edits.h"

#include <algorithm>
#include <cmath>

namespace cask::kit {

using session::Id;
using session::Session;

Result<PathSound> pathSound(const Session& session, Id path, const graph::SourceLookup& sources, Frames from,
                            Frames frames, const CancelToken& cancel) {
    const auto* bus = session.bus(path);
    if (bus == nullptr || !bus->path)
        return Error{ErrorCode::BadValue, "There is no such parallel path."};
    Session s = session;
    for (auto& item : s.elements)
        item.edit([](session::Element& e) { e.out.isAlone = false; });
    for (auto& item : s.buses)
        item.edit([&](session::Bus& b) {
            b.out.isAlone = false;
            if (b.path)
                b.path->isEqualGain = false;
            if (b.id == path) {
                b.out.isMuted = false;
                b.path->isInverted = false;
            }
        });
    graph::RenderOptions options;
    options.stems = {bus->path->of, path};
    options.from = from;
    options.frames = frames;
    PathSound sound;
    sound.dry.resize(2);
    sound.wet.resize(2);
    const auto status = graph::renderOffline(
        s, sources, options,
        [&](int track, std::span<const float> block) -> Status {
            auto& to = track == 1 ? sound.dry : sound.wet;
            for (std::size_t n = 0; track > 0 && n < block.size(); ++n)
                to[n % 2].push_back(block[n]);
            return Done{};
        },
        cancel);
    if (!status)
        return status.error();
    for (auto* side : {&sound.dry, &sound.wet})
        for (auto& channel : *side)
            channel.resize(static_cast<std::size_t>(frames), 0.0F);
    return sound;
}

namespace {

/// Loudness of the dry sound with some wet added, and of both alone.
struct Loudness {
    double dry, wet, sum;
};

Loudness loudnessOf(const PathSound& sound, double wetGain, double rateHz) {
    constexpr std::size_t kPiece = 256;
    measure::LaneLoudness meter(rateHz);
    dsp::LaneBuffer lanes(kPiece * dsp::kLanes);
    const auto gain = static_cast<float>(wetGain);
    const std::size_t frames = sound.dry[0].size();
    for (std::size_t at = 0; at < frames; at += kPiece) {
        const std::size_t n = std::min(kPiece, frames - at);
        for (std::size_t i = 0; i < n; ++i)
            for (std::size_t side = 0; side < 2; ++side) {
                const float d = sound.dry[side][at + i];
                const float w = sound.wet[side][at + i];
                float* const frame = lanes.data() + i * dsp::kLanes;
                frame[side] = d;
                frame[2 + side] = w;
                frame[4 + side] = d + gain * w;
            }
        meter.add(lanes.data(), static_cast<int>(n));
    }
    return {meter.lufs(0, 2), meter.lufs(2, 2), meter.lufs(4, 2)};
}

} // namespace

std::optional<PathMatch> matchOf(const PathSound& sound, double wetLevelDb, bool isInverted, double rateHz) {
    const auto apart = loudnessOf(sound, 0, rateHz);
    if (apart.dry <= kSilenceDb || apart.wet <= kSilenceDb)
        return std::nullopt;
    const double sign = isInverted ? -1 : 1;
    const auto both = loudnessOf(sound, sign * dbToLinear(apart.dry - apart.wet), rateHz);
    PathMatch match;
    match.likeness = std::clamp(sign * (dbToPower(both.sum - apart.dry) / 2 - 1), -1.0, 1.0);
    match.matchDb = apart.dry - apart.wet + wetLevelDb;
    match.wetLevelDb = wetLevelDb;
    return match;
}

Result<PathMatch> measurePathMatch(const Session& s, Id path, const graph::SourceLookup& sources,
                                   const CancelToken& cancel) {
    constexpr double kMostS = 120;
    const Frames all = s.lengthFrames();
    const Frames frames = std::min(all, secondsToFrames(kMostS, s.sampleRateHz));
    const auto sound = pathSound(s, path, sources, (all - frames) / 2, frames, cancel);
    if (!sound)
        return sound.error();
    const auto& bus = *s.bus(path);
    const auto match = matchOf(*sound, bus.out.levelDb, bus.path->isInverted, s.sampleRateHz);
    if (!match)
        return Error{ErrorCode::BadValue,
                     "The path or what it stands beside is silent; nothing was matched."};
    return *match;
}

} // namespace cask::kit
