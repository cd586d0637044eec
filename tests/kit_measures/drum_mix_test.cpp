// What a finished mix tells of itself, on mixes whose truth is known.
#include "core/demo/drum_synth.h"
#include "core/kit_measures/drum_mix.h"
#include "core/session/edits.h"
#include "tests/support/signals.h"

#include <gtest/gtest.h>

#include <cmath>

namespace cask::kit {
namespace {

using measure::LoopDrum;

/// Kick on one and three, snare on two and four, hats on the eighths between: synthesised drums.
struct Beat {
    std::vector<float> kick, snare, hat;
};

Beat makeBeat(int bars, double beatS) {
    demo::Random random(5);
    const auto frames = static_cast<std::size_t>((bars * 4 * beatS + 1.5) * kRate);
    Beat beat{std::vector<float>(frames), std::vector<float>(frames), std::vector<float>(frames)};
    const auto put = [&](std::vector<float>& into, demo::Drum drum, double atS, double peak) {
        demo::Stroke stroke;
        stroke.drum = drum;
        stroke.velocity = 0.85;
        const auto sound = demo::synthesise(stroke, {}, kRate, random).top;
        const auto gain = static_cast<float>(peak / test::peakOf(sound));
        const auto at = static_cast<std::size_t>(atS * kRate);
        for (std::size_t n = 0; n < sound.size() && at + n < frames; ++n)
            into[at + n] += gain * sound[n];
    };
    for (int b = 0; b < 4 * bars; ++b) {
        put(b % 2 == 0 ? beat.kick : beat.snare, b % 2 == 0 ? demo::Drum::Kick : demo::Drum::Snare,
            0.5 + b * beatS, 0.4);
        put(beat.hat, demo::Drum::Hat, 0.5 + (b + 0.5) * beatS, 0.15);
    }
    return beat;
}

class DrumMixTest : public testing::Test {
  protected:
    DrumMixTest()
        : m_beat(makeBeat(8, 0.5)), m_kit(test::memoryKit({{m_beat.kick}, {m_beat.snare}, {m_beat.hat}})) {}
    [[nodiscard]] DrumMix described(double snareDb, double hatDb, double allDb = 0) const {
        auto s = m_kit.session;
        const std::array levels = {allDb, allDb + snareDb, allDb + hatDb};
        for (std::size_t i = 0; i < 3; ++i)
            s = session::withOutput(s, m_kit.elements[i], [&](auto& out) { out.levelDb = levels[i]; });
        auto mix = describeDrumMix(s, m_kit.lookup, 0, 0);
        EXPECT_TRUE(mix);
        return *mix;
    }
    Beat m_beat;
    test::MemoryKit m_kit;
};

TEST_F(DrumMixTest, TellsTempoPatternAndLoneStrokes) {
    const auto mix = described(0, 0);
    ASSERT_TRUE(mix.tempo.isKnown);
    EXPECT_NEAR(mix.tempo.bpm, 120, 0.5);
    for (const auto drum : {LoopDrum::Kick, LoopDrum::Snare, LoopDrum::Hat})
        ASSERT_NE(mix.drum(drum), nullptr) << measure::nameOf(drum);
    const auto& kick = *mix.drum(LoopDrum::Kick);
    ASSERT_EQ(kick.pattern.size(), 16U);
    EXPECT_NEAR(kick.hits, 16, 2);
    const auto& snare = *mix.drum(LoopDrum::Snare);
    // Kick and snare half a bar of two beats apart, wherever the bar was said to begin.
    const auto most = [](const std::vector<double>& pattern) {
        return std::max_element(pattern.begin(), pattern.end()) - pattern.begin();
    };
    EXPECT_EQ(std::abs(most(kick.pattern) - most(snare.pattern)) % 8, 4);
    EXPECT_GT(kick.pattern[static_cast<std::size_t>(most(kick.pattern))], 0.8);
    ASSERT_FALSE(mix.alone.empty());
    for (const auto& stroke : mix.alone) {
        const double quarter = (stroke.timeS - 0.5) / 0.25;
        EXPECT_NEAR(quarter, std::round(quarter), 0.06);
        const auto place = static_cast<int>(std::lround(quarter)) % 4;
        EXPECT_EQ(stroke.drum, place == 0   ? LoopDrum::Kick
                               : place == 2 ? LoopDrum::Snare
                                            : LoopDrum::Hat)
            << stroke.timeS;
    }
}

TEST_F(DrumMixTest, LevelsAgainstTheKickFollowTheFaders) {
    const auto plain = described(0, 0);
    const double snare = *plain.againstKickDb(LoopDrum::Snare);
    const double hat = *plain.againstKickDb(LoopDrum::Hat);
    for (const double by : {-4.0, 3.0}) {
        EXPECT_NEAR(*described(by, 0).againstKickDb(LoopDrum::Snare), snare + by, 0.5) << by;
        EXPECT_NEAR(*described(0, by).againstKickDb(LoopDrum::Hat), hat + by, 0.7) << by;
    }
    const auto softer = described(0, 0, -12);
    EXPECT_NEAR(*softer.againstKickDb(LoopDrum::Snare), snare, 0.3) << "however loud the whole is";
    EXPECT_NEAR(softer.lufs, plain.lufs - 12, 0.05);
    EXPECT_FALSE(plain.againstKickDb(LoopDrum::Crash));
}

TEST(DrumMix, OfSilenceTellsNothing) {
    const auto kit = test::memoryKit({{std::vector<float>(48000, 0.0F)}});
    const auto mix = describeDrumMix(kit.session, kit.lookup, 0, 0);
    ASSERT_TRUE(mix);
    EXPECT_TRUE(mix->drums.empty());
    EXPECT_FALSE(mix->tempo.isKnown);
    EXPECT_TRUE(mix->alone.empty());
    EXPECT_TRUE(describeDrumMix(measure::FileTrails{}, 0).drums.empty());
}

} // namespace
} // namespace cask::kit
