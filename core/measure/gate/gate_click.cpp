#include "core/measure/gate/gate_click.h"

#include "core/base/units.h"

#include <algorithm>
#include <cmath>

namespace cask::measure {
namespace {

constexpr double kCornerHz = 4000;
constexpr double kBeforeS = 0.005; // the filter settles, and the edge may come before the onset
constexpr double kAfterS = 0.015;
constexpr double kHitS = 0.020;

/// Second-order Butterworth high-pass, bilinear.
class HighPass {
  public:
    explicit HighPass(double rateHz) {
        const double g = std::tan(kPi * std::min(kCornerHz, 0.4 * rateHz) / rateHz);
        m_c1 = 1 / (1 + g * (g + kDamping));
        m_c2 = g * m_c1;
        m_c3 = g * m_c2;
    }
    double next(double x) {
        const double v3 = x - m_s2;
        const double v1 = m_c1 * m_s1 + m_c2 * v3;
        const double v2 = m_s2 + m_c2 * m_s1 + m_c3 * v3;
        m_s1 = 2 * v1 - m_s1;
        m_s2 = 2 * v2 - m_s2;
        return x - kDamping * v1 - v2;
    }

  private:
    static constexpr double kDamping = 1.4142135623730951;
    double m_c1;
    double m_c2;
    double m_c3;
    double m_s1 = 0;
    double m_s2 = 0;
};

} // namespace

void measureClicks(std::span<const float> sound, const std::vector<float>& gain, std::size_t late,
                   const HitMaterial& m, GateReport& report) {
    const auto frames = [&](double s) { return static_cast<std::ptrdiff_t>(std::lround(s * m.rateHz)); };
    const auto size = static_cast<std::ptrdiff_t>(sound.size());
    for (std::size_t i = 0; i < m.hits.size(); ++i) {
        if (!m.hits[i].isOwn || !report.hits[i].opens)
            continue;
        const auto onset = frames(m.hits[i].timeS - m.startS);
        const auto from = std::clamp<std::ptrdiff_t>(onset - frames(kBeforeS), 0, size);
        const auto to = std::clamp<std::ptrdiff_t>(onset + frames(kAfterS), 0, size);
        HighPass after(m.rateHz);
        HighPass before(m.rateHz);
        double splattered = 0;
        double natural = 0;
        for (auto n = from; n < to; ++n) {
            const auto at = static_cast<std::size_t>(n);
            const double g = gain[std::min(at + late, gain.size() - 1)];
            const double x = sound[at];
            const double high = g * before.next(x);
            const double d = after.next(g * x) - high;
            splattered += d * d;
            natural += high * high;
        }
        double hit = 0;
        for (auto n = onset; n < std::min(size, onset + frames(kHitS)); ++n)
            hit += static_cast<double>(sound[static_cast<std::size_t>(std::max<std::ptrdiff_t>(n, 0))]) *
                   sound[static_cast<std::size_t>(std::max<std::ptrdiff_t>(n, 0))];
        if (hit > 0 && splattered > natural)
            report.hits[i].clickDb = powerToDb(splattered / hit + 1e-20);
    }
}

} // namespace cask::measure
