#include "core/base/units.h"
#include "core/dsp/eq_design.h"
#include "core/dsp/layer_filter.h"
#include "tests/support/signals.h"

#include <gtest/gtest.h>

#include <cmath>
#include <string>

namespace cask::dsp {
namespace {

struct Worst {
    double db = 0;
    std::string where;
};

/// Greatest distance of the digital curve from the analogue one from 20 Hz to the top, where the band is
/// above -60 dB.
void compare(const EqBand& band, double rate, Worst& worst) {
    const EqSettings settings{{band}};
    const double top = 0.375 * rate;
    const auto sections = designBand(band, rate);
    for (int i = 0; i <= 200; ++i) {
        const double hz = 20 * std::pow(std::min(top, 18000.0 * rate / 48000) / 20, i / 200.0);
        const double analogue = analogueMagnitudeDb(band, hz);
        // A notch is infinitely deep at one point; its flanks count down to -20 dB.
        if (analogue < (band.kind == FilterKind::Notch ? -20 : -60))
            continue;
        double digital = 0;
        for (const auto& c : sections)
            digital += powerToDb(magnitudeSquared(c, hz, rate));
        if (const double error = std::abs(digital - analogue); error > worst.db)
            worst = {error, "kind " + std::to_string(static_cast<int>(band.kind)) + " at " +
                                std::to_string(band.frequencyHz) + " Hz, q " + std::to_string(band.q) + ", " +
                                std::to_string(band.gainDb) + " dB, slope " +
                                std::to_string(band.slopeDbPerOct) + ", rate " + std::to_string(rate) +
                                ", seen at " + std::to_string(hz)};
    }
}

constexpr double kFrequencies[] = {20,   35,   60,   100,   250,   400,   1000, 2500,
                                   4000, 6000, 8000, 10000, 12000, 15000, 18000};

TEST(EqDesign, BellsWithin0_3DbOfTheAnaloguePrototype) {
    Worst worst;
    for (const double rate : kRates)
        for (const double hz : kFrequencies)
            for (const double q : {0.3, 0.5, 0.71, 1.0, 2.0, 5.0, 10.0})
                for (const double gain : {-18.0, -6.0, -1.0, 1.0, 6.0, 18.0})
                    compare({1, FilterKind::Bell, true, hz, gain, q, 24}, rate, worst);
    RecordProperty("worst_db", std::to_string(worst.db));
    EXPECT_LT(worst.db, 0.3) << worst.where;
    printf("bells: worst %.3f dB, %s\n", worst.db, worst.where.c_str());
}

TEST(EqDesign, VeryNarrowBellsWithin0_3Db) {
    // As narrow as a cut that ends a ring.
    Worst worst;
    for (const double rate : kRates)
        for (const double hz : {80.0, 250.0, 400.0, 1000.0, 3000.0, 5000.0})
            for (const double q : {20.0, 40.0, 100.0, 200.0})
                for (const double gain : {-15.0, -6.0, 6.0})
                    for (const double off : {0.9, 0.99, 0.998, 1.0, 1.002, 1.01, 1.1}) {
                        const EqBand band{1, FilterKind::Bell, true, hz, gain, q, 24};
                        double digital = 0;
                        for (const auto& c : designBand(band, rate))
                            digital += powerToDb(magnitudeSquared(c, off * hz, rate));
                        const double error = std::abs(digital - analogueMagnitudeDb(band, off * hz));
                        if (error > worst.db)
                            worst = {error, std::to_string(hz) + " Hz, q " + std::to_string(q) + ", " +
                                                std::to_string(gain) + " dB, rate " + std::to_string(rate) +
                                                ", seen at " + std::to_string(off)};
                    }
    EXPECT_LT(worst.db, 0.3) << worst.where;
    printf("very narrow bells: worst %.3f dB, %s\n", worst.db, worst.where.c_str());
}

TEST(EqDesign, ShelvesWithin0_3Db) {
    Worst worst;
    for (const double rate : kRates)
        for (const auto kind : {FilterKind::LowShelf, FilterKind::HighShelf})
            for (const double hz : kFrequencies)
                for (const double q : {0.3, 0.5, 0.71, 1.0, 2.0})
                    for (const double gain : {-18.0, -6.0, 6.0, 18.0})
                        compare({1, kind, true, hz, gain, q, 24}, rate, worst);
    EXPECT_LT(worst.db, 0.3) << worst.where;
    printf("shelves: worst %.3f dB, %s\n", worst.db, worst.where.c_str());
}

TEST(EqDesign, PassesAndNotchesWithin0_3Db) {
    Worst worst;
    for (const double rate : kRates) {
        for (const double hz : kFrequencies) {
            for (const auto kind : {FilterKind::HighPass, FilterKind::LowPass})
                for (double slope = 6; slope <= 48; slope += 6)
                    compare({1, kind, true, hz, 0, 1, slope}, rate, worst);
            for (const double q : {0.5, 1.0, 5.0, 10.0, 30.0})
                compare({1, FilterKind::Notch, true, hz, 0, q, 24}, rate, worst);
        }
    }
    EXPECT_LT(worst.db, 0.3) << worst.where;
    printf("passes and notches: worst %.3f dB, %s\n", worst.db, worst.where.c_str());
}

TEST(EqDesign, TiltsWithin0_3Db) {
    Worst worst;
    for (const double rate : kRates)
        for (const double hz : kFrequencies)
            for (const double gain : {-18.0, -6.0, -1.0, 1.0, 6.0, 18.0})
                compare({1, FilterKind::Tilt, true, hz, gain, 1, 24}, rate, worst);
    EXPECT_LT(worst.db, 0.3) << worst.where;
    printf("tilts: worst %.3f dB, %s\n", worst.db, worst.where.c_str());
}

TEST(EqDesign, BandPassesWithin0_8Db) {
    Worst worst;
    for (const double rate : kRates)
        for (const double hz : kFrequencies)
            for (const double q : {0.5, 1.0, 4.0, 10.0, 30.0})
                compare({1, FilterKind::BandPass, true, hz, 0, q, 24}, rate, worst);
    EXPECT_LT(worst.db, 0.8) << worst.where;
    printf("band-passes: worst %.3f dB, %s\n", worst.db, worst.where.c_str());
}

TEST(EqDesign, ATiltTurnsAboutItsFrequency) {
    const EqBand tilt{1, FilterKind::Tilt, true, 1000, 6, 1, 24};
    EXPECT_NEAR(analogueMagnitudeDb(tilt, 1000), 0, 1e-9);
    EXPECT_NEAR(analogueMagnitudeDb(tilt, 1), -6, 0.01);
    EXPECT_NEAR(analogueMagnitudeDb(tilt, 1e6), 6, 0.01);
}

TEST(EqDesign, TheAmountScalesEveryGainAndLeavesPassesAlone) {
    EqSettings eq;
    eq.bands = {{1, FilterKind::Bell, true, 400, -4, 2, 24}, {2, FilterKind::HighPass, true, 40, 0, 1, 24}};
    for (const double amount : {-100.0, 0.0, 50.0, 200.0}) {
        eq.amountPercent = amount;
        EXPECT_NEAR(responseDb(eq, 400, 48000), -0.04 * amount, 0.02) << amount;
        EXPECT_NEAR(responseDb(eq, 20, 48000), -24.1, 0.3) << amount;
    }
}

TEST(EqDesign, MiddleAndSideHaveCurvesOfTheirOwn) {
    EqSettings eq;
    eq.bands = {{1, FilterKind::Bell, true, 400, -4, 2, 24}, {2, FilterKind::Bell, true, 400, 3, 2, 24}};
    eq.bands[1].part = StereoPart::Side;
    EXPECT_NEAR(responseDb(eq, 400, 48000, StereoPart::Middle), -4, 0.02);
    EXPECT_NEAR(responseDb(eq, 400, 48000, StereoPart::Side), -1, 0.02);
}

TEST(EqDesign, SectionsAreStable) {
    for (const double hz : {5.0, 20.0, 1000.0, 15000.0, 20000.0})
        for (const auto kind :
             {FilterKind::Bell, FilterKind::LowShelf, FilterKind::HighShelf, FilterKind::HighPass,
              FilterKind::LowPass, FilterKind::Notch, FilterKind::BandPass, FilterKind::Tilt})
            for (const double gain : {-24.0, 24.0})
                for (const auto& c : designBand({1, kind, true, hz, gain, 0.4, 48}, 44100)) {
                    EXPECT_GT(c.g, 0);
                    EXPECT_GT(c.k, 0);
                    EXPECT_TRUE(std::isfinite(c.m0 + c.m1 + c.m2));
                }
}

TEST(EqDesign, FlatAndOffChangeNothing) {
    for (const auto& band : {EqBand{1, FilterKind::Bell, true, 1000, 0, 1, 24},
                             EqBand{1, FilterKind::HighPass, false, 1000, 0, 1, 24}})
        for (const auto& c : designBand(band, 48000)) {
            EXPECT_EQ(c.m0, 1);
            EXPECT_EQ(c.m1, 0);
            EXPECT_EQ(c.m2, 0);
        }
}

TEST(EqDesign, BoostAndCutOfTheSameSizeCancel) {
    for (const auto kind : {FilterKind::Bell, FilterKind::LowShelf, FilterKind::HighShelf})
        for (const double hz : {80.0, 900.0, 9000.0})
            for (const double seen : {30.0, 500.0, 5000.0, 16000.0}) {
                const EqSettings both{{{1, kind, true, hz, 9, 1.3, 24}, {2, kind, true, hz, -9, 1.3, 24}}};
                EXPECT_NEAR(responseDb(both, seen, 48000), 0, 1e-6);
            }
}

TEST(EqDesign, ButterworthCornerIs3DbDown) {
    for (double slope = 6; slope <= 48; slope += 6) {
        EXPECT_NEAR(analogueMagnitudeDb({1, FilterKind::HighPass, true, 100, 0, 1, slope}, 100), -3.0103,
                    1e-3);
        EXPECT_NEAR(analogueMagnitudeDb({1, FilterKind::HighPass, true, 1000, 0, 1, slope}, 125), -slope * 3,
                    0.6);
    }
}

} // namespace
} // namespace cask::dsp

namespace cask::dsp {
namespace {

TEST(LayerFilter, SlopeAndResonanceAreThoseOfTheFormula) {
    for (const double rate : {44100.0, 96000.0})
        for (const auto kind : {FilterKind::HighPass, FilterKind::LowPass})
            for (const double slope : {12.0, 24.0})
                for (const double resonance : {0.0, 6.0, 18.0})
                    for (const double hz : {80.0, 1000.0, 6000.0}) {
                        const auto sections = designLayerFilter({kind, hz, slope, resonance}, rate);
                        ASSERT_EQ(sections.size(), slope / 12);
                        const auto at = [&](double f) {
                            double db = 0;
                            for (const auto& c : sections)
                                db += powerToDb(magnitudeSquared(c, f, rate));
                            return db;
                        };
                        EXPECT_NEAR(at(hz), -3.01 + resonance, 0.3) << hz << " " << slope;
                        // Far off the slope and the level are those of the plain filter, whatever the
                        // resonance.
                        const bool isHigh = kind == FilterKind::HighPass;
                        EXPECT_NEAR(
                            at(isHigh ? hz / 8 : std::min(8 * hz, 15000.0)),
                            -slope / 6.0206 * 20 * std::log10(isHigh ? 8 : std::min(8.0, 15000.0 / hz)), 2.2)
                            << hz << " " << slope << " " << resonance;
                        EXPECT_NEAR(at(isHigh ? std::min(8 * hz, 15000.0) : hz / 8), 0,
                                    isHigh && hz > 5000 ? 2.5 : 0.4);
                    }
}

} // namespace
} // namespace cask::dsp
