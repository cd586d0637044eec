// A move of an equaliser whose gain follows the level of its own band.
#pragma once

#include <core/dsp/dynamic_bank.h>
#include <core/dsp/eq_settings.h>
#include <core/dsp/section_design.h>
#include <functional>
#include <vector>

namespace cask::dsp {

/// What a state-variable filter remembers.
struct SvfState {
    double s1 = 0;
    double s2 = 0;
};

/// All that a dynamic band needs to run, designed ahead.
struct DynamicBandDesign {
    EqBand band;      ///< with the amount in its gain and its range
    bool isOn = true; ///< off, it passes the sound bit for bit
    /// From the resting gain to that at the end of the range, in equal steps of half a dB at most.
    std::vector<DynamicStep> steps;
    SvfCoefficients detector; ///< of a shelf; of a bell run twice
};

/// Designs a band's section at a rate; a cache may stand in for designBand().
using SectionDesigner = std::function<SvfCoefficients(const EqBand& band, double sampleRateHz)>;

/// REQUIRES: band.isDynamic().
[[nodiscard]] DynamicBandDesign designDynamicBand(const EqBand& band, double amountPercent, bool isOn,
                                                  double sampleRateHz, const SectionDesigner& design = {});

/// What a dynamic band adds to its gain while its band stays at a level: the law without its times, dB.
[[nodiscard]] double dynamicGainDb(const EqBand& band, double levelDb);

/// The level of a band over time: the amplitude that a sine at its centre (inside a shelf) would have. A bell
/// hears two band-passes of its own width (a third of an octave at least) in a row, and takes the second
/// one's two states as a pair a quarter of a wave apart; a shelf hears what is on its side of the corner, 12
/// dB an octave, and holds the greatest for half a wave of the lowest tone.
class BandLevel {
  public:
    /// Allocates.
    void prepare(double sampleRateHz);
    void set(const DynamicBandDesign& design, double sampleRateHz) noexcept;
    void reset() noexcept;
    /// Square of the level. RT: no alloc.
    [[nodiscard]] double next(double x) noexcept;

    /// The time of a shelf is counted in cells of so many frames.
    static constexpr int kCell = 16;
    [[nodiscard]] static int cellsOf(const EqBand& band, double sampleRateHz) noexcept;

  private:
    [[nodiscard]] double greatest(double square) noexcept;

    FilterKind m_kind = FilterKind::Bell;
    SvfCoefficients m_filter;
    double m_damping = 1;
    SvfState m_first;
    SvfState m_second;
    std::vector<double> m_cells; ///< greatest square of the last pieces of kCell frames
    int m_cellCount = 1;         ///< that are looked at
    int m_cell = 0;
    int m_inCell = 0;
    double m_now = 0;     ///< greatest of the piece that goes on
    double m_earlier = 0; ///< greatest of the pieces before
};

} // namespace cask::dsp
