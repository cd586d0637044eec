#include "core/project/loudness_match.h"

#include "core/graph/offline_render.h"
#include "core/measure/integrated_loudness.h"

#include <algorithm>

namespace cask::project {
namespace {

Result<double> integratedLufs(const session::Session& s, const graph::SourceLookup& sources, Frames from,
                              Frames frames, const CancelToken& cancel, const ProgressFn& progress) {
    measure::IntegratedLoudness meter(s.sampleRateHz, 2);
    graph::RenderOptions options;
    options.from = from;
    options.frames = frames;
    const auto status = graph::renderOffline(
        s, sources, options,
        [&](int, std::span<const float> mix) -> Status {
            meter.add(mix);
            return Done{};
        },
        cancel, progress);
    if (!status)
        return status.error();
    return meter.lufs();
}

} // namespace

Result<LoudnessMatch> matchLoudness(const session::Session& first, const session::Session& second,
                                    const graph::SourceLookup& sources, Frames from, Frames frames,
                                    const CancelToken& cancel, const ProgressFn& progress) {
    const auto half = [&](double base) {
        return [&progress, base](double share) {
            if (progress)
                progress(base + share / 2);
        };
    };
    const auto a = integratedLufs(first, sources, from, frames, cancel, half(0));
    if (!a)
        return a.error();
    const auto b = integratedLufs(second, sources, from, frames, cancel, half(0.5));
    if (!b)
        return b.error();
    LoudnessMatch match{*a, *b, 0, 0};
    // Silence has no loudness to match.
    if (*a > -70 && *b > -70) {
        match.firstGainDb = std::min(0.0, *b - *a);
        match.secondGainDb = std::min(0.0, *a - *b);
    }
    return match;
}

} // namespace cask::project
