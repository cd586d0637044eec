// The dynamic bands of the equalisers of a group of lanes.
#pragma once

#include <core/dsp/dynamic_band.h>
#include <core/dsp/kernels.h>
#include <core/dsp/lane_delay.h>
#include <vector>

namespace cask::dsp {

/// The dynamic bands of one equaliser, in their order.
using DynamicBandDesigns = std::vector<DynamicBandDesign>;

/// Bands run in rows of at most one for each lane; all hear the sound as it comes, or their key. Pairs are
/// linked: the louder side moves both. The law of BandLevel and dynamicGainDb().
class DynamicLanes {
  public:
    using Settings = DynamicBandDesigns;

    [[nodiscard]] static int latencyFrames(const Settings& /*settings*/, double /*sampleRateHz*/) {
        return 0;
    }
    /// Allocates. Every lane passes what comes.
    explicit DynamicLanes(double sampleRateHz) : m_rateHz(sampleRateHz) {}
    /// An equaliser on a lane, or on it and the next. `waitFrames`: for a key that comes late. Bypass is in
    /// the designs. Call prepare() after the last one.
    void place(int lane, int lanes, const Settings& designs, bool isOn, int waitFrames);
    /// Allocates what the placed bands need.
    void prepare();

    /// Other designs of the same bands; the sections glide there. REQUIRES: the designs outlive their use,
    /// and those before live still. RT: no alloc, no lock.
    void set(int lane, const Settings& designs, bool isOn, int glideFrames) noexcept;
    void reset() noexcept;
    /// Another's sound and movement, band by band of the same id; set() lets them glide to this one's.
    /// RT: no alloc. REQUIRES: made for the same rate; set() follows while the other's designs live.
    void copyLanes(int lane, const DynamicLanes& from, int fromLane, int lanes) noexcept;
    /// In place. Keyed bands hear `heard`, all others the sound itself. RT: no alloc, no lock.
    void process(const float* heard, float* io, int frames) noexcept {
        processWith(kernels(), heard, io, frames);
    }
    void processWith(const Kernels& kernels, const float* heard, float* io, int frames) noexcept;

    /// Whether what is heard must not be io.
    [[nodiscard]] static constexpr bool hearsApart() { return false; }
    /// What the level adds to a band's gain at the end of the last call, dB; 0 when it is not one of these.
    [[nodiscard]] float movedDb(int band) const noexcept;

  private:
    struct Place {
        int band = 0; ///< id; 0: none
        bool isKeyed = false;
        float rangeDb = 0;
    };
    struct Row {
        DynamicBank bank;
        std::array<Place, kLanes> places{};
        bool hasKeys = false;
    };

    void setBand(Row& row, int lane, const DynamicBandDesign& design, int glideFrames) noexcept;

    double m_rateHz;
    std::vector<Row> m_rows;
    std::array<int, kLanes> m_lanes{}; ///< of the equaliser that begins there
    std::array<int, kLanes> m_waits{};
    LaneDelay m_delay;
    bool m_hasKeys = false;
    using Piece = std::array<float, static_cast<std::size_t>(DynamicBank::kPiece) * kLanes>;
    alignas(64) Piece m_own{};
    alignas(64) Piece m_keyed{};
};

} // namespace cask::dsp
