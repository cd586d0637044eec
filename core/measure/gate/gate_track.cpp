#include "core/measure/gate/gate_track.h"

#include "core/dsp/eq_design.h"
#include "core/dsp/gate_lanes.h"
#include "core/dsp/kernels.h"

#include <algorithm>
#include <cmath>

namespace cask::measure {
namespace {

constexpr std::ptrdiff_t kBlock = 4096;

bool hasSameDetector(const dsp::GateSettings& a, const dsp::GateSettings& b) {
    return a.lowCutHz == b.lowCutHz && a.highCutHz == b.highCutHz && a.cutSlopeDbPerOct == b.cutSlopeDbPerOct;
}

bool hasSamePart(const dsp::GateSettings& a, const dsp::GateSettings& b) {
    return a.reach == b.reach &&
           (a.reach == dsp::GateReach::All || (a.fromHz == b.fromHz && a.toHz == b.toHz));
}

/// Calls take(channel, frame, value) for what some sections leave of the channels. A long sound is filtered
/// in pieces side by side, each begun so early that its filters have forgotten how (-120 dB at 11 Hz).
template <class Take>
void filterChannels(const std::vector<std::vector<float>>& channels,
                    const std::vector<dsp::SvfCoefficients>& sections, double rateHz, const Take& take) {
    const auto frames = static_cast<std::ptrdiff_t>(channels.front().size());
    const auto second = static_cast<std::ptrdiff_t>(rateHz);
    const auto count = static_cast<std::ptrdiff_t>(channels.size());
    const std::ptrdiff_t pieces = frames > 32 * second ? dsp::kLanes / count : 1;
    const std::ptrdiff_t early = pieces > 1 ? second : 0;
    const std::ptrdiff_t length = (frames + pieces - 1) / pieces;
    auto bank = dsp::makeBank(static_cast<int>(sections.size()));
    for (std::size_t i = 0; i < sections.size(); ++i)
        for (int lane = 0; lane < dsp::kLanes; ++lane)
            dsp::setTarget(bank.sections[i], lane, sections[i]);
    dsp::settle(bank);
    dsp::LaneBuffer lanes(kBlock * dsp::kLanes);
    for (std::ptrdiff_t at = -early; at < length; at += kBlock) {
        const std::ptrdiff_t block = std::min<std::ptrdiff_t>(kBlock, length - at);
        std::fill(lanes.begin(), lanes.end(), 0.0F);
        // act(channel, its frame, place among the lanes) for all frames from `first` of the block on
        const auto each = [&](std::ptrdiff_t first, const auto& act) {
            for (std::ptrdiff_t lane = 0; lane < pieces * count; ++lane) {
                const std::ptrdiff_t start = lane / count * length + at;
                const std::ptrdiff_t end = std::min(block, frames - start);
                for (std::ptrdiff_t n = std::max(first, -start); n < end; ++n)
                    act(static_cast<std::size_t>(lane % count), static_cast<std::size_t>(start + n),
                        static_cast<std::size_t>(n * dsp::kLanes + lane));
            }
        };
        each(0,
             [&](std::size_t c, std::size_t frame, std::size_t place) { lanes[place] = channels[c][frame]; });
        dsp::kernels().filter(bank, lanes.data(), static_cast<int>(block));
        each(std::max<std::ptrdiff_t>(0, -at),
             [&](std::size_t c, std::size_t frame, std::size_t place) { take(c, frame, lanes[place]); });
    }
}

/// The louder of the channels at each frame, after the filter that the running gate has.
void filterKey(const std::vector<std::vector<float>>& channels, const dsp::GateSettings& settings,
               double rateHz, std::vector<float>& out) {
    const auto sections = dsp::designDetectorFilter(settings, rateHz);
    out.resize(channels.front().size());
    const auto takeLouder = [&](std::size_t c, std::size_t n, float x) {
        out[n] = c == 0 ? std::abs(x) : std::max(out[n], std::abs(x));
    };
    if (!sections.empty()) {
        filterChannels(channels, sections, rateHz, takeLouder);
        return;
    }
    for (std::size_t c = 0; c < channels.size(); ++c)
        for (std::size_t n = 0; n < out.size(); ++n)
            takeLouder(c, n, channels[c][n]);
}

/// What lies in the reach: 24 dB an octave, as steep as the gate's own part filter. Not what the gate would
/// take away: that is turned in phase against the rest, and its level says little about what is left.
std::vector<dsp::SvfCoefficients> designPart(const dsp::GateSettings& s, double rateHz) {
    std::vector<dsp::SvfCoefficients> sections;
    const auto add = [&](dsp::FilterKind kind, double hz) {
        dsp::EqBand band;
        band.kind = kind;
        band.frequencyHz = hz;
        band.slopeDbPerOct = 12;
        for (int twice = 0; twice < 2; ++twice) // Linkwitz-Riley: the parts on both sides sum flat
            for (const auto& c : dsp::designBand(band, rateHz))
                sections.push_back(c);
    };
    if (s.reach != dsp::GateReach::Below)
        add(dsp::FilterKind::HighPass,
            s.reach == dsp::GateReach::Between ? std::min(s.fromHz, s.toHz) : s.fromHz);
    if (s.reach != dsp::GateReach::Above)
        add(dsp::FilterKind::LowPass,
            s.reach == dsp::GateReach::Between ? std::max(s.fromHz, s.toHz) : s.toHz);
    return sections;
}

} // namespace

std::size_t GateTrack::at(double timeS) const {
    if (cells() == 0)
        return 0;
    const double place = std::floor((timeS - startS) * rateHz + 1e-6);
    return static_cast<std::size_t>(std::clamp(place, 0.0, static_cast<double>(cells() - 1)));
}

void GateTracks::prepareDetector(const dsp::GateSettings& s) {
    if (m_hasDetector && hasSameDetector(s, m_detectorOf))
        return;
    const dsp::DenormalGuard flush;
    m_detectorOf = s;
    m_hasDetector = true;
    m_coarse.isFresh = m_rough.isFresh = false;
    m_exact.cell = 1;
    m_exact.rateHz = m_material->rateHz;
    m_exact.startS = m_material->startS;
    filterKey(m_material->key.empty() ? m_material->sound : m_material->key, s, m_material->rateHz,
              m_exact.detector);
}

void GateTracks::preparePart(const dsp::GateSettings& s) {
    if (m_hasPart && hasSamePart(s, m_partOf))
        return;
    const dsp::DenormalGuard flush;
    m_partOf = s;
    m_hasPart = true;
    m_coarse.isFresh = m_rough.isFresh = false;
    m_isPartSound = s.reach == dsp::GateReach::All;
    const auto& sound = m_material->sound;
    m_exact.energy.resize(m_material->frames());
    const auto add = [&](std::size_t c, std::size_t n, float x) {
        m_exact.energy[n] = c == 0 ? x * x : m_exact.energy[n] + x * x;
    };
    if (m_isPartSound) {
        m_part.clear();
        for (std::size_t c = 0; c < sound.size(); ++c)
            for (std::size_t n = 0; n < sound[c].size(); ++n)
                add(c, n, sound[c][n]);
        return;
    }
    m_part.resize(sound.size());
    for (auto& channel : m_part)
        channel.resize(m_material->frames());
    filterChannels(sound, designPart(s, m_material->rateHz), m_material->rateHz,
                   [&](std::size_t c, std::size_t n, float x) {
                       m_part[c][n] = x;
                       add(c, n, x);
                   });
}

std::span<const float> GateTracks::part(const dsp::GateSettings& settings, std::size_t channel) {
    preparePart(settings);
    return m_isPartSound ? m_material->sound[channel] : m_part[channel];
}

const GateTrack& GateTracks::exact(const dsp::GateSettings& settings) {
    prepareDetector(settings);
    preparePart(settings);
    return m_exact;
}

const GateTrack& GateTracks::inCells(Cells& in, int frames, const dsp::GateSettings& settings) {
    const GateTrack& fine = exact(settings);
    if (in.isFresh && in.kind == settings.detector)
        return in.track;
    in.isFresh = true;
    in.kind = settings.detector;
    const auto size = static_cast<std::size_t>(frames);
    const std::size_t cells = (fine.cells() + size - 1) / size;
    in.track.cell = frames;
    in.track.rateHz = fine.rateHz / frames;
    in.track.startS = fine.startS;
    in.track.detector.assign(cells, 0.0F);
    in.track.energy.assign(cells, 0.0F);
    const bool isPeak = settings.detector == dsp::GateDetector::Peak;
    for (std::size_t c = 0; c < cells; ++c) {
        const std::size_t from = c * size;
        const std::size_t to = std::min(from + size, fine.cells());
        float level = 0;
        if (isPeak)
            for (std::size_t n = from; n < to; ++n)
                level = std::max(level, fine.detector[n]);
        else
            for (std::size_t n = from; n < to; ++n)
                level += fine.detector[n] * fine.detector[n];
        float energy = 0;
        for (std::size_t n = from; n < to; ++n)
            energy += fine.energy[n];
        in.track.detector[c] = isPeak ? level : std::sqrt(level / static_cast<float>(to - from));
        in.track.energy[c] = energy;
    }
    return in.track;
}

} // namespace cask::measure
