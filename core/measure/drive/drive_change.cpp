#include "core/measure/drive/drive_change.h"

#include "core/measure/loudness.h"
#include "core/measure/real_fft.h"
#include "core/measure/statistics.h"

#include <algorithm>
#include <bit>
#include <cmath>
#include <numeric>

namespace cask::measure {
namespace {

constexpr double kBodyS = 0.120;
constexpr double kDecayFromS = 0.030;
constexpr double kDecayToS = 0.300;
constexpr double kShortestDecayS = 0.100;
constexpr int kHarmonics = 12;
constexpr double kHighestHarmonicHz = 16000;
constexpr double kBetweenEndS = 0.010; // before the next hit
constexpr double kShortestBetweenS = 0.040;
constexpr std::size_t kFewestBetween = 3;
constexpr double kQuietDb = -90; // mean power: less is no sound

using Powers = std::vector<double>;

std::size_t frameOf(const HitMaterial& m, double timeS) {
    return static_cast<std::size_t>(std::max(0.0, timeS - m.startS) * m.rateHz);
}

/// Mean power of a stretch, channels added.
double powerOf(const Sound& sound, std::size_t from, std::size_t to) {
    double sum = 0;
    for (const auto& channel : sound)
        for (std::size_t n = from; n < std::min(to, channel.size()); ++n)
            sum += static_cast<double>(channel[n]) * channel[n];
    return to > from ? sum / static_cast<double>(to - from) : 0;
}

Sound highsOf(const Sound& sound, double rateHz) {
    dsp::EqBand band;
    band.kind = dsp::FilterKind::HighPass;
    band.frequencyHz = DriveChange::kCymbalsHz;
    return filteredSound(sound, band, rateHz);
}

struct Place {
    std::size_t from = 0, to = 0;
};

/// The first 120 ms of own hits.
std::vector<Place> hitPlaces(const HitMaterial& m) {
    std::vector<Place> places;
    for (std::size_t i = 0; i < m.hits.size(); ++i) {
        if (!m.hits[i].isOwn || m.hits[i].hitClass == HitClass::Ghost)
            continue;
        double endS = m.hits[i].timeS + kBodyS;
        for (std::size_t k = i + 1; k < m.hits.size(); ++k)
            if (m.hits[k].isOwn) {
                endS = std::min(endS, m.hits[k].timeS);
                break;
            }
        places.push_back({frameOf(m, m.hits[i].timeS), std::min(m.frames(), frameOf(m, endS))});
    }
    return places;
}

/// Where no own hit sounds any more, to the next one.
std::vector<Place> betweenPlaces(const HitMaterial& m) {
    std::vector<Place> places;
    double freeFromS = 1e9;
    const auto closeAt = [&](double untilS) {
        if (untilS - freeFromS >= kShortestBetweenS)
            places.push_back({frameOf(m, freeFromS), std::min(m.frames(), frameOf(m, untilS))});
    };
    for (const auto& hit : m.hits) {
        if (!hit.isOwn)
            continue;
        closeAt(hit.timeS - kBetweenEndS);
        freeFromS = hit.timeS + kBodyS;
    }
    closeAt(m.endS());
    return places;
}

Powers powersIn(const Sound& sound, const std::vector<Place>& places) {
    Powers powers;
    for (const auto& place : places)
        powers.push_back(powerOf(sound, place.from, place.to));
    return powers;
}

/// Median change of the power in some places; nothing where there are too few that sound.
std::optional<double> medianChangeDb(const Powers& before, const Powers& after) {
    std::vector<double> changes;
    for (std::size_t i = 0; i < before.size(); ++i)
        if (before[i] > dbToPower(kQuietDb) && after[i] > dbToPower(kQuietDb))
            changes.push_back(powerToDb(after[i] / before[i]));
    if (changes.size() < kFewestBetween)
        return std::nullopt;
    return median(std::move(changes));
}

/// Mean powers of the note's harmonics in the decays, by order from 1 on.
Powers harmonicPowers(const HitMaterial& m, const Sound& sound, double noteHz) {
    const auto most = static_cast<std::size_t>(kDecayToS * m.rateHz);
    const std::size_t size = std::bit_ceil(2 * most);
    RealFft fft(size);
    std::vector<float> window(size);
    std::vector<float> weights; // hits that ring as long share them
    const auto hann = [&](std::size_t count) {
        if (weights.size() == count)
            return;
        weights.resize(count);
        for (std::size_t n = 0; n < count; ++n)
            weights[n] = static_cast<float>(
                0.5 - 0.5 * std::cos(2 * kPi * (static_cast<double>(n) + 0.5) / static_cast<double>(count)));
    };
    Powers powers(kHarmonics, 0);
    for (std::size_t i = 0; i < m.hits.size(); ++i) {
        const auto& hit = m.hits[i];
        if (!hit.isOwn || hit.hitClass == HitClass::Ghost)
            continue;
        double endS = std::min(hit.timeS + kDecayToS, m.endS());
        if (i + 1 < m.hits.size())
            endS = std::min(endS, m.hits[i + 1].timeS);
        const double fromS = hit.timeS + kDecayFromS;
        if (endS - fromS < kShortestDecayS)
            continue;
        const std::size_t from = frameOf(m, fromS);
        const std::size_t count = frameOf(m, endS) - from;
        hann(count);
        for (const auto& channel : sound) {
            std::fill(window.begin(), window.end(), 0.0F);
            for (std::size_t n = 0; n < count && from + n < channel.size(); ++n)
                window[n] = channel[from + n] * weights[n];
            const auto spectrum = fft.forward(window);
            const double binHz = m.rateHz / static_cast<double>(size);
            for (int order = 1; order <= kHarmonics; ++order) {
                const double hz = order * noteHz;
                const double reachHz = std::min(0.4 * noteHz, std::max(0.03 * hz, 8.0));
                if (hz + reachHz > kHighestHarmonicHz)
                    break;
                for (auto bin = static_cast<std::size_t>((hz - reachHz) / binHz);
                     bin <= static_cast<std::size_t>((hz + reachHz) / binHz); ++bin)
                    powers[static_cast<std::size_t>(order - 1)] +=
                        static_cast<double>(std::norm(spectrum[bin]));
            }
        }
    }
    return powers;
}

/// What is left of `after` beside the best copy of `before`, against that.
double newDbOf(const Sound& before, const Sound& after) {
    double both = 0;
    double own = 0;
    double is = 0;
    for (std::size_t c = 0; c < before.size(); ++c)
        for (std::size_t n = 0; n < before[c].size(); ++n) {
            const auto x = static_cast<double>(before[c][n]);
            const auto y = static_cast<double>(after[c][n]);
            both += x * y;
            own += x * x;
            is += y * y;
        }
    const double copied = own > 0 ? both * both / own : 0;
    return copied > 0 ? powerToDb(std::max(0.0, is - copied) / copied) : kSilenceDb;
}

Spectrum spectrumOfSound(const Sound& sound, double rateHz) {
    SpectrumMeter meter(rateHz, static_cast<int>(sound.size()));
    std::vector<float> block;
    constexpr std::size_t kPiece = 8192;
    for (std::size_t at = 0; at < sound[0].size(); at += kPiece) {
        block.clear();
        for (std::size_t n = at; n < std::min(sound[0].size(), at + kPiece); ++n)
            for (const auto& channel : sound)
                block.push_back(channel[n]);
        meter.add(block);
    }
    return meter.result();
}

std::vector<ThirdChange> thirdsOf(const Spectrum& was, const Spectrum& is, double matchDb) {
    constexpr double kLeastDb = -60;
    constexpr double kLowestCentreHz = 25;
    constexpr int kThirds = 30; // to 20 kHz
    std::vector<ThirdChange> thirds;
    if (was.bandDb.empty() || is.bandDb.empty())
        return thirds;
    double loudest = kSilenceDb;
    for (int i = 0; i < kThirds; ++i)
        loudest = std::max(loudest, was.thirdOctaveDb(kLowestCentreHz * std::exp2(i / 3.0)));
    for (int i = 0; i < kThirds; ++i) {
        const double hz = kLowestCentreHz * std::exp2(i / 3.0);
        const double before = was.thirdOctaveDb(hz);
        if (before > loudest + kLeastDb)
            thirds.push_back({hz, is.thirdOctaveDb(hz) - before + matchDb});
    }
    return thirds;
}

} // namespace

Density densityOf(const Sound& sound, double rateHz) {
    Density d;
    if (sound.empty() || sound.front().empty())
        return d;
    d.lufs = integratedLufs(sound, rateHz);
    for (const auto& channel : sound) {
        dsp::TruePeakMeter meter;
        meter.add(channel, 1);
        d.peakDb = std::max(d.peakDb, linearToDb(static_cast<double>(meter.peak())));
    }
    constexpr std::size_t kStepsInWindow = 4; // of 100 ms
    const auto step = static_cast<std::size_t>(0.1 * rateHz);
    Powers steps;
    for (std::size_t at = 0; at + step <= sound[0].size(); at += step)
        steps.push_back(powerOf(sound, at, at + step));
    std::vector<double> levels;
    for (std::size_t i = 0; i + kStepsInWindow <= steps.size(); ++i) {
        const double power =
            std::accumulate(steps.begin() + static_cast<std::ptrdiff_t>(i),
                            steps.begin() + static_cast<std::ptrdiff_t>(i + kStepsInWindow), 0.0) /
            kStepsInWindow;
        if (power > dbToPower(kQuietDb))
            levels.push_back(powerToDb(power));
    }
    if (!levels.empty())
        d.rangeDb = quantile(levels, 0.95) - quantile(levels, 0.1);
    return d;
}

std::optional<ThirdChange> DriveChange::mostLost() const {
    const auto least = std::min_element(thirds.begin(), thirds.end(),
                                        [](const auto& a, const auto& b) { return a.db < b.db; });
    return least == thirds.end() || least->db >= 0 ? std::nullopt : std::optional(*least);
}

double DriveChange::sumOf(double HarmonicChange::*level) const {
    double power = 0;
    for (const auto& harmonic : harmonics)
        if (harmonic.order > 1 && harmonic.*level > kSilenceDb)
            power += dbToPower(harmonic.*level);
    return power > 0 ? powerToDb(power) : kSilenceDb;
}

DriveBefore measureBefore(const HitMaterial& m, double noteHz, const CancelToken& cancel) {
    DriveBefore before;
    before.noteHz = noteHz;
    if (m.sound.empty() || m.frames() == 0)
        return before;
    before.density = densityOf(m.sound, m.rateHz);
    if (noteHz > 0)
        before.harmonicPowers = harmonicPowers(m, m.sound, noteHz);
    if (cancel.isCancelled())
        return before;
    before.spectrum = spectrumOfSound(m.sound, m.rateHz);
    const auto places = betweenPlaces(m);
    before.hitPowers = powersIn(m.sound, hitPlaces(m));
    before.betweenPowers = powersIn(m.sound, places);
    before.highPowers = powersIn(highsOf(m.sound, m.rateHz), places);
    return before;
}

DriveChange measureDrive(const HitMaterial& m, const DriveBefore& before, const Sound& after,
                         const CancelToken& cancel) {
    DriveChange change;
    if (m.sound.empty() || after.empty())
        return change;
    change.shapes = measureShapes(m, after, cancel);
    if (cancel.isCancelled())
        return change;
    change.newDb = newDbOf(m.sound, after);
    change.before = before.density;
    change.after = densityOf(after, m.rateHz);
    if (change.shapes.hits == 0 && change.before.lufs > kSilenceDb && change.after.lufs > kSilenceDb)
        change.shapes.matchDb = change.before.lufs - change.after.lufs;
    if (!before.harmonicPowers.empty() && !cancel.isCancelled()) {
        const auto& was = before.harmonicPowers;
        const auto is = harmonicPowers(m, after, before.noteHz);
        for (std::size_t i = 0; i < was.size(); ++i)
            if (was[0] > 0 && is[0] > 0 && was[i] > 0 && is[i] > 0)
                change.harmonics.push_back(
                    {static_cast<int>(i) + 1, powerToDb(was[i] / was[0]), powerToDb(is[i] / is[0])});
    }
    if (cancel.isCancelled())
        return change;
    change.thirds = thirdsOf(before.spectrum, spectrumOfSound(after, m.rateHz), change.shapes.matchDb);
    const auto places = betweenPlaces(m);
    if (const auto hits = medianChangeDb(before.hitPowers, powersIn(after, hitPlaces(m)))) {
        if (const auto between = medianChangeDb(before.betweenPowers, powersIn(after, places)))
            change.betweenDb = *between - *hits;
        if (const auto highs = medianChangeDb(before.highPowers, powersIn(highsOf(after, m.rateHz), places)))
            change.cymbalsDb = *highs - *hits;
    }
    return change;
}

DriveChange measureDrive(const HitMaterial& m, const Sound& after, double noteHz, const CancelToken& cancel) {
    return measureDrive(m, measureBefore(m, noteHz, cancel), after, cancel);
}

std::optional<dsp::EqBand> givesBack(const DriveChange& change) {
    constexpr double kWorthDb = 1;
    constexpr double kMostDb = 12;
    constexpr double kWide = 1.0;
    const auto lost = change.mostLost();
    if (!lost || lost->db > -kWorthDb)
        return std::nullopt;
    dsp::EqBand band;
    band.frequencyHz = std::clamp(lost->hz, 20.0, 20000.0);
    band.gainDb = std::min(kMostDb, -lost->db);
    band.q = kWide;
    return band;
}

double aliasesDb(const HitMaterial& material, const dsp::SaturationSettings& settings,
                 const CancelToken& cancel) {
    constexpr double kHighestHz = 20000;
    const HitMaterial m = sampleOf(material, kAliasHits);
    if (m.frames() == 0)
        return kSilenceDb;
    auto reference = settings;
    reference.oversampling = dsp::Oversampling::Reference;
    const auto is = drivenSound(m, settings, cancel);
    const auto should = drivenSound(m, reference, cancel);
    // What no filter makes of the reference: its filters and the mean of a hard curve are no aliases.
    constexpr std::size_t kSize = 4096;
    RealFft fft(kSize);
    const auto last = static_cast<std::size_t>(std::min(kHighestHz, 0.4535 * m.rateHz) / m.rateHz * kSize);
    double wrong = 0;
    double all = 0;
    std::vector<float> window(kSize);
    std::vector<std::complex<float>> referenceWindow;
    for (std::size_t c = 0; c < is.size() && !cancel.isCancelled(); ++c) {
        std::vector<double> own(last + 1, 0);
        std::vector<double> heard(last + 1, 0);
        std::vector<std::complex<double>> cross(last + 1, 0);
        const auto spectrumAt = [&](const std::vector<float>& x, std::size_t at) {
            for (std::size_t n = 0; n < kSize; ++n)
                window[n] =
                    at + n < x.size()
                        ? x[at + n] * static_cast<float>(
                                          0.5 - 0.5 * std::cos(2 * kPi * static_cast<double>(n) / kSize))
                        : 0.0F;
            return fft.forward(window);
        };
        for (std::size_t at = 0; at < m.frames(); at += kSize / 2) {
            const auto shouldBe = spectrumAt(should[c], at);
            referenceWindow.assign(shouldBe.begin(), shouldBe.end());
            const auto itIs = spectrumAt(is[c], at);
            for (std::size_t k = 1; k <= last; ++k) {
                own[k] += static_cast<double>(std::norm(referenceWindow[k]));
                heard[k] += static_cast<double>(std::norm(itIs[k]));
                cross[k] +=
                    std::complex<double>(itIs[k]) * std::conj(std::complex<double>(referenceWindow[k]));
            }
        }
        for (std::size_t k = 1; k <= last; ++k) {
            wrong += own[k] > 0 ? std::max(0.0, heard[k] - std::norm(cross[k]) / own[k]) : heard[k];
            all += heard[k];
        }
    }
    return wrong > 0 && all > 0 ? powerToDb(wrong / all) : kSilenceDb;
}

} // namespace cask::measure
