#include "core/base/units.h"
#include "core/dsp/analogue.h"
#include "core/dsp/dynamic_lanes.h"
#include "core/dsp/eq_design.h"
#include "tests/support/signals.h"

#include <gtest/gtest.h>

#include <cmath>
#include <optional>

namespace cask::dsp {
namespace {

EqBand movingBell(double hz, double rangeDb, double thresholdDb = -30) {
    EqBand band;
    band.id = 1;
    band.frequencyHz = hz;
    band.q = 1.5;
    band.dynamics = Dynamics::Above;
    band.thresholdDb = thresholdDb;
    band.rangeDb = rangeDb;
    return band;
}

/// One band on a channel or a pair of the lanes.
class OneBand {
  public:
    void prepare(const DynamicBandDesign& design, double rate) {
        m_designs = {design};
        m_lanes.emplace(rate);
    }
    /// Frame n of channel c is sound[c][n * stride].
    void process(const std::array<float*, 2>& sound, int stride, int frames) {
        const int channels = sound[1] != nullptr ? 2 : 1;
        if (!m_isPlaced) {
            m_lanes->place(kLane, channels, m_designs, true, 0);
            m_lanes->prepare();
            m_isPlaced = true;
        }
        LaneBuffer io(static_cast<std::size_t>(frames) * kLanes);
        for (int n = 0; n < frames; ++n)
            for (int c = 0; c < channels; ++c)
                io[static_cast<std::size_t>(n * kLanes + kLane + c)] =
                    sound[static_cast<std::size_t>(c)][n * stride];
        m_lanes->process(io.data(), io.data(), frames);
        for (int n = 0; n < frames; ++n)
            for (int c = 0; c < channels; ++c)
                sound[static_cast<std::size_t>(c)][n * stride] =
                    io[static_cast<std::size_t>(n * kLanes + kLane + c)];
    }
    void copyStateFrom(const OneBand& other) {
        m_lanes->place(kLane, 1, m_designs, true, 0);
        m_lanes->prepare();
        m_isPlaced = true;
        m_lanes->copyLanes(kLane, *other.m_lanes, kLane, 1);
        m_lanes->set(kLane, m_designs, true, 0);
    }
    [[nodiscard]] float movedDb() const { return m_lanes->movedDb(1); }

  private:
    static constexpr int kLane = 4;
    DynamicBandDesigns m_designs;
    std::optional<DynamicLanes> m_lanes;
    bool m_isPlaced = false;
};

/// The sound after the band, heard by itself.
std::vector<float> run(const EqBand& band, std::vector<float> x, double rate = 48000,
                       double amountPercent = 100) {
    const auto design = designDynamicBand(band, amountPercent, true, rate);
    OneBand moving;
    moving.prepare(design, rate);
    moving.process({x.data(), nullptr}, 1, static_cast<int>(x.size()));
    return x;
}

double settledGainDb(const EqBand& band, double hz, double amplitude, double rate,
                     double amountPercent = 100) {
    const auto y = run(band, test::sine(hz, amplitude, 3, rate), rate, amountPercent);
    const std::vector<float> end(y.end() - static_cast<std::ptrdiff_t>(rate), y.end());
    return linearToDb(test::amplitudeAt(end, hz, rate) / amplitude);
}

TEST(DynamicBand, GainAtTheCentreFollowsTheLaw) {
    for (const double rate : {44100.0, 96000.0})
        for (const double hz : {60.0, 400.0, 5000.0})
            for (const auto dynamics : {Dynamics::Above, Dynamics::Below})
                for (const double rangeDb : {-12.0, 9.0})
                    for (const double levelDb : {-50.0, -34.0, -27.0, -12.0}) {
                        auto band = movingBell(hz, rangeDb);
                        band.dynamics = dynamics;
                        band.gainDb = 2;
                        const double past = dynamics == Dynamics::Above ? levelDb + 30 : -30 - levelDb;
                        const double expected =
                            2 + std::copysign(std::clamp(past, 0.0, std::abs(rangeDb)), rangeDb);
                        EXPECT_NEAR(settledGainDb(band, hz, dbToLinear(levelDb), rate), expected, 0.05)
                            << rate << " " << hz << " " << rangeDb << " " << levelDb;
                    }
}

TEST(DynamicBand, ShelvesHearWhatLiesOnTheirSide) {
    for (const double levelDb : {-40.0, -24.0, -15.0}) {
        const double over = std::clamp(levelDb + 30, 0.0, 12.0);
        auto low = movingBell(500, -12);
        low.kind = FilterKind::LowShelf;
        low.q = 0.7;
        EXPECT_NEAR(settledGainDb(low, 50, dbToLinear(levelDb), 48000), -over, 0.2) << levelDb;
        auto high = low;
        high.kind = FilterKind::HighShelf;
        EXPECT_NEAR(settledGainDb(high, 5000, dbToLinear(levelDb), 48000), -over, 0.2) << levelDb;
        // What lies far on the other side does not move them.
        EXPECT_NEAR(settledGainDb(low, 8000, dbToLinear(levelDb), 48000), 0, 0.05);
        EXPECT_NEAR(settledGainDb(high, 30, dbToLinear(levelDb), 48000), 0, 0.05);
    }
}

TEST(DynamicBand, ASoundElsewhereDoesNotMoveIt) {
    // Two octaves off each way, 12 dB over the threshold: a band-pass of Q 1.5, twice.
    auto band = movingBell(1000, -12);
    band.q = 4;
    for (const double hz : {60.0, 250.0, 4000.0, 15000.0})
        EXPECT_NEAR(settledGainDb(band, hz, dbToLinear(-18), 48000), 0, 0.02) << hz;
}

TEST(DynamicBand, AmountScalesGainAndRange) {
    auto band = movingBell(1000, -10);
    band.gainDb = 3;
    EXPECT_NEAR(settledGainDb(band, 1000, dbToLinear(-5), 48000, 50), 1.5 - 5, 0.05);
    EXPECT_NEAR(settledGainDb(band, 1000, dbToLinear(-5), 48000, -100), -3 + 10, 0.05);
    EXPECT_NEAR(settledGainDb(band, 1000, dbToLinear(-5), 48000, 0), 0, 0.001);
}

TEST(DynamicBand, TimesAreThoseToTwoThirdsOfTheWay) {
    // A step of the level of 10 dB over the threshold and back; the detector of so high and broad a band
    // takes next to no time itself.
    for (const double ms : {2.0, 10.0, 80.0}) {
        auto band = movingBell(8000, -20);
        band.q = 0.5;
        band.attackMs = ms;
        band.releaseMs = 2 * ms;
        const auto design = designDynamicBand(band, 100, true, kRate);
        OneBand moving;
        moving.prepare(design, kRate);
        const auto timeTo = [&](double amplitude, double goalDb) {
            const auto frames = static_cast<std::size_t>(kRate);
            const auto x = test::sine(8000, amplitude, 1, kRate);
            int frame = -1;
            for (std::size_t n = 0; n < frames; ++n) {
                float y = x[n];
                moving.process({&y, nullptr}, 1, 1);
                const bool isPast = goalDb < -5 ? moving.movedDb() <= goalDb : moving.movedDb() >= goalDb;
                if (frame < 0 && isPast)
                    frame = static_cast<int>(n);
            }
            return 1000 * frame / kRate;
        };
        (void)timeTo(dbToLinear(-60), -1); // rest
        const double share = 1 - std::exp(-1.0);
        EXPECT_NEAR(timeTo(dbToLinear(-20), -10 * share), ms, 0.05 * ms + 0.05) << ms;
        EXPECT_NEAR(timeTo(dbToLinear(-60), -10 * (1 - share)), 2 * ms, 0.05 * 2 * ms + 0.05) << ms;
    }
}

TEST(DynamicBand, ABandForSoftSoundGoesOutAsTheLevelFalls) {
    // So its way out takes the release, and its way back the attack.
    auto band = movingBell(8000, -12);
    band.q = 0.5;
    band.dynamics = Dynamics::Below;
    band.attackMs = 10;
    band.releaseMs = 60;
    const auto design = designDynamicBand(band, 100, true, kRate);
    OneBand moving;
    moving.prepare(design, kRate);
    const auto timeTo = [&](double levelDb, double goalDb, bool isDown) {
        const auto x = test::sine(8000, dbToLinear(levelDb), 1, kRate);
        double ms = -1;
        for (std::size_t n = 0; n < x.size(); ++n) {
            float y = x[n];
            moving.process({&y, nullptr}, 1, 1);
            if (ms < 0 && (isDown ? moving.movedDb() <= goalDb : moving.movedDb() >= goalDb))
                ms = 1000 * static_cast<double>(n) / kRate;
        }
        return ms;
    };
    (void)timeTo(-20, 0, true); // rest
    EXPECT_FLOAT_EQ(moving.movedDb(), 0);
    const double share = 1 - std::exp(-1.0);
    EXPECT_NEAR(timeTo(-60, -12 * share, true), 60, 4);
    EXPECT_NEAR(moving.movedDb(), -12, 0.01);
    EXPECT_NEAR(timeTo(-20, -12 * (1 - share), false), 10, 1);
}

TEST(DynamicBand, TheDetectorIsNeverNarrowerThanAThirdOfAnOctave) {
    auto band = movingBell(1000, -20);
    band.q = 20;
    const auto design = designDynamicBand(band, 100, true, 48000);
    OneBand moving;
    moving.prepare(design, 48000);
    const double hz = 1059; // a twelfth of an octave off
    const auto x = test::sine(hz, dbToLinear(-20), 2, 48000);
    auto y = x;
    moving.process({y.data(), nullptr}, 1, static_cast<int>(x.size()));
    // Two band-passes of Q 4.3, each 1 / (1 + Q^2 (f / f0 - f0 / f)^2).
    const double off = 4.3 * (hz / 1000 - 1000 / hz);
    EXPECT_NEAR(moving.movedDb(), -(10 - 2 * powerToDb(1 + off * off)), 0.2);
}

TEST(DynamicBand, AnotherGoesOnFromWhereOneIs) {
    const auto design = designDynamicBand(movingBell(400, -12), 100, true, 48000);
    OneBand one;
    one.prepare(design, 48000);
    const auto x = test::sine(400, 0.5, 1);
    auto y = x;
    one.process({y.data(), nullptr}, 1, 24000);
    OneBand other;
    other.prepare(design, 48000);
    other.copyStateFrom(one);
    EXPECT_FLOAT_EQ(other.movedDb(), one.movedDb());
    EXPECT_NEAR(other.movedDb(), -12, 0.1);
    auto z = x;
    one.process({y.data() + 24000, nullptr}, 1, 24000);
    other.process({z.data() + 24000, nullptr}, 1, 24000);
    for (std::size_t n = 24000; n < x.size(); ++n)
        ASSERT_EQ(z[n], y[n]) << n;
}

TEST(DynamicBand, AtRestWithoutGainEveryBitStays) {
    const auto x = test::noise(0.01, 9600, 3);
    EXPECT_EQ(run(movingBell(400, -12, -10), x), x);
    auto off = movingBell(400, -12, -80);
    off.isOn = false;
    EXPECT_EQ(run(off, x), x);
}

TEST(DynamicBand, MovedSectionHasTheAnalogueShape) {
    // Held at the end of its range by a tone at 400 Hz, a far softer tone shows the curve beside it.
    const double levelDb = -20;
    const auto band = movingBell(400, -7, -40);
    auto x = test::sine(400, dbToLinear(levelDb), 3);
    const auto probe = test::sine(560, 1e-4, 3);
    for (std::size_t n = 0; n < x.size(); ++n)
        x[n] += probe[n];
    const auto y = run(band, x);
    const std::vector<float> end(y.end() - 48000, y.end());
    EqBand still = band;
    still.gainDb = -7;
    const double expected = analogueMagnitudeDb(still, 560);
    EXPECT_NEAR(linearToDb(test::amplitudeAt(end, 560, 48000) / 1e-4), expected, 0.2);
}

TEST(DynamicBand, LinkedSidesMoveAsOneAndPartsApart) {
    constexpr int kFrames = 96000;
    const auto loud = test::sine(1000, dbToLinear(-18), 2);
    const auto soft = test::sine(3000, dbToLinear(-40), 2);
    auto band = movingBell(1000, -12);
    band.q = 4;
    const auto changeOf = [&](StereoPart part, std::vector<float> left, std::vector<float> right) {
        band.part = part;
        const auto design = designDynamicBand(band, 100, true, 48000);
        OneBand moving;
        moving.prepare(design, 48000);
        moving.process({left.data(), right.data()}, 1, kFrames);
        return moving.movedDb();
    };
    EXPECT_NEAR(changeOf(StereoPart::Both, soft, loud), -12, 0.01);
    EXPECT_NEAR(changeOf(StereoPart::Both, loud, soft), -12, 0.01);
    EXPECT_NEAR(changeOf(StereoPart::Middle, loud, loud), -12, 0.01);
    EXPECT_NEAR(changeOf(StereoPart::Side, loud, loud), 0, 0.01);
    auto turned = loud;
    for (float& x : turned)
        x = -x;
    EXPECT_NEAR(changeOf(StereoPart::Side, loud, turned), -12, 0.01);
    EXPECT_NEAR(changeOf(StereoPart::Middle, loud, turned), 0, 0.01);
}

} // namespace
} // namespace cask::dsp
