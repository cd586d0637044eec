#include "core/measure/gate/gate_track.h"

#include "core/dsp/eq_design.h"
#include "core/dsp/gate.h"
#include "core/dsp/kernels.h"

#include <algorithm>
#include <cmath>

namespace cask::measure {
namespace {

constexpr std::size_t kBlock = 4096;

bool hasSameDetector(const dsp::GateSettings& a, const dsp::GateSettings& b) {
    return a.lowCutHz == b.lowCutHz && a.highCutHz == b.highCutHz && a.cutSlopeDbPerOct == b.cutSlopeDbPerOct;
}

bool hasSamePart(const dsp::GateSettings& a, const dsp::GateSettings& b) {
    return a.reach == b.reach &&
           (a.reach == dsp::GateReach::All || (a.fromHz == b.fromHz && a.toHz == b.toHz));
}

/// The channels after some sections.
std::vector<std::vector<float>> filtered(const std::vector<std::vector<float>>& channels,
                                         const std::vector<dsp::SvfCoefficients>& sections) {
    auto bank = dsp::makeBank(static_cast<int>(sections.size()));
    for (std::size_t i = 0; i < sections.size(); ++i)
        for (int lane = 0; lane < dsp::kLanes; ++lane)
            dsp::setTarget(bank.sections[i], lane, sections[i]);
    dsp::settle(bank);
    const std::size_t frames = channels.front().size();
    std::vector<std::vector<float>> out(channels.size(), std::vector<float>(frames));
    dsp::LaneBuffer lanes(kBlock * dsp::kLanes);
    for (std::size_t at = 0; at < frames; at += kBlock) {
        const std::size_t count = std::min(kBlock, frames - at);
        for (std::size_t c = 0; c < channels.size(); ++c)
            for (std::size_t n = 0; n < count; ++n)
                lanes[n * dsp::kLanes + c] = channels[c][at + n];
        dsp::kernels().filter(bank, lanes.data(), static_cast<int>(count));
        for (std::size_t c = 0; c < channels.size(); ++c)
            for (std::size_t n = 0; n < count; ++n)
                out[c][at + n] = lanes[n * dsp::kLanes + c];
    }
    return out;
}

/// The louder of the channels at each frame, after the filter that the running gate has.
std::vector<float> filteredKey(const std::vector<std::vector<float>>& channels,
                               const dsp::GateSettings& settings, double rateHz) {
    const auto sections = dsp::designDetectorFilter(settings, rateHz);
    std::vector<float> out(channels.front().size());
    const auto addLouder = [&](const std::vector<std::vector<float>>& sound) {
        for (const auto& channel : sound)
            for (std::size_t n = 0; n < out.size(); ++n)
                out[n] = std::max(out[n], std::abs(channel[n]));
    };
    addLouder(sections.empty() ? channels : filtered(channels, sections));
    return out;
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
    m_exact.detector =
        filteredKey(m_material->key.empty() ? m_material->sound : m_material->key, s, m_material->rateHz);
}

void GateTracks::preparePart(const dsp::GateSettings& s) {
    if (m_hasPart && hasSamePart(s, m_partOf))
        return;
    const dsp::DenormalGuard flush;
    m_partOf = s;
    m_hasPart = true;
    m_coarse.isFresh = m_rough.isFresh = false;
    m_isPartSound = s.reach == dsp::GateReach::All;
    m_part = m_isPartSound ? std::vector<std::vector<float>>()
                           : filtered(m_material->sound, designPart(s, m_material->rateHz));
    m_exact.energy.assign(m_material->frames(), 0.0F);
    for (const auto& part : m_isPartSound ? m_material->sound : m_part)
        for (std::size_t n = 0; n < part.size(); ++n)
            m_exact.energy[n] += part[n] * part[n];
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
    for (std::size_t c = 0; c < cells; ++c) {
        const std::size_t from = c * size;
        const std::size_t to = std::min(from + size, fine.cells());
        float greatest = 0;
        float squares = 0;
        float energy = 0;
        for (std::size_t n = from; n < to; ++n) {
            greatest = std::max(greatest, fine.detector[n]);
            squares += fine.detector[n] * fine.detector[n];
            energy += fine.energy[n];
        }
        in.track.detector[c] = settings.detector == dsp::GateDetector::Peak
                                   ? greatest
                                   : std::sqrt(squares / static_cast<float>(to - from));
        in.track.energy[c] = energy;
    }
    return in.track;
}

} // namespace cask::measure
