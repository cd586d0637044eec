#include "core/measure/tone/own_spectrum.h"

#include "core/base/units.h"
#include "core/measure/real_fft.h"
#include "core/measure/statistics.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <memory>

namespace cask::measure {
namespace {

constexpr double kLongestS = 0.300;
constexpr double kAttackS = 0.020;
constexpr double kDecayFromS = 0.030;
constexpr double kNoiseS = 0.150;
constexpr double kQuietS = 0.400; // after any hit

/// Powers of windows of any length, averaged.
class Average {
  public:
    explicit Average(double rateHz)
        : m_rateHz(rateHz), m_fft(std::make_unique<RealFft>(sizeFor(rateHz))), m_power(m_fft->bins(), 0) {}

    /// `falls`: full at its start, where the onset is; else a Hann window.
    void add(const HitMaterial& m, double fromS, double lengthS, bool falls) {
        const auto from = static_cast<std::size_t>(std::max(0.0, fromS * m_rateHz));
        if (from >= m.frames())
            return;
        const std::size_t count =
            std::min({static_cast<std::size_t>(lengthS * m_rateHz), m.frames() - from, m_fft->size()});
        if (count < 16)
            return;
        m_piece.resize(count);
        double weight = 0;
        for (const auto& channel : m.sound) {
            weight = 0;
            for (std::size_t n = 0; n < count; ++n) {
                const double t = static_cast<double>(n) / static_cast<double>(count);
                const double w = falls ? 0.5 + 0.5 * std::cos(kPi * t) : 0.5 - 0.5 * std::cos(2 * kPi * t);
                weight += w * w;
                m_piece[n] = static_cast<float>(w) * channel[from + n];
            }
            // A full-scale sine gives size * weight / 4 over the bins of one side.
            const double scale = 4 / (weight * static_cast<double>(m_fft->size()));
            const auto spectrum = m_fft->forward(m_piece);
            for (std::size_t k = 0; k < m_power.size(); ++k)
                m_power[k] += scale * std::norm(spectrum[k]);
        }
        ++m_count;
    }
    [[nodiscard]] Spectrum result() const {
        if (m_count == 0)
            return {};
        return spectrumOf(m_power, m_rateHz / static_cast<double>(m_fft->size()), 1.0 / m_count);
    }

  private:
    static std::size_t sizeFor(double rateHz) {
        std::size_t size = 4096;
        while (static_cast<double>(size) < kLongestS * rateHz)
            size *= 2;
        return size;
    }
    double m_rateHz;
    std::unique_ptr<RealFft> m_fft; // so that averages can be moved
    std::vector<double> m_power;
    std::vector<float> m_piece;
    int m_count = 0;
};

/// Windows long after any hit, the quietest tenth of them.
Spectrum noiseOf(const HitMaterial& m) {
    std::vector<std::pair<float, double>> quiet; // energy, start
    double clearFromS = 0;
    const auto scan = [&](double untilS) {
        for (double t = clearFromS; t + kNoiseS < untilS; t += kNoiseS) {
            float energy = 0;
            for (const auto& channel : m.sound) {
                const auto from = static_cast<std::size_t>(t * m.rateHz);
                const auto to = std::min(channel.size(), from + static_cast<std::size_t>(kNoiseS * m.rateHz));
                for (std::size_t n = from; n < to; ++n)
                    energy += channel[n] * channel[n];
            }
            quiet.emplace_back(energy, t);
        }
    };
    for (const auto& hit : m.hits) {
        scan(hit.timeS - m.startS - 0.01);
        clearFromS = std::max(clearFromS, hit.timeS - m.startS + kQuietS);
    }
    scan(m.endS() - m.startS);
    std::sort(quiet.begin(), quiet.end());
    quiet.resize((quiet.size() + 9) / 10);
    Average average(m.rateHz);
    for (const auto& [energy, t] : quiet)
        average.add(m, t, kNoiseS, false);
    return average.result();
}

} // namespace

double energyChangeDb(const Spectrum& spectrum, const std::function<double(double hz)>& responseDb) {
    double before = 0;
    double after = 0;
    for (int i = 0; i < static_cast<int>(spectrum.bandDb.size()); ++i) {
        const double db = spectrum.bandDb[static_cast<std::size_t>(i)];
        before += std::pow(10.0, db / 10);
        after += std::pow(10.0, (db + responseDb(Spectrum::pointHz(i))) / 10);
    }
    return before > 0 ? powerToDb(after / before) : 0;
}

Spectrum meanSpectrum(const HitMaterial& m, std::span<const ClearHit> hits) {
    Average average(m.rateHz);
    for (const auto& hit : hits)
        average.add(m, hit.fromS, std::min(hit.lengthS, kLongestS), true);
    return average.result();
}

ToneSpectra measureToneSpectra(const HitMaterial& m) {
    ToneSpectra spectra;
    if (m.frames() == 0)
        return spectra;
    Average attack(m.rateHz);
    Average decay(m.rateHz);
    Average spill(m.rateHz);
    const auto own = clearHits(m);
    for (const auto& clear : own) {
        const double length = std::min(clear.lengthS, kLongestS);
        attack.add(m, clear.fromS, kAttackS, true);
        if (length > 2 * kDecayFromS)
            decay.add(m, clear.fromS + kDecayFromS, length - kDecayFromS, true);
        ++spectra.ownHits;
    }
    struct OneDrum {
        Average average;
        int hits = 0;
    };
    std::map<int, OneDrum> byDrum;
    for (const auto& clear : clearSpill(m, measureNature(m).ownMs())) {
        const double length = std::min(clear.lengthS, kLongestS);
        spill.add(m, clear.fromS, length, true);
        ++spectra.spillHits;
        auto& drum = byDrum.try_emplace(m.hits[clear.hit].drum, OneDrum{Average(m.rateHz)}).first->second;
        drum.average.add(m, clear.fromS, length, true);
        ++drum.hits;
    }
    for (const auto& [drum, one] : byDrum)
        spectra.spillOf.push_back({drum, one.average.result(), one.hits});
    std::stable_sort(spectra.spillOf.begin(), spectra.spillOf.end(),
                     [](const DrumSpill& a, const DrumSpill& b) { return a.hits > b.hits; });
    spectra.own = meanSpectrum(m, own);
    spectra.attack = attack.result();
    spectra.decay = decay.result();
    spectra.spill = spill.result();
    spectra.noise = noiseOf(m);
    return spectra;
}

} // namespace cask::measure
