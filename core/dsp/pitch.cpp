#include "core/dsp/pitch.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <rubberband/RubberBandStretcher.h>

namespace cask::dsp {
namespace {

constexpr int kMostSides = 2;
constexpr int kChunk = 128;          // frames that the library gets at a time, however long a block is
constexpr long long kRing = 1 << 15; // frames that wait at the most, at any rate
constexpr int kLateFrames = 8192;    // at up to 48 kHz: its windows, and the longest it was seen to hold back

} // namespace

/// One pair, or one channel.
class PitchLanes::Shifter {
  public:
    using Library = RubberBand::RubberBandStretcher;

    Shifter(int lane, int lanes, double cents, double rateHz)
        : m_lane(lane), m_lanes(lanes), m_late(latencyFrames({cents}, rateHz)),
          m_library(static_cast<std::size_t>(std::lround(rateHz)), static_cast<std::size_t>(lanes),
                    Library::OptionProcessRealTime | Library::OptionEngineFiner |
                        Library::OptionPitchHighConsistency | Library::OptionChannelsTogether,
                    1, std::exp2(cents / 1200)) {
        m_library.setMaxProcessSize(kChunk);
        for (int side = 0; side < lanes; ++side)
            m_rings[static_cast<std::size_t>(side)].resize(static_cast<std::size_t>(kRing));
        reset();
    }

    void reset() noexcept {
        m_library.reset();
        m_filled = 0;
        m_written = -static_cast<long long>(m_library.getStartDelay());
        m_read = -m_late;
        for (auto& side : m_in)
            side.fill(0);
        for (auto left = static_cast<int>(m_library.getPreferredStartPad()); left > 0; left -= kChunk)
            give(std::min(left, kChunk));
    }

    void process(float* io, int frames) noexcept {
        for (int n = 0; n < frames; ++n, io += kLanes) {
            for (int side = 0; side < m_lanes; ++side) {
                const auto s = static_cast<std::size_t>(side);
                m_in[s][static_cast<std::size_t>(m_filled)] = io[m_lane + side];
                const bool isThere = m_read >= 0 && m_read < m_written;
                io[m_lane + side] = isThere ? m_rings[s][static_cast<std::size_t>(m_read % kRing)] : 0;
            }
            ++m_read;
            if (++m_filled == kChunk) {
                give(kChunk);
                m_filled = 0;
            }
        }
    }

  private:
    void give(int frames) noexcept {
        std::array<const float*, kMostSides> in{m_in[0].data(), m_in[1].data()};
        m_library.process(in.data(), static_cast<std::size_t>(frames), false);
        std::array<float, kChunk> left;
        std::array<float, kChunk> right;
        std::array<float*, kMostSides> out{left.data(), right.data()};
        while (m_library.available() > 0) {
            const auto got = m_library.retrieve(
                out.data(), static_cast<std::size_t>(std::min(m_library.available(), kChunk)));
            if (got == 0)
                return;
            for (std::size_t n = 0; n < got; ++n, ++m_written)
                for (int side = 0; side < m_lanes && m_written >= 0; ++side)
                    m_rings[static_cast<std::size_t>(side)][static_cast<std::size_t>(m_written % kRing)] =
                        out[static_cast<std::size_t>(side)][n];
        }
    }

    int m_lane;
    int m_lanes;
    int m_late;
    Library m_library;
    std::array<std::array<float, kChunk>, kMostSides> m_in{};
    int m_filled = 0;
    std::array<std::vector<float>, kMostSides> m_rings;
    long long m_written = 0; ///< frame of the sound that comes out of the library next
    long long m_read = 0;    ///< frame of the sound that goes out next
};

int PitchLanes::latencyFrames(const Settings& /*settings*/, double sampleRateHz) {
    return kLateFrames * std::max(1, static_cast<int>(std::lround(sampleRateHz / 48000)));
}

PitchLanes::PitchLanes(double sampleRateHz) : m_rateHz(sampleRateHz) {}
PitchLanes::~PitchLanes() = default;

void PitchLanes::place(int lane, int lanes, const Settings& settings, bool /*isOn*/, int /*waitFrames*/) {
    m_shifters.push_back(std::make_unique<Shifter>(lane, lanes, settings.cents, m_rateHz));
}

void PitchLanes::reset() noexcept {
    for (auto& shifter : m_shifters)
        shifter->reset();
}

void PitchLanes::process(const float* /*heard*/, float* io, int frames) noexcept {
    for (auto& shifter : m_shifters)
        shifter->process(io, frames);
}

} // namespace cask::dsp
