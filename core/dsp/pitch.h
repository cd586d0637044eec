// Shift in pitch, of what may come late.
#pragma once

#include <core/dsp/eq_settings.h>
#include <core/dsp/lane.h>
#include <memory>
#include <vector>

namespace cask::dsp {

struct PitchSettings {
    double cents = 0; ///< not 0
    friend bool operator==(const PitchSettings&, const PitchSettings&) = default;
};

/// The pitch shifters of a group of lanes: the finer engine of the Rubber Band library (its quicker one does
/// not shift by less than about a semitone), in its real-time form, both sides of a pair together. It is
/// right to a hundredth of a cent; each hit may come a few milliseconds early or late, for the library moves
/// what it repeats or leaves out. It costs more than all else in a chain, in bursts: play with buffers of 512
/// frames or more. What is played depends on where playing began, if only in its phases.
class PitchLanes {
  public:
    using Settings = PitchSettings;

    /// The same for every shift.
    [[nodiscard]] static int latencyFrames(const Settings& settings, double sampleRateHz);
    [[nodiscard]] static std::vector<EqBand> detectorBands(const Settings& /*settings*/) { return {}; }

    explicit PitchLanes(double sampleRateHz);
    PitchLanes(const PitchLanes&) = delete;
    PitchLanes& operator=(const PitchLanes&) = delete;
    ~PitchLanes();
    /// Allocates.
    void place(int lane, int lanes, const Settings& settings, bool isOn, int waitFrames);
    void prepare() {}
    /// A shift stays as it was placed.
    void set(int /*lane*/, const Settings& /*settings*/, bool /*isOn*/, int /*glideFrames*/) noexcept {}
    void reset() noexcept;
    /// What is on its way stays with the library.
    void copyLanes(int /*lane*/, const PitchLanes& /*from*/, int /*fromLane*/, int /*lanes*/) noexcept {}
    /// In place. RT: no lock; the library allocates nothing while it runs.
    void process(const float* heard, float* io, int frames) noexcept;

    /// Whether what is heard must not be io.
    [[nodiscard]] static constexpr bool hearsApart() { return false; }

  private:
    class Shifter;
    double m_rateHz;
    std::vector<std::unique_ptr<Shifter>> m_shifters;
};

} // namespace cask::dsp
