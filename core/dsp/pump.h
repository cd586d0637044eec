// Pump: a gain that is drawn over a note value and locked to the grid of the take.
#pragma once

#include <core/base/units.h>
#include <core/dsp/beat_grid.h>
#include <core/dsp/eq_settings.h>
#include <core/dsp/kernels.h>
#include <core/dsp/pump_settings.h>
#include <vector>

namespace cask::dsp {

/// The drawn gain of one note, in dB, over and over.
///
/// Law. Between its points the gain moves by straight lines in dB; before the first point it is the first's,
/// after the last one the last's. Of it the mean over the smoothing is taken, half before and half after, so
/// that nothing comes late.
class PumpCurve {
  public:
    PumpCurve() : PumpCurve(PumpSettings{}) {}
    explicit PumpCurve(const PumpSettings& settings) noexcept;
    /// Gain in dB at a place of the note (0 to 1), with the mean over a width of it (0 to 1). RT: no alloc.
    [[nodiscard]] double gainDb(double place, double width) const noexcept;
    friend bool operator==(const PumpCurve&, const PumpCurve&) = default;

  private:
    /// Of the openness from the start of the note to a place in it.
    [[nodiscard]] double sumTo(double place) const noexcept;
    [[nodiscard]] double openAt(double place) const noexcept;

    double m_depthDb;
    int m_count = 0;
    // With a point of the first's openness at 0 and one of the last's at 1.
    std::array<double, kMostPumpPoints + 2> m_place{};
    std::array<double, kMostPumpPoints + 2> m_open{};
    std::array<double, kMostPumpPoints + 2> m_sum{};
};

/// The gain at a frame of the runner, dB; 0 without a grid. RT: no alloc, no lock.
[[nodiscard]] double pumpGainDb(const PumpSettings& settings, const PumpCurve& curve, double frame,
                                double sampleRateHz, std::size_t& near) noexcept;

/// The pumps of a group of lanes. They hear nothing: where they stand is told by standAt().
class PumpLanes {
  public:
    using Settings = PumpSettings;
    /// The gain is exact at every so manieth frame, and moves by straight lines between.
    static constexpr int kStep = 16;

    [[nodiscard]] static int latencyFrames(const Settings& /*settings*/, double /*sampleRateHz*/) {
        return 0;
    }
    [[nodiscard]] static std::vector<EqBand> detectorBands(const Settings& /*settings*/) { return {}; }

    explicit PumpLanes(double sampleRateHz) : m_rateHz(sampleRateHz) { m_shown.v.fill(1); }
    /// A module on a lane, or on it and the next. Call prepare() after the last one.
    void place(int lane, int lanes, const Settings& settings, bool isOn, int waitFrames);
    void prepare() { reset(); }

    /// Glides to other values. REQUIRES: the grid lives until others are set. RT: no alloc, no lock.
    void set(int lane, const Settings& settings, bool isOn, int glideFrames) noexcept;
    void reset() noexcept;
    /// Another's movement; set() lets it glide to this one's. RT: no alloc.
    void copyLanes(int lane, const PumpLanes& from, int fromLane, int lanes) noexcept;
    /// The frame of the runner that the next call begins with.
    void standAt(Frames frame) noexcept { m_frame = frame; }
    /// In place. RT: no alloc, no lock.
    void process(const float* heard, float* io, int frames) noexcept {
        processWith(kernels(), heard, io, frames);
    }
    void processWith(const Kernels& kernels, const float* heard, float* io, int frames) noexcept;

    [[nodiscard]] static constexpr bool hearsApart() { return false; }
    /// Gain (linear) of a lane at the end of the last call, for display.
    [[nodiscard]] float gainNow(int lane) const { return m_shown[lane]; }

  private:
    static constexpr Frames kNoStep = -1; // no multiple of kStep
    struct Lane {
        int lanes = 0; ///< of the module; 0: none, or the right one of a pair
        PumpCurve curve;
        PumpSettings settings; ///< without its points, which the curve has
        // What is added to the gain, less and less, so that it goes on where it was.
        float offset = 0;
        int glideFrames = 1;
        int glideLeft = 0;
        std::size_t near = 0;
        // The stretch of kStep frames that was found last.
        Frames stepStart = kNoStep;
        float gain = 1, nextGain = 1;
    };

    /// Without what is added in a glide.
    [[nodiscard]] float gainAt(Lane& lane, Frames frame) const noexcept;
    [[nodiscard]] static float addedTo(const Lane& lane) noexcept;
    [[nodiscard]] float drawnAt(Lane& lane, Frames frame) const noexcept;

    double m_rateHz;
    Frames m_frame = 0;
    std::array<Lane, kLanes> m_lanes;
    LaneFloats m_shown;
};

} // namespace cask::dsp
