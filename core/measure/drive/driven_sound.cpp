#include "core/measure/drive/driven_sound.h"

#include "core/dsp/eq_design.h"
#include "core/measure/punch/lane_feed.h"

#include <algorithm>
#include <cmath>
#include <functional>

namespace cask::measure {
namespace {

/// Stretches side by side on the lanes, each begun so early that its filters have settled.
template <class Lanes>
Sound behind(const HitMaterial& m, const typename Lanes::Settings& settings, bool sideBySide,
             const CancelToken& cancel) {
    constexpr double kEarlyS = 0.25;
    const std::size_t channels = m.sound.size();
    const auto frames = static_cast<std::ptrdiff_t>(m.frames());
    const auto late = static_cast<std::ptrdiff_t>(Lanes::latencyFrames(settings, m.rateHz));
    const std::size_t count = sideBySide ? dsp::kLanes / channels : 1;
    const auto early = sideBySide ? static_cast<std::ptrdiff_t>(kEarlyS * m.rateHz) : 0;
    const std::ptrdiff_t each =
        (frames + static_cast<std::ptrdiff_t>(count) - 1) / static_cast<std::ptrdiff_t>(count);
    std::vector<std::ptrdiff_t> begins;
    Lanes lanes(m.rateHz);
    for (std::size_t i = 0; i < count; ++i) {
        begins.push_back(static_cast<std::ptrdiff_t>(i) * each - early);
        lanes.place(static_cast<int>(i * channels), static_cast<int>(channels), settings, true, 0);
    }
    lanes.prepare();
    LaneFeed feed(m.sound, channels, begins);
    Sound out(channels, std::vector<float>(m.frames(), 0.0F));
    const dsp::DenormalGuard flush;
    dsp::LaneBuffer io(static_cast<std::size_t>(LaneFeed::kBlock) * dsp::kLanes);
    const std::ptrdiff_t end = each + early + late;
    for (std::ptrdiff_t at = 0; at < end && !cancel.isCancelled(); at += LaneFeed::kBlock) {
        const auto n = static_cast<int>(std::min<std::ptrdiff_t>(LaneFeed::kBlock, end - at));
        feed.read(at, n, io.data());
        if constexpr (requires { lanes.standAt(Frames{}); })
            lanes.standAt(static_cast<Frames>(std::llround(m.startS * m.rateHz) + at));
        lanes.process(io.data(), io.data(), n);
        for (std::size_t i = 0; i < count; ++i)
            for (int k = 0; k < n; ++k) {
                const std::ptrdiff_t inStretch = at + k - early - late;
                const std::ptrdiff_t to = static_cast<std::ptrdiff_t>(i) * each + inStretch;
                if (inStretch < 0 || inStretch >= each || to >= frames)
                    continue;
                for (std::size_t c = 0; c < channels; ++c)
                    out[c][static_cast<std::size_t>(to)] =
                        io[static_cast<std::size_t>(k) * dsp::kLanes + i * channels + c];
            }
    }
    return out;
}

} // namespace

Sound drivenSound(const HitMaterial& m, const DriveSettings& settings, const CancelToken& cancel) {
    if (m.sound.empty() || m.frames() == 0)
        return {};
    if (const auto* saturation = std::get_if<dsp::SaturationSettings>(&settings))
        return behind<dsp::SaturationLanes>(m, *saturation, true, cancel);
    if (const auto* clipper = std::get_if<dsp::ClipperSettings>(&settings))
        return behind<dsp::ClipperLanes>(m, *clipper, true, cancel);
    // A resonance rings longer than a stretch could begin early.
    if (const auto* body = std::get_if<dsp::BodySettings>(&settings))
        return behind<dsp::ResonatorLanes>(m, *body, false, cancel);
    // What is held hangs on where the session stands.
    return behind<dsp::CrushLanes>(m, std::get<dsp::CrushSettings>(settings), false, cancel);
}

Sound resonanceOf(const HitMaterial& m, const dsp::BodySettings& settings, const CancelToken& cancel) {
    auto straight = settings;
    straight.driveDb = 0;
    Sound sound = drivenSound(m, straight, cancel);
    for (std::size_t c = 0; c < sound.size(); ++c)
        std::transform(sound[c].begin(), sound[c].end(), m.sound[c].begin(), sound[c].begin(),
                       std::minus<>());
    return sound;
}

Sound filteredSound(const Sound& sound, const dsp::EqBand& band, double rateHz) {
    const auto sections = dsp::designBand(band, rateHz);
    auto bank = dsp::makeBank(static_cast<int>(sections.size()));
    for (std::size_t i = 0; i < sections.size(); ++i)
        for (int l = 0; l < dsp::kLanes; ++l)
            dsp::setTarget(bank.sections[i], l, sections[i]);
    dsp::settle(bank);
    Sound out = sound;
    constexpr std::size_t kPiece = 1024;
    dsp::LaneBuffer io(kPiece * dsp::kLanes);
    for (std::size_t at = 0; !sound.empty() && at < sound[0].size(); at += kPiece) {
        const std::size_t n = std::min(kPiece, sound[0].size() - at);
        for (std::size_t c = 0; c < sound.size(); ++c)
            for (std::size_t i = 0; i < n; ++i)
                io[i * dsp::kLanes + c] = sound[c][at + i];
        dsp::kernels().filter(bank, io.data(), static_cast<int>(n));
        for (std::size_t c = 0; c < sound.size(); ++c)
            for (std::size_t i = 0; i < n; ++i)
                out[c][at + i] = io[i * dsp::kLanes + c];
    }
    return out;
}

HitMaterial sampleOf(const HitMaterial& m, int mostHits) {
    std::vector<std::size_t> own;
    for (std::size_t i = 0; i < m.hits.size(); ++i)
        if (m.hits[i].isOwn)
            own.push_back(i);
    HitMaterial sample;
    sample.rateHz = m.rateHz;
    sample.sound.resize(m.sound.size());
    if (own.empty() || m.sound.empty())
        return sample;
    const std::size_t step = std::max<std::size_t>(1, own.size() / static_cast<std::size_t>(mostHits));
    double takenUntilS = m.startS;
    for (std::size_t k = 0; k < own.size(); k += step) {
        const double hitS = m.hits[own[k]].timeS;
        const double fromS = std::max(takenUntilS, hitS - DriveSample::kBeforeS);
        double toS = std::min(hitS + DriveSample::kAfterS, m.endS());
        if (k + 1 < own.size())
            toS = std::min(toS, m.hits[own[k + 1]].timeS - DriveSample::kBeforeS);
        const auto from = static_cast<std::size_t>((fromS - m.startS) * m.rateHz);
        const auto to =
            std::min(m.frames(), static_cast<std::size_t>(std::max(0.0, toS - m.startS) * m.rateHz));
        if (to <= from)
            continue;
        const double movedS =
            static_cast<double>(sample.frames()) / m.rateHz - static_cast<double>(from) / m.rateHz - m.startS;
        for (std::size_t c = 0; c < m.sound.size(); ++c)
            sample.sound[c].insert(sample.sound[c].end(),
                                   m.sound[c].begin() + static_cast<std::ptrdiff_t>(from),
                                   m.sound[c].begin() + static_cast<std::ptrdiff_t>(to));
        for (auto hit : m.hits)
            if (hit.timeS >= fromS && hit.timeS < toS) {
                hit.timeS += movedS;
                sample.hits.push_back(hit);
            }
        takenUntilS = toS;
    }
    return sample;
}

} // namespace cask::measure
