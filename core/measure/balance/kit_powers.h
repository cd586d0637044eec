// How strong each drum of a kit is in all channels at once, by the loudness of its own strokes: what any
// levels and pans make of it follows without listening again.
#pragma once

#include <core/base/role.h>
#include <core/base/units.h>
#include <core/dsp/kernels.h>
#include <span>
#include <vector>

namespace cask::measure {

/// A stroke of a drum, session time.
struct BalanceStroke {
    int drum = 0;
    double timeS = 0;
    double levelDb = 0;    ///< in the drum's first microphone
    bool isCounted = true; ///< no ghost: the drum's loudness goes by it
};

/// For each drum the mean products of all pairs of channels, K-weighted (ITU-R BS.1770), over 400 ms from a
/// middling own stroke on, with the drum's next strokes in it and those of others taken out.
class KitPowers {
  public:
    KitPowers() = default;
    KitPowers(int drums, int channels)
        : m_drums(drums), m_channels(channels),
          m_products(static_cast<std::size_t>(drums) * static_cast<std::size_t>(channels * channels), 0.0),
          m_windows(static_cast<std::size_t>(drums), 0) {}

    [[nodiscard]] int drums() const { return m_drums; }
    [[nodiscard]] int channels() const { return m_channels; }
    /// Full scale squared.
    [[nodiscard]] double product(int drum, int first, int second) const {
        return m_products[place(drum, first, second)];
    }
    void setProduct(int drum, int first, int second, double value) {
        m_products[place(drum, first, second)] = m_products[place(drum, second, first)] = value;
    }
    /// Strokes that were looked at; without any nothing is known of the drum.
    [[nodiscard]] int strokes(int drum) const { return m_windows[static_cast<std::size_t>(drum)]; }
    void setStrokes(int drum, int count) { m_windows[static_cast<std::size_t>(drum)] = count; }

    /// Mean square of the sum of all channels, each by its gain (linear), of one drum alone.
    [[nodiscard]] double power(int drum, std::span<const double> gains) const;

  private:
    [[nodiscard]] std::size_t place(int drum, int first, int second) const {
        return static_cast<std::size_t>((drum * m_channels + first) * m_channels + second);
    }
    int m_drums = 0;
    int m_channels = 0;
    std::vector<double> m_products;
    std::vector<int> m_windows;
};

/// Listens to all channels of a take, block by block, and takes the drums apart.
///
/// What short stretches (20 ms) hold is explained as a sum of drums: each stroke adds, by its level, what its
/// drum has in its first 20 ms, the next 20, 40, 80 ms and so on, the same after every stroke. These parts
/// are what is looked for. Of each channel's powers they are parted as counts are; of products of two
/// channels they are least squares over all stretches, each weighed by the powers of both. Stretches that
/// hold far more than is explained - a cymbal that nobody counts - tell less.
class KitPowerMeter {
  public:
    /// `roles`: of the drums. Of each drum at most 48 counted strokes are looked at, evenly over the take.
    KitPowerMeter(double rateHz, std::vector<Role> roles, std::vector<BalanceStroke> strokes, int channels);
    /// The next frames of every channel. All spans are of one length.
    void add(std::span<const std::span<const float>> channels);
    /// What was heard until now.
    [[nodiscard]] KitPowers powers() const;

    static constexpr double kWindowS = 0.4;

  private:
    struct Stretch {
        Frames from = 0;
        std::vector<float> products; ///< sums over its frames; upper triangle
    };
    struct Window {
        int drum = 0;
        double fromS = 0;
    };
    void gather(Stretch& stretch, std::ptrdiff_t from, std::ptrdiff_t to) const;
    [[nodiscard]] std::size_t pairs() const {
        return static_cast<std::size_t>(m_channels) * static_cast<std::size_t>(m_channels + 1) / 2;
    }

    double m_rateHz;
    std::vector<Role> m_roles;
    std::vector<BalanceStroke> m_strokes;
    std::vector<double> m_middleDb; ///< of counted strokes, by drum
    int m_channels;
    Frames m_stretchFrames = 1;
    std::vector<Window> m_windows;
    std::vector<Stretch> m_stretches; ///< by beginning
    std::size_t m_firstOpen = 0;      ///< of the stretches
    Frames m_at = 0;
    std::vector<dsp::SectionBank> m_filters; ///< eight channels each
    std::vector<std::vector<float>> m_heard; ///< filtered block, by channel
    dsp::LaneBuffer m_piece;
};

} // namespace cask::measure
