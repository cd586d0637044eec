// Humps, hum, the ear's weight, bands on hits, drums that hum along, tracks over each other.
#include "core/base/units.h"
#include "core/dsp/eq_design.h"
#include "core/measure/tone/band_cells.h"
#include "core/measure/tone/band_hits.h"
#include "core/measure/tone/conflict.h"
#include "core/measure/tone/hum.h"
#include "core/measure/tone/hump.h"
#include "core/measure/tone/loudness_contour.h"
#include "core/measure/tone/own_spectrum.h"
#include "core/measure/tone/sympathy.h"
#include "core/measure/tone/ugly.h"
#include "tests/support/signals.h"

#include <gtest/gtest.h>

#include <cmath>

namespace cask::measure {
namespace {

TEST(LoudnessContour, FollowsTheStandard) {
    // ISO 226:2003, the contour of 40 phon.
    for (const auto& [hz, db] : {std::pair{20.0, 99.85},
                                 {50.0, 77.78},
                                 {100.0, 64.37},
                                 {200.0, 53.41},
                                 {500.0, 43.05},
                                 {1000.0, 40.01},
                                 {2000.0, 39.23},
                                 {3150.0, 35.61},
                                 {5000.0, 40.01},
                                 {10000.0, 54.28},
                                 {12500.0, 51.49}})
        EXPECT_NEAR(equalLoudnessDb(hz, 40), db, 0.05) << hz;
    EXPECT_NEAR(earWeightDb(1000), 0, 0.05);
    EXPECT_GT(earWeightDb(3150), 3);
    EXPECT_LT(earWeightDb(60), -10);
}

Spectrum flat(double db) {
    Spectrum s;
    s.bandDb.assign(kSpectrumPoints, static_cast<float>(db));
    return s;
}

Spectrum withBell(const Spectrum& s, double hz, double gainDb, double q) {
    dsp::EqBand band;
    band.frequencyHz = hz;
    band.gainDb = gainDb;
    band.q = q;
    return filtered(s, [eq = dsp::EqSettings{{band}}](double f) { return dsp::responseDb(eq, f, kRate); });
}

TEST(Hump, APlantedOneIsFoundWithItsPlaceAndHeight) {
    EXPECT_NEAR(measureBoxiness(flat(-60)).excessDb, 0, 1e-4);
    for (const double hz : {280.0, 370.0, 450.0})
        for (const double gain : {6.0, 12.0}) {
            const auto hump = measureBoxiness(withBell(flat(-60), hz, gain, 1.5));
            EXPECT_NEAR(hump.hz / hz, 1, 0.06) << hz;
            // The bell's own skirts are its surroundings: (u^2 + (A/Q)^2) / (u^2 + (1/AQ)^2) with u = r -
            // 1/r.
            const double a = std::pow(10, gain / 40);
            const double u2 = std::pow(1.7 - 1 / 1.7, 2);
            const double skirtDb = powerToDb((u2 + std::pow(a / 1.5, 2)) / (u2 + std::pow(1 / (a * 1.5), 2)));
            EXPECT_NEAR(hump.excessDb, gain - skirtDb, 0.12 * gain) << hz; // read over half an octave
            EXPECT_GT(hump.octaves, 0.5);
            EXPECT_LT(hump.octaves, 2);
        }
    EXPECT_LT(measureBoxiness(withBell(flat(-60), 370, -6, 1.5)).excessDb, 0.5);
    EXPECT_LT(std::abs(measureBoxiness(withBell(flat(-60), 4000, 12, 2)).excessDb), 0.5);
}

TEST(Hump, APartialIsNone) {
    auto s = flat(-60);
    for (int i = 0; i < kSpectrumPoints; ++i)
        if (std::abs(Spectrum::pointHz(i) / 350 - 1) < 0.02)
            s.bandDb[static_cast<std::size_t>(i)] = -20;
    EXPECT_NEAR(measureBoxiness(s).excessDb, 0, 0.01);
}

TEST(Hump, HarshnessIsWeighedAsTheEarDoes) {
    const double calm = measureHarshness(flat(-60)).excessDb; // the ear's own hump
    EXPECT_GT(calm, 2);
    const auto hump = measureHarshness(withBell(flat(-60), 3500, 8, 1.5));
    EXPECT_NEAR(hump.excessDb - calm, 8, 2);
    EXPECT_NEAR(hump.hz / 3500, 1, 0.1);
    EXPECT_FALSE(measureHarshness({}).hz > 0);
}

TEST(Ugly, WhatStandsOutAndRingsComesFirst) {
    auto s = flat(-60);
    const auto lift = [&](double hz, float db) {
        for (int i = 0; i < kSpectrumPoints; ++i)
            if (std::abs(Spectrum::pointHz(i) / hz - 1) < 0.015)
                s.bandDb[static_cast<std::size_t>(i)] += db;
    };
    lift(190, 30); // the note
    lift(400, 10);
    lift(700, 12);
    lift(3000, 11.5F);
    lift(60, 20); // too low to be ugly
    Partials partials;
    partials.fundamental.hz = 190;
    auto places = rankUgly(s, partials);
    ASSERT_EQ(places.size(), 3U);
    EXPECT_NEAR(places[0].hz / 3000, 1, 0.03) << "where the ear hears best";
    EXPECT_NEAR(places[1].hz / 700, 1, 0.03);
    EXPECT_NEAR(places[1].excessDb, 12, 0.01);
    Ring ring;
    ring.hz = 402;
    ring.decayMs = 900;
    ring.aroundMs = 200;
    partials.rings = {ring};
    places = rankUgly(s, partials, 2);
    ASSERT_EQ(places.size(), 2U);
    EXPECT_DOUBLE_EQ(places[0].hz, 402);
    EXPECT_TRUE(places[0].isRing);
    EXPECT_TRUE(rankUgly({}, {}).empty());
}

TEST(Hump, EnergyChangesByFormula) {
    EXPECT_NEAR(energyChangeDb(flat(-50), [](double) { return 3.0; }), 3, 1e-6);
    // Half of the bands silenced.
    EXPECT_NEAR(
        energyChangeDb(flat(-50),
                       [](double hz) { return hz < Spectrum::pointHz(kSpectrumPoints / 2) ? 0.0 : -200.0; }),
        -3.01, 0.05);
    EXPECT_EQ(energyChangeDb({}, [](double) { return 3.0; }), 0);
}

/// Hits about twice a second, as unevenly as a good player's, on a drum tuned to `hz`.
std::vector<float> drumming(double seconds, double hz, double rate = kRate) {
    auto x = test::noise(0.0001, static_cast<std::size_t>(seconds * rate), 4);
    const auto jitter = test::noise(0.01, 2 * static_cast<std::size_t>(seconds), 8);
    for (std::size_t i = 0; i < jitter.size(); ++i) {
        const auto hit = test::bursts(hz, 10, 0, 0.3, 1, rate);
        const auto from = static_cast<std::size_t>((0.2 + 0.5 * static_cast<double>(i) + jitter[i]) * rate);
        for (std::size_t n = 0; n < hit.size() && from + n < x.size(); ++n)
            x[from + n] += 0.4F * hit[n];
    }
    return x;
}

TEST(Hum, LinesOfTheMainsAreFoundInTheQuietestMoment) {
    for (const double mains : {50.0, 60.0})
        for (const double levelDb : {-45.0, -65.0, -80.0})
            for (const double rate : {44100.0, 96000.0}) {
                auto x = drumming(20, 80, rate);
                std::fill(x.begin() + static_cast<std::ptrdiff_t>(18 * rate), x.end(), 0.0F);
                EXPECT_EQ(measureHum(x, rate).mainsHz, 0);
                const auto hiss = test::noise(0.0001, x.size(), 6);
                for (std::size_t n = 0; n < x.size(); ++n)
                    x[n] += hiss[n];
                for (const auto& [harmonic, share] : {std::pair{1, 1.0}, {2, 0.5}, {3, 0.7}}) {
                    const auto line =
                        test::sine(harmonic * mains * 1.0007, share * dbToLinear(levelDb), 20, rate);
                    for (std::size_t n = 0; n < x.size(); ++n)
                        x[n] += line[n];
                }
                const auto hum = measureHum(x, rate);
                ASSERT_EQ(hum.mainsHz, mains) << levelDb;
                EXPECT_EQ(hum.lines.size(), 3U);
                EXPECT_NEAR(hum.lines.front().hz, 1.0007 * mains, 0.05);
                EXPECT_NEAR(hum.lines.front().levelDb, levelDb, 0.5);
                EXPECT_NEAR(hum.levelDb, levelDb + powerToDb(1 + 0.25 + 0.49), 0.5);
            }
}

TEST(Hum, DrumsAndNoiseAreNone) {
    for (const double hz : {50.0, 55.0, 60.0, 100.0})
        EXPECT_EQ(measureHum(drumming(20, hz), kRate).mainsHz, 0) << hz;
    EXPECT_EQ(measureHum(test::noise(0.1, 20 * 48000, 3), kRate).mainsHz, 0);
    EXPECT_EQ(measureHum(test::sine(50, 0.01, 1), kRate).mainsHz, 0) << "too short to say";
    EXPECT_EQ(measureHum(std::vector<float>(20 * 48000, 0.0F), kRate).mainsHz, 0);
}

TEST(Hum, ATailThatDiesAwayIsNone) {
    // The quietest moment is the end of one long note at exactly the mains.
    std::vector<float> x(6 * 48000);
    for (std::size_t n = 0; n < x.size(); ++n) {
        const double t = static_cast<double>(n) / kRate;
        x[n] = static_cast<float>(0.5 * std::pow(1000.0, -t / 4) * std::sin(2 * kPi * 50 * t));
    }
    EXPECT_EQ(measureHum(x, kRate).mainsHz, 0);
}

TEST(BandHits, LevelsAreThoseOfTheToneInTheBand) {
    HitMaterial m;
    m.sound.assign(1, std::vector<float>(10 * 48000, 0.0F));
    const auto add = [&](double at, double hz, double db) {
        const auto tone = test::sine(hz, dbToLinear(db), 0.1);
        std::copy(tone.begin(), tone.end(), m.sound[0].begin() + static_cast<std::ptrdiff_t>(at * kRate));
    };
    for (int i = 0; i < 12; ++i) {
        const bool isOwn = i % 2 == 0;
        const double at = 0.5 + 0.7 * i;
        add(at, isOwn ? 400 : 3000, isOwn ? -12 - i : -6);
        m.hits.push_back({at, isOwn, HitClass::Normal, isOwn ? 0 : 1, -12});
    }
    dsp::EqBand band;
    band.frequencyHz = 400;
    band.q = 2;
    band.dynamics = dsp::Dynamics::Above;
    band.thresholdDb = -17;
    const auto levels = bandLevels(m, band);
    for (int i = 0; i < 12; i += 2)
        EXPECT_NEAR(levels[static_cast<std::size_t>(i)], -12 - i, 0.3) << i;
    EXPECT_LT(levels[1], -26); // a tone three octaves up
    const auto hits = bandHits(m, levels, band);
    EXPECT_EQ(hits.ownHits, 6);
    EXPECT_EQ(hits.ownMoved, 3) << "-12, -14 and -16 dB";
    EXPECT_EQ(hits.spillMoved, 0);
    band.dynamics = dsp::Dynamics::Below;
    EXPECT_EQ(bandHits(m, levels, band).ownMoved, 3);
    EXPECT_EQ(bandHits(m, levels, band).spillMoved, 6);
}

TEST(Sympathy, ADrumThatHumsAlongIsHeard) {
    for (const bool hums : {true, false}) {
        HitMaterial m;
        m.sound.push_back(test::noise(0.0003, 40 * 48000, 5));
        const auto add = [&](double at, double hz, double amplitude, double decayS) {
            for (std::size_t n = 0; n < 2 * 48000; ++n) {
                const double t = static_cast<double>(n) / kRate;
                const auto to = static_cast<std::size_t>(at * kRate) + n;
                if (to < m.sound[0].size())
                    m.sound[0][to] += static_cast<float>(amplitude * std::pow(1000.0, -t / decayS) *
                                                         std::sin(2 * kPi * hz * t));
            }
        };
        for (int i = 0; i < 12; ++i) {
            const double at = 0.5 + 3 * i;
            add(at, 110, 0.5, 0.8);
            m.hits.push_back({at, true, HitClass::Normal, 0, -6});
            add(at + 2, 55, 0.05, 0.3); // a kick
            if (hums)
                add(at + 2, 110, 0.5 * dbToLinear(-30), 0.8);
            m.hits.push_back({at + 2, false, HitClass::Normal, 1, -26});
        }
        const auto found = measureSympathy(m, {45, 200});
        if (!hums) {
            EXPECT_LE(found.hits, 1);
        } else {
            EXPECT_EQ(found.hitsLookedAt, 12);
            EXPECT_GE(found.hits, 11);
            EXPECT_NEAR(found.hz, 110, 1);
            EXPECT_NEAR(found.decayMs, 800, 80);
            EXPECT_NEAR(found.levelDb, -30, 1);
            EXPECT_GT(found.shareOfLows, 0.5);
        }
    }
}

class MemorySource : public AudioSource {
  public:
    explicit MemorySource(std::vector<float> x) : m_x(std::move(x)) {}
    [[nodiscard]] int channels() const noexcept override { return 1; }
    [[nodiscard]] Frames frames() const noexcept override { return static_cast<Frames>(m_x.size()); }
    bool read(int, Frames start, std::span<float> out) noexcept override {
        for (std::size_t n = 0; n < out.size(); ++n) {
            const Frames at = start + static_cast<Frames>(n);
            out[n] = at >= 0 && at < frames() ? m_x[static_cast<std::size_t>(at)] : 0;
        }
        return true;
    }

  private:
    std::vector<float> m_x;
};

BandCells cellsOf(const std::vector<float>& x, double gain = 1, Frames delay = 0, double rate = kRate) {
    MemorySource source(x);
    const CellInput input{&source, 0, delay, gain};
    return measureBandCells({&input, 1}, static_cast<Frames>(x.size()) + delay, rate);
}

TEST(BandCells, AToneReadsItsLevelInItsBand) {
    for (const double rate : {44100.0, 48000.0, 96000.0})
        for (const int band : {4, 10, 20, 33}) {
            const double hz = erbBandHz(band);
            EXPECT_NEAR(erbPlace(hz), band, 1e-9);
            const auto cells = cellsOf(test::sine(hz, dbToLinear(-20), 1, rate), 1, 0, rate);
            ASSERT_NEAR(static_cast<double>(cells.cells()), 100, 1);
            double level = -200;
            double far = -200;
            for (int b = 0; b < kErbBands; ++b) {
                const double db =
                    BandCells::levelDb(cells.levels[50 * kErbBands + static_cast<std::size_t>(b)]);
                (std::abs(b - band) <= 2 ? level : far) = std::max(std::abs(b - band) <= 2 ? level : far, db);
            }
            EXPECT_NEAR(level, -20, band < 6 ? 3.5 : 1.5)
                << rate << " " << hz; // low bands are narrower than a bin
            EXPECT_LT(far, -45) << rate << " " << hz;
        }
}

TEST(BandCells, CountGainAndPlaceInTime) {
    std::vector<float> x(48000, 0.0F);
    const auto tone = test::sine(1000, 0.1, 0.2);
    std::copy(tone.begin(), tone.end(), x.begin() + 24000);
    const auto cells = cellsOf(x, 2, 9600);
    const auto at = [&](std::size_t cell) {
        return BandCells::levelDb(
            cells.levels[cell * kErbBands + static_cast<std::size_t>(std::lround(erbPlace(1000)))]);
    };
    EXPECT_LT(at(60), -90);
    const double middle = at(80); // 0.5 s and the delay of 0.2 s; a part of the tone lies in the next band
    EXPECT_NEAR(middle, linearToDb(0.2) - 2, 2.5);
    const auto plain = cellsOf(x, 1, 9600);
    EXPECT_NEAR(middle -
                    BandCells::levelDb(
                        plain.levels[80 * kErbBands + static_cast<std::size_t>(std::lround(erbPlace(1000)))]),
                linearToDb(2), 0.5);
    EXPECT_LT(at(100), -90);
}

MixTrack trackOf(const BandCells& cells, float gainDb = 0) {
    MixTrack track;
    track.cells = &cells;
    track.gainDb.fill(gainDb);
    return track;
}

TEST(Conflict, CountsCellsInWhichTwoAreAlike) {
    const auto a = cellsOf(test::sine(100, 0.3, 2));
    const auto b = cellsOf(test::sine(100, 0.3, 2, kRate, 1));
    const auto far = cellsOf(test::sine(2000, 0.3, 2));
    const auto shareOf = [](const std::vector<MixTrack>& tracks) {
        const auto look = lookAtMix(tracks);
        return look.conflicts.empty() ? 0.0 : look.conflicts.front().worstShare;
    };
    EXPECT_NEAR(shareOf({trackOf(a), trackOf(b)}), 1, 0.03); // at the ends the windows are cut
    EXPECT_NEAR(shareOf({trackOf(a), trackOf(b, -5)}), 1, 0.03);
    for (const auto& c : lookAtMix({trackOf(a), trackOf(b, -9)}).conflicts)
        EXPECT_LT(c.share, 0.03);
    const auto apart = lookAtMix({trackOf(a), trackOf(far)});
    for (const auto& c : apart.conflicts) // where both are mere leakage of the window
        EXPECT_LT(c.share, 0.1);
    const auto look = lookAtMix({trackOf(a), trackOf(b, -9), trackOf(far)});
    const auto band = static_cast<std::size_t>(std::lround(erbPlace(100)));
    EXPECT_NEAR(look.share[0][band], 1 / (1 + std::pow(10, -0.9)), 0.02);
    EXPECT_GT(look.share[2][static_cast<std::size_t>(std::lround(erbPlace(2000)))], 0.99);
    EXPECT_NEAR(look.mixDb[band], linearToDb(0.3) + powerToDb(1 + std::pow(10, -0.9)), 3.5);
}

TEST(Conflict, HalfTheTimeIsHalfTheShare) {
    std::vector<float> x(4 * 48000, 0.0F);
    const auto tone = test::sine(300, 0.3, 2);
    std::copy(tone.begin(), tone.end(), x.begin());
    const auto half = cellsOf(x);
    const auto whole = cellsOf(test::sine(300, 0.3, 4));
    const auto look = lookAtMix({trackOf(half), trackOf(whole)});
    ASSERT_EQ(look.conflicts.size(), 1U);
    EXPECT_NEAR(look.conflicts[0].worstShare, 0.5, 0.08);
    EXPECT_LE(look.conflicts[0].fromBand, std::lround(erbPlace(300)));
    EXPECT_GE(look.conflicts[0].toBand, std::lround(erbPlace(300)));
    EXPECT_TRUE(lookAtMix({}).conflicts.empty());
}

} // namespace
} // namespace cask::measure
