// Several sounds that play together, each muted in turn: who would be missed, and who acts as one with whom.
#pragma once

#include <cstddef>
#include <memory>
#include <span>
#include <vector>

namespace cask::measure {

struct CrowdPart {
    /// What the sum loses without it while it plays, in the third of an octave that loses most, dB; 0 and 0
    /// of silence.
    double mostLostDb = 0;
    double mostLostHz = 0;
    /// The one whose level moves most like its own, and the correlation of both levels; -1: there is no
    /// other.
    int likest = -1;
    double likeness = 0;
    bool isSilent = false;
};

/// Fed block by block. It plays where its level is within kPlaysDb of its greatest (a microphone holds spill
/// the rest of the time); thirds in which the sum has next to nothing then (kCountsDb under its strongest) do
/// not count.
class CrowdMeter {
  public:
    static constexpr double kPlaysDb = 15;
    static constexpr double kCountsDb = 50;

    CrowdMeter(double rateHz, std::size_t sounds);
    ~CrowdMeter();
    CrowdMeter(CrowdMeter&&) noexcept;
    CrowdMeter& operator=(CrowdMeter&&) noexcept;

    /// The next frames of a sound, interleaved stereo; all sounds get as many in the end.
    void add(std::size_t sound, std::span<const float> interleaved);
    [[nodiscard]] std::vector<CrowdPart> parts();

  private:
    struct Impl;
    std::unique_ptr<Impl> m_impl;
};

} // namespace cask::measure
