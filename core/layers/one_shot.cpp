#include "core/layers/one_shot.h"

#include "core/measure/stack/one_shot_alignment.h"
#include "core/media/audio_reader.h"
#include "core/media/resampler.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace cask::layers {

Result<OneShot> readOneShot(const std::filesystem::path& file, double rateHz) {
    auto reader = media::AudioReader::open(file);
    if (!reader)
        return reader.error();
    const auto& info = reader->info();
    const double ownHz = info.sampleRateHz;
    const auto all = static_cast<std::size_t>(info.channels);
    const int channels = std::min(2, info.channels);
    const auto most = secondsToFrames(kLongestOneShotS, ownHz);
    std::vector<float> interleaved; // of the channels that are kept
    std::vector<float> piece(16384 * all);
    for (Frames read = 0; (read = reader->read(piece)) > 0;) {
        for (std::size_t n = 0; n < static_cast<std::size_t>(read); ++n)
            for (int c = 0; c < channels; ++c)
                interleaved.push_back(piece[n * all + static_cast<std::size_t>(c)]);
        if (static_cast<Frames>(interleaved.size()) > most * channels)
            return Error{ErrorCode::BadValue, fmt::format("{} is longer than {:.0f} s, so it is no one-shot.",
                                                          file.string(), kLongestOneShotS)};
    }
    if (const auto state = reader->state(); !state)
        return state.error();
    OneShot shot;
    shot.rateHz = rateHz > 0 ? rateHz : ownHz;
    shot.fileRateHz = ownHz;
    if (shot.rateHz != ownHz) {
        auto resampler = media::Resampler::create(ownHz, shot.rateHz, channels);
        if (!resampler)
            return resampler.error();
        std::vector<float> converted;
        for (const auto& some : {std::span<const float>(interleaved), std::span<const float>()}) {
            const auto out = resampler->process(some);
            converted.insert(converted.end(), out.begin(), out.end());
        }
        interleaved = std::move(converted);
    }
    const auto kept = static_cast<std::size_t>(channels);
    const std::size_t frames = interleaved.size() / kept;
    if (frames == 0)
        return Error{ErrorCode::Empty, fmt::format("{} has no sound in it.", file.string())};
    shot.sound.assign(kept, std::vector<float>(frames));
    for (std::size_t c = 0; c < kept; ++c)
        for (std::size_t n = 0; n < frames; ++n)
            shot.sound[c][n] = interleaved[n * kept + c];
    shot.transient = transientOf(shot.sound, shot.rateHz);
    return shot;
}

Frames transientOf(const measure::Sound& sound, double rateHz) {
    const auto mono = measure::monoOf(sound);
    const auto onset = measure::oneShotOnset(mono, rateHz);
    if (!onset)
        return 0;
    const auto levelAt = [&](std::size_t n) {
        float most = 0;
        for (const auto& channel : sound)
            most = std::max(most, std::fabs(channel[n]));
        return most;
    };
    constexpr double kBeforeS = 0.001; // the onset's own windows are that long at the most
    float peak = 0;
    for (std::size_t n = 0; n < mono.size(); ++n)
        peak = std::max(peak, levelAt(n));
    const auto first = static_cast<std::size_t>(std::max(0.0, (*onset - kBeforeS) * rateHz));
    const float least = peak * static_cast<float>(dbToLinear(-34));
    for (std::size_t n = first; n < mono.size(); ++n)
        if (levelAt(n) >= least)
            return static_cast<Frames>(n);
    return secondsToFrames(*onset, rateHz);
}

} // namespace cask::layers
