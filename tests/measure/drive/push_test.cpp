// The push test on drums that are driven into a curve whose answer is known.
#include "core/base/units.h"
#include "core/measure/drive/push.h"
#include "tests/support/signals.h"

#include <gtest/gtest.h>

#include <cmath>

namespace cask::measure {
namespace {

/// Two drums by turns, one so many dB softer than the other.
HitMaterial twoDrums(double softerDb) {
    HitMaterial m;
    const auto loud = test::bursts(90, 1, 0.25, 0.1, 12);
    const auto soft = test::bursts(200, 1, 0.75, 0.1, 12);
    m.sound = {loud};
    const auto gain = static_cast<float>(dbToLinear(-softerDb));
    for (std::size_t n = 0; n < loud.size(); ++n)
        m.sound[0][n] = 0.5F * (loud[n] + gain * soft[n]);
    for (double t = 0.25; t < 11.8; t += 1) {
        m.hits.push_back({t, true, HitClass::Normal, 0, -6});
        if (t + 0.5 < 11.8)
            m.hits.push_back({t + 0.5, true, HitClass::Normal, 1, -6 - softerDb});
    }
    return m;
}

PushedSound intoTanh(const HitMaterial& m) {
    return [&m](double driveDb) {
        const double d = dbToLinear(driveDb);
        Sound y = m.sound;
        for (float& x : y[0])
            x = static_cast<float>(std::tanh(d * static_cast<double>(x)) / d);
        return y;
    };
}

constexpr PushLimits kBentAlone{-20, 99, 99};

TEST(Push, TheLouderDrumBreaksFirstByAsMuchAsItIsLouder) {
    for (const double softerDb : {3.0, 7.0}) {
        const auto m = twoDrums(softerDb);
        const auto pushes = pushTest(m, intoTanh(m), kBentAlone);
        ASSERT_EQ(pushes.size(), 2U);
        EXPECT_EQ(pushes[0].drum, 0);
        EXPECT_EQ(pushes[0].why, PushBreak::Bent);
        ASSERT_NE(pushes[1].why, PushBreak::None);
        EXPECT_NEAR(pushes[1].breaksAtDb - pushes[0].breaksAtDb, softerDb, 1);
        EXPECT_NEAR(lowerFirstByDb(pushes), softerDb, 1);
    }
}

TEST(Push, BreaksWhereWhatIsNewPassesTheLimitByAnExactSearch) {
    const auto m = twoDrums(0);
    const auto at = intoTanh(m);
    const auto pushes = pushTest(m, at, kBentAlone);
    // The same figure by hand, drive by drive in small steps.
    const auto newAt = [&](double driveDb) {
        const auto first = at(kPushDrivesDb.front());
        const auto y = at(driveDb);
        double both = 0;
        double own = 0;
        double is = 0;
        for (std::size_t n = 12000; n < 12000 + 3840; ++n) {
            both += static_cast<double>(first[0][n]) * y[0][n];
            own += std::pow(static_cast<double>(first[0][n]), 2);
            is += std::pow(static_cast<double>(y[0][n]), 2);
        }
        const double copied = both * both / own;
        return 10 * std::log10((is - copied) / copied);
    };
    double drive = -12;
    while (newAt(drive) < kBentAlone.bentDb)
        drive += 0.25;
    const auto found = std::find_if(pushes.begin(), pushes.end(), [](const auto& p) { return p.drum == 0; });
    ASSERT_NE(found, pushes.end());
    EXPECT_NEAR(found->breaksAtDb, drive, 1);
}

TEST(Push, WhatOnlyPassesNeverBreaks) {
    const auto m = twoDrums(4);
    const auto pushes = pushTest(m, [&](double) { return m.sound; }, {});
    ASSERT_EQ(pushes.size(), 2U);
    for (const auto& push : pushes)
        EXPECT_EQ(push.why, PushBreak::None);
    EXPECT_EQ(lowerFirstByDb(pushes), 0);
}

} // namespace
} // namespace cask::measure
