#include "core/measure/punch/wish_run.h"

#include "core/dsp/compressor.h"
#include "core/dsp/eq_design.h"
#include "core/dsp/pump.h"
#include "core/dsp/transient.h"
#include "core/measure/punch/lane_feed.h"

#include <algorithm>
#include <memory>

namespace cask::measure {
namespace {

using dsp::kLanes;

constexpr int kBlock = LaneFeed::kBlock;

/// A sound on the lanes of so many ways.
LaneFeed feedOf(const WishSound& sound, std::size_t channels, std::size_t ways) {
    return LaneFeed(sound, channels, std::vector<std::ptrdiff_t>(ways, 0));
}

/// One module of all ways.
class Step {
  public:
    Step() = default;
    Step(const Step&) = delete;
    Step& operator=(const Step&) = delete;
    Step(Step&&) = delete;
    Step& operator=(Step&&) = delete;
    virtual ~Step() = default;
    /// `at`: frame of the material that comes in.
    virtual void process(std::ptrdiff_t at, float* io, int frames) = 0;
};

/// The filters of all lanes' detectors.
dsp::SectionBank detectorsOf(const std::vector<std::vector<dsp::EqBand>>& byLane, double rateHz) {
    std::vector<std::vector<dsp::SvfCoefficients>> lanes;
    std::size_t most = 0;
    for (const auto& bands : byLane) {
        auto& sections = lanes.emplace_back();
        for (const auto& band : bands)
            for (const auto& section : dsp::designBand(band, rateHz))
                sections.push_back(section);
        most = std::max(most, sections.size());
    }
    auto bank = dsp::makeBank(static_cast<int>(most));
    for (std::size_t lane = 0; lane < lanes.size(); ++lane)
        for (std::size_t i = 0; i < lanes[lane].size(); ++i)
            dsp::setTarget(bank.sections[i], static_cast<int>(lane), lanes[lane][i]);
    dsp::settle(bank);
    return bank;
}

template <class Lanes> class StepOf final : public Step {
  public:
    using Settings = typename Lanes::Settings;
    StepOf(const HitMaterial& m, const std::vector<Settings>& settings) : m_lanes(m.rateHz) {
        const std::size_t channels = m.sound.size();
        std::vector<std::vector<dsp::EqBand>> detectors;
        for (std::size_t i = 0; i < settings.size(); ++i) {
            m_lanes.place(static_cast<int>(i * channels), static_cast<int>(channels), settings[i], true, 0);
            for (std::size_t c = 0; c < channels; ++c)
                detectors.push_back(Lanes::detectorBands(settings[i]));
        }
        m_lanes.prepare();
        m_detector = detectorsOf(detectors, m.rateHz);
        if (!m.key.empty())
            m_key.emplace(feedOf(m.key, channels, settings.size()));
    }
    void process(std::ptrdiff_t at, float* io, int frames) override {
        constexpr bool kStands = requires(Lanes lanes) {
            lanes.standAt(0);
        }; // somewhere in the take
        if constexpr (kStands)
            m_lanes.standAt(at);
        const bool isApart = m_key || !m_detector.sections.empty() || m_lanes.hearsApart();
        if (m_key)
            m_key->read(at, frames, m_heard.data());
        else if (isApart)
            std::copy_n(io, static_cast<std::ptrdiff_t>(frames) * kLanes, m_heard.begin());
        if (!m_detector.sections.empty())
            dsp::kernels().filter(m_detector, m_heard.data(), frames);
        m_lanes.process(isApart ? m_heard.data() : io, io, frames);
    }

  private:
    Lanes m_lanes;
    dsp::SectionBank m_detector;
    std::optional<LaneFeed> m_key;
    dsp::LaneBuffer m_heard = dsp::LaneBuffer(static_cast<std::size_t>(kBlock) * kLanes);
};

/// Limiters know no lanes: one for each way.
class LimiterStep final : public Step {
  public:
    LimiterStep(const HitMaterial& m, std::span<const WishWay> ways, std::size_t module)
        : m_channels(m.sound.size()), m_limiters(ways.size()) {
        for (std::size_t i = 0; i < ways.size(); ++i) {
            const auto& settings = std::get<dsp::LimiterSettings>(ways[i].modules[module]);
            m_limiters[i].prepare(m.rateHz, settings.lookAheadMs);
            m_limiters[i].set(settings);
        }
    }
    void process(std::ptrdiff_t /*at*/, float* io, int frames) override {
        for (std::size_t i = 0; i < m_limiters.size(); ++i) {
            float* left = io + i * m_channels;
            float* right = m_channels == 1 ? m_silence.data() : left + 1;
            m_limiters[i].process(left, right, kLanes, frames);
        }
    }

  private:
    std::size_t m_channels;
    std::vector<dsp::Limiter> m_limiters;
    dsp::LaneBuffer m_silence = dsp::LaneBuffer(static_cast<std::size_t>(kBlock) * kLanes);
};

template <class Lanes>
std::unique_ptr<Step> makeStep(const HitMaterial& m, std::span<const WishWay> ways, std::size_t module,
                               [[maybe_unused]] const dsp::BeatGrid& grid) {
    std::vector<typename Lanes::Settings> settings;
    for (const auto& way : ways)
        settings.push_back(std::get<typename Lanes::Settings>(way.modules[module]));
    if constexpr (std::is_same_v<Lanes, dsp::PumpLanes>)
        for (auto& pump : settings)
            pump.grid = grid.isKnown() ? &grid : nullptr;
    return std::make_unique<StepOf<Lanes>>(m, settings);
}

std::ptrdiff_t latencyFrames(const WishModule& module, double rateHz) {
    if (const auto* limiter = std::get_if<dsp::LimiterSettings>(&module))
        return dsp::Limiter::latencyFrames(*limiter, rateHz);
    const auto* c = std::get_if<dsp::CompressorSettings>(&module);
    return c == nullptr ? 0 : dsp::compressorLatency(*c, rateHz);
}

} // namespace

std::ptrdiff_t latencyFrames(const WishWay& way, double rateHz) {
    std::ptrdiff_t frames = 0;
    for (const auto& module : way.modules)
        frames += latencyFrames(module, rateHz);
    return frames;
}

void runWays(const HitMaterial& m, std::span<const WishWay> ways, const LanesOut& out,
             const CancelToken& cancel) {
    if (ways.empty() || m.frames() == 0)
        return;
    dsp::BeatGrid grid;
    for (const double atS : m.beatsS)
        grid.beatFrames.push_back((atS - m.startS) * m.rateHz);
    std::vector<std::unique_ptr<Step>> steps;
    std::vector<std::ptrdiff_t> waits; // of what comes to each step
    std::ptrdiff_t wait = 0;
    for (std::size_t module = 0; module < ways.front().modules.size(); ++module) {
        const WishModule& kind = ways.front().modules[module];
        waits.push_back(wait);
        wait += latencyFrames(kind, m.rateHz);
        steps.push_back(std::holds_alternative<dsp::CompressorSettings>(kind)
                            ? makeStep<dsp::CompressorLanes>(m, ways, module, grid)
                        : std::holds_alternative<dsp::TransientSettings>(kind)
                            ? makeStep<dsp::TransientLanes>(m, ways, module, grid)
                        : std::holds_alternative<dsp::LimiterSettings>(kind)
                            ? std::make_unique<LimiterStep>(m, ways, module)
                            : makeStep<dsp::PumpLanes>(m, ways, module, grid));
    }
    LaneFeed feed = feedOf(m.sound, m.sound.size(), ways.size());
    dsp::LaneBuffer io(static_cast<std::size_t>(kBlock) * kLanes);
    const dsp::DenormalGuard flush;
    const auto frames = static_cast<std::ptrdiff_t>(m.frames());
    for (std::ptrdiff_t at = 0; at < frames + wait && !cancel.isCancelled(); at += kBlock) {
        const auto count = static_cast<int>(std::min<std::ptrdiff_t>(kBlock, frames + wait - at));
        feed.read(at, count, io.data());
        for (std::size_t i = 0; i < steps.size(); ++i)
            steps[i]->process(at - waits[i], io.data(), count);
        // What comes before the sound does is left out.
        const std::ptrdiff_t early = std::clamp<std::ptrdiff_t>(wait - at, 0, count);
        if (early < count)
            out(static_cast<std::size_t>(at + early - wait), io.data() + early * kLanes,
                count - static_cast<int>(early));
    }
}

void runSound(const WishSound& sound, const LanesOut& out) {
    if (sound.empty())
        return;
    LaneFeed feed = feedOf(sound, sound.size(), 1);
    dsp::LaneBuffer lanes(static_cast<std::size_t>(kBlock) * kLanes);
    const std::size_t frames = sound.front().size();
    for (std::size_t at = 0; at < frames; at += kBlock) {
        const auto count = static_cast<int>(std::min<std::size_t>(kBlock, frames - at));
        feed.read(static_cast<std::ptrdiff_t>(at), count, lanes.data());
        out(at, lanes.data(), count);
    }
}

void waysTogether(std::span<const WishWay> ways, std::size_t channels, double rateHz,
                  const std::function<void(std::size_t from, std::size_t to)>& run) {
    const std::size_t atOnce = kLanes / std::max<std::size_t>(1, channels);
    for (std::size_t from = 0; from < ways.size();) {
        const auto late = latencyFrames(ways[from], rateHz);
        std::size_t to = from + 1;
        while (to < std::min(ways.size(), from + atOnce) && ways[to].id == ways[from].id &&
               latencyFrames(ways[to], rateHz) == late)
            ++to;
        run(from, to);
        from = to;
    }
}

std::vector<WishSound> soundsBehind(const HitMaterial& m, const std::vector<WishWay>& ways,
                                    const CancelToken& cancel) {
    if (m.frames() == 0)
        return std::vector<WishSound>(ways.size(), m.sound);
    const std::size_t channels = m.sound.size();
    std::vector<WishSound> all(ways.size(), WishSound(channels, std::vector<float>(m.frames())));
    waysTogether(ways, channels, m.rateHz, [&](std::size_t from, std::size_t to) {
        runWays(
            m, std::span(ways).subspan(from, to - from),
            [&](std::size_t at, const float* lanes, int frames) {
                for (std::size_t i = from; i < to; ++i)
                    for (std::size_t c = 0; c < channels; ++c)
                        for (int n = 0; n < frames; ++n)
                            all[i][c][at + static_cast<std::size_t>(n)] =
                                lanes[static_cast<std::size_t>(n) * kLanes + (i - from) * channels + c];
            },
            cancel);
    });
    return all;
}

} // namespace cask::measure
