// What is heard a pulse and a bar before and after a rise: drums repeat themselves.
#pragma once

#include <array>
#include <cstddef>
#include <span>
#include <vector>

namespace cask::measure {

/// How sure a drum is struck at an instant, 0 to 1.
struct TimedShare {
    double timeS = 0;
    float share = 0;
};

/// The distances at which each voice, and all together, repeat best, by autocorrelation on a grid of 10 ms.
class Rhythm {
  public:
    /// One list of shares for each drum, in any order.
    explicit Rhythm(std::span<const std::vector<TimedShare>> voices);
    /// Mean share of a voice one pulse (0.09 to 1.05 s) before and after an instant, two of them, and one and
    /// two bars (1 to 4.2 s); 0.3 where the take is too short to tell.
    [[nodiscard]] std::array<float, 3> around(std::size_t voice, double timeS) const;

  private:
    using Grid = std::vector<float>;
    [[nodiscard]] long stepOf(double timeS) const;

    double m_startS = 0;
    std::vector<Grid> m_grids;
    std::vector<long> m_pulses; ///< by voice, steps
    long m_bar = 0;
};

} // namespace cask::measure
