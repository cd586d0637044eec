#include "core/layers/prepared_sound.h"

#include "core/dsp/layer_filter.h"
#include "core/media/resampler.h"

#include <algorithm>
#include <cmath>
#include <rubberband/RubberBandStretcher.h>

namespace cask::layers {
namespace {

using measure::Sound;

Frames framesOf(double ms, double rateHz) {
    return static_cast<Frames>(std::llround(ms * 0.001 * rateHz));
}

void cut(PreparedSound& p, const Layer& layer, double rateHz) {
    const auto length = static_cast<Frames>(p.sound.front().size());
    const Frames from = std::clamp<Frames>(framesOf(layer.startMs, rateHz), 0, length);
    const Frames to =
        layer.endMs > 0 ? std::clamp<Frames>(framesOf(layer.endMs, rateHz), from, length) : length;
    for (auto& channel : p.sound) {
        channel.resize(static_cast<std::size_t>(to));
        channel.erase(channel.begin(), channel.begin() + from);
    }
    p.transient -= from;
}

/// As if it were played faster: an octave up is half as long.
Status pitchByRate(PreparedSound& p, double factor, double rateHz) {
    for (auto& channel : p.sound) {
        auto resampler = media::Resampler::create(rateHz * factor, rateHz, 1);
        if (!resampler)
            return resampler.error();
        std::vector<float> out;
        for (const auto& some : {std::span<const float>(channel), std::span<const float>()}) {
            const auto piece = resampler->process(some);
            out.insert(out.end(), piece.begin(), piece.end());
        }
        channel = std::move(out);
    }
    p.transient = static_cast<Frames>(std::llround(static_cast<double>(p.transient) / factor));
    return Done{};
}

/// A sound as `length` frames, its pitch moved by a factor.
Sound stretched(const Sound& sound, std::size_t length, double pitch, double rateHz) {
    using Stretcher = RubberBand::RubberBandStretcher;
    const std::size_t before = sound.front().size();
    Stretcher stretcher(static_cast<std::size_t>(rateHz), sound.size(),
                        Stretcher::OptionProcessOffline | Stretcher::OptionEngineFiner |
                            Stretcher::OptionChannelsTogether,
                        static_cast<double>(length) / static_cast<double>(before), pitch);
    std::vector<const float*> in;
    for (const auto& channel : sound)
        in.push_back(channel.data());
    stretcher.setExpectedInputDuration(before);
    stretcher.setMaxProcessSize(before);
    stretcher.study(in.data(), before, true);
    stretcher.process(in.data(), before, true);
    Sound made(sound.size(), std::vector<float>(length));
    std::vector<float*> out(sound.size());
    for (std::size_t done = 0; done < length;) {
        const int ready = stretcher.available();
        if (ready <= 0)
            break;
        const auto some = std::min(static_cast<std::size_t>(ready), length - done);
        for (std::size_t c = 0; c < out.size(); ++c)
            out[c] = made[c].data() + done;
        done += stretcher.retrieve(out.data(), some);
    }
    return made;
}

/// A raised cosine from 0 to 1.
float rising(Frames n, Frames length) {
    return static_cast<float>(
        0.5 - 0.5 * std::cos(kPi * (static_cast<double>(n) + 0.5) / static_cast<double>(length)));
}

/// The attack stays as it is, to the frame; only what comes behind it is made longer or shorter.
void stretchTail(PreparedSound& p, double ratio, Frames strikeFrame, double rateHz) {
    const auto length = static_cast<Frames>(p.sound.front().size());
    const auto wanted = std::max<Frames>(1, std::llround(ratio * static_cast<double>(length)));
    const Frames join = framesOf(kStretchJoinMs, rateHz);
    const Frames attack = std::max<Frames>(0, strikeFrame) + framesOf(kStretchAttackMs, rateHz);
    if (attack + 2 * join >= std::min(length, wanted)) { // nothing is left that could be stretched
        for (auto& channel : p.sound)
            channel.resize(static_cast<std::size_t>(wanted), 0.0F);
        return;
    }
    Sound tail;
    for (const auto& channel : p.sound)
        tail.emplace_back(channel.begin() + attack, channel.end());
    tail = stretched(tail, static_cast<std::size_t>(wanted - attack), 1, rateHz);
    for (std::size_t c = 0; c < p.sound.size(); ++c) {
        auto& channel = p.sound[c];
        for (Frames n = 0; n < join; ++n) {
            const float share = rising(n, join);
            float& next = tail[c][static_cast<std::size_t>(n)];
            next = share * next + (1 - share) * channel[static_cast<std::size_t>(attack + n)];
        }
        channel.resize(static_cast<std::size_t>(attack));
        channel.insert(channel.end(), tail[c].begin(), tail[c].end());
    }
}

void filter(PreparedSound& p, const Layer& layer, double rateHz) {
    const auto pass = [&](dsp::FilterKind kind, double hz, double driveDb) {
        dsp::LayerFilter filters(rateHz, dsp::Oversampling::Eight);
        for (std::size_t c = 0; c < p.sound.size(); ++c)
            filters.set(static_cast<int>(c),
                        {kind, std::clamp(hz, 5.0, 0.49 * rateHz), 24, layer.resonanceDb, driveDb});
        filters.reset();
        const auto late = static_cast<std::size_t>(filters.latencyFrames());
        const std::size_t length = p.sound.front().size();
        dsp::LaneBuffer io((length + late) * dsp::kLanes);
        for (std::size_t c = 0; c < p.sound.size(); ++c)
            for (std::size_t n = 0; n < length; ++n)
                io[n * dsp::kLanes + c] = p.sound[c][n];
        filters.process(io.data(), static_cast<int>(length + late));
        for (std::size_t c = 0; c < p.sound.size(); ++c)
            for (std::size_t n = 0; n < length; ++n)
                p.sound[c][n] = io[(n + late) * dsp::kLanes + c];
    };
    if (layer.lowCutHz > 0)
        pass(dsp::FilterKind::HighPass, layer.lowCutHz, layer.driveDb);
    if (layer.highCutHz > 0)
        pass(dsp::FilterKind::LowPass, layer.highCutHz, layer.lowCutHz > 0 ? 0 : layer.driveDb);
    if (layer.lowCutHz <= 0 && layer.highCutHz <= 0 && layer.driveDb > 0)
        pass(dsp::FilterKind::LowPass, 0.49 * rateHz, layer.driveDb); // a drive without cuts
}

void fade(PreparedSound& p, const Layer& layer, double rateHz) {
    const auto length = static_cast<Frames>(p.sound.front().size());
    const Frames in = std::min(length, framesOf(layer.fadeInMs, rateHz));
    const Frames out = std::min(length, framesOf(layer.fadeOutMs, rateHz));
    const Frames hold = std::max<Frames>(0, p.transient) + framesOf(layer.holdMs, rateHz);
    for (auto& channel : p.sound) {
        for (Frames n = 0; n < in; ++n)
            channel[static_cast<std::size_t>(n)] *= rising(n, in);
        if (layer.decayMs > 0)
            for (Frames n = hold; n < length; ++n)
                channel[static_cast<std::size_t>(n)] *= static_cast<float>(
                    std::pow(10, -3 * static_cast<double>(n - hold) / (layer.decayMs * 0.001 * rateHz)));
        for (Frames n = 0; n < out; ++n)
            channel[static_cast<std::size_t>(length - 1 - n)] *= rising(n, out);
    }
}

} // namespace

Result<PreparedSound> prepareSound(const OneShot& shot, const Layer& layer) {
    PreparedSound p{shot.sound, shot.transient};
    cut(p, layer, shot.rateHz);
    if (p.sound.front().empty())
        return p;
    const double factor = std::exp2(layer.pitchCents / 1200);
    if (layer.pitchCents != 0) {
        if (layer.keepsLength)
            p.sound = stretched(p.sound, p.sound.front().size(), factor, shot.rateHz);
        else if (const auto done = pitchByRate(p, factor, shot.rateHz); !done)
            return done.error();
    }
    if (layer.lengthPercent != 100)
        stretchTail(p, 0.01 * layer.lengthPercent,
                    layer.atTransient ? p.transient : framesOf(layer.leadMs, shot.rateHz), shot.rateHz);
    filter(p, layer, shot.rateHz);
    fade(p, layer, shot.rateHz);
    return p;
}

} // namespace cask::layers
