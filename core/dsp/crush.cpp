#include "core/dsp/crush.h"

#include "core/dsp/eq_design.h"

#include <algorithm>
#include <cmath>
#include <cstdint>

namespace cask::dsp {
namespace {

constexpr int kSections = 4; // of 48 dB an octave
constexpr double kSlope = 48;
constexpr double kCorner = 0.45; // of the rate

/// Evenly spread from -1/2 to 1/2, by the bits of a number alone (the finaliser of SplitMix64).
float spread(std::uint64_t n) {
    n += 0x9e3779b97f4a7c15ULL;
    n = (n ^ (n >> 30U)) * 0xbf58476d1ce4e5b9ULL;
    n = (n ^ (n >> 27U)) * 0x94d049bb133111ebULL;
    n ^= n >> 31U;
    return static_cast<float>(n >> 40U) / static_cast<float>(1U << 24U) - 0.5F;
}

} // namespace

CrushLanes::CrushLanes(double sampleRateHz)
    : m_rateHz(sampleRateHz), m_before(makeBank(kSections)), m_after(makeBank(kSections)),
      m_crushed(static_cast<std::size_t>(kPiece) * kLanes) {}

void CrushLanes::place(int lane, int lanes, const Settings& s, bool isOn, int /*waitFrames*/) {
    for (int l = lane; l < lane + lanes; ++l) {
        Lane& at = m_lanes[static_cast<std::size_t>(l)];
        at = {l == lane ? lanes : 0,
              l - lane,
              s.rateHz >= Settings::kMostRateHz ? 1 : std::min(1.0, s.rateHz / m_rateHz),
              s.bits >= Settings::kMostBits ? 0 : static_cast<float>(std::exp2(1 - s.bits)),
              s.isDithered,
              true};
        if (!s.isFiltered || at.step == 1)
            continue;
        m_isFiltered = true;
        EqBand band;
        band.kind = FilterKind::LowPass;
        band.frequencyHz = kCorner * s.rateHz;
        band.slopeDbPerOct = kSlope;
        std::size_t i = 0;
        for (const auto& section : designBand(band, m_rateHz)) {
            setTarget(m_before.sections[i], l, section);
            setTarget(m_after.sections[i++], l, section);
        }
    }
    settle(m_before);
    settle(m_after);
    set(lane, s, isOn, 0);
}

void CrushLanes::set(int lane, const Settings& s, bool isOn, int glideFrames) noexcept {
    for (int l = lane; l < lane + m_lanes[static_cast<std::size_t>(lane)].lanes; ++l) {
        m_glides.to.mix[l] = isOn ? static_cast<float>(s.mixPercent / 100) : 0.0F;
        m_glides.begin(l, glideFrames);
    }
}

void CrushLanes::reset() noexcept {
    m_glides.settle();
    m_held = LaneFloats{};
    for (SectionBank* bank : {&m_before, &m_after})
        for (auto& section : bank->sections)
            section.s1 = section.s2 = LaneFloats{};
}

void CrushLanes::copyLanes(int lane, const CrushLanes& from, int fromLane, int lanes) noexcept {
    for (int l = lane, f = fromLane; l < lane + lanes; ++l, ++f) {
        m_glides.copyLane(l, from.m_glides, f);
        m_held[l] = from.m_held[f];
        for (const auto bank : {&CrushLanes::m_before, &CrushLanes::m_after})
            for (std::size_t i = 0; i < kSections; ++i) {
                (this->*bank).sections[i].s1[l] = (from.*bank).sections[i].s1[f];
                (this->*bank).sections[i].s2[l] = (from.*bank).sections[i].s2[f];
            }
    }
}

void CrushLanes::crush(const Lane& lane, int at, float* sound, int frames) noexcept {
    float held = m_held[at];
    for (int n = 0; n < frames; ++n) {
        const auto frame = static_cast<double>(m_frame + n);
        float& x = sound[n * kLanes + at];
        if (lane.step < 1 && std::floor(frame * lane.step) == std::floor((frame - 1) * lane.step)) {
            x = held;
            continue;
        }
        if (lane.quantum > 0) {
            float steps = x / lane.quantum;
            if (lane.isDithered) {
                const auto seed =
                    static_cast<std::uint64_t>(m_frame + n) * 4 + static_cast<std::uint64_t>(lane.side) * 2;
                steps += spread(seed) + spread(seed + 1);
            }
            x = lane.quantum * std::nearbyint(steps);
        }
        held = x;
    }
    m_held[at] = held;
}

void CrushLanes::process(const float* /*heard*/, float* io, int frames) noexcept {
    for (int done = 0; done < frames;) {
        const int n = m_glides.isGliding() ? 1 : std::min(frames - done, kPiece);
        if (m_glides.isGliding())
            m_glides.step();
        float* const piece = io + static_cast<std::ptrdiff_t>(done) * kLanes;
        std::copy_n(piece, n * kLanes, m_crushed.data());
        if (m_isFiltered)
            kernels().filter(m_before, m_crushed.data(), n);
        for (int l = 0; l < kLanes; ++l)
            if (m_lanes[static_cast<std::size_t>(l)].isPlaced)
                crush(m_lanes[static_cast<std::size_t>(l)], l, m_crushed.data(), n);
        if (m_isFiltered)
            kernels().filter(m_after, m_crushed.data(), n);
        for (int i = 0; i < n * kLanes; ++i) {
            const float mix = m_glides.now.mix.v[static_cast<std::size_t>(i % kLanes)];
            piece[i] = (1 - mix) * piece[i] + mix * m_crushed[static_cast<std::size_t>(i)];
        }
        m_frame += n;
        done += n;
    }
}

} // namespace cask::dsp
