#include "core/measure/tone/fine_spectrum.h"

#include "core/base/units.h"
#include "core/measure/statistics.h"

#include <algorithm>
#include <cmath>

namespace cask::measure {
namespace {

constexpr double kHighestHz = 5000;

} // namespace

std::size_t FineSpectrum::sizeFor(double rateHz) {
    std::size_t size = 32768;
    while (static_cast<double>(size) < 0.68 * rateHz) // bins of 1.5 Hz at most
        size *= 2;
    return size;
}

bool FineSpectrum::add(const HitMaterial& m, double fromS, double lengthS, std::vector<double>& power) {
    constexpr double kShortestS = 0.025;
    const auto from = static_cast<std::size_t>(fromS * m_rateHz);
    if (fromS < 0 || lengthS < kShortestS || from >= m.frames())
        return false;
    const std::size_t count =
        std::min({static_cast<std::size_t>(lengthS * m_rateHz), m.frames() - from, m_fft.size()});
    power.resize(bins(), 0);
    m_piece.resize(count);
    const double weight = 1 / static_cast<double>(count);
    for (const auto& channel : m.sound) {
        for (std::size_t n = 0; n < count; ++n)
            m_piece[n] = static_cast<float>(0.5 - 0.5 * std::cos(2 * kPi * static_cast<double>(n) /
                                                                 static_cast<double>(count))) *
                         channel[from + n];
        const auto spectrum = m_fft.forward(m_piece);
        for (std::size_t k = 0; k < power.size(); ++k)
            power[k] += weight * std::norm(spectrum[k]);
    }
    return true;
}

std::vector<float> inDb(const std::vector<double>& power) {
    std::vector<float> db(power.size());
    for (std::size_t k = 0; k < db.size(); ++k)
        db[k] = static_cast<float>(powerToDb(power[k] + 1e-30));
    return db;
}

/// Median level from a share below a bin to as much above.
double aroundDb(const std::vector<float>& db, double bin, double ratio) {
    const auto low = static_cast<std::size_t>(std::max(1.0, bin / ratio));
    const auto high = std::min(db.size() - 1, static_cast<std::size_t>(bin * ratio) + 1);
    return median(std::vector<float>(db.begin() + static_cast<std::ptrdiff_t>(low),
                                     db.begin() + static_cast<std::ptrdiff_t>(high)));
}

/// Local maxima that stand out, strongest first; of two that are nearer than the window can tell apart the
/// stronger.
std::vector<SpectrumPeak> peaksOf(const std::vector<float>& db, double binHz, double apartHz, double fromHz,
                                  double outDb) {
    std::vector<SpectrumPeak> all;
    const auto last = std::min(db.size() - 1, static_cast<std::size_t>(kHighestHz / binHz));
    for (auto k = static_cast<std::size_t>(std::max(2.0, fromHz / binHz)); k < last; ++k) {
        if (db[k] <= db[k - 1] || db[k] < db[k + 1])
            continue;
        const double curve = db[k - 1] - 2 * db[k] + db[k + 1];
        const double shift = curve < 0 ? 0.5 * (db[k - 1] - db[k + 1]) / curve : 0;
        const double bin = static_cast<double>(k) + shift;
        if (db[k] - aroundDb(db, bin, kAround) >= outDb)
            all.push_back({bin, db[k]});
    }
    std::sort(all.begin(), all.end(),
              [](const SpectrumPeak& a, const SpectrumPeak& b) { return a.db > b.db; });
    std::vector<SpectrumPeak> peaks;
    for (const auto& p : all)
        if (std::none_of(peaks.begin(), peaks.end(),
                         [&](const SpectrumPeak& q) { return std::abs(p.bin - q.bin) * binHz < apartHz; }))
            peaks.push_back(p);
    return peaks;
}

/// Whether a hit's own spectrum has its greatest level near a frequency right there.
bool isThere(const std::vector<float>& db, double binHz, double hz, double shareHz, double outDb) {
    const auto low = static_cast<std::size_t>(std::max(1.0, hz / 1.15 / binHz));
    const auto high = std::min(db.size() - 1, static_cast<std::size_t>(hz * 1.15 / binHz) + 1);
    const auto top = std::max_element(db.begin() + static_cast<std::ptrdiff_t>(low),
                                      db.begin() + static_cast<std::ptrdiff_t>(high));
    const double at = static_cast<double>(top - db.begin());
    return std::abs(at * binHz - hz) <= std::max(shareHz * hz, 1.5 * binHz) &&
           *top - aroundDb(db, at, kAround) >= outDb;
}

} // namespace cask::measure
