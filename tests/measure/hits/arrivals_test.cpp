#include "core/measure/hits/arrivals.h"
#include "tests/support/signals.h"

#include <gtest/gtest.h>

namespace cask::measure {
namespace {

std::vector<Arrival> find(const std::vector<float>& x, double rate = 48000) {
    BandTrailMeter meter(rate);
    meter.add(x);
    const BandTrail trail = meter.take();
    const std::vector<const BandTrail*> channels = {&trail};
    return findArrivals(channels);
}

TEST(Arrivals, EveryBurstOnceWithinHalfAMillisecondAtAnyRate) {
    for (const double rate : {44100.0, 48000.0, 96000.0})
        for (const double hz : {55.0, 180.0, 4000.0}) {
            auto x = test::bursts(hz, 0.37, 0.25, 0.06, 6, rate);
            const auto n = test::noise(0.0005, x.size(), 3);
            for (std::size_t i = 0; i < x.size(); ++i)
                x[i] += n[i];
            const auto arrivals = find(x, rate);
            std::size_t expected = 0;
            for (double at = 0.25; at < 6; at += 0.37)
                ++expected;
            ASSERT_EQ(arrivals.size(), expected) << hz << " Hz at " << rate;
            // A sine begins at nothing: it is within 20 dB of its peak 0.1 / (2 pi hz) later.
            const double rise = 0.1 / (2 * kPi * hz);
            for (std::size_t i = 0; i < arrivals.size(); ++i)
                EXPECT_NEAR(arrivals[i].timeS, 0.25 + 0.37 * static_cast<double>(i) + rise, 0.0005) << hz;
        }
}

TEST(Arrivals, TellTheSoftStrokeOfAFlamFromTheMainOne) {
    auto x = test::bursts(1500, 1, 0.2, 0.03, 4);
    const auto grace = test::bursts(1500, 1, 0.18, 0.02, 4);
    for (std::size_t i = 0; i < x.size(); ++i)
        x[i] += 0.3F * grace[i];
    const auto arrivals = find(x);
    ASSERT_EQ(arrivals.size(), 8U);
    EXPECT_NEAR(arrivals[1].timeS - arrivals[0].timeS, 0.02, 0.001);
}

TEST(Arrivals, AreHeardOverARingingDrum) {
    // A stick on metal, 26 dB under a low drum that rings on.
    auto x = test::bursts(80, 3, 0.1, 1.5, 3);
    const auto soft = test::bursts(6000, 0.4, 0.5, 0.02, 3);
    for (std::size_t i = 0; i < x.size(); ++i)
        x[i] += 0.05F * soft[i];
    const auto arrivals = find(x);
    EXPECT_EQ(arrivals.size(), 1U + 7U);
}

TEST(Arrivals, NothingInSilenceNoiseOrASteadyTone) {
    EXPECT_TRUE(find(std::vector<float>(48000, 0)).empty());
    EXPECT_TRUE(find({}).empty());
    EXPECT_LE(find(test::noise(0.1, 480000, 5)).size(), 1U); // its beginning
    EXPECT_LE(find(test::sine(60, 0.8, 5)).size(), 1U);
}

TEST(Arrivals, APairOfUnequalFilesIsSearchedAsFarAsBothGo) {
    const auto trailOf = [](const std::vector<float>& x) {
        BandTrailMeter meter(48000);
        meter.add(x);
        return meter.take();
    };
    const BandTrail longer = trailOf(test::bursts(180, 0.5, 0.2, 0.06, 4));
    const BandTrail shorter = trailOf(test::bursts(180, 0.5, 0.2, 0.06, 2));
    for (const auto& channels : {std::vector<const BandTrail*>{&longer, &shorter}, {&shorter, &longer}})
        EXPECT_EQ(findArrivals(channels).size(), 4U);
}

TEST(Arrivals, FloorsFollowTheNoise) {
    const auto x = test::noise(0.01, 480000, 5); // mean square of uniform noise: a^2 / 3
    BandTrailMeter meter(48000);
    meter.add(x);
    const auto floors = bandFloors(meter.take());
    double power = 0;
    for (const float db : floors)
        power += std::pow(10.0, db / 10);
    EXPECT_NEAR(powerToDb(power), powerToDb(0.0001 / 3), 2.5);
}

} // namespace
} // namespace cask::measure
