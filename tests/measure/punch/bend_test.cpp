// Overtones from a gain that moves with the wave: by formula, and as a tone behind the compressor has them.
#include "core/base/units.h"
#include "core/measure/punch/bend.h"
#include "tests/support/signals.h"

#include <gtest/gtest.h>

#include <cmath>

namespace cask::measure {
namespace {

std::vector<float> gainsBy(const std::function<double(double)>& gain) {
    std::vector<float> g(24000);
    for (std::size_t n = 0; n < g.size(); ++n)
        g[n] = static_cast<float>(gain(static_cast<double>(n) / kRate));
    return g;
}

TEST(Bend, AMovingGainMakesHalfItsDepthOfOvertones) {
    constexpr double kHz = 60;
    const auto overtones = [&](const std::function<double(double)>& gain) {
        return overtonesDb(gainsBy(gain), kHz, kRate, 480, 480 + 9600);
    };
    const auto moving = [&](int k, double depth) {
        return [=](double t) { return 0.5 * (1 + depth * std::cos(2 * kPi * k * kHz * t + 0.7)); };
    };
    EXPECT_NEAR(overtones(moving(2, 0.1)), linearToDb(0.05), 0.15);
    EXPECT_NEAR(overtones(moving(1, 0.2)), linearToDb(0.1), 0.15);
    EXPECT_NEAR(overtones([&](double t) { return moving(2, 0.1)(t) * 2 * moving(3, 0.1)(t); }),
                linearToDb(0.05) + 3.01, 0.4);
    EXPECT_LT(overtones([](double) { return 0.3; }), -100);
    // A release of 50 ms from 10 dB is slow against the wave.
    EXPECT_LT(overtones([](double t) { return dbToLinear(-10 * std::exp(-t / 0.050)); }), -38);
    EXPECT_EQ(overtonesDb(gainsBy(moving(2, 0.1)), kHz, kRate, 480, 480 + 3000), kSilenceDb) << "too short";
}

/// A tone of 60 Hz in blocks of 300 ms: hits that hold.
HitMaterial heldTone() {
    HitMaterial m;
    m.rateHz = kRate;
    m.sound = {test::sine(60, 0.5, 4)};
    for (int i = 0; i < 8; ++i) {
        m.hits.push_back({0.5 * i + 0.1, true, HitClass::Normal, 0, -6});
        for (std::size_t n = 0; n < 4800; ++n)
            m.sound[0][static_cast<std::size_t>(24000 * i) + n] = 0;
    }
    return m;
}

TEST(Bend, IsWhatTheToneHasBehindTheCompressor) {
    const auto m = heldTone();
    dsp::CompressorSettings s;
    s.thresholdDb = -26;
    s.ratio = 10;
    s.attackMs = 0.5;
    s.detector = dsp::CompressorDetector::Rms;
    s.windowMs = 1;
    double lastDb = 0;
    for (const double releaseMs : {5.0, 20.0, 80.0}) {
        s.releaseMs = releaseMs;
        const auto after = compressedSound(m, s);
        // Twelve periods of the held tone, by correlation.
        const std::span<const float> held(after[0].data() + 24000 + 6400, 9600);
        double power = 0;
        for (int k = 2; k <= 9; ++k)
            power += std::pow(test::amplitudeAt(held, 60.0 * k, kRate), 2);
        const double heardDb = powerToDb(power / std::pow(test::amplitudeAt(held, 60, kRate), 2));
        const double told = bentDb(m, s, 60);
        EXPECT_NEAR(told, heardDb, 2) << releaseMs;
        EXPECT_LT(told, lastDb) << "slower bends less";
        lastDb = told;
    }
    EXPECT_EQ(bentDb(m, s, 0), kSilenceDb);
    EXPECT_EQ(bentDb(HitMaterial(), s, 60), kSilenceDb);
}

} // namespace
} // namespace cask::measure
