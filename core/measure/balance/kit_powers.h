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

/// Loudness of the mean squares of both sides, LUFS (ITU-R BS.1770, without its gates); kSilenceDb at none.
[[nodiscard]] double lufsOf(double meanSquares);

/// Listens to all channels of a take, block by block, and takes the drums apart.
///
/// What stretches of 400 ms from strokes on hold is explained as a sum of drums: each stroke in it adds the
/// drum's products by its level and by how much of its decay lies in the stretch. Each channel's powers are
/// parted among the drums as counts are; products of two channels are least squares over all stretches, each
/// weighed by the powers of both.
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
    struct Window {
        int drum = 0;
        Frames from = 0, to = 0;
        std::vector<double> products; ///< sums over its frames; upper triangle
    };
    /// Strokes of each drum in a stretch, in strokes of middling level.
    [[nodiscard]] std::vector<double> strokesIn(const Window& window) const;
    void gather(Window& window, std::ptrdiff_t from, std::ptrdiff_t to) const;
    [[nodiscard]] std::size_t pairs() const {
        return static_cast<std::size_t>(m_channels) * static_cast<std::size_t>(m_channels + 1) / 2;
    }

    double m_rateHz;
    std::vector<Role> m_roles;
    std::vector<BalanceStroke> m_strokes;
    std::vector<double> m_middleDb; ///< of counted strokes, by drum
    int m_channels;
    std::vector<Window> m_windows; ///< by beginning
    Frames m_at = 0;
    std::vector<dsp::SectionBank> m_filters; ///< eight channels each
    std::vector<std::vector<float>> m_heard; ///< filtered block, by channel
    dsp::LaneBuffer m_piece;
};

} // namespace cask::measure
